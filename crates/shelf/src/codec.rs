//! A tally as bytes: JSON with one record a line, so that version control shows what changed.

use crate::ShelfError;
use crate::files::open_file;
use crate::line::{Brief, NEXT};
use crate::packed::content;
use memchr::memmem::Finder;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use serde_json::ser::Formatter;
use std::io::{self, BufRead, BufReader, Read, Seek, Write};
use std::path::Path;
use tally_core::model::{Package, SCHEMA, Tally};

/// Writes a tally as JSON: each key of the document and each element of its lists on a line of its own.
///
/// # Errors
/// When a number has no JSON form (a reading that is not finite).
pub fn encode(tally: &Tally) -> serde_json::Result<Vec<u8>> {
    encode_in_pieces(tally).map(|pieces| pieces.concat())
}

/// As [`encode`], in pieces that follow one another: most of them are made side by side, and a file needs them in one no more than
/// in several.
pub(crate) fn encode_in_pieces(tally: &Tally) -> serde_json::Result<Vec<Vec<u8>>> {
    let (frame, packages) = rayon::join(
        || serialized(&tally.without_packages(), OneRecordALine::default()),
        || {
            let chunks = tally.packages.par_chunks(256).enumerate();
            chunks.map(|(i, chunk)| encode_packages(chunk, i == 0)).collect::<serde_json::Result<Vec<_>>>()
        },
    );
    let (mut head, packages) = (frame?, packages?);
    // Within a string a line break is written as an escape, so that only the key itself can look like this.
    let key = format!("{PACKAGES}]");
    let at = memchr::memmem::find(&head, key.as_bytes()).map_or(head.len(), |at| at + PACKAGES.len());
    let mut tail = if packages.is_empty() { Vec::new() } else { b"\n ".to_vec() };
    let rest: Vec<u8> = head.drain(at..).collect();
    if let (Some(rest), false) = (rest.strip_prefix(b"]"), packages.is_empty()) {
        let mut sum = Sum::new();
        packages.iter().flat_map(|piece| piece.split(|byte| *byte == b'\n')).for_each(|line| sum.add(line));
        tail.extend(format!("],\n \"packages_crc32\": {}", sum.finalize()).into_bytes());
        tail.extend(rest);
    } else {
        tail.extend(rest);
    }
    tail.push(b'\n');
    let mut pieces = vec![head];
    pieces.extend(packages);
    pieces.push(tail);
    Ok(pieces)
}

/// Bytes that a tally may have: 256 MiB, a hundred times a large one.
pub(crate) const TALLY_LIMIT: u64 = 256 << 20;

/// The checksum of what reading in brief passes over: from `suggests` on, of every package.
struct Sum {
    passed_over: Finder<'static>,
    sum: crc32fast::Hasher,
}

impl Sum {
    fn new() -> Self {
        Self { passed_over: Finder::new(NEXT), sum: crc32fast::Hasher::new() }
    }

    /// Adds the line of a package, with or without the comma behind it.
    fn add(&mut self, line: &[u8]) {
        let line = line.strip_suffix(b",").unwrap_or(line);
        self.sum.update(self.passed_over.find(line).map_or(line, |at| &line[at..]));
    }

    fn finalize(self) -> u32 {
        self.sum.finalize()
    }
}

/// How the list of packages begins.
const PACKAGES: &str = "\n \"packages\": [";

/// Packages as they are in the list, each with the line break before it and commas between; one before the first as well, unless
/// the list begins with it.
pub(crate) fn encode_packages(packages: &[Package], begins: bool) -> serde_json::Result<Vec<u8>> {
    let mut bytes = Vec::with_capacity(1280 * packages.len());
    for (i, package) in packages.iter().enumerate() {
        bytes.extend_from_slice(if i == 0 && begins { b"\n  " } else { b",\n  " });
        let inside = OneRecordALine { depth: 2, filled: false };
        package.serialize(&mut serde_json::Serializer::with_formatter(&mut bytes, inside))?;
    }
    Ok(bytes)
}

fn serialized(value: &impl Serialize, formatter: OneRecordALine) -> serde_json::Result<Vec<u8>> {
    let mut bytes = Vec::with_capacity(64 << 10);
    value.serialize(&mut serde_json::Serializer::with_formatter(&mut bytes, formatter))?;
    Ok(bytes)
}

/// Reads the tally in a file.
///
/// In a tally that this program wrote each package has a line of its own, and is read by itself; one that was edited otherwise is
/// read as a whole.
///
/// # Errors
/// As [`decode`], and [`ShelfError::Io`] when the file can't be read.
pub fn read_tally(path: &Path) -> Result<Tally, ShelfError> {
    read(path, Detail::Whole)
}

/// Reads of the tally in a file what comparing takes: packages without summary, section, page, licence, package URL and evidence,
/// without the reason for their kind, what they suggest, where and when they were fetched. That is half of what is to be kept in
/// memory, and less than half the work. Packages that this program did not write so are read in full.
///
/// # Errors
/// As [`read_tally`].
pub fn read_tally_in_brief(path: &Path) -> Result<Tally, ShelfError> {
    read(path, Detail::Brief)
}

/// How much of a package is read.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Detail {
    Whole,
    Brief,
}

/// Reads the line of a package, without the comma behind it; in brief where that is asked for.
fn read_package(line: &[u8], brief: Option<&mut Brief>) -> Option<Package> {
    // Checked once as a whole, the text need not be checked string by string.
    let whole = || serde_json::from_str(std::str::from_utf8(line).ok()?).ok();
    brief.and_then(|brief| brief.package(line)).or_else(whole)
}

/// Appends what is up to the next line break, and it, or up to the end; returns whether there was anything.
fn read_line(file: &mut impl BufRead, line: &mut Vec<u8>) -> io::Result<bool> {
    let before = line.len();
    loop {
        let there = file.fill_buf()?;
        let end = memchr::memchr(b'\n', there).map(|at| at + 1);
        let taken = end.unwrap_or(there.len());
        line.extend_from_slice(&there[..taken]);
        file.consume(taken);
        if end.is_some() || taken == 0 {
            return Ok(line.len() > before);
        }
    }
}

/// Reads a tally in brief, as [`read_tally_in_brief`] does; `path` names it in errors.
///
/// # Errors
/// As [`decode`].
pub fn decode_in_brief(path: &Path, bytes: &[u8]) -> Result<Tally, ShelfError> {
    by_lines(bytes, Detail::Brief).map_or_else(|| decode(path, bytes), Ok)
}

fn read(path: &Path, detail: Detail) -> Result<Tally, ShelfError> {
    let fail = |error| ShelfError::io(path, error);
    let mut file = open_file(path).map_err(fail)?;
    if file.metadata().map_err(fail)?.len() > TALLY_LIMIT {
        return Err(ShelfError::NoTally {
            path: path.to_owned(),
            why: format!("it is larger than {TALLY_LIMIT} bytes"),
        });
    }
    // What is read again and again stays in the processor's own memory; a whole file would be fetched anew from page to page.
    if let Ok(content) = content(&file, TALLY_LIMIT)
        && let Some(tally) = by_lines(BufReader::with_capacity(64 << 10, content), detail)
    {
        return Ok(tally);
    }
    file.rewind().map_err(fail)?;
    let mut bytes = Vec::new();
    let read = content(&file, TALLY_LIMIT).and_then(|mut content| content.read_to_end(&mut bytes));
    read.map_err(|error| ShelfError::NoTally { path: path.to_owned(), why: error.to_string() })?;
    decode(path, &bytes)
}

/// A tally of this schema, if every package in it has a line of its own.
fn by_lines(mut file: impl BufRead, detail: Detail) -> Option<Tally> {
    let mut frame = Vec::with_capacity(64 << 10);
    while !frame.strip_suffix(b"\n").is_some_and(|begin| begin.ends_with(PACKAGES.as_bytes())) {
        if !read_line(&mut file, &mut frame).ok()? {
            return None;
        }
    }
    // The list is empty in the frame: nothing but the line break stands in it.
    let mut packages = Vec::with_capacity(2048);
    let mut line = Vec::with_capacity(4 << 10);
    let mut brief = (detail == Detail::Brief).then(Brief::new);
    // Whether the last line of the list promised another one.
    let mut more = true;
    let mut sum = (detail == Detail::Brief).then(Sum::new);
    loop {
        line.clear();
        read_line(&mut file, &mut line).ok()?;
        if !line.starts_with(b"  {") || !more {
            break;
        }
        line.truncate(line.trim_ascii_end().len());
        more = line.ends_with(b",");
        if more {
            line.pop();
        }
        sum.iter_mut().for_each(|sum| sum.add(&line));
        packages.push(read_package(&line, brief.as_mut())?);
    }
    if more || !line.starts_with(b" ]") {
        return None;
    }
    frame.append(&mut line);
    file.read_to_end(&mut frame).ok()?;
    let tally: Tally = serde_json::from_str(std::str::from_utf8(&frame).ok()?).ok()?;
    let in_order = sum.is_none_or(|sum| tally.packages_crc32 == Some(sum.finalize()));
    let known = is_read(tally.schema_version) && tally.packages.is_empty() && in_order;
    known.then(|| current(Tally { packages, ..tally }))
}

/// Reads a tally; `path` names it in errors.
///
/// # Errors
/// [`ShelfError::OtherSchema`] for a later schema, [`ShelfError::NoTally`] for anything else that is none.
pub fn decode(path: &Path, bytes: &[u8]) -> Result<Tally, ShelfError> {
    #[derive(Deserialize)]
    struct Head {
        #[serde(alias = "tally")]
        schema_version: Option<u64>,
        #[serde(default)]
        program: String,
    }
    let no_tally = |why: String| ShelfError::NoTally { path: path.to_owned(), why };
    // Checked once as a whole, the text need not be checked string by string.
    let text = std::str::from_utf8(bytes).map_err(|error| {
        let line = bytes[..error.valid_up_to()].iter().filter(|byte| **byte == b'\n').count() + 1;
        no_tally(format!("line {line} is not UTF-8"))
    })?;
    let result = serde_json::from_str::<Tally>(text);
    if let Ok(tally) = &result
        && is_read(tally.schema_version)
    {
        return result.map(current).map_err(|error| no_tally(error.to_string()));
    }
    match (serde_json::from_str::<Head>(text), result) {
        (Ok(Head { schema_version: Some(found), program }), _) if found > u64::from(SCHEMA) => {
            Err(ShelfError::OtherSchema { path: path.to_owned(), found, program, known: SCHEMA })
        }
        (Ok(Head { schema_version: None, .. }), _) => {
            Err(no_tally("it is JSON, but has no key `schema_version`".into()))
        }
        (_, Err(error)) => Err(no_tally(error.to_string())),
        (_, Ok(tally)) => Err(no_tally(format!("there is no schema {}", tally.schema_version))),
    }
}

/// Whether tallies of a schema are read.
const fn is_read(schema: u32) -> bool {
    schema >= 1 && schema <= SCHEMA
}

/// The tally in the current schema.
fn current(tally: Tally) -> Tally {
    let mut tally = Tally { packages_crc32: None, ..tally };
    if tally.schema_version < SCHEMA {
        tally_core::derive::upgrade(&mut tally);
    }
    tally
}

/// Line breaks down to the elements of the document's lists; everything deeper stays on one line.
#[derive(Default)]
struct OneRecordALine {
    depth: usize,
    filled: bool,
}

impl OneRecordALine {
    fn separate<W: ?Sized + Write>(&mut self, out: &mut W, first: bool, own_line: bool) -> io::Result<()> {
        if !first {
            out.write_all(b",")?;
        }
        match (own_line, self.depth) {
            (true, 1) => out.write_all(b"\n "),
            (true, _) => out.write_all(b"\n  "),
            (false, _) if !first => out.write_all(b" "),
            _ => Ok(()),
        }
    }

    fn close<W: ?Sized + Write>(&mut self, out: &mut W, own_line: bool, bracket: &[u8]) -> io::Result<()> {
        self.depth -= 1;
        if own_line && self.filled {
            out.write_all(if self.depth == 0 { b"\n" } else { b"\n " })?;
        }
        self.filled = true;
        out.write_all(bracket)
    }
}

impl Formatter for OneRecordALine {
    fn begin_array<W: ?Sized + Write>(&mut self, out: &mut W) -> io::Result<()> {
        self.depth += 1;
        self.filled = false;
        out.write_all(b"[")
    }

    fn end_array<W: ?Sized + Write>(&mut self, out: &mut W) -> io::Result<()> {
        let own_line = self.depth <= 2;
        self.close(out, own_line, b"]")
    }

    fn begin_array_value<W: ?Sized + Write>(&mut self, out: &mut W, first: bool) -> io::Result<()> {
        let own_line = self.depth <= 2;
        self.separate(out, first, own_line)
    }

    fn end_array_value<W: ?Sized + Write>(&mut self, _: &mut W) -> io::Result<()> {
        self.filled = true;
        Ok(())
    }

    fn begin_object<W: ?Sized + Write>(&mut self, out: &mut W) -> io::Result<()> {
        self.depth += 1;
        self.filled = false;
        out.write_all(b"{")
    }

    fn end_object<W: ?Sized + Write>(&mut self, out: &mut W) -> io::Result<()> {
        let own_line = self.depth == 1;
        self.close(out, own_line, b"}")
    }

    fn begin_object_key<W: ?Sized + Write>(&mut self, out: &mut W, first: bool) -> io::Result<()> {
        let own_line = self.depth == 1;
        self.separate(out, first, own_line)
    }

    fn begin_object_value<W: ?Sized + Write>(&mut self, out: &mut W) -> io::Result<()> {
        out.write_all(b": ")
    }

    fn end_object_value<W: ?Sized + Write>(&mut self, _: &mut W) -> io::Result<()> {
        self.filled = true;
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use tally_core::model::{Label, Medium, System, Taken, Unread};

    fn tally(packages: Vec<Package>) -> Tally {
        let taken = Taken {
            at: "2031-05-02T10:00:00Z".into(),
            from: "marsh".into(),
            medium: Medium::Installed,
            layer: None,
            sha256: None,
            root: None,
        };
        let mut tally = Tally::new("test", taken, Label::default());
        tally.packages = packages;
        tally
    }

    #[test]
    fn one_record_stands_on_one_line() {
        let packages = vec![Package::new(System::Dpkg, "a", "1"), Package::new(System::Dpkg, "b", "1")];
        let text = String::from_utf8(encode(&tally(packages)).unwrap()).unwrap();
        assert_eq!(text.lines().filter(|line| line.starts_with("  {\"system\": \"dpkg\"")).count(), 2);
        assert!(text.contains("\n \"launchers\": [],\n"), "{text}");
        assert!(text.ends_with("}\n}\n"), "{text}");
    }

    #[test]
    fn what_is_no_tally_says_why() {
        let why = |bytes: &[u8]| decode(Path::new("x"), bytes).unwrap_err().to_string();
        assert_eq!(
            why(b"{\"tally\": 9, \"packages\": 3}"),
            "`x` is a tally of schema 9, written by an unnamed program; this version reads schemas 1 to 2"
        );
        assert_eq!(why(b"{}"), "`x` is not a tally: it is JSON, but has no key `schema_version`");
        assert!(why(b"{\"tally\": 1,\n \"program\"").contains("line 2"));
        assert_eq!(why(b"\n\xff\xfe"), "`x` is not a tally: line 2 is not UTF-8");
    }

    fn package() -> impl Strategy<Value = Package> {
        ("\\PC{1,12}", "\\PC{1,12}", any::<Option<u64>>(), any::<bool>()).prop_map(
            |(name, version, bytes, essential)| {
                let mut package = Package::new(System::Dpkg, name, version);
                package.installed_bytes = bytes;
                package.essential = essential;
                package
            },
        )
    }

    #[test]
    fn a_long_list_is_written_in_pieces_that_follow_one_another() {
        let packages: Vec<Package> =
            (0..600).map(|i| Package::new(System::Dpkg, format!("marsh-{i:03}"), "1")).collect();
        let tally = tally(packages);
        assert_eq!(encode_in_pieces(&tally).unwrap().len(), 5);
        let bytes = encode(&tally).unwrap();
        assert_eq!(by_lines(bytes.as_slice(), Detail::Whole).unwrap(), tally);
        let lines = bytes.split(|byte| *byte == b'\n').filter(|line| line.starts_with(b"  {")).count();
        assert!(lines >= 600, "each package has a line of its own");
    }

    proptest! {
        #[test]
        fn there_and_back_is_the_same(packages in prop::collection::vec(package(), 0..6), why in "\\PC{0,20}") {
            let mut tally = tally(packages);
            tally.unread.push(Unread::at("f", 3, why));
            let bytes = encode(&tally).unwrap();
            let read = by_lines(bytes.as_slice(), Detail::Whole);
            // Without packages there are no lines to read.
            prop_assert_eq!(read.as_ref(), Some(&tally).filter(|tally| !tally.packages.is_empty()));
            prop_assert_eq!(decode(Path::new("x"), &bytes).unwrap(), tally);
        }

        #[test]
        fn reading_by_lines_takes_nothing_that_is_no_json(at in 0_usize..2000, byte in any::<u8>()) {
            let packages = vec![Package::new(System::Dpkg, "a", "1"), Package::new(System::Dpkg, "b", "1")];
            let mut bytes = encode(&tally(packages)).unwrap();
            let at = at % bytes.len();
            bytes[at] = byte;
            if let Some(read) = by_lines(bytes.as_slice(), Detail::Whole) {
                prop_assert_eq!(decode(Path::new("x"), &bytes).unwrap(), read);
            }
        }

        #[test]
        fn a_cut_tally_is_an_error_and_no_panic(cut in 0_usize..700) {
            let bytes = encode(&tally(vec![Package::new(System::Dpkg, "a", "1")])).unwrap();
            let cut = cut.min(bytes.len() - 2);
            prop_assert!(decode(Path::new("x"), &bytes[..cut]).is_err());
            prop_assert!(by_lines(&bytes[..cut], Detail::Whole).is_none());
        }
    }
}
