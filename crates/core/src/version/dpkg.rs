//! The order of `deb-version(7)`: epoch, upstream version, revision; `~` sorts before the end.

use super::key::Key;
use std::cmp::Ordering;

/// Compares two dpkg versions.
///
/// White space around a version is ignored. A missing epoch is 0 and a missing revision is `0`, as in the
/// manual. What dpkg refuses is still ordered: an epoch that is not all digits belongs to the upstream
/// version, an empty one is 0, and epochs of any length are compared as numbers.
pub fn compare(a: &str, b: &str) -> Ordering {
    let (a, b) = (Parts::of(a), Parts::of(b));
    compare_digits(a.epoch, b.epoch)
        .then_with(|| compare_part(a.upstream, b.upstream))
        .then_with(|| compare_part(a.revision, b.revision))
}

struct Parts<'a> {
    epoch: &'a [u8],
    upstream: &'a [u8],
    revision: &'a [u8],
}

impl<'a> Parts<'a> {
    fn of(version: &'a str) -> Self {
        let bytes = version.trim_ascii().as_bytes();
        let (epoch, rest) = match bytes.iter().position(|b| *b == b':') {
            Some(colon) if bytes[..colon].iter().all(u8::is_ascii_digit) => {
                (&bytes[..colon], &bytes[colon + 1..])
            }
            _ => (&b""[..], bytes),
        };
        let (upstream, revision) = match rest.iter().rposition(|b| *b == b'-') {
            Some(dash) => (&rest[..dash], &rest[dash + 1..]),
            None => (rest, &b""[..]),
        };
        Self { epoch, upstream, revision }
    }
}

/// Compares upstream versions or revisions: runs of non-digits and of digits in turn.
fn compare_part(mut a: &[u8], mut b: &[u8]) -> Ordering {
    loop {
        let (text_a, rest_a) = split(a, |byte| !byte.is_ascii_digit());
        let (text_b, rest_b) = split(b, |byte| !byte.is_ascii_digit());
        let order = compare_text(text_a, text_b);
        if order.is_ne() {
            return order;
        }
        let (digits_a, rest_a) = split(rest_a, u8::is_ascii_digit);
        let (digits_b, rest_b) = split(rest_b, u8::is_ascii_digit);
        let order = compare_digits(digits_a, digits_b);
        if order.is_ne() {
            return order;
        }
        if rest_a.is_empty() && rest_b.is_empty() {
            return Ordering::Equal;
        }
        (a, b) = (rest_a, rest_b);
    }
}

fn split(bytes: &[u8], belongs: impl Fn(&u8) -> bool) -> (&[u8], &[u8]) {
    bytes.split_at(bytes.iter().position(|byte| !belongs(byte)).unwrap_or(bytes.len()))
}

fn compare_text(a: &[u8], b: &[u8]) -> Ordering {
    let length = a.len().max(b.len());
    (0..length)
        .map(|i| weight(a.get(i)).cmp(&weight(b.get(i))))
        .find(|o| o.is_ne())
        .unwrap_or(Ordering::Equal)
}

/// `~` before the end, the end before letters, letters before all else.
fn weight(byte: Option<&u8>) -> i32 {
    match byte {
        Some(b'~') => -1,
        None => 0,
        Some(byte) if byte.is_ascii_alphabetic() => i32::from(*byte),
        Some(byte) => i32::from(*byte) + 256,
    }
}

/// Compares numbers of any length.
fn compare_digits(a: &[u8], b: &[u8]) -> Ordering {
    let a = split(a, |byte| *byte == b'0').1;
    let b = split(b, |byte| *byte == b'0').1;
    a.len().cmp(&b.len()).then_with(|| a.cmp(b))
}

/// Bytes whose plain order is that of [`compare`].
pub(crate) fn key(version: &str) -> Vec<u8> {
    let parts = Parts::of(version);
    let key = part_key(Key::default().number(parts.epoch), parts.upstream);
    part_key(key, parts.revision).done()
}

/// Runs of what is no digit, each byte by its weight and ended, and runs of digits in turn; an empty run ends it all.
fn part_key(mut key: Key, mut part: &[u8]) -> Key {
    const END: u8 = 2;
    loop {
        let (text, rest) = split(part, |byte| !byte.is_ascii_digit());
        for byte in text {
            key = match byte {
                b'~' => key.mark(1),
                byte if byte.is_ascii_alphabetic() => key.mark(byte - b'A' + 0x10),
                byte => key.mark(0x70).mark(*byte),
            };
        }
        let (digits, rest) = split(rest, u8::is_ascii_digit);
        key = key.mark(END).number(digits);
        if rest.is_empty() {
            return key.mark(END);
        }
        part = rest;
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// Pairs with the answers of the package system itself; one of each sort of surprise.
    const ANSWERED: &[(&str, &str, Ordering)] = &[
        ("1.0", "1.0-0", Ordering::Equal),
        ("1", "0:1", Ordering::Equal),
        ("01", "1", Ordering::Equal),
        ("1 ", "1", Ordering::Equal),
        ("1.0~rc1", "1.0", Ordering::Less),
        ("1.0~~", "1.0~", Ordering::Less),
        ("1.0a", "1.0+", Ordering::Less),
        ("1:0", "9", Ordering::Greater),
        ("1.0-1", "1.0-1+b2", Ordering::Less),
        ("99999999999999999999999999", "100000000000000000000000000", Ordering::Less),
        ("1.0é", "1.0-00", Ordering::Greater),
        ("1-1-1", "1-2", Ordering::Greater),
    ];

    #[test]
    fn agrees_with_the_package_system() {
        for (a, b, order) in ANSWERED {
            assert_eq!(compare(a, b), *order, "{a} against {b}");
            assert_eq!(compare(b, a), order.reverse(), "{b} against {a}");
        }
    }

    fn version() -> impl Strategy<Value = String> {
        prop_oneof!["[0-9]{0,2}:?[0-9a-c.+~-]{0,8}", "[ -~]{0,6}", "\\PC{0,4}"]
    }

    proptest! {
        #[test]
        fn is_a_total_order(a in version(), b in version(), c in version()) {
            prop_assert_eq!(compare(&a, &a), Ordering::Equal);
            prop_assert_eq!(compare(&a, &b), compare(&b, &a).reverse());
            if compare(&a, &b).is_le() && compare(&b, &c).is_le() {
                prop_assert!(compare(&a, &c).is_le());
            }
        }

        #[test]
        fn a_tilde_lowers(a in "[0-9]{1,3}(\\.[0-9a-z]{1,3}){0,3}(-[0-9a-z]{1,3})?") {
            prop_assert_eq!(compare(&format!("{a}~"), &a), Ordering::Less);
        }
    }
}
