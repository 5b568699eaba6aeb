//! Many installs side by side: the same questions as rows, the installs as columns.

mod document;
mod likeness;
mod rows;
mod same;

pub use document::{Cell, CellState, Field, GRID_SCHEMA, Grid, GridRow, Remark, RowGroup, RowLabel};
pub use likeness::{Likeness, side_by_side};

use likeness::likeness;

use crate::knowledge::{PartRules, Roles};
use crate::model::{Label, PackageRef, Phase, Tally, Text};
use rustc_hash::FxHashMap;
use same::Same;
use std::collections::BTreeMap;

/// What a grid is made with besides the tallies.
#[derive(Debug, Clone, Copy)]
pub struct GridRules<'a> {
    /// Parts, for their names and order.
    pub parts: &'a PartRules,
    /// Roles, for their names and order.
    pub roles: &'a Roles,
    /// Further things to ask of each install.
    pub asked: &'a [String],
    /// By what likeness is measured.
    pub likeness: Likeness,
}

/// Lays installs side by side. Columns keep the order given; equal handles are told apart by a number.
///
/// Work grows with the packages of all installs together, and with the square of the installs only where pairs are compared.
pub fn grid(tallies: &[&Tally], rules: &GridRules<'_>) -> Grid {
    let installs = labels(tallies);
    let names = |tally: &&Tally| -> Vec<PackageRef> {
        let mut names: Vec<PackageRef> = tally.present().map(crate::model::Package::reference).collect();
        names.sort_unstable();
        names.dedup();
        names
    };
    let packages = Spread::of(&installs, &tallies.iter().map(names).collect::<Vec<_>>());
    let same = Same::of(tallies);
    let mut programs: FxHashMap<&Text, Vec<Text>> = FxHashMap::default();
    for (at, tally) in tallies.iter().enumerate() {
        for (application, brought) in
            tally.applications.iter().flat_map(|one| one.delivered.iter().map(move |by| (one, by)))
        {
            programs.entry(&brought.package).or_default().push(same.id(at, &application.id).clone());
        }
    }
    let ids = |(at, tally): (usize, &&Tally)| -> Vec<Text> {
        let mut ids: Vec<Text> = tally.applications.iter().map(|one| same.id(at, &one.id).clone()).collect();
        // What shipped and was removed later was there, by what the others say that it brings.
        let removed = tally.packages.iter().filter(|package| package.phase == Phase::RemovedLater);
        ids.extend(removed.filter_map(|package| programs.get(&package.name)).flatten().cloned());
        ids.sort_unstable();
        ids.dedup();
        ids
    };
    let applications = Spread::of(&installs, &tallies.iter().enumerate().map(ids).collect::<Vec<_>>());
    let alike = likeness(tallies, rules.likeness, &same);
    Grid {
        schema_version: GRID_SCHEMA,
        rows: rows::rows(tallies, &installs, rules, &same),
        shared: packages.shared,
        only: packages.only,
        only_lacks: packages.only_lacks,
        shared_applications: applications.shared,
        only_applications: applications.only,
        only_lacks_applications: applications.only_lacks,
        alike_by: rules.likeness,
        side_by_side: side_by_side(&alike),
        alike,
        installs,
    }
}

/// The shortest name that tells each install of a grid from the others: its edition, its release, else its handle.
pub fn short_names(installs: &[Label]) -> Vec<Text> {
    installs.iter().map(|install| rows::short(install, installs)).collect()
}

/// The labels, each with a handle of its own.
fn labels(tallies: &[&Tally]) -> Vec<Label> {
    let mut seen: FxHashMap<Text, u32> = FxHashMap::default();
    let mut labels = Vec::with_capacity(tallies.len());
    for tally in tallies {
        let mut label = tally.label.clone();
        let number = seen.entry(label.handle.clone()).or_default();
        *number += 1;
        if *number > 1 {
            label.handle = format!("{}-{number}", label.handle).into();
        }
        labels.push(label);
    }
    labels
}

/// How things are spread over installs.
struct Spread<T> {
    shared: u64,
    only: BTreeMap<Text, Vec<T>>,
    only_lacks: BTreeMap<Text, Vec<T>>,
}

impl<T: Ord + std::hash::Hash + Clone> Spread<T> {
    /// Each list names a thing once at most. With two installs, what one lacks is what the other alone has, and is not repeated.
    fn of(installs: &[Label], lists: &[Vec<T>]) -> Self {
        let count = lists.len();
        // For each thing how many have it, the sum of their positions, and so who is the only one with or without it.
        let mut spread: FxHashMap<&T, (usize, usize)> = FxHashMap::default();
        for (i, list) in lists.iter().enumerate() {
            for thing in list {
                let (have, sum) = spread.entry(thing).or_default();
                *have += 1;
                *sum += i;
            }
        }
        let every = count * count.saturating_sub(1) / 2;
        let mut things: Vec<(&T, (usize, usize))> = spread.into_iter().collect();
        things.sort_unstable_by_key(|(thing, _)| *thing);
        let mut found = Self { shared: 0, only: BTreeMap::new(), only_lacks: BTreeMap::new() };
        for label in installs {
            found.only.insert(label.handle.clone(), Vec::new());
            if count > 2 {
                found.only_lacks.insert(label.handle.clone(), Vec::new());
            }
        }
        for (thing, (have, sum)) in things {
            let list = if have == count {
                found.shared += 1;
                None
            } else if have == 1 {
                found.only.get_mut(&installs[sum].handle)
            } else if have + 1 == count {
                found.only_lacks.get_mut(&installs[every - sum].handle)
            } else {
                None
            };
            if let Some(list) = list {
                list.push(thing.clone());
            }
        }
        found
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn label(handle: &str) -> Label {
        Label { handle: handle.into(), ..Label::default() }
    }

    proptest! {
        /// Shared, only and lacking are what counting says, thing by thing.
        #[test]
        fn spread_is_what_counting_says(lists in proptest::collection::vec(proptest::collection::btree_set(0_u8..12, 0..9), 2..6)) {
            let installs: Vec<Label> = (0..lists.len()).map(|i| label(&format!("i{i}"))).collect();
            let lists: Vec<Vec<u8>> = lists.into_iter().map(|list| list.into_iter().collect()).collect();
            let spread = Spread::of(&installs, &lists);
            let mut shared = 0;
            for thing in 0..12 {
                let have: Vec<usize> = (0..lists.len()).filter(|i| lists[*i].contains(&thing)).collect();
                let lack: Vec<usize> = (0..lists.len()).filter(|i| !lists[*i].contains(&thing)).collect();
                shared += u64::from(lack.is_empty());
                for (i, install) in installs.iter().enumerate() {
                    prop_assert_eq!(spread.only[&install.handle].contains(&thing), have == [i]);
                    if lists.len() > 2 {
                        prop_assert_eq!(
                            spread.only_lacks[&install.handle].contains(&thing),
                            lack == [i] && have.len() > 1
                        );
                    }
                }
            }
            prop_assert_eq!(spread.shared, shared);
        }
    }
}
