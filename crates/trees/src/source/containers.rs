//! Images of containers: a layout of the Open Container Initiative (Image Format 1.1), or an archive with a `manifest.json` of its layers.

use super::SourceError;
use crate::compression::Compression;
use crate::layers::Layers;
use crate::source::probe::head_of;
use crate::{ReadAt, Tree, archive};
use serde_json::Value;
use std::path::Path;
use std::sync::Arc;

/// Bytes of a list or manifest.
const JSON_LIMIT: u64 = 16 << 20;
/// Lists of manifests that are inside one another.
const DEPTH: usize = 4;
/// Layers of an image.
const LAYERS: usize = 512;
/// The architecture that is taken of an image for several.
const USUAL: &str = "amd64";

/// A root, and what should be known of it.
type Found = (Box<dyn Tree>, Vec<String>);

/// The root of an image in a tree, with what should be known; `None` where the tree is no image.
pub(crate) fn root(tree: &dyn Tree) -> Option<Result<Found, SourceError>> {
    let mut remarks = Vec::new();
    // Where an archive has both, its own manifest decides.
    let layers = match json(tree, "manifest.json").filter(Value::is_array) {
        Some(manifest) => of_archive(&manifest),
        None if tree.exists("oci-layout") || tree.exists("index.json") => {
            of_layout(tree, &json(tree, "index.json")?, &mut remarks)
        }
        None => return None,
    };
    Some(layers.and_then(|layers| stacked(tree, &layers).map(|root| (root, remarks))))
}

fn damaged(why: &str) -> SourceError {
    SourceError::Damaged(format!("damaged image of a container: {why}"))
}

fn json(tree: &dyn Tree, file: &str) -> Option<Value> {
    let mut content = Vec::new();
    tree.read_into(Path::new(file), JSON_LIMIT, &mut content).ok()?;
    serde_json::from_slice(&content).ok()
}

/// The layers that a manifest of an archive names: those of its first image.
fn of_archive(manifest: &Value) -> Result<Vec<String>, SourceError> {
    let layers = manifest.get(0).and_then(|image| image.get("Layers")).and_then(Value::as_array);
    let layers = layers.ok_or_else(|| damaged("its manifest names no layers"))?;
    Ok(layers.iter().filter_map(Value::as_str).map(str::to_owned).collect())
}

/// The layers of an image of a layout: of several the one for the usual machines.
fn of_layout(tree: &dyn Tree, index: &Value, remarks: &mut Vec<String>) -> Result<Vec<String>, SourceError> {
    let mut here = index.clone();
    for _ in 0..DEPTH {
        if let Some(layers) = here.get("layers").and_then(Value::as_array) {
            return layers.iter().map(blob).collect();
        }
        let manifests = here.get("manifests").and_then(Value::as_array);
        let manifests = manifests.ok_or_else(|| damaged("it has neither layers nor manifests"))?;
        let platform = |one: &Value| {
            let architecture = one.pointer("/platform/architecture").and_then(Value::as_str);
            architecture.filter(|name| *name != "unknown").map(str::to_owned)
        };
        let usual = manifests.iter().find(|one| platform(one).as_deref() == Some(USUAL));
        let chosen = usual.or(manifests.first()).ok_or_else(|| damaged("it has no manifest"))?;
        let others: Vec<String> =
            manifests.iter().filter(|one| *one != chosen).filter_map(platform).collect();
        if !others.is_empty() {
            let own = platform(chosen).unwrap_or_default();
            remarks.push(format!(
                "it is for several machines: {own} was taken; the others are {}",
                others.join(", ")
            ));
        }
        here = json(tree, &blob(chosen)?).ok_or_else(|| damaged("a manifest is missing"))?;
    }
    Err(damaged("its manifests nest too deeply"))
}

/// Where what a descriptor names is.
fn blob(descriptor: &Value) -> Result<String, SourceError> {
    let digest = descriptor.get("digest").and_then(Value::as_str).and_then(|digest| digest.split_once(':'));
    let is_plain = |text: &str| !text.is_empty() && text.bytes().all(|byte| byte.is_ascii_alphanumeric());
    match digest {
        Some((sum, hex)) if is_plain(sum) && is_plain(hex) => Ok(format!("blobs/{sum}/{hex}")),
        _ => Err(damaged("a digest is none")),
    }
}

/// The layers as one root, the lowest one first.
fn stacked(tree: &dyn Tree, layers: &[String]) -> Result<Box<dyn Tree>, SourceError> {
    if layers.len() > LAYERS {
        return Err(damaged("it has too many layers"));
    }
    let mut opened: Vec<Box<dyn Tree>> = Vec::new();
    for layer in layers {
        let bytes =
            tree.open(Path::new(layer)).map_err(|_| damaged(&format!("the layer `{layer}` is missing")))?;
        let bytes: Arc<dyn ReadAt> = Arc::from(bytes);
        // What a layer is packed with is told by its bytes, whatever its description says.
        let bytes = match Compression::of(&head_of(bytes.as_ref())?) {
            Some(compression) => compression.spool(&bytes)?.0,
            None => bytes,
        };
        opened.push(Box::new(archive::open(&bytes)?.0));
    }
    Ok(Box::new(Layers::new(opened)))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::MemoryTree;

    fn layer(files: &[(&str, &str)]) -> Vec<u8> {
        let mut archive = tar::Builder::new(Vec::new());
        for (path, content) in files {
            let mut header = tar::Header::new_gnu();
            header.set_size(content.len() as u64);
            header.set_mode(0o644);
            header.set_cksum();
            archive.append_data(&mut header, path, content.as_bytes()).unwrap();
        }
        archive.into_inner().unwrap()
    }

    fn packed(bytes: &[u8]) -> Vec<u8> {
        use std::io::Write;
        let mut gzip = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::fast());
        gzip.write_all(bytes).unwrap();
        gzip.finish().unwrap()
    }

    fn layers() -> [Vec<u8>; 2] {
        let lower = layer(&[("etc/os-release", "NAME=Old\n"), ("usr/gone", "x"), ("usr/kept", "x")]);
        [packed(&lower), layer(&[("etc/os-release", "NAME=New\n"), ("usr/.wh.gone", "")])]
    }

    #[test]
    fn a_layout_is_stacked_for_the_usual_machine() {
        let [lower, upper] = layers();
        let tree = MemoryTree::new()
            .file("oci-layout", "{\"imageLayoutVersion\":\"1.0.0\"}")
            .file("index.json", "{\"manifests\":[{\"digest\":\"sha256:aa\",\"platform\":{\"architecture\":\"arm64\"}},{\"digest\":\"sha256:bb\",\"platform\":{\"architecture\":\"amd64\"}}]}")
            .file("blobs/sha256/bb", "{\"layers\":[{\"digest\":\"sha256:c1\"},{\"digest\":\"sha256:c2\"}]}")
            .file("blobs/sha256/c1", lower)
            .file("blobs/sha256/c2", upper);
        let (root, remarks) = root(&tree).unwrap().unwrap();
        assert_eq!(root.read("etc/os-release").unwrap(), b"NAME=New\n");
        assert!(root.exists("usr/kept") && !root.exists("usr/gone"));
        assert_eq!(remarks, ["it is for several machines: amd64 was taken; the others are arm64"]);
    }

    #[test]
    fn the_manifest_of_an_archive_decides_and_no_digest_leads_elsewhere() {
        let [lower, upper] = layers();
        let tree = MemoryTree::new()
            .file("manifest.json", "[{\"Layers\":[\"a/layer.tar\",\"b/layer.tar\"]}]")
            .file("index.json", "{}")
            .file("a/layer.tar", lower)
            .file("b/layer.tar", upper);
        assert!(root(&tree).unwrap().unwrap().0.exists("usr/kept"));
        for index in
            ["{\"manifests\":[{\"digest\":\"sha256:../../etc/passwd\"}]}", "{\"manifests\":[]}", "{}", "[1]"]
        {
            let tree = MemoryTree::new().file("index.json", index);
            assert!(matches!(root(&tree), Some(Err(SourceError::Damaged(_)))), "{index}");
        }
        let circle = MemoryTree::new()
            .file("index.json", "{\"manifests\":[{\"digest\":\"sha256:aa\"}]}")
            .file("blobs/sha256/aa", "{\"manifests\":[{\"digest\":\"sha256:aa\"}]}");
        assert!(root(&circle).unwrap().is_err());
        assert!(root(&MemoryTree::new().file("etc/x", "")).is_none());
    }
}
