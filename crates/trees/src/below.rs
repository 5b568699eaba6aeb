//! A folder of a tree as a root of its own: links and `..` end at it.

use crate::path::{Step, resolve};
use crate::{Entry, Node, NodeKind, ReadAt, Tree, TreeError, TreeErrorKind};
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// A folder of a tree, with other folders of the same tree where some of its own are.
pub(crate) struct Below {
    tree: Arc<dyn Tree>,
    root: PathBuf,
    /// Where in it which folder of the tree is.
    shared: Vec<(PathBuf, PathBuf)>,
}

impl Below {
    /// The folder of a path.
    pub(crate) fn new(tree: Arc<dyn Tree>, root: PathBuf) -> Self {
        Self { tree, root, shared: Vec::new() }
    }

    /// With another folder of the tree at a place.
    pub(crate) fn with(mut self, at: PathBuf, folder: PathBuf) -> Self {
        if self.tree.is_folder(&folder) {
            self.shared.push((at, folder));
        }
        self
    }

    /// Where a clean path is in the tree.
    fn inside(&self, clean: &Path) -> PathBuf {
        let shared = self.shared.iter().find_map(|(at, folder)| Some((folder, clean.strip_prefix(at).ok()?)));
        shared.map_or_else(|| self.root.join(clean), |(folder, rest)| folder.join(rest))
    }

    fn clean(&self, path: &Path, follow_last: bool) -> Result<PathBuf, TreeError> {
        let clean = resolve(path, follow_last, |clean| {
            let inside = self.inside(clean);
            Ok(match self.tree.node(&inside, false) {
                Err(error) if error.is_missing() => Step::Missing,
                Err(error) => return Err(TreeError { path: path.to_owned(), ..error }),
                Ok(node) => match node.kind {
                    NodeKind::Folder => Step::Folder,
                    NodeKind::Link => Step::Link(self.tree.read_link(&inside)?),
                    _ => Step::Leaf,
                },
            })
        })?;
        Ok(self.inside(&clean))
    }
}

impl Tree for Below {
    fn node(&self, path: &Path, follow_last: bool) -> Result<Node, TreeError> {
        self.tree.node(&self.clean(path, follow_last)?, false)
    }

    fn list(&self, path: &Path) -> Result<Vec<Entry>, TreeError> {
        self.tree.list(&self.clean(path, true)?)
    }

    fn read_into(&self, path: &Path, limit: u64, buffer: &mut Vec<u8>) -> Result<(), TreeError> {
        self.tree.read_into(&self.clean(path, true)?, limit, buffer)
    }

    fn open(&self, path: &Path) -> Result<Box<dyn ReadAt>, TreeError> {
        self.tree.open(&self.clean(path, true)?)
    }

    fn read_link(&self, path: &Path) -> Result<PathBuf, TreeError> {
        let inside = self.clean(path, false)?;
        match self.tree.node(&inside, false)?.kind {
            NodeKind::Link => self.tree.read_link(&inside),
            _ => Err(TreeError::new(path, TreeErrorKind::NotALink)),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::MemoryTree;

    #[test]
    fn links_end_at_the_folder_and_what_is_shared_is_there() {
        let tree = MemoryTree::new()
            .file("secret", "outside")
            .file("deploy/a/etc/name", "a")
            .file("deploy/a/var/hidden", "")
            .link("deploy/a/up", "../../../secret")
            .link("deploy/a/abs", "/etc/name")
            .file("shared/log", "line")
            .link("shared/back", "/etc/name");
        let below = Below::new(Arc::new(tree), "deploy/a".into()).with("var".into(), "shared".into());
        let below: &dyn Tree = &below;
        assert_eq!(below.read("abs").unwrap(), b"a");
        assert!(!below.exists("up") && !below.exists("secret") && !below.exists("var/hidden"));
        assert_eq!(
            (below.read("var/log").unwrap(), below.read("var/back").unwrap()),
            (b"line".to_vec(), b"a".to_vec())
        );
        assert_eq!(below.read_link(Path::new("abs")).unwrap(), Path::new("/etc/name"));
        assert_eq!(below.names("").len(), 4);
    }
}
