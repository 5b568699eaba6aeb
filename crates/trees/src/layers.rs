use crate::path::{Step, resolve};
use crate::{Bytes, Entry, Node, NodeKind, Tree, TreeError, Why};
use std::collections::BTreeMap;
use std::ffi::OsString;
use std::os::unix::ffi::OsStrExt;
use std::path::{Path, PathBuf};

/// A name before that of a file which a layer takes away, as union file systems of old have it.
const TAKEN_AWAY: &str = ".wh.";
/// The name that hides everything below a folder in lower layers.
const HIDES_ALL: &str = ".wh..wh..opq";

/// Layers one above the other, seen as one root: what a higher one has or takes away hides what lies below.
///
/// Follows the kernel's overlayfs (a character device 0/0 takes a name away, an attribute makes a folder hide all below) and
/// the older way of names that begin with `.wh.`.
pub(crate) struct Layers {
    /// The highest one first.
    layers: Vec<Box<dyn Tree>>,
}

impl Layers {
    /// Layers, the lowest one first.
    pub(crate) fn new(mut layers: Vec<Box<dyn Tree>>) -> Self {
        layers.reverse();
        Self { layers }
    }

    /// The layers that may say something of a path without links, from the top: down to the first one that takes it or a
    /// folder above it away, or hides all below such a folder.
    fn saying(&self, clean: &Path) -> usize {
        for (at, layer) in self.layers.iter().enumerate() {
            let mut above = clean;
            loop {
                if takes_away(layer.as_ref(), above) {
                    return at + usize::from(above != clean && layer.node(clean, false).is_ok());
                }
                match above.parent() {
                    Some(parent) if !parent.as_os_str().is_empty() => above = parent,
                    _ => break,
                }
                if is_opaque(layer.as_ref(), above) {
                    return at + 1;
                }
                // Something other than a folder hides what lower layers have below the same name.
                if layer.node(above, false).is_ok_and(|node| node.kind != NodeKind::Folder) {
                    return at + 1;
                }
            }
        }
        self.layers.len()
    }

    /// The highest layer that has a path, and what it is there.
    fn holder(&self, clean: &Path) -> Option<(&dyn Tree, Node)> {
        if clean.as_os_str().is_empty() {
            let layer = self.layers.first()?;
            return Some((layer.as_ref(), layer.node(clean, false).ok()?));
        }
        let layers = &self.layers[..self.saying(clean)];
        layers.iter().find_map(|layer| Some((layer.as_ref(), layer.node(clean, false).ok()?)))
    }

    fn find(&self, path: &Path, follow_last: bool) -> Result<(PathBuf, &dyn Tree, Node), TreeError> {
        let clean = resolve(path, follow_last, |clean| {
            let Some((layer, node)) = self.holder(clean) else { return Ok(Step::Missing) };
            Ok(match node.kind {
                NodeKind::Folder => Step::Folder,
                NodeKind::Link => Step::Link(layer.read_link(clean)?),
                _ => Step::Leaf,
            })
        })?;
        let (layer, node) = self.holder(&clean).ok_or_else(|| TreeError::new(path, Why::Missing))?;
        Ok((clean, layer, node))
    }
}

fn takes_away(layer: &dyn Tree, path: &Path) -> bool {
    let Some(name) = path.file_name() else { return false };
    let mut old = OsString::from(TAKEN_AWAY);
    old.push(name);
    layer.is_whiteout(path) || layer.node(&path.with_file_name(old), false).is_ok()
}

fn is_opaque(layer: &dyn Tree, folder: &Path) -> bool {
    layer.is_opaque(folder) || layer.node(&folder.join(HIDES_ALL), false).is_ok()
}

impl Tree for Layers {
    fn node(&self, path: &Path, follow_last: bool) -> Result<Node, TreeError> {
        self.find(path, follow_last).map(|(_, _, node)| node)
    }

    fn list(&self, path: &Path) -> Result<Vec<Entry>, TreeError> {
        let (clean, _, node) = self.find(path, true)?;
        if node.kind != NodeKind::Folder {
            return Err(TreeError::new(path, Why::NotAFolder));
        }
        let mut names: BTreeMap<OsString, Option<NodeKind>> = BTreeMap::new();
        for layer in &self.layers[..self.saying(&clean)] {
            let Ok(node) = layer.node(&clean, false) else { continue };
            if node.kind != NodeKind::Folder {
                break;
            }
            for entry in layer.list(&clean)? {
                let bytes = entry.name.as_bytes();
                if let Some(taken) = bytes.strip_prefix(TAKEN_AWAY.as_bytes()) {
                    let taken = std::ffi::OsStr::from_bytes(taken).to_owned();
                    names.entry(taken).or_insert(None);
                } else if entry.kind == NodeKind::Other && layer.is_whiteout(&clean.join(&entry.name)) {
                    names.entry(entry.name).or_insert(None);
                } else {
                    names.entry(entry.name).or_insert(Some(entry.kind));
                }
            }
            if is_opaque(layer.as_ref(), &clean) {
                break;
            }
        }
        let there = names.into_iter().filter_map(|(name, kind)| Some(Entry { name, kind: kind? }));
        Ok(there.collect())
    }

    fn read_into(&self, path: &Path, limit: u64, buffer: &mut Vec<u8>) -> Result<(), TreeError> {
        let (clean, layer, _) = self.find(path, true)?;
        layer.read_into(&clean, limit, buffer)
    }

    fn open(&self, path: &Path) -> Result<Box<dyn Bytes>, TreeError> {
        let (clean, layer, _) = self.find(path, true)?;
        layer.open(&clean)
    }

    fn read_link(&self, path: &Path) -> Result<PathBuf, TreeError> {
        let (clean, layer, node) = self.find(path, false)?;
        if node.kind != NodeKind::Link {
            return Err(TreeError::new(path, Why::NotALink));
        }
        layer.read_link(&clean)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Memory;

    #[test]
    fn higher_layers_hide_replace_and_take_away() {
        let lower = Memory::new()
            .file("usr/a", "low")
            .file("usr/b", "low")
            .file("usr/gone/x", "low")
            .file("usr/anew/old", "low")
            .link("bin", "usr")
            .file("etc/os-release", "low");
        let upper = Memory::new()
            .file("usr/a", "high")
            .file("usr/.wh.b", "")
            .file("usr/.wh.gone", "")
            .file("usr/anew/.wh..wh..opq", "")
            .file("usr/anew/new", "high")
            .file("usr/c", "high");
        let layers = Layers::new(vec![Box::new(lower), Box::new(upper)]);
        let tree: &dyn Tree = &layers;
        assert_eq!(
            tree.read("bin/a").unwrap(),
            b"high",
            "a link of a lower layer leads to a file of a higher one"
        );
        assert!(!tree.exists("usr/b") && !tree.exists("usr/gone/x") && !tree.exists("usr/anew/old"));
        assert_eq!(tree.read("etc/os-release").unwrap(), b"low");
        let names = |path: &str| -> Vec<String> {
            tree.names(path).into_iter().map(|entry| entry.name.into_string().unwrap()).collect()
        };
        assert_eq!(names("usr"), ["a", "anew", "c"]);
        assert_eq!(names("usr/anew"), ["new"]);
        assert_eq!(names(""), ["bin", "etc", "usr"]);
    }
}
