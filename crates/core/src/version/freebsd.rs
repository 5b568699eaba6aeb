//! The order of FreeBSD's packages: `version[_revision][,epoch]`, as `pkg version` has it.

use super::key::{Key, Sign};
use std::cmp::Ordering;

/// Compares two versions of FreeBSD packages.
///
/// The epoch goes first, the revision last; between them the versions, component by component. A component is a number,
/// a letter and a patch number; the words `alpha`, `beta`, `pre`, `rc` in the place of a number are before it, so that
/// `1.0.rc1` and `1.0rc1` are earlier than `1.0`, while `1.0a` is later. `pl` announces a patch number.
pub fn compare(a: &str, b: &str) -> Ordering {
    let (a, b) = (Split::of(a), Split::of(b));
    a.epoch
        .cmp(&b.epoch)
        .then_with(|| versions(a.version, b.version))
        .then_with(|| a.revision.cmp(&b.revision))
}

struct Split<'a> {
    version: &'a [u8],
    revision: u64,
    epoch: u64,
}

impl<'a> Split<'a> {
    fn of(text: &'a str) -> Self {
        let (rest, revision, epoch) = match text.rsplit_once('_') {
            Some((version, after)) => {
                let (revision, epoch) = after.split_once(',').unwrap_or((after, ""));
                (version, number(revision.as_bytes()).0, number(epoch.as_bytes()).0)
            }
            None => {
                let (version, epoch) = text.rsplit_once(',').unwrap_or((text, ""));
                (version, 0, number(epoch.as_bytes()).0)
            }
        };
        Self { version: rest.as_bytes(), revision, epoch }
    }
}

/// A number that a text begins with, 0 without one, and how long it is; what is too large stays as large as can be.
fn number(text: &[u8]) -> (u64, usize) {
    let end = text.iter().position(|b| !b.is_ascii_digit()).unwrap_or(text.len());
    let add = |number: u64, digit: &u8| number.saturating_mul(10).saturating_add(u64::from(digit - b'0'));
    (text[..end].iter().fold(0, add), end)
}

/// Words for what comes before a release, with the value they stand for: `pl` none, the others their first letter.
const STAGES: [(&[u8], i32); 5] = [(b"pl", 0), (b"alpha", 1), (b"beta", 2), (b"pre", 16), (b"rc", 18)];

/// A number, a letter, a patch number; all of them 0 behind the end.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Default)]
struct Component {
    number: i128,
    letter: i32,
    patch: i128,
}

fn versions(mut a: &[u8], mut b: &[u8]) -> Ordering {
    if a.eq_ignore_ascii_case(b) {
        return Ordering::Equal;
    }
    while !a.is_empty() || !b.is_empty() {
        // A plus sign ends a block of components; the other side waits at its own.
        let next = |text: &mut &[u8]| match text.first() {
            None | Some(b'+') => None,
            Some(_) => Some(component(text)),
        };
        match (next(&mut a), next(&mut b)) {
            (None, None) => {
                a = a.get(1..).unwrap_or_default();
                b = b.get(1..).unwrap_or_default();
            }
            (first, second) => {
                let order = first.unwrap_or_default().cmp(&second.unwrap_or_default());
                if order.is_ne() {
                    return order;
                }
            }
        }
    }
    Ordering::Equal
}

/// Takes a component off a text.
fn component(text: &mut &[u8]) -> Component {
    let mut rest = *text;
    let mut component = Component::default();
    let mut in_place_of_number = false;
    match rest.first() {
        Some(b) if b.is_ascii_digit() => {
            let (number, length) = number(rest);
            component.number = i128::from(number);
            rest = &rest[length..];
        }
        Some(b'*') => {
            component.number = -2;
            rest = &rest[rest.iter().position(|b| *b == b'+').unwrap_or(rest.len())..];
        }
        _ => {
            component.number = -1;
            in_place_of_number = true;
        }
    }
    let mut patched = false;
    if rest.first().is_some_and(u8::is_ascii_alphabetic) {
        let letters = rest.iter().position(|b| !b.is_ascii_alphabetic()).unwrap_or(rest.len());
        let stage = STAGES.iter().find(|(word, _)| letters > 1 && rest[..letters].eq_ignore_ascii_case(word));
        match stage {
            // Behind a number the word begins a component of its own.
            Some(_) if !in_place_of_number => {}
            Some((word, value)) => {
                component.letter = *value;
                rest = &rest[word.len()..];
                patched = true;
            }
            None => {
                component.letter = i32::from(rest[0].to_ascii_lowercase() - b'a') + 1;
                rest = &rest[letters..];
                patched = true;
            }
        }
    }
    if patched {
        let (number, length) = number(rest);
        component.patch = if length == 0 { -1 } else { i128::from(number) };
        rest = &rest[length..];
    }
    let separates = |b: &u8| !b.is_ascii_alphanumeric() && !matches!(b, b'+' | b'*');
    rest = &rest[rest.iter().position(|b| !separates(b)).unwrap_or(rest.len())..];
    *text = rest;
    component
}

/// Bytes whose plain order is that of [`compare`].
pub(crate) fn key(version: &str) -> Vec<u8> {
    let split = Split::of(version);
    let mut key = Key::default().whole(i128::from(split.epoch));
    // Blocks that a plus sign ends, of components; where one side has none any more, it has nothing but defaults.
    let (mut rest, mut empty) = (split.version, 0_u32);
    while !rest.is_empty() {
        let mut block = Vec::new();
        while !matches!(rest.first(), None | Some(b'+')) {
            block.push(component(&mut rest));
        }
        rest = rest.get(1..).unwrap_or_default();
        let none = Component::default();
        let Some(first) = block.iter().find(|component| **component != none) else {
            empty = empty.saturating_add(1);
            continue;
        };
        key = key.after(empty, &sign(first));
        let mut defaults = 0_u32;
        for component in &block {
            if *component == none {
                defaults = defaults.saturating_add(1);
                continue;
            }
            key = key.after(defaults, &sign(component));
            key = key.whole(component.number).whole(i128::from(component.letter)).whole(component.patch);
            defaults = 0;
        }
        key = key.all_default();
        empty = 0;
    }
    key.all_default().whole(i128::from(split.revision)).done()
}

fn sign(component: &Component) -> Sign {
    if *component < Component::default() { Sign::Below } else { Sign::Above }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::version::tests::hold;
    use proptest::prelude::*;

    #[test]
    fn epochs_revisions_letters_and_stages() {
        hold(
            compare,
            &[
                "1.0 < 1.1",
                "1.9 < 1.10",
                "1.0 < 1.0_1",
                "1.0_9 < 1.0_10",
                "9.9 < 1.0,1",
                "1.0,1 < 1.0,2",
                "1.0_2,1 > 1.0_1,1",
                "1.0.pre1 < 1.0",
                "1.0.alpha2 < 1.0.beta1",
                "1.0.beta1 < 1.0.pre1",
                "1.0.pre1 < 1.0.rc1",
                "1.0rc1 < 1.0",
                "1.0.rc1 = 1.0rc1",
                "1.0 < 1.0a",
                "1.0a < 1.0b",
                "1.0b > 1.0.1",
                "1.0a1 < 1.0a2",
                "1.0a < 1.0a1",
                "1.0 = 1.0.",
                "1.0 > 1.*",
                "1.0+2 < 1.0+3",
                "1.0+9 < 1.1+1",
                "01 = 1",
            ],
        );
    }

    proptest! {
        #[test]
        fn it_is_an_order(a in "[0-2]([.][0-2]|rc|a|pl|[+]|[*]){0,4}(_[0-2])?(,[0-2])?", b in "[0-2]([.][0-2]|rc|a|beta|[+]){0,4}(_[0-2])?", c in "\\PC{0,6}") {
            prop_assert_eq!(compare(&a, &a), Ordering::Equal);
            prop_assert_eq!(compare(&c, &c), Ordering::Equal);
            prop_assert_eq!(compare(&a, &b), compare(&b, &a).reverse());
            prop_assert_eq!(compare(&a, &c), compare(&c, &a).reverse());
        }
    }
}
