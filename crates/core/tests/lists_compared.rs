//! What differs between two installs besides their packages: what opens what, repositories, startup items, looks, readings.
#![allow(
    clippy::unwrap_used,
    clippy::needless_pass_by_value,
    reason = "tests may fail, and hand over what they made"
)]

mod common;

use common::tally;
use serde_json::{Value, json};
use tally_core::compare::{Base, Comparison, HeadlineRules, ListChange, compare, compare_in_full};
use tally_core::knowledge::{Agents, PartRules, Roles, Scores};

fn compared(old: Value, new: Value) -> Comparison {
    compare(&tally(&old), &tally(&new))
}

/// Sort, name, what it was, what it is.
fn said(changes: &[ListChange]) -> Vec<(&str, &str, &str, &str)> {
    fn text(text: &Option<tally_core::model::Text>) -> &str {
        text.as_deref().unwrap_or_default()
    }
    changes.iter().map(|one| (one.change.name(), one.name.as_str(), text(&one.old), text(&one.new))).collect()
}

/// The same, with what each item is.
fn with_items(changes: &[ListChange]) -> Vec<(&str, &str, &str, &str, &str)> {
    let items = changes.iter().map(|one| one.item.name());
    said(changes)
        .into_iter()
        .zip(items)
        .map(|((change, name, old, new), item)| (change, item, name, old, new))
        .collect()
}

fn opens(application: Option<&str>, candidates: &[&str], sure: bool) -> Value {
    json!({"role": "text-editor", "asked": "text/plain", "application": application, "candidates": candidates, "how": "list", "sure": sure})
}

/// How the answer to one question changed, with these programs on the new side.
fn changed(old: Value, new: Value, there: &[&str]) -> Option<&'static str> {
    let programs: Vec<Value> =
        there.iter().map(|id| json!({"id": id, "name": id, "menu": "other"})).collect();
    let comparison =
        compared(json!({"defaults": [old]}), json!({"defaults": [new], "applications": programs}));
    assert!(comparison.defaults.len() < 2);
    comparison.defaults.first().map(|change| change.change.name())
}

#[test]
fn what_became_of_a_default_is_told_by_who_is_still_there() {
    let (ink, quill) = (opens(Some("ink"), &["ink"], true), opens(Some("quill"), &["quill"], true));
    assert_eq!(changed(ink.clone(), ink.clone(), &["ink"]), None);
    assert_eq!(changed(ink.clone(), quill.clone(), &["quill"]), Some("replaced"));
    assert_eq!(changed(ink.clone(), quill, &["quill", "ink"]), Some("switched"));
    let nobody = opens(None, &[], true);
    assert_eq!(changed(ink.clone(), nobody.clone(), &[]), Some("lost"));
    assert_eq!(changed(nobody.clone(), ink.clone(), &["ink"]), Some("filled"));
    assert_eq!(changed(nobody.clone(), nobody, &[]), None);
    let several = opens(None, &["ink", "quill"], false);
    assert_eq!(changed(ink.clone(), several, &["ink", "quill"]), Some("ambiguous"));
    let unsure = opens(Some("ink"), &["ink", "quill"], false);
    assert_eq!(changed(ink.clone(), unsure.clone(), &["ink", "quill"]), Some("ambiguous"));
    assert_eq!(changed(unsure, ink.clone(), &["ink"]), None, "a choice that was made is no other answer");
    let untold = opens(None, &[], false);
    assert_eq!(changed(ink, untold, &[]), None, "who answered can't be told any more, which is no change");
}

#[test]
fn a_question_that_only_one_side_was_asked_is_no_change() {
    let comparison = compared(json!({}), json!({"defaults": [opens(Some("ink"), &["ink"], true)]}));
    assert!(comparison.defaults.is_empty());
}

fn repository(name: &str, uri: &str, suite: &str, components: &[&str], enabled: bool) -> Value {
    json!({"system": "dpkg", "name": name, "uri": uri, "suite": suite, "components": components, "enabled": enabled})
}

#[test]
fn a_suite_that_goes_by_the_code_name_is_the_same_repository() {
    let of = |codename: &str, repositories: Vec<Value>| json!({"label": {"distro": "Saltmarsh Linux", "handle": "x", "codename": codename}, "repositories": repositories});
    let main = "https://marsh.example/archive";
    let old = of(
        "Avocet",
        vec![
            repository("main", main, "avocet", &["main"], true),
            repository("updates", main, "avocet-updates", &["main"], true),
            repository("old", "https://marsh.example/old", "avocet", &["main"], true),
            repository("off", "https://marsh.example/off", "avocet", &["main"], false),
        ],
    );
    let new = of(
        "Bittern",
        vec![
            repository("main", main, "bittern", &["main", "firmware"], true),
            repository("updates", main, "bittern-updates", &["main"], true),
            repository("drift", "https://drift.example/x", "stable", &["all"], true),
            repository("off", "https://marsh.example/off", "bittern", &["main"], false),
        ],
    );
    assert_eq!(
        said(&compared(old, new).repositories),
        [
            ("added", "https://drift.example/x stable", "", "all"),
            ("removed", "https://marsh.example/old avocet", "main", ""),
            ("changed", "https://marsh.example/archive bittern", "main", "main firmware"),
        ]
    );
}

#[test]
fn what_is_switched_off_does_not_start() {
    let item = |name: &str, scope: &str, enabled: bool| json!({"sort": "unit", "name": name, "scope": scope, "enabled": enabled});
    let old = json!({"startup": [item("weir", "system", true), item("reed", "user", true), item("ebb", "system", false)]});
    let new = json!({"startup": [item("weir", "system", true), item("reed", "user", false), item("ebb", "system", true), item("weir", "user", true)]});
    assert_eq!(
        said(&compared(old, new).startup),
        [
            ("added", "ebb (system)", "", ""),
            ("added", "weir (user)", "", ""),
            ("removed", "reed (user)", "", "")
        ]
    );
}

#[test]
fn looks_are_compared_by_name_and_wallpapers_by_number_too() {
    let look = |name: &str, count: u32| json!({"name": name, "count": count});
    let old = json!({"looks": {"themes": [look("Tide", 3)], "wallpapers": [look("marsh", 4), look("old", 1)], "fonts": [look("reed", 8)],
        "default_theme": "Tide", "default_font": "Reed Sans 10"}});
    let new = json!({"looks": {"themes": [look("Tide", 9), look("Ebb", 1)], "wallpapers": [look("marsh", 6)], "fonts": [look("reed", 9)],
        "default_theme": "Ebb", "default_icons": "Sedge"}});
    assert_eq!(
        with_items(&compared(old, new).looks),
        [
            ("added", "theme", "Ebb", "", ""),
            ("added", "default-icons", "", "", "Sedge"),
            ("removed", "wallpapers", "old", "1", ""),
            ("removed", "default-font", "", "Reed Sans 10", ""),
            ("changed", "wallpapers", "marsh", "4", "6"),
            ("changed", "default-theme", "", "Tide", "Ebb"),
        ]
    );
}

fn reading(value: f64, method: &str, medium: &str, ram: u64) -> Value {
    json!({"what": "memory-used", "value": value, "unit": "bytes", "method": method, "when": "idle",
        "conditions": {"medium": medium, "ram_bytes": ram, "virtual": true}, "by": "kit"})
}

#[test]
fn figures_are_compared_only_where_they_were_measured_alike() {
    let with = |readings: Vec<Value>| json!({"readings": readings});
    let alike = compared(
        with(vec![reading(500.0, "total - available", "installed", 4096)]),
        with(vec![reading(700.0, "total - available", "installed", 4096)]),
    );
    assert_eq!((alike.readings[0].difference, &alike.readings[0].not_comparable), (Some(200.0), &None));
    for other in [
        reading(700.0, "sum of processes", "installed", 4096),
        reading(700.0, "total - available", "live", 4096),
        reading(700.0, "total - available", "installed", 8192),
    ] {
        let unlike = compared(
            with(vec![reading(500.0, "total - available", "installed", 4096)]),
            with(vec![other.clone()]),
        );
        let change = &unlike.readings[0];
        assert!(change.difference.is_none() && change.not_comparable.is_some(), "{other}");
        // Of several figures the pair that compares is taken, whatever stands first.
        let both = compared(
            with(vec![reading(500.0, "total - available", "installed", 4096)]),
            with(vec![other, reading(650.0, "total - available", "installed", 4096)]),
        );
        assert_eq!((both.readings.len(), both.readings[0].difference), (1, Some(150.0)));
    }
    let one_sided = compared(json!({}), with(vec![reading(1.0, "x", "installed", 1)]));
    assert!(one_sided.readings.is_empty());
}

#[test]
fn each_change_is_held_against_that_of_the_base() {
    let release = |kernel: &str, own: &str, browser: &str, repositories: Vec<Value>| {
        json!({
            "packages": [
                {"system": "dpkg", "name": "kernel", "version": kernel}, {"system": "dpkg", "name": "own", "version": own},
                {"system": "dpkg", "name": "kept", "version": "1"}, {"system": "dpkg", "name": browser, "version": "1"}
            ],
            "parts": [{"part": "kernel", "name": "Linux", "version": kernel}],
            "defaults": [opens(Some(browser), &[browser], true)],
            "applications": [{"id": browser, "name": browser, "menu": "internet"}],
            "repositories": repositories,
        })
    };
    let drift = || repository("drift", "https://drift.example/x", "stable", &["all"], true);
    let (old, new) = (release("5", "1", "a", vec![]), release("6", "2", "b", vec![drift()]));
    let base_release = |kernel: &str, kept: &str| {
        json!({
            "packages": [{"system": "dpkg", "name": "kernel", "version": kernel}, {"system": "dpkg", "name": "kept", "version": kept}],
            "parts": [{"part": "kernel", "name": "Linux", "version": kernel}],
        })
    };
    let (base_old, base_new) = (tally(&base_release("5", "1")), tally(&base_release("6", "2")));
    let rules = (Scores::built_in().unwrap(), Roles::default(), PartRules::default(), Agents::default());
    let rules = HeadlineRules { scores: &rules.0, roles: &rules.1, parts: &rules.2, agents: &rules.3 };
    let changes = compare(&base_old, &base_new);
    let both = compare_in_full(&tally(&old), &tally(&new), Some(Base::Both { changes: &changes }), &rules);
    let of = |comparison: &Comparison, name: &str| {
        let side = |change: &&tally_core::compare::PackageChange| {
            change.new.as_ref().or(change.old.as_ref()).is_some_and(|side| side.name == name)
        };
        comparison.packages.iter().find(side).and_then(|change| change.inherited)
    };
    assert_eq!(
        (of(&both, "kernel"), of(&both, "own"), of(&both, "b")),
        (Some(true), Some(false), Some(false))
    );
    assert_eq!(both.parts[0].inherited, Some(true));
    assert_eq!((both.defaults[0].inherited, both.repositories[0].inherited), (Some(false), Some(false)));
    let held: Vec<&str> =
        both.held_back.iter().map(|change| change.new.as_ref().unwrap().name.as_str()).collect();
    assert_eq!((held, both.totals.held_back, both.totals.inherited), (vec!["kept"], Some(1), Some(1)));
    let one = compare_in_full(&tally(&old), &tally(&new), Some(Base::One(&base_new)), &rules);
    assert_eq!((of(&one, "kernel"), of(&one, "own"), of(&one, "b")), (Some(true), Some(false), Some(false)));
    assert_eq!(
        (of(&one, "a"), one.totals.held_back),
        (Some(true), None),
        "what the base lacks went there too"
    );
}
