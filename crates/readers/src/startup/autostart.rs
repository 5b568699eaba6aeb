//! Entries that a session starts, by the Desktop Application Autostart Specification.

use super::condition;
use crate::keyfile::{Group, KeyFile};
use crate::programs::Programs;
use crate::settings::NewUser;
use crate::text::name_text;
use rustc_hash::FxHashSet;
use tally_core::model::{Evidence, Reduced, Scope, StartupItem, StartupKind, Text};
use tally_trees::Tree;

/// Entries of all folders; the first file of a name wins.
pub(super) fn read(tree: &dyn Tree, user: &NewUser<'_>) -> Vec<StartupItem> {
    let programs = Programs::of(tree);
    let mut items: Vec<StartupItem> = Vec::new();
    let mut seen: FxHashSet<Text> = FxHashSet::default();
    for folder in user.config.iter().map(|folder| format!("{folder}/autostart")) {
        for entry in tree.names(&folder) {
            let name = name_text(&entry.name);
            let path = format!("{folder}/{name}");
            if !name.ends_with(".desktop") || seen.contains(&name) {
                continue;
            }
            let Ok(bytes) = tree.read(&path) else { continue };
            let parsed = KeyFile::parse(&path, &bytes);
            let Some(group) = parsed.group("Desktop Entry") else { continue };
            let off_because = off_because(group, user, &programs);
            seen.insert(name.clone());
            items.push(StartupItem {
                phase: tally_core::model::Phase::Shipped,
                kind: StartupKind::Autostart,
                name,
                scope: Scope::Session,
                enabled: off_because.is_none(),
                runs: group.string("Exec").map(|line| Reduced::command(&line)),
                says: group.string("Name").map(|name| Reduced::value(&name)),
                package: None,
                off_because: off_because.map(|because| Reduced::value(&because)),
                evidence: Evidence::file(path),
            });
        }
    }
    items
}

/// Why a session of these desktops does not start an entry, by the Desktop Application Autostart Specification.
fn off_because(group: &Group, user: &NewUser<'_>, programs: &Programs<'_>) -> Option<Text> {
    if group.is_true("Hidden") {
        return Some("Hidden=true".into());
    }
    if group.get("X-GNOME-Autostart-enabled").is_some_and(|value| value == "false") {
        return Some("X-GNOME-Autostart-enabled=false".into());
    }
    // systemd starts it by a unit of its own.
    let taken_over =
        ["X-GNOME-HiddenUnderSystemd", "X-systemd-skip"].into_iter().find(|key| group.is_true(key));
    if let Some(key) = taken_over.filter(|_| user.is_run_by_systemd()) {
        return Some(format!("{key}=true").into());
    }
    let here =
        |names: &[Text]| names.iter().any(|name| user.desktops.iter().any(|d| d.eq_ignore_ascii_case(name)));
    let (only, not) = (group.list("OnlyShowIn"), group.list("NotShowIn"));
    if !only.is_empty() && !here(&only) {
        return Some(format!("OnlyShowIn={}", only.join(";")).into());
    }
    if here(&not) {
        return Some(format!("NotShowIn={}", not.join(";")).into());
    }
    if let Some(tried) = group.string("TryExec").filter(|tried| programs.has(tried) == Some(false)) {
        return Some(format!("TryExec={tried}").into());
    }
    let holds = |key: &str, holds: fn(&NewUser<'_>, &str) -> bool| {
        group.get(key).filter(|condition| !holds(user, condition)).map(|c| Text::from(format!("{key}={c}")))
    };
    holds("AutostartCondition", condition::holds)
        .or_else(|| holds("X-KDE-autostart-condition", condition::holds_of_rc_file))
}
