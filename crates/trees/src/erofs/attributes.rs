//! Extended attributes of an inode: of all there may be, only what makes a folder hide what lower layers have below it.

use crate::num::{le16, le32};

/// The attribute, without its prefix, and the numbers of the prefixes that it may have: `user.` and `trusted.`.
const OPAQUE: &[u8] = b"overlay.opaque";
const PREFIXES: [u8; 2] = [1, 4];
/// Bytes before the attributes that are in the inode itself: a filter of names, and how many are shared.
const HEADER: usize = 12;
/// Bytes of an attribute before its name.
const ENTRY: usize = 4;
/// Bytes that the attributes of one inode may have: 64 KiB.
pub(super) const LIMIT: u64 = 1 << 16;
/// Bytes of a shared attribute that are looked at.
pub(super) const SHARED: usize = ENTRY + 16 + 16;

/// The numbers of the attributes that an inode shares with others, each in steps of four bytes.
pub(super) fn shared(held: &[u8]) -> impl Iterator<Item = u32> + '_ {
    let count = usize::from(held.get(4).copied().unwrap_or_default());
    held.get(HEADER..).unwrap_or_default().chunks_exact(4).take(count).map(|id| le32(id, 0))
}

/// Whether one of the attributes in the inode itself makes a folder opaque.
pub(super) fn is_opaque(held: &[u8]) -> bool {
    let count = usize::from(held.get(4).copied().unwrap_or_default());
    let begin = HEADER.saturating_add(count.saturating_mul(4));
    let mut rest = held.get(begin..).unwrap_or_default();
    while rest.len() > ENTRY {
        if says_so(rest) {
            return true;
        }
        let (name, value) = (usize::from(rest[0]), usize::from(le16(rest, 2)));
        let long = ENTRY.saturating_add(name).saturating_add(value).next_multiple_of(4);
        rest = rest.get(long..).unwrap_or_default();
    }
    false
}

/// Whether an attribute is the one that makes a folder opaque.
pub(super) fn says_so(entry: &[u8]) -> bool {
    let prefix = entry.get(1).copied().unwrap_or_default();
    let end = ENTRY.saturating_add(OPAQUE.len());
    usize::from(entry.first().copied().unwrap_or_default()) == OPAQUE.len()
        && PREFIXES.contains(&prefix)
        && le16(entry, 2) == 1
        && entry.get(ENTRY..end) == Some(OPAQUE)
        && entry.get(end) == Some(&b'y')
}

#[cfg(test)]
mod tests {
    use super::*;

    fn attribute(prefix: u8, name: &[u8], value: &[u8]) -> Vec<u8> {
        let mut entry = vec![name.len() as u8, prefix, value.len() as u8, 0];
        entry.extend_from_slice(name);
        entry.extend_from_slice(value);
        entry.resize(entry.len().next_multiple_of(4), 0);
        entry
    }

    fn held(shared: &[u32], own: &[Vec<u8>]) -> Vec<u8> {
        let mut held = vec![0, 0, 0, 0, shared.len() as u8, 0, 0, 0, 0, 0, 0, 0];
        held.extend(shared.iter().flat_map(|id| id.to_le_bytes()));
        held.extend(own.iter().flatten());
        held
    }

    #[test]
    fn the_attribute_is_found_among_others_and_only_with_its_prefix_and_value() {
        let other = attribute(6, b"selinux", b"system_u:object_r:etc_t:s0\0");
        let opaque = attribute(4, OPAQUE, b"y");
        assert!(is_opaque(&held(&[], &[other.clone(), opaque.clone()])));
        assert!(is_opaque(&held(&[7, 9], std::slice::from_ref(&opaque))));
        assert!(!is_opaque(&held(&[7], std::slice::from_ref(&other))));
        for wrong in
            [attribute(6, OPAQUE, b"y"), attribute(4, OPAQUE, b"x"), attribute(4, b"overlay.opaqu", b"y")]
        {
            assert!(!is_opaque(&held(&[], &[wrong])));
        }
        let both = held(&[7, 9], &[]);
        assert_eq!(shared(&both).collect::<Vec<_>>(), [7, 9]);
        let all = held(&[1], &[other, opaque]);
        for end in 0..all.len() {
            _ = (is_opaque(&all[..end]), shared(&all[..end]).count());
        }
    }
}
