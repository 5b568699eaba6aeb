//! Compiled databases of dconf (`/etc/dconf/db/NAME`): a hash table as GLib lays it out (GVDB), with values as GVariant.
//!
//! The header names the place of the table; the table has a Bloom filter, buckets, and items of 24 bytes, each with the item whose
//! key its own key goes on from. The hashes are for looking one key up; all are read here.

use crate::gvariant::Variant;
use std::collections::{BTreeMap, BTreeSet};
use tally_core::model::Text;
use tally_trees::LIMITS;
use tally_trees::num::{le16, le32};

/// How a database begins on a machine that puts the lowest byte first, and on one that does not.
const MAGIC: (&[u8], &[u8]) = (b"GVariant", b"raVGtnai");

/// The item that holds the table of locks.
const LOCKS: &str = ".locks";

/// Bytes of an item.
const ITEM: usize = 24;

/// Folders inside each other that a key may have.
const DEEPEST: usize = 64;

/// Bytes of all keys and values that are kept of a database: 64 MiB.
const KEPT: usize = 64 << 20;

/// Values by folder (`org/gnome/desktop/interface`) and key, as key files have them.
#[derive(Debug, Default)]
pub(super) struct Database {
    values: BTreeMap<String, BTreeMap<String, Text>>,
    /// Whole paths of keys that users can't change.
    locks: BTreeSet<String>,
}

impl Database {
    /// Reads a database.
    ///
    /// # Errors
    /// Why it is none, or where it breaks off: nothing of it counts then, as for dconf itself.
    pub(super) fn read(bytes: &[u8]) -> Result<Self, &'static str> {
        if bytes.starts_with(MAGIC.1) {
            return Err("is a database of a machine that puts the highest byte first");
        }
        if !bytes.starts_with(MAGIC.0) {
            return Err("is no dconf database");
        }
        let table = span(bytes, bytes, 16).ok_or("breaks off before its table")?;
        let items = items(table).ok_or("has a table that breaks off")?;
        let (mut values, mut locks, mut kept) =
            (BTreeMap::<String, BTreeMap<String, Text>>::new(), BTreeSet::new(), 0);
        for item in &items {
            let key = key(bytes, &items, item);
            if item[14] == b'H' && key.as_deref() == Some(LOCKS) {
                let table = span(bytes, item, 16).ok_or("has locks behind its end")?;
                let inner = self::items(table).ok_or("has locks that break off")?;
                for path in inner.iter().filter_map(|one| self::key(bytes, &inner, one)) {
                    kept += path.len();
                    if kept > KEPT {
                        return Err(TOO_MUCH);
                    }
                    if path.starts_with('/') && !path.ends_with('/') {
                        locks.insert(path);
                    }
                }
            }
            if item[14] != b'v' {
                continue;
            }
            let key = key.ok_or("has a key that leads nowhere")?;
            let value = span(bytes, item, 16).ok_or("has a value behind its end")?;
            let Some((folder, name)) = key.trim_start_matches('/').rsplit_once('/') else { continue };
            if let Some(value) = Variant::new(b"v", value).inner().and_then(Variant::printed) {
                kept += key.len() + value.len();
                if kept > KEPT {
                    return Err(TOO_MUCH);
                }
                values.entry(folder.to_owned()).or_default().insert(name.to_owned(), value.into());
            }
        }
        Ok(Self { values, locks })
    }

    /// Whether users can't change the key of a path (`/org/gnome/desktop/interface/gtk-theme`).
    pub(super) fn locks(&self, path: &str) -> bool {
        self.locks.contains(path)
    }

    /// All folders and keys.
    pub(super) fn keys(&self) -> impl Iterator<Item = (String, String)> + '_ {
        self.values.iter().flat_map(|(folder, keys)| keys.keys().map(|key| (folder.clone(), key.clone())))
    }

    /// The value of a key, as a key file writes it.
    pub(super) fn get(&self, folder: &str, key: &str) -> Option<&Text> {
        self.values.get(folder)?.get(key)
    }
}

/// Why a database with more than is kept is not read.
const TOO_MUCH: &str = "exceeds 64 MiB";

/// The items of a table, behind its filter and its buckets.
fn items(table: &[u8]) -> Option<Vec<&[u8]>> {
    if table.len() < 8 {
        return None;
    }
    // The upper five bits say how the filter is asked.
    let filter = (le32(table, 0) & 0x07ff_ffff) as usize;
    let buckets = le32(table, 4) as usize;
    let start = filter.checked_add(buckets)?.checked_mul(4)?.checked_add(8)?;
    Some(table.get(start..)?.chunks_exact(ITEM).collect())
}

/// The bytes of the database whose start and end are given at a place of a record.
fn span<'a>(bytes: &'a [u8], record: &[u8], at: usize) -> Option<&'a [u8]> {
    bytes.get(le32(record, at) as usize..le32(record, at + 4) as usize)
}

/// The whole key of an item: those of the items that it goes on from, and its own.
fn key(bytes: &[u8], items: &[&[u8]], item: &[u8]) -> Option<String> {
    let mut parts = Vec::new();
    let mut length = 0;
    let mut next = Some(item);
    while let Some(item) = next {
        if parts.len() == DEEPEST {
            return None;
        }
        let start = le32(item, 8) as usize;
        let name = bytes.get(start..start.checked_add(le16(item, 12) as usize)?)?;
        length += name.len();
        if length > LIMITS.path_bytes {
            return None;
        }
        parts.push(std::str::from_utf8(name).ok()?);
        next = match le32(item, 4) {
            u32::MAX => None,
            parent => Some(*items.get(parent as usize)?),
        };
    }
    parts.reverse();
    Some(parts.concat())
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// Made by `dconf compile` of dconf 0.40.
    const COMPILED: &[u8] = include_bytes!("../../tests/data/dconf-database");

    #[test]
    fn what_dconf_compiled_is_read_as_it_was_written() {
        let database = Database::read(COMPILED).unwrap();
        let get = |folder: &str, key: &str| database.get(folder, key).map(Text::as_str);
        let interface = "org/gnome/desktop/interface";
        assert_eq!(get(interface, "gtk-theme"), Some("'Marsh-Dark'"));
        assert_eq!(get(interface, "enable-animations"), Some("false"));
        assert_eq!(get(interface, "text-scaling-factor"), Some("1.25"));
        assert_eq!(get(interface, "cursor-size"), Some("32"));
        assert_eq!(get("org/gnome/shell", "favorite-apps"), Some("['inkcap.desktop', 'curlew.desktop']"));
        assert_eq!(get("org/gnome/shell", "tuple"), Some("(1, 'a')"));
        assert_eq!(get("org/gnome", "shell"), None);
    }

    #[test]
    fn one_that_is_cut_or_foreign_says_so() {
        assert_eq!(Database::read(b"").unwrap_err(), "is no dconf database");
        assert_eq!(Database::read(&COMPILED[..20]).unwrap_err(), "breaks off before its table");
        assert!(Database::read(&COMPILED[..COMPILED.len() - 40]).is_err());
        assert!(Database::read(b"raVGtnai").unwrap_err().contains("highest byte first"));
    }

    proptest! {
        #[test]
        fn any_damage_ends(changes in prop::collection::vec((0..COMPILED.len(), any::<u8>()), 1..12), cut in 0..COMPILED.len()) {
            let mut bytes = COMPILED.to_vec();
            changes.into_iter().for_each(|(at, byte)| bytes[at] = byte);
            let _ = Database::read(&bytes);
            let _ = Database::read(&bytes[..cut]);
        }
    }
}
