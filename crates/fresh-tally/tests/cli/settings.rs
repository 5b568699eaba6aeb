//! Default settings, and what opens and plays.

use crate::harness::Place;

#[test]
fn settings_are_told_with_who_set_them_and_what_upstream_has() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    insta::assert_snapshot!(place.run("show root-5.0-reedbed settings").all());
    let all = place.run("show root-5.0-reedbed settings --all").plain();
    assert!(all.contains("org.saltmarsh.welcome show-at-start"), "{all}");
    let refused = place.run("show root-5.0-reedbed menu --all");
    assert!(refused.stderr.contains("settings --all") && refused.code == 2, "{}", refused.stderr);
    let csv = place.run("show root-5.0-reedbed settings --format csv").plain();
    let buttons = csv.lines().find(|line| line.contains(",window-buttons,")).unwrap();
    assert!(buttons.contains("org.gnome.desktop.wm.preferences button-layout"), "{buttons}");
    assert!(buttons.contains("10_reedbed-desktop.gschema.override:11"), "{buttons}");
}

#[test]
fn what_changed_of_the_settings_is_compared_and_a_base_explains_it() {
    let place = Place::with_installs(&["4.0-reedbed", "5.0-reedbed"]);
    insta::assert_snapshot!(place.run("compare root-4.0-reedbed root-5.0-reedbed --view settings").all());
    // A base that made the very same changes explains all of them.
    let base =
        "compare root-4.0-reedbed root-5.0-reedbed --base root-4.0-reedbed root-5.0-reedbed --format json";
    let all = place.run(base).json();
    let settings = all["settings"].as_array().unwrap();
    assert!(settings.len() > 4 && settings.iter().all(|change| change["inherited"] == true), "{settings:?}");
}

#[test]
fn own_places_of_settings_are_asked_first() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    place.write(
        "own.toml",
        "[[setting]]\nkey = 'welcome'\narea = 'desktop'\nlabel = 'Welcome'\nplaces = [{ gsettings = 'org.saltmarsh.welcome show-at-start' }]\n\
         [[setting]]\nkey = 'window-buttons'\narea = 'windows'\nlabel = 'x'\nplaces = [{ line = 'usr/lib/os-release', key = 'ID_LIKE', values = { fenland = 'upside down' } }]\n",
    );
    assert!(place.run("rules check own.toml").plain().contains("settings 2"));
    let csv = place.run("show root-5.0-reedbed settings --format csv --rules own.toml").plain();
    assert!(csv.contains("desktop,welcome,on,"), "{csv}");
    assert!(csv.contains("windows,window-buttons,upside down,"), "{csv}");
}

#[test]
fn what_opens_is_told_by_app_and_decoder() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    insta::assert_snapshot!(place.run("show root-5.0-reedbed media").all());
}

#[test]
fn an_app_without_its_decoder_is_a_finding_and_says_what_would_help() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    // The video player depends on a framework whose decoders are not here.
    let status = place.path("root-5.0-reedbed/var/lib/dpkg/status");
    let text = std::fs::read_to_string(&status).unwrap();
    let with = text.replacen("Package: wherry\n", "Package: wherry\nDepends: libgstreamer1.0-0\n", 1)
        + "\nPackage: libgstreamer1.0-0\nStatus: install ok installed\nVersion: 1.24.0-1\nArchitecture: amd64\nMaintainer: x\nDescription: x\n";
    assert_ne!(with, text);
    let lines: Vec<&str> = with.lines().collect();
    let mut seen = false;
    // Its own list of needs would be the second of one record.
    let kept: Vec<&str> = lines
        .iter()
        .filter(|line| {
            if **line == "Package: wherry" {
                seen = true;
            }
            if line.is_empty() {
                seen = false;
            }
            !(seen && line.starts_with("Depends:") && !line.contains("libgstreamer"))
        })
        .copied()
        .collect();
    std::fs::write(&status, kept.join("\n") + "\n").unwrap();
    let media = place.run("show root-5.0-reedbed media --format csv").plain();
    let mp4 = media.lines().find(|line| line.starts_with("video,mp4,")).unwrap();
    assert!(mp4.contains(",no-decoder,wherry,GStreamer,"), "{mp4}");
    let findings = place.run("show root-5.0-reedbed findings").plain();
    assert!(findings.contains("Wherry opens"), "{findings}");
}

#[test]
fn a_demo_shows_settings_side_by_side() {
    let place = Place::with_installs(&["5.0-reedbed", "5.0-mudflat"]);
    let grid = place.run("grid root-5.0-reedbed root-5.0-mudflat --only differing --format csv").plain();
    let animations = grid.lines().find(|line| line.contains("animations")).unwrap();
    assert!(animations.contains("on") && animations.contains("off"), "{animations}");
}
