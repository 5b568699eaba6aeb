use crate::harness::Place;

const BOTH: [&str; 2] = ["4.0-reedbed", "5.0-reedbed"];

#[test]
fn the_first_screen() {
    let place = Place::with_installs(&BOTH);
    insta::assert_snapshot!(place.run("compare root-4.0-reedbed root-5.0-reedbed --width 80").all());
}

#[test]
fn the_sums_add_up_with_the_details() {
    let place = Place::with_installs(&BOTH);
    let json = place.run("compare root-4.0-reedbed root-5.0-reedbed --format json").json();
    let totals = &json["totals"];
    let sorts: u64 = totals["packages"].as_object().unwrap().values().map(|n| n.as_u64().unwrap()).sum();
    assert_eq!(sorts, json["packages"].as_array().unwrap().len() as u64);
    let of = |sort: &str| totals["packages"][sort].as_u64().unwrap();
    let kept = totals["unchanged"].as_u64().unwrap() + sorts - of("added") - of("removed");
    assert_eq!(totals["old_packages"].as_u64().unwrap(), kept + of("removed"));
    assert_eq!(totals["new_packages"].as_u64().unwrap(), kept + of("added"));
    let delta: i64 =
        json["packages"].as_array().unwrap().iter().filter_map(|p| p["bytes_delta"].as_i64()).sum();
    assert_eq!(totals["new_bytes"].as_i64().unwrap() - totals["old_bytes"].as_i64().unwrap(), delta);
}

#[test]
fn each_sort_of_the_story_is_told() {
    let place = Place::with_installs(&BOTH);
    let csv = place.run("compare root-4.0-reedbed root-5.0-reedbed --format csv").plain();
    for row in [
        "part,replaced,sound-server,,Ebbtone,14.2,Freshet,1.1.0,,,,",
        "application,replaced,lapwing,dpkg,Marshlight,98.0.2,Lapwing,121.0,,,internet,",
        "application,removed,frogleap,dpkg,Frogleap,2.0.1,Frogleap,,,,games,",
        "application,format-changed,fryshoal,snap,Fryshoal,4.0.2,Fryshoal,4.0.6,patch,,internet,",
        "default,replaced,web-browser x-scheme-handler/https,,marshlight,,lapwing,",
        "package,new-series,libreedkit3,dpkg,libreedkit2,",
        "application,updated,inkcap,dpkg,Inkcap,2.9.4,Inkcap,3.2.1,major,,accessories,",
        "package,downgraded,duckboard,dpkg,duckboard,1.5.0-1,duckboard,1.4.2-3,minor,",
        "package,rebuilt,weir-notify,dpkg,weir-notify,4.0.1-1,weir-notify,4.0.1-1+b1,,",
        "package,removed,frogleap-data,dpkg,frogleap-data,2.0.1-1,,,,",
    ] {
        assert!(csv.lines().any(|line| line.starts_with(row)), "{row} is not in\n{csv}");
    }
}

#[test]
fn an_install_compared_with_itself_does_not_differ() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    let same = place.run("compare root-5.0-reedbed root-5.0-reedbed --exit-code");
    assert_eq!(same.code, 0);
    assert!(same.stdout.contains("Nothing differs: no package"), "{}", same.stdout);
    let place = Place::with_installs(&BOTH);
    assert_eq!(place.run("compare root-4.0-reedbed root-5.0-reedbed --exit-code -o x.md").code, 1);
    assert!(place.read("x.md").contains("| Sound server | Ebbtone 14.2 | Freshet 1.1.0 | replaced |"));
}

#[test]
fn one_view_shows_one_thing() {
    let place = Place::with_installs(&BOTH);
    let packages = place.run("compare root-4.0-reedbed root-5.0-reedbed --view packages").plain();
    assert!(!packages.contains("Under the hood") && packages.contains("frogleap-data"), "{packages}");
    let parts = place.run("compare root-4.0-reedbed root-5.0-reedbed --view parts").plain();
    assert!(
        parts.lines().any(|line| line.contains("Dash 0.5.12") && line.trim_end().ends_with("unchanged")),
        "{parts}"
    );
    assert!(!parts.contains("frogleap"), "{parts}");
}

fn json(place: &Place, more: &str) -> serde_json::Value {
    place.run(&format!("compare root-4.0-reedbed root-5.0-reedbed --format json {more}")).json()
}

#[test]
fn every_package_that_came_or_went_has_a_decision_or_is_counted() {
    let place = Place::with_installs(&BOTH);
    let json = json(&place, "");
    let packages = json["packages"].as_array().unwrap();
    let moved = |p: &&serde_json::Value| matches!(p["change"].as_str(), Some("added" | "removed"));
    let without = packages.iter().filter(moved).filter(|p| p["decision"].is_null()).count() as u64;
    assert_eq!(json["totals"]["unexplained"].as_u64(), Some(without));
    let decisions = json["decisions"].as_array().unwrap();
    let held: usize = decisions.iter().map(|d| d["packages"].as_array().unwrap().len()).sum();
    assert_eq!(held as u64 + without, packages.iter().filter(moved).count() as u64);
    let office = decisions.iter().find(|d| d["names"][0] == "brackwater").unwrap();
    assert_eq!(
        (office["kind"].as_str(), office["because"].as_str(), office["text"].as_str()),
        (Some("added-on-purpose"), Some("metapackage"), Some("reedbed-desktop now pulls it in"))
    );
    let headlines = json["headlines"].as_array().unwrap();
    assert!(headlines.len() <= 12);
    assert_eq!(
        headlines[0]["text"],
        "Lapwing replaces Marshlight as web browser and app for local web pages (2 packages, +220 MB)"
    );
}

#[test]
fn filters_leave_out_and_the_sums_stay() {
    let place = Place::with_installs(&BOTH);
    let whole = json(&place, "");
    let games = json(&place, "--kind game --change removed");
    let names: Vec<&str> =
        games["packages"].as_array().unwrap().iter().map(|p| p["old"]["name"].as_str().unwrap()).collect();
    assert_eq!(names, ["eelpot", "frogleap"]);
    assert_eq!(whole["totals"], games["totals"]);
    let screen = place.run("compare root-4.0-reedbed root-5.0-reedbed --kind game").plain();
    assert!(screen.contains("None that matches the filter.") && !screen.contains("Lapwing"), "{screen}");
    assert!(!screen.contains("No part differs"), "a filtered list must not deny what it left out: {screen}");
    let torrents = whole["defaults"].as_array().unwrap().iter().any(|change| change["role"] == "torrent");
    assert!(!torrents, "a program that moved to a snap still opens what it opened");
    let named =
        place.run("compare root-4.0-reedbed root-5.0-reedbed --view packages --name libreedkit*").plain();
    assert!(named.contains("libreedkit2 → libreedkit3") && !named.contains("marshlight"), "{named}");
    let wrong = place.run("compare root-4.0-reedbed root-5.0-reedbed --change addde");
    assert_eq!(wrong.code, 2);
    assert!(wrong.stderr.contains("valid are added, added-on-purpose"), "{}", wrong.stderr);
}

#[test]
fn against_itself_as_the_base_everything_is_inherited() {
    let place = Place::with_installs(&BOTH);
    let both = json(&place, "--base root-4.0-reedbed root-5.0-reedbed");
    let changes = both["packages"].as_array().unwrap();
    assert!(changes.iter().all(|change| change["inherited"] == true));
    assert_eq!(both["totals"]["inherited"].as_u64(), Some(changes.len() as u64));
    assert_eq!(both["totals"]["held_back"].as_u64(), Some(0));
    let none = json(&place, "--base root-4.0-reedbed root-4.0-reedbed");
    assert!(none["packages"].as_array().unwrap().iter().all(|change| change["inherited"] == false));
    let one = json(&place, "--base root-5.0-reedbed");
    assert!(one["packages"].as_array().unwrap().iter().all(|change| change["inherited"] == true));
    let held = place.run("compare root-4.0-reedbed root-4.0-reedbed --base root-4.0-reedbed root-5.0-reedbed --format json").json();
    assert!(held["totals"]["held_back"].as_u64().unwrap() > 100);
}

#[test]
fn every_view_speaks_in_every_form() {
    let place = Place::with_installs(&BOTH);
    for view in [
        "headlines",
        "defaults",
        "decisions",
        "repositories",
        "startup",
        "looks",
        "weight",
        "readings",
        "all",
    ] {
        for format in ["table", "markdown", "csv"] {
            let answer = place
                .run(&format!("compare root-4.0-reedbed root-5.0-reedbed --view {view} --format {format}"))
                .plain();
            assert!(answer.lines().count() > 1 || view == "readings", "{view} {format}: {answer}");
        }
    }
    let readings = place.run("compare root-4.0-reedbed root-5.0-reedbed --view readings").plain();
    assert!(readings.contains("Nothing was measured on both sides."), "{readings}");
}

#[test]
fn a_locale_without_utf8_gets_ascii() {
    let place = Place::with_installs(&BOTH);
    let line = "compare root-4.0-reedbed root-5.0-reedbed";
    let with = |locale: &[(&str, &str)]| place.run_with(line, b"", locale).stdout;
    assert!(with(&[]).contains(" → ") && with(&[("LANG", "de_DE.UTF-8")]).contains(" → "));
    assert!(with(&[("LC_ALL", "C"), ("LANG", "de_DE.UTF-8")]).is_ascii(), "the first variable decides");
    assert!(with(&[("LANG", "POSIX")]).contains(" to "));
}
