//! `Packages`: a Berkeley DB hash file. Every page is gone through, so no bucket needs to be found by arithmetic.

use super::{BLOB_LIMIT, Visit};
use tally_trees::ReadAt;
use tally_trees::num;

const MAGIC: u32 = 0x0006_1561;
/// Bytes of a page before its entries.
const PAGE_HEAD: usize = 26;
/// Bytes that the file may have: 4 GiB.
const FILE_LIMIT: u64 = 4 << 30;

/// A database whose head was read.
struct Hash<'f> {
    file: &'f dyn ReadAt,
    big_endian: bool,
    page_size: usize,
    pages: u32,
    /// Pages of long values that were read: no value shares one with another.
    used: Vec<bool>,
}

/// Calls `visit` with each blob, or with what is wrong with one.
pub(super) fn each(file: &dyn ReadAt, visit: &mut Visit<'_>) -> Result<(), String> {
    let head = file.exactly(0, 72).map_err(|_| "is too short to be a Berkeley DB file".to_owned())?;
    let big_endian = match (u32_at(&head, 12, false), u32_at(&head, 12, true)) {
        (MAGIC, _) => false,
        (_, MAGIC) => true,
        _ => return Err("is not a Berkeley DB hash file".to_owned()),
    };
    let page_size = u32_at(&head, 20, big_endian);
    if head[25] != 8 || !page_size.is_power_of_two() || !(512..=65_536).contains(&page_size) {
        return Err("is a kind of Berkeley DB hash file that is not supported".to_owned());
    }
    // Ten times the database of a large install.
    if file.len() > FILE_LIMIT {
        return Err(format!("is larger than {FILE_LIMIT} bytes"));
    }
    let pages = file.len().checked_div(u64::from(page_size)).and_then(|pages| u32::try_from(pages).ok());
    let pages = pages.unwrap_or_default();
    let page_size = page_size as usize;
    let mut hash = Hash { file, big_endian, page_size, pages, used: vec![false; pages as usize] };
    let mut page = vec![0; page_size];
    for number in 1..pages {
        if hash.load(number, &mut page).is_err() {
            break;
        }
        if matches!(page[25], 2 | 13) {
            hash.entries(&page, number, visit);
        }
    }
    if u64::from(pages).saturating_mul(page_size as u64) == file.len() {
        Ok(())
    } else {
        Err("is cut off inside a page".to_owned())
    }
}

impl Hash<'_> {
    fn load(&self, number: u32, page: &mut [u8]) -> Result<(), &'static str> {
        match self.file.read_at(u64::from(number).saturating_mul(self.page_size as u64), page) {
            Ok(read) if read == self.page_size => Ok(()),
            _ => Err("is beyond the end of the file"),
        }
    }

    /// Keys and values in turn. An item ends where the one before it begins, the first one at the end of the page.
    fn entries(&mut self, page: &[u8], number: u32, visit: &mut Visit<'_>) {
        let count = usize::from(u16_at(page, 20, self.big_endian));
        let big_endian = self.big_endian;
        let place = |at: usize| at.saturating_mul(2).saturating_add(PAGE_HEAD);
        let offset = |at: usize| usize::from(u16_at(page, place(at), big_endian));
        if place(count) > page.len() {
            return visit(Err(format!("page {number}: says that it has {count} entries")));
        }
        let item = |at: usize| {
            let end = at.checked_sub(1).map_or(page.len(), offset);
            page.get(offset(at)..end).unwrap_or_default()
        };
        for at in (0..count.saturating_sub(1)).step_by(2) {
            // The entry under key 0 counts packages, and is none.
            if matches!(item(at), [1, 0, 0, 0, 0]) {
                continue;
            }
            match item(at.saturating_add(1)) {
                [1, blob @ ..] => visit(Ok(blob)),
                value @ [3, ..] if value.len() >= 12 => {
                    let first = u32_at(value, 4, self.big_endian);
                    let length = u32_at(value, 8, self.big_endian);
                    match self.long_value(first, length) {
                        Ok(blob) => visit(Ok(&blob)),
                        Err(why) => visit(Err(format!("page {first}: {why}"))),
                    }
                }
                _ => visit(Err(format!("page {number}: contains an invalid entry"))),
            }
        }
    }

    /// A value that is in a chain of pages of its own.
    fn long_value(&mut self, first: u32, length: u32) -> Result<Vec<u8>, &'static str> {
        if u64::from(length) > BLOB_LIMIT.min(self.file.len()) {
            return Err("begins a value longer than the file");
        }
        let mut blob = Vec::new();
        let mut page = vec![0; self.page_size];
        let mut number = first;
        while blob.len() < length as usize {
            match self.used.get_mut(number as usize) {
                Some(used) if !*used && number != 0 && number < self.pages => *used = true,
                _ => return Err("belongs to a broken or circular chain"),
            }
            self.load(number, &mut page)?;
            let bytes = usize::from(u16_at(&page, 22, self.big_endian));
            let piece = page.get(PAGE_HEAD..).and_then(|rest| rest.get(..bytes)).unwrap_or_default();
            if page[25] != 7 || piece.is_empty() {
                return Err("belongs to a chain with a foreign page");
            }
            let wanted = (length as usize).saturating_sub(blob.len()).min(bytes);
            blob.extend_from_slice(&piece[..wanted]);
            number = u32_at(&page, 16, self.big_endian);
        }
        Ok(blob)
    }
}

fn u32_at(bytes: &[u8], at: usize, big_endian: bool) -> u32 {
    if big_endian { num::be32(bytes, at) } else { num::le32(bytes, at) }
}

fn u16_at(bytes: &[u8], at: usize, big_endian: bool) -> u16 {
    if big_endian { num::be16(bytes, at) } else { num::le16(bytes, at) }
}
