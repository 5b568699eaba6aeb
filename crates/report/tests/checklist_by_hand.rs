//! Standing questions put to installs whose answers are known: what is there, what is not, and what a source does not record.
#![allow(clippy::unwrap_used, clippy::panic, reason = "tests may fail")]

#[path = "../../core/tests/common/mod.rs"]
mod common;

use common::tally;
use serde_json::{Value, json};
use tally_core::check::{Answer, Check, Checklist, Verdict, check};
use tally_core::knowledge::{PartRules, Roles};
use tally_core::model::{FindingName, Tally};
use tally_report::words;

fn asked(questions: &str, tallies: &[&Tally]) -> Check {
    let (parts, roles) = (PartRules::built_in().unwrap(), Roles::built_in().unwrap());
    let text = format!("name = 'Standing questions'\n{questions}");
    let checklist =
        Checklist::parse(&text, &parts, &roles).unwrap_or_else(|error| panic!("{questions}: {error}"));
    check(&checklist, tallies, &[])
}

/// The answer to one question, given by its subject and what is expected of it.
fn answer(tally: &Tally, question: &str) -> Answer {
    let check = asked(&format!("[[question]]\nname = 'q'\n{question}"), &[tally]);
    check.questions[0].answers[0].clone()
}

fn each(tally: &Tally, expected: &[(&str, Verdict, &str)]) {
    for (question, verdict, found) in expected {
        let answer = answer(tally, question);
        assert_eq!((answer.verdict, words::answer(&answer.found).as_str()), (*verdict, *found), "{question}");
    }
}

fn facts() -> Value {
    let package = |name: &str, version: &str, kind: &str, bytes: u64| {
        json!({"system": "dpkg", "name": name, "version": version, "upstream_version": version, "kind": kind, "installed_bytes": bytes,
            "reason": "chosen", "evidence": {"file": "var/lib/dpkg/status", "line": 7}})
    };
    json!({
        "packages": [
            package("inkcap", "3.2.1", "application", 4_000_000), package("libweir2", "2.0", "library", 100),
            package("libweir3", "3.0", "library", 300), package("puddles", "1.0", "game", 9_000_000),
            {"system": "dpkg", "name": "gone", "version": "1", "state": "removed-config"},
        ],
        "launchers": [{"id": "inkcap.desktop", "name": "Inkcap", "runs": "inkcap", "does": "program", "shown": true, "package": "dpkg:inkcap",
            "version": "3.2.1", "menu": "office", "evidence": {"file": "usr/share/applications/inkcap.desktop", "line": null}}],
        "applications": [{"id": "inkcap", "name": "Inkcap", "version": "3.2.1", "launchers": ["inkcap.desktop"], "delivered": [], "menu": "office"}],
        "defaults": [
            {"role": "text-editor", "asked": "text/plain", "application": "inkcap", "launcher": "inkcap.desktop", "how": "etc/xdg/mimeapps.list",
                "candidates": ["inkcap"], "sure": true},
            {"role": "web-browser", "asked": "text/html", "application": null, "how": "two could", "candidates": ["rill", "spring"], "sure": true},
            {"role": "mail-client", "asked": "x-scheme-handler/mailto", "application": null, "how": "none", "candidates": [], "sure": true},
            {"role": "image-viewer", "asked": "image/png", "application": null, "decided": {"decided_by": "removed-since", "packages": ["heron"]}, "candidates": [], "sure": false},
        ],
        "parts": [{"part": "kernel", "name": "Linux", "version": "6.9.2", "package": null, "others": [], "evidence": {"file": "boot", "line": null}}],
        "repositories": [
            {"system": "dpkg", "name": "main", "uri": "https://pkg.saltmarsh.example", "enabled": true},
            {"system": "dpkg", "name": "drift", "uri": "https://drift.example", "enabled": false},
        ],
        "startup": [
            {"sort": "unit", "name": "tidewrack.service", "scope": "system", "enabled": true},
            {"sort": "unit", "name": "ebb.service", "scope": "system", "enabled": false},
        ],
        "looks": {
            "sessions": [{"id": "reed", "name": "Reed", "display": "wayland"}], "default_session": "reed", "default_wallpaper": "/usr/share/backgrounds/tide.png",
            "themes": [{"name": "Tide"}, {"name": "Ebb"}], "wallpapers": [{"name": "marsh", "count": 4}, {"name": "old", "count": 1}],
        },
        "readings": [
            {"what": "memory-used", "value": 900e6, "unit": "bytes", "method": "meminfo", "conditions": {"medium": "installed"}},
            {"what": "memory-used", "value": 500e6, "unit": "bytes", "method": "meminfo", "conditions": {"medium": "installed"}},
            {"what": "tasks", "value": 120.0, "unit": "count", "method": "proc", "conditions": {"medium": "live"}},
        ],
        "findings": [{"finding": "games", "about": [], "games": ["puddles"], "installed_bytes": 9_000_000}],
        "notes": [
            {"at": "2031-05-02T10:00:00Z", "ask": "feel", "text": "No, it stutters"},
            {"at": "2031-05-03T10:00:00Z", "ask": "feel", "text": "yes; mended by an update"},
        ],
    })
}

#[test]
fn what_is_there_is_told_with_its_version_and_place() {
    let install = tally(&facts());
    each(
        &install,
        &[
            ("application = 'INKCAP'\nversion = '>= 3.2'", Verdict::Yes, "Inkcap 3.2.1"),
            ("application = 'inkcap'\nexpect = 'absent'", Verdict::No, "Inkcap 3.2.1"),
            ("program = 'inkcap'\nversion = '4'", Verdict::No, "inkcap 3.2.1"),
            ("anything = 'heron'", Verdict::No, "none"),
            ("package = 'libweir#'\ncount = '2'", Verdict::Yes, "2: libweir2 2.0 and libweir3 3.0"),
            ("package = 'libweir#'\nversion = '> 2.5'", Verdict::Yes, "2: libweir2 2.0 and libweir3 3.0"),
            ("package = 'libweir#'\nversion = '> 3'", Verdict::No, "2: libweir2 2.0 and libweir3 3.0"),
            // Configuration that was left behind is no package that is there.
            ("package = 'gone'\nexpect = 'absent'", Verdict::Yes, "none"),
            ("kind = 'library'\nweight = '<= 400B'", Verdict::Yes, "400 B: libweir2, libweir3"),
            ("kind = 'font'\ncount = '0'", Verdict::Yes, "0"),
            ("total = 'packages'\ncount = '< 4'", Verdict::No, "4"),
            ("total = 'explicit'\ncount = '4'", Verdict::Yes, "4"),
            ("total = 'entries'\ncount = '1'", Verdict::Yes, "1"),
            ("total = 'weight'\nweight = '>= 13MB'", Verdict::Yes, "13 MB"),
            ("part = 'kernel'\nis = 'lin*'\nversion = '> 6.10'", Verdict::No, "Linux 6.9.2"),
            ("part = 'kernel'\nis = 'weir'\nexpect = 'absent'", Verdict::Yes, "Linux 6.9.2"),
            ("part = 'sound-server'", Verdict::No, "none"),
        ],
    );
    let place = answer(&install, "package = 'inkcap'").evidence;
    assert_eq!((place[0].file.as_str(), place[0].line), ("var/lib/dpkg/status", Some(7)));
}

#[test]
fn what_opens_what_is_told_as_far_as_it_is_decided() {
    each(
        &tally(&facts()),
        &[
            ("role = 'text-editor'\nis = 'ink*'", Verdict::Yes, "Inkcap 3.2.1"),
            ("opens = 'text/plain'\nis = 'pluma'", Verdict::No, "Inkcap 3.2.1"),
            ("role = 'web-browser'", Verdict::No, "no default among rill and spring"),
            ("role = 'web-browser'\nexpect = 'absent'", Verdict::No, "no default among rill and spring"),
            ("opens = 'x-scheme-handler/mailto'\nexpect = 'absent'", Verdict::Yes, "none"),
            ("opens = 'image/png'", Verdict::NotRecorded, "not known: heron removed since installation"),
            (
                "opens = 'text/never'",
                Verdict::NotRecorded,
                "not known: the tally was taken with rules that do not ask for it",
            ),
        ],
    );
}

#[test]
fn lists_are_told_without_what_is_switched_off() {
    each(
        &tally(&facts()),
        &[
            ("repository = '*drift*'\nexpect = 'absent'", Verdict::Yes, "none"),
            ("repository = 'https://pkg.*'", Verdict::Yes, "main"),
            ("startup = 'tidewrack'\nexpect = 'absent'", Verdict::No, "tidewrack.service"),
            ("startup = 'ebb'", Verdict::No, "none"),
            ("session = 'wayland'\ncount = '1'", Verdict::Yes, "Reed"),
            ("look = 'session'\nis = 'REED'", Verdict::Yes, "reed"),
            ("look = 'wallpaper'\nis = 'tide.png'", Verdict::Yes, "/usr/share/backgrounds/tide.png"),
            ("look = 'theme'", Verdict::No, "not set"),
            ("look = 'themes'\ncount = '2'", Verdict::Yes, "2"),
            ("look = 'wallpapers'\ncount = '5'", Verdict::Yes, "5"),
            ("finding = 'games'", Verdict::No, "1 game, 9.0 MB: puddles"),
            ("finding = 'games'\ncount = '<= 1'", Verdict::Yes, "1 game, 9.0 MB: puddles"),
            ("finding = 'two-launchers'", Verdict::Yes, "none"),
        ],
    );
}

#[test]
fn the_latest_figure_and_the_latest_note_count() {
    let install = tally(&facts());
    each(
        &install,
        &[
            ("reading = 'memory'\nvalue = '<= 600MB'", Verdict::Yes, "500 MB (meminfo)"),
            (
                "reading = 'tasks'\nvalue = '< 100'",
                Verdict::NotRecorded,
                "120 in a live session, which says nothing of the install",
            ),
            ("reading = 'boot'\nvalue = '< 20'", Verdict::Open, "not measured yet"),
        ],
    );
    let notes = asked(
        "[[question]]\nname = 'feel'\nperson = true\n[[question]]\nname = 'other'\nperson = true",
        &[&install],
    );
    let verdicts: Vec<Verdict> = notes.questions.iter().map(|question| question.answers[0].verdict).collect();
    assert_eq!(verdicts, [Verdict::Yes, Verdict::Open]);
}

/// Of a list of packages nothing is claimed that it does not say, neither that something is there nor that it is not.
#[test]
fn a_list_of_packages_answers_for_its_packages_alone() {
    let list = tally(&json!({
        "taken": {"at": "2031-05-02T10:00:00Z", "from": "list.txt", "medium": "listing"},
        "packages": [{"system": "dpkg", "name": "inkcap", "version": "3.2.1-1", "upstream_version": "3.2.1"}],
        "missing_facts": ["reasons", "dependencies", "sizes", "launchers", "owners", "programs"],
    }));
    let unsaid = "not recorded in this source";
    let no_program = "no package has that name, and this source does not record programs";
    each(
        &list,
        &[
            ("anything = 'inkcap'\nversion = '>= 3'", Verdict::Yes, "inkcap 3.2.1"),
            ("program = 'inkcap'", Verdict::Yes, "inkcap 3.2.1"),
            ("anything = 'heron'", Verdict::NotRecorded, no_program),
            ("program = 'heron'\nexpect = 'absent'", Verdict::NotRecorded, no_program),
            ("application = 'Inkcap'", Verdict::NotRecorded, unsaid),
            ("package = 'heron'\nexpect = 'absent'", Verdict::Yes, "none"),
            ("total = 'packages'\ncount = '1'", Verdict::Yes, "1"),
            ("total = 'explicit'\ncount = '0'", Verdict::NotRecorded, unsaid),
            ("total = 'weight'\nweight = '< 1GB'", Verdict::NotRecorded, unsaid),
            ("total = 'findings'\ncount = '0'", Verdict::NotRecorded, unsaid),
            ("kind = 'game'\nweight = '< 1GB'", Verdict::NotRecorded, unsaid),
            // One package is of no known kind: it may be a game, and no two.
            ("kind = 'game'\ncount = '0'", Verdict::NotRecorded, unsaid),
            ("kind = 'game'\ncount = '<= 1'", Verdict::Yes, "0"),
            ("kind = 'game'\ncount = '>= 2'", Verdict::No, "0"),
            ("role = 'web-browser'\nexpect = 'absent'", Verdict::NotRecorded, unsaid),
            ("repository = '*'\nexpect = 'absent'", Verdict::NotRecorded, unsaid),
            ("startup = 'tidewrack'\nexpect = 'absent'", Verdict::NotRecorded, unsaid),
            ("session = 'x11'\nexpect = 'absent'", Verdict::NotRecorded, unsaid),
            ("look = 'themes'\ncount = '0'", Verdict::NotRecorded, unsaid),
            ("look = 'theme'\nexpect = 'absent'", Verdict::NotRecorded, unsaid),
        ],
    );
    for finding in FindingName::ALL {
        let answer = answer(&list, &format!("finding = '{finding}'"));
        let by_name = *finding == FindingName::ReportsHome;
        let expected = if by_name { Verdict::Yes } else { Verdict::NotRecorded };
        assert_eq!(answer.verdict, expected, "{finding}");
    }
}

#[test]
fn sums_hold_every_answer_and_wishes_are_only_regretted() {
    let (install, bare) = (tally(&facts()), tally(&json!({})));
    let questions = "[[question]]\nname = 'a'\napplication = 'inkcap'\n[[question]]\nname = 'b'\napplication = 'inkcap'\nwish = true\n\
        [[question]]\nname = 'c'\nperson = true";
    let check = asked(questions, &[&install, &bare]);
    assert!(check.questions.iter().all(|question| question.answers.len() == 2));
    let sums: Vec<[u32; 6]> =
        check.totals.iter().map(|t| [t.yes, t.no, t.no_of_wishes, t.noted, t.open, t.not_recorded]).collect();
    assert_eq!(sums, [[2, 0, 0, 0, 1, 0], [0, 2, 1, 0, 1, 0]]);
}
