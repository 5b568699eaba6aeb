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
