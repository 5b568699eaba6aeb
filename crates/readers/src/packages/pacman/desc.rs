//! `desc` and `files` records: a `%KEY%` line, values a line each, an empty line.

use smallvec::smallvec;
use std::borrow::Cow;
use tally_core::model::{Alternatives, Dependency, Text, VersionOp};

/// The text of a record; bytes that are not UTF-8 become U+FFFD.
pub(super) fn text_of(bytes: &[u8]) -> Cow<'_, str> {
    std::str::from_utf8(bytes).map_or_else(|_| String::from_utf8_lossy(bytes), Cow::Borrowed)
}

/// Goes through a record key by key, and through the values of each.
#[derive(Debug)]
pub(super) struct Record<'a> {
    rest: Option<&'a str>,
    line: u32,
    in_values: bool,
}

impl<'a> Record<'a> {
    pub(super) const fn of(text: &'a str) -> Self {
        Self { rest: Some(text), line: 0, in_values: false }
    }

    /// The next line, without the blanks at its end.
    fn next_line(&mut self) -> Option<&'a str> {
        let rest = self.rest?;
        self.line += 1;
        // Every third line is empty.
        let end = if rest.starts_with('\n') { Some(0) } else { memchr::memchr(b'\n', rest.as_bytes()) };
        self.rest = end.map(|end| &rest[end + 1..]);
        Some(rest[..end.unwrap_or(rest.len())].trim_ascii_end())
    }

    /// The next key and the line it is in; what is left of the values before it is passed by.
    pub(super) fn next_key(&mut self) -> Option<(&'a str, u32)> {
        while self.next_value().is_some() {}
        loop {
            let line = self.next_line()?;
            let key = line.strip_prefix('%').and_then(|rest| rest.strip_suffix('%'));
            if let Some(key) = key.filter(|key| !key.is_empty()) {
                self.in_values = true;
                return Some((key, self.line));
            }
        }
    }

    /// The next value of the key; an empty line ends them.
    fn next_value(&mut self) -> Option<&'a str> {
        let value = if self.in_values { self.next_line().filter(|line| !line.is_empty()) } else { None };
        self.in_values = value.is_some();
        value
    }

    /// The values of the key.
    pub(super) fn values(&mut self) -> impl Iterator<Item = &'a str> {
        std::iter::from_fn(|| self.next_value())
    }

    /// The one value of the key; empty without one.
    pub(super) fn value(&mut self) -> &'a str {
        self.next_value().unwrap_or_default().trim_ascii_start()
    }

    pub(super) fn text(&mut self) -> Text {
        self.value().into()
    }

    pub(super) fn number<N: std::str::FromStr>(&mut self) -> Option<N> {
        self.value().parse().ok()
    }

    pub(super) fn relations(&mut self) -> Vec<Dependency> {
        self.values().filter_map(relation).collect()
    }

    /// As [`relations`](Self::relations); nobody can be chosen instead.
    pub(super) fn needs(&mut self) -> Vec<Alternatives> {
        self.values().filter_map(relation).map(|one| smallvec![one]).collect()
    }
}

/// `name`, `name>=1.2`, and for optional ones `name: what it is good for`.
pub(crate) fn relation(value: &str) -> Option<Dependency> {
    let name_end = value.bytes().position(|b| matches!(b, b'<' | b'>' | b'=' | b' ')).unwrap_or(value.len());
    let (name, rest) = value.split_at(name_end);
    let without_colon = |word| str::strip_suffix(word, ':').unwrap_or(word);
    let name = without_colon(name);
    if name.is_empty() {
        return None;
    }
    let (op, version) = match rest.as_bytes() {
        [b'<', b'=', ..] => (Some(VersionOp::AtMost), &rest[2..]),
        [b'>', b'=', ..] => (Some(VersionOp::AtLeast), &rest[2..]),
        [b'<', ..] => (Some(VersionOp::Less), &rest[1..]),
        [b'>', ..] => (Some(VersionOp::More), &rest[1..]),
        [b'=', ..] => (Some(VersionOp::Exactly), &rest[1..]),
        _ => (None, ""),
    };
    let version = without_colon(version.split(' ').next().unwrap_or_default());
    let op = op.filter(|_| !version.is_empty());
    Some(Dependency { name: name.into(), op, version: op.map(|_| version.into()) })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn keys_and_their_values() {
        let mut record = Record::of(
            "%NAME%\ninkcap\nnot asked for\n\n%DEPENDS%\nlibweir>=4.0\nsh\nlibreed.so=3-64\n\n%X\n%SIZE%\n42\n \nno key\n%OPTDEPENDS%\nfrogleap: to play\n%NAME%",
        );
        assert_eq!(record.next_key(), Some(("NAME", 1)));
        assert_eq!(record.text(), "inkcap");
        assert_eq!(record.next_key(), Some(("DEPENDS", 5)), "what nobody asked for is passed by");
        let said: Vec<_> = record.relations().into_iter().map(|d| (d.name, d.op, d.version)).collect();
        assert_eq!(said[0], ("libweir".into(), Some(VersionOp::AtLeast), Some("4.0".into())));
        assert_eq!(said[1], ("sh".into(), None, None));
        assert_eq!(said[2], ("libreed.so".into(), Some(VersionOp::Exactly), Some("3-64".into())));
        assert_eq!(record.text(), "", "all its values were read");
        assert_eq!(record.next_key(), Some(("SIZE", 11)), "a line that is no key is skipped");
        assert_eq!(record.number::<u64>(), Some(42));
        assert_eq!(record.next_key(), Some(("OPTDEPENDS", 15)), "a line of blanks is an empty one");
        let needs = record.needs();
        assert_eq!((&*needs[0][0].name, &*needs[1][0].name), ("frogleap", "%NAME%"), "no key within values");
        assert_eq!(record.next_key(), None);
    }

    #[test]
    fn relations_with_versions_and_with_what_they_are_good_for() {
        use VersionOp::{AtLeast, AtMost, Exactly, Less, More};
        for (value, name, op, version) in [
            ("weir", "weir", None, ""),
            ("weir: to weir", "weir", None, ""),
            ("weir<=1:2-3", "weir", Some(AtMost), "1:2-3"),
            ("weir>=4.0: to weir", "weir", Some(AtLeast), "4.0"),
            ("weir<5", "weir", Some(Less), "5"),
            ("weir>5", "weir", Some(More), "5"),
            ("libweir.so=3-64", "libweir.so", Some(Exactly), "3-64"),
            ("weir=", "weir", None, ""),
            ("weir= 5", "weir", None, ""),
        ] {
            let told = relation(value).unwrap();
            assert_eq!(
                (&*told.name, told.op, told.version.as_deref()),
                (name, op, op.map(|_| version)),
                "{value}"
            );
        }
        assert!(["", ":", "=5", " weir"].iter().all(|none| relation(none).is_none()));
    }

    proptest! {
        #[test]
        fn any_bytes_are_a_record(bytes in prop::collection::vec(prop_oneof![any::<u8>(), prop::sample::select(b"%%\n\nA>= ".to_vec())], 0..200)) {
            let text = text_of(&bytes);
            let mut record = Record::of(&text);
            let lines = text.split('\n').count();
            let mut last = 0;
            while let Some((_, line)) = record.next_key() {
                prop_assert!(line > last && line as usize <= lines);
                last = line;
                _ = record.relations();
            }
        }
    }
}
