//! ISO 9660 images (ECMA-119), with the names of Rock Ridge (SUSP and RRIP 1.12) or Joliet.

use crate::listed::{Listed, Stamp};
use crate::zisofs::{Stated, Zisofs};
use crate::{Bytes, Tree, Window};
use std::collections::HashSet;
use std::ffi::OsString;
use std::io;
use std::os::unix::ffi::OsStringExt;
use std::path::{Path, PathBuf};
use std::sync::Arc;

const SECTOR: u64 = 2048;
/// Folders that may lie inside one another; the standard allows 8.
const DEPTH_LIMIT: usize = 64;
/// Bytes that the listing of a folder may have.
const LISTING_LIMIT: u64 = 64 << 20;

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
    image: Arc<dyn Bytes>,
    names: Names,
    seen: HashSet<u64>,
    listed: Listed,
}

/// The tree in an ISO 9660 image, with the names of Rock Ridge or Joliet where it has them. Files are read when they are asked for.
///
/// # Errors
/// When it is none, or its folders are damaged.
pub fn iso(image: Arc<dyn Bytes>) -> io::Result<Box<dyn Tree>> {
    Ok(Box::new(open(image)?.0))
}

/// Reads all folders of an image; files are read when they are asked for.
/// The second value says what is missing of an image that is shorter than it says.
pub(crate) fn open(image: Arc<dyn Bytes>) -> io::Result<(Listed, Option<String>)> {
    let (primary, joliet) = descriptors(image.as_ref())?;
    let joliet = joliet.as_deref();
    let stated = u64::from(u32::from_le_bytes([primary[80], primary[81], primary[82], primary[83]])) * SECTOR;
    let cut =
        (stated > image.len()).then(|| format!("it is cut off: {} of {stated} bytes are there", image.len()));
    let root = record(&primary[156..190]).ok_or_else(|| damaged("it has no root"))?;
    let rock_ridge = rock_ridge(image.as_ref(), &root);
    let (names, root) = match (rock_ridge, joliet) {
        (Some(skip), _) => (Names::RockRidge { skip }, root),
        (None, Some(joliet)) => {
            (Names::Joliet, record(&joliet[156..190]).ok_or_else(|| damaged("it has no root"))?)
        }
        (None, None) => (Names::Plain, root),
    };
    let mut reader = Reader { image, names, seen: HashSet::new(), listed: Listed::default() };
    reader.folder(Path::new(""), root.start, root.length, 0)?;
    Ok((reader.listed, cut))
}

/// The primary descriptor, and the one with Joliet's names.
fn descriptors(image: &dyn Bytes) -> io::Result<(Vec<u8>, Option<Vec<u8>>)> {
    let (mut primary, mut joliet) = (None, None);
    for sector in 16..64 {
        let block =
            image.exactly(sector * SECTOR, 2048).map_err(|_| damaged("its descriptors are cut off"))?;
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
    let word = |at: usize| Some(u64::from(u32::from_le_bytes(bytes.get(at..at + 4)?.try_into().ok()?)));
    let name_length = usize::from(*bytes.get(32)?);
    let name = bytes.get(33..33 + name_length)?;
    // A byte is added where it takes one to make the length even.
    let more = bytes.get(33 + name_length + usize::from(name_length.is_multiple_of(2))..).unwrap_or_default();
    Some(Record {
        start: word(2)? * SECTOR,
        length: word(10)?,
        flags: *bytes.get(25)?,
        changed_at: moment(bytes.get(18..25)?),
        name,
        more,
    })
}

/// Years since 1900, month, day, hour, minute, second, quarters of an hour from UTC.
fn moment(bytes: &[u8]) -> i64 {
    let [year, month, day, hour, minute, second, zone] = bytes else { return 0 };
    let (year, month, day) = (i64::from(*year) + 1900, i64::from(*month), i64::from(*day));
    // Days since 1970 by the civil calendar, with March as the first month.
    let (y, m) = if month > 2 { (year, month - 3) } else { (year - 1, month + 9) };
    let days = 365 * y + y / 4 - y / 100 + y / 400 + (153 * m + 2) / 5 + day - 719_469;
    let zone = i64::from(zone.cast_signed()) * 900;
    days * 86_400 + i64::from(*hour) * 3600 + i64::from(*minute) * 60 + i64::from(*second) - zone
}

/// How many bytes to skip before the fields of Rock Ridge; none where the root's own record has none.
fn rock_ridge(image: &dyn Bytes, root: &Record<'_>) -> Option<usize> {
    let first = image.exactly(root.start, 2048).ok()?;
    let length = usize::from(first[0]);
    let own = record(first.get(..length)?)?;
    let at = (0..own.more.len().saturating_sub(6))
        .find(|at| own.more[*at..].starts_with(&[b'S', b'P', 7, 1, 0xbe, 0xef]))?;
    Some(usize::from(*own.more.get(at + 6)?))
}

/// What Rock Ridge says of an entry.
#[derive(Default)]
struct Ridge {
    name: Vec<u8>,
    has_name: bool,
    target: Option<Vec<u8>>,
    mode: Option<u32>,
    /// Where a folder that was moved elsewhere lies.
    child: Option<u64>,
    is_moved: bool,
    packed: Option<Stated>,
}

impl Reader {
    fn folder(&mut self, path: &Path, start: u64, length: u64, depth: usize) -> io::Result<()> {
        if depth > DEPTH_LIMIT || !self.seen.insert(start) {
            return Ok(());
        }
        if length > LISTING_LIMIT {
            return Err(damaged("a folder's listing is too long"));
        }
        let bytes = self
            .image
            .exactly(start, usize::try_from(length).unwrap_or(usize::MAX))
            .map_err(|_| damaged("a folder lies behind the end of the image"))?;
        let mut below = Vec::new();
        let mut parts: Vec<(u64, u64)> = Vec::new();
        let mut at = 0;
        while at < bytes.len() {
            let size = usize::from(bytes[at]);
            if size == 0 {
                // Records do not cross sectors; what is left of one is empty.
                at = (at / 2048 + 1) * 2048;
                continue;
            }
            let Some(one) = bytes.get(at..at + size).and_then(record) else {
                return Err(damaged("a folder's listing is cut off"));
            };
            at += size;
            if matches!(one.name, [0 | 1]) {
                continue;
            }
            let ridge = self.ridge(one.more);
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
                    self.image.exactly(child, 2048).map_err(|_| damaged("a folder lies behind the end"))?;
                let length = record(&own).map_or(0, |own| own.length);
                self.listed.folder(&path, stamp)?;
                below.push((path, child, length));
            } else if one.flags & IS_FOLDER > 0 {
                self.listed.folder(&path, stamp)?;
                below.push((path, one.start, one.length));
            } else if mode & 0o170_000 != 0 && mode & 0o170_000 != 0o100_000 {
                self.listed.other(&path, stamp)?;
            } else {
                parts.push((one.start, one.length));
                if one.flags & GOES_ON == 0 {
                    let content = Parts::new(&self.image, &std::mem::take(&mut parts))?;
                    let content: Arc<dyn Bytes> = match ridge.packed {
                        Some(stated) => Arc::new(Zisofs::new(content, stated)),
                        None => Arc::new(content),
                    };
                    self.listed.file(&path, content, stamp)?;
                }
            }
        }
        for (path, start, length) in below {
            self.folder(&path, start, length, depth + 1)?;
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
    fn ridge(&self, more: &[u8]) -> Ridge {
        let mut ridge = Ridge::default();
        let Names::RockRidge { skip } = self.names else { return ridge };
        let mut area = more.get(skip..).unwrap_or_default().to_vec();
        for _ in 0..32 {
            let next = fields(&area, &mut ridge);
            let Some((start, length)) = next else { break };
            match self.image.exactly(start, length) {
                Ok(bytes) => area = bytes,
                Err(_) => break,
            }
        }
        ridge
    }
}

/// Takes fields into account; returns where they go on.
fn fields(area: &[u8], ridge: &mut Ridge) -> Option<(u64, usize)> {
    let mut next = None;
    let mut rest = area;
    while let [a, b, length, _version, ..] = rest {
        let length = usize::from(*length);
        let Some(data) = rest.get(4..length) else { break };
        let word = |at: usize| {
            data.get(at..at + 4).map(|four| u32::from_le_bytes([four[0], four[1], four[2], four[3]]))
        };
        match (a, b) {
            (b'N', b'M') if !data.is_empty() => {
                ridge.name.extend_from_slice(&data[1..]);
                ridge.has_name = true;
            }
            (b'P', b'X') => ridge.mode = word(0),
            (b'S', b'L') if !data.is_empty() => components(&data[1..], ridge.target.get_or_insert_default()),
            (b'C', b'L') => ridge.child = word(0).map(|sector| u64::from(sector) * SECTOR),
            (b'R', b'E') => ridge.is_moved = true,
            (b'Z', b'F') => ridge.packed = Stated::of(data),
            (b'C', b'E') => {
                if let (Some(sector), Some(offset), Some(length)) = (word(0), word(8), word(16)) {
                    next =
                        Some((u64::from(sector) * SECTOR + u64::from(offset), length.min(1 << 16) as usize));
                }
            }
            (b'S', b'T') => break,
            _ => {}
        }
        rest = &rest[length.max(4)..];
    }
    next
}

/// Components of a link: flags, a length, a name.
fn components(mut rest: &[u8], target: &mut Vec<u8>) {
    while let [flags, length, ..] = rest {
        let Some(name) = rest.get(2..2 + usize::from(*length)) else { return };
        if !target.is_empty() && !target.ends_with(b"/") {
            target.push(b'/');
        }
        match flags & 0b1110 {
            2 => target.push(b'.'),
            4 => target.extend_from_slice(b".."),
            8 => target.push(b'/'),
            _ => target.extend_from_slice(name),
        }
        rest = &rest[2 + name.len()..];
    }
}

/// A file of one or several pieces.
struct Parts {
    parts: Vec<Window>,
}

impl Parts {
    fn new(image: &Arc<dyn Bytes>, places: &[(u64, u64)]) -> io::Result<Self> {
        let part = |(start, length): &(u64, u64)| Window::of(Box::new(Arc::clone(image)), *start, *length);
        Ok(Self { parts: places.iter().map(part).collect::<io::Result<_>>()? })
    }
}

impl Bytes for Parts {
    fn len(&self) -> u64 {
        self.parts.iter().map(Bytes::len).sum()
    }

    fn read_at(&self, offset: u64, buffer: &mut [u8]) -> io::Result<usize> {
        let (mut done, mut start) = (0, 0);
        for part in &self.parts {
            let at = offset + done as u64;
            if done < buffer.len() && at >= start && at < start + part.len() {
                done += part.read_at(at - start, &mut buffer[done..])?;
            }
            start += part.len();
        }
        Ok(done)
    }
}
