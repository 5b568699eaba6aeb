//! Restricts two tallies to what both sources record: where one records less than the other, the difference is no change.

use super::document::{NotRecorded, Section};
use crate::model::{Medium, MissingFact, Package, Part, System, Tally, Text};
use rustc_hash::FxHashSet;
use std::borrow::Cow;

/// Both tallies without what one of them does not record, and what that is; the tallies themselves where both record alike.
pub(super) fn restrict_to_comparable<'a>(
    old: &'a Tally,
    new: &'a Tally,
) -> (Cow<'a, Tally>, Cow<'a, Tally>, NotRecorded) {
    let either = |fact: MissingFact| old.lacks(fact) || new.lacks(fact);
    let both = |fact: MissingFact| old.lacks(fact) && new.lacks(fact);
    let is_list = |tally: &Tally| tally.taken.medium == Medium::Listing;
    let facts = [
        (MissingFact::Launchers, Section::Programs),
        (MissingFact::Sizes, Section::Sizes),
        (MissingFact::Dependencies, Section::Decisions),
    ];
    let mut not_recorded = NotRecorded::default();
    let sections = &mut not_recorded.sections;
    sections.extend(facts.into_iter().filter(|(fact, _)| either(*fact)).map(|(_, section)| section));
    if is_list(old) || is_list(new) {
        sections.extend([Section::Repositories, Section::Startup, Section::Looks, Section::Readings]);
    }
    let alike = is_list(old) == is_list(new) && facts.into_iter().all(|(fact, _)| either(fact) == both(fact));
    if alike {
        return (Cow::Borrowed(old), Cow::Borrowed(new), not_recorded);
    }
    let (mut old, mut new) = (old.clone(), new.clone());
    for tally in [&mut old, &mut new] {
        if not_recorded.has(Section::Programs) {
            tally.launchers.clear();
            tally.applications.clear();
            tally.defaults.clear();
        }
        if not_recorded.has(Section::Sizes) {
            tally.packages.iter_mut().for_each(|package| package.installed_bytes = None);
        }
        if not_recorded.has(Section::Startup) {
            tally.repositories.clear();
            tally.startup.clear();
            tally.looks = crate::model::Looks::default();
            tally.settings.clear();
            tally.media.clear();
            tally.pictures.clear();
            tally.readings.clear();
        }
    }
    match (is_list(&old), is_list(&new)) {
        (true, false) => as_the_list(&old, &mut new),
        (false, true) => as_the_list(&new, &mut old),
        _ => {}
    }
    match (old.lacks(MissingFact::Dependencies), new.lacks(MissingFact::Dependencies)) {
        (true, false) => leave_unrecorded_parts(&mut old, &mut new),
        (false, true) => leave_unrecorded_parts(&mut new, &mut old),
        _ => {}
    }
    (Cow::Owned(old), Cow::Owned(new), not_recorded)
}

/// Leaves out of both the parts that the one source could not tell: what fills such a part in the other was found by what
/// packages provide, or in the files, while a package of its name is in both.
fn leave_unrecorded_parts(poor: &mut Tally, rich: &mut Tally) {
    let plain = |name: &str| name.rsplit('/').next().unwrap_or(name).to_owned();
    let is_list = poor.taken.medium == Medium::Listing;
    let names: FxHashSet<&str> = poor.packages.iter().map(Package::plain_name).collect();
    let told = |part: &Part| {
        let Some(package) = part.package.as_ref().map(|package| plain(package.name())) else {
            return !is_list;
        };
        let same = |other: &Part| other.package.as_ref().is_some_and(|known| plain(known.name()) == package);
        !names.contains(package.as_str())
            || poor.parts.iter().any(|other| other.part == part.part && same(other))
    };
    let unknown: FxHashSet<Text> =
        rich.parts.iter().filter(|part| !told(part)).map(|part| part.part.clone()).collect();
    for tally in [poor, rich] {
        tally.parts.retain(|part| !unknown.contains(&part.part));
    }
}

/// Leaves of an install what a list would say of it: packages of the systems it lists, and epochs only where it has them.
fn as_the_list(list: &Tally, install: &mut Tally) {
    let systems: FxHashSet<System> = list.packages.iter().map(|package| package.system).collect();
    // Of another family altogether its own packages stay, and are told across families.
    let family = install.packages.iter().any(|package| systems.contains(&package.system));
    install
        .packages
        .retain(|package| systems.contains(&package.system) || (!family && !package.system.is_sandbox()));
    let has_epoch = |package: &Package| package.system == System::Rpm && package.version.contains(':');
    if !list.packages.iter().any(has_epoch) {
        for package in install.packages.iter_mut().filter(|package| has_epoch(package)) {
            package.version =
                package.version.split_once(':').map_or_else(Text::default, |(_, rest)| rest.into());
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::compare::compare;
    use crate::model::{Part, Repository, samples};

    fn tally(medium: Medium, packages: &[(System, &str, &str)]) -> Tally {
        let mut tally = Tally { taken: samples::taken(medium), ..samples::tally() };
        tally.packages =
            packages.iter().map(|(system, name, version)| Package::new(*system, *name, *version)).collect();
        tally
    }

    #[test]
    fn what_a_list_can_not_tell_is_no_change() {
        let mut list =
            tally(Medium::Listing, &[(System::Rpm, "inkcap", "3.2-1"), (System::Rpm, "old", "1-1")]);
        list.missing_facts = vec![MissingFact::Launchers, MissingFact::Sizes, MissingFact::Dependencies];
        let mut install = tally(
            Medium::Installed,
            &[(System::Rpm, "inkcap", "1:3.2-1"), (System::Rpm, "new", "1-1"), (System::Snap, "core22", "1")],
        );
        install.packages[0].installed_bytes = Some(4096);
        install.parts = vec![Part {
            part: "sound-server".into(),
            name: "Freshet".into(),
            version: None,
            package: None,
            others: Vec::new(),
            evidence: crate::model::Evidence::default(),
        }];
        install.repositories = vec![Repository::new(
            System::Rpm,
            "marsh",
            crate::model::Reduced::default(),
            crate::model::Evidence::default(),
        )];
        let comparison = compare(&list, &install);
        let changed: Vec<_> = comparison.packages.iter().map(|change| change.change.name()).collect();
        assert_eq!(
            changed,
            ["added", "removed"],
            "an epoch that the list has not is no change: {:?}",
            comparison.packages
        );
        assert!(comparison.repositories.is_empty() && comparison.parts.is_empty());
        assert_eq!((comparison.decisions.len(), comparison.totals.unexplained), (0, 0));
        assert_eq!(comparison.totals.new_bytes, 0);
        assert_eq!(comparison.not_recorded.sections, Section::ALL);
        assert!(compare(&install, &install).not_recorded.is_empty());
    }
}
