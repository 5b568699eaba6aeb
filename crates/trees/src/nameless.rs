//! A tree without the names of its users: the folder of each is called `~1`, `~2` and so on, in the order of their names.

use crate::{Entry, Node, ReadAt, Tree, TreeError, TreeErrorKind};
use std::borrow::Cow;
use std::collections::BTreeMap;
use std::ffi::{OsStr, OsString};
use std::os::unix::ffi::OsStrExt;
use std::path::{Component, Path, PathBuf};
use std::sync::OnceLock;

/// Folders that hold a folder for each user.
const HOMES: [&str; 3] = ["home", "usr/home", "var/home"];

/// A tree whose users are numbered. Nobody who reads it learns a name, and so none is kept.
pub struct Nameless<'t> {
    tree: &'t dyn Tree,
    /// The names below each of [`HOMES`], in their order.
    users: [OnceLock<Vec<OsString>>; HOMES.len()],
}

impl<'t> Nameless<'t> {
    /// Hides the names of a tree's users.
    pub fn new(tree: &'t dyn Tree) -> Self {
        Self { tree, users: [const { OnceLock::new() }; HOMES.len()] }
    }

    fn users(&self, home: usize) -> &[OsString] {
        self.users[home].get_or_init(|| {
            let listed = self.tree.list(Path::new(HOMES[home])).unwrap_or_default();
            let mut names: Vec<OsString> = listed.into_iter().map(|entry| entry.name).collect();
            names.sort();
            names
        })
    }

    /// The path as the tree has it. Below the folder of a user who is named, and not numbered, nothing is there.
    fn real<'p>(&self, path: &'p Path) -> Result<Cow<'p, Path>, TreeError> {
        let Some((home, number, rest)) = in_home(path) else { return Ok(path.into()) };
        let number = number.to_str().and_then(|name| name.strip_prefix('~')?.parse::<usize>().ok());
        let user = number.and_then(|number| self.users(home).get(number.checked_sub(1)?));
        let user = user.ok_or_else(|| TreeError::new(path, TreeErrorKind::Missing))?;
        Ok(Path::new(HOMES[home]).join(user).join(rest).into())
    }

    /// A target of a link as it is told.
    fn told(&self, target: PathBuf) -> PathBuf {
        let Some((home, name, rest)) = in_home(&target) else { return target };
        let Ok(at) = self.users(home).binary_search(&name.to_owned()) else { return target };
        let told = Path::new(HOMES[home]).join(numbered(at)).join(rest);
        if target.is_absolute() { Path::new("/").join(told) } else { told }
    }
}

fn numbered(at: usize) -> String {
    format!("~{}", at.saturating_add(1))
}

/// Which folder of homes a path is in, the name of the user's folder, and what is behind it.
fn in_home(path: &Path) -> Option<(usize, &OsStr, PathBuf)> {
    // Nearly no path is, and that is seen at once.
    let bytes = path.as_os_str().as_bytes();
    let begin = bytes.iter().position(|byte| !matches!(byte, b'/' | b'.')).unwrap_or(bytes.len());
    if !HOMES.iter().any(|home| bytes[begin..].starts_with(home.as_bytes())) {
        return None;
    }
    let parts =
        || path.components().filter(|part| matches!(part, Component::Normal(_) | Component::ParentDir));
    let (home, depth) = HOMES.iter().enumerate().find_map(|(at, home)| {
        let home = Path::new(home);
        let depth = home.components().count();
        parts().take(depth).eq(home.components()).then_some((at, depth))
    })?;
    let mut behind = parts().skip(depth);
    let name = behind.next()?;
    Some((home, name.as_os_str(), behind.collect()))
}

impl Tree for Nameless<'_> {
    fn node(&self, path: &Path, follow_last: bool) -> Result<Node, TreeError> {
        self.tree.node(&self.real(path)?, follow_last).map_err(|error| error.at(path))
    }

    fn list(&self, path: &Path) -> Result<Vec<Entry>, TreeError> {
        let mut entries = self.tree.list(&self.real(path)?).map_err(|error| error.at(path))?;
        let clean: PathBuf = path.components().filter(|part| matches!(part, Component::Normal(_))).collect();
        if HOMES.iter().any(|home| clean == Path::new(home)) {
            let kinds: BTreeMap<OsString, _> =
                entries.into_iter().map(|entry| (entry.name, entry.kind)).collect();
            let numbered = kinds.into_values().enumerate();
            entries = numbered.map(|(at, kind)| Entry { name: numbered_name(at), kind }).collect();
        }
        Ok(entries)
    }

    fn read_into(&self, path: &Path, limit: u64, buffer: &mut Vec<u8>) -> Result<(), TreeError> {
        self.tree.read_into(&self.real(path)?, limit, buffer).map_err(|error| error.at(path))
    }

    fn open(&self, path: &Path) -> Result<Box<dyn ReadAt>, TreeError> {
        self.tree.open(&self.real(path)?).map_err(|error| error.at(path))
    }

    fn read_link(&self, path: &Path) -> Result<PathBuf, TreeError> {
        let target = self.tree.read_link(&self.real(path)?).map_err(|error| error.at(path))?;
        Ok(self.told(target))
    }

    fn near(&self, folder: &Path) -> Option<Box<dyn Tree + '_>> {
        // Above and inside homes each path is looked at from the root.
        let is_apart =
            in_home(folder).is_none() && !HOMES.iter().any(|home| Path::new(home).starts_with(folder));
        if is_apart { self.tree.near(folder) } else { None }
    }

    fn note(&self, path: &Path, why: &str) {
        self.tree.note(path, why);
    }

    fn is_whiteout(&self, path: &Path) -> bool {
        self.real(path).is_ok_and(|path| self.tree.is_whiteout(&path))
    }

    fn is_opaque(&self, path: &Path) -> bool {
        self.real(path).is_ok_and(|path| self.tree.is_opaque(&path))
    }
}

fn numbered_name(at: usize) -> OsString {
    numbered(at).into()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::MemoryTree;

    #[test]
    fn users_are_numbered_wherever_they_are_named() {
        let memory = MemoryTree::new()
            .file("home/sedge/a.txt", "of sedge")
            .file("home/reed/a.txt", "of reed")
            .file("var/home/rush/b.txt", "of rush")
            .file("srv/home/c.txt", "of nobody")
            .link("etc/own", "/home/sedge/a.txt")
            .link("etc/other", "../srv/home/c.txt");
        let nameless = Nameless::new(&memory);
        let tree: &dyn Tree = &nameless;
        let names = |folder: &str| -> Vec<String> {
            tree.names(folder).iter().map(|entry| entry.name.to_string_lossy().into_owned()).collect()
        };
        assert_eq!(names("home"), ["~1", "~2"]);
        assert_eq!(names("/home/"), ["~1", "~2"]);
        assert_eq!(names("var/home"), ["~1"]);
        assert_eq!(names("srv/home"), ["c.txt"]);
        assert_eq!(tree.read("home/~1/a.txt").unwrap(), b"of reed");
        assert_eq!(tree.read("/home/~2/a.txt").unwrap(), b"of sedge");
        assert_eq!(tree.read("etc/own").unwrap(), b"of sedge", "links are followed as they are");
        assert_eq!(tree.read_link(Path::new("etc/own")).unwrap(), Path::new("/home/~2/a.txt"));
        assert_eq!(tree.read_link(Path::new("etc/other")).unwrap(), Path::new("../srv/home/c.txt"));
        let error = tree.read("home/~2/missing").unwrap_err();
        assert_eq!(error.path, Path::new("home/~2/missing"));
        assert!(tree.read("home/~9/a.txt").is_err() && tree.read("home/~/a.txt").is_err());
        assert!(tree.read("home/reed/a.txt").is_err(), "who is named is not there");
    }
}
