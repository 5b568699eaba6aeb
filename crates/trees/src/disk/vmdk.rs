//! VMDK images (Virtual Disk Format 5.0): sparse ones by their tables of grains, those made to be streamed with packed grains and a footer,
//! and those of several files by a description in text.

use super::table::{Pieces, Table, pieces};
use crate::bytes::{OnDisk, by_blocks, copy_from};
use crate::num::{le16, le32, le64};
use crate::{ReadAt, Window};
use std::fs::File;
use std::io::{self, ErrorKind, Read};
use std::path::Path;
use std::sync::Arc;

const SECTOR: u64 = 512;
/// Sectors that a disk may have: 64 TiB.
const SECTORS: u64 = 1 << 37;
/// Bytes of the directory of grains.
const DIRECTORY_LIMIT: u64 = 32 << 20;
/// Bytes of a description, and files that it may name.
const DESCRIPTION: usize = 64 << 10;
const FILES: usize = 1024;

fn damaged(why: &str) -> io::Error {
    io::Error::new(ErrorKind::InvalidData, format!("damaged VMDK: {why}"))
}

fn unsupported(why: &str) -> io::Error {
    io::Error::new(ErrorKind::Unsupported, why.to_owned())
}

/// Whether so begins a sparse image.
pub(crate) fn begins(head: &[u8]) -> bool {
    head.starts_with(b"KDMV")
}

/// Whether so begins the description of an image of several files.
pub(crate) fn begins_as_text(head: &[u8]) -> bool {
    head.starts_with(b"# Disk DescriptorFile")
}

/// A sparse image as the disk that the machine sees.
pub(crate) struct Vmdk {
    image: Box<dyn ReadAt>,
    length: u64,
    grain: u64,
    /// Grains that one table covers.
    grains: u64,
    directory: Table,
    tables: Pieces,
    unpacked: Option<Pieces>,
}

impl Vmdk {
    /// Opens a sparse image.
    ///
    /// # Errors
    /// When it is damaged, or holds only what differs from another image.
    pub(crate) fn open(image: Box<dyn ReadAt>) -> io::Result<Self> {
        const PACKED: u32 = 1 << 16;
        const AT_END: u64 = u64::MAX;
        let mut head = image.exactly(0, 512).map_err(|_| damaged("it is cut off"))?;
        let (text_at, text_sectors) = (le64(&head, 28), le64(&head, 36));
        if text_at > 0 {
            let length =
                usize::try_from(text_sectors.saturating_mul(SECTOR)).unwrap_or(usize::MAX).min(DESCRIPTION);
            let text = image.exactly(text_at.saturating_mul(SECTOR), length).unwrap_or_default();
            stands_alone(&String::from_utf8_lossy(&text))?;
        }
        if le64(&head, 56) == AT_END {
            let at = image.len().saturating_sub(1024);
            head = image.exactly(at, 512).map_err(|_| damaged("it is cut off"))?;
            if !begins(&head) {
                return Err(damaged("it is cut off: its footer is not at its end"));
            }
        }
        let (flags, sectors, grain) = (le32(&head, 8), le64(&head, 12), le64(&head, 20));
        let (grains, directory) = (u64::from(le32(&head, 44)), le64(&head, 56));
        if sectors > SECTORS
            || !grain.is_power_of_two()
            || !(8..=1 << 16).contains(&grain)
            || !(1..=1 << 16).contains(&grains)
        {
            return Err(damaged("its grains have a size that none may have"));
        }
        let (length, grain) = (sectors.saturating_mul(SECTOR), grain.saturating_mul(SECTOR));
        let entries = length.div_ceil(grain.saturating_mul(grains));
        if entries.saturating_mul(4) > DIRECTORY_LIMIT {
            return Err(damaged("its directory has a size that it can't have"));
        }
        let directory = Table::new(image.as_ref(), directory.saturating_mul(SECTOR), entries, 4)
            .map_err(|_| damaged("its directory is beyond its end"))?;
        let is_packed = flags & PACKED != 0;
        if is_packed && le16(&head, 77) != 1 {
            return Err(unsupported("is a VMDK disk packed in a way that is not known"));
        }
        Ok(Self {
            image,
            length,
            grain,
            grains,
            directory,
            tables: pieces(),
            unpacked: is_packed.then(pieces),
        })
    }

    /// The sector that a grain begins at; 0 where it was never written, 1 where it is zeros.
    fn sector(&self, number: u64) -> io::Result<u64> {
        let (first, second) = (
            number.checked_div(self.grains).unwrap_or_default(),
            number.checked_rem(self.grains).unwrap_or_default(),
        );
        let at =
            self.directory.entry(self.image.as_ref(), first)?.map_or(0, |entry| u64::from(le32(&entry, 0)));
        if at == 0 {
            return Ok(0);
        }
        let table = self.tables.get_or(at, || {
            let length = usize::try_from(self.grains.saturating_mul(4)).unwrap_or(usize::MAX);
            let table = self.image.exactly(at.saturating_mul(SECTOR), length);
            Ok(table.map_err(|_| damaged("a table is beyond its end"))?.into())
        })?;
        Ok(u64::from(le32(&table, usize::try_from(second.saturating_mul(4)).unwrap_or(usize::MAX))))
    }

    /// A packed grain, unpacked; what is missing at its end is zeros.
    fn grain(&self, kept: &Pieces, sector: u64) -> io::Result<Arc<[u8]>> {
        kept.get_or(sector, || {
            let at = sector.saturating_mul(SECTOR);
            let head = self.image.exactly(at, 12).map_err(|_| damaged("a grain is beyond its end"))?;
            let packed = u64::from(le32(&head, 8)).min(self.grain.saturating_mul(2));
            let packed =
                self.image.exactly(at.saturating_add(12), usize::try_from(packed).unwrap_or(usize::MAX))?;
            let mut grain = Vec::new();
            flate2::read::ZlibDecoder::new(&packed[..]).take(self.grain).read_to_end(&mut grain)?;
            grain.resize(usize::try_from(self.grain).unwrap_or_default(), 0);
            Ok(grain.into())
        })
    }
}

impl ReadAt for Vmdk {
    fn len(&self) -> u64 {
        self.length
    }

    fn read_at(&self, offset: u64, buffer: &mut [u8]) -> io::Result<usize> {
        by_blocks(offset, self.length, self.grain, buffer, |at, out| {
            let inside = at.checked_rem(self.grain).unwrap_or_default();
            match (self.sector(at.checked_div(self.grain).unwrap_or_default())?, &self.unpacked) {
                (0 | 1, _) => out.fill(0),
                (sector, Some(kept)) => {
                    let grain = self.grain(kept, sector)?;
                    copy_from(&grain, usize::try_from(inside).unwrap_or(usize::MAX), out)?;
                }
                (sector, None) => {
                    let read =
                        self.image.read_at(sector.saturating_mul(SECTOR).saturating_add(inside), out)?;
                    out[read..].fill(0);
                }
            }
            Ok(())
        })
    }
}

/// Whether a description is that of a whole disk.
fn stands_alone(text: &str) -> io::Result<()> {
    let parent =
        text.lines().find_map(|line| line.trim().strip_prefix("parentCID")?.trim().strip_prefix('='));
    match parent.map(str::trim) {
        None | Some("ffffffff") => Ok(()),
        Some(_) => Err(unsupported(
            "is only what differs from another image: flatten it with `qemu-img convert` first",
        )),
    }
}

/// A disk of several pieces, one behind the other.
struct Pieced {
    /// Where each begins.
    pieces: Vec<(u64, Box<dyn ReadAt>)>,
    length: u64,
}

/// Opens an image by its description, from the files beside it.
///
/// # Errors
/// When a file is not there, or is elsewhere.
pub(crate) fn open_described(text: &dyn ReadAt, beside: Option<&Path>) -> io::Result<Arc<dyn ReadAt>> {
    let length = usize::try_from(text.len()).unwrap_or(usize::MAX).min(DESCRIPTION);
    let text = String::from_utf8_lossy(&text.exactly(0, length)?).into_owned();
    stands_alone(&text)?;
    let Some(folder) = beside else {
        return Err(unsupported("is the description of a VMDK disk, whose files are not beside it"));
    };
    let mut disk = Pieced { pieces: Vec::new(), length: 0 };
    for line in text.lines() {
        let mut words = line.split_whitespace();
        let (Some("RW" | "RDONLY"), Some(sectors), Some(sort)) = (words.next(), words.next(), words.next())
        else {
            continue;
        };
        let bytes = sectors
            .parse::<u64>()
            .ok()
            .filter(|sectors| *sectors <= SECTORS)
            .unwrap_or_default()
            .saturating_mul(SECTOR);
        if disk.pieces.len() == FILES {
            return Err(damaged("its description names too many files"));
        }
        let (name, rest) =
            line.split_once('"').and_then(|(_, rest)| rest.split_once('"')).unwrap_or(("", ""));
        let piece: Box<dyn ReadAt> = match sort {
            "ZERO" => Box::new(Zeros(bytes)),
            "SPARSE" => Box::new(Vmdk::open(Box::new(neighbour(folder, name)?))?),
            "FLAT" | "VMFS" => {
                let begin = rest.trim().parse::<u64>().unwrap_or_default().saturating_mul(SECTOR);
                Box::new(Window::of(Box::new(neighbour(folder, name)?), begin, bytes)?)
            }
            _ => return Err(unsupported(&format!("has a part of the kind {sort}, which is not read"))),
        };
        disk.pieces.push((disk.length, piece));
        disk.length = disk.length.saturating_add(bytes);
    }
    match disk.pieces.is_empty() {
        true => Err(damaged("its description names no file")),
        false => Ok(Arc::new(disk)),
    }
}

/// A file beside an image, by its name alone: no path leads elsewhere.
pub(super) fn neighbour(folder: &Path, name: &str) -> io::Result<OnDisk> {
    let plain = !name.is_empty() && !name.contains('/') && name != ".." && name != ".";
    if !plain {
        return Err(unsupported(&format!("needs the file `{name}`, which does not lie beside it")));
    }
    let path = folder.join(name);
    let is_plain = path.symlink_metadata().is_ok_and(|found| found.is_file());
    let file = if is_plain { File::open(&path) } else { Err(ErrorKind::NotFound.into()) };
    OnDisk::new(file.map_err(|error| {
        io::Error::new(error.kind(), format!("needs the file `{name}` beside it: {error}"))
    })?)
}

/// Nothing but zeros.
struct Zeros(u64);

impl ReadAt for Zeros {
    fn len(&self) -> u64 {
        self.0
    }

    fn read_at(&self, offset: u64, buffer: &mut [u8]) -> io::Result<usize> {
        let there = usize::try_from(self.0.saturating_sub(offset)).unwrap_or(usize::MAX).min(buffer.len());
        buffer[..there].fill(0);
        Ok(there)
    }
}

impl ReadAt for Pieced {
    fn len(&self) -> u64 {
        self.length
    }

    fn read_at(&self, offset: u64, buffer: &mut [u8]) -> io::Result<usize> {
        let there =
            usize::try_from(self.length.saturating_sub(offset)).unwrap_or(usize::MAX).min(buffer.len());
        let mut done = 0_usize;
        while done < there {
            let at = offset.saturating_add(done as u64);
            let number = self.pieces.partition_point(|(begin, _)| *begin <= at);
            let Some((begin, piece)) = number.checked_sub(1).and_then(|number| self.pieces.get(number))
            else {
                break;
            };
            let end = self.pieces.get(number).map_or(self.length, |(next, _)| *next);
            let most =
                usize::try_from(end.saturating_sub(at)).unwrap_or(usize::MAX).min(there.saturating_sub(done));
            let out = &mut buffer[done..done.saturating_add(most)];
            let read = piece.read_at(at.saturating_sub(*begin), out)?;
            // A file that is shorter than its description says.
            out[read..].fill(0);
            done = done.saturating_add(most);
        }
        Ok(done)
    }
}
