use crate::path::{Step, resolve};
use crate::{Entry, LIMITS, Node, NodeKind, ReadAt, Tree, TreeError, TreeErrorKind};
use foldhash::HashMap;
use std::collections::BTreeMap;
use std::ffi::{OsStr, OsString};
use std::io;
use std::path::{Component, Path, PathBuf};
use std::sync::Arc;

/// A tree of which all names are known, and whose files are read from wherever they are: an archive, an optical image.
#[derive(Default)]
pub(crate) struct Listed {
    // A hash that nobody can foresee: names are a stranger's.
    nodes: HashMap<PathBuf, ListedNode>,
    root: BTreeMap<OsString, NodeKind>,
    refused: Refused,
}

/// Entries that were left out, as their names exceed a limit or lead out of the root.
#[derive(Default)]
struct Refused {
    count: usize,
    first: Option<String>,
}

struct ListedNode {
    what: What,
    mode: u32,
    changed_at: i64,
}

enum What {
    Folder(BTreeMap<OsString, NodeKind>),
    File(Arc<dyn ReadAt>),
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

    pub(crate) fn file(&mut self, path: &Path, content: Arc<dyn ReadAt>, stamp: Stamp) -> io::Result<()> {
        self.insert(path, What::File(content), stamp)
    }

    pub(crate) fn link(&mut self, path: &Path, target: PathBuf, stamp: Stamp) -> io::Result<()> {
        match target.as_os_str().len() <= LIMITS.link_target_bytes {
            true => self.insert(path, What::Link(target), stamp),
            false => self.insert(path, What::Other, stamp),
        }
    }

    pub(crate) fn other(&mut self, path: &Path, stamp: Stamp) -> io::Result<()> {
        self.insert(path, What::Other, stamp)
    }

    /// The content of a file that was listed before, for a hard link to it.
    pub(crate) fn content(&self, path: &Path) -> Option<Arc<dyn ReadAt>> {
        match &self.nodes.get(&clean(path)?)?.what {
            What::File(content) => Some(Arc::clone(content)),
            _ => None,
        }
    }

    /// The tree below a folder, as a tree of its own.
    pub(crate) fn below(mut self, folder: &Path) -> Self {
        let Some(ListedNode { what: What::Folder(root), .. }) = self.nodes.remove(folder) else {
            return self;
        };
        let inner =
            |(path, held): (PathBuf, ListedNode)| Some((path.strip_prefix(folder).ok()?.to_owned(), held));
        Self { nodes: self.nodes.into_iter().filter_map(inner).collect(), root, refused: self.refused }
    }

    /// What was left out, as a sentence without a subject; `None` where everything is there.
    pub(crate) fn left_out(&self) -> Option<String> {
        let Refused { count, first } = &self.refused;
        let first = first.as_ref()?;
        let others = match count.saturating_sub(1) {
            0 => String::new(),
            others => format!(" and {others} more"),
        };
        Some(format!(
            "skipped an entry whose name is too long, too deep or leads out of the root: `{first}`{others}"
        ))
    }

    /// Adds an entry and the folders above it. A name that would lead out of the root, or is more than any may be, is left out.
    fn insert(&mut self, path: &Path, what: What, stamp: Stamp) -> io::Result<()> {
        let Some(path) = clean(path) else {
            self.refused.count = self.refused.count.saturating_add(1);
            let shortened = |path: &Path| path.to_string_lossy().chars().take(80).collect();
            self.refused.first.get_or_insert_with(|| shortened(path));
            return Ok(());
        };
        // The folders above that are not there yet, the highest one first.
        let mut above: Vec<&Path> = path
            .ancestors()
            .skip(1)
            .filter(|above| !above.as_os_str().is_empty())
            .take_while(|above| {
                !matches!(self.nodes.get(*above), Some(ListedNode { what: What::Folder(_), .. }))
            })
            .collect();
        above.reverse();
        for folder in above {
            let stamp = Stamp { mode: 0o755, changed_at: 0 };
            self.put(folder, What::Folder(BTreeMap::new()), stamp)?;
        }
        if path.as_os_str().is_empty() { Ok(()) } else { self.put(&path, what, stamp) }
    }

    /// Adds an entry to a folder that is there.
    fn put(&mut self, path: &Path, what: What, Stamp { mode, changed_at }: Stamp) -> io::Result<()> {
        if self.nodes.len() >= LIMITS.entries {
            return Err(io::Error::other(format!("has more than {} entries", LIMITS.entries)));
        }
        let names = match path.parent().filter(|above| !above.as_os_str().is_empty()) {
            None => &mut self.root,
            Some(above) => match self.nodes.get_mut(above) {
                Some(ListedNode { what: What::Folder(names), .. }) => names,
                _ => return Ok(()),
            },
        };
        if names.len() >= LIMITS.folder_names {
            return Err(io::Error::other(format!("has a folder of more than {} names", LIMITS.folder_names)));
        }
        names.insert(path.file_name().unwrap_or_default().to_owned(), what.kind());
        match (self.nodes.get_mut(path), what) {
            // A folder that is named again keeps what is in it.
            (Some(held @ ListedNode { what: What::Folder(_), .. }), What::Folder(_)) => {
                (held.mode, held.changed_at) = (mode, changed_at);
            }
            (_, what) => _ = self.nodes.insert(path.to_owned(), ListedNode { what, mode, changed_at }),
        }
        Ok(())
    }

    fn find(&self, path: &Path, follow_last: bool) -> Result<Option<&ListedNode>, TreeError> {
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
        self.nodes.get(&clean).map(Some).ok_or_else(|| TreeError::new(path, TreeErrorKind::Missing))
    }
}

/// A path without `.` and leading slashes; none where `..` is in it, or it is longer or deeper than any may be.
fn clean(path: &Path) -> Option<PathBuf> {
    if path.as_os_str().len() > LIMITS.path_bytes {
        return None;
    }
    let mut clean = PathBuf::new();
    let mut depth = 0_usize;
    for component in path.components() {
        match component {
            Component::Normal(name) => clean.push(name),
            Component::ParentDir => return None,
            _ => continue,
        }
        depth = depth.saturating_add(1);
    }
    (depth <= LIMITS.path_depth).then_some(clean)
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
            Some(ListedNode { what: What::Folder(names), .. }) => names,
            Some(_) => return Err(TreeError::new(path, TreeErrorKind::NotAFolder)),
        };
        let entry = |(name, kind): (&OsString, &NodeKind)| Entry { name: OsStr::to_owned(name), kind: *kind };
        Ok(names.iter().map(entry).collect())
    }

    fn read_into(&self, path: &Path, limit: u64, buffer: &mut Vec<u8>) -> Result<(), TreeError> {
        let file = self.open(path)?;
        crate::bytes::read_whole(path, file.as_ref(), limit, buffer)
    }

    fn open(&self, path: &Path) -> Result<Box<dyn ReadAt>, TreeError> {
        match self.find(path, true)? {
            Some(ListedNode { what: What::File(content), .. }) => Ok(Box::new(Arc::clone(content))),
            _ => Err(TreeError::new(path, TreeErrorKind::NotAFile)),
        }
    }

    fn read_link(&self, path: &Path) -> Result<PathBuf, TreeError> {
        match self.find(path, false)? {
            Some(ListedNode { what: What::Link(target), .. }) => Ok(target.clone()),
            _ => Err(TreeError::new(path, TreeErrorKind::NotALink)),
        }
    }
}
