//! Orders of versions, one per package system, and the step between two upstream versions.

mod dewey;
mod dpkg;
mod freebsd;
mod pacman;
mod plain;
mod release;
mod rpm;
mod segments;
mod step;
mod suffixed;
mod upstream;

pub use dewey::compare as compare_xbps;
pub use dpkg::compare as compare_dpkg;
pub use freebsd::compare as compare_freebsd;
pub use pacman::compare as compare_pacman;
pub use plain::compare as compare_plain;
pub use release::compare_eopkg;
pub use rpm::compare as compare_rpm;
pub use step::{Step, step};
pub use suffixed::{compare_apk, compare_portage};
pub use upstream::upstream;

use crate::model::System;
use std::cmp::Ordering;

/// The systems whose own order is implemented exactly; others follow the plain rule.
pub const EXACT: &[System] = &[
    System::Dpkg,
    System::Rpm,
    System::Pacman,
    System::Apk,
    System::Eopkg,
    System::FreebsdPkg,
    System::Portage,
    System::Xbps,
];

/// Orders the versions of one system, for sorting: as [`compare`] does, but total on all strings. What the system would refuse
/// gets a place, and of two versions that it takes for the same one is always the first.
pub fn order(system: System, a: &str, b: &str) -> Ordering {
    match system {
        System::Pacman => pacman::order(a, b),
        _ => compare(system, a, b),
    }
}

/// Compares two full versions of one system by that system's own rule: which of the two is newer.
///
/// For pacman this is no order to sort by: a version without a release is the same as that version with any release, and those
/// differ from one another. Whoever sorts asks [`order`].
pub fn compare(system: System, a: &str, b: &str) -> Ordering {
    match system {
        System::Dpkg => compare_dpkg(a, b),
        System::Rpm => compare_rpm(a, b),
        System::Pacman => compare_pacman(a, b),
        System::Apk => compare_apk(a, b),
        System::Portage => compare_portage(a, b),
        System::Eopkg => compare_eopkg(a, b),
        System::FreebsdPkg => compare_freebsd(a, b),
        System::Xbps => compare_xbps(a, b),
        _ => compare_plain(a, b),
    }
}

/// The sign of an order: `<`, `=` or `>`.
pub const fn sign(order: Ordering) -> &'static str {
    match order {
        Ordering::Less => "<",
        Ordering::Equal => "=",
        Ordering::Greater => ">",
    }
}

#[cfg(test)]
pub(crate) mod tests {
    use std::cmp::Ordering;

    /// Holds an order against lines of `A sign B`, both ways round.
    pub(crate) fn hold(compare: fn(&str, &str) -> Ordering, lines: &[&str]) {
        for line in lines {
            let [a, sign, b] = line.split(' ').collect::<Vec<_>>()[..] else { panic!("{line}") };
            assert_eq!(super::sign(compare(a, b)), sign, "{line}");
            assert_eq!(super::sign(compare(b, a).reverse()), sign, "{line}, backwards");
        }
    }
}
