//! Which launchers open a type, held against the algorithm that the MIME Applications Associations specification suggests.
#![allow(clippy::unwrap_used, reason = "tests may fail")]

mod common;

use common::tally;
use proptest::prelude::*;
use serde_json::{Value, json};
use std::collections::BTreeMap;
use tally_core::derive::{AssociationList, Associations, LauncherTypes, choose_defaults};
use tally_core::knowledge::Roles;
use tally_core::model::{DefaultChoice, Launcher, Text};

const ASKED: &str = "text/plain";

/// Launchers that lists may name; the last two are not there.
const IDS: [&str; 7] = ["a", "b", "c", "d", "e", "gone", "lost"];

/// One list of a folder: what it sets, adds and removes for the type.
#[derive(Debug, Clone)]
struct List {
    defaults: Vec<&'static str>,
    added: Vec<&'static str>,
    removed: Vec<&'static str>,
}

/// A folder of configuration or of data: its lists, and for a data folder the launchers in it that name the type.
#[derive(Debug, Clone)]
struct Folder {
    lists: Vec<List>,
    launchers: Option<Vec<&'static str>>,
}

fn ids(most: usize) -> impl Strategy<Value = Vec<&'static str>> {
    prop::collection::vec(prop::sample::select(&IDS[..]), 0..most)
}

fn lists() -> impl Strategy<Value = Vec<List>> {
    let defaults = prop_oneof![3 => Just(Vec::new()), 1 => ids(3)];
    let list =
        (defaults, ids(3), ids(3)).prop_map(|(defaults, added, removed)| List { defaults, added, removed });
    prop::collection::vec(list, 0..3)
}

/// Two folders of configuration before three of data, as `XDG_CONFIG_DIRS` and `XDG_DATA_DIRS` may name them.
fn folders() -> impl Strategy<Value = Vec<Folder>> {
    let configuration = lists().prop_map(|lists| Folder { lists, launchers: None });
    let data = (lists(), ids(4)).prop_map(|(lists, launchers)| Folder { lists, launchers: Some(launchers) });
    (prop::collection::vec(configuration, 2), prop::collection::vec(data, 3))
        .prop_map(|(configuration, data)| [configuration, data].concat())
}

fn named(ids: &[&str]) -> Vec<Text> {
    ids.iter().map(|id| format!("{id}.desktop").into()).collect()
}

fn associations(folders: &[Folder]) -> Associations {
    let of_type = |ids: &[&str]| -> BTreeMap<Text, Vec<Text>> {
        if ids.is_empty() { BTreeMap::new() } else { BTreeMap::from([(ASKED.into(), named(ids))]) }
    };
    let mut associations = Associations::default();
    for (number, folder) in folders.iter().enumerate() {
        for list in &folder.lists {
            associations.lists.push(AssociationList {
                file: format!("folder-{number}/mimeapps.list").into(),
                defaults: of_type(&list.defaults),
                added: of_type(&list.added),
                removed: of_type(&list.removed),
            });
        }
        if let Some(launchers) = &folder.launchers {
            let after = associations.lists.len();
            let file = format!("folder-{number}/mimeinfo.cache").into();
            associations.caches.push(LauncherTypes { file, launchers: of_type(launchers), after });
        }
    }
    associations
}

fn launchers() -> Vec<Launcher> {
    let launcher = |id: &&str| {
        json!({"id": format!("{id}.desktop"), "name": id, "runs": id, "does": "program", "shown": true, "menu": "accessories", "program_present": true,
            "evidence": {"file": format!("usr/share/applications/{id}.desktop"), "line": null}})
    };
    let there: Vec<Value> = IDS[..5].iter().map(launcher).collect();
    tally(&json!({"launchers": there})).launchers
}

fn chosen(folders: &[Folder]) -> DefaultChoice {
    let roles = Roles::built_in().unwrap();
    let choices = choose_defaults(&roles, &associations(folders), &launchers(), &[]);
    choices.into_iter().find(|choice| choice.asked == ASKED).unwrap()
}

fn is_there(id: &str) -> bool {
    IDS[..5].contains(&id)
}

/// The specification, "Adding/removing associations": results and a list of what is not to be added, folder by folder.
fn suggested(folders: &[Folder]) -> Vec<&'static str> {
    let (mut results, mut forbidden): (Vec<&str>, Vec<&str>) = (Vec::new(), Vec::new());
    for folder in folders {
        for list in &folder.lists {
            for id in &list.added {
                if is_there(id) && !forbidden.contains(id) && !results.contains(id) {
                    results.push(id);
                }
            }
            forbidden.extend(&list.removed);
        }
        for id in folder.launchers.iter().flatten() {
            if is_there(id) && !forbidden.contains(id) && !results.contains(id) {
                results.push(id);
            }
        }
    }
    results
}

/// "Default Application": the first that is there, of the first list that names any.
fn set(folders: &[Folder]) -> Option<&'static str> {
    let lists = folders.iter().flat_map(|folder| &folder.lists);
    lists.filter_map(|list| list.defaults.iter().copied().find(|id| is_there(id))).next()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(1500))]

    #[test]
    fn as_the_specification_suggests(folders in folders()) {
        let choice = chosen(&folders);
        let (set, associated) = (set(&folders), suggested(&folders));
        let answer = set.or_else(|| associated.first().copied());
        prop_assert_eq!(choice.application.as_deref(), answer);
        let mut candidates: Vec<&str> = answer.into_iter().collect();
        candidates.extend(associated.iter().filter(|id| Some(**id) != answer));
        prop_assert_eq!(&choice.candidates, &candidates);
        prop_assert_eq!(choice.sure, set.is_some() || associated.len() < 2);
        let launcher = answer.map(|id| format!("{id}.desktop"));
        prop_assert_eq!(choice.launcher.as_deref(), launcher.as_deref());
    }
}

#[test]
fn launchers_of_a_folder_go_before_lists_of_the_folders_behind_it() {
    let list = |added: &[&'static str], removed: &[&'static str]| List {
        defaults: Vec::new(),
        added: added.to_vec(),
        removed: removed.to_vec(),
    };
    let local = Folder { lists: Vec::new(), launchers: Some(vec!["b", "c"]) };
    let shared = Folder { lists: vec![list(&["a"], &["b", "d"])], launchers: Some(vec!["d", "e"]) };
    let choice = chosen(&[local, shared]);
    // What comes later can't take `b` away from the folder before it; `d` stands beside the list that removes it.
    assert_eq!(choice.candidates, ["b", "c", "a", "e"]);
    assert_eq!(
        (choice.sure, choice.decided.file.as_deref() == Some("folder-0/mimeinfo.cache")),
        (false, true)
    );
}
