//! Inherited or their own: what the base did as well, and what it did alone.

use super::{Comparison, ListChange, PackageChange, PackageChangeKind, PartChangeKind};
use crate::model::{System, Tally};
use rustc_hash::{FxHashMap, FxHashSet};

/// The base that a derivative is held against.
#[derive(Debug, Clone, Copy)]
pub enum Base<'a> {
    /// The base's old and new install, and how they compare.
    Both {
        /// What changed in the base.
        changes: &'a Comparison,
    },
    /// The base's install of the new side alone.
    One(&'a Tally),
}

/// Marks every change that the base made as well, and adds what the base changed and this one did not.
pub(super) fn mark(comparison: &mut Comparison, old: &Tally, new: &Tally, base: Base<'_>) {
    match base {
        Base::Both { changes } => both(comparison, old, new, changes),
        Base::One(tally) => one(comparison, tally),
    }
    let of_decision: FxHashMap<&str, bool> = {
        let mut all: FxHashMap<&str, bool> = FxHashMap::default();
        for change in &comparison.packages {
            if let (Some(decision), Some(inherited)) = (&change.decision, change.inherited) {
                let entry = all.entry(decision.as_str()).or_insert(true);
                *entry &= inherited;
            }
        }
        all
    };
    for decision in &mut comparison.decisions {
        decision.inherited = of_decision.get(decision.id.as_str()).copied().or(Some(false));
    }
    let inherited = comparison.packages.iter().filter(|change| change.inherited == Some(true)).count();
    comparison.totals.inherited = u32::try_from(inherited).ok();
    comparison.totals.held_back = match base {
        Base::Both { .. } => u32::try_from(comparison.held_back.len()).ok(),
        Base::One(_) => None,
    };
}

/// What two changes must share to be the same one: sort, names, and the version that it came to.
fn key(change: &PackageChange) -> (PackageChangeKind, System, &str, &str, &str) {
    fn name(side: Option<&super::NameAndVersion>) -> &str {
        side.map_or("", |side| side.name.as_str())
    }
    let (old, new) = (name(change.old.as_ref()), name(change.new.as_ref()));
    (change.change, change.system, old, new, change.new.as_ref().map_or("", |side| side.version.as_str()))
}

fn both(comparison: &mut Comparison, old: &Tally, new: &Tally, base: &Comparison) {
    let known: FxHashSet<_> = base.packages.iter().map(key).collect();
    let flags: Vec<bool> = comparison.packages.iter().map(|change| known.contains(&key(change))).collect();
    for (change, flag) in comparison.packages.iter_mut().zip(flags) {
        change.inherited = Some(flag);
    }
    for change in &mut comparison.parts {
        let same = base.parts.iter().any(|other| {
            (other.change, &other.part, &other.new_name, &other.new_version)
                == (change.change, &change.part, &change.new_name, &change.new_version)
        });
        change.inherited = (change.change != PartChangeKind::Same).then_some(same);
    }
    for change in &mut comparison.defaults {
        let same = |other: &&super::DefaultChange| {
            (&other.role, &other.asked, &other.new) == (&change.role, &change.asked, &change.new)
        };
        change.inherited = Some(base.defaults.iter().any(|other| same(&other)));
    }
    for (mine, theirs) in [
        (&mut comparison.repositories, &base.repositories),
        (&mut comparison.startup, &base.startup),
        (&mut comparison.looks, &base.looks),
        (&mut comparison.settings, &base.settings),
        (&mut comparison.media, &base.media),
    ] {
        for change in mine {
            let same = |other: &&ListChange| {
                (other.change, other.item, &other.name, &other.new)
                    == (change.change, change.item, &change.name, &change.new)
            };
            change.inherited = Some(theirs.iter().any(|other| same(&other)));
        }
    }
    comparison.held_back = held_back(old, new, base);
}

/// Changes of the base in packages that the derivative has on both sides as the base had them before.
fn held_back(old: &Tally, new: &Tally, base: &Comparison) -> Vec<PackageChange> {
    let versions = |tally: &Tally| -> FxHashSet<(System, String, String)> {
        tally.present().map(|p| (p.system, p.name.to_string(), p.version.to_string())).collect()
    };
    let (old, new) = (versions(old), versions(new));
    base.packages
        .iter()
        .filter(|change| {
            change.old.as_ref().is_some_and(|side| {
                let here = (change.system, side.name.to_string(), side.version.to_string());
                old.contains(&here) && new.contains(&here)
            })
        })
        .filter(|change| change.change != PackageChangeKind::ReasonChanged)
        .cloned()
        .collect()
}

fn one(comparison: &mut Comparison, base: &Tally) {
    let mut versions: FxHashMap<(System, &str), Vec<&str>> = FxHashMap::default();
    for package in base.present() {
        versions.entry((package.system, &package.name)).or_default().push(&package.version);
    }
    for change in &mut comparison.packages {
        let has = |side: &super::NameAndVersion| {
            versions
                .get(&(change.system, side.name.as_str()))
                .is_some_and(|list| list.contains(&side.version.as_str()))
        };
        change.inherited = Some(match (&change.new, &change.old) {
            (Some(new), _) => has(new),
            (None, Some(old)) => !versions.contains_key(&(change.system, old.name.as_str())),
            (None, None) => false,
        });
    }
    for change in comparison.parts.iter_mut().filter(|change| change.change != PartChangeKind::Same) {
        let same = base.parts.iter().any(|part| {
            (Some(&part.part), Some(&part.name), &part.version)
                == (Some(&change.part), change.new_name.as_ref(), &change.new_version)
        });
        change.inherited = Some(same);
    }
}
