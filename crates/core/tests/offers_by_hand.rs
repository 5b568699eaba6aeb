//! What lists offer: where something can be had from, which parts there are, what came and went, by lists as short as can be.
#![allow(clippy::unwrap_used, clippy::panic, reason = "tests may fail")]

#[path = "common/lists.rs"]
mod lists;

use lists::{catalog, installed};
use tally_core::knowledge::PartRules;
use tally_core::model::{Package, System, Text};
use tally_core::offer::{
    Catalog, Pin, PinWhat, Program, answer, offer_changes, parts_on_offer, summary, updates,
};

fn program(id: &str, name: &str, package: &str) -> Program {
    Program {
        id: id.into(),
        name: name.into(),
        summary: Text::default(),
        system: System::Dpkg,
        package: package.into(),
        version: None,
        repository: "reeds".into(),
    }
}

fn names(installed: &[Package], catalogs: &[Catalog], programs: &[Program], asked: &str) -> Vec<String> {
    answer(installed, catalogs, programs, asked).sources.iter().map(|one| one.package.to_string()).collect()
}

#[test]
fn an_exact_name_is_all_that_was_meant_and_else_what_is_like_it() {
    let catalogs = [catalog(System::Dpkg, &[("inkcap 1\ninkcap-data 1\ninkcap-doc 1\nheron 2", 500)])];
    assert_eq!(names(&[], &catalogs, &[], "inkcap"), ["inkcap"]);
    assert_eq!(names(&[], &catalogs, &[], "INKCAP"), ["inkcap"], "in capitals or not");
    let like = names(&[], &catalogs, &[], "ink");
    assert!(like.contains(&"inkcap".to_owned()) && !like.contains(&"heron".to_owned()), "{like:?}");
    assert_eq!(names(&[], &catalogs, &[], "hreon"), ["heron"], "misspelt names will do");
    let none = answer(&[], &catalogs, &[], "zzzzzz");
    assert!(none.sources.is_empty() && none.near.is_empty());
}

#[test]
fn what_does_not_fit_on_the_screen_is_counted() {
    let list: String = (0..40).map(|n| format!("reed-tool{n} 1\n")).collect();
    let found = answer(&[], &[catalog(System::Dpkg, &[(&list, 500)])], &[], "reed");
    assert_eq!(found.sources.len() + found.more as usize, 40);
    assert!(found.more > 0);
}

#[test]
fn a_program_is_found_by_its_name_and_by_the_last_word_of_its_id() {
    let catalogs = [catalog(System::Dpkg, &[("ink-3 3.1-2", 500)])];
    let programs = [program("org.marsh.Inkcap", "Inkcap Editor", "ink-3")];
    for asked in ["inkcap", "Inkcap Editor", "org.marsh.Inkcap"] {
        let found = answer(&[], &catalogs, &programs, asked);
        assert_eq!(found.sources.len(), 1, "{asked}: {:?}", found.sources);
        assert_eq!(found.sources[0].package, "ink-3");
        assert_eq!(found.sources[0].version.as_deref(), Some("3.1-2"), "the list tells the version");
        assert_eq!(found.sources[0].program.as_deref(), Some("org.marsh.Inkcap"));
    }
}

#[test]
fn of_versions_that_are_the_same_none_is_the_newest() {
    let catalogs = [catalog(System::Dpkg, &[("inkcap 3.1-2", 500)])];
    let flatpak = |version: &str| Program {
        system: System::Flatpak,
        package: "org.marsh.Inkcap".into(),
        version: Some(version.into()),
        ..program("org.marsh.Inkcap", "Inkcap", "")
    };
    for (version, newest) in [("3.1", [false, false]), ("3.0", [true, false]), ("3.1.1", [false, true])] {
        let programs = [program("org.marsh.Inkcap", "Inkcap", "inkcap"), flatpak(version)];
        let found = answer(&[], &catalogs, &programs, "inkcap");
        assert_eq!(found.sources.iter().map(|one| one.newest).collect::<Vec<_>>(), newest, "{version}");
    }
}

#[test]
fn what_is_installed_is_told_with_its_version() {
    let there = installed(System::Dpkg, "inkcap 1");
    let found = answer(&there, &[catalog(System::Dpkg, &[("inkcap 2\nheron 1", 500)])], &[], "inkcap");
    assert_eq!(found.sources[0].installed.as_deref(), Some("1"));
    assert_eq!(found.sources[0].version.as_deref(), Some("2"));
}

#[test]
fn parts_are_told_with_the_package_that_stands_for_them() {
    let rules = PartRules::built_in().unwrap();
    let list = "linux-image-6.9-amd64 6.9-1\nlinux-image-6.18-amd64 6.18-1\nlxde-core 9\nlxsession 0.5\nsway 1.9\nlibweir 1";
    let there = installed(System::Dpkg, "linux-image-6.9-amd64 6.9-1");
    let found = parts_on_offer(&there, &catalog(System::Dpkg, &[(list, 500)]), &rules);
    let of = |part: &str, name: &str| {
        let one = found.iter().find(|one| one.part == part && one.name == name);
        one.map(|one| (one.package.as_str(), one.packages, one.installed.as_deref()))
    };
    assert_eq!(
        of("kernel", "Linux"),
        Some(("linux-image-6.18-amd64", 2, Some("6.9-1"))),
        "of flavours the newest"
    );
    assert_eq!(of("desktop", "LXDE"), Some(("lxsession", 2, None)), "else the one that the rule names first");
    assert!(of("window-manager", "Sway").is_some());
    assert!(found.iter().all(|one| one.package != "libweir"));
}

#[test]
fn what_came_and_what_went() {
    let old = [catalog(System::Dpkg, &[("inkcap 1\nfrogleap 1", 500)])];
    let new = [catalog(System::Dpkg, &[("inkcap 2\nheron 1\nreed 1", 500)])];
    let changes = offer_changes((&old, &[]), (&new, &[]));
    let said = |list: &[tally_core::offer::OfferChange]| {
        list.iter().map(|one| one.name.to_string()).collect::<Vec<_>>()
    };
    assert_eq!(
        (said(&changes.came), said(&changes.went)),
        (vec!["heron".into(), "reed".into()], vec!["frogleap".into()])
    );
    assert_eq!((changes.old_packages, changes.new_packages, changes.by_programs), (2, 3, false));
    // Where catalogues of programs are on both sides, programs count; a new ID of the same name is no new program.
    let before = [program("inkcap.desktop", "Inkcap", "inkcap"), program("frog", "Frogleap", "frogleap")];
    let after =
        [program("org.marsh.Inkcap", "Inkcap", "inkcap"), program("org.marsh.Heron", "Heron", "heron")];
    let changes = offer_changes((&old, &before), (&new, &after));
    assert_eq!((said(&changes.came), said(&changes.went)), (vec!["Heron".into()], vec!["Frogleap".into()]));
    assert!(changes.by_programs);
    assert!(!offer_changes((&old, &before), (&new, &[])).by_programs, "one side alone tells nothing");
}

#[test]
fn pins_by_source_release_and_site() {
    let pin = |packages: &str, what: PinWhat| Pin { packages: vec![packages.into()], what, priority: 900 };
    let release =
        |key: char, pattern: &str| PinWhat { release: vec![(key, pattern.into())], ..PinWhat::default() };
    let with = |pin: Pin| {
        let mut catalog = catalog(
            System::Dpkg,
            &[("inkcap 2; source: ink\nheron 2", 500), ("inkcap 1; source: ink\nheron 1", 500)],
        );
        let list = &mut catalog.lists[1];
        list.suite = "old-stable".into();
        list.codename = "avocet".into();
        list.origin = "Marsh".into();
        list.label = "Marsh".into();
        list.component = Some("main".into());
        list.site = "old.saltmarsh.example".into();
        catalog.policy.pins = vec![pin];
        let of = |name: &str| catalog.candidate(name, None).unwrap().1.package.version.to_string();
        (of("inkcap"), of("heron"))
    };
    let (old, new) = ("1".to_owned(), "2".to_owned());
    assert_eq!(
        with(pin("src:ink", release('n', "avocet"))),
        (old.clone(), new.clone()),
        "packages of a source"
    );
    assert_eq!(
        with(pin("ink*", release('a', "old*"))),
        (old.clone(), new.clone()),
        "patterns of names and suites"
    );
    for (key, pattern) in [('o', "Marsh"), ('l', "M*"), ('c', "main")] {
        assert_eq!(with(pin("*", release(key, pattern))), (old.clone(), old.clone()), "{key}");
    }
    let site = PinWhat { site: Some("old.*".into()), ..PinWhat::default() };
    assert_eq!(with(pin("*", site)), (old.clone(), old));
    assert_eq!(with(pin("*", release('n', "curlew"))), (new.clone(), new), "of another release");
}

#[test]
fn figures_count_each_name_once() {
    let catalog = catalog(System::Dpkg, &[("a 1\nb 1", 500), ("a 2", 501)]);
    let there = installed(System::Dpkg, "a 1");
    let figures = summary(&there, &catalog);
    assert_eq!(figures.packages, 2);
    assert_eq!(
        figures.lists.iter().map(|list| (list.packages, list.security)).collect::<Vec<_>>(),
        [(2, false), (1, true)]
    );
    assert_eq!(figures.updates, updates(&there, &catalog));
    let update = &figures.updates.packages[0];
    assert_eq!(
        (update.repository.as_str(), update.security, update.download_bytes),
        ("list-1", true, Some(100))
    );
    // What is gone, or half there, has no updates; of versions side by side the newest counts.
    let mut gone = there;
    gone[0].state = tally_core::model::State::RemovedConfig;
    assert!(updates(&gone, &catalog).packages.is_empty());
}
