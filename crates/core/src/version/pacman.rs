//! The order of pacman's versions: `[epoch:]version[-release]`.

use super::key::Key;
use super::segments::{Run, digits_order, split_epoch, split_release};
use std::cmp::Ordering;

/// Compares two full versions as pacman does.
///
/// As rpm's order, but: the release counts only where both have one; `~` and `^` separate like everything else; more separators in a row
/// come after fewer; and letters that go on directly come before the end, while those behind a separator come after it.
pub fn compare(a: &str, b: &str) -> Ordering {
    by(part, |_, _| Ordering::Equal, a, b)
}

/// A total order. It agrees with [`compare`] on versions that both have a release or both have none, and do not end in a
/// separator: of those pacman says that each of three is newer than another one. A missing release comes first.
pub fn order(a: &str, b: &str) -> Ordering {
    by(total_part, |a, b| a.cmp(&b), a, b)
}

/// Compares epochs, versions, and releases where both have one; else by who has one.
fn by(part: fn(&str, &str) -> Ordering, unlike: fn(bool, bool) -> Ordering, a: &str, b: &str) -> Ordering {
    let ((epoch_a, a), (epoch_b, b)) = (split_epoch(a), split_epoch(b));
    let ((version_a, release_a), (version_b, release_b)) = (split_release(a), split_release(b));
    digits_order(epoch_a, epoch_b).then_with(|| part(version_a, version_b)).then_with(|| {
        match (release_a, release_b) {
            (Some(a), Some(b)) => part(a, b),
            _ => unlike(release_a.is_some(), release_b.is_some()),
        }
    })
}

/// As [`part`], with what it says of the end said of every place: first the number of separators counts, then letters come
/// before the end and digits after it.
fn total_part(a: &str, b: &str) -> Ordering {
    let (mut a, mut b) = (a.as_bytes(), b.as_bytes());
    loop {
        let (skip_a, skip_b) = (separators(a), separators(b));
        if skip_a != skip_b {
            return skip_a.cmp(&skip_b);
        }
        (a, b) = (&a[skip_a..], &b[skip_b..]);
        let is_letter = |rest: &[u8]| rest.first().is_some_and(u8::is_ascii_alphabetic);
        match (Run::first(a), Run::first(b)) {
            (None, None) => return Ordering::Equal,
            (None, Some(_)) => return if is_letter(b) { Ordering::Greater } else { Ordering::Less },
            (Some(_), None) => return if is_letter(a) { Ordering::Less } else { Ordering::Greater },
            (Some((run_a, rest_a)), Some((run_b, rest_b))) => {
                let order = run_a.order(run_b);
                if order.is_ne() {
                    return order;
                }
                (a, b) = (rest_a, rest_b);
            }
        }
    }
}

fn part(a: &str, b: &str) -> Ordering {
    if a == b {
        return Ordering::Equal;
    }
    let (mut a, mut b) = (a.as_bytes(), b.as_bytes());
    while !a.is_empty() && !b.is_empty() {
        let (skip_a, skip_b) = (separators(a), separators(b));
        (a, b) = (&a[skip_a..], &b[skip_b..]);
        if a.is_empty() || b.is_empty() {
            break;
        }
        if skip_a != skip_b {
            return skip_a.cmp(&skip_b);
        }
        let (Some((run_a, rest_a)), Some((run_b, rest_b))) = (Run::first(a), Run::first(b)) else { break };
        let order = run_a.order(run_b);
        if order.is_ne() {
            return order;
        }
        (a, b) = (rest_a, rest_b);
    }
    let letter = |rest: &[u8]| rest.first().is_some_and(u8::is_ascii_alphabetic);
    match (a.is_empty(), b.is_empty()) {
        (true, true) => Ordering::Equal,
        // What goes on wins, unless it goes on with a letter.
        (true, false) if !letter(b) => Ordering::Less,
        _ if letter(a) => Ordering::Less,
        _ => Ordering::Greater,
    }
}

fn separators(text: &[u8]) -> usize {
    text.iter().position(u8::is_ascii_alphanumeric).unwrap_or(text.len())
}

/// Bytes whose plain order is that of [`order`].
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
    let mut rest = part.as_bytes();
    loop {
        let skip = separators(rest);
        key = key.number(skip.to_string().as_bytes());
        rest = &rest[skip..];
        match Run::first(rest) {
            Some((Run::Letters(letters), after)) => {
                (key, rest) = (key.mark(1).bytes(letters.iter().copied()), after);
            }
            Some((Run::Digits(digits), after)) => (key, rest) = (key.mark(3).number(digits), after),
            None => return key.mark(2),
        }
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
                "1.0 = 1.0-1",
                "1.0~rc1 > 1.0",
                "1..0 > 1.0",
                "1.0rc1 < 1.0",
                "1.0.rc1 > 1.0",
                "1.0.a < 1.0.1",
                "1.0. > 1.0",
                ":1 = 1",
                "1:1 > 2",
            ],
        );
    }

    proptest! {
        #[test]
        fn a_version_is_itself(a in "[0-9a-c.:_+-]{0,8}") {
            prop_assert_eq!(compare(&a, &a), Ordering::Equal);
        }

        #[test]
        fn numbers_grow(a in 0_u32..1000, b in 0_u32..1000) {
            prop_assert_eq!(compare(&format!("1.{a}-1"), &format!("1.{b}-1")), a.cmp(&b));
        }
    }
}
