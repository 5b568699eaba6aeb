//! The rules for kinds, held against what a person says of 370 real packages.
#![allow(clippy::unwrap_used, reason = "tests may fail")]

use std::collections::BTreeMap;
use tally_core::knowledge::{KindRules, Trait, Traits, folder_class, menu_of, trait_of};
use tally_core::model::{
    Alternatives, Dependency, Does, Evidence, Kind, Launcher, Menu, Package, System, Text,
};

const TRUTH: &str = include_str!("fixtures/kinds.tsv");

const FAMILIES: &str = include_str!("fixtures/kinds-of-families.tsv");

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
        initial_preference: None,
        appstream: Vec::new(),
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

/// The traits that paths show.
fn shown_by(paths: &str) -> Traits {
    let of = |path: &str| {
        let (folder, file) = path.rsplit_once('/').unwrap_or(("", path));
        trait_of(folder_class(folder.as_bytes()), file.as_bytes())
    };
    paths.split(' ').filter(|path| !path.is_empty()).filter_map(of).collect()
}

/// Nine families, each with about sixty packages. When they were counted first, after the rules were written and before anyone looked
/// at these, 4 of 572 were wrong.
#[test]
fn the_rules_agree_with_a_person_in_every_family() {
    let mut by_family: BTreeMap<&str, (usize, Vec<String>)> = BTreeMap::new();
    let rules = KindRules::built_in().unwrap();
    for line in FAMILIES.lines().filter(|line| !line.starts_with('#')) {
        let columns: Vec<&str> = line.split('\t').collect();
        let [family, system, name, section, summary, needs, files, shown, truth] = columns[..] else {
            panic!("{line}");
        };
        let mut package = Package::new(System::from_name(system).unwrap(), name, "1");
        (package.section, package.summary) = (section.into(), summary.into());
        if !needs.is_empty() {
            let one = Dependency { name: "other".into(), op: None, version: None };
            package.depends.push(Alternatives::from_elem(one, 1));
        }
        let launchers: Vec<Launcher> =
            shown.split('|').filter(|c| !c.is_empty()).map(|c| launcher(&package, c)).collect();
        let mut packages = [package];
        rules.apply(&mut packages, &[Some(shown_by(files))], &launchers);
        let counted = by_family.entry(family).or_default();
        counted.0 += 1;
        let [package] = packages;
        if !truth.split('|').any(|kind| Kind::from_name(kind) == Some(package.kind)) {
            let told = format!("{name} is {truth}, not {} ({:?})", package.kind, package.kind_because);
            counted.1.push(told);
        }
    }
    for (family, (all, wrong)) in by_family {
        assert!(wrong.len() * 100 <= all * 5, "{family}: {} of {all}\n{}", wrong.len(), wrong.join("\n"));
    }
}

/// Alternatives of the patterns of a rule, by condition; a condition that is no pattern is one alternative.
fn conditions(rule: &toml::Table) -> std::collections::BTreeMap<&str, Vec<String>> {
    let told = |value: &toml::Value| match value {
        toml::Value::Array(all) => all.iter().map(|one| one.as_str().unwrap().to_owned()).collect(),
        other => vec![other.as_str().map_or_else(|| other.to_string(), str::to_owned)],
    };
    let conditions = rule.iter().filter(|(key, _)| !["kind", "because"].contains(&key.as_str()));
    conditions.map(|(key, value)| (key.as_str(), told(value))).collect()
}

/// Whether each name that a pattern matches is matched by another: sure where it has no star, or the other is the same but for what
/// stands in place of its star.
fn covers(wide: &str, narrow: &str) -> bool {
    wide == narrow || (!narrow.contains('#') && tally_core::knowledge::matches(wide, narrow))
}

#[test]
fn each_rule_says_why_no_alternative_stands_twice_and_none_is_never_asked() {
    let table: toml::Table = toml::from_str(KindRules::built_in_text()).unwrap();
    let rules: Vec<&toml::Table> =
        table["rule"].as_array().unwrap().iter().map(|rule| rule.as_table().unwrap()).collect();
    assert_eq!(rules.len(), KindRules::built_in().unwrap().because().flatten().count(), "a rule says no why");
    let mut wrong = Vec::new();
    for (at, rule) in rules.iter().enumerate() {
        let own = conditions(rule);
        for (key, all) in &own {
            for (i, one) in all.iter().enumerate() {
                if let Some(other) = all.iter().enumerate().find(|(k, wide)| *k != i && covers(wide, one)) {
                    wrong.push(format!("rule {}: {key} `{one}` is in `{}`", at + 1, other.1));
                }
                // An earlier rule that asks no more, and lets this alternative in, leaves nothing to it.
                for (before, earlier) in rules[..at].iter().enumerate() {
                    let asked = conditions(earlier);
                    let takes = |key: &str, all: &Vec<String>, mine: &[String]| match key {
                        "name" | "section" | "summary" | "version" => {
                            mine.iter().all(|one| all.iter().any(|wide| covers(wide, one)))
                        }
                        "system" => mine.iter().all(|one| all.contains(one)),
                        // All traits that it asks for are asked for here as well.
                        _ => all.iter().all(|one| mine.contains(one)),
                    };
                    let shadowed = asked.iter().all(|(asks, all)| match own.get(asks) {
                        Some(_) if asks == key => takes(asks, all, std::slice::from_ref(one)),
                        Some(mine) => takes(asks, all, mine),
                        None => false,
                    });
                    if shadowed && ["name", "section", "summary"].contains(key) {
                        wrong.push(format!(
                            "rule {}: {key} `{one}` never comes after rule {}",
                            at + 1,
                            before + 1
                        ));
                    }
                }
            }
        }
    }
    assert!(wrong.is_empty(), "{wrong:#?}");
}

#[test]
fn guards_narrow_a_rule_to_a_package_system_and_to_versions() {
    let own = tally_core::knowledge::OwnRules::parse(
        "[[kind]]\nkind = 'command'\nname = ['gtk3', 'gtk4']\nsystem = ['rpm', 'pacman']\nversion = '3.*'\n",
    )
    .unwrap();
    let rules = own.kinds().unwrap();
    let kind = |system, name: &str, version: &str| {
        let mut package = Package::new(system, name, version);
        package.upstream_version = version.into();
        let mut packages = [package];
        rules.apply(&mut packages, &[None], &[]);
        packages[0].kind
    };
    assert_eq!(kind(System::Rpm, "gtk3", "3.24"), Kind::Command);
    assert_eq!(kind(System::Pacman, "gtk4", "3.24"), Kind::Command);
    assert_ne!(kind(System::Rpm, "gtk4", "4.10"), Kind::Command, "the version is another");
    assert_ne!(kind(System::Dpkg, "gtk3", "3.24"), Kind::Command, "the system is another");
    let wrong = tally_core::knowledge::OwnRules::parse("[[kind]]\nkind = 'command'\nname = 3\n").unwrap_err();
    assert!(wrong.to_string().contains("a pattern or an array of patterns"), "{wrong}");
    for (condition, why) in [
        ("name = []", "a pattern is empty"),
        ("name = ['inkcap', '']", "a pattern is empty"),
        ("system = []", "no package system is named"),
        ("system = 'dpgk'", "the name of a package system"),
    ] {
        let table = format!("[[kind]]\nkind = 'command'\n{condition}\n");
        let wrong = tally_core::knowledge::OwnRules::parse(&table).unwrap_err();
        assert!(wrong.to_string().contains(why) && wrong.line.is_some(), "{condition}: {wrong}");
    }
}

#[test]
fn a_part_counts_packages_that_its_guards_let_through_alone() {
    let rules = tally_core::knowledge::PartRules::parse(
        "[[part]]\npart = 'toolkit'\nlabel = 'Toolkit'\nmany = true\nways = [{ name = 'Three', package = ['gtk*', 'libgtk*'], system = 'rpm', version = '3.*' }]\n",
    )
    .unwrap();
    let found = |system, version: &str| {
        let mut package = Package::new(system, "gtk3", version);
        package.upstream_version = version.into();
        rules.apply(&[package], &tally_core::knowledge::Probes::new(), None).len()
    };
    assert_eq!(
        (found(System::Rpm, "3.24"), found(System::Rpm, "4.1"), found(System::Dpkg, "3.24")),
        (1, 0, 0)
    );
}

#[test]
fn no_part_and_no_role_stands_twice() {
    let names = |table: &str, text: &str| -> Vec<String> {
        let table: toml::Table = {
            let all: toml::Table = toml::from_str(text).unwrap();
            toml::Table::from_iter([(table.to_owned(), all[table].clone())])
        };
        let (key, rules) = table.into_iter().next().unwrap();
        rules.as_array().unwrap().iter().map(|rule| rule[&key].as_str().unwrap().to_owned()).collect()
    };
    for mut names in [
        names("part", tally_core::knowledge::PartRules::built_in_text()),
        names("role", tally_core::knowledge::Roles::built_in_text()),
    ] {
        let all = names.len();
        names.sort();
        names.dedup();
        assert!(all > 20 && names.len() == all, "{names:?}");
    }
}
