//! Every system's order of versions, over strings that are versions and strings that are none.
#![allow(clippy::unwrap_used, reason = "tests may fail")]

use proptest::prelude::*;
use std::cmp::Ordering;
use tally_core::model::System;
use tally_core::systems::{compare, order};

/// Strings over what orders treat unlike: digits, letters, separators, the marks that come before or after everything.
fn version() -> impl Strategy<Value = String> {
    prop_oneof![
        "[0-2a.~^+:_-]{0,6}",
        "([0-9]{1,2}|rc|a|_p|[.,:~^_+-]){0,5}",
        "([12]:)?[0-3](\\.[0-3]){0,2}(-[1-3])?",
        "\\PC{0,5}",
    ]
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(3000))]

    #[test]
    fn all_are_total_and_agree_with_which_is_newer(a in version(), b in version(), c in version()) {
        for system in System::ALL.iter().copied() {
            let by = |one: &str, other: &str| order(system, one, other);
            prop_assert_eq!(by(&a, &a), Ordering::Equal);
            prop_assert_eq!(by(&a, &b), by(&b, &a).reverse(), "{:?}", system);
            prop_assert_eq!(compare(system, &a, &b), compare(system, &b, &a).reverse(), "{:?}", system);
            for [x, y, z] in [[&a, &b, &c], [&b, &c, &a], [&c, &a, &b]] {
                if by(x, y).is_le() && by(y, z).is_le() {
                    prop_assert!(by(x, z).is_le(), "{:?}: {} <= {} <= {}", system, x, y, z);
                }
            }
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(3000))]

    #[test]
    fn what_is_newer_comes_later(
        a in "([12]:)?[0-3]{1,2}([._+]?(rc|a|b)?[0-3]{1,2}){0,2}([a-c])?(-[1-3](\\.[1-3])?)?",
        b in "([12]:)?[0-3]{1,2}([._+]?(rc|a|b)?[0-3]{1,2}){0,2}([a-c])?(-[1-3](\\.[1-3])?)?",
    ) {
        for system in System::ALL.iter().copied() {
            let newer = compare(system, &a, &b);
            prop_assert!(newer.is_eq() || newer == order(system, &a, &b), "{:?} {:?} {:?}", system, newer, order(system, &a, &b));
        }
    }
}

/// pacman takes a version without a release for the same as that version with any; sorted, it comes before them all.
#[test]
fn pacman_is_lenient_where_it_compares_and_strict_where_it_sorts() {
    let same = |a, b| compare(System::Pacman, a, b).is_eq();
    assert!(same("1", "1-1") && same("1", "1-2") && !same("1-1", "1-2"));
    let mut versions = vec!["1-2", "1", "2", "1-1", "1:0", "1-1"];
    versions.sort_by(|a, b| order(System::Pacman, a, b));
    assert_eq!(versions, ["1", "1-1", "1-1", "1-2", "2", "1:0"]);
}
