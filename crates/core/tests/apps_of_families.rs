//! The same application under the many names that families of distributions give its packages and launchers, as a person knows them:
//! each has to be found in each other family, and no other one in its place.
#![allow(clippy::unwrap_used, clippy::panic, reason = "tests may fail")]

use tally_core::compare::{ApplicationChangeKind, compare};
use tally_core::derive::join_applications;
use tally_core::grid::{GridRules, Likeness, grid};
use tally_core::knowledge::{PartRules, Roles};
use tally_core::model::{
    Counts, Does, Evidence, Label, Launcher, Medium, Menu, Package, Phase, System, Taken, Tally, Text,
};

const TRUTH: &str = include_str!("fixtures/apps-of-families.txt");

const FAMILIES: [(&str, System); 4] =
    [("debian", System::Dpkg), ("fedora", System::Rpm), ("arch", System::Pacman), ("opensuse", System::Rpm)];

/// An install of one family with all applications of the table that it has.
fn family(column: usize) -> Tally {
    let (name, system) = FAMILIES[column];
    let taken = Taken {
        at: "".into(),
        from: "".into(),
        medium: Medium::Installed,
        layer: None,
        sha256: None,
        root: None,
    };
    let mut tally = Tally::new("test", taken, Label { handle: name.into(), ..Label::default() });
    for (row, line) in TRUTH.lines().filter(|line| !line.starts_with('#')).enumerate() {
        let cells: Vec<&str> = line.split('|').collect();
        let [title, homepage, component] = cells[..3] else { panic!("{line}") };
        let mut of = cells[3 + column].split('=');
        let (Some(package), Some(launcher)) = (of.next(), of.next()) else { continue };
        // One package may hold several applications; the version tells the rows apart, and so each has a package of its own.
        let package =
            if tally.packages.iter().any(|known| known.name == *package) { launcher } else { package };
        let mut package = Package::new(system, package, format!("{row}-1"));
        package.homepage = homepage.into();
        tally.launchers.push(Launcher {
            phase: Phase::Shipped,
            id: format!("{launcher}.desktop").into(),
            name: of.next().unwrap_or(title).into(),
            generic_name: None,
            menu: Menu::Accessories,
            categories: Vec::new(),
            shown: true,
            hidden_because: None,
            runs: Some(launcher.into()),
            does: Does::Program,
            url: None,
            program_present: None,
            package: Some(package.reference()),
            version: None,
            format: Some(system),
            mime_types: Vec::new(),
            initial_preference: None,
            // Packages of Debian leave it out as often as not.
            appstream: if component.contains('.') && column != 0 {
                vec![component.into()]
            } else {
                Vec::new()
            },
            evidence: Evidence::default(),
        });
        if tally.packages.iter().all(|known| known.name != package.name) {
            tally.packages.push(package);
        }
    }
    tally.applications = join_applications(&tally.launchers, &tally.packages);
    tally.counts = Counts::of(&tally.packages, &tally.launchers, &tally.applications);
    tally
}

/// Rows that both columns have, and those that only one has.
fn expected(a: usize, b: usize) -> (usize, usize) {
    let rows = TRUTH.lines().filter(|line| !line.starts_with('#'));
    let has = rows.map(|line| {
        let cells: Vec<&str> = line.split('|').collect();
        (cells[3 + a] != "-", cells[3 + b] != "-")
    });
    has.fold((0, 0), |(both, one), (a, b)| (both + usize::from(a && b), one + usize::from(a != b)))
}

#[test]
fn an_application_is_the_same_one_in_every_family() {
    let tallies: Vec<Tally> = (0..FAMILIES.len()).map(family).collect();
    let (mut pairs, mut wrong) = (0, Vec::new());
    for a in 0..tallies.len() {
        for b in 0..tallies.len() {
            if a == b {
                continue;
            }
            let (both, one) = expected(a, b);
            pairs += both;
            let changes = compare(&tallies[a], &tallies[b]).applications;
            let lonely: Vec<Text> = changes
                .iter()
                .filter(|change| {
                    matches!(change.change, ApplicationChangeKind::Added | ApplicationChangeKind::Removed)
                })
                .map(|change| change.name.clone())
                .collect();
            // The version is the row: a pair of two versions is two applications.
            let crossed = changes.iter().filter(|change| {
                change.old_version.is_some()
                    && change.new_version.is_some()
                    && change.old_version != change.new_version
            });
            wrong.extend(crossed.map(|change| (FAMILIES[a].0, FAMILIES[b].0, vec![change.name.clone()])));
            if lonely.len() != one {
                wrong.push((FAMILIES[a].0, FAMILIES[b].0, lonely));
            }
        }
    }
    assert!(pairs >= 4 * 3 * 150, "{pairs} pairs");
    assert!(wrong.is_empty(), "{wrong:#?}");
}

#[test]
fn a_grid_has_one_row_for_it() {
    let tallies: Vec<Tally> = (0..FAMILIES.len()).map(family).collect();
    let all: Vec<&Tally> = tallies.iter().collect();
    let (parts, roles) = (PartRules::built_in().unwrap(), Roles::built_in().unwrap());
    let rules = GridRules { parts: &parts, roles: &roles, asked: &[], likeness: Likeness::Applications };
    let grid = grid(&all, &rules);
    let everywhere = TRUTH.lines().filter(|line| !line.starts_with('#') && !line.contains("|-")).count();
    assert_eq!(grid.shared_applications as usize, everywhere, "{:?}", grid.only_applications);
    assert!(grid.alike[0][2] > 0.98, "{:?}", grid.alike);
}
