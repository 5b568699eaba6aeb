//! Orders of versions, the upstream version, and the step between two upstream versions: functions of texts alone.

mod dewey;
mod dpkg;
mod freebsd;
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
pub use nix::compare as compare_nix;
pub use pacman::{compare as compare_pacman, order as order_pacman};
pub use plain::compare as compare_plain;
pub use release::compare_eopkg;
pub use rpm::compare as compare_rpm;
pub use step::{Step, step};
pub use suffixed::{compare_apk, compare_portage};

use std::cmp::Ordering;

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
