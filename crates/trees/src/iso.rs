//! ISO 9660 images (ECMA-119), with the names of Rock Ridge (SUSP and RRIP 1.12) or Joliet.

use crate::bytes::cut_off;
use crate::listed::{Listed, Stamp};
use crate::num::le32;
use crate::zisofs::{Stated, Zisofs};
use crate::{LIMITS, ReadAt, Tree, Window};
use std::collections::HashSet;
use std::ffi::OsString;
use std::io;
use std::os::unix::ffi::OsStringExt;
use std::path::{Path, PathBuf};
use std::sync::Arc;

const SECTOR: u64 = 2048;
/// Bytes of what Rock Ridge writes of one entry outside its record: 64 KiB. A name and the target of a link have room in a twentieth.
const CONTINUED: usize = 64 << 10;

fn damaged(why: &str) -> io::Error {
    io::Error::new(io::ErrorKind::InvalidData, format!("damaged ISO 9660: {why}"))
}

/// Whether so begins an image: its first 34 KiB.
pub(crate) fn begins(head: &[u8]) -> bool {
    head.get(0x8001..0x8006) == Some(b"CD001")
}

/// Which names are read.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Names {
    Plain,
    RockRidge { skip: usize },
    Joliet,
}

struct Reader {
    image: Arc<dyn ReadAt>,
    names: Names,
    seen: HashSet<u64>,
    listed: Listed,
    /// Bytes of listings that may still be read.
    left: u64,
}

/// The tree in an ISO 9660 image, with the names of Rock Ridge or Joliet where it has them. Files are read when they are asked for.
///
/// # Errors
/// When it is none, or its folders are damaged.
pub fn iso(image: Arc<dyn ReadAt>) -> io::Result<Box<dyn Tree>> {
    Ok(Box::new(open(image)?.0))
}

/// The name of the volume, as its first descriptor has it; `head` has the first 34 KiB.
pub(crate) fn volume_name(head: &[u8]) -> String {
    let name = head.get(0x8028..0x8048).unwrap_or_default();
    String::from_utf8_lossy(name).trim_end_matches([' ', '\0']).to_owned()
}

/// Reads all folders of an image; files are read when they are asked for.
/// The second value says what is missing of an image that is shorter than it says.
pub(crate) fn open(image: Arc<dyn ReadAt>) -> io::Result<(Listed, Option<String>)> {
    let (primary, joliet) = descriptors(image.as_ref())?;
    let joliet = joliet.as_deref();
    let stated = sectors(le32(&primary, 80));
    let cut = cut_off(image.len(), stated);
    let root = record(&primary[156..190]).ok_or_else(|| damaged("it has no root"))?;
    let rock_ridge = rock_ridge(image.as_ref(), &root);
    let (names, root) = match (rock_ridge, joliet) {
        (Some(skip), _) => (Names::RockRidge { skip }, root),
        (None, Some(joliet)) => {
            (Names::Joliet, record(&joliet[156..190]).ok_or_else(|| damaged("it has no root"))?)
        }
        (None, None) => (Names::Plain, root),
    };
    let left = LIMITS.metadata_bytes;
    let mut reader = Reader { image, names, seen: HashSet::new(), listed: Listed::default(), left };
    let mut waiting = vec![(PathBuf::new(), root.start, root.length)];
    while let Some((path, start, length)) = waiting.pop() {
        reader.folder(&path, start, length, &mut waiting)?;
    }
    let left_out = reader.listed.left_out();
    Ok((reader.listed, cut.or(left_out)))
}

/// The place of a sector in bytes.
fn sectors(count: u32) -> u64 {
    u64::from(count).saturating_mul(SECTOR)
}

/// The primary descriptor, and the one with Joliet's names.
fn descriptors(image: &dyn ReadAt) -> io::Result<(Vec<u8>, Option<Vec<u8>>)> {
    let (mut primary, mut joliet) = (None, None);
    for sector in 16..64 {
        let block =
            image.exactly(sectors(sector), 2048).map_err(|_| damaged("its descriptors are cut off"))?;
        if &block[1..6] != b"CD001" {
            break;
        }
        match block[0] {
            1 if primary.is_none() => primary = Some(block),
            // Escape sequences of UCS-2, levels 1 to 3.
            2 if [b"%/@", b"%/C", b"%/E"].iter().any(|escape| &block[88..91] == *escape) => {
                joliet = Some(block);
            }
            255 => break,
            _ => {}
        }
    }
    Ok((primary.ok_or_else(|| damaged("it has no primary descriptor"))?, joliet))
}

/// A record of a folder.
struct Record<'a> {
    start: u64,
    length: u64,
    flags: u8,
    changed_at: i64,
    name: &'a [u8],
    /// What Rock Ridge writes behind the name.
    more: &'a [u8],
}

const IS_FOLDER: u8 = 2;
const GOES_ON: u8 = 128;

fn record(bytes: &[u8]) -> Option<Record<'_>> {
    let name_length = usize::from(*bytes.get(32)?);
    let (name, more) = bytes.get(33..)?.split_at_checked(name_length)?;
    // A byte is added where it takes one to make the length even.
    let more = more.get(usize::from(name_length.is_multiple_of(2))..).unwrap_or_default();
    Some(Record {
        start: sectors(le32(bytes, 2)),
        length: u64::from(le32(bytes, 10)),
        flags: *bytes.get(25)?,
        changed_at: moment(bytes.get(18..25)?),
        name,
        more,
    })
}

/// Seconds since 1970 UTC of a record's seven bytes (ECMA-119, 9.1.5): years since 1900, month, day, hour, minute, second, quarters of
/// an hour from UTC. 0 where they are no date.
fn moment(bytes: &[u8]) -> i64 {
    let [year, month, day, hour, minute, second, zone] = bytes else { return 0 };
    let part = |byte: &u8| i8::try_from(*byte).unwrap_or(-1);
    let date = jiff::civil::DateTime::new(
        i16::from(*year).saturating_add(1900),
        part(month),
        part(day),
        part(hour),
        part(minute),
        part(second),
        0,
    );
    let zone = i64::from(zone.cast_signed()).saturating_mul(900);
    let utc = date.and_then(|date| date.to_zoned(jiff::tz::TimeZone::UTC));
    utc.map_or(0, |utc| utc.timestamp().as_second().saturating_sub(zone))
}

/// How many bytes to skip before the fields of Rock Ridge; none where the root's own record has none.
fn rock_ridge(image: &dyn ReadAt, root: &Record<'_>) -> Option<usize> {
    let first = image.exactly(root.start, 2048).ok()?;
    let length = usize::from(first[0]);
    let own = record(first.get(..length)?)?;
    let at = (0..own.more.len().saturating_sub(6))
        .find(|at| own.more[*at..].starts_with(&[b'S', b'P', 7, 1, 0xbe, 0xef]))?;
    Some(usize::from(*own.more.get(at.saturating_add(6))?))
}

/// What Rock Ridge says of an entry.
#[derive(Default)]
struct Ridge {
    name: Vec<u8>,
    has_name: bool,
    target: Option<Vec<u8>>,
    mode: Option<u32>,
    /// Where a folder that was moved elsewhere is.
    child: Option<u64>,
    is_moved: bool,
    packed: Option<Stated>,
}

impl Reader {
    /// Adds what a folder holds, and says which folders of it are to be read next.
    fn folder(
        &mut self,
        path: &Path,
        start: u64,
        length: u64,
        waiting: &mut Vec<(PathBuf, u64, u64)>,
    ) -> io::Result<()> {
        if !self.seen.insert(start) || path.iter().count() > LIMITS.path_depth {
            return Ok(());
        }
        self.left = self
            .left
            .checked_sub(length)
            .ok_or_else(|| damaged("the listings of its folders are too long"))?;
        let bytes = self
            .image
            .exactly(start, usize::try_from(length).unwrap_or(usize::MAX))
            .map_err(|_| damaged("a folder is beyond the end of the image"))?;
        let mut parts: Vec<(u64, u64)> = Vec::new();
        let mut rest = &bytes[..];
        while let [size, ..] = *rest {
            if size == 0 {
                // Records do not cross sectors; what is left of one is empty.
                let left = rest.len() % 2048;
                rest = rest.get(if left == 0 { 2048 } else { left }..).unwrap_or_default();
                continue;
            }
            let Some((record_bytes, after)) = rest.split_at_checked(usize::from(size)) else {
                return Err(damaged("a folder's listing is cut off"));
            };
            let Some(one) = record(record_bytes) else {
                return Err(damaged("a folder's listing is cut off"));
            };
            rest = after;
            if matches!(one.name, [0 | 1]) {
                continue;
            }
            let ridge = self.ridge(one.more)?;
            if ridge.is_moved {
                continue;
            }
            let path = path.join(self.name(&one, &ridge));
            let mode = ridge.mode.unwrap_or(if one.flags & IS_FOLDER > 0 { 0o755 } else { 0o644 });
            let stamp = Stamp { mode: mode & 0o7777, changed_at: one.changed_at };
            if let Some(target) = ridge.target {
                self.listed.link(&path, PathBuf::from(OsString::from_vec(target)), stamp)?;
            } else if let Some(child) = ridge.child {
                let own =
                    self.image.exactly(child, 2048).map_err(|_| damaged("a folder is beyond the end"))?;
                let length = record(&own).map_or(0, |own| own.length);
                self.listed.folder(&path, stamp)?;
                waiting.push((path, child, length));
            } else if one.flags & IS_FOLDER > 0 {
                self.listed.folder(&path, stamp)?;
                waiting.push((path, one.start, one.length));
            } else if mode & 0o170_000 != 0 && mode & 0o170_000 != 0o100_000 {
                self.listed.other(&path, stamp)?;
            } else {
                parts.push((one.start, one.length));
                if one.flags & GOES_ON == 0 {
                    let content = Parts::new(&self.image, &std::mem::take(&mut parts))?;
                    let content: Arc<dyn ReadAt> = match ridge.packed {
                        Some(stated) => Arc::new(Zisofs::new(content, stated)),
                        None => Arc::new(content),
                    };
                    self.listed.file(&path, content, stamp)?;
                }
            }
        }
        Ok(())
    }

    fn name(&self, one: &Record<'_>, ridge: &Ridge) -> OsString {
        if ridge.has_name {
            return OsString::from_vec(ridge.name.clone());
        }
        if self.names == Names::Joliet {
            let units = one.name.chunks_exact(2).map(|two| u16::from_be_bytes([two[0], two[1]]));
            let name: String = char::decode_utf16(units).map(|c| c.unwrap_or('\u{fffd}')).collect();
            return name.split(';').next().unwrap_or_default().into();
        }
        let name = String::from_utf8_lossy(one.name).to_lowercase();
        name.split(';').next().unwrap_or_default().trim_end_matches('.').into()
    }

    /// The fields behind a name: two letters, a length, a version, data; `CE` says where more of them are.
    fn ridge(&mut self, more: &[u8]) -> io::Result<Ridge> {
        let mut ridge = Ridge::default();
        let Names::RockRidge { skip } = self.names else { return Ok(ridge) };
        let mut area = more.get(skip..).unwrap_or_default().to_vec();
        let mut seen: Vec<u64> = Vec::new();
        while let Some((start, length)) = fields(&area, &mut ridge) {
            let read = seen.len().saturating_add(1).saturating_mul(length);
            if seen.contains(&start) || read > CONTINUED {
                break;
            }
            self.left = self
                .left
                .checked_sub(length as u64)
                .ok_or_else(|| damaged("the listings of its folders are too long"))?;
            seen.push(start);
            match self.image.exactly(start, length) {
                Ok(bytes) => area = bytes,
                Err(_) => break,
            }
        }
        Ok(ridge)
    }
}

/// Takes fields into account; returns where they go on.
fn fields(area: &[u8], ridge: &mut Ridge) -> Option<(u64, usize)> {
    let mut next = None;
    let mut rest = area;
    while let [a, b, length, _version, ..] = rest {
        let length = usize::from(*length).max(4);
        let Some((field, after)) = rest.split_at_checked(length) else { break };
        let data = &field[4..];
        let word = |at: usize| data.get(at..).filter(|rest| rest.len() >= 4).map(|rest| le32(rest, 0));
        match (a, b) {
            (b'N', b'M') if !data.is_empty() => {
                ridge.name.extend_from_slice(&data[1..]);
                ridge.name.truncate(LIMITS.path_bytes);
                ridge.has_name = true;
            }
            (b'P', b'X') => ridge.mode = word(0),
            (b'S', b'L') if !data.is_empty() => components(&data[1..], ridge.target.get_or_insert_default()),
            (b'C', b'L') => ridge.child = word(0).map(sectors),
            (b'R', b'E') => ridge.is_moved = true,
            (b'Z', b'F') => ridge.packed = Stated::of(data),
            (b'C', b'E') => {
                if let (Some(sector), Some(offset), Some(length)) = (word(0), word(8), word(16)) {
                    let start = sectors(sector).saturating_add(u64::from(offset));
                    next = Some((start, length.min(CONTINUED as u32) as usize));
                }
            }
            (b'S', b'T') => break,
            _ => {}
        }
        rest = after;
    }
    next
}

/// Components of a link: flags, a length, a name.
fn components(mut rest: &[u8], target: &mut Vec<u8>) {
    while let [flags, length, after @ ..] = rest {
        let Some((name, after)) = after.split_at_checked(usize::from(*length)) else { return };
        if target.len() > LIMITS.link_target_bytes {
            return;
        }
        if !target.is_empty() && !target.ends_with(b"/") {
            target.push(b'/');
        }
        match flags & 0b1110 {
            2 => target.push(b'.'),
            4 => target.extend_from_slice(b".."),
            8 => target.push(b'/'),
            _ => target.extend_from_slice(name),
        }
        rest = after;
    }
}

/// A file of one or several pieces.
struct Parts {
    parts: Vec<Window>,
}

impl Parts {
    fn new(image: &Arc<dyn ReadAt>, places: &[(u64, u64)]) -> io::Result<Self> {
        let part = |(start, length): &(u64, u64)| Window::of(Box::new(Arc::clone(image)), *start, *length);
        Ok(Self { parts: places.iter().map(part).collect::<io::Result<_>>()? })
    }
}

impl ReadAt for Parts {
    fn len(&self) -> u64 {
        self.parts.iter().map(ReadAt::len).fold(0, u64::saturating_add)
    }

    fn read_at(&self, offset: u64, buffer: &mut [u8]) -> io::Result<usize> {
        let (mut done, mut start) = (0_usize, 0_u64);
        for part in &self.parts {
            let end = start.saturating_add(part.len());
            let at = offset.saturating_add(done as u64);
            if done < buffer.len() && (start..end).contains(&at) {
                let read = part.read_at(at.saturating_sub(start), &mut buffer[done..])?;
                done = done.saturating_add(read);
            }
            start = end;
        }
        Ok(done)
    }
}
