//! A package's header: an index of tags, and the data they point into.

use std::ops::Range;

/// Tags that are read.
pub(super) mod tag {
    pub(crate) const NAME: u32 = 1000;
    pub(crate) const VERSION: u32 = 1001;
    pub(crate) const RELEASE: u32 = 1002;
    pub(crate) const EPOCH: u32 = 1003;
    pub(crate) const SUMMARY: u32 = 1004;
    pub(crate) const BUILD_TIME: u32 = 1006;
    pub(crate) const INSTALL_TIME: u32 = 1008;
    pub(crate) const SIZE: u32 = 1009;
    pub(crate) const LICENSE: u32 = 1014;
    pub(crate) const GROUP: u32 = 1016;
    pub(crate) const URL: u32 = 1020;
    pub(crate) const ARCH: u32 = 1022;
    pub(crate) const OLD_FILE_NAMES: u32 = 1027;
    pub(crate) const FILE_MODES: u32 = 1030;
    pub(crate) const SOURCE_RPM: u32 = 1044;
    pub(crate) const FOLDER_OF_FILE: u32 = 1116;
    pub(crate) const FILE_NAMES: u32 = 1117;
    pub(crate) const FOLDERS: u32 = 1118;
    pub(crate) const LONG_SIZE: u32 = 5009;
    /// Names, flags, versions of each relation.
    pub(crate) const PROVIDES: [u32; 3] = [1047, 1112, 1113];
    pub(crate) const REQUIRES: [u32; 3] = [1049, 1048, 1050];
    pub(crate) const CONFLICTS: [u32; 3] = [1054, 1053, 1055];
    pub(crate) const OBSOLETES: [u32; 3] = [1090, 1114, 1115];
    pub(crate) const RECOMMENDS: [u32; 3] = [5046, 5048, 5047];
    pub(crate) const SUGGESTS: [u32; 3] = [5049, 5051, 5050];
}

/// Bytes of an entry of the index.
const ENTRY: usize = 16;

/// A header, checked as a whole: what its index says is inside it.
#[derive(Debug, Clone, Copy)]
pub(super) struct Header<'a> {
    index: &'a [u8],
    data: &'a [u8],
}

/// One tag: type, offset and count.
#[derive(Debug, Clone, Copy)]
struct Entry {
    sort: u32,
    offset: usize,
    count: usize,
}

impl<'a> Header<'a> {
    /// Takes a blob apart: the number of entries, the length of the data, the index, the data, and nothing more.
    pub(super) fn parse(blob: &'a [u8]) -> Result<Self, &'static str> {
        let (entries, length) = match (number(blob, 0..4), number(blob, 4..8)) {
            (Some(entries), Some(length)) => (entries as usize, length as usize),
            _ => return Err("is too short to be a package header"),
        };
        let index_end = entries.checked_mul(ENTRY).and_then(|bytes| bytes.checked_add(8));
        let end = index_end.and_then(|end| end.checked_add(length));
        match (index_end, end) {
            (Some(index_end), Some(end)) if end == blob.len() => {
                Ok(Self { index: &blob[8..index_end], data: &blob[index_end..] })
            }
            _ => Err("says a length that it does not have"),
        }
    }

    /// The entry of a tag. What is added at installation is behind the rest in no order, so nothing is sorted here.
    fn entry(&self, tag: u32) -> Option<Entry> {
        let found = self.index.chunks_exact(ENTRY).find(|entry| number(entry, 0..4) == Some(tag))?;
        Some(Entry {
            sort: number(found, 4..8)?,
            offset: number(found, 8..12)? as usize,
            count: number(found, 12..16)? as usize,
        })
    }

    /// The strings of a tag; fewer than its count says where the data ends before.
    pub(super) fn strings(&self, tag: u32) -> impl Iterator<Item = &'a [u8]> + use<'a> {
        let entry = self.entry(tag).filter(|entry| matches!(entry.sort, 6 | 8 | 9));
        let mut rest = entry.and_then(|entry| self.data.get(entry.offset..)).unwrap_or_default();
        let count = entry.map_or(0, |entry| if entry.sort == 6 { 1 } else { entry.count });
        (0..count).map_while(move |_| {
            let end = memchr::memchr(0, rest)?;
            let (string, after) = rest.split_at(end);
            rest = &after[1..];
            Some(string)
        })
    }

    /// The first string of a tag: the text itself, or the one for no language.
    pub(super) fn string(&self, tag: u32) -> Option<&'a [u8]> {
        self.strings(tag).next()
    }

    /// The numbers of a tag, whatever their width.
    pub(super) fn numbers(&self, tag: u32) -> impl Iterator<Item = u64> + use<'a> {
        let entry = self.entry(tag);
        let width = entry.map_or(0, |entry| match entry.sort {
            1 | 2 => 1,
            3 => 2,
            4 => 4,
            5 => 8,
            _ => 0,
        });
        let bytes = entry.and_then(|entry| self.data.get(entry.offset..)).unwrap_or_default();
        let count = entry.map_or(0, |entry| entry.count);
        // A width of nothing is a tag that holds no numbers.
        bytes
            .chunks_exact(width.max(1))
            .take(if width == 0 { 0 } else { count })
            .map(|bytes| bytes.iter().fold(0, |number, byte| number << 8 | u64::from(*byte)))
    }

    /// The first number of a tag.
    pub(super) fn number(&self, tag: u32) -> Option<u64> {
        self.numbers(tag).next()
    }
}

fn number(bytes: &[u8], range: Range<usize>) -> Option<u32> {
    bytes.get(range)?.try_into().ok().map(u32::from_be_bytes)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// A header with one string and two 16-bit numbers.
    fn blob() -> Vec<u8> {
        let mut blob = Vec::new();
        for word in [2_u32, 11, tag::NAME, 6, 0, 1, tag::FILE_MODES, 3, 7, 2] {
            blob.extend_from_slice(&word.to_be_bytes());
        }
        blob.extend_from_slice(b"inkcap\0\x81\xa4\x41\xed");
        blob
    }

    #[test]
    fn strings_and_numbers_of_tags() {
        let blob = blob();
        let header = Header::parse(&blob).unwrap();
        assert_eq!(header.string(tag::NAME), Some(&b"inkcap"[..]));
        assert_eq!(header.numbers(tag::FILE_MODES).collect::<Vec<_>>(), [0o100_644, 0o40_755]);
        assert_eq!(header.number(tag::EPOCH), None, "absent is not 0");
        assert_eq!(header.numbers(tag::NAME).count(), 0, "a text holds no numbers");
        assert!(Header::parse(&blob[..blob.len() - 1]).is_err());
    }

    proptest! {
        #[test]
        fn any_bytes_are_read_or_refused(bytes in prop::collection::vec(any::<u8>(), 0..200), entries in 0_u32..9, at in 0..40_usize, value: u8) {
            let mut wild = blob();
            wild[at] = value;
            for mut blob in [bytes, wild] {
                if blob.len() > 8 {
                    let length = (blob.len() - 8).saturating_sub(entries as usize * ENTRY) as u32;
                    blob[..4].copy_from_slice(&entries.to_be_bytes());
                    blob[4..8].copy_from_slice(&length.to_be_bytes());
                }
                if let Ok(header) = Header::parse(&blob) {
                    for tag in [tag::NAME, tag::FILE_MODES, tag::FOLDERS] {
                        prop_assert!(header.strings(tag).map(<[u8]>::len).sum::<usize>() <= blob.len());
                        prop_assert!(header.numbers(tag).count() <= blob.len());
                    }
                }
            }
        }
    }
}
