//! Things followed through releases whose story is known.
#![allow(clippy::unwrap_used, reason = "tests may fail")]

mod common;

use common::tally;
use serde_json::{Value, json};
use tally_core::model::{System, Tally};
use tally_core::trail::{Trail, TrailKind, follow};
use tally_core::version::Step;

fn package(system: &str, name: &str, version: &str) -> Value {
    json!({"system": system, "name": name, "version": version, "upstream_version": version, "source": name})
}

fn part(part: &str, name: &str, version: &str) -> Value {
    json!({"part": part, "name": name, "version": version, "package": format!("dpkg:{name}"), "others": [], "evidence": {"file": "", "line": null}})
}

fn application(id: &str, name: &str, version: &str, delivered: &Value) -> Value {
    json!({"id": id, "name": name, "version": version, "launchers": [], "delivered": delivered, "menu": "office"})
}

fn with_packages(packages: &[(&str, &str, &str)]) -> Tally {
    let packages: Vec<Value> = packages.iter().map(|(s, n, v)| package(s, n, v)).collect();
    tally(&json!({"packages": packages}))
}

fn followed(asked: &str, tallies: &[Tally]) -> Option<Trail> {
    follow(asked, &tallies.iter().collect::<Vec<_>>())
}

/// What happened at each step, the first name there, and how far it went.
fn story(trail: &Trail) -> Vec<(&str, &str, Option<Step>)> {
    let name = |step: &tally_core::trail::TrailStep| step.found.first().map(|found| found.name.clone());
    trail
        .steps
        .iter()
        .map(|step| {
            (
                step.change.name(),
                if name(step).is_some() { step.found[0].name.as_str() } else { "" },
                step.step,
            )
        })
        .collect()
}

#[test]
fn a_version_that_goes_back_is_no_update() {
    let versions = ["1.0", "2.0", "1.9.1", "1.9.1", "1.9.1.0", "1.9.2"];
    let tallies: Vec<Tally> =
        versions.iter().map(|version| with_packages(&[("dpkg", "inkcap", version)])).collect();
    let trail = followed("inkcap", &tallies).unwrap();
    assert_eq!(trail.kind, TrailKind::Package);
    assert_eq!(
        story(&trail),
        [
            ("first", "inkcap", None),
            ("updated", "inkcap", Some(Step::Major)),
            ("downgraded", "inkcap", Some(Step::Major)),
            ("same", "inkcap", None),
            // The same release in other words.
            ("same", "inkcap", None),
            ("updated", "inkcap", Some(Step::Patch)),
        ]
    );
}

#[test]
fn a_package_is_found_whatever_the_letters_case_and_in_one_system_when_asked_so() {
    let tallies = [
        with_packages(&[("rpm", "ReedKit", "3.0"), ("flatpak", "org.marsh.Curlew", "1.0")]),
        with_packages(&[("rpm", "ReedKit", "3.1"), ("snap", "reedkit", "9.0")]),
    ];
    let told = |asked: &str| {
        let trail = followed(asked, &tallies)?;
        Some(
            trail
                .steps
                .iter()
                .map(|step| step.found.iter().map(|f| f.system.unwrap()).collect::<Vec<_>>())
                .collect::<Vec<_>>(),
        )
    };
    let both = Some(vec![vec![System::Rpm], vec![System::Rpm, System::Snap]]);
    assert_eq!(told("ReedKit"), both);
    assert_eq!(told("reedkit"), both);
    assert_eq!(told("rpm:ReedKit"), Some(vec![vec![System::Rpm], vec![System::Rpm]]));
    assert_eq!(told("snap:reedkit"), Some(vec![vec![], vec![System::Snap]]));
    assert_eq!(told("org.marsh.curlew"), Some(vec![vec![System::Flatpak], vec![]]));
    assert_eq!(told("reed"), None);
}

#[test]
fn a_part_is_replaced_and_what_fills_it_can_be_asked_for() {
    let with = |parts: Vec<Value>| tally(&json!({"parts": parts}));
    let tallies = [
        with(vec![]),
        with(vec![part("sound-server", "Ebbtone", "14.2"), part("kernel", "Linux", "6.1")]),
        with(vec![part("sound-server", "Freshet", "1.1"), part("kernel", "Linux", "6.9")]),
    ];
    let trail = followed("Sound-Server", &tallies).unwrap();
    assert_eq!(trail.kind, TrailKind::Part);
    assert_eq!(
        story(&trail),
        [("first", "", None), ("added", "Ebbtone", None), ("replaced", "Freshet", None)]
    );
    let trail = followed("ebbtone", &tallies).unwrap();
    assert_eq!(story(&trail), [("first", "", None), ("added", "Ebbtone", None), ("removed", "", None)]);
    let kernel = followed("kernel", &tallies).unwrap();
    assert_eq!(story(&kernel)[2], ("updated", "Linux", Some(Step::Minor)));
    assert_eq!(kernel.steps[1].found[0].system, Some(System::Dpkg));
}

#[test]
fn an_application_is_followed_into_another_format_and_without_any_package() {
    let with = |applications: Vec<Value>| tally(&json!({"applications": applications}));
    let by =
        |system: &str, version: &str| json!([{"system": system, "package": "fryshoal", "version": version}]);
    let tallies = [
        with(vec![application("fryshoal", "Fryshoal", "2.0", &by("dpkg", "1:2.0-3"))]),
        with(vec![application("fryshoal", "Fryshoal", "2.1", &by("snap", "2.1"))]),
        with(vec![application("fryshoal", "Fryshoal", "2.2", &json!([]))]),
        with(vec![]),
        with(vec![]),
    ];
    let trail = followed("FRYSHOAL", &tallies).unwrap();
    assert_eq!(trail.kind, TrailKind::Application);
    assert_eq!(
        story(&trail),
        [
            ("first", "Fryshoal", None),
            ("format-changed", "Fryshoal", Some(Step::Minor)),
            // It came with no package, and is in the menu all the same.
            ("format-changed", "Fryshoal", Some(Step::Minor)),
            ("removed", "", None),
            ("absent", "", None),
        ]
    );
    let versions: Vec<Option<&str>> = trail
        .steps
        .iter()
        .map(|step| step.found.first().and_then(|found| found.version.as_deref()))
        .collect();
    assert_eq!(versions, [Some("2.0"), Some("2.1"), Some("2.2"), None, None]);
}

#[test]
fn what_nobody_knows_has_no_trail() {
    assert_eq!(followed("inkcap", &[]), None);
    assert_eq!(followed("inkcap", &[with_packages(&[])]), None);
    let removed = tally(
        &json!({"packages": [{"system": "dpkg", "name": "inkcap", "version": "1", "state": "removed-config"}]}),
    );
    assert_eq!(followed("inkcap", &[removed]), None, "left-over configuration is no package");
}
