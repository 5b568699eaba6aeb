//! Key files: groups in brackets, `key=value` lines. Desktop entries, session files, configuration.
//!
//! Follows the basic format of the Desktop Entry Specification 1.5. Crates for this fail on a bad line or on invalid
//! UTF-8; this decoder keeps what is good and names the rest.

use crate::text::{lines, text};
use rustc_hash::FxHashMap;
use smol_str::SmolStr;
use std::sync::OnceLock;
use tally_core::model::Unread;

/// A key file in the order of its lines.
#[derive(Debug, Default)]
pub(crate) struct KeyFile {
    groups: Vec<Group>,
    index: Index,
    /// Lines that are neither comment, group nor `key=value`.
    pub(crate) unread: Vec<Unread>,
}

/// One group.
#[derive(Debug)]
pub(crate) struct Group {
    name: SmolStr,
    entries: Vec<Entry>,
    index: Index,
}

/// A key with its value, and the line that it stands in.
#[derive(Debug)]
pub(crate) struct Entry {
    pub(crate) key: SmolStr,
    pub(crate) value: SmolStr,
    pub(crate) line: u32,
}

/// Where the first of each name is in a long list, once that was asked for.
#[derive(Debug, Default)]
struct Index(OnceLock<FxHashMap<SmolStr, usize>>);

/// A list as long as this is looked through from its start.
const SHORT: usize = 32;

impl Index {
    /// The first item of a name.
    fn first<'l, T>(&self, list: &'l [T], name_of: impl Fn(&T) -> &SmolStr, name: &str) -> Option<&'l T> {
        if list.len() <= SHORT {
            return list.iter().find(|item| name_of(item) == name);
        }
        let index = self.0.get_or_init(|| {
            list.iter().enumerate().rev().map(|(at, item)| (name_of(item).clone(), at)).collect()
        });
        list.get(*index.get(name)?)
    }
}

impl KeyFile {
    /// Decodes a key file; `file` names it in problems. Localised keys (`Name[de]`) are left out.
    pub(crate) fn parse(file: &str, bytes: &[u8]) -> Self {
        let mut parsed = Self::default();
        for (line, raw) in lines(bytes) {
            let content = raw.trim_ascii();
            if content.is_empty() || content[0] == b'#' {
                continue;
            }
            if let Some(name) = content.strip_prefix(b"[").and_then(|rest| rest.strip_suffix(b"]")) {
                parsed.groups.push(Group { name: text(name), entries: Vec::new(), index: Index::default() });
                continue;
            }
            let Some(equals) = memchr::memchr(b'=', content) else {
                parsed.unread.push(Unread::at(file, line, "is neither a group nor `key=value`"));
                continue;
            };
            let key = content[..equals].trim_ascii();
            if key.ends_with(b"]") {
                continue;
            }
            match parsed.groups.last_mut() {
                Some(group) => {
                    let (key, value) = (text(key), text(&content[equals + 1..]));
                    group.entries.push(Entry { key, value, line });
                }
                None => parsed.unread.push(Unread::at(file, line, "comes before the first group")),
            }
        }
        parsed
    }

    /// All groups, in the order of the file.
    pub(crate) fn groups(&self) -> impl Iterator<Item = &Group> {
        self.groups.iter()
    }

    /// The first group of that name.
    pub(crate) fn group(&self, name: &str) -> Option<&Group> {
        self.index.first(&self.groups, |group| &group.name, name)
    }
}

impl Group {
    /// What is between the brackets.
    pub(crate) fn name(&self) -> &str {
        &self.name
    }

    /// The raw value of the first entry with that key; `None` when absent or empty.
    pub(crate) fn get(&self, key: &str) -> Option<&SmolStr> {
        self.entry(key).map(|entry| &entry.value).filter(|value| !value.is_empty())
    }

    /// Its keys, in the order of the lines.
    pub(crate) fn keys(&self) -> impl Iterator<Item = &SmolStr> {
        self.entries.iter().map(|entry| &entry.key)
    }

    /// Its entries, in the order of the lines.
    pub(crate) fn entries(&self) -> impl Iterator<Item = &Entry> {
        self.entries.iter()
    }

    /// The first entry of a key.
    pub(crate) fn entry(&self, key: &str) -> Option<&Entry> {
        self.index.first(&self.entries, |entry| &entry.key, key)
    }

    /// A string value with its escapes (`\s \n \t \r \\`) resolved.
    pub(crate) fn string(&self, key: &str) -> Option<SmolStr> {
        self.get(key).map(|value| unescape(value))
    }

    /// Whether a boolean is true (`true`, or the `1` of old files).
    pub(crate) fn is_true(&self, key: &str) -> bool {
        self.get(key).is_some_and(|value| value.eq_ignore_ascii_case("true") || value == "1")
    }

    /// A list: values between semicolons, empty ones left out. One that is escaped belongs to its value.
    pub(crate) fn list(&self, key: &str) -> Vec<SmolStr> {
        let Some(value) = self.get(key) else { return Vec::new() };
        let mut after_backslash = false;
        let separates = |c: char| {
            let escaped = after_backslash;
            after_backslash = c == '\\' && !escaped;
            c == ';' && !escaped
        };
        value.split(separates).map(str::trim).filter(|item| !item.is_empty()).map(unescape).collect()
    }
}

fn unescape(value: &str) -> SmolStr {
    if !value.contains('\\') {
        return value.into();
    }
    let mut plain = String::with_capacity(value.len());
    let mut chars = value.chars();
    while let Some(c) = chars.next() {
        if c != '\\' {
            plain.push(c);
            continue;
        }
        match chars.next() {
            Some('s') => plain.push(' '),
            Some('n') => plain.push('\n'),
            Some('t') => plain.push('\t'),
            Some('r') => plain.push('\r'),
            Some(other) => plain.push(other),
            None => plain.push('\\'),
        }
    }
    plain.into()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn keeps_what_is_good_and_names_the_rest() {
        let file = b"stray=1\n# c\n[A]\nName=x\\sy\nName[de]=z\njunk\nList=a;;b;\nBad=\xff\n[A]\nName=second";
        let parsed = KeyFile::parse("f", file);
        let group = parsed.group("A").unwrap();
        assert_eq!(group.string("Name").unwrap(), "x y");
        assert_eq!(group.list("List"), ["a", "b"]);
        assert_eq!(group.get("Bad").unwrap(), "\u{fffd}");
        let places: Vec<Option<u32>> = parsed.unread.iter().map(|u| u.line).collect();
        assert_eq!(places, [Some(1), Some(6)]);
    }

    /// A string as the specification has it written.
    fn escaped(plain: &str, in_a_list: bool) -> String {
        let mut written = String::new();
        for (at, c) in plain.char_indices() {
            match c {
                '\\' => written.push_str("\\\\"),
                '\n' => written.push_str("\\n"),
                '\t' => written.push_str("\\t"),
                '\r' => written.push_str("\\r"),
                ' ' if at == 0 || at + 1 == plain.len() => written.push_str("\\s"),
                ';' if in_a_list => written.push_str("\\;"),
                other => written.push(other),
            }
        }
        written
    }

    fn plain() -> impl Strategy<Value = String> {
        "[a-z ;\\\\\n\t\r=#\\[\\]ü]{1,8}"
    }

    proptest! {
        #[test]
        fn what_the_specification_has_written_is_read(
            groups in prop::collection::btree_map(
                "[A-Z][a-z ]{0,6}[a-z]",
                prop::collection::btree_map("[A-Z][A-Za-z0-9-]{0,6}", (plain(), prop::collection::vec(plain(), 0..4)), 0..5),
                0..4,
            ),
            spaces in "[ ]{0,2}",
            ending in prop::sample::select(vec!["\n", "\r\n"]),
        ) {
            let mut file = format!("# a comment{ending}{ending}");
            for (name, entries) in &groups {
                file.push_str(&format!("[{name}]{ending}"));
                for (key, (value, list)) in entries {
                    file.push_str(&format!("{key}{spaces}={spaces}{}{ending}{key}[de]=x{ending}", escaped(value, false)));
                    let list: String = list.iter().map(|item| escaped(item, true) + ";").collect();
                    file.push_str(&format!("{key}-List={list}{ending}"));
                }
            }
            let parsed = KeyFile::parse("f", file.as_bytes());
            prop_assert_eq!(&parsed.unread, &Vec::new());
            prop_assert_eq!(parsed.groups().count(), groups.len());
            for (name, entries) in &groups {
                let group = parsed.group(name).unwrap();
                prop_assert_eq!(group.keys().count(), 2 * entries.len());
                for (key, (value, list)) in entries {
                    prop_assert_eq!(&group.string(key).unwrap(), value, "{:?}", file);
                    prop_assert_eq!(&group.list(&format!("{key}-List")), list, "{:?}", file);
                }
            }
        }

        #[test]
        fn any_bytes_will_do(bytes in prop::collection::vec(any::<u8>(), 0..200)) {
            KeyFile::parse("f", &bytes);
        }
    }
}
