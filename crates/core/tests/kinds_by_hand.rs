//! The rules for kinds, held against what a person says of 370 real packages.
#![allow(clippy::unwrap_used, reason = "tests may fail")]

use tally_core::knowledge::{KindRules, Trait, Traits, menu_of};
use tally_core::model::{
    Alternatives, Dependency, Does, Evidence, Kind, Launcher, Menu, Package, System, Text,
};

const TRUTH: &str = include_str!("fixtures/kinds.tsv");

/// The least share of agreement that is let pass.
const LEAST: f64 = 0.97;

fn launcher(package: &Package, categories: &str) -> Launcher {
    let categories: Vec<Text> = categories.split(';').map(Text::from).collect();
    let menu = menu_of(&categories);
    Launcher {
        phase: tally_core::model::Phase::Shipped,
        id: format!("{}.desktop", package.name).into(),
        name: package.name.clone(),
        generic_name: None,
        menu,
        does: if menu == Menu::Settings { Does::SettingsPage } else { Does::Program },
        categories,
        shown: true,
        hidden_because: None,
        runs: None,
        url: None,
        program_present: None,
        package: Some(package.reference()),
        version: None,
        format: None,
        mime_types: Vec::new(),
        evidence: Evidence::default(),
    }
}

#[test]
fn the_rules_agree_with_a_person() {
    let (mut packages, mut traits, mut launchers, mut truths) =
        (Vec::new(), Vec::new(), Vec::new(), Vec::new());
    for line in TRUTH.lines().filter(|line| !line.starts_with('#')) {
        let columns: Vec<&str> = line.split('\t').collect();
        let [name, section, essential, needs, shows, shown, summary, truth] = columns[..] else {
            panic!("{line}");
        };
        let mut package = Package::new(System::Dpkg, name, "1");
        package.section = section.into();
        package.summary = summary.into();
        package.essential = !essential.is_empty();
        if !needs.is_empty() {
            let one = Dependency { name: "libc6".into(), op: None, version: None };
            package.depends.push(Alternatives::from_elem(one, 1));
        }
        let named = |name: &str| Trait::from_name(name).unwrap();
        let shows: Option<Traits> = (shows != "unknown")
            .then(|| shows.split(',').filter(|name| !name.is_empty()).map(named).collect());
        launchers.extend(shown.split('|').filter(|c| !c.is_empty()).map(|c| launcher(&package, c)));
        truths.push(truth.split('|').map(|kind| Kind::from_name(kind).unwrap()).collect::<Vec<_>>());
        traits.push(shows);
        packages.push(package);
    }
    assert_eq!(packages.len(), 370);
    KindRules::built_in().unwrap().apply(&mut packages, &traits, &launchers);
    let wrong: Vec<String> = packages
        .iter()
        .zip(&truths)
        .filter(|(package, truth)| !truth.contains(&package.kind))
        .map(|(p, truth)| format!("{} is {truth:?}, not {} ({:?})", p.name, p.kind, p.kind_because))
        .collect();
    let share = 1.0 - wrong.len() as f64 / packages.len() as f64;
    assert!(share >= LEAST, "{:.1}% agree:\n{}", share * 100.0, wrong.join("\n"));
}
