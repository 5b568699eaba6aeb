//! What was shipped, and what came later.

use crate::harness::Place;
use saltmarsh::World;

/// The root of 5.0 Reedbed as shipped, its tally, and the root as its owner had it a week later.
fn a_week_later() -> Place {
    let place = Place::with_installs(&["5.0-reedbed"]);
    assert_eq!(place.run("take root-5.0-reedbed -o shipped.tally.json").code, 0);
    let world = World::load().unwrap();
    let install = world.install("5.0-reedbed").unwrap();
    assert!(saltmarsh::write_a_week_later(&world, install, &place.path("root-5.0-reedbed")).unwrap());
    assert_eq!(place.run("take root-5.0-reedbed -o later.tally.json").code, 0);
    place
}

#[test]
fn every_view_is_as_shipped_and_as_found_when_asked() {
    let place = a_week_later();
    let shown = |line: &str| place.run(line).plain();
    insta::assert_snapshot!(
        shown("show later.tally.json --as found").lines().take(14).collect::<Vec<_>>().join("\n")
    );
    assert!(!shown("show later.tally.json menu").contains("Dabchick"));
    assert!(shown("show later.tally.json@found menu").contains("Dabchick"));
    assert!(shown("show later.tally.json parts").lines().next().unwrap().ends_with("as shipped"));
    let version = |moment: &str| shown(&format!("find later.tally.json@{moment} lapwing"));
    assert!(version("shipped").contains("121.0 ") && !version("shipped").contains("121.0.2"));
    assert!(version("found").contains("121.0.2"));
    let packages = shown("show later.tally.json packages --as found --format csv");
    assert!(
        packages.contains("dpkg,dabchick,8.3.1-1,8.3.1,amd64,explicit,installed,added-later,,"),
        "{packages}"
    );
    assert!(
        packages.contains("dpkg,lapwing,121.0.2-1,121.0.2,amd64,dependency,installed,updated-later,121.0-1,")
    );
    assert!(packages.contains("dpkg,stonehop,1.7.0-1,1.7.0,amd64,unknown,removed,removed-later,,"));
}

#[test]
fn the_shipped_state_is_the_state_of_that_day() {
    let place = a_week_later();
    let compare = |old: &str, new: &str| place.run(&format!("compare {old} {new} --exit-code --format json"));
    let same = compare("shipped.tally.json", "later.tally.json");
    let told: serde_json::Value = serde_json::from_str(&same.stdout).unwrap();
    assert_eq!(told["packages"], serde_json::json!([]));
    assert_eq!(told["parts"].as_array().unwrap().iter().filter(|part| part["change"] != "same").count(), 0);
    for list in ["defaults", "startup", "repositories", "looks"] {
        assert_eq!(told[list], serde_json::json!([]), "{list}");
    }
    assert_eq!(told["not_recorded"]["menu_entries_of"], serde_json::json!(["stonehop"]));
    // A program that shipped and was removed later is no news of the other install, though no menu has it any more.
    assert_eq!(told["applications"], serde_json::json!([]));
    let since: serde_json::Value =
        serde_json::from_str(&compare("later.tally.json@shipped", "later.tally.json@found").stdout).unwrap();
    let sorts: Vec<(&str, &str)> = since["packages"]
        .as_array()
        .unwrap()
        .iter()
        .map(|change| {
            let side = if change["new"].is_null() { &change["old"] } else { &change["new"] };
            (change["change"].as_str().unwrap(), side["name"].as_str().unwrap())
        })
        .collect();
    assert_eq!(
        sorts,
        [
            ("added", "dabchick"),
            ("added", "quillwort"),
            ("removed", "stonehop"),
            ("upgraded", "lapwing"),
            ("upgraded", "lapwing-l10n")
        ]
    );
    assert_eq!(
        (since["old"]["seen"].as_str(), since["new"]["seen"].as_str()),
        (Some("as-shipped"), Some("as-found"))
    );
}

#[test]
fn the_install_day_is_told_and_can_be_given() {
    let place = a_week_later();
    let tally: serde_json::Value = serde_json::from_str(&place.read("later.tally.json")).unwrap();
    assert_eq!(tally["install_day"]["how"], "installer-log");
    assert_eq!(tally["install_day"]["ended"], "2026-05-04T10:46:40Z");
    assert_eq!(tally["since_install"]["sure"], true);
    assert!(tally["label"]["seen"].is_null(), "a tally itself is as found");
    let given = place.run("take root-5.0-reedbed --installed 2031-01-01 -o - -q");
    assert_eq!(given.code, 0, "{}", given.stderr);
    let all = place.run("take root-5.0-reedbed --installed 2031-01-01 -o all.tally.json");
    assert!(all.stdout.contains("nothing added, updated or removed after 2031-01-01"), "{}", all.stdout);
    let wrong = place.run("take root-5.0-reedbed --installed tomorrow");
    assert_eq!(wrong.code, 2);
    assert!(wrong.stderr.contains("neither a time such as 2031-05-02T18:30:00Z"), "{}", wrong.stderr);
    assert_eq!(place.run("shelf --as found").code, 2, "the index tells of installs as shipped");
}

#[test]
fn logs_that_were_rotated_away_leave_a_doubt_that_is_said() {
    let place = a_week_later();
    std::fs::remove_file(place.path("root-5.0-reedbed/var/log/dpkg.log.1")).unwrap();
    let screen = place.run("take root-5.0-reedbed -o less.tally.json").stdout;
    assert!(screen.contains("as shipped, as far as its files tell"), "{screen}");
    assert!(screen.contains("not certain: the logs of dpkg begin 6 days after the installation"), "{screen}");
}
