//! The alignment, held against pairs of two real releases that a person read one by one.
#![allow(clippy::unwrap_used, reason = "tests may fail")]

use std::collections::BTreeSet;
use tally_core::compare::{Match, Sides, align};
use tally_core::model::{Dependency, Kind, Package, System};

const TRUTH: &str = include_str!("fixtures/alignment.tsv");

fn package(columns: &[&str]) -> Package {
    let mut package = Package::new(System::Dpkg, columns[1], "1");
    package.source = Some(columns[2].into());
    package.kind = Kind::from_name(columns[3]).unwrap();
    let names = |list: &str| -> Vec<Dependency> {
        let names = list.split(',').filter(|name| !name.is_empty());
        names.map(|name| Dependency { name: name.into(), op: None, version: None }).collect()
    };
    package.replaces = names(columns[4]);
    package.provides = names(columns[5]);
    package.conflicts = names(columns[6]);
    package
}

#[test]
fn the_pairs_are_those_that_a_person_finds() {
    let (mut old, mut new, mut truth) = (Vec::new(), Vec::new(), BTreeSet::new());
    for line in TRUTH.lines().filter(|line| !line.starts_with('#')) {
        let columns: Vec<&str> = line.split('\t').collect();
        match columns[0] {
            "old" => old.push(package(&columns)),
            "new" => new.push(package(&columns)),
            _ => _ = truth.insert((columns[1].to_owned(), columns[2].to_owned())),
        }
    }
    assert!(truth.len() >= 120, "{}", truth.len());
    let (old, new): (Vec<&Package>, Vec<&Package>) = (old.iter().collect(), new.iter().collect());
    let alignment = align(&Sides { old: &old, new: &new, ..Sides::default() });
    let found: BTreeSet<(String, String)> = alignment
        .pairs
        .iter()
        .filter(|pair| pair.how != Match::Same)
        .chain(&alignment.split)
        .chain(&alignment.merged)
        .map(|pair| (old[pair.old].name.to_string(), new[pair.new].name.to_string()))
        .collect();
    let wrong: Vec<_> = found.difference(&truth).collect();
    let missed: Vec<_> = truth.difference(&found).collect();
    let share = |part: usize, whole: usize| part as f64 / whole as f64;
    let right = found.len() - wrong.len();
    assert!(share(right, found.len()) >= 0.99, "precision: {wrong:?}");
    assert!(share(right, truth.len()) >= 0.98, "recall: {missed:?}");
}
