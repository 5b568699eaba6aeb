//! `Packages.db`: rpm's own format, little-endian. Slots name where the blob of each package is, in blocks of 16 bytes.

use super::{BLOB_LIMIT, Visit};
use tally_trees::num::le32;
use tally_trees::{LIMITS, ReadAt};

const BLOCK: u64 = 16;
/// Slots of a page; the header takes the place of the first two.
const SLOTS: u32 = 256;

/// Calls `visit` with each blob, or with what is wrong with one.
pub(super) fn each(file: &dyn ReadAt, visit: &mut Visit<'_>) -> Result<(), String> {
    let head = file.exactly(0, 32).map_err(|_| "is too short to be an ndb database".to_owned())?;
    if !head.starts_with(b"RpmP") || le32(&head, 4) != 0 {
        return Err("is not an ndb database of version 0".to_owned());
    }
    let slots_end = u64::from(le32(&head, 12)).saturating_mul(u64::from(SLOTS)).saturating_mul(BLOCK);
    if slots_end > file.len().min(LIMITS.metadata_bytes) {
        return Err("says that it has more pages than its length allows".to_owned());
    }
    let slots = file
        .exactly(32, usize::try_from(slots_end.saturating_sub(32)).unwrap_or(usize::MAX))
        .map_err(|error| error.to_string())?;
    let mut places: Vec<(u64, u64, u32)> = slots
        .chunks_exact(16)
        .filter(|slot| slot.starts_with(b"Slot") && le32(slot, 8) != 0)
        .map(|slot| (u64::from(le32(slot, 8)), u64::from(le32(slot, 12)), le32(slot, 4)))
        .collect();
    places.sort_unstable();
    let mut free = 0;
    for (block, blocks, index) in places {
        // Blobs never share a block: an overlap is an attempt to be read over and over.
        if block < free {
            visit(Err(format!("package {index}: overlaps another one")));
            continue;
        }
        free = block.saturating_add(blocks);
        match blob(file, block, blocks, index) {
            Ok(bytes) => visit(Ok(&bytes[16..])),
            Err(why) => visit(Err(format!("package {index}: {why}"))),
        }
    }
    Ok(())
}

/// The head of a blob and what it holds.
fn blob(file: &dyn ReadAt, block: u64, blocks: u64, index: u32) -> Result<Vec<u8>, &'static str> {
    let size = blocks.saturating_mul(BLOCK);
    if !(28..=BLOB_LIMIT).contains(&size) {
        return Err("has an impossible length");
    }
    let mut bytes = file
        .exactly(block.saturating_mul(BLOCK), usize::try_from(size).map_err(|_| "has an impossible length")?)
        .map_err(|_| "is beyond the end of the file")?;
    let length = le32(&bytes, 12) as usize;
    let tail = bytes.len().saturating_sub(12);
    let end = length.saturating_add(16);
    if !bytes.starts_with(b"BlbS") || le32(&bytes, 4) != index || end > tail {
        return Err("does not begin as it should");
    }
    let (checked, last) = bytes.split_at(tail);
    if &last[8..] != b"BlbE" || le32(last, 4) as usize != length {
        return Err("does not end as it should");
    }
    if simd_adler32::adler32(&checked) != le32(last, 0) {
        return Err("is damaged: its checksum differs");
    }
    bytes.truncate(end);
    Ok(bytes)
}
