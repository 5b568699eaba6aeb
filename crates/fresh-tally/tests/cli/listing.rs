use crate::harness::Place;

const MANIFEST: &str = "inkcap\t3.2.1-2\nlibweir2:amd64\t4.0-2\nlinux-image-6.9.2-amd64\t6.9.2-1\nbash\t5.2.32-1\nsnap:core22\tlatest/stable\t1122\n";

#[test]
fn a_manifest_becomes_a_tally_that_says_what_it_can_not_tell() {
    let place = Place::new();
    place.write("saltmarsh-5.0.manifest", MANIFEST);
    insta::assert_snapshot!(place.run("take saltmarsh-5.0.manifest --release 5.0 --width 80").all());
    insta::assert_snapshot!(place.run("show saltmarsh-5.0.manifest startup --width 80").all());
    insta::assert_snapshot!(place.run("show saltmarsh-5.0.manifest findings --width 80").all());
}

#[test]
fn a_list_comes_through_standard_input() {
    let place = Place::new();
    let line = "take - --distro Saltmarsh --release 5.0 --format json -q";
    let taken = place.run_with(line, b"inkcap-3.2-1.fc40.x86_64\nlibweir-4.0-2.fc40.noarch\n", &[]).json();
    assert_eq!(taken["label"]["handle"], "saltmarsh-5.0");
    assert_eq!(taken["taken"]["medium"], "listing");
    assert_eq!(taken["packages"][0]["purl"], "pkg:rpm/saltmarsh/inkcap@3.2-1.fc40?arch=x86_64");
    assert_eq!(taken["packages"][0]["evidence"]["line"], 1);
    let nonsense = place.run_with("take -", b"The tide came in.\n", &[]);
    assert_eq!(nonsense.code, 3);
    insta::assert_snapshot!(nonsense.all());
}

#[test]
fn a_list_against_an_install_changes_nothing_that_it_can_not_tell() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    let tally = place.run("take root-5.0-reedbed --handle whole --format json -q --shelf shelf").json();
    let lines = tally["packages"]
        .as_array()
        .unwrap()
        .iter()
        .filter(|p| p["system"] == "dpkg" && p["state"] == "installed");
    let list: String = lines
        .map(|p| format!("{}\t{}\n", p["name"].as_str().unwrap(), p["version"].as_str().unwrap()))
        .collect();
    place.write("list.manifest", list);
    let compared = place.run("compare list.manifest whole --format json --shelf shelf").json();
    for nothing in
        ["packages", "applications", "defaults", "repositories", "startup", "looks", "decisions", "headlines"]
    {
        // One half-configured package is in no list of what is installed.
        let most = usize::from(nothing == "packages");
        assert!(compared[nothing].as_array().unwrap().len() <= most, "{nothing}: {}", compared[nothing]);
    }
    assert_eq!(compared["not_recorded"]["sections"][0], "programs");
}

#[test]
fn a_copied_status_file_tells_what_changed_on_purpose_as_far_as_it_can() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    let status = place.read("root-5.0-reedbed/var/lib/dpkg/status");
    place.write("old.status", &status);
    let told = place.run("take old.status --release 5.0 --format json -q").json();
    let missing = told["missing_facts"].as_array().unwrap();
    assert!(
        missing.iter().any(|fact| fact == "reasons") && !missing.iter().any(|fact| fact == "sizes"),
        "{missing:?}"
    );
    let whole = place.run("take root-5.0-reedbed --format json -q").json();
    let native = |tally: &serde_json::Value| -> Vec<String> {
        let packages = tally["packages"].as_array().unwrap().iter().filter(|p| p["system"] == "dpkg");
        packages
            .map(|p| format!("{} {} {} {}", p["name"], p["version"], p["depends"], p["installed_bytes"]))
            .collect()
    };
    assert_eq!(native(&told), native(&whole));
    let less: String =
        status.split_inclusive("\n\n").filter(|stanza| !stanza.starts_with("Package: inkcap\n")).collect();
    place.write("new.status", less);
    let compared = place.run("compare old.status new.status --format json").json();
    assert_eq!(compared["packages"][0]["old"]["name"], "inkcap", "{}", compared["packages"]);
    assert_eq!(compared["packages"].as_array().unwrap().len(), 1);
    assert!(compared["not_recorded"]["sections"].as_array().unwrap().iter().any(|view| view == "programs"));
}

#[test]
fn a_bill_of_materials_is_written_and_read_back() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    place.run("take root-5.0-reedbed --handle whole -q --shelf shelf");
    let own = place.run("show whole packages --format json --shelf shelf").json();
    let present =
        own["packages"].as_array().unwrap().iter().filter(|p| p["state"] != "removed-config").count();
    for standard in ["cyclonedx", "spdx"] {
        let first = place.run(&format!("report whole --sbom {standard} -o bill.json --shelf shelf"));
        assert_eq!((first.code, first.stdout.as_str()), (0, ""), "{}", first.stderr);
        let written = place.read("bill.json");
        place.run(&format!("report whole --sbom {standard} -o again.json --shelf shelf"));
        assert_eq!(written, place.read("again.json"), "the same tally gives the same bytes");
        let back = place.run("take bill.json --format json -q --shelf shelf").json();
        assert_eq!(back["packages"].as_array().unwrap().len(), present, "{standard}");
        assert_eq!(back["label"]["distro"], "Saltmarsh Linux");
        let inkcap = back["packages"].as_array().unwrap().iter().find(|p| p["name"] == "inkcap").unwrap();
        assert!(!inkcap["depends"].as_array().unwrap().is_empty(), "{standard}: {inkcap}");
        assert!(!back["missing_facts"].as_array().unwrap().iter().any(|fact| fact == "dependencies"));
    }
}

#[test]
fn a_broken_bill_of_materials_is_refused() {
    let place = Place::new();
    for broken in [
        "{\"bomFormat\":\"CycloneDX\",\"components\":[",
        "{\"spdxVersion\":\"SPDX-2.3\",\"packages\":3}",
        "{}",
    ] {
        place.write("broken.json", broken);
        let outcome = place.run("take broken.json");
        assert_eq!(outcome.code, 3, "{broken}: {}", outcome.all());
    }
}
