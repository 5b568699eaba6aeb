//! The order for versions that belong to no package system, or to two: numbers as numbers, words as words.

use super::key::Key;
use smallvec::SmallVec;
use std::cmp::Ordering;

/// Compares two upstream versions: numeric fields as numbers, words alphabetically, a word that announces a
/// release (`alpha`, `beta`, `pre`, `rc`, `dev`) before the release itself, anything else after it.
///
/// Separators only separate; letter case does not count, nor do zeros that no other number follows: `3.0` is `3`, and `3.0rc1` is
/// `3rc1`.
pub fn compare(a: &str, b: &str) -> Ordering {
    let (a, b) = (told(a), told(b));
    for at in 0..=a.len().max(b.len()) {
        let (a, b) = (a.get(at).copied(), b.get(at).copied());
        let order = rank(a).cmp(&rank(b)).then_with(|| compare_fields(a, b));
        if order.is_ne() {
            return order;
        }
    }
    Ordering::Equal
}

/// The fields of a version without the zeros before a word or the end.
fn told(version: &str) -> SmallVec<[&[u8]; 12]> {
    let mut told: SmallVec<[&[u8]; 12]> = SmallVec::new();
    let drop_zeros = |told: &mut SmallVec<[&[u8]; 12]>| {
        while told.last().is_some_and(|field| field.iter().all(|byte| *byte == b'0')) {
            told.pop();
        }
    };
    for field in Fields(version.as_bytes()) {
        if !field[0].is_ascii_digit() {
            drop_zeros(&mut told);
        }
        told.push(field);
    }
    drop_zeros(&mut told);
    told
}

/// Runs of digits and runs of letters, in turn.
struct Fields<'a>(&'a [u8]);

impl<'a> Iterator for Fields<'a> {
    type Item = &'a [u8];

    fn next(&mut self) -> Option<&'a [u8]> {
        let start = self.0.iter().position(|b| b.is_ascii_alphanumeric() || !b.is_ascii())?;
        let rest = &self.0[start..];
        let digits = rest[0].is_ascii_digit();
        let end = rest
            .iter()
            .position(|b| {
                if digits { !b.is_ascii_digit() } else { b.is_ascii_digit() || b.is_ascii_punctuation() }
            })
            .unwrap_or(rest.len());
        let (field, rest) = rest.split_at(end);
        self.0 = rest;
        Some(field)
    }
}

/// Words that announce a release, earliest first.
const ANNOUNCING: [&[u8]; 6] = [b"dev", b"alpha", b"beta", b"pre", b"preview", b"rc"];

/// Announcing words in their order, then the end, other words, numbers.
fn rank(field: Option<&[u8]>) -> usize {
    let announcing = |field: &[u8]| ANNOUNCING.iter().position(|word| field.eq_ignore_ascii_case(word));
    match field {
        None => ANNOUNCING.len(),
        Some(field) if field[0].is_ascii_digit() => ANNOUNCING.len() + 2,
        Some(field) => announcing(field).unwrap_or(ANNOUNCING.len() + 1),
    }
}

fn compare_fields(a: Option<&[u8]>, b: Option<&[u8]>) -> Ordering {
    let (Some(a), Some(b)) = (a, b) else { return Ordering::Equal };
    if a[0].is_ascii_digit() {
        let (a, b) = (without_zeros(a), without_zeros(b));
        a.len().cmp(&b.len()).then_with(|| a.cmp(b))
    } else {
        a.iter().map(u8::to_ascii_lowercase).cmp(b.iter().map(u8::to_ascii_lowercase))
    }
}

fn without_zeros(digits: &[u8]) -> &[u8] {
    &digits[digits.iter().position(|b| *b != b'0').unwrap_or(digits.len())..]
}

/// Bytes whose plain order is that of [`compare`].
pub(crate) fn key(version: &str) -> Vec<u8> {
    add_key(Key::default(), version).done()
}

pub(super) fn add_key(mut key: Key, version: &str) -> Key {
    let mark = |field: Option<&[u8]>| u8::try_from(rank(field) + 1).unwrap_or(u8::MAX);
    for field in told(version) {
        key = key.mark(mark(Some(field)));
        if field[0].is_ascii_digit() {
            key = key.number(field);
        } else if rank(Some(field)) > ANNOUNCING.len() {
            key = key.bytes(field.iter().map(u8::to_ascii_lowercase));
        }
    }
    key.mark(mark(None))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn orders_as_people_do() {
        let rising =
            ["0.9", "1.0-dev", "1.0beta2", "1.0rc1", "1.0", "1.0a", "1.0.1", "1.2", "1.10", "2024.05"];
        for pair in rising.windows(2) {
            assert_eq!(compare(pair[0], pair[1]), Ordering::Less, "{} against {}", pair[0], pair[1]);
        }
        assert_eq!(compare("1_0", "1.0"), Ordering::Equal);
    }

    #[test]
    fn zeros_count_only_before_another_number() {
        for (a, b, expected) in [
            ("3.0", "3", Ordering::Equal),
            ("6.10.0", "6.10", Ordering::Equal),
            ("3.0rc1", "3", Ordering::Less),
            ("3.0rc1", "3rc1", Ordering::Equal),
            ("3.0a", "3.0.0", Ordering::Greater),
            ("3.0.0.1", "3.0", Ordering::Greater),
            ("3.0.1", "3.1", Ordering::Less),
            ("3.10", "3.1", Ordering::Greater),
            ("0.0", "", Ordering::Equal),
        ] {
            assert_eq!(compare(a, b), expected, "{a} against {b}");
        }
    }

    proptest! {
        #[test]
        fn is_a_total_order(a in "\\PC{0,6}", b in "[012a-r.]{0,6}", c in "([01.]|rc){0,6}") {
            prop_assert_eq!(compare(&a, &b), compare(&b, &a).reverse());
            prop_assert_eq!(compare(&a, &a), Ordering::Equal);
            if compare(&a, &b).is_le() && compare(&b, &c).is_le() {
                prop_assert!(compare(&a, &c).is_le());
            }
        }
    }
}
