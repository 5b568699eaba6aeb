//! What makes two tallies those of one install.

use crate::codec::encode;
use tally_core::model::{Tally, Text};

/// Whether two tallies say the same, but for notes and figures, when they were taken, and where from: a copy does not say that.
pub(crate) fn is_same(one: &Tally, other: &Tally) -> bool {
    // Most are told apart by that.
    if one.packages.len() != other.packages.len() || one.taken.layer != other.taken.layer {
        return false;
    }
    let plain = |tally: &Tally| {
        let mut tally = tally.clone();
        tally.label.handle = Text::default();
        tally.program = String::new().into();
        (tally.taken.at, tally.taken.from) = (Text::default(), Text::default());
        tally.notes.clear();
        tally.readings.clear();
        encode(&tally).ok()
    };
    plain(one) == plain(other)
}

/// Whether two tallies were taken from the same place: the source, the root in it, the layer. What came through a pipe came from nowhere.
pub(crate) fn is_of_source(one: &Tally, other: &Tally) -> bool {
    let root = |tally: &Tally| tally.taken.root.as_ref().map(|root| root.name.clone());
    let from = one.taken.from.as_str();
    !matches!(from, "" | "-")
        && one.taken.from == other.taken.from
        && one.taken.layer == other.taken.layer
        && root(one) == root(other)
}

/// Whether two tallies are of one install.
pub(crate) fn is_same_install(one: &Tally, other: &Tally) -> bool {
    let packages = |tally: &Tally| -> Vec<(String, Text)> {
        let mut all: Vec<(String, Text)> = tally
            .packages
            .iter()
            .map(|package| {
                (format!("{} {} {}", package.system, package.name, package.arch), package.version.clone())
            })
            .collect();
        all.sort();
        all
    };
    // Where none are known they tell nothing.
    let has_same = || !one.packages.is_empty() && packages(one) == packages(other);
    is_of_source(one, other) && has_same() || is_same(one, other)
}
