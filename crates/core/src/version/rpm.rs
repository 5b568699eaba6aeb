//! The order of RPM versions: `[epoch:]version[-release]`, each compared run by run.

use super::key::Key;
use super::segments::{Run, digits_order, split_epoch, split_release};
use std::cmp::Ordering;

/// Compares two full versions as rpm does.
///
/// The epoch counts first, as a number, 0 when there is none; then the version; then the release, where a missing one comes before
/// any other. Within a part, runs of digits are numbers and come after runs of letters; everything else only separates, but for `~`,
/// which comes before even the end, and `^`, which comes after the end and before all else.
pub fn compare(a: &str, b: &str) -> Ordering {
    let ((epoch_a, a), (epoch_b, b)) = (split_epoch(a), split_epoch(b));
    let ((version_a, release_a), (version_b, release_b)) = (split_release(a), split_release(b));
    digits_order(epoch_a, epoch_b).then_with(|| part(version_a, version_b)).then_with(|| {
        match (release_a, release_b) {
            (Some(a), Some(b)) => part(a, b),
            (a, b) => a.is_some().cmp(&b.is_some()),
        }
    })
}

fn part(a: &str, b: &str) -> Ordering {
    let (mut a, mut b) = (a.as_bytes(), b.as_bytes());
    loop {
        a = without_separators(a);
        b = without_separators(b);
        for (mark, before_end) in [(b'~', true), (b'^', false)] {
            match (a.first() == Some(&mark), b.first() == Some(&mark)) {
                (true, true) => {
                    (a, b) = (&a[1..], &b[1..]);
                    break;
                }
                (true, false) => {
                    return if before_end || !b.is_empty() { Ordering::Less } else { Ordering::Greater };
                }
                (false, true) => {
                    return if before_end || !a.is_empty() { Ordering::Greater } else { Ordering::Less };
                }
                (false, false) => {}
            }
        }
        a = without_separators(a);
        b = without_separators(b);
        if matches!(a.first(), Some(b'~' | b'^')) || matches!(b.first(), Some(b'~' | b'^')) {
            continue;
        }
        let (Some((run_a, rest_a)), Some((run_b, rest_b))) = (Run::first(a), Run::first(b)) else {
            return a.len().min(1).cmp(&b.len().min(1));
        };
        let order = run_a.order(run_b);
        if order.is_ne() {
            return order;
        }
        (a, b) = (rest_a, rest_b);
    }
}

fn without_separators(bytes: &[u8]) -> &[u8] {
    let start = bytes.iter().position(|b| b.is_ascii_alphanumeric() || matches!(b, b'~' | b'^'));
    &bytes[start.unwrap_or(bytes.len())..]
}

/// Bytes whose plain order is that of [`compare`].
pub(crate) fn key(version: &str) -> Vec<u8> {
    let (epoch, rest) = split_epoch(version);
    let (version, release) = split_release(rest);
    let key = part_key(Key::default().number(epoch), version);
    match release {
        Some(release) => part_key(key.mark(1), release).done(),
        None => key.mark(0).done(),
    }
}

fn part_key(mut key: Key, part: &str) -> Key {
    let mut rest = without_separators(part.as_bytes());
    loop {
        let (mark, after) = match rest {
            [] => return key.mark(2),
            [b'~', after @ ..] => (1, after),
            [b'^', after @ ..] => (3, after),
            _ => match Run::first(rest) {
                Some((Run::Letters(letters), after)) => {
                    key = key.mark(4).bytes(letters.iter().copied());
                    rest = without_separators(after);
                    continue;
                }
                Some((Run::Digits(digits), after)) => {
                    key = key.mark(5).number(digits);
                    rest = without_separators(after);
                    continue;
                }
                None => return key.mark(2),
            },
        };
        key = key.mark(mark);
        rest = without_separators(after);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::version::tests::hold;
    use proptest::prelude::*;

    #[test]
    fn the_rules_one_by_one() {
        hold(
            compare,
            &[
                "1.0~rc1 < 1.0",
                "1.0^git1 > 1.0",
                "1.0^git1 < 1.0.1",
                "1..0 = 1.0",
                "1.a = 1a",
                "1.0 < 1.0-1",
                "1:1.0 > 2.0",
                "0:1 = 1",
                "1.10 > 1.9",
                "1.a < 1.1",
            ],
        );
    }

    proptest! {
        #[test]
        fn it_is_an_order(a in "[0-9a-b.~^:-]{0,6}", b in "[0-9a-b.~^:-]{0,6}", c in "[0-9a-b.~^:-]{0,6}") {
            prop_assert_eq!(compare(&a, &a), Ordering::Equal);
            prop_assert_eq!(compare(&a, &b), compare(&b, &a).reverse());
            if compare(&a, &b).is_le() && compare(&b, &c).is_le() {
                prop_assert!(compare(&a, &c).is_le(), "{} {} {}", a, b, c);
            }
        }

        #[test]
        fn a_tilde_lowers(a in "[0-9][0-9a-b.]{0,5}", more in "[a-z0-9]{0,3}") {
            prop_assert_eq!(compare(&format!("{a}~{more}"), &a), Ordering::Less);
        }
    }
}
