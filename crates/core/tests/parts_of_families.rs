//! Parts by the names that packages have in each family, as a person knows them: system, package, version, part, what fills it.
#![allow(clippy::unwrap_used, clippy::panic, reason = "tests may fail")]

use std::collections::BTreeMap;
use tally_core::knowledge::{PartRules, Probes};
use tally_core::model::{Package, System};
use tally_core::systems::upstream;

const TRUTH: &str = include_str!("fixtures/parts-of-families.tsv");

#[test]
fn a_package_fills_its_part_in_every_family() {
    let rules = PartRules::built_in().unwrap();
    let (mut rows, mut wrong) = (BTreeMap::<&str, usize>::new(), Vec::new());
    for line in TRUTH.lines() {
        let [system, name, version, part, filled] = line.split('\t').collect::<Vec<_>>()[..] else {
            panic!("{line}")
        };
        *rows.entry(system).or_default() += 1;
        let system = System::from_name(system).unwrap();
        let mut package = Package::new(system, name, version);
        package.upstream_version = upstream(system, version).into();
        let expected = package.upstream_version.to_string();
        let found = rules.apply(&[package], &Probes::default(), None);
        let right = found.iter().any(|one| {
            one.part == part && one.name == filled && one.version.as_deref() == Some(expected.as_str())
        });
        if !right {
            let told = found
                .iter()
                .map(|one| format!("{}={} {:?}", one.part, one.name, one.version))
                .collect::<Vec<_>>();
            wrong.push(format!("{line}: {told:?}"));
        }
    }
    assert!(rows.len() >= 9 && TRUTH.lines().count() > 130, "{rows:?}");
    assert!(wrong.is_empty(), "{} wrong of {}:\n{}", wrong.len(), TRUTH.lines().count(), wrong.join("\n"));
}
