use crate::harness::Place;

#[test]
fn an_empty_shelf_says_what_to_do() {
    insta::assert_snapshot!(Place::new().run("shelf").all());
}

#[test]
fn list_rename_drop() {
    let place = Place::with_installs(&["4.0-reedbed", "5.0-reedbed"]);
    place.run("take root-4.0-reedbed -q");
    place.run("take root-5.0-reedbed -q");
    place.write("shelf/torn.tally.json", "{\"tally\": 1,");
    insta::assert_snapshot!(place.run("shelf list --width 100").all());
    assert_eq!(
        place.run("shelf rename saltmarsh-5.0-reedbed bittern").stderr,
        "`saltmarsh-5.0-reedbed` is now `bittern`.\n"
    );
    assert_eq!(
        place.run("shelf drop saltmarsh-4.0-reedbed torn -q").all(),
        "exit: 0\n--- stdout\n--- stderr\n"
    );
    let left = place.run("shelf --format json").json();
    assert_eq!(left["installs"][0]["handle"], "bittern");
    assert_eq!(left["installs"].as_array().unwrap().len(), 1);
}

#[test]
fn wrong_handles_are_refused_with_a_hint() {
    let place = Place::with_installs(&["4.0-reedbed"]);
    place.run("take root-4.0-reedbed -q");
    insta::assert_snapshot!(
        [
            "shelf drop saltmarsh",
            "shelf rename saltmarsh-4.0-reedbed ../escape",
            "shelf rename saltmarsh-4.0-reedbed saltmarsh-4.0-reedbed",
            "show saltmarsh-4.0-reedbet",
        ]
        .map(|line| format!("$ {line}\n{}", place.run(line).all()))
        .join("\n")
    );
}
