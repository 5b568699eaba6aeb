//! Extended attributes: only whether a folder hides what lower layers have in it.

use super::meta::{Place, Reader};
use super::{Shared, u16_at, u32_at, u64_at};
use std::io;

/// The name behind its prefix (`trusted.` or `user.`), as overlayfs writes it.
const OPAQUE: &[u8] = b"overlay.opaque";
/// No attributes at all.
const NONE: u32 = u32::MAX;
/// Attributes of one folder, and bytes of a name, that are believed.
const COUNT_LIMIT: u32 = 1000;
const NAME_LIMIT: u16 = 256;
const VALUE_LIMIT: u32 = 64 << 10;
/// The value lies elsewhere, and eight bytes say where.
const ELSEWHERE: u16 = 0x100;

/// Whether the attributes of that number make a folder opaque.
pub(super) fn is_opaque(shared: &Shared, number: u32) -> io::Result<bool> {
    if number == NONE || shared.attributes == u64::MAX {
        return Ok(false);
    }
    let head = shared.piece(shared.attributes, 16)?;
    let (table, count) = (u64_at(&head, 0), u32_at(&head, 8));
    if number >= count {
        return Ok(false);
    }
    // 512 entries of 16 bytes fill a block; pointers to the blocks follow the head.
    let pointer = shared.piece(shared.attributes + 16 + u64::from(number / 512) * 8, 8)?;
    let place = Place { block: 0, offset: (number % 512 * 16) as u16 };
    let entry = Reader::new(shared, u64_at(&pointer, 0), place)?.take(16)?;
    let (place, pairs) = (Place::new(u64_at(&entry, 0)), u32_at(&entry, 8));
    let mut reader = Reader::new(shared, table, place)?;
    for _ in 0..pairs.min(COUNT_LIMIT) {
        let key = reader.take(4)?;
        let (sort, length) = (u16_at(&key, 0), u16_at(&key, 2).min(NAME_LIMIT));
        let name = reader.take(usize::from(length))?;
        let size = u32_at(&reader.take(4)?, 0).min(VALUE_LIMIT);
        let value = reader.take(if sort & ELSEWHERE == 0 { size as usize } else { 8 })?;
        // A value that lies elsewhere is one that several folders share, and here only `y` has any use.
        if name == OPAQUE && (value == b"y" || sort & ELSEWHERE != 0) {
            return Ok(true);
        }
    }
    Ok(false)
}
