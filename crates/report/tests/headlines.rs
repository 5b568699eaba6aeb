//! What a comparison says first: each rule by a pair of small installs, their order, and how many.
#![allow(
    clippy::unwrap_used,
    clippy::needless_pass_by_value,
    reason = "tests may fail, and hand over what they made"
)]

#[path = "../../core/tests/common/mod.rs"]
mod common;

use common::tally;
use serde_json::{Value, json};
use tally_core::compare::{Base, Comparison, HeadlineRules, compare, compare_in_full};
use tally_core::knowledge::{Agents, PartRules, Roles, Scores};
use tally_core::model::Tally;
use tally_report::words::headline;

fn package(name: &str, megabytes: u64, more: Value) -> Value {
    let mut package =
        json!({"system": "dpkg", "name": name, "version": "1", "installed_bytes": megabytes * 1_000_000});
    package.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
    package
}

fn application(id: &str, name: &str, menu: &str, system: &str) -> Value {
    json!({"id": id, "name": name, "version": "1", "menu": menu,
        "delivered": [{"system": system, "package": id, "version": "1", "bytes": null}]})
}

fn opens(role: &str, with: &str) -> Value {
    json!({"role": role, "asked": "text/x-test", "application": with, "candidates": [with], "how": "list", "sure": true})
}

fn part(part: &str, name: &str, version: &str) -> Value {
    json!({"part": part, "name": name, "version": version})
}

fn compared(old: Value, new: Value, base: Option<(&Tally, &Tally)>) -> Comparison {
    let (scores, roles) = (Scores::built_in().unwrap(), Roles::built_in().unwrap());
    let (parts, agents) = (PartRules::built_in().unwrap(), Agents::built_in().unwrap());
    let rules = HeadlineRules { scores: &scores, roles: &roles, parts: &parts, agents: &agents };
    let changes = base.map(|(old, new)| compare(old, new));
    let base = changes.as_ref().map(|changes| Base::Both { changes });
    compare_in_full(&tally(&old), &tally(&new), base, &rules)
}

/// Rule and words of each headline.
fn said(old: Value, new: Value) -> Vec<(String, String)> {
    let comparison = compared(old, new, None);
    comparison.headlines.iter().map(|h| (h.rule.to_string(), headline(&h.news))).collect()
}

/// Words of the headlines of one rule.
fn of_rule(rule: &str, old: Value, new: Value) -> Vec<String> {
    said(old, new).into_iter().filter(|(one, _)| one == rule).map(|(_, text)| text).collect()
}

#[test]
fn one_that_took_a_role_is_told_with_what_it_replaced() {
    let browsers = |id: &str, name: &str| {
        json!({"applications": [application(id, name, "internet", "dpkg")],
            "defaults": [opens("web-browser", id), opens("web-page-opener", id)]})
    };
    assert_eq!(
        said(browsers("marshlight", "Marshlight"), browsers("lapwing", "Lapwing")),
        [(
            "default-replaced".into(),
            "Lapwing replaces Marshlight as web browser and app for local web pages".into()
        )]
    );
}

#[test]
fn one_that_stayed_and_lost_its_role_is_another_matter() {
    let both = [
        application("leafmere", "Leafmere", "office", "dpkg"),
        application("slides", "Slides", "office", "dpkg"),
    ];
    let with = |opener: &str| json!({"applications": both, "defaults": [opens("document-viewer", opener)]});
    assert_eq!(
        said(with("leafmere"), with("slides")),
        [(
            "default-changed".into(),
            "Slides is now the default document viewer; Leafmere is still installed".into()
        )]
    );
}

#[test]
fn a_role_without_a_holder_or_a_choice_is_lost() {
    let mail = json!({"applications": [application("dunlin", "Dunlin", "office", "dpkg")], "defaults": [opens("mail", "dunlin")]});
    let nobody = json!({"defaults": [{"role": "mail", "asked": "text/x-test", "application": null, "how": "nothing opens it", "sure": true}]});
    assert_eq!(of_rule("default-lost", mail.clone(), nobody), ["No mail program is left; it was Dunlin"]);
    let unsure = json!({"applications": [application("dunlin", "Dunlin", "office", "dpkg"), application("teal", "Teal", "office", "dpkg")],
        "defaults": [{"role": "mail", "asked": "text/x-test", "application": "dunlin", "candidates": ["dunlin", "teal"], "how": "x", "sure": false}]});
    assert_eq!(
        of_rule("default-lost", mail, unsure),
        ["There is no default mail program any more; Dunlin is the first of several"]
    );
}

#[test]
fn parts_are_told_by_what_happened_to_them() {
    let with = |parts: Vec<Value>| json!({"parts": parts});
    let old = vec![
        part("sound-server", "Ebbtone", "14.2"),
        part("init", "systemd", "252"),
        part("kernel", "Linux", "6.1.9"),
        part("graphics-stack", "Mesa", "24.1"),
        part("firewall", "nftables", "1.0"),
    ];
    let new = vec![
        part("sound-server", "Freshet", "1.1"),
        part("init", "systemd", "256"),
        part("kernel", "Linux", "6.9.2"),
        part("graphics-stack", "Mesa", "23.0"),
        part("firewall", "nftables", "2.0"),
    ];
    assert_eq!(
        said(with(old.clone()), with(new.clone())),
        [
            ("part-replaced".into(), "Sound server: Freshet 1.1 replaces Ebbtone 14.2".into()),
            ("part-downgraded".into(), "Graphics stack: Mesa 24.1 → 23.0, an older version".into()),
        ],
        "versions are key figures, and no headlines"
    );
    let figures = compared(with(old), with(new), None).key_figures;
    let told: Vec<(&str, Option<&str>)> = figures
        .iter()
        .map(|figure| (figure.label.as_str(), figure.is.as_ref().and_then(|is| is.version.as_deref())))
        .collect();
    let wanted = [("Kernel", "6.9.2"), ("Graphics stack", "23.0"), ("Sound server", "1.1"), ("Init", "256")];
    assert_eq!(
        told,
        wanted.map(|(label, version)| (label, Some(version))),
        "a firewall is not among what people ask for first"
    );
}

#[test]
fn programs_of_one_decision_are_one_line_with_its_weight() {
    let suite = |needs: &[&str]| {
        let needs: Vec<Value> = needs.iter().map(|name| json!([{"name": name}])).collect();
        package("suite", 1, json!({"reason": "chosen", "kind": "metapackage", "depends": needs}))
    };
    let new = json!({
        "packages": [suite(&["sheets", "slides"]), package("sheets", 40, json!({"reason": "followed"})), package("slides", 30, json!({"reason": "followed"}))],
        "applications": [application("sheets", "Sheets", "office", "dpkg"), application("slides", "Slides", "office", "dpkg")],
    });
    let old = json!({"packages": [package("other", 500, json!({"reason": "chosen"}))]});
    assert_eq!(
        of_rule("application-new", old.clone(), new.clone()),
        ["Sheets and Slides are new (3 packages, +71 MB)"]
    );
    assert_eq!(
        of_rule("application-gone", new.clone(), old.clone()),
        ["Sheets and Slides are gone (3 packages, -71 MB)"]
    );
    assert_eq!(of_rule("decision-heavy", old, new).len(), 1, "`other` is gone, and no program stands for it");
}

#[test]
fn a_small_need_that_brings_much_is_a_headline() {
    let applet = |needs: &str| {
        package("applet", 1, json!({"reason": "chosen", "source": "applet", "depends": [[{"name": needs}]]}))
    };
    let all: Vec<Value> = (0..60).map(|i| json!([{"name": format!("lib{i}")}])).collect();
    let agent = |name: &str, needs: Vec<Value>| {
        package(name, 2, json!({"reason": "followed", "source": name, "depends": needs}))
    };
    let base = package("base", 1000, json!({"reason": "chosen"}));
    let mut packages = vec![base.clone(), applet("heron-agent"), agent("heron-agent", all)];
    packages.extend(
        (0..60).map(|i| package(&format!("lib{i}"), 1, json!({"reason": "followed", "source": "libs"}))),
    );
    let old = json!({"packages": [base, applet("egret-agent"), agent("egret-agent", Vec::new())]});
    assert_eq!(
        of_rule("decision-heavy", old, json!({"packages": packages})),
        ["applet brings along 61 new packages, +62 MB"]
    );
}

#[test]
fn games_formats_repositories_and_startup_have_lines_of_their_own() {
    let old = json!({
        "applications": [application("eelpot", "Eelpot", "games", "dpkg"), application("frogleap", "Frogleap", "games", "dpkg"),
            application("fryshoal", "Fryshoal", "internet", "dpkg")],
        "repositories": [{"system": "dpkg", "name": "main", "uri": "https://marsh.example/a", "enabled": true}],
    });
    let unit = |name: &str| json!({"sort": "unit", "name": name, "scope": "system", "enabled": true});
    let new = json!({
        "applications": [application("fryshoal", "Fryshoal", "internet", "snap")],
        "repositories": [{"system": "dpkg", "name": "main", "uri": "https://marsh.example/a", "enabled": true},
            {"system": "dpkg", "name": "drift", "uri": "https://drift.example/b", "enabled": true}],
        "startup": [unit("weir.service"), unit("sluice.timer"), unit("popularity-contest.service")],
    });
    let told = said(old, new);
    let text = |rule: &str| told.iter().find(|(one, _)| one == rule).map(|(_, text)| text.as_str());
    assert_eq!(text("games"), Some("2 games are gone: Eelpot and Frogleap"));
    assert_eq!(text("format-moved"), Some("Fryshoal is now delivered as snap instead of dpkg"));
    assert_eq!(text("repository-added"), Some("A repository was added: https://drift.example/b"));
    assert_eq!(text("startup-added"), Some("sluice and weir now start by themselves"));
    assert!(
        text("agent-added") == Some("popularity-contest now starts by itself: it sends usage statistics"),
        "{told:?}"
    );
}

#[test]
fn weight_is_news_from_a_tenth_on() {
    let of = |megabytes: u64| json!({"packages": [package("base", megabytes, json!({"reason": "chosen"}))]});
    assert_eq!(of_rule("weight-changed", of(1000), of(1150)), ["Disk space grew by 15%"]);
    assert_eq!(of_rule("weight-changed", of(1000), of(800)), ["Disk space shrank by 20%"]);
    assert!(of_rule("weight-changed", of(1000), of(1100)).is_empty());
    assert!(
        of_rule("weight-changed", json!({}), of(1100)).is_empty(),
        "nothing is no weight to compare with"
    );
}

#[test]
fn twelve_at_the_most_the_highest_score_first_and_the_same_every_time() {
    let many = |side: &str| {
        let names = [
            "desktop",
            "init",
            "kernel",
            "c-library",
            "display-server",
            "display-manager",
            "sound-server",
            "graphics-stack",
            "network-manager",
            "boot-loader",
            "package-manager",
            "installer",
            "shell",
            "toolkit",
        ];
        let parts: Vec<Value> =
            names.iter().map(|name| part(name, &format!("{side} {name}"), "1.0")).collect();
        json!({"parts": parts})
    };
    let comparison = compared(many("old"), many("new"), None);
    assert_eq!(comparison.headlines.len(), 12);
    assert!(comparison.headlines.is_sorted_by(|a, b| (b.score, &a.news) <= (a.score, &b.news)));
    assert_eq!(comparison.headlines[0].about, "part:desktop");
    let again = compared(many("old"), many("new"), None);
    assert_eq!(comparison.headlines, again.headlines);
}

#[test]
fn what_the_base_did_too_is_less_of_an_event() {
    let parts =
        |kernel: &str, own: &str| json!({"parts": [part("kernel", kernel, "1"), part("desktop", own, "3")]});
    let (old, new) = (parts("5.1", "3.0"), parts("6.1", "4.0"));
    let base = (
        tally(&json!({"parts": [part("kernel", "5.1", "1")]})),
        tally(&json!({"parts": [part("kernel", "6.1", "1")]})),
    );
    let alone = compared(old.clone(), new.clone(), None);
    let beside = compared(old, new, Some((&base.0, &base.1)));
    let score = |comparison: &Comparison, about: &str| {
        comparison.headlines.iter().find(|headline| headline.about == about).map(|headline| headline.score)
    };
    assert_eq!(score(&alone, "part:desktop"), score(&beside, "part:desktop"));
    assert_eq!(score(&beside, "part:kernel").unwrap() + 40, score(&alone, "part:kernel").unwrap());
}

#[test]
fn a_sandbox_that_comes_or_goes_beside_the_same_program_is_told_by_its_format() {
    let native = || package("pondskate", 40, json!({"reason": "chosen"}));
    let sandbox = json!({"system": "flatpak", "name": "org.marsh.Pondskate", "version": "2", "installed_bytes": 400_000_000, "reason": "chosen"});
    let program = |systems: &[(&str, &str)]| {
        let delivered: Vec<Value> = systems
            .iter()
            .map(|(system, name)| json!({"system": system, "package": name, "version": "1", "bytes": 1}))
            .collect();
        json!([{"id": "pondskate", "name": "Pondskate", "version": "1", "menu": "graphics", "delivered": delivered}])
    };
    let alone = json!({"packages": [native()], "applications": program(&[("dpkg", "pondskate")])});
    let both = json!({"packages": [native(), sandbox],
        "applications": program(&[("dpkg", "pondskate"), ("flatpak", "org.marsh.Pondskate")])});
    assert_eq!(
        of_rule("decision-heavy", alone.clone(), both.clone()),
        ["Pondskate is new as flatpak (+400 MB)"]
    );
    assert_eq!(of_rule("decision-heavy", both, alone).len(), 1);
}

#[test]
fn what_one_package_starts_for_one_purpose_is_one_headline() {
    let item = |name: &str, package: &str| json!({"scope": "user", "sort": "unit", "name": name, "enabled": true, "package": format!("dpkg:{package}")});
    let new = json!({"startup": [
        item("drkonqi-coredump-cleanup.service", "plasma-drkonqi"),
        item("drkonqi-coredump-launcher@.service", "plasma-drkonqi"),
        item("drkonqi-coredump-launcher.socket", "plasma-drkonqi"),
        item("whoopsie.service", "whoopsie"),
    ]});
    let told = of_rule("agent-added", json!({}), new);
    let both = "drkonqi-coredump-cleanup and drkonqi-coredump-launcher now start by themselves: they send crash reports";
    assert_eq!(told, [both, "whoopsie now starts by itself: it sends crash reports"]);
}

#[test]
fn what_opens_a_document_as_the_archive_that_it_is_does_not_replace_the_word_processor() {
    let odt = "application/vnd.oasis.opendocument.text";
    let by = |application: &str, decided: Value| json!({"role": "word-processor", "asked": odt, "application": application, "candidates": [application], "decided": decided, "sure": true});
    let list = json!({"decided_by": "set-in-file", "file": "a.list"});
    let old = json!({"applications": [application("writer", "Writer", "office", "dpkg")], "defaults": [by("writer", list)]});
    let parent = json!({"decided_by": "parent-type", "parent": "application/zip", "file": "a.list"});
    let new = json!({"applications": [application("files", "Files", "system", "dpkg")], "defaults": [by("files", parent)]});
    let told = said(old, new);
    assert!(
        told.iter()
            .any(|(rule, text)| rule == "default-lost" && text.starts_with("No word processor is left")),
        "{told:?}"
    );
    assert!(!told.iter().any(|(_, text)| text.contains("replaces")), "{told:?}");
}

#[test]
fn an_older_version_in_another_distribution_is_no_news() {
    let mesa = |distro: &str, version: &str| json!({"label": {"distro": distro, "distro_id": distro, "handle": distro}, "parts": [part("graphics-stack", "Mesa", version)]});
    let rule = "part-downgraded";
    assert_eq!(of_rule(rule, mesa("marsh", "24.1"), mesa("marsh", "23.0")).len(), 1);
    assert!(of_rule(rule, mesa("marsh", "24.1"), mesa("fen", "23.0")).is_empty());
}

#[test]
fn that_a_desktop_could_be_dark_is_no_news() {
    let of = |colours: Value| json!({"looks": {"default_colours": colours}});
    let told = |was: Value, is: Value| of_rule("look-changed", of(was), of(is));
    assert_eq!(told(Value::Null, json!("prefer-dark")), ["Colour scheme: dark is new"]);
    assert_eq!(told(json!("default"), json!("prefer-dark")), ["Colour scheme: light → dark"]);
    assert!(told(Value::Null, json!("default")).is_empty());
    assert!(told(json!("default"), Value::Null).is_empty());
}
