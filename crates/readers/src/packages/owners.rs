use rustc_hash::{FxHashMap, FxHashSet};
use tally_core::knowledge::Traits;
use tally_core::model::Unread;

/// Files whose owner is asked for.
///
/// File lists may spell a path before or after the merge of `/bin`, `/lib` and `/sbin` into `/usr`; on a merged
/// install both spellings are the same file, and are looked up as one.
#[derive(Debug, Default, Clone)]
pub struct WantedPaths {
    paths: FxHashSet<Vec<u8>>,
    folders: FxHashSet<Vec<u8>>,
    endings: Endings,
    merged_usr: bool,
}

/// How wanted folders end, by their last two bytes: of a hundred folders in a list ninety end otherwise, and need not be looked up.
#[derive(Debug, Clone)]
struct Endings([u64; 64]);

impl Default for Endings {
    fn default() -> Self {
        Self([0; 64])
    }
}

impl Endings {
    /// A slash stands for what is not there: at the root it may be left out.
    const fn place(folder: &[u8]) -> (usize, u64) {
        let (before, last) = match folder {
            [.., before, last] => (*before, *last),
            [last] => (b'/', *last),
            [] => (b'/', b'/'),
        };
        ((before & 63) as usize, 1 << (last & 63))
    }

    const fn add(&mut self, folder: &[u8]) {
        let (row, bit) = Self::place(folder);
        self.0[row] |= bit;
    }

    const fn may_be(&self, folder: &[u8]) -> bool {
        let (row, bit) = Self::place(folder);
        self.0[row] & bit != 0
    }
}

impl WantedPaths {
    /// Nothing wanted yet; `merged_usr` tells whether `/lib` and its like are links into `/usr`.
    pub fn new(merged_usr: bool) -> Self {
        Self { merged_usr, ..Self::default() }
    }

    /// Asks for a path, with or without a leading slash.
    pub fn add(&mut self, path: &[u8]) {
        let path = self.canonical(path);
        let folder = split_folder(path).0;
        self.endings.add(folder);
        self.folders.insert(folder.to_vec());
        self.paths.insert(path.to_vec());
    }

    /// The wanted path that a line of a file list names.
    pub fn find(&self, line: &[u8]) -> Option<&[u8]> {
        self.paths.get(self.canonical(line)).map(Vec::as_slice)
    }

    /// Whether anything in that folder is wanted. Most folders of a list are not, and their lines need no second look.
    pub fn has_in(&self, folder: &[u8]) -> bool {
        self.endings.may_be(folder) && self.folders.contains(self.canonical(folder))
    }

    /// The one spelling of a path: no leading slash, and no `usr/` before a merged folder.
    pub fn canonical<'a>(&self, path: &'a [u8]) -> &'a [u8] {
        let path = path.strip_prefix(b"./").or_else(|| path.strip_prefix(b"/")).unwrap_or(path);
        match path.strip_prefix(b"usr/") {
            Some(rest) if self.merged_usr && is_merged(rest) => rest,
            _ => path,
        }
    }

    /// Every wanted path in its one spelling, in no stated order.
    pub fn paths(&self) -> impl Iterator<Item = &[u8]> {
        self.paths.iter().map(Vec::as_slice)
    }

    /// Whether nothing is asked.
    pub fn is_empty(&self) -> bool {
        self.paths.is_empty()
    }
}

/// Folder and name of a path; the folder of a path without a slash is empty.
pub fn split_folder(path: &[u8]) -> (&[u8], &[u8]) {
    match memchr::memrchr(b'/', path) {
        Some(slash) => (&path[..slash], &path[slash + 1..]),
        None => (b"", path),
    }
}

/// Goes through the lines of a file list, folder by folder: lists keep the files of a folder together, so what is found
/// out about a folder holds for many lines in a row.
pub fn each_folder<'l, C: Copy>(
    list: &'l [u8],
    mut look: impl FnMut(&'l [u8]) -> C,
    mut visit: impl FnMut(C, &'l [u8], &'l [u8]),
) {
    let mut last: Option<(&[u8], C)> = None;
    let mut start = 0;
    while start < list.len() {
        let end = memchr::memchr(b'\n', &list[start..]).map_or(list.len(), |at| start + at);
        let line = &list[start..end];
        start = end + 1;
        let (folder, name) = split_folder(line);
        let class = match last {
            Some((known, class)) if known == folder => class,
            _ => look(folder),
        };
        last = Some((folder, class));
        visit(class, line, name);
    }
}

fn is_merged(path: &[u8]) -> bool {
    let first = path.split(|b| *b == b'/').next().unwrap_or_default();
    matches!(first, b"bin" | b"sbin" | b"lib" | b"lib32" | b"lib64" | b"libx32")
}

/// What file lists say: owners of wanted paths (canonical path to the position of a package), and what the files of each
/// package show of it.
#[derive(Debug, Default)]
pub struct Owners {
    by_path: FxHashMap<Vec<u8>, usize>,
    /// Traits by the position of a package, for those whose list was read.
    traits: Vec<(usize, Traits)>,
    /// File lists that could not be read.
    pub unread: Vec<Unread>,
}

impl Owners {
    /// Records an owner; the first one of a path stays.
    pub fn insert(&mut self, canonical: &[u8], package: usize) {
        self.by_path.entry(canonical.to_vec()).or_insert(package);
    }

    /// Takes over what another scan found, unless it is known already.
    pub fn absorb(&mut self, other: Self) {
        #[allow(clippy::iter_over_hash_type, reason = "each entry goes to a place of its own")]
        for (path, package) in other.by_path {
            self.by_path.entry(path).or_insert(package);
        }
        self.unread.extend(other.unread);
        self.traits.extend(other.traits);
    }

    /// Records what the files of a package show.
    pub fn shows(&mut self, package: usize, traits: Traits) {
        self.traits.push((package, traits));
    }

    /// What the files of each of so many packages show; `None` where no list was read.
    pub fn traits(&self, packages: usize) -> Vec<Option<Traits>> {
        let mut traits = vec![None; packages];
        for (package, shown) in &self.traits {
            if let Some(slot) = traits.get_mut(*package) {
                *slot = Some(*shown);
            }
        }
        traits
    }

    /// The position of the package that owns a path.
    pub fn of(&self, wanted: &WantedPaths, path: &[u8]) -> Option<usize> {
        self.by_path.get(wanted.canonical(path)).copied()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn both_spellings_of_a_merged_folder_are_one() {
        let mut merged = WantedPaths::new(true);
        merged.add(b"/usr/lib/systemd/system/x.service");
        assert!(merged.find(b"/lib/systemd/system/x.service").is_some());
        assert!(merged.find(b"/usr/share/lib/systemd/system/x.service").is_none());
        let mut split = WantedPaths::new(false);
        split.add(b"/usr/bin/x");
        assert!(split.find(b"/bin/x").is_none());
        assert!(split.find(b"/usr/bin/x").is_some());
    }

    fn path() -> impl Strategy<Value = String> {
        prop::collection::vec(prop::sample::select(vec!["usr", "lib", "bin", "b", "share", "ä", ""]), 1..5)
            .prop_map(|parts| format!("/{}", parts.join("/")))
    }

    proptest! {
        #[test]
        fn a_folder_is_asked_for_when_something_in_it_is(
            wanted in prop::collection::vec(path(), 0..6), asked in path(), merged in any::<bool>(),
        ) {
            let mut all = WantedPaths::new(merged);
            wanted.iter().for_each(|path| all.add(path.as_bytes()));
            let folder = |path: &[u8]| split_folder(all.canonical(path)).0.to_vec();
            let expected = wanted.iter().any(|path| folder(path.as_bytes()) == all.canonical(asked.as_bytes()));
            prop_assert_eq!(all.has_in(asked.as_bytes()), expected);
        }

        #[test]
        fn lists_are_gone_through_line_by_line(lines in prop::collection::vec(path(), 0..12), ended in any::<bool>()) {
            let mut list = lines.join("\n");
            if ended && !lines.is_empty() {
                list.push('\n');
            }
            let mut seen = Vec::new();
            each_folder(list.as_bytes(), |folder| folder, |folder, line, name| {
                seen.push((folder.to_vec(), line.to_vec(), name.to_vec()));
            });
            let expected: Vec<_> = lines
                .iter()
                .map(|line| {
                    let (folder, name) = line.rsplit_once('/').unwrap();
                    (folder.as_bytes().to_vec(), line.as_bytes().to_vec(), name.as_bytes().to_vec())
                })
                .collect();
            prop_assert_eq!(seen, expected);
        }
    }
}
