//! Orders of versions, the upstream version, and the step between two upstream versions: functions of texts alone.

mod dewey;
mod dpkg;
mod freebsd;
mod key;
mod nix;
mod pacman;
mod plain;
mod release;
mod rpm;
mod segments;
mod step;
mod suffixed;
pub mod upstream;

pub use dewey::compare as compare_xbps;
pub use dpkg::compare as compare_dpkg;
pub use freebsd::compare as compare_freebsd;
pub use key::plain_sort_key;
pub(crate) use key::sort_key;
pub use nix::compare as compare_nix;
pub use pacman::{compare as compare_pacman, order as order_pacman};
pub use plain::compare as compare_plain;
pub use release::compare_eopkg;
pub use rpm::compare as compare_rpm;
pub use step::{Step, step};
pub use suffixed::{compare_apk, compare_portage};

use std::cmp::Ordering;

/// Bytes whose plain order is that of a system's versions, system by system.
pub(crate) mod keys {
    pub(crate) use super::dewey::key as xbps;
    pub(crate) use super::dpkg::key as dpkg;
    pub(crate) use super::freebsd::key as freebsd;
    pub(crate) use super::nix::key as nix;
    pub(crate) use super::pacman::key as pacman;
    pub(crate) use super::plain::key as plain;
    pub(crate) use super::release::key_eopkg as eopkg;
    pub(crate) use super::rpm::key as rpm;
    pub(crate) use super::suffixed::{key_apk as apk, key_portage as portage};
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
