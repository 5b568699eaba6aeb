//! Launchers: desktop entries by the Desktop Entry Specification 1.5. See `docs/formats/desktop-entry.md`.

mod appstream;
mod exec;

use crate::keyfile::{Group, KeyFile};
use crate::packages::Embedded;
use crate::programs::Programs;
use crate::text::{filled, name_text};
pub(crate) use appstream::SystemRelease;
use exec::Exec;
use rayon::prelude::*;
use rustc_hash::FxHashSet;
use std::path::PathBuf;
use tally_core::knowledge::menu_of;
use tally_core::model::{
    Does, Evidence, HiddenBecause, HiddenBy, Launcher, Menu, PackageRef, Reduced, ReleaseHistory, System,
    Text, Unread,
};
use tally_trees::{NodeKind, Tree};

/// Folders of launchers, those that win first. A file of the same ID in a later folder is shadowed.
const FOLDERS: &[&str] = &[
    "etc/skel/.local/share/applications",
    "root/.local/share/applications",
    "var/lib/flatpak/exports/share/applications",
    "usr/local/share/applications",
    "usr/share/applications",
    "nix/var/nix/profiles/system/sw/share/applications",
    "var/guix/profiles/system/profile/share/applications",
    "var/lib/snapd/desktop/applications",
];

/// How deep folders of launchers may nest.
const DEPTH: usize = 4;

/// What was found in the folders of launchers.
#[derive(Debug, Default)]
pub struct LauncherFacts {
    /// Launchers by ID; owner and version are not filled yet.
    pub launchers: Vec<Launcher>,
    /// When versions of programs and parts came out, as they say themselves.
    pub releases: Vec<ReleaseHistory>,
    /// What the distribution says of its own releases.
    pub(crate) system_releases: Vec<SystemRelease>,
    /// Lines and files that could not be read.
    pub unread: Vec<Unread>,
    /// Whether the tree holds programs at all, so that a missing one can be told.
    pub programs_known: bool,
}

/// Reads all launchers, judged by the desktop names given (the values of `XDG_CURRENT_DESKTOP`).
pub fn read(tree: &dyn Tree, desktops: &[Text]) -> LauncherFacts {
    let mut folders: Vec<PathBuf> = homes(tree);
    folders.extend(FOLDERS.iter().map(PathBuf::from));
    let files: Vec<(Text, String)> = folders
        .iter()
        .flat_map(|folder| {
            let mut files = Vec::new();
            collect(tree, folder, &mut files);
            files.sort();
            files
        })
        .collect();
    let programs = Programs::of(tree);
    let read: Vec<(Option<Launcher>, Vec<Unread>)> =
        files.par_iter().map(|(id, path)| read_one(tree, id, path, desktops, &programs)).collect();
    let mut facts = LauncherFacts { programs_known: programs.known(), ..LauncherFacts::default() };
    let mut winners: FxHashSet<Text> = FxHashSet::default();
    for (launcher, unread) in read {
        facts.unread.extend(unread);
        let Some(mut launcher) = launcher else { continue };
        if !winners.insert(launcher.id.clone()) {
            launcher.shown = false;
            launcher.hidden_because = Some(HiddenBecause { by: HiddenBy::DuplicateId, value: None });
        }
        facts.launchers.push(launcher);
    }
    let components = appstream::assign(tree, &mut facts.launchers);
    (facts.releases, facts.system_releases) = (components.releases, components.system);
    facts.unread.extend(components.unread);
    facts
}

impl LauncherFacts {
    /// Adds the launchers that are inside packages, unless the menu has one of that ID already: what a sandbox exports
    /// when it is set up is the same launcher once more. Its program is not looked for: it is in the package too.
    pub fn embed(&mut self, embedded: Vec<Embedded>, desktops: &[Text]) {
        let mut known: FxHashSet<Text> = self.launchers.iter().map(|launcher| launcher.id.clone()).collect();
        for Embedded { id, file, bytes, owner, system } in embedded {
            if known.contains(&id) {
                continue;
            }
            let mut parsed = KeyFile::parse(&file, &bytes);
            self.unread.append(&mut parsed.unread);
            let Some(group) = parsed.group("Desktop Entry") else {
                self.unread.push(Unread::whole(file, "has no group `[Desktop Entry]`"));
                continue;
            };
            let mut launcher = launcher(&id, &file, group, desktops, &Programs::untold());
            launcher.package = Some(PackageRef::new(system, &owner));
            launcher.format = Some(system);
            known.insert(id);
            self.launchers.push(launcher);
        }
    }
}

fn homes(tree: &dyn Tree) -> Vec<PathBuf> {
    let folders = tree.names("home").into_iter().filter(|entry| entry.kind == NodeKind::Folder);
    folders.map(|entry| PathBuf::from("home").join(entry.name).join(".local/share/applications")).collect()
}

/// IDs and paths; a file in a folder below has the folder's name and a hyphen in its ID.
fn collect(tree: &dyn Tree, folder: &std::path::Path, files: &mut Vec<(Text, String)>) {
    for (path, _) in tree.files_below(folder, DEPTH) {
        if path.extension().is_none_or(|ending| ending != "desktop") {
            continue;
        }
        let Some(text) = path.to_str() else {
            tree.note(&path, "has a name that is not UTF-8");
            continue;
        };
        let below = path.strip_prefix(folder).unwrap_or(&path);
        let names: Vec<Text> = below.iter().map(name_text).collect();
        files.push((names.join("-").into(), text.to_owned()));
    }
}

fn read_one(
    tree: &dyn Tree,
    id: &Text,
    path: &str,
    desktops: &[Text],
    programs: &Programs<'_>,
) -> (Option<Launcher>, Vec<Unread>) {
    let bytes = match tree.read(path) {
        Ok(bytes) => bytes,
        Err(error) => return (None, vec![Unread::whole(path, error.why.to_string())]),
    };
    let mut parsed = KeyFile::parse(path, &bytes);
    let mut unread = std::mem::take(&mut parsed.unread);
    let Some(group) = parsed.group("Desktop Entry") else {
        unread.push(Unread::whole(path, "has no group `[Desktop Entry]`"));
        return (None, unread);
    };
    (Some(launcher(id, path, group, desktops, programs)), unread)
}

fn launcher(id: &Text, path: &str, group: &Group, desktops: &[Text], programs: &Programs<'_>) -> Launcher {
    let categories = group.list("Categories");
    let menu = menu_of(&categories);
    let exec = group.get("Exec").map(|line| Exec::parse(line)).unwrap_or_default();
    let url = exec.url.clone().or_else(|| group.string("URL"));
    let does = does(group, &exec, menu, url.as_deref());
    let program = exec.program.and_then(filled);
    // What a user calls a launcher of their own says something of them, and nothing of the install.
    let is_own = path.starts_with("home/") || path.starts_with("root/");
    let named = |key: &str| group.string(key).filter(|_| !is_own);
    let stand_in = || program.clone().filter(|_| is_own).unwrap_or_else(|| id.clone());
    let hidden_because = hidden_because(group, desktops, programs);
    let program_present = exec.command.as_deref().and_then(|command| programs.has(command));
    Launcher {
        phase: tally_core::model::Phase::Shipped,
        id: id.clone(),
        name: named("Name").unwrap_or_else(stand_in),
        generic_name: named("GenericName"),
        menu,
        categories,
        shown: hidden_because.is_none(),
        hidden_because,
        runs: program,
        does,
        url: url.map(|url| Reduced::address(&url)),
        program_present,
        package: None,
        version: None,
        format: format_of(group, path),
        mime_types: group.list("MimeType"),
        initial_preference: group.get("InitialPreference").and_then(|value| value.trim().parse().ok()),
        appstream: Vec::new(),
        evidence: Evidence::file(path),
    }
}

/// A launcher that a sandbox exported says so itself; native ones get their system from their owner.
fn format_of(group: &Group, path: &str) -> Option<System> {
    if group.get("X-Flatpak").is_some() || path.starts_with("var/lib/flatpak/") {
        Some(System::Flatpak)
    } else if group.get("X-SnapInstanceName").is_some() || path.starts_with("var/lib/snapd/") {
        Some(System::Snap)
    } else {
        None
    }
}

fn does(group: &Group, exec: &Exec, menu: Menu, url: Option<&str>) -> Does {
    let web = |url: &str| url.starts_with("http://") || url.starts_with("https://");
    match group.get("Type").map(|kind| kind.as_str()) {
        Some("Link") if url.is_some_and(web) => Does::WebPage,
        Some("Link" | "Directory") => Does::Link,
        _ if url.is_some_and(web) => Does::WebPage,
        _ if exec.opens => Does::Link,
        _ if menu == Menu::Settings => Does::SettingsPage,
        _ if exec.program.as_deref().is_some_and(ends_the_session) => Does::Action,
        _ => Does::Program,
    }
}

/// Programs that lock, log out or switch off.
fn ends_the_session(program: &str) -> bool {
    ["logout", "log-out", "shutdown", "poweroff", "lock-screen", "lockscreen", "xflock"]
        .iter()
        .any(|w| program.contains(w))
}

/// Why the menu leaves an entry out, by the specification's keys in the order that a menu asks them.
fn hidden_because(group: &Group, desktops: &[Text], programs: &Programs<'_>) -> Option<HiddenBecause> {
    let kind = group.get("Type").map_or("Application", |kind| kind.as_str());
    if !matches!(kind, "Application" | "Link") {
        return Some(HiddenBecause::key(HiddenBy::Type, kind));
    }
    for (key, by) in [("Hidden", HiddenBy::Hidden), ("NoDisplay", HiddenBy::NoDisplay)] {
        if group.is_true(key) {
            return Some(HiddenBecause::key(by, "true"));
        }
    }
    let here =
        |names: &[Text]| names.iter().any(|name| desktops.iter().any(|d| d.eq_ignore_ascii_case(name)));
    let only = group.list("OnlyShowIn");
    if !only.is_empty() && !here(&only) {
        return Some(HiddenBecause::key(HiddenBy::OnlyShowIn, only.join(";")));
    }
    let not = group.list("NotShowIn");
    if here(&not) {
        return Some(HiddenBecause::key(HiddenBy::NotShowIn, not.join(";")));
    }
    if let Some(tried) = group.string("TryExec").filter(|tried| programs.has(tried) == Some(false)) {
        return Some(HiddenBecause::key(HiddenBy::TryExec, tried));
    }
    let reserved =
        group.list("Categories").into_iter().find(|category| RESERVED.contains(&category.as_str()))?;
    Some(HiddenBecause::key(HiddenBy::ReservedCategory, reserved))
}

/// The reserved categories of the Desktop Menu Specification: what desktops look for by themselves.
const RESERVED: &[&str] = &["Screensaver", "TrayIcon", "Applet", "Shell"];

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use tally_trees::MemoryTree;

    fn read_entry(entry: &str) -> Launcher {
        let tree = MemoryTree::new()
            .file("usr/share/applications/marsh/x.desktop", format!("[Desktop Entry]\n{entry}"))
            .file("bin/sh", "")
            .file("usr/bin/inkcap", "");
        read(&tree as &dyn Tree, &["Weir".into()]).launchers.remove(0)
    }

    #[test]
    fn the_id_holds_the_folder() {
        let launcher = read_entry(
            "Type=Application\nName=Ink\nExec=inkcap %U\nCategories=Utility;\nMimeType=text/plain",
        );
        assert_eq!(launcher.id, "marsh-x.desktop");
        assert_eq!((launcher.runs.as_deref(), launcher.program_present), (Some("inkcap"), Some(true)));
        assert!(launcher.shown);
        assert_eq!(launcher.mime_types, ["text/plain"]);
    }

    #[test]
    fn what_hides_a_launcher_is_said() {
        for (entry, because) in [
            ("NoDisplay=true", Some((HiddenBy::NoDisplay, "true"))),
            ("Hidden=true\nNoDisplay=true", Some((HiddenBy::Hidden, "true"))),
            ("OnlyShowIn=Other;", Some((HiddenBy::OnlyShowIn, "Other"))),
            ("OnlyShowIn=weir;", None),
            ("NotShowIn=Weir;", Some((HiddenBy::NotShowIn, "Weir"))),
            ("TryExec=gone", Some((HiddenBy::TryExec, "gone"))),
            ("TryExec=/usr/bin/inkcap", None),
            ("Type=Service", Some((HiddenBy::Type, "Service"))),
            ("Categories=Screensaver;", Some((HiddenBy::ReservedCategory, "Screensaver"))),
            ("Categories=Utility;Applets;", None),
        ] {
            let expected = because.map(|(by, value)| HiddenBecause::key(by, value));
            assert_eq!(read_entry(entry).hidden_because, expected, "{entry}");
        }
    }

    #[test]
    fn what_it_does_is_told_from_how_it_starts() {
        for (entry, expected) in [
            ("Exec=inkcap", Does::Program),
            ("Exec=xdg-open https://marsh.example/help", Does::WebPage),
            ("Exec=lapwing --app=https://marsh.example", Does::WebPage),
            ("Type=Link\nURL=https://marsh.example", Does::WebPage),
            ("Type=Link\nURL=file:///usr/share/doc", Does::Link),
            ("Exec=xdg-open /usr/share/doc", Does::Link),
            ("Exec=weir-settings display\nCategories=Settings;", Does::SettingsPage),
            ("Exec=weir-logout", Does::Action),
        ] {
            assert_eq!(read_entry(entry).does, expected, "{entry}");
        }
    }

    #[test]
    fn the_first_folder_wins() {
        let tree =
            MemoryTree::new().file("usr/share/applications/x.desktop", "[Desktop Entry]\nName=System").file(
                "home/ann/.local/share/applications/x.desktop",
                "[Desktop Entry]\nName=Own\nExec=reed word",
            );
        let launchers = read(&tree as &dyn Tree, &[]).launchers;
        let shown: Vec<(&str, bool)> = launchers.iter().map(|l| (l.name.as_str(), l.shown)).collect();
        assert_eq!(shown, [("reed", true), ("System", false)], "what a user calls it is theirs");
        assert_eq!(launchers[0].program_present, None);
    }

    proptest! {
        #[test]
        fn any_bytes_will_do(bytes in prop::collection::vec(any::<u8>(), 0..200)) {
            let mut file = b"[Desktop Entry]\nExec=".to_vec();
            file.extend(bytes);
            read(&MemoryTree::new().file("usr/share/applications/x.desktop", file) as &dyn Tree, &[]);
        }
    }
}
