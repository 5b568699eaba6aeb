//! The order of eopkg: only the number of the release counts; the version is for people.

use super::{key::Key, plain, segments::digits_order};
use std::cmp::Ordering;

/// Compares two versions `VERSION-RELEASE` by their releases; where one has none, as versions of no system.
pub fn compare_eopkg(a: &str, b: &str) -> Ordering {
    match (release(a), release(b)) {
        (Some(a), Some(b)) => digits_order(a, b),
        // One kind comes before the other, so that the whole stays an order.
        (Some(_), None) => Ordering::Greater,
        (None, Some(_)) => Ordering::Less,
        (None, None) => plain::compare(a, b),
    }
}

fn release(version: &str) -> Option<&[u8]> {
    let (_, release) = version.rsplit_once('-')?;
    (!release.is_empty() && release.bytes().all(|b| b.is_ascii_digit())).then_some(release.as_bytes())
}

/// Bytes whose plain order is that of [`compare_eopkg`].
pub(crate) fn key_eopkg(version: &str) -> Vec<u8> {
    match release(version) {
        Some(release) => Key::default().mark(2).number(release).done(),
        None => plain::add_key(Key::default().mark(1), version).done(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::version::tests::hold;

    #[test]
    fn releases_count_whatever_the_version() {
        hold(compare_eopkg, &["1.0-9 < 1.0-10", "2.0-3 < 1.0-4", "1.0-4 = 2.0-04", "1.0 < 1.1"]);
    }
}
