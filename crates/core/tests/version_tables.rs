//! Every order against answers that the systems' own tools gave: lines of two versions and their order.
#![allow(clippy::unwrap_used, clippy::panic, reason = "tests may fail")]

use tally_core::model::System;
use tally_core::systems::compare;
use tally_core::version::sign;

fn agrees(system: System, table: &str, pairs: usize) {
    let mut wrong = Vec::new();
    let mut count = 0;
    for line in table.lines() {
        let mut columns = line.split('\t');
        let (a, b, order) = (columns.next().unwrap(), columns.next().unwrap(), columns.next().unwrap());
        count += 1;
        if sign(compare(system, a, b)) != order || sign(compare(system, b, a).reverse()) != order {
            wrong.push(line);
        }
    }
    assert_eq!(wrong, [""; 0]);
    assert_eq!(count, pairs);
}

#[test]
fn dpkg() {
    agrees(System::Dpkg, include_str!("fixtures/versions/dpkg.tsv"), 611);
}

#[test]
fn rpm() {
    agrees(System::Rpm, include_str!("fixtures/versions/rpm.tsv"), 936);
}

#[test]
fn pacman() {
    agrees(System::Pacman, include_str!("fixtures/versions/pacman.tsv"), 686);
}

/// Answers of Nix 2.8 (`builtins.compareVersions`).
#[test]
fn nix() {
    agrees(System::Nix, include_str!("fixtures/versions/nix.tsv"), 321);
}
