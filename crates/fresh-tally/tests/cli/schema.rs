//! The contract of the tally document.

use crate::harness::Place;
use std::path::Path;

fn repository() -> &'static Path {
    Path::new(concat!(env!("CARGO_MANIFEST_DIR"), "/../.."))
}

#[test]
fn the_schema_in_the_documentation_is_the_schema_of_the_types() {
    let kept = std::fs::read_to_string(repository().join("docs/tally.schema.json")).unwrap();
    let generated = Place::new().run("rules schema").plain();
    assert!(kept == generated, "run `cargo run -- rules schema -o docs/tally.schema.json`");
}

/// A tally of schema 1 as the first version wrote it: it must be readable for ever after. Never write this file anew.
#[test]
fn a_tally_of_the_first_version_is_still_read() {
    let place = Place::new();
    let fixture = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/fixtures/schema-1.tally.json");
    let text = std::fs::read_to_string(&fixture).unwrap();
    place.write("old.tally.json", &text);
    let shown = place.run("show old.tally.json packages --format csv").plain();
    assert!(shown.contains("dpkg,inkcap,3.2.1-2,3.2.1,amd64,dependency,installed,shipped,"), "{shown}");
    let old: serde_json::Value = serde_json::from_str(&text).unwrap();
    assert_eq!(shown.lines().count() - 1, old["packages"].as_array().unwrap().len());
    assert_eq!(place.run("compare old.tally.json old.tally.json --exit-code").code, 0);
    // The last version of schema 1 says the same of its install as the first of schema 2.
    for name in ["schema-1-late", "schema-2"] {
        let fixture = Path::new(env!("CARGO_MANIFEST_DIR")).join(format!("tests/fixtures/{name}.tally.json"));
        place.write(&format!("{name}.tally.json"), std::fs::read_to_string(fixture).unwrap());
    }
    for view in ["overview", "parts", "menu", "defaults", "startup", "looks", "weight", "findings"] {
        let shown = |name: &str| place.run(&format!("show {name}.tally.json {view}")).plain();
        let (old, new) = (shown("schema-1-late"), shown("schema-2"));
        assert_eq!(
            old.replace("curlewfetch", "duckboard"),
            new.replace("curlewfetch", "duckboard"),
            "{view}"
        );
    }
}

/// A tally of schema 2 as its first version wrote it: readable for ever after as well. Never write this file anew.
#[test]
fn a_tally_of_the_second_schema_is_still_read() {
    let place = Place::new();
    let fixture = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/fixtures/schema-2.tally.json");
    place.write("old.tally.json", std::fs::read_to_string(fixture).unwrap());
    let findings = place.run("show old.tally.json findings").plain();
    assert!(
        findings.contains("audio/mpeg has no default; 2 apps could open it: pipewort and wherry"),
        "{findings}"
    );
    let packages = place.run("show old.tally.json packages --format csv").plain();
    assert!(
        packages.contains(",explicit,installed,") && packages.contains(",dependency,installed,"),
        "{packages}"
    );
}

#[test]
fn a_tally_of_schema_1_with_odd_reasons_keeps_them_and_is_written_as_2() {
    let place = Place::new();
    let fixture = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/fixtures/schema-1-late.tally.json");
    let mut odd: serde_json::Value =
        serde_json::from_str(&std::fs::read_to_string(fixture).unwrap()).unwrap();
    odd["packages"][0]["kind_because"] = "the moon was full".into();
    odd["packages"][1]["kind_because"] = "section net; named x".into();
    odd["defaults"][0]["how"] = "a coin was thrown".into();
    let finding = serde_json::json!({"oddity": "games", "about": ["dpkg:never-there"], "why": "three of them", "evidence": {"file": ""}});
    odd["oddities"].as_array_mut().unwrap().push(finding);
    // A tally begins with its schema number.
    odd.as_object_mut().unwrap().remove("tally");
    place.write("odd.tally.json", format!("{{\"tally\": 1, {}", &odd.to_string()[1..]));
    let shown = place.run("show odd.tally.json findings").plain();
    assert!(shown.contains("three of them"), "{shown}");
    assert!(place.run("show odd.tally.json defaults").plain().contains("a coin was thrown"));
    assert_eq!(place.run("note odd.tally.json a remark -q").code, 0);
    let written: serde_json::Value = serde_json::from_str(&place.read("odd.tally.json")).unwrap();
    assert_eq!(written["schema_version"], 2);
    assert!(written.get("tally").is_none() && written.get("oddities").is_none());
    assert_eq!(written["packages"][0]["kind_because"]["legacy"], "the moon was full");
    assert_eq!(written["packages"][1]["kind_because"]["because"], serde_json::json!(["section", "name"]));
    assert!(written["packages"][0].get("made_from").is_none());
    assert_eq!(written["defaults"][0]["decided"]["legacy"], "a coin was thrown");
    let findings = written["findings"].as_array().unwrap();
    let legacy: Vec<&serde_json::Value> = findings.iter().filter(|one| one["finding"] == "legacy").collect();
    assert_eq!(
        (&legacy.last().unwrap()["rule"], &legacy.last().unwrap()["legacy"]),
        (&"games".into(), &"three of them".into())
    );
    let mapped = findings.iter().find(|one| one["finding"] == "in-no-repository").unwrap();
    assert!(mapped["version"].is_string(), "facts of the tally itself fill it: {mapped}");
}

#[test]
fn a_tally_of_a_later_schema_says_who_wrote_it() {
    let place = Place::new();
    place.write(
        "new.tally.json",
        "{\"schema_version\": 9, \"program\": \"fresh-tally 4.2\", \"packages\": 7}",
    );
    let said = place.run("show new.tally.json");
    assert_eq!(said.code, 3);
    assert_eq!(
        said.stderr,
        "error: `new.tally.json` is a tally of schema 9, written by fresh-tally 4.2; this version reads schemas 1 to 2\n\
         hint: update fresh-tally, or take the install again with this version\n"
    );
}

#[test]
fn keys_of_the_document_stay() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    let tally = place.run("take root-5.0-reedbed --format json -q").json();
    for key in [
        "schema_version",
        "program",
        "taken",
        "label",
        "install_day",
        "packages",
        "launchers",
        "applications",
        "defaults",
        "parts",
        "repositories",
        "startup",
        "looks",
        "storage",
        "readings",
        "notes",
        "findings",
        "unread",
        "counts",
    ] {
        assert!(tally.get(key).is_some(), "{key}");
    }
    for key in [
        "system",
        "name",
        "version",
        "upstream_version",
        "arch",
        "purl",
        "source",
        "summary",
        "section",
        "homepage",
        "license",
        "installed_bytes",
        "download_bytes",
        "reason",
        "essential",
        "state",
        "kind",
        "kind_because",
        "companion_of",
        "phase",
        "shipped_version",
        "installed_at",
        "repository",
        "depends",
        "recommends",
        "provides",
        "replaces",
        "conflicts",
        "evidence",
    ] {
        assert!(tally["packages"][0].get(key).is_some(), "packages: {key}");
    }
    for key in [
        "id",
        "name",
        "generic_name",
        "menu",
        "categories",
        "shown",
        "hidden_because",
        "runs",
        "does",
        "url",
        "program_present",
        "package",
        "version",
        "format",
        "mime_types",
        "evidence",
    ] {
        assert!(tally["launchers"][0].get(key).is_some(), "launchers: {key}");
    }
}
