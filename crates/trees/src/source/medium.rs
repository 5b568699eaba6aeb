//! What a system is started or installed from: the images on a medium, and the layers that make up an install.

use super::file_systems::{FileSystemFormat, Purpose};
use super::probe::{FileFormat, head_of, is_root};
use super::{Nesting, Source, SourceError, opened};
use crate::layers::Layers;
use crate::{NodeKind, ReadAt, Tree, Watched};
use std::collections::BTreeMap;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// How deep a medium is searched for the images of a system.
const SEARCH_DEPTH: usize = 4;

/// An image on a medium: its place, and its root or layer.
pub(crate) type Layer = (PathBuf, Arc<dyn Tree>);

/// A medium that a system is started or installed from: the images on it are found by what they are, not by their names.
pub(crate) fn medium(tree: Arc<dyn Tree>, nesting: &Nesting) -> Result<Source, SourceError> {
    let mut said = Vec::new();
    let mut by_folder: BTreeMap<PathBuf, Vec<Layer>> = BTreeMap::new();
    let mut whole: Option<Source> = None;
    for path in images(tree.as_ref(), &mut said) {
        let opened = tree.open(&path).map_err(|error| SourceError::Io(io::Error::other(error.to_string())));
        let opened = opened.and_then(|bytes| system_image(Arc::from(bytes), nesting));
        match opened {
            Ok(SystemImage::Layer(layer)) => {
                let folder = path.parent().unwrap_or(Path::new("")).to_owned();
                by_folder.entry(folder).or_default().push((path, layer));
            }
            Ok(SystemImage::Whole(source)) => {
                let source = Source { layers: vec![path], is_medium: true, ..source };
                whole = whole.or(Some(source));
            }
            Err(error) => said.push(format!("`{}` {error}", path.display())),
        }
    }
    let stacks = by_folder.values().filter_map(|layers| stack(layers));
    let best = stacks.max_by_key(Vec::len);
    match (best, whole) {
        (Some(layers), _) => {
            let profile = (layers.len() > 1).then(|| last_word(&layers));
            Ok(layered(tree.as_ref(), layers, profile, said))
        }
        (None, Some(source)) => Ok(source),
        (None, None) if is_root(tree.as_ref()) => {
            Ok(Source { is_medium: true, remarks: said, ..Source::of_tree(Box::new(tree)) })
        }
        (None, None) if said.is_empty() => {
            Err(SourceError::NoRoot("it contains no image of a system".to_owned()))
        }
        (None, None) => Err(SourceError::NoRoot(said.join("; "))),
    }
}

/// A source of layers, the lowest one first.
pub(crate) fn layered(
    medium: &dyn Tree,
    layers: Vec<Layer>,
    profile: Option<String>,
    remarks: Vec<String>,
) -> Source {
    let paths: Vec<PathBuf> = layers.iter().map(|(path, _)| path.clone()).collect();
    let lists = paths.last().map(|layer| lists_beside(medium, layer)).unwrap_or_default();
    let mut trees: Vec<Box<dyn Tree>> =
        layers.into_iter().map(|(_, tree)| Box::new(tree) as Box<dyn Tree>).collect();
    let tree = match trees.len() {
        1 => trees.remove(0),
        _ => Box::new(Layers::new(trees)),
    };
    Source { tree, is_medium: true, layers: paths, profile, lists, remarks, root: None }
}

/// Bytes that a list on a medium may have: 16 MiB.
const LIST_LIMIT: u64 = 16 << 20;

/// Lists called like the layer, or `filesystem` where it has none of its own: `minimal.manifest`, `filesystem.packages-remove`; and
/// what the medium says of itself, `.disk/info`.
fn lists_beside(medium: &dyn Tree, layer: &Path) -> Vec<(PathBuf, Vec<u8>)> {
    let folder = layer.parent().unwrap_or(Path::new(""));
    let mut found = Vec::new();
    for ending in ["manifest", "packages", "manifest-remove", "packages-remove"] {
        let named = [stem(layer), "filesystem".to_owned()];
        for path in named.iter().map(|name| folder.join(format!("{name}.{ending}"))) {
            let mut content = Vec::new();
            if medium.read_into(&path, LIST_LIMIT, &mut content).is_ok() {
                found.push((path, content));
                break;
            }
        }
    }
    let (path, mut content) = (PathBuf::from(".disk/info"), Vec::new());
    if medium.read_into(&path, LIST_LIMIT, &mut content).is_ok() {
        found.push((path, content));
    }
    found
}

/// The name of an image without its ending.
fn stem(path: &Path) -> String {
    path.file_stem().map(|stem| stem.to_string_lossy().into_owned()).unwrap_or_default()
}

/// The last word of the name of the last layer.
fn last_word(layers: &[Layer]) -> String {
    let name = layers.last().map(|(path, _)| stem(path)).unwrap_or_default();
    name.rsplit('.').next().unwrap_or_default().to_owned()
}

/// The profiles of a medium whose layers stand on one another by their names: for each layer all that it stands on.
/// Languages and what is only for another way to start are no profiles.
pub(crate) fn profiles(tree: &Arc<dyn Tree>) -> Vec<(String, Vec<Layer>)> {
    let layers: Vec<Layer> = images(tree.as_ref(), &mut Vec::new())
        .into_iter()
        .filter_map(|path| {
            let bytes: Arc<dyn ReadAt> = Arc::from(tree.open(&path).ok()?);
            let head = head_of(bytes.as_ref()).ok()?;
            let layer = opened(image_format(&head)?, bytes, &head).ok()?;
            Some((path, layer.tree))
        })
        .collect();
    let named = |folder: &Path, name: &str| {
        layers.iter().find(|(path, _)| path.parent() == Some(folder) && stem(path) == name)
    };
    let mut found = Vec::new();
    for (path, _) in &layers {
        let (folder, name) = (path.parent().unwrap_or(Path::new("")), stem(path));
        let ends: Vec<usize> = name.match_indices('.').map(|(at, _)| at).chain([name.len()]).collect();
        let chain: Option<Vec<Layer>> =
            ends.iter().map(|end| named(folder, &name[..*end]).cloned()).collect();
        if let Some(chain) = chain.filter(|chain| is_root(chain[0].1.as_ref()))
            && (!is_aside(&name) || name.ends_with(".live"))
        {
            found.push((last_word(&chain), chain));
        }
    }
    found.sort_by_key(|(_, chain)| chain.len());
    found
}

/// Whether a layer is for a language, or for starting from the medium, and not for what is installed.
fn is_aside(name: &str) -> bool {
    name.split('.').skip(1).any(|word| ASIDE.contains(&word) || word.len() <= 3 || word.contains('_'))
}

/// What an image on a medium is.
enum SystemImage {
    /// A file system: a root, or a layer above one.
    Layer(Arc<dyn Tree>),
    /// An image that holds the image of a root.
    Whole(Source),
}

fn system_image(bytes: Arc<dyn ReadAt>, nesting: &Nesting) -> Result<SystemImage, SourceError> {
    nesting.open()?;
    let head = head_of(bytes.as_ref())?;
    let Some(format) = image_format(&head) else {
        return Source::inside(bytes, &nesting.deeper()?).map(SystemImage::Whole);
    };
    let tree = opened(format, bytes, &head)?.tree;
    // The folder of an image inside an image is looked for in what has no root of its own, and is no layer either.
    if !is_root(tree.as_ref()) && !images(tree.as_ref(), &mut Vec::new()).is_empty() {
        return medium(tree, &nesting.deeper()?).map(SystemImage::Whole);
    }
    Ok(SystemImage::Layer(tree))
}

/// The file system of an image that may hold a root or a layer, readable or not; a medium inside a medium is none.
fn image_format(head: &[u8]) -> Option<&'static FileSystemFormat> {
    match FileFormat::of(head)? {
        FileFormat::FileSystem(format) if format.purpose != Purpose::Medium => Some(format),
        _ => None,
    }
}

/// Files of a medium that hold file systems, by path. What can't be looked into is said.
fn images(tree: &dyn Tree, said: &mut Vec<String>) -> Vec<PathBuf> {
    let watched = Watched::new(tree);
    let tree: &dyn Tree = &watched;
    let mut found = Vec::new();
    let mut head = vec![0; 2048];
    for (path, _) in
        tree.files_below("", SEARCH_DEPTH).into_iter().filter(|(_, kind)| *kind == NodeKind::File)
    {
        let Ok(file) = tree.open(&path) else { continue };
        let read = file.read_at(0, &mut head).unwrap_or(0);
        // Packages and archives lie on media as well: only file systems count.
        if image_format(&head[..read]).is_some() {
            found.push(path);
        }
    }
    said.extend(watched.failed().0.into_iter().map(|one| format!("`{}` {}", one.path.display(), one.why)));
    found
}

/// Words in the name of a layer that is not part of what the installer puts on a disk by default.
const ASIDE: &[&str] = &["live", "installer", "no-languages", "enhanced-secureboot"];

/// The layers of a folder that make up the install: where names say what stands on what (`minimal`, `minimal.standard`), the
/// longest chain without what is only for the live session or a language; else the root, with what is beside it in the
/// order of the names.
fn stack(layers: &[Layer]) -> Option<Vec<Layer>> {
    let stem =
        |path: &Path| path.file_stem().map(|stem| stem.to_string_lossy().into_owned()).unwrap_or_default();
    let bases: Vec<&Layer> = layers.iter().filter(|(_, tree)| is_root(tree.as_ref())).collect();
    let base = bases.iter().max_by_key(|(path, _)| std::cmp::Reverse(stem(path).split('.').count()))?;
    let base_stem = stem(&base.0);
    let above = |name: &str| name.strip_prefix(base_stem.as_str()).is_some_and(|rest| rest.starts_with('.'));
    let mut chain: Vec<Layer> = layers
        .iter()
        .filter(|(path, _)| {
            let name = stem(path);
            above(&name) && !is_aside(&name)
        })
        .cloned()
        .collect();
    chain.sort_by_key(|(path, _)| (stem(path).split('.').count(), stem(path)));
    if chain.is_empty() && bases.len() == 1 {
        // Modules beside a root, none of them a root themselves.
        let beside = layers.iter().filter(|(_, tree)| !is_root(tree.as_ref()));
        chain = beside.filter(|(path, _)| !is_aside(&stem(path))).cloned().collect();
    }
    chain.insert(0, (base.0.clone(), Arc::clone(&base.1)));
    Some(chain)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::MemoryTree;

    /// Layers of these names: those that begin with `root` hold the root of an install.
    fn layers(names: &[&str]) -> Vec<Layer> {
        let tree = |name: &str| {
            let memory = if name.contains("root") || name.starts_with("minimal") && !name.contains('.') {
                MemoryTree::new().file("etc/os-release", "NAME=Saltmarsh\n").file("usr/x", "")
            } else {
                MemoryTree::new().file("usr/share/more", "")
            };
            Arc::new(memory) as Arc<dyn Tree>
        };
        names.iter().map(|name| (PathBuf::from(format!("live/{name}.squashfs")), tree(name))).collect()
    }

    fn stacked(names: &[&str]) -> Option<Vec<String>> {
        stack(&layers(names)).map(|layers| layers.iter().map(|(path, _)| stem(path)).collect())
    }

    #[test]
    fn layers_stand_on_one_another_by_their_names() {
        let all = [
            "minimal",
            "minimal.de",
            "minimal.standard",
            "minimal.standard.live",
            "minimal.standard.no-languages",
        ];
        assert_eq!(stacked(&all).unwrap(), ["minimal", "minimal.standard"]);
        assert_eq!(stacked(&["minimal"]).unwrap(), ["minimal"]);
        assert_eq!(stacked(&["more", "other"]), None, "none of them is a root");
    }

    #[test]
    fn modules_beside_a_root_are_laid_over_it_in_the_order_of_their_names() {
        assert_eq!(
            stacked(&["00-root", "10-desktop", "20-programs"]).unwrap(),
            ["00-root", "10-desktop", "20-programs"]
        );
        assert_eq!(
            stacked(&["00-root", "10-root", "20-more"]).unwrap().len(),
            1,
            "of two roots one alone is taken"
        );
    }

    #[test]
    fn what_is_for_the_live_session_or_a_language_is_aside() {
        for aside in [
            "minimal.live",
            "minimal.standard.live",
            "minimal.de",
            "minimal.pt_BR",
            "minimal.enhanced-secureboot",
        ] {
            assert!(is_aside(aside), "{aside}");
        }
        for own in ["minimal", "minimal.standard", "live"] {
            assert!(!is_aside(own), "{own}");
        }
    }

    #[test]
    fn lists_are_called_like_the_layer_or_like_the_file_system() {
        let medium = MemoryTree::new()
            .file("live/minimal.manifest", "own")
            .file("live/filesystem.manifest", "of all")
            .file("live/filesystem.packages-remove", "gone");
        let lists = lists_beside(&medium, Path::new("live/minimal.squashfs"));
        let told: Vec<(String, &[u8])> = lists
            .iter()
            .map(|(path, content)| (path.to_string_lossy().into_owned(), content.as_slice()))
            .collect();
        assert_eq!(
            told,
            [
                ("live/minimal.manifest".to_owned(), b"own".as_slice()),
                ("live/filesystem.packages-remove".to_owned(), b"gone".as_slice()),
            ]
        );
    }
}
