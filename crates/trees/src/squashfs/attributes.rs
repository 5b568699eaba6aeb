//! Extended attributes: only whether a folder hides what lower layers have in it.

use super::Shared;
use super::meta::{Place, Reader, offset_of, pointer_of};
use crate::num::{le16, le32, le64};
use std::io;

/// The name behind its prefix (`trusted.` or `user.`), as overlayfs writes it.
const OPAQUE: &[u8] = b"overlay.opaque";
/// No attributes at all.
const NONE: u32 = u32::MAX;
/// Attributes of one folder, and bytes of a name, that are believed.
const COUNT_LIMIT: u32 = 1000;
const NAME_LIMIT: u16 = 256;
const VALUE_LIMIT: u32 = 64 << 10;
/// The value is elsewhere, and eight bytes say where.
const ELSEWHERE: u16 = 0x100;

/// Whether the attributes of that number make a folder opaque.
pub(super) fn is_opaque(shared: &Shared, number: u32) -> io::Result<bool> {
    if number == NONE || shared.attributes == u64::MAX {
        return Ok(false);
    }
    let head = shared.piece(shared.attributes, 16)?;
    let (table, count) = (le64(&head, 0), le32(&head, 8));
    if number >= count {
        return Ok(false);
    }
    // 512 entries of 16 bytes fill a block; pointers to the blocks follow the head.
    let pointer = shared.piece(pointer_of(shared.attributes, number).saturating_add(16), 8)?;
    let place = Place { block: 0, offset: offset_of(number) };
    let entry = Reader::new(shared, le64(&pointer, 0), place)?.take(16)?;
    let (place, pairs) = (Place::new(le64(&entry, 0)), le32(&entry, 8));
    let mut reader = Reader::new(shared, table, place)?;
    for _ in 0..pairs.min(COUNT_LIMIT) {
        let key = reader.take(4)?;
        let (sort, length) = (le16(&key, 0), le16(&key, 2).min(NAME_LIMIT));
        let name = reader.take(usize::from(length))?;
        let size = le32(&reader.take(4)?, 0).min(VALUE_LIMIT);
        let value = reader.take(if sort & ELSEWHERE == 0 { size as usize } else { 8 })?;
        // A value that lies elsewhere is one that several folders share, and here only `y` has any use.
        if name == OPAQUE && (value == b"y" || sort & ELSEWHERE != 0) {
            return Ok(true);
        }
    }
    Ok(false)
}
