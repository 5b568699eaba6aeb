//! Bytes of an install as text: never trusted to be UTF-8, never allowed to speak to a terminal.

use smol_str::SmolStr;
use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;

/// Text of a field: trimmed; bytes that are not UTF-8 become U+FFFD.
pub(crate) fn text(bytes: &[u8]) -> SmolStr {
    let bytes = bytes.trim_ascii();
    // Nearly all of it is, and told so faster than where it is not.
    match std::str::from_utf8(bytes) {
        Ok(text) => SmolStr::new(text),
        Err(_) => SmolStr::from(String::from_utf8_lossy(bytes)),
    }
}

/// A file name as text.
pub(crate) fn name_text(name: &OsStr) -> SmolStr {
    text(name.as_bytes())
}

pub(crate) use tally_core::history::time_text;

/// Seconds since 1970 as a day, UTC; none for times that nobody set.
pub(crate) fn day_text(seconds: i64) -> Option<SmolStr> {
    time_text(seconds).and_then(|time| time.get(..10).map(SmolStr::from))
}

/// `Some` unless empty.
pub(crate) fn filled(value: SmolStr) -> Option<SmolStr> {
    (!value.is_empty()).then_some(value)
}

/// Lines of a file with their numbers, counted from 1; line ends are cut off. After the last line end there is one more, an empty one.
pub(crate) fn lines(bytes: &[u8]) -> impl Iterator<Item = (u32, &[u8])> {
    let mut rest = Some(bytes);
    let lines = std::iter::from_fn(move || {
        let here = rest?;
        let end = memchr::memchr(b'\n', here);
        rest = end.map(|end| &here[end + 1..]);
        let line = &here[..end.unwrap_or(here.len())];
        Some(line.strip_suffix(b"\r").unwrap_or(line))
    });
    (1..).zip(lines)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn lines_are_what_stands_between_line_ends(bytes in prop::collection::vec(prop::sample::select(b"\n\r a\xff".to_vec()), 0..30)) {
            let pieces = bytes.split(|byte| *byte == b'\n').map(|line| line.strip_suffix(b"\r").unwrap_or(line));
            let expected: Vec<(u32, &[u8])> = (1..).zip(pieces).collect();
            prop_assert_eq!(lines(&bytes).collect::<Vec<_>>(), expected);
        }

        #[test]
        fn text_loses_nothing_but_what_is_no_text(bytes in prop::collection::vec(any::<u8>(), 0..40)) {
            let expected = String::from_utf8_lossy(bytes.trim_ascii()).into_owned();
            let read = text(&bytes);
            prop_assert_eq!(read.as_str(), expected);
        }
    }
}
