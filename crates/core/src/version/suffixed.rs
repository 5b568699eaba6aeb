//! The orders of apk and Portage versions, which have one shape: numbers, a letter, named suffixes, a revision.

use super::key::Key;
use super::segments::digits_order;
use std::cmp::Ordering;

/// Suffixes that come before the release itself; the others come after it.
const BEFORE: [&[u8]; 4] = [b"alpha", b"beta", b"pre", b"rc"];

/// What may come after the release, in order.
const APK_AFTER: &[&[u8]] = &[b"cvs", b"svn", b"git", b"hg", b"p"];

/// What may come after the release, in order.
const PORTAGE_AFTER: &[&[u8]] = &[b"p"];

/// Compares two versions of Alpine packages: `1.2.3a_rc1-r0`; a hash behind `~` does not count.
pub fn compare_apk(a: &str, b: &str) -> Ordering {
    Parsed::of(a, APK_AFTER).cmp_to(&Parsed::of(b, APK_AFTER), Fraction::AsWritten)
}

/// Compares two versions of ebuilds by the Package Manager Specification: `1.2.3a_rc1_p2-r1`.
pub fn compare_portage(a: &str, b: &str) -> Ordering {
    Parsed::of(a, PORTAGE_AFTER).cmp_to(&Parsed::of(b, PORTAGE_AFTER), Fraction::WithoutZerosBehind)
}

/// How numbers behind a point compare when one of them begins with 0: as fractions, bytewise.
#[derive(Clone, Copy)]
enum Fraction {
    AsWritten,
    WithoutZerosBehind,
}

/// A version taken apart; what does not fit the shape is kept, and counts last.
struct Parsed<'a> {
    numbers: Vec<&'a [u8]>,
    letter: u8,
    /// Rank of each suffix (below 0 before the release) and its number.
    suffixes: Vec<(i32, &'a [u8])>,
    revision: &'a [u8],
    rest: &'a [u8],
}

impl<'a> Parsed<'a> {
    fn of(text: &'a str, after: &[&[u8]]) -> Self {
        let mut rest = text.as_bytes();
        let mut parsed =
            Self { numbers: Vec::new(), letter: 0, suffixes: Vec::new(), revision: b"", rest: b"" };
        loop {
            let (number, next) = rest.split_at(digits(rest));
            if number.is_empty() {
                break;
            }
            parsed.numbers.push(number);
            match next {
                [b'.', digit, ..] if digit.is_ascii_digit() => rest = &next[1..],
                _ => {
                    rest = next;
                    break;
                }
            }
        }
        if let [letter @ b'a'..=b'z', next @ ..] = rest {
            (parsed.letter, rest) = (*letter, next);
        }
        while let Some((rank, next)) = rest.strip_prefix(b"_").and_then(|next| suffix(next, after)) {
            let (number, next) = next.split_at(digits(next));
            parsed.suffixes.push((rank, number));
            rest = next;
        }
        if let [b'~', next @ ..] = rest {
            let end = next.iter().position(|b| !b.is_ascii_hexdigit()).unwrap_or(next.len());
            rest = &next[end..];
        }
        if let Some(next) = rest.strip_prefix(b"-r") {
            let (number, next) = next.split_at(digits(next));
            (parsed.revision, rest) = (number, next);
        }
        parsed.rest = rest;
        parsed
    }

    fn cmp_to(&self, other: &Self, fraction: Fraction) -> Ordering {
        self.numbers_order(other, fraction)
            .then_with(|| self.letter.cmp(&other.letter))
            .then_with(|| self.suffixes_order(other))
            .then_with(|| digits_order(self.revision, other.revision))
            .then_with(|| self.rest.cmp(other.rest))
    }

    fn numbers_order(&self, other: &Self, fraction: Fraction) -> Ordering {
        for (i, (a, b)) in self.numbers.iter().zip(&other.numbers).enumerate() {
            let order = if i > 0 && (a[0] == b'0' || b[0] == b'0') {
                match fraction {
                    Fraction::AsWritten => a.cmp(b),
                    Fraction::WithoutZerosBehind => without_zeros_behind(a).cmp(without_zeros_behind(b)),
                }
            } else {
                digits_order(a, b)
            };
            if order.is_ne() {
                return order;
            }
        }
        self.numbers.len().cmp(&other.numbers.len())
    }

    /// No suffix is between those before and those after the release.
    fn suffixes_order(&self, other: &Self) -> Ordering {
        let none = (0, &b""[..]);
        for i in 0..self.suffixes.len().max(other.suffixes.len()) {
            let (a, b) = (self.suffixes.get(i).unwrap_or(&none), other.suffixes.get(i).unwrap_or(&none));
            let order = a.0.cmp(&b.0).then_with(|| digits_order(a.1, b.1));
            if order.is_ne() {
                return order;
            }
        }
        Ordering::Equal
    }
}

fn digits(text: &[u8]) -> usize {
    text.iter().position(|b| !b.is_ascii_digit()).unwrap_or(text.len())
}

fn without_zeros_behind(number: &[u8]) -> &[u8] {
    let end = number.iter().rposition(|b| *b != b'0').map_or(0, |at| at + 1);
    &number[..end]
}

/// Rank of the suffix that a text begins with, and what follows it.
fn suffix<'a>(text: &'a [u8], after: &[&[u8]]) -> Option<(i32, &'a [u8])> {
    let end = text.iter().position(|b| !b.is_ascii_lowercase()).unwrap_or(text.len());
    let (word, rest) = text.split_at(end);
    let rank = |at: usize| i32::try_from(at).unwrap_or(0);
    let before = BEFORE.iter().position(|known| *known == word).map(|at| rank(at) - rank(BEFORE.len()));
    let rank = before.or_else(|| after.iter().position(|known| *known == word).map(|at| rank(at) + 1))?;
    Some((rank, rest))
}

/// Bytes whose plain order is that of [`compare_apk`].
pub(crate) fn key_apk(version: &str) -> Vec<u8> {
    Parsed::of(version, APK_AFTER).key(Fraction::AsWritten)
}

/// Bytes whose plain order is that of [`compare_portage`].
pub(crate) fn key_portage(version: &str) -> Vec<u8> {
    Parsed::of(version, PORTAGE_AFTER).key(Fraction::WithoutZerosBehind)
}

impl Parsed<'_> {
    fn key(&self, fraction: Fraction) -> Vec<u8> {
        let mut key = Key::default();
        for (i, number) in self.numbers.iter().enumerate() {
            key = match (i > 0 && number[0] == b'0', fraction) {
                (false, _) => key.mark(2).number(number),
                (true, Fraction::AsWritten) => key.mark(1).bytes(number.iter().copied()),
                (true, Fraction::WithoutZerosBehind) => {
                    key.mark(1).bytes(without_zeros_behind(number).iter().copied())
                }
            };
        }
        key = key.mark(0).mark(self.letter);
        for (rank, number) in &self.suffixes {
            let rank = u8::try_from(rank + 0x40).unwrap_or(u8::MAX);
            key = key.mark(rank).number(number);
        }
        // No suffix is between those before and those after the release.
        key = key.mark(0x40).number(self.revision);
        key.bytes(self.rest.iter().copied()).done()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn the_shape_part_by_part() {
        let rising = [
            "1.0_alpha",
            "1.0_alpha2",
            "1.0_beta1",
            "1.0_pre",
            "1.0_rc1",
            "1.0",
            "1.0-r1",
            "1.0_p1",
            "1.0_p1-r3",
            "1.0a",
            "1.0b",
            "1.0.1",
            "1.1",
            "1.9",
            "1.10",
            "2",
        ];
        for (i, a) in rising.iter().enumerate() {
            for (j, b) in rising.iter().enumerate() {
                assert_eq!(compare_apk(a, b), i.cmp(&j), "apk {a} {b}");
                assert_eq!(compare_portage(a, b), i.cmp(&j), "portage {a} {b}");
            }
        }
        assert_eq!(compare_apk("1.0_git20240101", "1.0_p1"), Ordering::Less);
        assert_eq!(compare_apk("1.0~abc-r1", "1.0-r1"), Ordering::Equal);
        assert_eq!(compare_portage("1.010", "1.01"), Ordering::Equal, "zeros behind do not count");
        assert_eq!(compare_portage("1.01", "1.1"), Ordering::Less);
        assert_eq!(compare_portage("1.0-r0", "1.0"), Ordering::Equal);
    }

    proptest! {
        #[test]
        fn it_is_an_order(a in "[0-2]([.][0-2]{1,2}){0,2}[ab]?(_(rc|p|alpha)[0-2]?){0,2}(-r[0-2])?", b in "[0-2]([.][0-2]{1,2}){0,2}[ab]?(_(rc|p)[0-2]?)?", c in ".{0,5}") {
            for compare in [compare_apk, compare_portage] {
                prop_assert_eq!(compare(&a, &a), Ordering::Equal);
                prop_assert_eq!(compare(&a, &b), compare(&b, &a).reverse());
                prop_assert_eq!(compare(&a, &c), compare(&c, &a).reverse());
            }
        }
    }
}
