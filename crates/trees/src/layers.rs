use crate::path::{Step, resolve};
use crate::{Entry, Node, NodeKind, ReadAt, Tree, TreeError, TreeErrorKind};
use std::collections::BTreeMap;
use std::ffi::OsString;
use std::os::unix::ffi::OsStrExt;
use std::path::{Path, PathBuf};

/// A name before that of a file which a layer takes away, as union file systems of old have it.
const TAKEN_AWAY: &str = ".wh.";
/// The name that hides everything below a folder in lower layers.
const HIDES_ALL: &str = ".wh..wh..opq";

/// Layers one above the other, seen as one root: what a higher one has or takes away hides what is below.
///
/// Follows the kernel's overlayfs (a character device 0/0 takes a name away, an attribute makes a folder hide all below) and
/// the older way of names that begin with `.wh.`, as the image specification of the Open Container Initiative has it: they
/// speak of lower layers only.
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
    ///
    /// The path has no links as all layers together are seen. One layer alone may have a link where a higher one has a folder:
    /// whoever asked it for what is below would be led elsewhere, so that folders are gone through from the root on.
    fn saying(&self, clean: &Path) -> Result<usize, TreeError> {
        let mut folders: Vec<&Path> = clean.ancestors().skip(1).collect();
        folders.reverse();
        'layers: for (at, layer) in self.layers.iter().enumerate() {
            let layer = layer.as_ref();
            let mut is_last = false;
            for folder in &folders {
                is_last |= takes_away(layer, folder)? || is_opaque(layer, folder)?;
                match there(layer.node(folder, false))? {
                    Some(node) if node.kind == NodeKind::Folder => {}
                    // Something else hides what lower layers have below the same name, and has nothing below itself.
                    Some(_) => return Ok(at),
                    None if is_last => return Ok(at),
                    None => continue 'layers,
                }
            }
            if layer.is_whiteout(clean) {
                return Ok(at);
            }
            // What stands beside a name that takes it away, in the same layer, was put there anew.
            if is_last || takes_away(layer, clean)? {
                return Ok(at.saturating_add(1));
            }
        }
        Ok(self.layers.len())
    }

    /// The highest layer that has a path, and what it is there.
    fn holder(&self, clean: &Path) -> Result<Option<(&dyn Tree, Node)>, TreeError> {
        let layers = if clean.as_os_str().is_empty() {
            &self.layers[..self.layers.len().min(1)]
        } else {
            &self.layers[..self.saying(clean)?]
        };
        for layer in layers {
            if let Some(node) = there(layer.node(clean, false))? {
                return Ok(Some((layer.as_ref(), node)));
            }
        }
        Ok(None)
    }

    fn find(&self, path: &Path, follow_last: bool) -> Result<(PathBuf, &dyn Tree, Node), TreeError> {
        let clean = resolve(path, follow_last, |clean| {
            let Some((layer, node)) = self.holder(clean)? else { return Ok(Step::Missing) };
            Ok(match node.kind {
                NodeKind::Folder => Step::Folder,
                NodeKind::Link => Step::Link(layer.read_link(clean)?),
                _ => Step::Leaf,
            })
        })?;
        let (layer, node) =
            self.holder(&clean)?.ok_or_else(|| TreeError::new(path, TreeErrorKind::Missing))?;
        Ok((clean, layer, node))
    }
}

/// What is there; `None` where nothing is. What can't be read is not taken for absent: lower layers would show what a higher
/// one may replace.
fn there(found: Result<Node, TreeError>) -> Result<Option<Node>, TreeError> {
    match found {
        // One layer alone may have a link in a folder's place, which leads nowhere by itself.
        Err(error) if error.is_missing() || matches!(error.why, TreeErrorKind::TooManyLinks) => Ok(None),
        other => other.map(Some),
    }
}

fn takes_away(layer: &dyn Tree, path: &Path) -> Result<bool, TreeError> {
    let Some(name) = path.file_name() else { return Ok(false) };
    let mut old = OsString::from(TAKEN_AWAY);
    old.push(name);
    Ok(layer.is_whiteout(path) || there(layer.node(&path.with_file_name(old), false))?.is_some())
}

fn is_opaque(layer: &dyn Tree, folder: &Path) -> Result<bool, TreeError> {
    Ok(layer.is_opaque(folder) || there(layer.node(&folder.join(HIDES_ALL), false))?.is_some())
}

impl Tree for Layers {
    fn node(&self, path: &Path, follow_last: bool) -> Result<Node, TreeError> {
        self.find(path, follow_last).map(|(_, _, node)| node)
    }

    fn list(&self, path: &Path) -> Result<Vec<Entry>, TreeError> {
        let (clean, _, node) = self.find(path, true)?;
        if node.kind != NodeKind::Folder {
            return Err(TreeError::new(path, TreeErrorKind::NotAFolder));
        }
        let mut names: BTreeMap<OsString, Option<NodeKind>> = BTreeMap::new();
        for layer in &self.layers[..self.saying(&clean)?] {
            let Some(node) = there(layer.node(&clean, false))? else { continue };
            if node.kind != NodeKind::Folder {
                break;
            }
            let mut taken: Vec<OsString> = Vec::new();
            for entry in layer.list(&clean)? {
                let bytes = entry.name.as_bytes();
                if let Some(name) = bytes.strip_prefix(TAKEN_AWAY.as_bytes()) {
                    taken.push(std::ffi::OsStr::from_bytes(name).to_owned());
                } else if entry.kind == NodeKind::Other && layer.is_whiteout(&clean.join(&entry.name)) {
                    names.entry(entry.name).or_insert(None);
                } else {
                    names.entry(entry.name).or_insert(Some(entry.kind));
                }
            }
            // They take away what lower layers have, and nothing of their own.
            taken.into_iter().for_each(|name| _ = names.entry(name).or_insert(None));
            if is_opaque(layer.as_ref(), &clean)? {
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

    fn open(&self, path: &Path) -> Result<Box<dyn ReadAt>, TreeError> {
        let (clean, layer, _) = self.find(path, true)?;
        layer.open(&clean)
    }

    fn read_link(&self, path: &Path) -> Result<PathBuf, TreeError> {
        let (clean, layer, node) = self.find(path, false)?;
        if node.kind != NodeKind::Link {
            return Err(TreeError::new(path, TreeErrorKind::NotALink));
        }
        layer.read_link(&clean)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::MemoryTree;
    use proptest::prelude::*;

    #[test]
    fn higher_layers_hide_replace_and_take_away() {
        let lower = MemoryTree::new()
            .file("usr/a", "low")
            .file("usr/b", "low")
            .file("usr/gone/x", "low")
            .file("usr/anew/old", "low")
            .link("bin", "usr")
            .file("etc/os-release", "low");
        let upper = MemoryTree::new()
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

    #[derive(Debug, Clone)]
    enum Thing {
        File,
        Folder,
        Link(String),
        /// Takes the name away from lower layers.
        Away,
        /// Hides what lower layers have in the folder.
        Anew,
        /// Takes the name away from lower layers, and has a file of its own there.
        Again,
    }

    type Placed = (Vec<String>, Thing);

    fn name() -> impl Strategy<Value = String> {
        // One of them stands before the names of old that take others away.
        prop::sample::select(vec!["a", "b", "-c"]).prop_map(str::to_owned)
    }

    fn thing() -> impl Strategy<Value = Thing> {
        prop_oneof![
            4 => Just(Thing::File),
            2 => Just(Thing::Folder),
            1 => prop::collection::vec(name(), 1..3).prop_map(|names| Thing::Link(format!("/{}", names.join("/")))),
            2 => Just(Thing::Away),
            1 => Just(Thing::Anew),
            1 => Just(Thing::Again),
        ]
    }

    fn layer() -> impl Strategy<Value = Vec<Placed>> {
        prop::collection::vec((prop::collection::vec(name(), 1..4), thing()), 0..8)
    }

    /// What is placed, without what has no room: each name once, and nothing below a file.
    fn tidy(placed: &[Placed]) -> BTreeMap<PathBuf, Thing> {
        let mut layer: BTreeMap<PathBuf, Thing> = BTreeMap::new();
        for (names, thing) in placed {
            let path: PathBuf = names.iter().collect();
            let is_folder = |path: &Path| matches!(layer.get(path), None | Some(Thing::Folder | Thing::Anew));
            let has_room = path.ancestors().skip(1).all(is_folder);
            let below = layer.keys().any(|other| other.starts_with(&path));
            if has_room && !below {
                for above in path.ancestors().skip(1).filter(|above| !above.as_os_str().is_empty()) {
                    layer.entry(above.to_owned()).or_insert(Thing::Folder);
                }
                layer.insert(path, thing.clone());
            }
        }
        layer
    }

    fn as_tree(number: usize, layer: &BTreeMap<PathBuf, Thing>) -> MemoryTree {
        layer.iter().fold(MemoryTree::new(), |tree, (path, thing)| match thing {
            Thing::File => tree.file(path, number.to_string()),
            Thing::Folder => tree.folder(path),
            Thing::Link(target) => tree.link(path, target),
            Thing::Away | Thing::Again => {
                let mut name = OsString::from(TAKEN_AWAY);
                name.push(path.file_name().unwrap());
                let tree = tree.file(path.with_file_name(name), "");
                if matches!(thing, Thing::Again) { tree.file(path, number.to_string()) } else { tree }
            }
            Thing::Anew => tree.file(path.join(HIDES_ALL), ""),
        })
    }

    /// Lays one layer after the other on what is there, as one would by hand.
    fn laid(layers: &[BTreeMap<PathBuf, Thing>]) -> MemoryTree {
        let mut there: BTreeMap<PathBuf, Result<String, Thing>> = BTreeMap::new();
        for (number, layer) in layers.iter().enumerate() {
            for (path, thing) in layer {
                match thing {
                    Thing::Away => there.retain(|known, _| !known.starts_with(path)),
                    Thing::Anew => there.retain(|known, _| !known.starts_with(path) || known == path),
                    _ => {}
                }
            }
            for (path, thing) in layer {
                match thing {
                    Thing::Folder | Thing::Anew if matches!(there.get(path), Some(Err(Thing::Folder))) => {}
                    Thing::Folder | Thing::Anew => {
                        there.insert(path.clone(), Err(Thing::Folder));
                    }
                    Thing::File | Thing::Again | Thing::Link(_) => {
                        there.retain(|known, _| !known.starts_with(path));
                        let what = if matches!(thing, Thing::File | Thing::Again) {
                            Ok(number.to_string())
                        } else {
                            Err(thing.clone())
                        };
                        there.insert(path.clone(), what);
                    }
                    Thing::Away => {}
                }
            }
        }
        there.iter().fold(MemoryTree::new(), |tree, (path, what)| match what {
            Ok(content) => tree.file(path, content.as_str()),
            Err(Thing::Link(target)) => tree.link(path, target),
            Err(_) => tree.folder(path),
        })
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(1024))]

        #[test]
        fn layers_are_what_comes_of_laying_one_on_the_other(
            placed in prop::collection::vec(layer(), 1..4),
            asked in prop::collection::vec(prop::collection::vec(name(), 0..4), 1..12),
        ) {
            let tidied: Vec<_> = placed.iter().map(|layer| tidy(layer)).collect();
            let trees = tidied.iter().enumerate();
            let trees = trees.map(|(number, layer)| Box::new(as_tree(number, layer)) as Box<dyn Tree>);
            let (layers, laid) = (Layers::new(trees.collect()), laid(&tidied));
            let (layers, laid): (&dyn Tree, &dyn Tree) = (&layers, &laid);
            for names in asked {
                let path: PathBuf = names.iter().collect();
                prop_assert_eq!(layers.list(&path).ok(), laid.list(&path).ok(), "{:?} of {:?}", path, tidied);
                prop_assert_eq!(layers.read(&path).ok(), laid.read(&path).ok(), "{:?} of {:?}", path, tidied);
                prop_assert_eq!(layers.read_link(&path).ok(), laid.read_link(&path).ok(), "{:?}", path);
                let kind = |tree: &dyn Tree| tree.node(&path, false).ok().map(|node| node.kind);
                prop_assert_eq!(kind(layers), kind(laid), "{:?} of {:?}", path, tidied);
            }
        }
    }
}
