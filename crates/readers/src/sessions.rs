//! Sessions that can be chosen at login: `usr/share/xsessions`, `usr/share/wayland-sessions`.

use crate::keyfile::KeyFile;
use crate::text::name_text;
use tally_core::model::{Evidence, Session, Text};
use tally_trees::Tree;

const FOLDERS: &[(&str, &str)] = &[
    ("usr/share/wayland-sessions", "wayland"),
    ("usr/share/xsessions", "x11"),
    ("usr/local/share/wayland-sessions", "wayland"),
    ("usr/local/share/xsessions", "x11"),
];

/// All sessions, Wayland ones first, each folder by file name. Hidden ones are left out.
pub(crate) fn read(tree: &dyn Tree) -> Vec<Session> {
    let mut sessions = Vec::new();
    for (folder, display) in FOLDERS {
        for entry in tree.names(folder) {
            let file = name_text(&entry.name);
            let Some(id) = file.strip_suffix(".desktop") else { continue };
            let path = format!("{folder}/{file}");
            let Ok(bytes) = tree.read(&path) else { continue };
            let parsed = KeyFile::parse(&path, &bytes);
            let Some(group) = parsed.group("Desktop Entry") else { continue };
            if group.is_true("Hidden") || group.is_true("NoDisplay") {
                continue;
            }
            sessions.push(Session {
                id: id.into(),
                name: group.string("Name").unwrap_or_else(|| id.into()),
                display: (*display).into(),
                desktops: desktops(&group.list("DesktopNames")),
                package: None,
                evidence: Evidence::file(path),
            });
        }
    }
    sessions
}

/// Some files divide with colons, as the environment variable does.
fn desktops(values: &[Text]) -> Vec<Text> {
    values.iter().flat_map(|value| value.split(':')).filter(|name| !name.is_empty()).map(Text::from).collect()
}

/// The values of `XDG_CURRENT_DESKTOP` that menus and defaults are judged against: those of the session given by
/// name, else of the first session that states any.
pub(crate) fn current_desktops(sessions: &[Session], default: Option<&str>) -> Vec<Text> {
    let chosen = sessions.iter().find(|s| Some(s.id.as_str()) == default && !s.desktops.is_empty());
    let first = || sessions.iter().find(|s| !s.desktops.is_empty());
    chosen.or_else(first).map(|s| s.desktops.clone()).unwrap_or_default()
}
