//! What runs without being asked: enabled units, services of other init systems, and autostart entries. See
//! `docs/formats/startup.md`.

mod autostart;
mod condition;
mod scripts;
mod sysv;

use crate::keyfile::KeyFile;
use crate::settings::NewUser;
use crate::text::{name_text, text};
use std::collections::BTreeSet;
use std::os::unix::ffi::OsStrExt;
use std::path::Path;
use tally_core::model::{Evidence, Reduced, Scope, StartupItem, StartupKind, Text, unit_name};
use tally_trees::{NodeKind, Tree};

/// Where unit files are, those that win first.
const UNIT_FOLDERS: &[&str] = &["etc/systemd", "usr/local/lib/systemd", "usr/lib/systemd", "lib/systemd"];

/// Reads all startup items; owners are filled later. `user` logs in to the session that starts.
pub(crate) fn read(tree: &dyn Tree, user: &NewUser<'_>) -> Vec<StartupItem> {
    let mut items = units(tree, "system", Scope::System);
    items.extend(units(tree, "user", Scope::User));
    items.extend(scripts::read(tree));
    items.extend(sysv::read(tree));
    items.extend(autostart::read(tree, user));
    items
}

/// Units that links below `etc/systemd` enable: by name in a `.wants`, `.requires` or `.upholds` folder, or by an alias.
fn units(tree: &dyn Tree, kind: &str, scope: Scope) -> Vec<StartupItem> {
    let configured = format!("etc/systemd/{kind}");
    let mut enabled: BTreeSet<Text> = BTreeSet::new();
    let mut masked: BTreeSet<Text> = BTreeSet::new();
    let mut own: BTreeSet<Text> = BTreeSet::new();
    for entry in tree.names(&configured) {
        let name = name_text(&entry.name);
        own.insert(name.clone());
        let path = format!("{configured}/{name}");
        match entry.kind {
            NodeKind::Folder
                if [".wants", ".requires", ".upholds"].iter().any(|ending| name.ends_with(ending)) =>
            {
                enabled.extend(tree.names(&path).iter().map(|link| name_text(&link.name)));
            }
            NodeKind::Link => {
                let Ok(target) = tree.read_link(Path::new(&path)) else { continue };
                let target = target.file_name().map(|name| text(name.as_bytes())).unwrap_or_default();
                if target == "null" {
                    masked.insert(name);
                } else if target != name {
                    enabled.insert(target);
                }
            }
            _ => {}
        }
    }
    let on = enabled.iter().filter(|unit| !masked.contains(*unit));
    // Of a hundred units hardly one lies in the first two folders: what is not there need not be tried.
    let folders: Vec<String> = UNIT_FOLDERS
        .iter()
        .map(|folder| format!("{folder}/{kind}"))
        .filter(|folder| tree.exists(folder))
        .collect();
    let paths = |unit: &Text| {
        let mut paths = Vec::new();
        for name in [Some(unit.to_string()), template(unit)].into_iter().flatten() {
            let may_lie = |folder: &&String| **folder != configured || own.contains(name.as_str());
            paths.extend(folders.iter().filter(may_lie).map(|folder| format!("{folder}/{name}")));
        }
        paths
    };
    on.filter_map(|unit| unit_item(tree, paths(unit), scope, unit)).collect()
}

/// The unit of which `NAME@INSTANCE.service` is an instance.
fn template(unit: &str) -> Option<String> {
    let (name, rest) = unit.split_once('@')?;
    let ending = rest.rsplit_once('.').map_or("service", |(_, ending)| ending);
    Some(format!("{name}@.{ending}"))
}

/// The path of a unit's file, whose name may say whose instance it is.
fn told_path(path: &str) -> String {
    path.rsplit_once('/')
        .map_or_else(|| path.to_owned(), |(folder, name)| format!("{folder}/{}", unit_name(name, false)))
}

/// An enabled unit, by the first of these files that is there. A link that leads nowhere starts nothing.
fn unit_item(tree: &dyn Tree, paths: Vec<String>, scope: Scope, unit: &Text) -> Option<StartupItem> {
    let (path, bytes) =
        paths.into_iter().find_map(|path| tree.read(&path).ok().map(|bytes| (path, bytes)))?;
    let parsed = KeyFile::parse(&path, &bytes);
    let get = |group: &str, key: &str| parsed.group(group).and_then(|group| group.get(key)).cloned();
    let kind = match unit.rsplit('.').next() {
        Some("timer") => StartupKind::Timer,
        Some("socket") => StartupKind::Socket,
        _ => StartupKind::Unit,
    };
    Some(StartupItem {
        phase: tally_core::model::Phase::Shipped,
        kind,
        name: unit_name(unit, false),
        scope,
        enabled: true,
        runs: get("Service", "ExecStart").map(|line| Reduced::command(&line)),
        says: get("Unit", "Description").map(|text| Reduced::value(&text)),
        package: None,
        off_because: None,
        evidence: Evidence::file(told_path(&path)),
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use tally_trees::MemoryTree;

    fn weir(tree: &MemoryTree) -> NewUser<'_> {
        let mut user = NewUser::of(tree, None, &[]);
        user.desktops = vec!["Weir".into()];
        user
    }

    #[test]
    fn links_below_etc_enable_units() {
        let unit = "[Unit]\nDescription=Rill\n[Service]\nExecStart=/usr/sbin/rill\n";
        let tree = MemoryTree::new()
            .file("usr/lib/systemd/system/rill.service", unit)
            .file("usr/lib/systemd/system/spring@.service", unit)
            .file("usr/lib/systemd/system/tide.timer", "[Timer]\n")
            .file("usr/lib/systemd/system/masked.service", unit)
            .file("usr/lib/systemd/system/gate.service", unit)
            .link(
                "etc/systemd/system/multi-user.target.wants/rill.service",
                "/lib/systemd/system/rill.service",
            )
            .link(
                "etc/systemd/system/multi-user.target.wants/spring@one.service",
                "/lib/systemd/system/spring@.service",
            )
            .link("etc/systemd/system/timers.target.wants/tide.timer", "/lib/systemd/system/tide.timer")
            .link(
                "etc/systemd/system/multi-user.target.wants/masked.service",
                "/lib/systemd/system/masked.service",
            )
            .link("etc/systemd/system/masked.service", "/dev/null")
            .link(
                "etc/systemd/system/multi-user.target.wants/gone.service",
                "/lib/systemd/system/gone.service",
            )
            .link("etc/systemd/system/display-manager.service", "/usr/lib/systemd/system/gate.service");
        let items = read(&tree as &dyn Tree, &NewUser::of(&tree, None, &[]));
        let said: Vec<(&str, StartupKind)> =
            items.iter().map(|item| (item.name.as_str(), item.kind)).collect();
        assert_eq!(
            said,
            [
                ("gate.service", StartupKind::Unit),
                ("rill.service", StartupKind::Unit),
                ("spring@….service", StartupKind::Unit),
                ("tide.timer", StartupKind::Timer),
            ]
        );
        assert_eq!(items[1].runs.as_deref(), Some("/usr/sbin/rill"));
    }

    #[test]
    fn a_unit_lies_where_the_first_folder_has_it() {
        let unit = |says: &str| format!("[Unit]\nDescription={says}\n");
        let wants = "etc/systemd/system/multi-user.target.wants";
        let tree = MemoryTree::new()
            .file("etc/systemd/system/own.service", unit("of the administrator"))
            .file("usr/lib/systemd/system/own.service", unit("of the package"))
            .file("usr/local/lib/systemd/system/near@.service", unit("local"))
            .file("lib/systemd/system/old.service", unit("before the merge"))
            .link(format!("{wants}/own.service"), "/lib/systemd/system/own.service")
            .link(format!("{wants}/near@x.service"), "/usr/local/lib/systemd/system/near@.service")
            .link(format!("{wants}/old.service"), "/lib/systemd/system/old.service");
        let items = read(&tree as &dyn Tree, &NewUser::of(&tree, None, &[]));
        let told: Vec<_> = items
            .iter()
            .map(|item| (item.name.as_str(), item.evidence.file.as_str(), item.says.as_deref()))
            .collect();
        assert_eq!(
            told,
            [
                ("near@….service", "usr/local/lib/systemd/system/near@.service", Some("local")),
                ("old.service", "lib/systemd/system/old.service", Some("before the merge")),
                ("own.service", "etc/systemd/system/own.service", Some("of the administrator")),
            ]
        );
    }

    #[test]
    fn autostart_entries_say_why_they_stay_off() {
        let tree = MemoryTree::new()
            .file("etc/xdg/autostart/a.desktop", "[Desktop Entry]\nName=A\nExec=a")
            .file("etc/xdg/autostart/b.desktop", "[Desktop Entry]\nName=B\nOnlyShowIn=Other;")
            .file("etc/skel/.config/autostart/a.desktop", "[Desktop Entry]\nHidden=true");
        let items = read(&tree as &dyn Tree, &weir(&tree));
        let said: Vec<(&str, Option<&str>)> =
            items.iter().map(|i| (i.name.as_str(), i.off_because.as_deref())).collect();
        assert_eq!(said, [("a.desktop", Some("Hidden=true")), ("b.desktop", Some("OnlyShowIn=Other"))]);
        let tried = tree
            .file("bin/sh", "")
            .file("usr/local/bin/c", "")
            .file("etc/xdg/autostart/c.desktop", "[Desktop Entry]\nTryExec=c")
            .file("etc/xdg/autostart/d.desktop", "[Desktop Entry]\nTryExec=/usr/libexec/d");
        let items = read(&tried as &dyn Tree, &weir(&tried));
        let off = |name: &str| items.iter().find(|i| i.name == name).unwrap().off_because.as_deref();
        assert_eq!((off("c.desktop"), off("d.desktop")), (None, Some("TryExec=/usr/libexec/d")));
    }

    #[test]
    fn what_systemd_starts_by_its_own_units_is_not_counted_twice() {
        let tree = MemoryTree::new()
            .file(
                "etc/xdg/autostart/a.desktop",
                "[Desktop Entry]\nName=A\nExec=a\nX-GNOME-HiddenUnderSystemd=true\n",
            )
            .file("etc/xdg/autostart/b.desktop", "[Desktop Entry]\nName=B\nExec=b\nX-systemd-skip=true\n");
        let on = |tree: &MemoryTree, desktop: &str| {
            let mut user = NewUser::of(tree, None, &[]);
            user.desktops = vec![desktop.into()];
            read(tree, &user).iter().filter(|item| item.enabled).count()
        };
        assert_eq!((on(&tree, "GNOME"), on(&tree, "XFCE")), (2, 2), "there is no systemd");
        let tree = tree.file("usr/lib/systemd/systemd", "");
        assert_eq!((on(&tree, "GNOME"), on(&tree, "KDE"), on(&tree, "XFCE")), (0, 0, 2));
    }
}
