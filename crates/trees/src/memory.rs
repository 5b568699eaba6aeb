use crate::path::{Step, resolve};
use crate::{Entry, Node, NodeKind, ReadAt, Tree, TreeError, TreeErrorKind};
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// A tree in memory, for tests and for archives that were unpacked there.
#[derive(Debug, Default, Clone)]
pub struct MemoryTree {
    nodes: BTreeMap<PathBuf, MemoryNode>,
    times: BTreeMap<PathBuf, i64>,
}

#[derive(Debug, Clone)]
enum MemoryNode {
    Folder,
    File(Arc<[u8]>),
    Link(PathBuf),
}

impl MemoryTree {
    /// An empty tree.
    pub fn new() -> Self {
        Self::default()
    }

    /// Adds a file and the folders above it; the path is taken literally below the root.
    #[must_use]
    pub fn file(mut self, path: impl AsRef<Path>, content: impl Into<Vec<u8>>) -> Self {
        self.insert(path.as_ref(), MemoryNode::File(content.into().into()));
        self
    }

    /// Adds a link and the folders above it.
    #[must_use]
    pub fn link(mut self, path: impl AsRef<Path>, target: impl Into<PathBuf>) -> Self {
        self.insert(path.as_ref(), MemoryNode::Link(target.into()));
        self
    }

    /// Adds an empty folder.
    #[must_use]
    pub fn folder(mut self, path: impl AsRef<Path>) -> Self {
        self.insert(path.as_ref(), MemoryNode::Folder);
        self
    }

    /// Gives a path its time of last change, seconds since 1970 UTC; without, it is 0.
    #[must_use]
    pub fn changed(mut self, path: impl AsRef<Path>, at: i64) -> Self {
        self.times.insert(path.as_ref().to_owned(), at);
        self
    }

    fn insert(&mut self, path: &Path, held: MemoryNode) {
        for above in path.ancestors().skip(1).filter(|a| !a.as_os_str().is_empty()) {
            self.nodes.entry(above.to_owned()).or_insert(MemoryNode::Folder);
        }
        self.nodes.insert(path.to_owned(), held);
    }

    fn resolve(&self, path: &Path, follow_last: bool) -> Result<PathBuf, TreeError> {
        resolve(path, follow_last, |clean| {
            Ok(match self.nodes.get(clean) {
                Some(MemoryNode::Folder) => Step::Folder,
                Some(MemoryNode::File(_)) => Step::Leaf,
                Some(MemoryNode::Link(target)) => Step::Link(target.clone()),
                None => Step::Missing,
            })
        })
    }

    fn held(&self, path: &Path, follow_last: bool) -> Result<(PathBuf, &MemoryNode), TreeError> {
        let clean = self.resolve(path, follow_last)?;
        if clean.as_os_str().is_empty() {
            return Ok((clean, &MemoryNode::Folder));
        }
        let held = self.nodes.get(&clean).ok_or_else(|| TreeError::new(path, TreeErrorKind::Missing))?;
        Ok((clean, held))
    }
}

impl Tree for MemoryTree {
    fn node(&self, path: &Path, follow_last: bool) -> Result<Node, TreeError> {
        let (clean, held) = self.held(path, follow_last)?;
        let (kind, size, mode) = match held {
            MemoryNode::Folder => (NodeKind::Folder, 0, 0o755),
            MemoryNode::File(content) => (NodeKind::File, ReadAt::len(content), 0o644),
            MemoryNode::Link(target) => (NodeKind::Link, target.as_os_str().len() as u64, 0o777),
        };
        Ok(Node { kind, size, mode, changed_at: self.times.get(&clean).copied().unwrap_or(0) })
    }

    fn list(&self, path: &Path) -> Result<Vec<Entry>, TreeError> {
        let (clean, MemoryNode::Folder) = self.held(path, true)? else {
            return Err(TreeError::new(path, TreeErrorKind::NotAFolder));
        };
        let below = self.nodes.range(clean.clone()..).take_while(|(p, _)| p.starts_with(&clean));
        let children = below.filter(|(p, _)| p.parent() == Some(&clean));
        Ok(children
            .filter_map(|(p, held)| {
                let kind = match held {
                    MemoryNode::Folder => NodeKind::Folder,
                    MemoryNode::File(_) => NodeKind::File,
                    MemoryNode::Link(_) => NodeKind::Link,
                };
                Some(Entry { name: p.file_name()?.to_owned(), kind })
            })
            .collect())
    }

    fn read_into(&self, path: &Path, limit: u64, buffer: &mut Vec<u8>) -> Result<(), TreeError> {
        let (_, MemoryNode::File(content)) = self.held(path, true)? else {
            return Err(TreeError::new(path, TreeErrorKind::NotAFile));
        };
        if ReadAt::len(content) > limit {
            return Err(TreeError::new(path, TreeErrorKind::TooLarge { limit }));
        }
        buffer.clear();
        buffer.extend_from_slice(content);
        Ok(())
    }

    fn open(&self, path: &Path) -> Result<Box<dyn ReadAt>, TreeError> {
        match self.held(path, true)? {
            (_, MemoryNode::File(content)) => Ok(Box::new(Arc::clone(content))),
            _ => Err(TreeError::new(path, TreeErrorKind::NotAFile)),
        }
    }

    fn read_link(&self, path: &Path) -> Result<PathBuf, TreeError> {
        match self.held(path, false)?.1 {
            MemoryNode::Link(target) => Ok(target.clone()),
            _ => Err(TreeError::new(path, TreeErrorKind::NotALink)),
        }
    }
}
