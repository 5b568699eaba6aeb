use super::{Alignment, Match, NameAndVersion, PackageChange, PackageChangeKind};
use crate::model::{Package, Reason};
use crate::systems;
use crate::version::{self, Step};
use std::cmp::Ordering;

/// The changes of packages, by sort and then name; unchanged pairs are left out.
pub(super) fn changes(old: &[&Package], new: &[&Package], alignment: &Alignment) -> Vec<PackageChange> {
    let kept = alignment.pairs.iter().filter_map(|pair| kept(old[pair.old], new[pair.new], pair.how));
    let split =
        alignment.split.iter().map(|pair| further(old[pair.old], new[pair.new], PackageChangeKind::Split));
    let merged =
        alignment.merged.iter().map(|pair| further(old[pair.old], new[pair.new], PackageChangeKind::Merged));
    let removed = alignment.removed.iter().map(|i| single(old[*i], PackageChangeKind::Removed));
    let added = alignment.added.iter().map(|j| single(new[*j], PackageChangeKind::Added));
    let mut changes: Vec<PackageChange> =
        kept.chain(split).chain(merged).chain(removed).chain(added).collect();
    // Within a sort they are nearly in order already, which the second pass makes use of.
    changes.sort_by_key(|change| change.change);
    changes.sort_by(|a, b| (a.change, a.system, name(a)).cmp(&(b.change, b.system, name(b))));
    changes
}

fn name(change: &PackageChange) -> (&str, &str) {
    change
        .new
        .as_ref()
        .or(change.old.as_ref())
        .map_or(("", ""), |side| (side.name.as_str(), side.version.as_str()))
}

fn side(package: &Package) -> NameAndVersion {
    NameAndVersion { name: package.name.clone(), version: package.version.clone() }
}

fn single(package: &Package, change: PackageChangeKind) -> PackageChange {
    let bytes = package.installed_bytes.and_then(|bytes| i64::try_from(bytes).ok());
    let (old, new, bytes_delta) = match change {
        PackageChangeKind::Removed => (Some(side(package)), None, bytes.map(|b| -b)),
        _ => (None, Some(side(package)), bytes),
    };
    let (system, kind) = (package.system, package.kind);
    PackageChange { change, system, old, new, kind, step: None, decision: None, inherited: None, bytes_delta }
}

/// A further part of a package that was split, or a further package that was merged: only that part weighs.
fn further(old: &Package, new: &Package, kind: PackageChangeKind) -> PackageChange {
    let weighs = if kind == PackageChangeKind::Split { new } else { old };
    let mut change = single(
        weighs,
        if kind == PackageChangeKind::Split { PackageChangeKind::Added } else { PackageChangeKind::Removed },
    );
    change.change = kind;
    (change.old, change.new) = (Some(side(old)), Some(side(new)));
    change
}

fn kept(old: &Package, new: &Package, how: Match) -> Option<PackageChange> {
    let step = || version::step(upstream(old), upstream(new));
    let (kind, step) = match how {
        Match::Same => change_of(old, new)?,
        Match::Renumbered => (PackageChangeKind::NewSeries, step()),
        Match::Declared => (PackageChangeKind::Renamed, step()),
        Match::MovedFormat => (PackageChangeKind::FormatChanged, step()),
        // Two systems' versions are only ever compared by upstream version.
        Match::Family => match version::compare_plain(upstream(old), upstream(new)) {
            Ordering::Equal => return None,
            Ordering::Less => (PackageChangeKind::Upgraded, step()),
            Ordering::Greater => (PackageChangeKind::Downgraded, step()),
        },
    };
    Some(PackageChange {
        change: kind,
        system: new.system,
        old: Some(side(old)),
        new: Some(side(new)),
        kind: new.kind,
        step,
        decision: None,
        inherited: None,
        bytes_delta: bytes_delta(old, new),
    })
}

fn change_of(old: &Package, new: &Package) -> Option<(PackageChangeKind, Option<Step>)> {
    let order = systems::compare(new.system, &new.version, &old.version);
    if order == Ordering::Equal {
        // A list may not say for which architecture a package is.
        if old.arch != new.arch && !old.arch.is_empty() && !new.arch.is_empty() {
            return Some((PackageChangeKind::ArchChanged, None));
        }
        let told = old.reason != Reason::Unknown && new.reason != Reason::Unknown;
        return (told && old.reason != new.reason).then_some((PackageChangeKind::ReasonChanged, None));
    }
    match version::step(upstream(old), upstream(new)) {
        None => Some((PackageChangeKind::Rebuilt, None)),
        step if order == Ordering::Greater => Some((PackageChangeKind::Upgraded, step)),
        step => Some((PackageChangeKind::Downgraded, step)),
    }
}

/// The upstream version; an old tally or a listing may not state it.
fn upstream(package: &Package) -> &str {
    if package.upstream_version.is_empty() {
        systems::upstream(package.system, &package.version)
    } else {
        &package.upstream_version
    }
}

fn bytes_delta(old: &Package, new: &Package) -> Option<i64> {
    let old = i64::try_from(old.installed_bytes?).ok()?;
    let new = i64::try_from(new.installed_bytes?).ok()?;
    Some(new - old)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::System;

    fn sorted(old: &str, new: &str) -> Option<(PackageChangeKind, Option<Step>)> {
        change_of(&Package::new(System::Dpkg, "x", old), &Package::new(System::Dpkg, "x", new))
    }

    #[test]
    fn the_sort_follows_order_and_upstream() {
        assert_eq!(sorted("1.0-1", "1.1-1"), Some((PackageChangeKind::Upgraded, Some(Step::Minor))));
        assert_eq!(sorted("1.1-1", "1.0-1"), Some((PackageChangeKind::Downgraded, Some(Step::Minor))));
        assert_eq!(sorted("1.0-1", "1.0-1+b1"), Some((PackageChangeKind::Rebuilt, None)));
        assert_eq!(sorted("1.0-1", "1:1.0-1"), Some((PackageChangeKind::Rebuilt, None)));
        assert_eq!(sorted("1.0", "1.0-0"), None);
        assert_eq!(sorted("9.0-1", "1:2.0-1"), Some((PackageChangeKind::Upgraded, Some(Step::Major))));
    }

    #[test]
    fn a_reason_that_nobody_recorded_is_no_change() {
        let (mut old, mut new) = (Package::new(System::Dpkg, "x", "1"), Package::new(System::Dpkg, "x", "1"));
        new.reason = Reason::Explicit;
        assert_eq!(change_of(&old, &new), None);
        old.reason = Reason::Dependency;
        assert_eq!(change_of(&old, &new), Some((PackageChangeKind::ReasonChanged, None)));
    }
}
