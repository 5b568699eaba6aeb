//! Sessions that can be chosen at login, the desktop that each of them starts, and the one that starts when nothing is chosen.
//!
//! By the Desktop Entry Specification 1.5 for session files; see `docs/formats/sessions.md` for the rest.

mod command;
mod display_manager;

pub(crate) use command::config_folders_set_in;
pub(crate) use display_manager::Start;

use crate::keyfile::{Group, KeyFile};
use crate::text::name_text;
use command::Command;
use display_manager::start;
use tally_core::knowledge::desktops;
use tally_core::model::{Evidence, Session, Text};
use tally_trees::Tree;

const FOLDERS: &[(&str, &str)] = &[
    ("usr/share/wayland-sessions", "wayland"),
    ("usr/share/xsessions", "x11"),
    ("usr/local/share/wayland-sessions", "wayland"),
    ("usr/local/share/xsessions", "x11"),
    ("nix/var/nix/profiles/system/sw/share/wayland-sessions", "wayland"),
    ("nix/var/nix/profiles/system/sw/share/xsessions", "x11"),
    ("var/guix/profiles/system/profile/share/wayland-sessions", "wayland"),
    ("var/guix/profiles/system/profile/share/xsessions", "x11"),
];

/// Folders of programs, as a login has them.
pub(crate) const PROGRAMS: &[&str] = &[
    "usr/local/bin",
    "usr/bin",
    "bin",
    "usr/local/sbin",
    "usr/sbin",
    "usr/games",
    "nix/var/nix/profiles/system/sw/bin",
    "var/guix/profiles/system/profile/bin",
];

/// A session, with what its file says that only readers need.
pub(crate) struct SessionFile {
    /// What is told of it.
    pub(crate) session: Session,
    /// The command that starts it.
    command: Command,
}

/// All sessions, Wayland ones first, each folder by file name. Left out are hidden ones, and those whose program is missing.
pub(crate) fn read(tree: &dyn Tree) -> Vec<SessionFile> {
    let mut sessions = Vec::new();
    let programs_known = PROGRAMS.iter().any(|folder| !tree.names(folder).is_empty());
    for (folder, display) in FOLDERS {
        for entry in tree.names(folder) {
            let file = name_text(&entry.name);
            let Some(id) = file.strip_suffix(".desktop") else { continue };
            let path = format!("{folder}/{file}");
            let Ok(bytes) = tree.read(&path) else { continue };
            let parsed = KeyFile::parse(&path, &bytes);
            let Some(group) = parsed.group("Desktop Entry") else { continue };
            let missing = || group.string("TryExec").is_some_and(|program| !is_program(tree, &program));
            if group.is_true("Hidden") || group.is_true("NoDisplay") || programs_known && missing() {
                continue;
            }
            sessions.push(session(tree, id, display, group, path));
        }
    }
    sessions
}

fn session(tree: &dyn Tree, id: &str, display: &str, group: &Group, path: String) -> SessionFile {
    let command = Command::parse(&group.string("Exec").unwrap_or_default());
    let mut names = desktops_in(&group.list("DesktopNames"));
    let started = command.follow(tree);
    if names.is_empty() {
        names.clone_from(&started.names);
    }
    let known = names.iter().find_map(|name| desktops().named(name)).or(started.desktop);
    let session = Session {
        id: id.into(),
        name: group.string("Name").unwrap_or_else(|| id.into()),
        display: display.into(),
        desktop: known.map(|desktop| desktop.name.clone()).or_else(|| names.first().cloned()),
        desktops: names,
        package: None,
        evidence: Evidence::file(path),
    };
    SessionFile { session, command }
}

/// Whether a program is there: by its path, or in a folder of programs.
fn is_program(tree: &dyn Tree, program: &str) -> bool {
    match program.strip_prefix('/') {
        Some(path) => tree.exists(path),
        None => PROGRAMS.iter().any(|folder| tree.exists(format!("{folder}/{program}"))),
    }
}

/// Some files divide with colons, as the environment variable does.
fn desktops_in(values: &[Text]) -> Vec<Text> {
    values.iter().flat_map(|value| value.split(':')).filter(|name| !name.is_empty()).map(Text::from).collect()
}

/// All sessions, and the one that starts.
pub(crate) fn read_all(tree: &dyn Tree) -> (Vec<SessionFile>, Start) {
    let sessions = read(tree);
    let start = start(tree, &sessions);
    (sessions, start)
}

impl SessionFile {
    /// The scripts that it runs, one after another.
    pub(crate) fn scripts(&self, tree: &dyn Tree) -> Vec<Vec<u8>> {
        self.command.scripts(tree)
    }
}

/// The session that menus, defaults and looks are judged by: the one that starts, else the first that states its desktop.
pub(crate) fn judged_by<'a>(sessions: &'a [SessionFile], start: &Start) -> Option<&'a SessionFile> {
    let named = |file: &&SessionFile| !file.session.desktops.is_empty();
    let starts = |file: &&SessionFile| {
        let session = &file.session;
        start.session.as_ref() == Some(&session.id) && start.display.as_ref() == Some(&session.display)
    };
    sessions.iter().find(|file| starts(file) && named(file)).or_else(|| sessions.iter().find(named))
}

/// Fills in by its package what a session's file and command do not tell.
pub(crate) fn by_package(session: &mut Session) {
    let package = session.package.as_ref().map(|package| package.name());
    if let (None, Some(known)) = (&session.desktop, package.and_then(|name| desktops().of_package(name))) {
        session.desktop = Some(known.name.clone());
    }
}
