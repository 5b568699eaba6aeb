//! `desc` and `files` records: a `%KEY%` line, values a line each, an empty line.

use crate::text::{lines, text};
use std::ops::Range;
use tally_core::model::{Dependency, Text, VersionOp};

/// A key, the line it stands in, and which of the values are its own.
type Section<'a> = (&'a [u8], u32, Range<usize>);

/// A record: the values of each key, with the line of the key.
#[derive(Debug, Default)]
pub(super) struct Record<'a> {
    sections: Vec<Section<'a>>,
    values: Vec<&'a [u8]>,
}

impl<'a> Record<'a> {
    pub(super) fn parse(bytes: &'a [u8]) -> Self {
        let mut record = Record { sections: Vec::with_capacity(24), values: Vec::with_capacity(64) };
        let mut open = false;
        for (number, line) in lines(bytes) {
            let line = line.trim_ascii_end();
            let key = line.strip_prefix(b"%").and_then(|rest| rest.strip_suffix(b"%"));
            match (key, record.sections.last_mut()) {
                (Some(key), _) if !open && !key.is_empty() => {
                    let none = record.values.len()..record.values.len();
                    record.sections.push((key, number, none));
                    open = true;
                }
                _ if line.is_empty() => open = false,
                (_, Some((_, _, own))) if open => {
                    record.values.push(line);
                    own.end = record.values.len();
                }
                _ => {}
            }
        }
        record
    }

    fn section(&self, key: &str) -> Option<&Section<'a>> {
        self.sections.iter().find(|(known, _, _)| *known == key.as_bytes())
    }

    pub(super) fn values(&self, key: &str) -> &[&'a [u8]] {
        self.section(key).map_or(&[], |(_, _, own)| &self.values[own.clone()])
    }

    pub(super) fn line(&self, key: &str) -> Option<u32> {
        self.section(key).map(|(_, line, _)| *line)
    }

    pub(super) fn text(&self, key: &str) -> Option<Text> {
        self.values(key).first().map(|value| text(value)).filter(|value| !value.is_empty())
    }

    pub(super) fn number<N: std::str::FromStr>(&self, key: &str) -> Option<N> {
        std::str::from_utf8(self.values(key).first()?).ok()?.parse().ok()
    }

    pub(super) fn relations(&self, key: &str) -> Vec<Dependency> {
        self.values(key).iter().filter_map(|value| relation(value)).collect()
    }
}

/// `name`, `name>=1.2`, and for optional ones `name: what it is good for`.
fn relation(value: &[u8]) -> Option<Dependency> {
    let value = value.split(|b| *b == b' ').next()?;
    let value = value.strip_suffix(b":").unwrap_or(value);
    let name_end = value.iter().position(|b| matches!(b, b'<' | b'>' | b'=')).unwrap_or(value.len());
    let (name, rest) = value.split_at(name_end);
    if name.is_empty() {
        return None;
    }
    let (op, version) = match rest {
        [b'<', b'=', version @ ..] => (VersionOp::AtMost, version),
        [b'>', b'=', version @ ..] => (VersionOp::AtLeast, version),
        [b'<', version @ ..] => (VersionOp::Less, version),
        [b'>', version @ ..] => (VersionOp::More, version),
        [b'=', version @ ..] => (VersionOp::Exactly, version),
        _ => return Some(Dependency { name: text(name), op: None, version: None }),
    };
    let version = Some(text(version)).filter(|version| !version.is_empty());
    Some(Dependency { name: text(name), op: version.as_ref().map(|_| op), version })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn keys_and_their_values() {
        let record = Record::parse(
            b"%NAME%\ninkcap\n\n%DEPENDS%\nlibweir>=4.0\nsh\nlibreed.so=3-64\n\n%X\n%SIZE%\n42\n",
        );
        assert_eq!(record.text("NAME").as_deref(), Some("inkcap"));
        let said: Vec<_> =
            record.relations("DEPENDS").into_iter().map(|d| (d.name, d.op, d.version)).collect();
        assert_eq!(said[0], ("libweir".into(), Some(VersionOp::AtLeast), Some("4.0".into())));
        assert_eq!(said[1], ("sh".into(), None, None));
        assert_eq!(said[2], ("libreed.so".into(), Some(VersionOp::Exactly), Some("3-64".into())));
        assert_eq!(record.number::<u64>("SIZE"), Some(42), "a line that is no key is skipped");
        let optional = Record::parse(b"%OPTDEPENDS%\nfrogleap: to play\n");
        assert_eq!(optional.relations("OPTDEPENDS")[0].name, "frogleap");
    }

    proptest! {
        #[test]
        fn any_bytes_are_a_record(bytes in prop::collection::vec(any::<u8>(), 0..200)) {
            let record = Record::parse(&bytes);
            _ = record.relations("DEPENDS");
        }
    }
}
