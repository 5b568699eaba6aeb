//! What was shipped, found again behind any history: packages come, change and go, logs tell of it, and the replay undoes it.
#![allow(clippy::unwrap_used, reason = "tests may fail")]

use proptest::prelude::*;
use std::collections::BTreeMap;
use tally_core::history::{Event, Initial, Records, SystemRecords, as_shipped, install_day, mark};
use tally_core::model::{
    Alternatives, Dependency, InstallDayHow, Label, Medium, Package, Phase, Reduced, Seen, State, System,
    Taken, Tally, Text,
};

const DAY: i64 = 1_000_000;

fn package(name: &str, version: &str) -> Package {
    let mut package = Package::new(System::Dpkg, name, version);
    package.arch = "amd64".into();
    package
}

fn at(package: &Package) -> Option<i64> {
    package.installed_at.as_deref()?.parse().ok()
}

fn records(events: Vec<Event>) -> Records {
    let of = SystemRecords { since: Some(0), events, ..SystemRecords::default() };
    Records { systems: vec![(System::Dpkg, of)], given: Some(DAY), ..Records::default() }
}

fn event(at: i64, name: &str, before: Option<&str>, after: Option<&str>) -> Event {
    Event {
        at,
        system: System::Dpkg,
        name: name.into(),
        arch: "amd64".into(),
        before: before.map(Text::from),
        after: after.map(Text::from),
    }
}

/// Marks, and says of each package its phase and the version that was shipped.
fn marked(packages: &mut [Package], records: &Records) -> (Vec<(String, Phase, Option<String>)>, bool) {
    let day = install_day(records, packages, at).unwrap();
    let found = mark(packages, records, &day, at);
    let told = packages
        .iter()
        .chain(&found.removed)
        .map(|p| (p.name.to_string(), p.phase, p.shipped_version.as_ref().map(ToString::to_string)))
        .collect();
    (told, found.since.sure)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 256, ..ProptestConfig::default() })]

    #[test]
    fn whatever_happened_what_was_shipped_comes_back(
        shipped in prop::collection::btree_map("[a-e]", 0..4_u8, 0..5),
        steps in prop::collection::vec(("[a-g]", 0..4_u8), 0..24),
    ) {
        let version = |number: &u8| Text::from(format!("{number}-1"));
        let mut now: BTreeMap<String, u8> = shipped.clone();
        let mut events: Vec<Event> =
            shipped.iter().map(|(name, number)| event(DAY - 5, name, None, Some(&version(number)))).collect();
        for (second, (name, number)) in (1..).zip(&steps) {
            let before = now.get(name).map(version);
            // Three of the four say that another version came; what is there and meets its own number goes.
            let goes = before.as_ref().is_some_and(|before| *before == version(number));
            let after = (!goes).then(|| version(number));
            if goes { now.remove(name); } else { now.insert(name.clone(), *number); }
            events.push(event(DAY + second, name, before.as_deref(), after.as_deref()));
        }
        let mut packages: Vec<Package> =
            now.iter().map(|(name, number)| package(name, &version(number))).collect();
        let records = records(events);
        let day = install_day(&records, &packages, at).unwrap();
        let found = mark(&mut packages, &records, &day, at);
        prop_assert!(found.since.sure, "{:?}", found.since.doubts);
        packages.extend(found.removed);
        let back: BTreeMap<String, Text> = packages
            .iter()
            .filter_map(Package::as_shipped)
            .map(|package| (package.name.to_string(), package.version))
            .collect();
        let expected: BTreeMap<String, Text> =
            shipped.iter().map(|(name, number)| (name.clone(), version(number))).collect();
        prop_assert_eq!(back, expected);
    }
}

#[test]
fn what_was_there_comes_back_even_if_nothing_is_left() {
    let events = vec![event(DAY - 5, "e", None, Some("2-1")), event(DAY + 1, "e", Some("2-1"), None)];
    let (told, sure) = marked(&mut [], &records(events));
    assert_eq!((told, sure), (vec![("e".to_owned(), Phase::RemovedLater, None)], true));
}

#[test]
fn kernels_of_one_name_stand_side_by_side() {
    let mut packages = [package("kernel", "6.2"), package("kernel", "6.3")];
    let events = vec![
        event(DAY + 1, "kernel", None, Some("6.2")),
        event(DAY + 2, "kernel", None, Some("6.3")),
        event(DAY + 3, "kernel", Some("6.1"), None),
    ];
    let (told, sure) = marked(&mut packages, &records(events));
    assert!(sure);
    assert_eq!(
        told,
        [
            ("kernel".to_owned(), Phase::AddedLater, None),
            ("kernel".to_owned(), Phase::UpdatedLater, Some("6.1".to_owned())),
        ]
    );
}

#[test]
fn another_architecture_is_another_package_and_one_for_all_is_any() {
    let mut other = package("libweir", "1");
    other.arch = "i386".into();
    let mut plain = package("data", "2");
    plain.arch = "all".into();
    let mut packages = [package("libweir", "1"), other, plain];
    let mut came = event(DAY + 1, "libweir", None, Some("1"));
    came.arch = "i386".into();
    let events = vec![came, event(DAY + 2, "data", Some("1"), Some("2"))];
    let (told, _) = marked(&mut packages, &records(events));
    let phases: Vec<Phase> = told.iter().map(|(_, phase, _)| *phase).collect();
    assert_eq!(phases, [Phase::Shipped, Phase::AddedLater, Phase::UpdatedLater]);
}

#[test]
fn a_log_that_contradicts_the_database_leaves_a_doubt() {
    let mut packages = [package("inkcap", "3")];
    let (told, sure) = marked(&mut packages, &records(vec![event(DAY + 1, "inkcap", Some("1"), Some("2"))]));
    assert!(!sure);
    assert_eq!(told[0], ("inkcap".to_owned(), Phase::UpdatedLater, Some("1".to_owned())));
}

#[test]
fn what_is_left_of_a_removed_package_is_the_package() {
    let mut left = package("inkcap", "2");
    left.state = State::RemovedConfig;
    let mut packages = [left];
    let events =
        vec![event(DAY + 1, "inkcap", Some("1"), Some("2")), event(DAY + 2, "inkcap", Some("2"), None)];
    let (told, _) = marked(&mut packages, &records(events));
    assert_eq!(told, [("inkcap".to_owned(), Phase::RemovedLater, Some("1".to_owned()))]);
}

#[test]
fn without_logs_the_list_of_the_installer_tells() {
    let one = |name: &str, version: &str| Initial {
        name: name.into(),
        arch: "amd64".into(),
        version: Some(version.into()),
    };
    let of = SystemRecords {
        initial: Some(vec![one("same", "1"), one("older", "1"), one("gone", "7")]),
        ..SystemRecords::default()
    };
    let records = Records { systems: vec![(System::Dpkg, of)], given: Some(DAY), ..Records::default() };
    let mut packages = [package("same", "1"), package("older", "2"), package("new", "1")];
    let (told, _) = marked(&mut packages, &records);
    let phases: Vec<(&str, Phase)> = told.iter().map(|(name, phase, _)| (name.as_str(), *phase)).collect();
    assert_eq!(
        phases,
        [
            ("same", Phase::Shipped),
            ("older", Phase::UpdatedLater),
            ("new", Phase::AddedLater),
            ("gone", Phase::RemovedLater),
        ]
    );
}

#[test]
fn with_times_alone_what_the_shipped_needs_was_updated_and_the_answer_is_unsure() {
    let timed = |name: &str, time: i64, needs: &str| {
        let mut package = package(name, "1");
        package.installed_at = Some(time.to_string().into());
        if !needs.is_empty() {
            let need = Dependency { name: needs.into(), op: None, version: None };
            package.depends = vec![Alternatives::from_elem(need, 1)];
        }
        package
    };
    let mut packages = [
        timed("desktop", DAY, "library"),
        timed("library", DAY + 50_000, ""),
        timed("game", DAY + 90_000, "engine"),
        timed("engine", DAY + 90_000, ""),
    ];
    let records = Records { given: Some(DAY), ..Records::default() };
    let (told, sure) = marked(&mut packages, &records);
    assert!(!sure);
    let phases: Vec<Phase> = told.iter().map(|(_, phase, _)| *phase).collect();
    assert_eq!(phases, [Phase::Shipped, Phase::UpdatedLater, Phase::AddedLater, Phase::AddedLater]);
    let first_seen =
        vec![("library".into(), DAY - 9), ("game".into(), DAY + 90_000), ("engine".into(), DAY - 9)];
    let of = SystemRecords { first_seen, ..SystemRecords::default() };
    let records = Records { systems: vec![(System::Dpkg, of)], given: Some(DAY), ..Records::default() };
    let (told, _) = marked(&mut packages, &records);
    let phases: Vec<Phase> = told.iter().map(|(_, phase, _)| *phase).collect();
    assert_eq!(phases, [Phase::Shipped, Phase::UpdatedLater, Phase::AddedLater, Phase::UpdatedLater]);
}

#[test]
fn a_tally_says_what_is_seen_of_it() {
    let tally = |medium| {
        let taken = Taken { at: "".into(), from: "".into(), medium, layer: None, sha256: None, root: None };
        Tally::new("test", taken, Label::default())
    };
    let seen = |tally: Tally| as_shipped(tally).label.seen_as();
    assert_eq!(seen(tally(Medium::Image)), Seen::AsShipped);
    assert_eq!(seen(tally(Medium::Listing)), Seen::AsListed);
    assert_eq!(seen(tally(Medium::Installed)), Seen::AsFound, "nothing tells the install day");
    assert_eq!(InstallDayHow::ByHand.name(), "by-hand");
}

#[test]
fn what_came_later_is_gone_from_every_list_and_what_is_about_it_too() {
    use tally_core::model::{
        Evidence, Finding, FindingDetails, FindingName, Look, Looks, Repository, Scope, StartupItem,
        StartupKind,
    };
    let taken = Taken {
        at: "".into(),
        from: "".into(),
        medium: Medium::Installed,
        layer: None,
        sha256: None,
        root: None,
    };
    let mut tally = Tally::new("test", taken, Label { distro_id: "marsh".into(), ..Label::default() });
    let mut added = package("added", "1");
    added.phase = Phase::AddedLater;
    let mut updated = package("updated", "2-1");
    (updated.phase, updated.shipped_version) = (Phase::UpdatedLater, Some("1-1".into()));
    let mut removed = package("removed", "3");
    (removed.phase, removed.state) = (Phase::RemovedLater, State::RemovedConfig);
    tally.packages = vec![added, removed, updated];
    let look = |name: &str| Look {
        name: name.into(),
        count: None,
        package: Some(tally_core::model::PackageRef::new(System::Dpkg, name)),
        evidence: Evidence::default(),
    };
    tally.looks = Looks { themes: vec![look("added"), look("updated")], ..Looks::default() };
    let item = |name: &str, phase| StartupItem {
        kind: StartupKind::Unit,
        name: name.into(),
        scope: Scope::System,
        enabled: true,
        runs: None,
        says: None,
        package: Some(tally_core::model::PackageRef::new(System::Dpkg, name)),
        off_because: None,
        evidence: Evidence::default(),
        phase,
    };
    tally.startup = vec![item("added", Phase::AddedLater), item("updated", Phase::Shipped)];
    tally.repositories = ["shop", "archive"]
        .map(|name| Repository::new(System::Dpkg, name, Reduced::default(), Evidence::default()))
        .to_vec();
    tally.repositories[0].phase = Phase::AddedLater;
    let odd = |rule, about: &str| Finding {
        details: FindingDetails::Legacy { rule, legacy: about.into() },
        about: vec![about.into()],
        evidence: Evidence::default(),
    };
    tally.findings = vec![
        odd(FindingName::ReportsHome, "dpkg:added"),
        odd(FindingName::ReportsHome, "dpkg:updated"),
        odd(FindingName::RemovedLeftovers, "dpkg:removed"),
        odd(FindingName::ForeignRepository, "repository:shop"),
        odd(FindingName::UnownedStartup, "startup:added"),
        odd(FindingName::BrokenDefault, "role:mail"),
    ];
    let shipped = as_shipped(tally);
    let versions: Vec<(&str, &str)> =
        shipped.present().map(|p| (p.name.as_str(), p.version.as_str())).collect();
    assert_eq!(versions, [("removed", "3"), ("updated", "1-1")]);
    assert_eq!(shipped.packages[1].purl, "pkg:deb/marsh/updated@1-1?arch=amd64");
    assert_eq!((shipped.looks.themes.len(), shipped.startup.len(), shipped.repositories.len()), (1, 1, 1));
    let about: Vec<&str> = shipped.findings.iter().map(|finding| finding.about[0].as_str()).collect();
    assert_eq!(about, ["role:mail", "dpkg:updated"]);
    assert_eq!(shipped.counts.packages[&System::Dpkg], 2);
}

#[test]
fn a_system_that_writes_nothing_down_leaves_a_doubt() {
    let records = Records { given: Some(DAY), ..Records::default() };
    let (told, sure) = marked(&mut [package("inkcap", "1")], &records);
    assert_eq!(told[0].1, Phase::Shipped);
    assert!(!sure, "nothing tells whether it is");
}

#[test]
fn who_goes_around_the_log_leaves_a_time_and_a_doubt() {
    let mut logged = package("logged", "1");
    let need = Dependency { name: "around".into(), op: None, version: None };
    logged.depends = vec![Alternatives::from_elem(need, 1)];
    let mut around = package("around", "1");
    around.installed_at = Some((DAY + 500).to_string().into());
    let events = vec![event(DAY + 400, "logged", None, Some("1"))];
    let (told, sure) = marked(&mut [logged, around], &records(events));
    let phases: Vec<Phase> = told.iter().map(|(_, phase, _)| *phase).collect();
    assert_eq!(
        phases,
        [Phase::AddedLater, Phase::AddedLater],
        "what only an added package needs was not shipped"
    );
    assert!(!sure);
}
