//! The order of XBPS: dotted numbers, letters and stages as one row of numbers, then the revision behind the last `_`.

use super::key::{Key, Sign};
use super::segments::digits_order;
use std::cmp::Ordering;

/// A number in the row: one that was written, or what a word or letter stands for.
#[derive(Debug, Clone, Copy)]
enum Number<'a> {
    Written(&'a [u8]),
    StandsFor(i8),
}

impl Number<'_> {
    const NONE: Self = Self::StandsFor(0);

    fn order(self, other: Number<'_>) -> Ordering {
        match (self, other) {
            (Self::Written(a), Number::Written(b)) => digits_order(a, b),
            (Self::StandsFor(a), Number::StandsFor(b)) => a.cmp(&b),
            (Self::Written(a), Number::StandsFor(b)) => written(a, b),
            (Self::StandsFor(a), Number::Written(b)) => written(b, a).reverse(),
        }
    }
}

/// A written number against a small one.
fn written(digits: &[u8], small: i8) -> Ordering {
    match u8::try_from(small) {
        Ok(small) => digits_order(digits, small.to_string().as_bytes()),
        Err(_) => Ordering::Greater,
    }
}

/// Words and what they stand for; a point is between two numbers as 0, and `pl` as well.
const WORDS: [(&[u8], i8); 6] =
    [(b"alpha", -3), (b"beta", -2), (b"pre", -1), (b"rc", -1), (b"pl", 0), (b".", 0)];

/// Compares two versions of XBPS packages: `1.2.3rc1_4`.
///
/// Where one row of numbers is shorter, 0 stands for what is missing: `1` and `1.0` are equal. A letter is a point and its
/// place in the alphabet. `pre` and `rc` are the same. Other characters do not count.
pub fn compare(a: &str, b: &str) -> Ordering {
    let (version_a, revision_a) = split(a);
    let (version_b, revision_b) = split(b);
    let (mut a, mut b) = (Row::of(version_a), Row::of(version_b));
    loop {
        let (one, other) = (a.next(), b.next());
        if one.is_none() && other.is_none() {
            return digits_order(revision_a, revision_b);
        }
        let order = one.unwrap_or(Number::NONE).order(other.unwrap_or(Number::NONE));
        if order.is_ne() {
            return order;
        }
    }
}

/// Version and the digits of the revision.
fn split(text: &str) -> (&str, &[u8]) {
    match text.rsplit_once('_') {
        Some((version, revision)) if !revision.is_empty() && revision.bytes().all(|b| b.is_ascii_digit()) => {
            (version, revision.as_bytes())
        }
        _ => (text, b""),
    }
}

/// The numbers of a version, one after the other.
struct Row<'a> {
    rest: &'a [u8],
    /// The second number of a letter.
    waiting: Option<i8>,
}

impl<'a> Row<'a> {
    fn of(version: &'a str) -> Self {
        Self { rest: version.as_bytes(), waiting: None }
    }
}

impl<'a> Iterator for Row<'a> {
    type Item = Number<'a>;

    fn next(&mut self) -> Option<Number<'a>> {
        if let Some(letter) = self.waiting.take() {
            return Some(Number::StandsFor(letter));
        }
        while let Some(first) = self.rest.first().copied() {
            if first.is_ascii_digit() {
                let end = self.rest.iter().position(|b| !b.is_ascii_digit()).unwrap_or(self.rest.len());
                let (digits, rest) = self.rest.split_at(end);
                self.rest = rest;
                return Some(Number::Written(digits));
            }
            let begins =
                |word: &[u8]| self.rest.get(..word.len()).is_some_and(|head| head.eq_ignore_ascii_case(word));
            if let Some((word, value)) = WORDS.iter().find(|(word, _)| begins(word)) {
                self.rest = &self.rest[word.len()..];
                return Some(Number::StandsFor(*value));
            }
            self.rest = &self.rest[1..];
            if first.is_ascii_alphabetic() {
                self.waiting = i8::try_from(first.to_ascii_lowercase() - b'a' + 1).ok();
                return Some(Number::NONE);
            }
        }
        None
    }
}

/// Bytes whose plain order is that of [`compare`].
pub(crate) fn key(version: &str) -> Vec<u8> {
    let (version, revision) = split(version);
    let (mut key, mut zeros) = (Key::default(), 0_u32);
    for number in Row::of(version) {
        key = match (number.order(Number::NONE), number) {
            (Ordering::Equal, _) => {
                zeros = zeros.saturating_add(1);
                continue;
            }
            (Ordering::Less, Number::StandsFor(small)) => {
                key.after(zeros, &Sign::Below).whole(i128::from(small))
            }
            (_, Number::StandsFor(small)) => {
                key.after(zeros, &Sign::Above).number(small.to_string().as_bytes())
            }
            (_, Number::Written(digits)) => key.after(zeros, &Sign::Above).number(digits),
        };
        zeros = 0;
    }
    key.all_default().number(revision).done()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::version::tests::hold;
    use proptest::prelude::*;

    #[test]
    fn stages_letters_and_revisions() {
        hold(
            compare,
            &[
                "1.0_1 < 1.0_2",
                "1.0_9 < 1.0_10",
                "1.0 = 1",
                "1.0alpha1_1 < 1.0beta1_1",
                "1.0beta1_1 < 1.0rc1_1",
                "1.0rc1_1 < 1.0_1",
                "1.0pre1_1 = 1.0rc1_1",
                "1.0_1 < 1.0a_1",
                "1.0a_1 < 1.0b_1",
                "1.0b_1 > 1.0.1_1",
                "1.9_1 < 1.10_1",
                "01 = 1",
                "1.0pl1 = 1.0.1",
            ],
        );
    }

    proptest! {
        #[test]
        fn it_is_an_order(a in "[0-2]([.][0-2]|rc|a|pl|-){0,4}(_[0-2])?", b in "[0-2]([.][0-2]|alpha|b|-){0,4}(_[0-2])?", c in "[0-9a-c.]{0,5}") {
            for other in [&b, &c] {
                prop_assert_eq!(compare(&a, other), compare(other, &a).reverse());
            }
            prop_assert_eq!(compare(&a, &a), Ordering::Equal);
            if compare(&a, &b).is_le() && compare(&b, &c).is_le() {
                prop_assert!(compare(&a, &c).is_le());
            }
        }
    }
}
