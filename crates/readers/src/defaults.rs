//! What decides which application opens a type: `mimeapps.list` files, caches, parent types, alternatives.
//! See `docs/formats/mimeapps.md`.

use crate::keyfile::KeyFile;
use crate::text::{lines, text};
use std::collections::BTreeMap;
use std::os::unix::ffi::OsStrExt;
use std::path::Path;
use tally_core::derive::{AssociationList, Associations};
use tally_core::knowledge::Roles;
use tally_core::model::{Launcher, Text, Unread};
use tally_trees::Tree;

/// Folders of configuration, then of data, in the order of precedence for a new user.
const CONFIGURATION: &[&str] = &["etc/skel/.config", "etc/xdg", "usr/etc/xdg"];
const DATA: &[&str] = &[
    "etc/skel/.local/share/applications",
    "var/lib/flatpak/exports/share/applications",
    "usr/local/share/applications",
    "usr/share/applications",
    "var/lib/snapd/desktop/applications",
];

/// Reads all of it, for a desktop of these names (the values of `XDG_CURRENT_DESKTOP`).
pub(crate) fn read(
    tree: &dyn Tree,
    desktops: &[Text],
    launchers: &[Launcher],
    roles: &Roles,
) -> (Associations, Vec<Unread>) {
    let mut associations = Associations::default();
    let mut unread = Vec::new();
    for folder in CONFIGURATION.iter().chain(DATA) {
        let own = desktops.iter().map(|desktop| format!("{}-mimeapps.list", desktop.to_lowercase()));
        for name in own.chain(["mimeapps.list".to_owned(), "defaults.list".to_owned()]) {
            let file = format!("{folder}/{name}");
            if let Ok(bytes) = tree.read(&file) {
                let (list, problems) = association_list(&file, &bytes);
                associations.lists.push(list);
                unread.extend(problems);
            }
        }
    }
    for folder in DATA {
        let file = format!("{folder}/mimeinfo.cache");
        match tree.read(&file) {
            Ok(bytes) => {
                let parsed = KeyFile::parse(&file, &bytes);
                associations.caches.push((file.into(), group(&parsed, "MIME Cache")));
                unread.extend(parsed.unread);
            }
            Err(_) => associations.caches.extend(what_launchers_say(folder, launchers)),
        }
    }
    associations.parents = parents(tree);
    associations.aliases = pairs(tree, "usr/share/mime/aliases").collect();
    associations.alternatives = roles.alternatives().filter_map(|link| alternative(tree, link)).collect();
    associations.others =
        associations.alternatives.keys().map(|link| (link.clone(), alternatives(tree, link))).collect();
    (associations, unread)
}

fn association_list(file: &str, bytes: &[u8]) -> (AssociationList, Vec<Unread>) {
    let parsed = KeyFile::parse(file, bytes);
    let list = AssociationList {
        file: file.into(),
        defaults: group(&parsed, "Default Applications"),
        added: group(&parsed, "Added Associations"),
        removed: group(&parsed, "Removed Associations"),
    };
    (list, parsed.unread)
}

fn group(parsed: &KeyFile, name: &str) -> BTreeMap<Text, Vec<Text>> {
    parsed
        .group(name)
        .map(|group| group.keys().map(|key| (key.clone(), group.list(key))).collect())
        .unwrap_or_default()
}

/// What a cache would hold: the launchers of a folder by the types they name, by ID.
fn what_launchers_say(folder: &str, launchers: &[Launcher]) -> Option<(Text, BTreeMap<Text, Vec<Text>>)> {
    let mut by_type: BTreeMap<Text, Vec<Text>> = BTreeMap::new();
    for launcher in launchers.iter().filter(|launcher| launcher.evidence.file.starts_with(folder)) {
        for kind in &launcher.mime_types {
            by_type.entry(kind.clone()).or_default().push(launcher.id.clone());
        }
    }
    by_type.values_mut().for_each(|list| list.sort());
    (!by_type.is_empty()).then(|| (format!("{folder}, MimeType of each launcher").into(), by_type))
}

/// `usr/share/mime/subclasses`: `type parent` a line; every other text type is at least plain text.
fn parents(tree: &dyn Tree) -> BTreeMap<Text, Vec<Text>> {
    let mut parents: BTreeMap<Text, Vec<Text>> = BTreeMap::new();
    for (kind, parent) in pairs(tree, "usr/share/mime/subclasses") {
        parents.entry(kind).or_default().push(parent);
    }
    parents
}

/// The first two words of each line.
fn pairs(tree: &dyn Tree, file: &str) -> impl Iterator<Item = (Text, Text)> {
    let bytes = tree.read(file).unwrap_or_default();
    let pair = |line: &[u8]| {
        let mut words = line.split(|b| *b == b' ').filter(|word| !word.is_empty());
        Some((text(words.next()?), text(words.next()?)))
    };
    let pairs: Vec<(Text, Text)> = lines(&bytes).filter_map(|(_, line)| pair(line)).collect();
    pairs.into_iter()
}

fn alternative(tree: &dyn Tree, link: &Text) -> Option<(Text, Text)> {
    let target = tree.read_link(Path::new(&format!("etc/alternatives/{link}"))).ok()?;
    Some((link.clone(), text(target.as_os_str().as_bytes())))
}

/// All programs behind a link, as update-alternatives(1) keeps them, by falling priority.
///
/// `var/lib/dpkg/alternatives/NAME`: the mode; the link; pairs of lines for slaves up to an empty one; then for each program
/// its path, its priority, and a line for each slave.
fn alternatives(tree: &dyn Tree, link: &Text) -> Vec<Text> {
    let bytes = tree.read(format!("var/lib/dpkg/alternatives/{link}")).unwrap_or_default();
    let all: Vec<&[u8]> = lines(&bytes).map(|(_, line)| line).collect();
    let Some(divider) = all.iter().skip(2).position(|line| line.is_empty()) else { return Vec::new() };
    let slaves = divider / 2;
    let mut programs: Vec<(i64, Text)> = all[divider + 3..]
        .chunks(2 + slaves)
        .filter_map(|one| Some((std::str::from_utf8(one.get(1)?).ok()?.trim().parse().ok()?, text(one[0]))))
        .collect();
    programs.sort_by_key(|(priority, _)| std::cmp::Reverse(*priority));
    programs.into_iter().map(|(_, program)| program).collect()
}
