use crate::harness::Place;

#[test]
fn why_tells_the_path_and_what_would_leave() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    place.run("take root-5.0-reedbed -q");
    insta::assert_snapshot!(place.run("why saltmarsh-5.0-reedbed brackwater --width 90").all());
    let json = place.run("why saltmarsh-5.0-reedbed libmere5 --format json").json();
    assert_eq!((json["schema_version"].as_u64(), json["package"].as_str()), (Some(2), Some("dpkg:libmere5")));
    let path: Vec<&str> = json["paths"][0].as_array().unwrap().iter().filter_map(|p| p.as_str()).collect();
    assert_eq!(path.first(), Some(&"dpkg:reedbed-desktop"));
    assert_eq!(path.last(), Some(&"dpkg:libmere5"));
    assert!(json["leaves_with"].as_array().unwrap().iter().all(|p| p != "dpkg:libmere5"));
}

#[test]
fn capitals_make_no_other_package() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    let json = place.run("why root-5.0-reedbed LibMere5 --format json").json();
    assert_eq!(json["package"], "dpkg:libmere5");
    let needed_by = json["needed_by"].as_array().unwrap();
    assert!(!needed_by.is_empty() && needed_by.is_sorted_by_key(|package| package.as_str()), "{json}");
}

#[test]
fn without_reasons_it_is_told_what_needs_a_package() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    place.write("old.status", place.read("root-5.0-reedbed/var/lib/dpkg/status"));
    insta::assert_snapshot!(place.run("why old.status libmere5 --width 90").all());
    let bare = place.run_with("why - libmere5", b"libmere5 1.0-1\n", &[]);
    assert!(
        bare.stdout.contains("Not recorded in this source: dependencies and why packages are installed")
            && !bare.stdout.contains("Depends on it"),
        "{}",
        bare.all()
    );
}

#[test]
fn an_unknown_package_names_what_comes_near() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    let outcome = place.run("why root-5.0-reedbed inkcpa");
    assert_eq!(outcome.code, 3);
    assert_eq!(
        outcome.stderr,
        "error: `root-5.0-reedbed` has no package `inkcpa`\nhint: did you mean `inkcap`?\n"
    );
}

#[test]
fn weigh_says_what_would_have_to_go() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    place.run("take root-5.0-reedbed -q");
    insta::assert_snapshot!(place.run("weigh saltmarsh-5.0-reedbed --limit 1.6GB --width 90").all());
    let fits = place.run("weigh saltmarsh-5.0-reedbed --limit 4GiB --plus 100MB");
    assert_eq!(fits.code, 0);
    assert!(fits.stdout.contains("it fits"), "{}", fits.stdout);
    assert_eq!(place.run("weigh saltmarsh-5.0-reedbed --limit huge").code, 2);
}

#[test]
fn every_view_has_something_to_show_in_every_form() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    place.run("take root-5.0-reedbed -q");
    for view in [
        "overview",
        "parts",
        "menu",
        "defaults",
        "packages",
        "repositories",
        "startup",
        "looks",
        "weight",
        "findings",
    ] {
        let shown =
            |format: &str| place.run(&format!("show saltmarsh-5.0-reedbed {view} --format {format}")).plain();
        assert!(shown("table").lines().count() > 4, "{view}");
        assert!(shown("markdown").starts_with("# Saltmarsh Linux"), "{view}");
        assert!(shown("csv").lines().count() > 2, "{view}");
        let json: serde_json::Value = serde_json::from_str(&shown("json")).unwrap();
        assert_eq!((json["schema_version"].as_u64(), json["view"].as_str()), (Some(2), Some(view)), "{view}");
    }
    insta::assert_snapshot!(place.run("show saltmarsh-5.0-reedbed findings --width 100").all());
    insta::assert_snapshot!(place.run("show saltmarsh-5.0-reedbed defaults --width 100").all());
}
