use crate::path::{Step, resolve};
use crate::{Bytes, Entry, Node, NodeKind, Tree, TreeError, Why};
use rustc_hash::FxHashMap;
use std::collections::BTreeMap;
use std::ffi::{OsStr, OsString};
use std::io;
use std::path::{Component, Path, PathBuf};
use std::sync::Arc;

/// Entries that an archive may have; a real root has half a million.
const ENTRY_LIMIT: usize = 8_000_000;

/// A tree of which all names are known, and whose files are read from wherever they lie: an archive, an optical image.
#[derive(Default)]
pub(crate) struct Listed {
    nodes: FxHashMap<PathBuf, Held>,
    root: BTreeMap<OsString, NodeKind>,
}

struct Held {
    what: What,
    mode: u32,
    changed_at: i64,
}

enum What {
    Folder(BTreeMap<OsString, NodeKind>),
    File(Arc<dyn Bytes>),
    Link(PathBuf),
    Other,
}

/// What an archive says of an entry beside its name.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Stamp {
    pub(crate) mode: u32,
    pub(crate) changed_at: i64,
}

impl What {
    fn kind(&self) -> NodeKind {
        match self {
            Self::Folder(_) => NodeKind::Folder,
            Self::File(_) => NodeKind::File,
            Self::Link(_) => NodeKind::Link,
            Self::Other => NodeKind::Other,
        }
    }
}

impl Listed {
    pub(crate) fn folder(&mut self, path: &Path, stamp: Stamp) -> io::Result<()> {
        self.insert(path, What::Folder(BTreeMap::new()), stamp)
    }

    pub(crate) fn file(&mut self, path: &Path, content: Arc<dyn Bytes>, stamp: Stamp) -> io::Result<()> {
        self.insert(path, What::File(content), stamp)
    }

    pub(crate) fn link(&mut self, path: &Path, target: PathBuf, stamp: Stamp) -> io::Result<()> {
        self.insert(path, What::Link(target), stamp)
    }

    pub(crate) fn other(&mut self, path: &Path, stamp: Stamp) -> io::Result<()> {
        self.insert(path, What::Other, stamp)
    }

    /// The content of a file that was listed before, for a hard link to it.
    pub(crate) fn content(&self, path: &Path) -> Option<Arc<dyn Bytes>> {
        match &self.nodes.get(&clean(path)?)?.what {
            What::File(content) => Some(Arc::clone(content)),
            _ => None,
        }
    }

    /// The tree below a folder, as a tree of its own.
    pub(crate) fn below(mut self, folder: &Path) -> Self {
        let Some(Held { what: What::Folder(root), .. }) = self.nodes.remove(folder) else { return self };
        let inner = |(path, held): (PathBuf, Held)| Some((path.strip_prefix(folder).ok()?.to_owned(), held));
        Self { nodes: self.nodes.into_iter().filter_map(inner).collect(), root }
    }

    /// Adds an entry and the folders above it. A name that would lead out of the root is left out.
    fn insert(&mut self, path: &Path, what: What, stamp: Stamp) -> io::Result<()> {
        let Some(path) = clean(path).filter(|path| !path.as_os_str().is_empty()) else { return Ok(()) };
        if self.nodes.len() >= ENTRY_LIMIT {
            return Err(io::Error::other(format!("has more than {ENTRY_LIMIT} entries")));
        }
        if let Some(above) = path.parent().filter(|above| !above.as_os_str().is_empty())
            && !matches!(self.nodes.get(above), Some(Held { what: What::Folder(_), .. }))
        {
            self.insert(above, What::Folder(BTreeMap::new()), Stamp { mode: 0o755, changed_at: 0 })?;
        }
        let kind = what.kind();
        let name = path.file_name().unwrap_or_default().to_owned();
        match path.parent().filter(|above| !above.as_os_str().is_empty()) {
            None => _ = self.root.insert(name, kind),
            Some(above) => {
                if let Some(Held { what: What::Folder(names), .. }) = self.nodes.get_mut(above) {
                    names.insert(name, kind);
                }
            }
        }
        let Stamp { mode, changed_at } = stamp;
        match (self.nodes.get_mut(&path), what) {
            // A folder that is named again keeps what is in it.
            (Some(held @ Held { what: What::Folder(_), .. }), What::Folder(_)) => {
                (held.mode, held.changed_at) = (mode, changed_at);
            }
            (_, what) => _ = self.nodes.insert(path, Held { what, mode, changed_at }),
        }
        Ok(())
    }

    fn find(&self, path: &Path, follow_last: bool) -> Result<Option<&Held>, TreeError> {
        let clean = resolve(path, follow_last, |clean| {
            Ok(match self.nodes.get(clean).map(|held| &held.what) {
                None => Step::Missing,
                Some(What::Folder(_)) => Step::Folder,
                Some(What::Link(target)) => Step::Link(target.clone()),
                Some(_) => Step::Leaf,
            })
        })?;
        if clean.as_os_str().is_empty() {
            return Ok(None);
        }
        self.nodes.get(&clean).map(Some).ok_or_else(|| TreeError::new(path, Why::Missing))
    }
}

/// A path without `.` and leading slashes; none where `..` stands in it.
fn clean(path: &Path) -> Option<PathBuf> {
    let mut clean = PathBuf::new();
    for component in path.components() {
        match component {
            Component::Normal(name) => clean.push(name),
            Component::ParentDir => return None,
            _ => {}
        }
    }
    Some(clean)
}

impl Tree for Listed {
    fn node(&self, path: &Path, follow_last: bool) -> Result<Node, TreeError> {
        Ok(match self.find(path, follow_last)? {
            None => Node { kind: NodeKind::Folder, size: 0, mode: 0o755, changed_at: 0 },
            Some(held) => {
                let size = match &held.what {
                    What::File(content) => content.len(),
                    What::Link(target) => target.as_os_str().len() as u64,
                    _ => 0,
                };
                Node { kind: held.what.kind(), size, mode: held.mode, changed_at: held.changed_at }
            }
        })
    }

    fn list(&self, path: &Path) -> Result<Vec<Entry>, TreeError> {
        let names = match self.find(path, true)? {
            None => &self.root,
            Some(Held { what: What::Folder(names), .. }) => names,
            Some(_) => return Err(TreeError::new(path, Why::NotAFolder)),
        };
        let entry = |(name, kind): (&OsString, &NodeKind)| Entry { name: OsStr::to_owned(name), kind: *kind };
        Ok(names.iter().map(entry).collect())
    }

    fn read_into(&self, path: &Path, limit: u64, buffer: &mut Vec<u8>) -> Result<(), TreeError> {
        let file = self.open(path)?;
        crate::bytes::read_whole(path, file.as_ref(), limit, buffer)
    }

    fn open(&self, path: &Path) -> Result<Box<dyn Bytes>, TreeError> {
        match self.find(path, true)? {
            Some(Held { what: What::File(content), .. }) => Ok(Box::new(Arc::clone(content))),
            _ => Err(TreeError::new(path, Why::NotAFile)),
        }
    }

    fn read_link(&self, path: &Path) -> Result<PathBuf, TreeError> {
        match self.find(path, false)? {
            Some(Held { what: What::Link(target), .. }) => Ok(target.clone()),
            _ => Err(TreeError::new(path, Why::NotALink)),
        }
    }
}
