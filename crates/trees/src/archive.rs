use crate::compression::Compression;
use crate::listed::{Listed, Stamp};
use crate::{LIMITS, ReadAt, Tree, Window};
use std::cell::Cell;
use std::ffi::OsStr;
use std::io::{self, Read, Seek, SeekFrom};
use std::os::unix::ffi::OsStrExt;
use std::path::{Path, PathBuf};
use std::rc::Rc;
use std::sync::Arc;

/// Bytes of a block: contents are filled up to whole ones.
const BLOCK: u64 = 512;
/// Bytes that the headers of one entry may have, long names and further attributes included: 1 MiB. Contents are not read meanwhile.
const HEADERS_OF_ENTRY: u64 = 1 << 20;

/// Reads an archive's entries: names and places only, content when it is asked for.
///
/// POSIX pax and GNU tar, as the `tar` crate reads them. What comes before damage is kept; the second value says what the
/// damage is.
///
/// An archive may stand behind another one, as `cat` puts them; and may name files that it does not hold, see [`NAMES`].
pub(crate) fn open(archive: &Arc<dyn ReadAt>) -> io::Result<(Listed, Option<String>)> {
    let mut listed = Listed::default();
    let mut at = 0;
    let damage = loop {
        let (end, damage) = add(&mut listed, archive, at)?;
        match next_archive(archive, end)? {
            Some(next) if damage.is_none() && next > at => at = next,
            _ => break damage,
        }
    };
    add_names(&mut listed)?;
    Ok((listed, damage))
}

/// Where the next archive begins behind the end mark of one: after blocks of zeros, of which there are few.
fn next_archive(archive: &Arc<dyn ReadAt>, end: u64) -> io::Result<Option<u64>> {
    const BLOCKS: u64 = 64;
    for at in (0..BLOCKS).map(|block| end.saturating_add(block.saturating_mul(BLOCK))) {
        if at.saturating_add(BLOCK) > archive.len() {
            break;
        }
        let block = archive.exactly(at, usize::try_from(BLOCK).unwrap_or_default())?;
        if block.iter().any(|byte| *byte != 0) {
            return Ok(begins(&block).then_some(at));
        }
    }
    Ok(None)
}

/// Files of which an archive has the name alone: a zero behind each. They are there, and empty.
const NAMES: &str = "kit-names";
/// Files of which an archive has some lines: a zero before each, its path in the first line, then what is there of it.
const ENTRIES: &str = "kit-entries";

/// Adds the files that are in these two.
fn add_names(listed: &mut Listed) -> io::Result<()> {
    for of in [NAMES, ENTRIES] {
        let Some(content) = listed.content(Path::new(of)) else { continue };
        let length =
            usize::try_from(content.len()).ok().filter(|length| *length as u64 <= LIMITS.metadata_bytes);
        let length = length.ok_or_else(|| io::Error::other("names more files than are read"))?;
        let names = content.exactly(0, length)?;
        for one in names.split(|byte| *byte == 0).filter(|one| !one.is_empty()) {
            let end = one.iter().position(|byte| *byte == b'\n').filter(|_| of == ENTRIES);
            let (name, lines) = one.split_at(end.unwrap_or(one.len()));
            let path = Path::new(OsStr::from_bytes(name));
            let path = path.strip_prefix(".").unwrap_or(path);
            if listed.node(path, false).is_err() {
                let content: Arc<dyn ReadAt> =
                    Arc::new(Arc::<[u8]>::from(lines.get(1..).unwrap_or_default()));
                listed.file(path, content, Stamp { mode: 0o644, changed_at: 0 })?;
            }
        }
    }
    Ok(())
}

/// Adds the entries of the archive that begins at a place; where it ends, and what damage it has.
fn add(listed: &mut Listed, archive: &Arc<dyn ReadAt>, base: u64) -> io::Result<(u64, Option<String>)> {
    let left = Rc::new(Cell::new(HEADERS_OF_ENTRY));
    let mut reader =
        tar::Archive::new(Cursor { bytes: Arc::clone(archive), base, at: base, left: Rc::clone(&left) });
    let mut entries = reader.entries_with_seek()?;
    let (mut damage, mut end) = (None, base);
    loop {
        left.set(HEADERS_OF_ENTRY);
        let entry = match entries.next() {
            None => break,
            Some(Ok(entry)) => entry,
            Some(Err(error)) => {
                damage = Some(error.to_string());
                break;
            }
        };
        let start = base.saturating_add(entry.raw_file_position());
        end = start.saturating_add(entry.size().checked_next_multiple_of(BLOCK).unwrap_or(u64::MAX));
        if start.saturating_add(entry.size()) > archive.len() {
            damage = Some(format!("inside `{}`", String::from_utf8_lossy(&entry.path_bytes())));
            break;
        }
        let header = entry.header();
        let stamp = Stamp {
            mode: header.mode().unwrap_or(0o644) & 0o7777,
            changed_at: header.mtime().ok().and_then(|time| i64::try_from(time).ok()).unwrap_or(0),
        };
        let Ok(path) = entry.path().map(std::borrow::Cow::into_owned) else { continue };
        let target = || entry.link_name().ok().flatten().map(std::borrow::Cow::into_owned);
        match header.entry_type() {
            sort if sort.is_dir() => listed.folder(&path, stamp)?,
            sort if sort.is_symlink() => listed.link(&path, target().unwrap_or_default(), stamp)?,
            sort if sort.is_hard_link() => {
                if let Some(content) = target().and_then(|target| listed.content(&target)) {
                    listed.file(&path, content, stamp)?;
                }
            }
            sort if sort.is_file() || sort.is_contiguous() => {
                let window = Window::of(Box::new(Arc::clone(archive)), start, entry.size())?;
                listed.file(&path, Arc::new(window), stamp)?;
            }
            // Pieces with holes between them are not put together: such a file has no content here.
            _ => listed.other(&path, stamp)?,
        }
    }
    // An archive ends with empty blocks; one that was cut between two files has none.
    let damage = damage.or_else(|| (end >= archive.len()).then(|| "it has no end mark".to_owned()));
    Ok((end, damage))
}

/// The tree in an archive, and where the archive breaks off, if it does.
pub type Archived = (Box<dyn Tree>, Option<String>);

/// The tree in an archive, compressed or not; `None` for what is no archive.
///
/// # Errors
/// When it can't be read, or holds more than is read of its size.
pub fn archive(bytes: &Arc<dyn ReadAt>) -> io::Result<Option<Archived>> {
    let head = |bytes: &Arc<dyn ReadAt>| {
        let length = usize::try_from(bytes.len().min(BLOCK)).unwrap_or(0);
        bytes.exactly(0, length)
    };
    let (bytes, cut) = match Compression::of(&head(bytes)?) {
        Some(compression) => compression.spool(bytes)?,
        None => (Arc::clone(bytes), None),
    };
    if !begins(&head(&bytes)?) {
        return Ok(None);
    }
    let (listed, damage) = open(&bytes)?;
    Ok(Some((Box::new(listed), cut.or(damage))))
}

/// Whether so begins an archive.
pub(crate) fn begins(head: &[u8]) -> bool {
    head.get(257..262) == Some(b"ustar") || old_header(head)
}

/// A header of before 1988 has no magic: its checksum must be right, and there must be a name.
fn old_header(head: &[u8]) -> bool {
    let Some(block) = head.get(..512).filter(|block| block[0] != 0) else { return false };
    let field = String::from_utf8_lossy(&block[148..156]);
    let Ok(stated) = u32::from_str_radix(field.trim_matches(['\0', ' ']), 8) else { return false };
    let sum = |(at, byte): (usize, &u8)| u32::from(if (148..156).contains(&at) { b' ' } else { *byte });
    block.iter().enumerate().map(sum).sum::<u32>() == stated
}

/// Bytes as a file that is read from its start on.
struct Cursor {
    bytes: Arc<dyn ReadAt>,
    /// Where it begins among the bytes.
    base: u64,
    at: u64,
    /// Bytes that may still be read for the next entry.
    left: Rc<Cell<u64>>,
}

impl Read for Cursor {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let read = self.bytes.read_at(self.at, buffer)?;
        self.at = self.at.saturating_add(read as u64);
        let left = self.left.get().checked_sub(read as u64);
        self.left.set(left.ok_or_else(|| io::Error::other("an entry has headers without end"))?);
        Ok(read)
    }
}

impl Seek for Cursor {
    fn seek(&mut self, to: SeekFrom) -> io::Result<u64> {
        let at = match to {
            SeekFrom::Start(at) => self.base.checked_add(at),
            SeekFrom::Current(by) => self.at.checked_add_signed(by),
            SeekFrom::End(by) => self.bytes.len().checked_add_signed(by),
        };
        self.at = at.filter(|at| *at >= self.base).ok_or(io::ErrorKind::InvalidInput)?;
        Ok(self.at.saturating_sub(self.base))
    }
}

/// The root inside an archive: where everything is in one folder, that folder.
pub(crate) fn only_folder(listed: &Listed) -> Option<PathBuf> {
    use crate::{NodeKind, Tree};
    let top = listed.list(Path::new("")).ok()?;
    match &top[..] {
        [only] if only.kind == NodeKind::Folder => Some(PathBuf::from(&only.name)),
        _ => None,
    }
}
