use crate::harness::{Place, names};

#[test]
fn says_on_one_screen_what_was_found() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    insta::assert_snapshot!(place.run("take root-5.0-reedbed --profile full --width 80").all());
    assert_eq!(names(&place.path("shelf")), ["saltmarsh-5.0-reedbed-full.tally.json"]);
}

#[test]
fn the_tally_holds_what_the_root_holds() {
    let place = Place::with_installs(&["4.0-reedbed"]);
    let tally = place.run("take root-4.0-reedbed --format json --quiet").json();
    assert_eq!(tally["schema_version"], 2);
    assert_eq!(tally["label"]["handle"], "saltmarsh-4.0-reedbed");
    let packages = tally["packages"].as_array().unwrap();
    let inkcap = packages.iter().find(|p| p["name"] == "inkcap").unwrap();
    assert_eq!(inkcap["purl"], "pkg:deb/saltmarsh/inkcap@2.9.4-1?arch=amd64");
    assert_eq!(inkcap["reason"], "dependency");
    assert_eq!(inkcap["installed_bytes"], 4096 * 1024);
    assert_eq!(inkcap["depends"][0][0]["name"], "libreedkit2");
    assert!(inkcap["evidence"]["line"].as_u64().unwrap() > 1);
    let launcher = tally["launchers"]
        .as_array()
        .unwrap()
        .iter()
        .find(|l| l["id"] == "org.marsh.Inkcap.desktop")
        .unwrap();
    assert_eq!(launcher["package"], "dpkg:inkcap");
    assert_eq!(launcher["version"], "2.9.4");
    assert_eq!(launcher["program_present"], true);
    let quayside = packages.iter().find(|p| p["name"] == "quayside").unwrap();
    assert_eq!(quayside["state"], "removed-config");
    assert_eq!(tally["counts"]["packages"]["dpkg"], packages.len() - 1);
}

#[test]
fn the_label_can_be_given() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    let line = "take root-5.0-reedbed --distro Other --release 9 --edition Mini --arch riscv64 --release-date 2031-05-02 --format json -q";
    let label = place.run(line).json()["label"].clone();
    assert_eq!(label["handle"], "other-9-mini");
    assert_eq!(
        (label["arch"].as_str(), label["release_date"].as_str()),
        (Some("riscv64"), Some("2031-05-02"))
    );
    let wrong = place.run("take root-5.0-reedbed --release-date tomorrow");
    assert_eq!((wrong.code, wrong.stdout.as_str()), (2, ""));
    assert!(wrong.stderr.contains("`tomorrow` is not a date"), "{}", wrong.stderr);
}

#[test]
fn a_file_instead_of_the_shelf_or_both() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    place.run("take root-5.0-reedbed -o own.tally.json -q");
    assert!(!place.path("shelf").exists());
    assert!(place.read("own.tally.json").starts_with("{\n \"schema_version\": 2,"));
    place.run("take root-5.0-reedbed -o own.tally.json --shelf other -q");
    assert_eq!(names(&place.path("other")).len(), 1);
}

#[test]
fn the_same_source_twice_is_one_tally() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    place.run("take root-5.0-reedbed");
    let again = place.run("take root-5.0-reedbed");
    assert_eq!(again.stderr, "Replaced the earlier tally as `saltmarsh-5.0-reedbed`.\n");
    assert_eq!(names(&place.path("shelf")).len(), 1);
    let own = place.run("take root-5.0-reedbed --handle bittern --quiet");
    assert_eq!((own.code, own.stderr.as_str()), (0, ""));
    assert_eq!(names(&place.path("shelf")), ["bittern.tally.json", "saltmarsh-5.0-reedbed.tally.json"]);
}

#[test]
fn the_same_input_gives_the_same_bytes() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    place.run("take root-5.0-reedbed -o a.json -q");
    place.run("take root-5.0-reedbed -o b.json -q");
    assert_eq!(place.read("a.json"), place.read("b.json"));
}

#[test]
fn a_file_can_be_summed_and_a_folder_can_not() {
    let place = Place::with_installs(&["5.0-tideway"]);
    place.write("shipped.manifest", "inkcap\t3.2.1-2\nlapwing\t121.0-1\n");
    let taken = &place.run("take shipped.manifest --sha256 --format json -q").json()["taken"];
    // As sha256sum has it.
    assert_eq!(taken["sha256"], "1c467c50258693dc97047b16df72e0e5b3cebdee3309adc614edaca0974e7a6f");
    let shown = place.run("take shipped.manifest --sha256 -q --handle summed").code;
    assert_eq!(shown, 0);
    assert!(
        place
            .run("show summed")
            .stdout
            .contains("SHA-256 1c467c50258693dc97047b16df72e0e5b3cebdee3309adc614edaca0974e7a6f")
    );
    assert!(place.run("take shipped.manifest --format json -q").json()["taken"]["sha256"].is_null());
    let folder = place.run("take root-5.0-tideway --sha256");
    assert_eq!((folder.code, folder.stdout.as_str()), (2, ""));
    assert!(folder.stderr.contains("`root-5.0-tideway` is not a file"), "{}", folder.stderr);
}
