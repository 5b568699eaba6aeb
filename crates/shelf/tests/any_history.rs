//! Whatever happens to a shelf, it holds what a list kept by hand would, and its index says the same as the tallies.
#![allow(clippy::unwrap_used, clippy::panic, reason = "helpers of tests fail as tests do")]

use proptest::prelude::*;
use std::collections::BTreeMap;
use tally_core::model::{Label, Medium, Note, Package, System, Taken, Tally, Text};
use tally_shelf::{Index, Replacing, Shelf, ShelfError};

#[derive(Debug, Clone)]
enum Step {
    /// A source is taken: its number, what it calls itself, and the packages it has.
    Take(u8, u8, Vec<(u8, u8)>),
    Drop(u8),
    Rename(u8, u8),
    /// A note is written into the tally of a handle.
    Note(u8),
    /// The index is asked, and so brought up to date.
    Ask,
    /// Somebody removes the index, or writes into it.
    LoseIndex,
    SpoilIndex,
}

fn step() -> impl Strategy<Value = Step> {
    let packages = prop::collection::vec((0..5_u8, 0..3_u8), 0..5);
    prop_oneof![
        5 => (0..4_u8, 0..3_u8, packages).prop_map(|(source, name, packages)| Step::Take(source, name, packages)),
        1 => (0..8_u8).prop_map(Step::Drop),
        2 => (0..8_u8, 0..8_u8).prop_map(|(old, new)| Step::Rename(old, new)),
        1 => (0..8_u8).prop_map(Step::Note),
        2 => Just(Step::Ask),
        1 => Just(Step::LoseIndex),
        1 => Just(Step::SpoilIndex),
    ]
}

/// What installs call themselves: of some nothing is known, and some go on and on.
fn distro(number: u8) -> Text {
    match number {
        0 => "Saltmarsh".into(),
        1 => Text::default(),
        _ => "Marsh ".repeat(80).into(),
    }
}

fn taken(source: u8, name: u8, packages: &[(u8, u8)]) -> Tally {
    let from = format!("/roots/{source}").into();
    let taken = Taken {
        at: "2031-05-02T10:00:00Z".into(),
        from,
        medium: Medium::Installed,
        layer: None,
        sha256: None,
        root: None,
    };
    let label = Label { distro: distro(name), ..Label::default() };
    let handle = label.natural_handle();
    let mut tally = Tally::new("test", taken, Label { handle, ..label });
    let packages: BTreeMap<u8, u8> = packages.iter().copied().collect();
    for (name, version) in packages {
        let mut package = Package::new(System::Dpkg, format!("reed{name}"), format!("{version}.0-1"));
        package.upstream_version = format!("{version}.0").into();
        tally.packages.push(package);
    }
    tally
}

/// Whether two tallies have the same packages, and the same source or the same label.
fn is_one_install(one: &Tally, other: &Tally) -> bool {
    one.packages == other.packages
        && (one.taken.from == other.taken.from || one.label.distro == other.label.distro)
}

/// The shelf as somebody would keep it on paper.
#[derive(Default)]
struct Paper {
    tallies: BTreeMap<String, Tally>,
}

impl Paper {
    fn handle(&self, number: u8) -> String {
        let known = self.tallies.keys().nth(usize::from(number));
        known.cloned().unwrap_or_else(|| format!("bittern-{number}"))
    }

    fn put(&mut self, mut tally: Tally) -> (String, bool) {
        let natural = tally.label.handle.to_string();
        for number in 1.. {
            let handle = if number == 1 { natural.clone() } else { format!("{natural}-{number}") };
            tally.label.handle = handle.as_str().into();
            match self.tallies.get(&handle) {
                // Nothing takes the place of another install.
                Some(other) if !is_one_install(other, &tally) => {}
                other => {
                    let replaced = other.is_some();
                    tally.notes = other.map(|other| other.notes.clone()).unwrap_or_default();
                    self.tallies.insert(handle.clone(), tally);
                    return (handle, replaced);
                }
            }
        }
        unreachable!()
    }

    /// Where a package of that name is, in the order of the handles.
    fn find(&self, name: &str) -> Vec<(String, String)> {
        let all =
            self.tallies.iter().flat_map(|(handle, tally)| tally.packages.iter().map(move |p| (handle, p)));
        let of_name = all.filter(|(_, package)| package.name == name);
        of_name.map(|(handle, package)| (handle.clone(), package.upstream_version.to_string())).collect()
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    #[test]
    fn a_shelf_holds_what_was_put_on_it(steps in prop::collection::vec(step(), 1..24)) {
        let dir = tempfile::tempdir().unwrap();
        let shelf = Shelf::new(dir.path().join("shelf"));
        let mut paper = Paper::default();
        for step in steps.into_iter().chain([Step::Ask]) {
            match step {
                Step::Take(source, name, packages) => {
                    let mut tally = taken(source, name, &packages);
                    let put = shelf.put(&mut tally, Replacing::Never).unwrap();
                    prop_assert_eq!((put.handle, put.replaced), paper.put(taken(source, name, &packages)));
                }
                Step::Drop(number) => {
                    let handle = paper.handle(number);
                    prop_assert_eq!(shelf.drop(std::slice::from_ref(&handle)).is_ok(), paper.tallies.remove(&handle).is_some());
                }
                Step::Rename(old, new) => {
                    let (old, new) = (paper.handle(old), paper.handle(new));
                    match (paper.tallies.contains_key(&old), paper.tallies.contains_key(&new)) {
                        (true, false) => {
                            shelf.rename(&old, &new).unwrap();
                            let mut tally = paper.tallies.remove(&old).unwrap();
                            tally.label.handle = new.as_str().into();
                            paper.tallies.insert(new, tally);
                        }
                        (true, true) => {
                            let result = shelf.rename(&old, &new);
                            prop_assert!(matches!(result, Err(ShelfError::InUse { .. })), "{} to {}", old, new);
                        }
                        (false, _) => {
                            let result = shelf.rename(&old, &new);
                            prop_assert!(matches!(result, Err(ShelfError::Unknown { .. })), "{}", old);
                        }
                    }
                }
                Step::Note(number) => {
                    let handle = paper.handle(number);
                    if let Some(tally) = paper.tallies.get_mut(&handle) {
                        let text = format!("note {}", tally.notes.len()).into();
                        let note = Note { at: "2031-05-03T10:00:00Z".into(), ask: None, text };
                        tally.notes.push(note.clone());
                        shelf.change(&handle, |kept| kept.notes.push(note)).unwrap();
                    }
                }
                Step::Ask => {
                    let index = Index::open(&shelf, &mut |_, _| {}).unwrap();
                    let handles: Vec<String> = index.installs().unwrap().into_iter().map(|one| one.handle).collect();
                    prop_assert_eq!(&handles, &paper.tallies.keys().cloned().collect::<Vec<_>>());
                    for name in ["reed0", "reed1", "reed4"] {
                        let found = index.find(name).unwrap();
                        let exact = found.found.iter().filter(|one| one.name == name);
                        let said: Vec<(String, String)> = exact
                            .map(|one| (one.handle.clone(), one.version.clone().unwrap_or_default().to_string()))
                            .collect();
                        prop_assert_eq!(said, paper.find(name), "{}", name);
                    }
                }
                Step::LoseIndex => Index::remove(&shelf).unwrap(),
                Step::SpoilIndex => {
                    let file = shelf.folder().join(".index.sqlite");
                    if file.exists() {
                        std::fs::write(file, "not what was there").unwrap();
                    }
                }
            }
            prop_assert_eq!(shelf.handles().unwrap(), paper.tallies.keys().cloned().collect::<Vec<_>>());
        }
        for (handle, tally) in &paper.tallies {
            prop_assert_eq!(&shelf.get(handle).unwrap(), tally);
            prop_assert!(shelf.has(handle));
        }
        let names = std::fs::read_dir(shelf.folder()).into_iter().flatten().flatten();
        let others: Vec<String> = names
            .map(|entry| entry.file_name().into_string().unwrap())
            // Notes of what was dropped wait for the next index.
            .filter(|name| !name.ends_with(".dropped.json"))
            .filter(|name| !name.ends_with(".tally.json") && !name.starts_with(".index"))
            .collect();
        prop_assert_eq!(others, Vec::<String>::new(), "nothing half-written stays");
    }
}
