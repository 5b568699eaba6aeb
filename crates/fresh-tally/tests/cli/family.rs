use crate::harness::Place;
use saltmarsh::{Family, World};

/// Writes the install of the story in a family, and takes its tally.
fn taken(place: &Place, name: &str, family: Family) -> serde_json::Value {
    let world = World::load().unwrap();
    let install = world.install("5.0-reedbed").unwrap();
    saltmarsh::write_install_as(&world, install, family, &place.path(name)).unwrap();
    place.run(&format!("take {name} --handle {name} --format json -q --shelf shelf")).json()
}

#[test]
fn families_of_every_init_give_the_same_menu_parts_and_services() {
    let place = Place::new();
    let reference = taken(&place, "dpkg", Family::Dpkg);
    let names = |tally: &serde_json::Value, list: &str, key: &str| -> Vec<String> {
        let all = tally[list].as_array().unwrap();
        let mut names: Vec<String> = all.iter().map(|one| one[key].as_str().unwrap().to_owned()).collect();
        names.sort();
        names
    };
    for (name, family) in Family::ALL
        .iter()
        .filter(|(name, _)| ["rpm", "apk", "freebsd-pkg", "xbps", "slackware"].contains(name))
    {
        let tally = taken(&place, name, *family);
        assert_eq!(tally["unread"].as_array().map(Vec::len), Some(0), "{name}: {}", tally["unread"]);
        assert_eq!(
            names(&tally, "applications", "name"),
            names(&reference, "applications", "name"),
            "{name}"
        );
        for launcher in tally["launchers"].as_array().unwrap() {
            assert!(launcher["package"].is_string(), "{name}: nobody owns {}", launcher["id"]);
        }
        let unknown = tally["packages"].as_array().unwrap().iter().filter(|p| p["kind"] == "unknown").count();
        assert_eq!(unknown, 0, "{name}");
        let parts = names(&tally, "parts", "part");
        for part in ["kernel", "c-library", "shell", "boot-loader", "printing"] {
            assert!(parts.iter().any(|known| known == part), "{name} has no {part}");
        }
        // Families whose init is another than systemd start their services in their own way.
        if ["apk", "xbps", "freebsd-pkg", "slackware"].contains(name) {
            let cups =
                tally["startup"].as_array().unwrap().iter().find(|item| item["name"] == "cups").unwrap();
            assert!(cups["package"].as_str().unwrap().ends_with(":cups"), "{name}: {cups}");
        }
    }
}

#[test]
fn an_install_of_another_family_is_one_headline_and_not_one_a_program() {
    let place = Place::new();
    taken(&place, "pacman", Family::Pacman);
    taken(&place, "xbps", Family::Xbps);
    let compared = place.run("compare pacman xbps --format json --shelf shelf").json();
    let headlines: Vec<&str> =
        compared["headlines"].as_array().unwrap().iter().map(|line| line["text"].as_str().unwrap()).collect();
    assert_eq!(
        headlines.iter().filter(|line| line.contains("delivered as xbps")).count(),
        1,
        "{headlines:?}"
    );
    assert!(
        headlines
            .iter()
            .all(|line| !line.ends_with("as xbps instead of pacman") || line.contains("programs")),
        "{headlines:?}"
    );
    assert!(compared["not_recorded"].is_null());
}

#[test]
fn what_a_source_does_not_tell_is_said_and_not_guessed() {
    let place = Place::new();
    taken(&place, "slackware", Family::Slackware);
    let why = place.run("why slackware inkcap --shelf shelf");
    assert!(
        why.stdout.contains("Not recorded in this source: dependencies and why packages are installed."),
        "{}",
        why.all()
    );
    let overview = place.run("show slackware --shelf shelf --width 120");
    let words: Vec<&str> = overview.stdout.split_whitespace().collect();
    assert!(words.join(" ").contains("why 170 of them are installed is not recorded"), "{}", overview.all());
}
