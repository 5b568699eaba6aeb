//! A tree that remembers what could not be read of it, whoever asked.

use crate::{Entry, Node, NodeKind, ReadAt, Tree, TreeError, TreeErrorKind, shielded};
use std::borrow::Cow;
use std::ffi::OsStr;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};

/// Failures that are kept one by one; of what comes after only the number is.
const KEPT: usize = 10_000;

/// Something that is there, and could not be read.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Failed {
    /// The path inside the tree, as it was asked for.
    pub path: PathBuf,
    /// What stood in the way, as a sentence without a subject.
    pub why: String,
}

#[derive(Debug, Default)]
struct Failures {
    kept: Vec<Failed>,
    more: usize,
}

/// What all parts of a watched tree write to.
type Log = Arc<Mutex<Failures>>;

/// A tree that is watched: what is not there is not there, but what is there and can't be read is remembered, whether whoever
/// asked makes something of the error or not. A decoder that panics on a file fails on that file alone.
pub struct Watched<'t> {
    tree: WatchedTree<'t>,
    log: Log,
}

enum WatchedTree<'t> {
    Of(&'t dyn Tree),
    Near(Box<dyn Tree + 't>),
}

impl<'t> Watched<'t> {
    /// Watches a tree.
    pub fn new(tree: &'t dyn Tree) -> Self {
        Self { tree: WatchedTree::Of(tree), log: Log::default() }
    }

    /// What could not be read so far, sorted, each once; and how many failures there were beyond those that are kept.
    pub fn failed(&self) -> (Vec<Failed>, usize) {
        let log = self.log.lock().unwrap_or_else(PoisonError::into_inner);
        let mut kept = log.kept.clone();
        kept.sort();
        kept.dedup_by(|one, other| one.path == other.path);
        (kept, log.more)
    }

    fn inner(&self) -> &(dyn Tree + 't) {
        match &self.tree {
            WatchedTree::Of(tree) => *tree,
            WatchedTree::Near(tree) => tree.as_ref(),
        }
    }

    /// Asks the tree something about a path.
    fn ask<T>(
        &self,
        path: &Path,
        question: impl FnOnce(&(dyn Tree + 't)) -> Result<T, TreeError>,
    ) -> Result<T, TreeError> {
        let answer = shielded(|| question(self.inner()))
            .unwrap_or_else(|why| Err(TreeError::io(path, io::Error::other(why))));
        if let Err(error) = &answer
            && self.is_failure(path, &error.why)
        {
            note(&self.log, path, error.why.to_string());
        }
        answer
    }

    /// Whether something that is there could not be read: as against what is not there, or is something else that is in order.
    fn is_failure(&self, path: &Path, why: &TreeErrorKind) -> bool {
        match why {
            TreeErrorKind::Missing | TreeErrorKind::NotAFolder | TreeErrorKind::NotALink => false,
            TreeErrorKind::NotAFile => {
                !self.inner().node(path, true).is_ok_and(|node| node.kind == NodeKind::Folder)
            }
            _ => true,
        }
    }
}

/// A path as it is traced: the name of a unit may say whose instance it is (`sync@reed.service`).
fn shown(path: &Path) -> Cow<'_, Path> {
    let name = path.file_name().and_then(OsStr::to_str).and_then(|name| name.split_once('@'));
    match name {
        Some((unit, rest)) if !rest.is_empty() && !rest.starts_with('.') => {
            let ending = rest.rsplit_once('.').map_or("", |(_, ending)| ending);
            path.with_file_name(format!("{unit}@….{ending}")).into()
        }
        _ => path.into(),
    }
}

fn note(log: &Log, path: &Path, why: String) {
    tracing::info!(path = ?shown(path), why, "unread");
    let mut log = log.lock().unwrap_or_else(PoisonError::into_inner);
    if log.kept.len() < KEPT {
        log.kept.push(Failed { path: path.strip_prefix("/").unwrap_or(path).to_owned(), why });
    } else {
        log.more = log.more.saturating_add(1);
    }
}

impl Tree for Watched<'_> {
    fn node(&self, path: &Path, follow_last: bool) -> Result<Node, TreeError> {
        self.ask(path, |tree| tree.node(path, follow_last))
    }

    fn list(&self, path: &Path) -> Result<Vec<Entry>, TreeError> {
        let entries = self.ask(path, |tree| tree.list(path));
        tracing::debug!(path = ?shown(path), names = entries.as_ref().map_or(0, Vec::len), "list");
        entries
    }

    fn read_into(&self, path: &Path, limit: u64, buffer: &mut Vec<u8>) -> Result<(), TreeError> {
        let read = self.ask(path, |tree| tree.read_into(path, limit, buffer));
        tracing::debug!(path = ?shown(path), bytes = read.as_ref().map_or(0, |()| buffer.len()), "read");
        read
    }

    fn open(&self, path: &Path) -> Result<Box<dyn ReadAt>, TreeError> {
        let file = self.ask(path, |tree| tree.open(path))?;
        tracing::debug!(path = ?shown(path), bytes = file.len(), "open");
        Ok(Box::new(WatchedFile { file, path: path.to_owned(), log: Arc::clone(&self.log) }))
    }

    fn read_link(&self, path: &Path) -> Result<PathBuf, TreeError> {
        self.ask(path, |tree| tree.read_link(path))
    }

    fn near(&self, folder: &Path) -> Option<Box<dyn Tree + '_>> {
        let near = self.inner().near(folder)?;
        Some(Box::new(Watched { tree: WatchedTree::Near(near), log: Arc::clone(&self.log) }))
    }

    fn note(&self, path: &Path, why: &str) {
        note(&self.log, path, why.to_owned());
    }

    fn is_whiteout(&self, path: &Path) -> bool {
        shielded(|| self.inner().is_whiteout(path)).unwrap_or(false)
    }

    fn is_opaque(&self, path: &Path) -> bool {
        shielded(|| self.inner().is_opaque(path)).unwrap_or(false)
    }
}

/// An open file of a watched tree.
struct WatchedFile {
    file: Box<dyn ReadAt>,
    path: PathBuf,
    log: Log,
}

impl ReadAt for WatchedFile {
    fn len(&self) -> u64 {
        self.file.len()
    }

    fn read_at(&self, offset: u64, buffer: &mut [u8]) -> io::Result<usize> {
        let read = shielded(|| self.file.read_at(offset, buffer));
        let read = read.unwrap_or_else(|why| Err(io::Error::other(why)));
        if let Err(error) = &read {
            note(&self.log, &self.path, error.to_string());
        }
        read
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::MemoryTree;

    /// A tree of which some paths panic or fail.
    struct Torn(MemoryTree);

    impl Tree for Torn {
        fn node(&self, path: &Path, follow_last: bool) -> Result<Node, TreeError> {
            match path.ends_with("forbidden") {
                true => Err(TreeError::io(path, io::ErrorKind::PermissionDenied.into())),
                false => self.0.node(path, follow_last),
            }
        }

        fn list(&self, path: &Path) -> Result<Vec<Entry>, TreeError> {
            self.node(path, true)?;
            self.0.list(path)
        }

        #[allow(clippy::panic, reason = "that is what is tested")]
        fn read_into(&self, path: &Path, limit: u64, buffer: &mut Vec<u8>) -> Result<(), TreeError> {
            if path.ends_with("torn") {
                panic!("a block is not there");
            }
            self.0.read_into(path, limit, buffer)
        }

        fn open(&self, path: &Path) -> Result<Box<dyn ReadAt>, TreeError> {
            self.0.open(path)
        }

        fn read_link(&self, path: &Path) -> Result<PathBuf, TreeError> {
            self.0.read_link(path)
        }
    }

    #[test]
    fn what_is_there_and_cannot_be_read_is_remembered_and_nothing_else_is() {
        let memory = MemoryTree::new()
            .file("etc/torn", "x")
            .file("etc/good", "good")
            .file("var/forbidden/x", "x")
            .link("etc/round", "round");
        let torn = Torn(memory);
        let watched = Watched::new(&torn);
        let tree: &dyn Tree = &watched;
        assert_eq!(tree.read("etc/good").unwrap(), b"good");
        assert!(tree.read("etc/nothing").is_err() && tree.read("etc").is_err());
        assert!(tree.list(Path::new("etc/good")).is_err() && tree.read_link(Path::new("etc/good")).is_err());
        assert_eq!(tree.names("nowhere"), []);
        assert_eq!(watched.failed(), (Vec::new(), 0));
        assert!(tree.read("/etc/torn").is_err() && tree.read("etc/torn").is_err());
        assert_eq!(tree.names("var/forbidden"), []);
        assert!(!tree.exists("etc/round"));
        let failed = watched.failed().0;
        let told: Vec<(&str, &str)> =
            failed.iter().map(|one| (one.path.to_str().unwrap(), one.why.as_str())).collect();
        assert_eq!(
            told,
            [
                ("etc/round", "leads through too many links"),
                ("etc/torn", "is so damaged that its decoder gave up: a block is not there"),
                ("var/forbidden", "permission denied"),
            ]
        );
    }
}
