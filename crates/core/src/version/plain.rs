//! The order for versions that belong to no package system, or to two: numbers as numbers, words as words.

use std::cmp::Ordering;

/// Compares two upstream versions: numeric fields as numbers, words alphabetically, a word that announces a
/// release (`alpha`, `beta`, `pre`, `rc`, `dev`) before the release itself, anything else after it.
///
/// Separators only separate; letter case does not count.
pub fn compare(a: &str, b: &str) -> Ordering {
    let (mut fields_a, mut fields_b) = (Fields(a.as_bytes()), Fields(b.as_bytes()));
    loop {
        let (a, b) = (fields_a.next(), fields_b.next());
        let order = rank(a).cmp(&rank(b)).then_with(|| compare_fields(a, b));
        if order.is_ne() || (a.is_none() && b.is_none()) {
            return order;
        }
    }
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

    proptest! {
        #[test]
        fn is_a_total_order(a in "\\PC{0,6}", b in "[0-9a-r.]{0,6}", c in "[0-9a-r.]{0,6}") {
            prop_assert_eq!(compare(&a, &b), compare(&b, &a).reverse());
            prop_assert_eq!(compare(&a, &a), Ordering::Equal);
            if compare(&a, &b).is_le() && compare(&b, &c).is_le() {
                prop_assert!(compare(&a, &c).is_le());
            }
        }
    }
}
