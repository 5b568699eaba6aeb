//! Comparisons of made-up tallies of every shape: rings of dependencies, packages that provide or replace themselves,
//! names that stand several times, absurd versions, no reasons, no packages at all.
#![allow(clippy::unwrap_used, reason = "tests may fail")]

use proptest::prelude::*;
use tally_core::compare::{Base, HeadlineRules, PackageChangeKind, compare, compare_in_full};
use tally_core::knowledge::{Agents, PartRules, Roles, Scores};
use tally_core::model::{
    Alternatives, Dependency, Kind, Label, Medium, Package, Reason, State, System, Taken, Tally,
};

fn names(list: Vec<String>) -> Vec<Dependency> {
    list.into_iter().map(|name| Dependency { name: name.into(), op: None, version: None }).collect()
}

fn package() -> impl Strategy<Value = Package> {
    let few = || prop::collection::vec("[a-d]{1,2}[0-9]?", 0..3);
    let system = prop::sample::select(vec![System::Dpkg, System::Dpkg, System::Rpm, System::Flatpak]);
    let kind = prop::sample::select(vec![Kind::Library, Kind::Metapackage, Kind::Application]);
    let reason = prop::sample::select(Reason::ALL.to_vec());
    let state = prop::sample::select(vec![State::Installed, State::Installed, State::RemovedConfig]);
    let head = ("[a-d]{1,2}[0-9]?", "\\PC{0,6}", system, kind, reason, state, any::<Option<u64>>());
    (head, few(), few(), few(), few()).prop_map(|(head, depends, recommends, replaces, provides)| {
        let (name, version, system, kind, reason, state, bytes) = head;
        let mut package = Package::new(system, name.as_str(), version);
        package.source = Some(name[..1].into());
        (package.kind, package.reason, package.state) = (kind, reason, state);
        package.installed_bytes = bytes;
        package.depends = names(depends).into_iter().map(|d| Alternatives::from_elem(d, 1)).collect();
        package.recommends = names(recommends).into_iter().map(|d| Alternatives::from_elem(d, 1)).collect();
        (package.replaces, package.provides) = (names(replaces), names(provides));
        package
    })
}

fn tally() -> impl Strategy<Value = Tally> {
    prop::collection::vec(package(), 0..14).prop_map(|packages| {
        let taken = Taken {
            at: "".into(),
            from: "".into(),
            medium: Medium::Installed,
            layer: None,
            sha256: None,
            root: None,
        };
        let mut tally = Tally::new("test", taken, Label::default());
        tally.packages = packages;
        tally
    })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(96))]

    #[test]
    fn every_package_is_accounted_for_and_explained_or_counted(old in tally(), new in tally()) {
        let comparison = compare(&old, &new);
        let totals = &comparison.totals;
        let of = |sort| totals.packages_of(sort);
        let pairs = totals.unchanged
            + comparison.packages.iter().filter(|c| c.old.is_some() && c.new.is_some()).count() as u32
            - of(PackageChangeKind::Split)
            - of(PackageChangeKind::Merged);
        prop_assert_eq!(totals.old_packages, pairs + of(PackageChangeKind::Removed) + of(PackageChangeKind::Merged));
        prop_assert_eq!(totals.new_packages, pairs + of(PackageChangeKind::Added) + of(PackageChangeKind::Split));
        let decided: usize = comparison.decisions.iter().map(|decision| decision.packages.len()).sum();
        let moved = of(PackageChangeKind::Added) + of(PackageChangeKind::Removed);
        prop_assert_eq!(decided as u32 + totals.unexplained, moved);
        for decision in &comparison.decisions {
            let headed = usize::from(decision.head.is_some());
            prop_assert_eq!(decision.followers as usize + headed, decision.packages.len());
        }
    }

    #[test]
    fn the_same_on_both_sides_is_no_change(tally in tally()) {
        prop_assert!(compare(&tally, &tally).is_empty());
    }

    #[test]
    fn backwards_is_the_mirror_image(old in tally(), new in tally()) {
        let (forth, back) = (compare(&old, &new).totals, compare(&new, &old).totals);
        for (sort, mirrored) in [
            (PackageChangeKind::Added, PackageChangeKind::Removed),
            (PackageChangeKind::Split, PackageChangeKind::Merged),
            (PackageChangeKind::NewSeries, PackageChangeKind::NewSeries),
            (PackageChangeKind::Renamed, PackageChangeKind::Renamed),
        ] {
            prop_assert_eq!(forth.packages_of(sort), back.packages_of(mirrored));
        }
        prop_assert_eq!(forth.unchanged, back.unchanged);
    }

    #[test]
    fn any_base_will_do(old in tally(), new in tally(), base in tally(), newer in tally()) {
        let rules = (Scores::built_in().unwrap(), Roles::default(), PartRules::default(), Agents::default());
        let rules = HeadlineRules { scores: &rules.0, roles: &rules.1, parts: &rules.2, agents: &rules.3 };
        let changes = compare(&base, &newer);
        let both = compare_in_full(&old, &new, Some(Base::Both { changes: &changes }), &rules);
        prop_assert!(both.packages.iter().all(|change| change.inherited.is_some()));
        prop_assert_eq!(both.totals.held_back, Some(both.held_back.len() as u32));
        let one = compare_in_full(&old, &new, Some(Base::One(&base)), &rules);
        prop_assert!(one.headlines.len() <= 12);
    }
}
