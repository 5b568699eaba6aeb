//! What several systems' orders have in common: an epoch before a colon, a release behind the last hyphen, runs of digits and letters.

use std::cmp::Ordering;

/// A run of digits or of letters.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Run<'a> {
    Digits(&'a [u8]),
    Letters(&'a [u8]),
}

impl<'a> Run<'a> {
    /// The run that a text begins with, and what follows it.
    pub(super) fn first(text: &'a [u8]) -> Option<(Self, &'a [u8])> {
        let first = text.first()?;
        let digits = first.is_ascii_digit();
        if !digits && !first.is_ascii_alphabetic() {
            return None;
        }
        let same = |b: &u8| if digits { b.is_ascii_digit() } else { b.is_ascii_alphabetic() };
        let end = text.iter().position(|b| !same(b)).unwrap_or(text.len());
        let (run, rest) = text.split_at(end);
        Some((if digits { Self::Digits(run) } else { Self::Letters(run) }, rest))
    }

    /// Numbers come after letters; both by themselves as they are.
    pub(super) fn order(self, other: Run<'_>) -> Ordering {
        match (self, other) {
            (Self::Digits(a), Run::Digits(b)) => digits_order(a, b),
            (Self::Letters(a), Run::Letters(b)) => a.cmp(b),
            (Self::Digits(_), Run::Letters(_)) => Ordering::Greater,
            (Self::Letters(_), Run::Digits(_)) => Ordering::Less,
        }
    }
}

/// Compares runs of digits as numbers of any length; an empty run is 0.
pub(super) fn digits_order(a: &[u8], b: &[u8]) -> Ordering {
    let plain = |run: &'_ [u8]| run.iter().position(|b| *b != b'0').unwrap_or(run.len());
    let (a, b) = (&a[plain(a)..], &b[plain(b)..]);
    a.len().cmp(&b.len()).then_with(|| a.cmp(b))
}

/// Digits before a first colon, none where there are none, and the rest.
pub(super) fn split_epoch(text: &str) -> (&[u8], &str) {
    let end = text.bytes().position(|b| !b.is_ascii_digit()).unwrap_or(text.len());
    match text[end..].strip_prefix(':') {
        Some(rest) => (&text.as_bytes()[..end], rest),
        None => (b"", text),
    }
}

/// What is behind the last hyphen.
pub(super) fn split_release(text: &str) -> (&str, Option<&str>) {
    match text.rsplit_once('-') {
        Some((version, release)) => (version, Some(release)),
        None => (text, None),
    }
}
