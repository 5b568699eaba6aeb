use rustc_hash::{FxHashMap, FxHashSet};
use tally_core::model::Unread;

/// Files whose owner is asked for.
///
/// File lists may spell a path before or after the merge of `/bin`, `/lib` and `/sbin` into `/usr`; on a merged
/// install both spellings are the same file, and are looked up as one.
#[derive(Debug, Default, Clone)]
pub struct Wanted {
    paths: FxHashSet<Vec<u8>>,
    lengths: FxHashSet<usize>,
    merged_usr: bool,
}

impl Wanted {
    /// Nothing wanted yet; `merged_usr` tells whether `/lib` and its like are links into `/usr`.
    pub fn new(merged_usr: bool) -> Self {
        Self { merged_usr, ..Self::default() }
    }

    /// Asks for a path, with or without a leading slash.
    pub fn add(&mut self, path: &[u8]) {
        let path = self.canonical(path);
        self.lengths.insert(path.len());
        self.paths.insert(path.to_vec());
    }

    /// The wanted path that a line of a file list names.
    pub fn find(&self, line: &[u8]) -> Option<&[u8]> {
        let path = self.canonical(line);
        if !self.lengths.contains(&path.len()) {
            return None;
        }
        self.paths.get(path).map(Vec::as_slice)
    }

    /// The one spelling of a path: no leading slash, and no `usr/` before a merged folder.
    pub fn canonical<'a>(&self, path: &'a [u8]) -> &'a [u8] {
        let path = path.strip_prefix(b"./").or_else(|| path.strip_prefix(b"/")).unwrap_or(path);
        match path.strip_prefix(b"usr/") {
            Some(rest) if self.merged_usr && is_merged(rest) => rest,
            _ => path,
        }
    }

    /// Whether nothing is asked.
    pub fn is_empty(&self) -> bool {
        self.paths.is_empty()
    }
}

fn is_merged(path: &[u8]) -> bool {
    let first = path.split(|b| *b == b'/').next().unwrap_or_default();
    matches!(first, b"bin" | b"sbin" | b"lib" | b"lib32" | b"lib64" | b"libx32")
}

/// Owners found: canonical path to the position of a package.
#[derive(Debug, Default)]
pub struct Owners {
    by_path: FxHashMap<Vec<u8>, usize>,
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
    }

    /// The position of the package that owns a path.
    pub fn of(&self, wanted: &Wanted, path: &[u8]) -> Option<usize> {
        self.by_path.get(wanted.canonical(path)).copied()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn both_spellings_of_a_merged_folder_are_one() {
        let mut merged = Wanted::new(true);
        merged.add(b"/usr/lib/systemd/system/x.service");
        assert!(merged.find(b"/lib/systemd/system/x.service").is_some());
        assert!(merged.find(b"/usr/share/lib/systemd/system/x.service").is_none());
        let mut split = Wanted::new(false);
        split.add(b"/usr/bin/x");
        assert!(split.find(b"/bin/x").is_none());
        assert!(split.find(b"/usr/bin/x").is_some());
    }
}
