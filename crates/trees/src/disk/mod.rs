//! Disks: their partitions, and the formats in which virtual machines keep them.

pub(crate) mod lvm;
mod qcow2;
#[cfg(test)]
mod samples;
mod table;
mod vdi;
pub(crate) mod vhd;
pub(crate) mod vhdx;
pub(crate) mod vmdk;

pub(crate) use qcow2::{Qcow2, begins as begins_qcow2};
pub(crate) use vdi::{Vdi, begins as begins_vdi};

use crate::num::{le32, le64};
use crate::{ReadAt, Window};
use std::io;
use std::sync::Arc;

const SECTOR: u64 = 512;
/// Partitions that a table may have.
const PARTITION_LIMIT: usize = 256;

/// A place on a disk, in bytes, and what the table calls it.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(crate) struct Partition {
    pub(crate) start: u64,
    pub(crate) length: u64,
    /// As Linux counts: by the place in the table; from 5 those of an extended partition.
    pub(crate) number: u32,
    /// As `PARTUUID` has it: a GUID, or the number of the disk and that of the partition; hexadecimal digits, lower case.
    pub(crate) uuid: String,
    /// As `PARTLABEL` has it; MBR has none.
    pub(crate) label: String,
}

impl Partition {
    /// Its bytes.
    pub(crate) fn of(&self, disk: &Arc<dyn ReadAt>) -> io::Result<Window> {
        Window::of(Box::new(Arc::clone(disk)), self.start, self.length)
    }
}

/// The partitions of a disk, by GPT (UEFI 2.10, chapter 5) or MBR; none where there is no table.
pub(crate) fn partitions(disk: &dyn ReadAt) -> Vec<Partition> {
    let Ok(head) = disk.exactly(0, 512) else { return Vec::new() };
    for sector in [512, 4096] {
        if disk.exactly(sector, 92).is_ok_and(|table| table.starts_with(b"EFI PART")) {
            return gpt(disk, sector);
        }
    }
    if head[510..] != [0x55, 0xaa] {
        return Vec::new();
    }
    let mut found = Vec::new();
    mbr(disk, &head, 0, &mut found);
    found.truncate(PARTITION_LIMIT);
    found
}

fn gpt(disk: &dyn ReadAt, sector: u64) -> Vec<Partition> {
    let Ok(table) = disk.exactly(sector, 92) else { return Vec::new() };
    let (first, count, size) = (le64(&table, 72), le32(&table, 80), le32(&table, 84));
    if !(128..=4096).contains(&size) {
        return Vec::new();
    }
    let mut found = Vec::new();
    for number in 0..count.min(PARTITION_LIMIT as u32) {
        let at = first.saturating_mul(sector).saturating_add(u64::from(number).saturating_mul(size.into()));
        let Ok(entry) = disk.exactly(at, 128) else { break };
        let (begin, end) = (le64(&entry, 32), le64(&entry, 40));
        if entry[..16] != [0; 16] && begin <= end {
            let length = end.saturating_sub(begin).saturating_add(1).saturating_mul(sector);
            found.push(Partition {
                start: begin.saturating_mul(sector),
                length,
                number: number.saturating_add(1),
                uuid: guid(&entry[16..32]),
                label: label(&entry[56..128]),
            });
        }
    }
    found
}

/// A GUID as text: its first three groups are numbers with the lowest byte first.
fn guid(bytes: &[u8]) -> String {
    const ORDER: [usize; 16] = [3, 2, 1, 0, 5, 4, 7, 6, 8, 9, 10, 11, 12, 13, 14, 15];
    let mut text = String::with_capacity(36);
    for (place, at) in ORDER.into_iter().enumerate() {
        if matches!(place, 4 | 6 | 8 | 10) {
            text.push('-');
        }
        text.push_str(&format!("{:02x}", bytes.get(at).copied().unwrap_or_default()));
    }
    text
}

/// UTF-16LE up to the first zero.
fn label(bytes: &[u8]) -> String {
    let units = bytes.chunks_exact(2).map(|two| u16::from_le_bytes([two[0], two[1]]));
    let units: Vec<u16> = units.take_while(|unit| *unit != 0).collect();
    String::from_utf16_lossy(&units)
}

/// The four entries of a table; an extended partition holds a chain of further tables.
fn mbr(disk: &dyn ReadAt, table: &[u8], base: u64, found: &mut Vec<Partition>) {
    let mut waiting: Vec<(u64, u64)> = Vec::new();
    let entries = |table: &[u8]| -> Vec<(u32, u8, u64, u64)> {
        let one = |(slot, entry): (u32, &[u8])| {
            (slot, entry[4], u64::from(le32(entry, 8)), u64::from(le32(entry, 12)))
        };
        (1..)
            .zip(table[446..510].chunks_exact(16))
            .map(one)
            .filter(|(_, sort, _, length)| *sort != 0 && *length != 0)
            .collect()
    };
    let disk_number = le32(table, 440);
    let partition = |number: u32, start: u64, length: u64| Partition {
        start: start.saturating_mul(SECTOR),
        length: length.saturating_mul(SECTOR),
        number,
        uuid: format!("{disk_number:08x}-{number:02x}"),
        label: String::new(),
    };
    const EXTENDED: [u8; 3] = [0x05, 0x0f, 0x85];
    for (slot, sort, start, length) in entries(table) {
        if EXTENDED.contains(&sort) {
            waiting.push((base.saturating_add(start), base.saturating_add(start)));
        } else {
            found.push(partition(slot, base.saturating_add(start), length));
        }
    }
    let mut numbers = 5..;
    for _ in 0..PARTITION_LIMIT {
        let Some((at, extended)) = waiting.pop() else { break };
        let Ok(table) = disk.exactly(at.saturating_mul(SECTOR), 512) else { continue };
        for (_, sort, start, length) in entries(&table) {
            if EXTENDED.contains(&sort) {
                waiting.push((extended.saturating_add(start), extended));
            } else {
                let number = numbers.next().unwrap_or_default();
                found.push(partition(number, at.saturating_add(start), length));
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn table(entries: &[(u8, u32, u32)]) -> Vec<u8> {
        let mut sector = vec![0; 512];
        for (at, (sort, start, length)) in entries.iter().enumerate() {
            let entry = &mut sector[446 + at * 16..446 + at * 16 + 16];
            entry[4] = *sort;
            entry[8..12].copy_from_slice(&start.to_le_bytes());
            entry[12..16].copy_from_slice(&length.to_le_bytes());
        }
        sector[440..444].copy_from_slice(&0x2b1c_0d5e_u32.to_le_bytes());
        sector[510..].copy_from_slice(&[0x55, 0xaa]);
        sector
    }

    #[test]
    fn a_chain_of_extended_partitions_is_followed_and_ends() {
        let mut disk = vec![0_u8; 512 * 64];
        disk[..512].copy_from_slice(&table(&[(0x83, 2, 4), (0x05, 16, 40)]));
        disk[16 * 512..17 * 512].copy_from_slice(&table(&[(0x83, 1, 3), (0x05, 10, 10)]));
        // The last one leads back to the first.
        disk[26 * 512..27 * 512].copy_from_slice(&table(&[(0x82, 1, 5), (0x05, 0, 10)]));
        let disk: Arc<[u8]> = disk.into();
        let found = partitions(&disk);
        let told: Vec<_> = found.iter().map(|p| (p.start, p.length, p.number, p.uuid.as_str())).collect();
        assert_eq!(
            told[..3],
            [
                (1024, 2048, 1, "2b1c0d5e-01"),
                (17 * 512, 3 * 512, 5, "2b1c0d5e-05"),
                (27 * 512, 5 * 512, 6, "2b1c0d5e-06"),
            ]
        );
        assert!(found.len() <= PARTITION_LIMIT);
    }

    /// As `partx` tells of the same image.
    #[test]
    fn partitions_of_gpt_have_guids_and_labels() {
        let image = include_bytes!("../../tests/fixtures/images/mounts.img.zst").to_vec();
        let disk: Arc<[u8]> = crate::unpack_file(image, 64 << 20).unwrap().into();
        let told: Vec<_> = partitions(&disk).into_iter().map(|p| (p.number, p.start / 512, p.uuid)).collect();
        let expected = [
            (1, 2048, "55430380-d685-4147-8862-9cb724c820dd"),
            (2, 4096, "c7b81812-1cbd-9d44-a0c6-f80cf901b8ce"),
            (3, 6144, "9a6d481a-9e76-5d4e-aa2a-2cbc06e296cd"),
        ];
        assert_eq!(told, expected.map(|(number, start, uuid)| (number, start, uuid.to_owned())));
        let name: Vec<u8> = "märz\0x".encode_utf16().flat_map(u16::to_le_bytes).collect();
        assert_eq!(label(&name), "märz");
    }

    proptest! {
        #[test]
        fn any_bytes_are_a_disk(bytes in prop::collection::vec(any::<u8>(), 0..2000), gpt: bool) {
            let mut bytes = bytes;
            if gpt && bytes.len() > 700 {
                bytes[512..520].copy_from_slice(b"EFI PART");
            }
            let disk: Arc<[u8]> = bytes.into();
            partitions(&disk);
        }
    }
}
