//! Patterns of package names: `*` any run, `?` one character, `#` a run of digits and dots, `|` or.

use crate::model::{System, Text};
use memchr::memmem::Finder;
use rustc_hash::FxHashSet;
use serde::de::Error;
use serde::{Deserialize, Deserializer};

/// Whether `name` matches one alternative of `pattern`.
///
/// ```
/// use tally_core::knowledge::matches;
/// assert!(matches("linux-image-#-*|kernel-core", "linux-image-6.9.2-amd64"));
/// assert!(!matches("libgtk-#", "libgtk-"));
/// ```
pub fn matches(pattern: &str, name: &str) -> bool {
    pattern.split('|').any(|alternative| glob(alternative.as_bytes(), name.as_bytes()))
}

/// A pattern as a table has it: one, or an array of which any will do.
#[derive(Deserialize)]
#[serde(untagged, expecting = "a pattern or an array of patterns")]
enum OneOrMore {
    One(Text),
    More(Vec<Text>),
}

/// Reads a pattern of a table.
pub(super) fn pattern<'de, D: Deserializer<'de>>(from: D) -> Result<Text, D::Error> {
    let joined = match OneOrMore::deserialize(from)? {
        OneOrMore::One(one) => one,
        OneOrMore::More(more) => more.join("|").into(),
    };
    if joined.split('|').any(str::is_empty) {
        return Err(D::Error::custom("a pattern is empty, and would match nothing"));
    }
    Ok(joined)
}

/// Reads a pattern that a table may leave out.
pub(super) fn some_pattern<'de, D: Deserializer<'de>>(from: D) -> Result<Option<Text>, D::Error> {
    pattern(from).map(Some)
}

/// Package systems as a table has them.
#[derive(Deserialize)]
#[serde(untagged, expecting = "the name of a package system or an array of them")]
enum OneOrMoreSystems {
    One(System),
    More(Vec<System>),
}

/// Reads package systems of a table: one, or an array.
pub(super) fn systems<'de, D: Deserializer<'de>>(from: D) -> Result<Vec<System>, D::Error> {
    match OneOrMoreSystems::deserialize(from)? {
        OneOrMoreSystems::One(one) => Ok(vec![one]),
        OneOrMoreSystems::More(more) if more.is_empty() => {
            Err(D::Error::custom("no package system is named, and the rule would match nothing"))
        }
        OneOrMoreSystems::More(more) => Ok(more),
    }
}

/// Greedy matching with one point of return; linear in practice, quadratic at worst.
fn glob(pattern: &[u8], name: &[u8]) -> bool {
    let (mut p, mut n) = (0, 0);
    let mut retry: Option<(usize, usize)> = None;
    loop {
        let step = match pattern.get(p) {
            None if n == name.len() => return true,
            Some(b'*') => {
                retry = Some((p, n));
                p += 1;
                continue;
            }
            Some(b'#') => digits(&name[n..]).map(|length| (1, length)),
            Some(b'?') if n < name.len() => Some((1, 1)),
            Some(byte) if name.get(n) == Some(byte) => Some((1, 1)),
            _ => None,
        };
        match (step, &mut retry) {
            (Some((dp, dn)), _) => (p, n) = (p + dp, n + dn),
            (None, Some((star, at))) if *at < name.len() => {
                *at += 1;
                (p, n) = (*star + 1, *at);
            }
            (None, _) => return false,
        }
    }
}

/// Length of a run of digits with dots between them.
fn digits(bytes: &[u8]) -> Option<usize> {
    let end = bytes.iter().position(|b| !b.is_ascii_digit() && *b != b'.').unwrap_or(bytes.len());
    let end = bytes[..end].iter().rposition(u8::is_ascii_digit)? + 1;
    bytes[0].is_ascii_digit().then_some(end)
}

/// A pattern, and the literal beginning that a sorted list can be searched for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Pattern {
    alternatives: Vec<(Text, usize)>,
}

impl Pattern {
    /// Splits a pattern in its alternatives.
    pub fn new(text: &str) -> Self {
        let literal = |alternative: &str| alternative.find(['*', '?', '#']).unwrap_or(alternative.len());
        Self { alternatives: text.split('|').map(|a| (Text::from(a), literal(a))).collect() }
    }

    /// Positions in a sorted list of names that match, alternative by alternative.
    pub fn find<'n>(&self, sorted: &[&'n str]) -> Vec<&'n str> {
        let mut found = Vec::new();
        for (alternative, literal) in &self.alternatives {
            let prefix = &alternative[..*literal];
            let start = sorted.partition_point(|name| *name < prefix);
            let candidates = sorted[start..].iter().take_while(|name| name.starts_with(prefix));
            if *literal == alternative.len() {
                found.extend(candidates.take(1).filter(|name| **name == alternative.as_str()));
            } else {
                found.extend(candidates.filter(|name| glob(alternative.as_bytes(), name.as_bytes())));
            }
        }
        found
    }
}

/// A pattern made ready to be held against many names.
///
/// Alternatives without signs are looked up, those whose only signs are a `*` at the end, the beginning or both are compared by
/// their fixed part, and only the rest is matched character by character.
#[derive(Debug, Clone, Default)]
pub struct Matcher<'p> {
    exact: FxHashSet<&'p str>,
    /// In their order.
    prefixes: Vec<&'p str>,
    suffixes: Vec<&'p str>,
    within: Vec<Finder<'p>>,
    others: Vec<&'p str>,
    /// First bytes that an exact name, a prefix or another pattern can begin with, and last bytes of suffixes.
    exact_firsts: ByteSet,
    firsts: ByteSet,
    lasts: ByteSet,
}

/// A set of bytes.
#[derive(Debug, Clone, Copy, Default)]
struct ByteSet([u64; 4]);

impl ByteSet {
    fn add(&mut self, byte: Option<&u8>) {
        match byte {
            Some(byte) => self.0[usize::from(byte >> 6)] |= 1 << (byte & 63),
            None => *self = Self([u64::MAX; 4]),
        }
    }

    const fn has(self, byte: u8) -> bool {
        self.0[(byte >> 6) as usize] & 1 << (byte & 63) != 0
    }
}

impl<'p> Matcher<'p> {
    /// Makes a pattern ready.
    pub fn new(pattern: &'p str) -> Self {
        let mut matcher = Self::default();
        let plain = |text: &str| !text.contains(['*', '?', '#']);
        for alternative in pattern.split('|') {
            let bare = alternative.strip_prefix('*').and_then(|rest| rest.strip_suffix('*'));
            match (alternative.strip_suffix('*'), alternative.strip_prefix('*')) {
                _ if plain(alternative) => {
                    matcher.exact_firsts.add(alternative.as_bytes().first());
                    matcher.exact.insert(alternative);
                }
                (Some(prefix), _) if plain(prefix) => {
                    matcher.firsts.add(prefix.as_bytes().first());
                    matcher.prefixes.push(prefix);
                }
                (_, Some(suffix)) if plain(suffix) => {
                    matcher.lasts.add(suffix.as_bytes().last());
                    matcher.suffixes.push(suffix);
                }
                _ if bare.is_some_and(|bare| plain(bare) && !bare.is_empty()) => {
                    matcher.within.extend(bare.map(Finder::new));
                }
                _ => {
                    let first = alternative.as_bytes().first().filter(|first| !b"*?#".contains(first));
                    matcher.firsts.add(first);
                    matcher.others.push(alternative);
                }
            }
        }
        matcher.prefixes.sort_unstable();
        matcher
    }

    /// Whether a name matches one alternative.
    pub fn is_match(&self, name: &str) -> bool {
        let bytes = name.as_bytes();
        let (Some(first), Some(last)) = (bytes.first(), bytes.last()) else { return self.matches_nothing() };
        (self.exact_firsts.has(*first) && self.exact.contains(name))
            || (self.firsts.has(*first)
                && (self.has_prefix_of(name)
                    || self.others.iter().any(|other| glob(other.as_bytes(), bytes))))
            || (self.lasts.has(*last) && self.suffixes.iter().any(|suffix| name.ends_with(suffix)))
            || self.within.iter().any(|within| within.find(bytes).is_some())
    }

    /// Whether a name begins with one of the prefixes. Those are among the sorted ones from the first that begins as it does up to
    /// where it would be itself.
    fn has_prefix_of(&self, name: &str) -> bool {
        let first = name.as_bytes().first();
        let from = self.prefixes.partition_point(|prefix| prefix.as_bytes().first() < first);
        let candidates = self.prefixes[from..].iter().take_while(|prefix| **prefix <= name);
        self.prefixes.first().is_some_and(|prefix| prefix.is_empty())
            || candidates.into_iter().any(|prefix| name.starts_with(prefix))
    }

    /// Whether the empty name matches.
    fn matches_nothing(&self) -> bool {
        self.exact.contains("")
            || self.prefixes.iter().chain(&self.suffixes).any(|fixed| fixed.is_empty())
            || self.others.iter().any(|other| glob(other.as_bytes(), b""))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn stars_hashes_and_alternatives() {
        for (pattern, name, expected) in [
            ("a*c", "abbc", true),
            ("a*c", "abb", false),
            ("python#", "python3.12", true),
            ("python#", "python3.12-minimal", false),
            ("linux-image-#-*", "linux-image-6.1.0-18-amd64", true),
            ("linux-image-#-*", "linux-image-amd64", false),
            ("x|y?", "yz", true),
            ("", "", true),
            ("*", "", true),
            ("**a*b", "xxaxxb", true),
        ] {
            assert_eq!(matches(pattern, name), expected, "{pattern} on {name}");
        }
    }

    proptest! {
        #[test]
        fn finding_in_a_sorted_list_is_filtering(
            mut names in proptest::collection::vec("[a-c1.-]{0,5}", 0..20), pattern in "[a-c]{0,2}[*#?]?[a-c]{0,1}"
        ) {
            names.sort();
            names.dedup();
            let sorted: Vec<&str> = names.iter().map(String::as_str).collect();
            let filtered: Vec<&str> = sorted.iter().copied().filter(|n| matches(&pattern, n)).collect();
            prop_assert_eq!(Pattern::new(&pattern).find(&sorted), filtered);
        }

        #[test]
        fn a_matcher_says_the_same(name in "[a-c1.-]{0,5}", pattern in "[a-c*#?]{0,3}(\\|[a-c*]{0,3}){0,3}") {
            prop_assert_eq!(Matcher::new(&pattern).is_match(&name), matches(&pattern, &name), "{} on {}", pattern, name);
        }
    }
}
