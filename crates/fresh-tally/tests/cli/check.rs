//! Standing questions, answered by evidence.

use crate::harness::Place;

fn shelved() -> Place {
    let place = Place::with_installs(&["5.0-reedbed", "5.0-mudflat"]);
    for key in ["5.0-reedbed", "5.0-mudflat"] {
        assert_eq!(place.run(&format!("take root-{key} -q --format json")).code, 0);
    }
    place
}

/// As JSON, whether or not a question has a "no".
fn answers(place: &Place) -> serde_json::Value {
    serde_json::from_str(&place.run("check q.toml saltmarsh-5.0-reedbed --format json").stdout).unwrap()
}

const BOTH: &str = "saltmarsh-5.0-reedbed saltmarsh-5.0-mudflat";

#[test]
fn the_starter_is_a_sound_checklist() {
    let place = shelved();
    assert_eq!(place.run("check --starter -o q.toml").code, 0);
    let one = place.run("check q.toml saltmarsh-5.0-reedbed --width 150");
    insta::assert_snapshot!(one.all());
    insta::assert_snapshot!(place.run(&format!("check q.toml {BOTH} --width 90")).all());
}

#[test]
fn every_subject_is_answered() {
    let place = shelved();
    let questions = [
        ("anything = 'Inkcap'\nversion = '>= 3.0'", "yes"),
        ("anything = 'inkcpa'", "no"),
        ("application = 'Lapwing'\nversion = '< 100'", "no"),
        ("application = 'Marshlight'\nexpect = 'absent'", "yes"),
        ("package = 'libweir#|libreedkit#'\ncount = '>= 2'", "yes"),
        ("package = 'inkcap'\nversion = '3.2.1'", "yes"),
        ("package = 'nothing-*'\nexpect = 'absent'", "yes"),
        ("program = 'mudline'", "yes"),
        ("program = 'sandbank-gui'", "no"),
        ("role = 'web-browser'\nis = 'lap*'", "yes"),
        ("role = 'web-browser'\nis = 'marshlight'", "no"),
        ("opens = 'application/pdf'\nis = 'Leafmere'", "no"),
        ("opens = 'never/asked'", "not-recorded"),
        ("part = 'kernel'\nversion = '> 6.9'", "yes"),
        ("part = 'sound-server'\nis = 'Ebbtone'\nexpect = 'absent'", "yes"),
        ("part = 'bluetooth'\nexpect = 'absent'", "no"),
        ("kind = 'game'\ncount = '<= 1'", "yes"),
        ("kind = 'game'\nweight = '<= 1MB'", "no"),
        ("total = 'weight'\nweight = '<= 1GB'", "no"),
        ("total = 'chosen'\ncount = '> 10'", "yes"),
        ("repository = '*tidewrack*'\nexpect = 'absent'", "no"),
        ("startup = 'tidewrack'\nexpect = 'absent'", "no"),
        ("startup = 'cups.service|bluez'\ncount = '= 2'", "yes"),
        ("session = 'x11'\ncount = '>= 1'", "yes"),
        ("session = 'wayland'", "no"),
        ("look = 'wallpapers'\ncount = '>= 5'", "yes"),
        ("look = 'theme'\nis = 'Saltmarsh'", "yes"),
        ("setting = 'window-buttons'\nis = 'left: menu*'", "yes"),
        ("setting = 'colour-scheme'\nis = 'light'", "no"),
        ("setting = 'night-light'\nexpect = 'absent'", "yes"),
        ("plays = 'pdf'", "yes"),
        ("plays = 'heic'", "no"),
        ("plays = 'mp4'", "no"),
        ("reading = 'memory'\nvalue = '<= 1GB'", "open"),
        ("finding = 'reports-home'", "no"),
        ("finding = 'removed-leftovers'", "yes"),
        ("person = true", "open"),
    ];
    let list: String = questions
        .iter()
        .enumerate()
        .map(|(i, (q, _))| format!("[[question]]\nname = 'q{i}'\n{q}\n"))
        .collect();
    place.write("q.toml", list);
    let answers = answers(&place);
    for (i, (question, expected)) in questions.iter().enumerate() {
        let answer = &answers["questions"][i]["answers"][0];
        assert_eq!(answer["verdict"], *expected, "{question}: {answer}");
    }
    let totals = &answers["totals"][0];
    let sum: u64 =
        ["yes", "no", "noted", "open", "not_recorded"].iter().map(|key| totals[*key].as_u64().unwrap()).sum();
    assert_eq!(sum, questions.len() as u64);
    let kernel = &answers["questions"][13]["answers"][0]["evidence"][0]["file"];
    assert!(place.path("root-5.0-reedbed").join(kernel.as_str().unwrap()).exists(), "{kernel}");
}

#[test]
fn a_person_answers_by_a_note_that_stays() {
    let place = shelved();
    place.write("q.toml", "[[question]]\ntext = 'Was the printer found?'\nperson = true\n[[question]]\nname = 'sound'\ntext = 'How is the sound?'\nperson = true\n");
    let verdicts = || -> Vec<String> {
        let answers = answers(&place);
        let list = answers["questions"].as_array().unwrap();
        list.iter().map(|q| q["answers"][0]["verdict"].as_str().unwrap().to_owned()).collect()
    };
    assert_eq!(verdicts(), ["open", "open"]);
    place.run("note saltmarsh-5.0-reedbed --ask was-the-printer-found no, never");
    place.run("note saltmarsh-5.0-reedbed --ask sound a little thin");
    assert_eq!(verdicts(), ["no", "noted"]);
    assert_eq!(place.run("check q.toml saltmarsh-5.0-reedbed").code, 1);
    place.run("note saltmarsh-5.0-reedbed --ask was-the-printer-found Yes: after an update");
    place.run("take root-5.0-reedbed -q --format json");
    assert_eq!(verdicts(), ["yes", "noted"], "the latest note counts, and a new take keeps them");
    let kept = place.run("show saltmarsh-5.0-reedbed readings").plain();
    assert!(kept.contains("no, never"), "history stays: {kept}");
    assert_eq!(place.run("check q.toml saltmarsh-5.0-reedbed").code, 0);
}

#[test]
fn a_figure_of_a_live_session_does_not_count_for_an_install() {
    let place = shelved();
    place.write("q.toml", "[[question]]\nname = 'memory'\nreading = 'memory'\nvalue = '<= 1GB'\n");
    let verdict = || answers(&place)["questions"][0]["answers"][0]["verdict"].as_str().unwrap().to_owned();
    assert_eq!(verdict(), "open");
    place.run("note saltmarsh-5.0-reedbed memory=300MB --live");
    assert_eq!(verdict(), "not-recorded");
    place.run("note saltmarsh-5.0-reedbed memory=2GB");
    assert_eq!(verdict(), "no");
    place.run("note saltmarsh-5.0-reedbed memory=620MB");
    assert_eq!(verdict(), "yes");
}

#[test]
fn a_wish_is_no_failure() {
    let place = shelved();
    place.write("q.toml", "[[question]]\nname = 'mail'\nrole = 'mail'\nwish = true\n");
    assert_eq!(place.run(&format!("check q.toml {BOTH}")).code, 0);
    place.write("q.toml", "[[question]]\nname = 'mail'\nrole = 'mail'\n");
    assert_eq!(place.run(&format!("check q.toml {BOTH}")).code, 1);
    assert_eq!(place.run("check q.toml saltmarsh-5.0-reedbed").code, 0);
}

#[test]
fn what_is_wrong_is_named_with_its_line() {
    let place = shelved();
    let said: Vec<String> = [
        "",
        "[[question]]\ntext = 'x'\n",
        "[[question]]\ntext = 'x'\nrole = 'web-browsr'\n",
        "[[question]]\ntext = 'x'\nrol = 'web-browser'\n",
        "[[question]]\ntext = 'x'\npart = 'kernl'\nversion = '>= 6'\n",
        "[[question]]\ntext = 'x'\nrole = 'mail'\npart = 'kernel'\n",
        "[[question]]\ntext = 'x'\nkind = 'game'\n",
        "[[question]]\ntext = 'x'\nkind = 'game'\ncount = '<= few'\n",
        "[[question]]\ntext = 'x'\nrole = 'mail'\nexpect = 'presnt'\n",
        "[[question]]\ntext = 'x'\nreading = 'memry'\nvalue = '1GB'\n",
        "[[question]]\ntext = 'x'\nrole = 'mail'\n[[question]]\ntext = 'x'\nrole = 'mail'\n",
        "[[question]]\ntext = 'x\nrole = 'mail'\n",
    ]
    .iter()
    .map(|list| {
        place.write("q.toml", list);
        let outcome = place.run("check q.toml saltmarsh-5.0-reedbed");
        assert_eq!((outcome.code, outcome.stdout.as_str()), (3, ""));
        outcome.stderr.lines().next().unwrap_or_default().to_owned()
    })
    .collect();
    insta::assert_snapshot!(said.join("\n"));
    assert_eq!(place.run("check missing.toml saltmarsh-5.0-reedbed").code, 3);
    assert_eq!(place.run("check q.toml").code, 2);
}
