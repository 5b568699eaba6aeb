//! `desc` and `files` records: a `%KEY%` line, values a line each, an empty line.

use smallvec::smallvec;
use std::borrow::Cow;
use std::ops::Range;
use tally_core::model::{Alternatives, Dependency, Text, VersionOp};

/// The text of a record; bytes that are not UTF-8 become U+FFFD.
pub(super) fn text_of(bytes: &[u8]) -> Cow<'_, str> {
    std::str::from_utf8(bytes).map_or_else(|_| String::from_utf8_lossy(bytes), Cow::Borrowed)
}

/// A key, the line it stands in, and which of the values are its own.
type Section<'a> = (&'a str, u32, Range<usize>);

/// A record: the values of each key, with the line of the key.
#[derive(Debug, Default)]
pub(super) struct Record<'a> {
    sections: Vec<Section<'a>>,
    values: Vec<&'a str>,
}

impl<'a> Record<'a> {
    pub(super) fn parse(text: &'a str) -> Self {
        let mut record = Record { sections: Vec::with_capacity(24), values: Vec::with_capacity(64) };
        let mut open = false;
        for (number, line) in (1..).zip(text.split('\n')) {
            let line = line.trim_ascii_end();
            let key = line.strip_prefix('%').and_then(|rest| rest.strip_suffix('%'));
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
        self.sections.iter().find(|(known, _, _)| *known == key)
    }

    pub(super) fn values(&self, key: &str) -> &[&'a str] {
        self.section(key).map_or(&[], |(_, _, own)| &self.values[own.clone()])
    }

    pub(super) fn line(&self, key: &str) -> Option<u32> {
        self.section(key).map(|(_, line, _)| *line)
    }

    pub(super) fn text(&self, key: &str) -> Option<Text> {
        let value = self.values(key).first()?.trim_ascii_start();
        (!value.is_empty()).then(|| value.into())
    }

    pub(super) fn number<N: std::str::FromStr>(&self, key: &str) -> Option<N> {
        self.values(key).first()?.parse().ok()
    }

    pub(super) fn relations(&self, key: &str) -> Vec<Dependency> {
        self.each_relation(key, |one| one)
    }

    /// As [`relations`](Self::relations); nobody can be chosen instead.
    pub(super) fn needs(&self, key: &str) -> Vec<Alternatives> {
        self.each_relation(key, |one| smallvec![one])
    }

    fn each_relation<T>(&self, key: &str, of: impl Fn(Dependency) -> T) -> Vec<T> {
        let values = self.values(key);
        let mut relations = Vec::with_capacity(values.len());
        relations.extend(values.iter().filter_map(|value| relation(value)).map(of));
        relations
    }
}

/// `name`, `name>=1.2`, and for optional ones `name: what it is good for`.
fn relation(value: &str) -> Option<Dependency> {
    let value = value.split(' ').next()?;
    let value = value.strip_suffix(':').unwrap_or(value);
    let name_end = value.bytes().position(|b| matches!(b, b'<' | b'>' | b'=')).unwrap_or(value.len());
    let (name, rest) = value.split_at(name_end);
    if name.is_empty() {
        return None;
    }
    let name = name.trim_ascii().into();
    let ops = [
        ("<=", VersionOp::AtMost),
        (">=", VersionOp::AtLeast),
        ("<", VersionOp::Less),
        (">", VersionOp::More),
        ("=", VersionOp::Exactly),
    ];
    let found = ops.iter().find_map(|(sign, op)| Some((*op, rest.strip_prefix(sign)?.trim_ascii())));
    Some(match found.filter(|(_, version)| !version.is_empty()) {
        Some((op, version)) => Dependency { name, op: Some(op), version: Some(version.into()) },
        None => Dependency { name, op: None, version: None },
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn keys_and_their_values() {
        let record = Record::parse(
            "%NAME%\ninkcap\n\n%DEPENDS%\nlibweir>=4.0\nsh\nlibreed.so=3-64\n\n%X\n%SIZE%\n42\n",
        );
        assert_eq!(record.text("NAME").as_deref(), Some("inkcap"));
        let said: Vec<_> =
            record.relations("DEPENDS").into_iter().map(|d| (d.name, d.op, d.version)).collect();
        assert_eq!(said[0], ("libweir".into(), Some(VersionOp::AtLeast), Some("4.0".into())));
        assert_eq!(said[1], ("sh".into(), None, None));
        assert_eq!(said[2], ("libreed.so".into(), Some(VersionOp::Exactly), Some("3-64".into())));
        assert_eq!(record.number::<u64>("SIZE"), Some(42), "a line that is no key is skipped");
        let optional = Record::parse("%OPTDEPENDS%\nfrogleap: to play\n");
        assert_eq!(optional.relations("OPTDEPENDS")[0].name, "frogleap");
    }

    proptest! {
        #[test]
        fn any_bytes_are_a_record(bytes in prop::collection::vec(any::<u8>(), 0..200)) {
            let text = text_of(&bytes);
            let record = Record::parse(&text);
            _ = record.relations("DEPENDS");
        }
    }
}
