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
        "application,gone,marshlight,dpkg,Marshlight,98.0.2,Marshlight,,,,internet,",
        "application,updated,inkcap,dpkg,Inkcap,2.9.4,Inkcap,3.2.1,major,,accessories,",
        "package,downgraded,curlewfetch,dpkg,curlewfetch,1.5.0-1,curlewfetch,1.4.2-3,minor,",
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
    assert!(same.stdout.contains("No package, application or part differs."), "{}", same.stdout);
    let place = Place::with_installs(&BOTH);
    assert_eq!(place.run("compare root-4.0-reedbed root-5.0-reedbed --exit-code -o x.md").code, 1);
    assert!(place.read("x.md").contains("| Sound server | Ebbtone 14.2 | Freshet 1.1.0 | replaced |"));
}

#[test]
fn one_view_shows_one_thing() {
    let place = Place::with_installs(&BOTH);
    let packages = place.run("compare root-4.0-reedbed root-5.0-reedbed --view packages").plain();
    assert!(!packages.contains("Underneath") && packages.contains("frogleap-data"), "{packages}");
    let parts = place.run("compare root-4.0-reedbed root-5.0-reedbed --view parts").plain();
    assert!(
        parts.lines().any(|line| line.contains("Dash 0.5.12") && line.trim_end().ends_with("same")),
        "{parts}"
    );
    assert!(!parts.contains("frogleap"), "{parts}");
}
