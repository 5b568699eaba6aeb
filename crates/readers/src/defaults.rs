//! What decides which application opens a type: `mimeapps.list` files, caches, parent types, alternatives.
//! See `docs/formats/mimeapps.md`.

use crate::keyfile::KeyFile;
use crate::settings::NewUser;
use crate::text::{lines, text};
use std::collections::BTreeMap;
use std::os::unix::ffi::OsStrExt;
use std::path::Path;
use tally_core::derive::{AssociationList, Associations, LauncherTypes};
use tally_core::knowledge::{Roles, desktops};
use tally_core::model::{Launcher, Text, Unread};
use tally_trees::Tree;

/// Folders of data, in the order of precedence for a new user.
const DATA: &[&str] = &[
    "etc/skel/.local/share/applications",
    "var/lib/flatpak/exports/share/applications",
    "usr/local/share/applications",
    "usr/share/applications",
    "nix/var/nix/profiles/system/sw/share/applications",
    "var/guix/profiles/system/profile/share/applications",
    "var/lib/snapd/desktop/applications",
];

/// Reads all of it, for a new user in the session that starts.
pub(crate) fn read(
    tree: &dyn Tree,
    user: &NewUser<'_>,
    launchers: &[Launcher],
    roles: &Roles,
) -> (Associations, Vec<Unread>) {
    let mut associations = Associations::default();
    let mut unread = Vec::new();
    for folder in user.config.iter().map(String::as_str).chain(DATA.iter().copied()) {
        let own = user.desktops.iter().map(|desktop| format!("{}-mimeapps.list", desktop.to_lowercase()));
        for name in own.chain(["mimeapps.list".to_owned(), "defaults.list".to_owned()]) {
            let file = format!("{folder}/{name}");
            if let Ok(bytes) = tree.read(&file) {
                let (mut list, problems) = association_list(&file, &bytes);
                // The specification lets a desktop's own list set defaults, and no more.
                if name.ends_with("-mimeapps.list") {
                    (list.added, list.removed) = (BTreeMap::new(), BTreeMap::new());
                }
                associations.lists.push(list);
                unread.extend(problems);
            }
        }
        if !DATA.contains(&folder) {
            continue;
        }
        let after = associations.lists.len();
        let file = format!("{folder}/mimeinfo.cache");
        match tree.read(&file) {
            Ok(bytes) => {
                let parsed = KeyFile::parse(&file, &bytes);
                let launchers = group(&parsed, "MIME Cache");
                associations.caches.push(LauncherTypes { file: file.into(), launchers, after });
                unread.extend(parsed.unread);
            }
            Err(_) => associations.caches.extend(what_launchers_say(folder, launchers, after)),
        }
    }
    associations.parents = parents(tree);
    associations.aliases = pairs(tree, "aliases").collect();
    associations.alternatives = roles.alternatives().filter_map(|link| alternative(tree, link)).collect();
    associations.others =
        associations.alternatives.keys().map(|link| (link.clone(), alternatives(tree, link))).collect();
    if let Some(desktop) = user.desktop() {
        for place in desktops().jobs(desktop) {
            if let (Some(role), Some((value, file))) = (&place.role, user.value(place, None)) {
                associations.set.entry(role.clone()).or_default().push((value, file.map(Text::from)));
            }
        }
        associations.built_in.clone_from(&desktop.built_in);
        associations.by_preference = desktop.by_preference;
    }
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
fn what_launchers_say(folder: &str, launchers: &[Launcher], after: usize) -> Option<LauncherTypes> {
    let mut by_type: BTreeMap<Text, Vec<Text>> = BTreeMap::new();
    for launcher in launchers.iter().filter(|launcher| launcher.evidence.file.starts_with(folder)) {
        for kind in &launcher.mime_types {
            by_type.entry(kind.clone()).or_default().push(launcher.id.clone());
        }
    }
    by_type.values_mut().for_each(|list| list.sort());
    let file = format!("{folder}/").into();
    (!by_type.is_empty()).then_some(LauncherTypes { file, launchers: by_type, after })
}

/// `subclasses` of the database of types: `type parent` a line; every other text type is at least plain text.
fn parents(tree: &dyn Tree) -> BTreeMap<Text, Vec<Text>> {
    let mut parents: BTreeMap<Text, Vec<Text>> = BTreeMap::new();
    for (kind, parent) in pairs(tree, "subclasses") {
        parents.entry(kind).or_default().push(parent);
    }
    parents
}

/// Where the database of types is: the system's, and that of FreeBSD's packages and of what was built on the spot.
const TYPES: [&str; 2] = ["usr/share/mime", "usr/local/share/mime"];

/// The first two words of each line of a file of the database of types.
fn pairs(tree: &dyn Tree, file: &str) -> impl Iterator<Item = (Text, Text)> {
    let pair = |line: &[u8]| {
        let mut words = line.split(|b| *b == b' ').filter(|word| !word.is_empty());
        Some((text(words.next()?), text(words.next()?)))
    };
    let mut pairs: Vec<(Text, Text)> = Vec::new();
    for folder in TYPES {
        let bytes = tree.read(format!("{folder}/{file}")).unwrap_or_default();
        pairs.extend(lines(&bytes).filter_map(|(_, line)| pair(line)));
    }
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

#[cfg(test)]
mod tests {
    use super::*;
    use tally_trees::MemoryTree;

    fn lists_of(tree: &MemoryTree, desktops: &[&str]) -> Associations {
        let desktops: Vec<Text> = desktops.iter().map(|desktop| (*desktop).into()).collect();
        let tree: &dyn Tree = tree;
        let facts = crate::launchers::read(tree, &desktops);
        let mut user = NewUser::of(tree, None, &[]);
        user.desktops = desktops;
        read(tree, &user, &facts.launchers, &Roles::default()).0
    }

    #[test]
    fn the_database_of_types_of_packages_in_usr_local_counts_as_well() {
        let tree = MemoryTree::new()
            .file("usr/local/share/mime/aliases", "text/x-reed text/reed\n")
            .file("usr/local/share/mime/subclasses", "text/reed text/plain\n")
            .file("usr/share/mime/subclasses", "text/html text/xml\n");
        assert_eq!(pairs(&tree, "aliases").collect::<Vec<_>>(), [("text/x-reed".into(), "text/reed".into())]);
        let parents = parents(&tree);
        assert!(parents.contains_key("text/reed") && parents.contains_key("text/html"), "{parents:?}");
    }

    #[test]
    fn lists_and_launchers_stand_in_the_order_of_their_folders() {
        let list = "[Default Applications]\ntext/plain=a.desktop;b.desktop\n[Removed Associations]\ntext/html=c.desktop;\n";
        let entry = "[Desktop Entry]\nType=Application\nName=X\nExec=x\nMimeType=text/plain;text/html;\n";
        let tree = MemoryTree::new()
            .file("usr/share/applications/mimeapps.list", list)
            .file("usr/share/applications/mimeinfo.cache", "[MIME Cache]\ntext/plain=b.desktop;x.desktop;\n")
            .file("etc/xdg/mimeapps.list", list)
            .file("etc/xdg/weir-mimeapps.list", list)
            .file("etc/xdg/other-mimeapps.list", list)
            .file("etc/skel/.config/mimeapps.list", list)
            .file("usr/local/share/applications/y.desktop", entry)
            .file("usr/local/share/applications/x.desktop", entry)
            .file("usr/share/mime/aliases", "text/x-plain text/plain\nodd\n")
            .file("usr/share/mime/subclasses", "text/html text/plain\ntext/html text/xml\n");
        let read = lists_of(&tree, &["Weir"]);
        let files: Vec<&str> = read.lists.iter().map(|list| list.file.as_str()).collect();
        assert_eq!(
            files,
            [
                "etc/skel/.config/mimeapps.list",
                "etc/xdg/weir-mimeapps.list",
                "etc/xdg/mimeapps.list",
                "usr/share/applications/mimeapps.list",
            ]
        );
        assert_eq!(read.lists[0].defaults["text/plain"], ["a.desktop", "b.desktop"]);
        assert_eq!(read.lists[0].removed["text/html"], ["c.desktop"]);
        assert_eq!(read.lists[1].defaults["text/plain"], ["a.desktop", "b.desktop"]);
        assert!(read.lists[1].removed.is_empty(), "a desktop's own list only sets defaults");
        let caches: Vec<(&str, usize)> =
            read.caches.iter().map(|cache| (cache.file.as_str(), cache.after)).collect();
        assert_eq!(
            caches,
            [("usr/local/share/applications/", 3), ("usr/share/applications/mimeinfo.cache", 4),]
        );
        assert_eq!(read.caches[0].launchers["text/html"], ["x.desktop", "y.desktop"]);
        assert_eq!(read.aliases["text/x-plain"], "text/plain");
        assert_eq!(read.parents["text/html"], ["text/plain", "text/xml"]);
    }

    #[test]
    fn alternatives_are_known_with_all_that_stand_behind_them() {
        let roles = Roles::built_in().unwrap();
        let link = roles.alternatives().next().unwrap().to_string();
        let kept = format!(
            "auto\n/usr/bin/{link}\n{link}.1.gz\n/usr/share/man/man1/{link}.1.gz\n\n/usr/bin/low\n10\n\n/usr/bin/high\n50\n/usr/share/man/high.gz\n\n"
        );
        let tree = MemoryTree::new()
            .link(format!("etc/alternatives/{link}"), "/usr/bin/low")
            .file(format!("var/lib/dpkg/alternatives/{link}"), kept);
        let (read, unread) = read(&tree, &NewUser::of(&tree, None, &[]), &[], &roles);
        assert_eq!(read.alternatives[link.as_str()], "/usr/bin/low");
        assert_eq!(read.others[link.as_str()], ["/usr/bin/high", "/usr/bin/low"]);
        assert!(unread.is_empty());
    }
}
