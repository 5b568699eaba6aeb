//! Orders of versions, one per package system, and the step between two upstream versions.

mod dpkg;
mod plain;
mod step;
mod upstream;

pub use dpkg::compare as compare_dpkg;
pub use plain::compare as compare_plain;
pub use step::{Step, step};
pub use upstream::upstream;

use crate::model::System;
use std::cmp::Ordering;

/// The systems whose own order is implemented exactly; others follow the plain rule.
pub const EXACT: &[System] = &[System::Dpkg];

/// Compares two full versions of one system by that system's own rule.
///
/// Every order is total on all strings: what the system would refuse still gets a place.
pub fn compare(system: System, a: &str, b: &str) -> Ordering {
    match system {
        System::Dpkg => compare_dpkg(a, b),
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
