//! The order of Nix (`compareVersions` of the Nix language), and of names in its store.

use super::key::Key;
use super::segments::digits_order;
use std::cmp::Ordering;

/// Compares two versions as `builtins.compareVersions` does: component by component, where numbers go before words, `pre` before
/// everything, and nothing before a number. Numbers may have any length.
pub fn compare(a: &str, b: &str) -> Ordering {
    let (mut a, mut b) = (Components(a), Components(b));
    while !a.0.is_empty() || !b.0.is_empty() {
        let (one, other) = (a.next().unwrap_or_default(), b.next().unwrap_or_default());
        if is_before(one, other) {
            return Ordering::Less;
        }
        if is_before(other, one) {
            return Ordering::Greater;
        }
    }
    Ordering::Equal
}

/// Runs of digits, and of what is neither a digit nor a separator.
struct Components<'a>(&'a str);

impl<'a> Iterator for Components<'a> {
    type Item = &'a str;

    fn next(&mut self) -> Option<&'a str> {
        let rest = self.0.trim_start_matches(['.', '-']);
        let digits = rest.starts_with(|first: char| first.is_ascii_digit());
        let ends =
            |c: char| if digits { !c.is_ascii_digit() } else { c.is_ascii_digit() || matches!(c, '.' | '-') };
        let (component, rest) = rest.split_at(rest.find(ends).unwrap_or(rest.len()));
        self.0 = rest;
        (!component.is_empty()).then_some(component)
    }
}

fn is_before(one: &str, other: &str) -> bool {
    let is_number = |text: &str| text.starts_with(|first: char| first.is_ascii_digit());
    match (is_number(one), is_number(other)) {
        (true, true) => digits_order(one.as_bytes(), other.as_bytes()).is_lt(),
        (_, true) if one.is_empty() => true,
        _ if one == "pre" => other != "pre",
        _ if other == "pre" => false,
        (_, true) => true,
        // A word goes before a number, and nothing before either.
        (true, false) => false,
        (false, false) => one < other,
    }
}

/// Bytes whose plain order is that of [`compare`].
pub(crate) fn key(version: &str) -> Vec<u8> {
    let mut key = Key::default();
    for component in Components(version) {
        key = match component {
            "pre" => key.mark(1),
            number if number.starts_with(|first: char| first.is_ascii_digit()) => {
                key.mark(4).number(number.as_bytes())
            }
            word => key.mark(3).bytes(word.bytes()),
        };
    }
    key.mark(2).done()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::version::tests::hold;

    #[test]
    fn as_the_manual_has_it() {
        hold(
            compare,
            &[
                "1.0 < 2.3",
                "2.1 < 2.3",
                "2.3 = 2.3",
                "2.5 > 2.3",
                "3.1 > 2.3",
                "2.3.1 > 2.3",
                "2.3.1 > 2.3a",
                "2.3pre1 < 2.3",
                "2.3pre3 < 2.3pre12",
                "2.3a < 2.3c",
                "2.3pre1 < 2.3c",
                "2.3pre1 < 2.3q",
                "1.0-2 = 1.0.2",
            ],
        );
    }
}
