//! The line of a package, in the one form in which [`encode`](crate::encode) writes it.
//!
//! Comparing two installs is little more than reading both: a hundred thousand names and versions, of which serde can't know
//! that each is where it was in the line before. Read by their places they take less than half the instructions. Anything that is not
//! written so (edited, damaged, of an earlier version, a name with an escape in it) is left to serde, which tells what is wrong.

use memchr::memmem::Finder;
use tally_core::model::{
    Alternatives, Dependency, Kind, Package, Phase, Reason, State, System, Text, VersionOp,
};

/// The first key that comparing does not take. Within a string both quotes would be escaped, so that only a key can look like this.
pub(crate) const NEXT: &str = ", \"suggests\": ";

/// Reads packages as far as comparing takes them, up to `built`; what follows is neither read nor kept.
pub(crate) struct Brief {
    next: Finder<'static>,
    /// Lists grow in these, and are then kept at their size.
    relations: Vec<Alternatives>,
    dependencies: Vec<Dependency>,
}

impl Brief {
    pub(crate) fn new() -> Self {
        Self { next: Finder::new(NEXT), relations: Vec::new(), dependencies: Vec::new() }
    }

    /// `None` where anything is not as this program writes it.
    pub(crate) fn package(&mut self, line: &[u8]) -> Option<Package> {
        let end = self.next.find(line).filter(|_| line.ends_with(b"}"))?;
        let line = std::str::from_utf8(&line[..end]).ok()?;
        self.relations.clear();
        self.dependencies.clear();
        let (relations, dependencies) = (&mut self.relations, &mut self.dependencies);
        // A control character in a string is no JSON; written is an escape.
        if line.bytes().fold(false, |any, byte| any | (byte < b' ')) {
            return None;
        }
        let mut cursor = Cursor { rest: line };
        let c = &mut cursor;
        c.past("  {\"system\": ")?;
        let system = c.word(System::from_name)?;
        let (name, version) = (c.at(", \"name\": ")?.text()?, c.at(", \"version\": ")?.text()?);
        let package = Package {
            upstream_version: c.at(", \"upstream_version\": ")?.text()?,
            arch: c.at(", \"arch\": ")?.text()?,
            source: c.at(", \"source\": ")?.or_null(Cursor::text)?,
            installed_bytes: c.at(", \"installed_bytes\": ")?.or_null(Cursor::number)?,
            reason: c.at(", \"reason\": ")?.word(Reason::from_name)?,
            essential: c.at(", \"essential\": ")?.bool()?,
            kept: c.past(", \"kept\": true").is_some(),
            state: c.at(", \"state\": ")?.word(State::from_name)?,
            kind: c.at(", \"kind\": ")?.word(Kind::from_name)?,
            companion_of: c.at(", \"companion_of\": ")?.or_null(Cursor::text)?,
            phase: c.at(", \"phase\": ")?.word(Phase::from_name)?,
            shipped_version: c.at(", \"shipped_version\": ")?.or_null(Cursor::text)?,
            depends: c.at(", \"depends\": ")?.list(relations, Cursor::alternatives)?,
            recommends: c.at(", \"recommends\": ")?.list(relations, Cursor::alternatives)?,
            provides: c.at(", \"provides\": ")?.list(dependencies, Cursor::dependency)?,
            replaces: c.at(", \"replaces\": ")?.list(dependencies, Cursor::dependency)?,
            conflicts: c.at(", \"conflicts\": ")?.list(dependencies, Cursor::dependency)?,
            // Left out where it is not known.
            built: if c.past(", \"built\": ").is_some() { Some(c.text()?) } else { None },
            ..Package::new(system, name, version)
        };
        c.rest.is_empty().then_some(package)
    }
}

/// What is still to be read.
struct Cursor<'a> {
    rest: &'a str,
}

impl Cursor<'_> {
    /// Goes past `text`, if it is here.
    #[inline]
    fn past(&mut self, text: &str) -> Option<()> {
        self.rest = self.rest.strip_prefix(text)?;
        Some(())
    }

    /// Goes past a key to its value.
    #[inline]
    fn at(&mut self, key: &str) -> Option<&mut Self> {
        self.past(key)?;
        Some(self)
    }

    fn or_null<T>(&mut self, value: impl FnOnce(&mut Self) -> Option<T>) -> Option<Option<T>> {
        if self.past("null").is_some() { Some(None) } else { value(self).map(Some) }
    }

    fn bool(&mut self) -> Option<bool> {
        self.past("false").map(|()| false).or_else(|| self.past("true").map(|()| true))
    }

    fn number(&mut self) -> Option<u64> {
        let end = self.rest.bytes().position(|byte| !byte.is_ascii_digit())?;
        let (digits, rest) = self.rest.split_at(end);
        self.rest = rest;
        digits.parse().ok().filter(|_| digits == "0" || !digits.starts_with('0'))
    }

    fn word<T>(&mut self, known: impl Fn(&str) -> Option<T>) -> Option<T> {
        self.string().and_then(known)
    }

    fn text(&mut self) -> Option<Text> {
        self.string().map(Text::new)
    }

    /// A string without escapes.
    fn string(&mut self) -> Option<&str> {
        self.past("\"")?;
        let end = memchr::memchr2(b'"', b'\\', self.rest.as_bytes())?;
        let (string, rest) = self.rest.split_at(end);
        self.rest = rest.strip_prefix('"')?;
        Some(string)
    }

    #[allow(
        clippy::drain_collect,
        reason = "the room is kept for the next list, and what is returned has its own size"
    )]
    fn list<T>(&mut self, room: &mut Vec<T>, element: impl Fn(&mut Self) -> Option<T>) -> Option<Vec<T>> {
        self.elements(|cursor| element(cursor).map(|element| room.push(element)))?;
        Some(room.drain(..).collect())
    }

    fn alternatives(&mut self) -> Option<Alternatives> {
        let mut alternatives = Alternatives::new();
        self.elements(|cursor| cursor.dependency().map(|one| alternatives.push(one)))?;
        Some(alternatives)
    }

    /// Each element between brackets.
    fn elements(&mut self, mut element: impl FnMut(&mut Self) -> Option<()>) -> Option<()> {
        self.past("[")?;
        if self.past("]").is_some() {
            return Some(());
        }
        loop {
            element(self)?;
            if self.past(", ").is_none() {
                return self.past("]");
            }
        }
    }

    fn dependency(&mut self) -> Option<Dependency> {
        let name = self.at("{\"name\": ")?.text()?;
        let op = match self.past(", \"op\": ") {
            Some(()) => Some(self.word(VersionOp::from_name)?),
            None => None,
        };
        let version = match self.past(", \"version\": ") {
            Some(()) => Some(self.text()?),
            None => None,
        };
        self.past("}")?;
        Some(Dependency { name, op, version })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::codec::encode_packages;
    use proptest::prelude::*;
    use tally_core::model::Evidence;

    fn line_of(package: &Package) -> String {
        let text = String::from_utf8(encode_packages(std::slice::from_ref(package), true).unwrap()).unwrap();
        text.trim_start_matches('\n').to_owned()
    }

    fn read(line: &str) -> Option<Package> {
        Brief::new().package(line.as_bytes())
    }

    /// The package without all that is behind `built`.
    fn in_brief(package: &Package) -> Package {
        Package {
            suggests: Vec::new(),
            section: Text::default(),
            archive_section: None,
            purl: Text::default(),
            summary: Text::default(),
            homepage: Text::default(),
            license: None,
            download_bytes: None,
            kind_because: tally_core::model::KindReason::default(),
            installed_at: None,
            repository: None,
            evidence: Evidence::default(),
            ..package.clone()
        }
    }

    fn dependency(name: impl Strategy<Value = String>) -> impl Strategy<Value = Dependency> {
        let op = prop::option::of(prop::sample::select(VersionOp::ALL));
        (name, op, prop::option::of("[0-9a-z:.+~-]{1,30}")).prop_map(|(name, op, version)| Dependency {
            name: name.into(),
            op,
            version: version.map(Text::from),
        })
    }

    /// Any package whose name and summary are of these characters.
    fn package(characters: &'static str) -> impl Strategy<Value = Package> {
        let one = || dependency(characters.prop_map(|text: String| text));
        let alternatives = || {
            let any_of = prop::collection::vec(one(), 0..3).prop_map(Alternatives::from_vec);
            prop::collection::vec(any_of, 0..5)
        };
        let list = || prop::collection::vec(one(), 0..3);
        let text = || characters.prop_map(Text::from);
        let words = (
            prop::sample::select(System::ALL),
            prop::sample::select(Reason::ALL),
            prop::sample::select(State::ALL),
            prop::sample::select(Kind::ALL),
            prop::sample::select(Phase::ALL),
            any::<[bool; 2]>(),
            any::<[Option<u64>; 2]>(),
        );
        let texts = (text(), text(), text(), prop::option::of(text()), prop::option::of(text()), text());
        let lists = (alternatives(), alternatives(), alternatives(), list(), list(), list());
        (words, texts, lists).prop_map(|(words, texts, lists)| {
            let (system, reason, state, kind, phase, [essential, kept], [installed_bytes, download_bytes]) =
                words;
            let (name, version, upstream_version, source, shipped_version, summary) = texts;
            let (depends, recommends, suggests, provides, replaces, conflicts) = lists;
            let mut package = Package::new(system, name, version);
            (package.reason, package.state, package.kind, package.phase) = (reason, state, kind, phase);
            (package.essential, package.kept) = (essential, kept);
            (package.installed_bytes, package.download_bytes) = (installed_bytes, download_bytes);
            package.companion_of = source.clone();
            (package.source, package.shipped_version) = (source, shipped_version);
            (package.upstream_version, package.summary) = (upstream_version, summary);
            (package.depends, package.recommends, package.suggests) = (depends, recommends, suggests);
            (package.provides, package.replaces, package.conflicts) = (provides, replaces, conflicts);
            package.evidence = Evidence::line("var/lib/dpkg/status", 3);
            package
        })
    }

    #[test]
    fn what_stands_in_another_order_or_form_is_left_to_serde() {
        let line = line_of(&Package::new(System::Dpkg, "curlew", "1:2.0-1"));
        assert!(read(&line).is_some());
        let other = [
            line.replace(
                "\"state\": \"installed\", \"kind\": \"unknown\"",
                "\"kind\": \"unknown\", \"state\": \"installed\"",
            ),
            line.replace(": ", ":"),
            line.replace("\"installed_bytes\": null", "\"installed_bytes\": 007"),
            line.replace("\"installed_bytes\": null", "\"installed_bytes\": 18446744073709551616"),
            line.replace("curlew", "cur\tlew"),
            line.replace("curlew", "cur\\u006cew"),
            line.replace("[]", "[[{\"name\": \"weir\", \"op\": null}]]"),
        ];
        for other in other {
            assert_ne!(other, line);
            assert_eq!(read(&other), None, "{other}");
        }
    }

    proptest! {
        #[test]
        fn what_was_written_is_read_up_to_what_comparing_takes(package in package("[ -!#-\\[\\]-~äß東]{0,30}")) {
            let line = line_of(&package);
            prop_assert_eq!(read(&line), Some(in_brief(&package)), "{}", line);
        }

        #[test]
        fn one_reader_reads_line_after_line(packages in prop::collection::vec(package("\\PC{0,12}"), 1..6)) {
            let mut brief = Brief::new();
            for package in packages {
                let line = line_of(&package);
                let escaped = line.contains('\\');
                match brief.package(line.as_bytes()) {
                    Some(read) => prop_assert_eq!(read, in_brief(&package)),
                    None => prop_assert!(escaped, "{}", line),
                }
            }
        }

        #[test]
        fn a_changed_line_is_read_as_serde_reads_it_or_not_at_all(
            package in package("[a-z]{0,8}"), at in any::<prop::sample::Index>(), byte in b' '..0x7f,
        ) {
            let mut bytes = line_of(&package).into_bytes();
            let at = at.index(bytes.len());
            bytes[at] = byte;
            let line = String::from_utf8(bytes).unwrap();
            if let Some(read) = read(&line) {
                let end = line.find(", \"suggests\": ").unwrap();
                let head: Package = serde_json::from_str(&format!("{}}}", &line[..end])).unwrap();
                prop_assert_eq!(read, head);
            }
        }

        #[test]
        fn no_text_makes_it_panic(line in "  \\{\"system\": \"dpkg\", \"name\": \\PC{0,60}") {
            prop_assert_eq!(read(&line), None);
        }
    }
}
