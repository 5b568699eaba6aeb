//! Services of the init systems beside systemd: OpenRC, runit, dinit, s6, FreeBSD's rc, Slackware's rc.d.

use crate::text::{filled, lines, name_text, text};
use std::collections::BTreeMap;
use std::path::Path;
use tally_core::model::{Evidence, Reduced, Scope, StartupItem, StartupKind, Text};
use tally_trees::{NodeKind, Tree};

/// All services that start with the system.
pub(super) fn read(tree: &dyn Tree) -> Vec<StartupItem> {
    let mut items = openrc(tree);
    items.extend(runit(tree));
    items.extend(dinit(tree));
    items.extend(s6(tree));
    items.extend(rc_conf(tree));
    items.extend(slackware(tree));
    items
}

fn item(name: &str, file: String, runs: Option<Text>, says: Option<Text>) -> StartupItem {
    StartupItem {
        phase: tally_core::model::Phase::Shipped,
        kind: StartupKind::Unit,
        name: name.into(),
        scope: Scope::System,
        enabled: true,
        runs: runs.map(|line| Reduced::command(&line)),
        says: says.map(|text| Reduced::value(&text)),
        package: None,
        off_because: None,
        evidence: Evidence::file(file),
    }
}

/// The value of the first `key=value` line of a shell script or of settings, without quotes.
fn setting(bytes: &[u8], key: &str) -> Option<Text> {
    let value = lines(bytes)
        .find_map(|(_, line)| line.trim_ascii().strip_prefix(key.as_bytes())?.strip_prefix(b"="))?;
    let value = text(value);
    let quote = value.chars().next().filter(|c| matches!(c, '"' | '\''));
    match quote {
        Some(quote) => filled(value[1..].split(quote).next().unwrap_or_default().into()),
        None => filled(value.split([' ', '#']).next().unwrap_or_default().into()),
    }
}

/// OpenRC: links in the folders of the run levels that are gone through when the machine starts.
fn openrc(tree: &dyn Tree) -> Vec<StartupItem> {
    const LEVELS: &str = "etc/runlevels";
    let mut found: BTreeMap<Text, StartupItem> = BTreeMap::new();
    for level in tree.names(LEVELS) {
        let level = name_text(&level.name);
        if level == "shutdown" {
            continue;
        }
        for entry in tree.names(format!("{LEVELS}/{level}")) {
            let name = name_text(&entry.name);
            let file = format!("etc/init.d/{name}");
            // A link that leads nowhere starts nothing.
            let Ok(bytes) = tree.read(&file) else { continue };
            let one = item(&name, file, setting(&bytes, "command"), setting(&bytes, "description"));
            found.entry(name).or_insert(one);
        }
    }
    found.into_values().collect()
}

/// runit: links in the folder of the services that are kept running; a file `down` holds one back.
fn runit(tree: &dyn Tree) -> Vec<StartupItem> {
    let folder = ["etc/runit/runsvdir/default", "etc/service", "var/service"];
    let Some(folder) = folder.iter().find(|folder| !tree.names(folder).is_empty()) else { return Vec::new() };
    let mut items = Vec::new();
    for entry in tree.names(folder) {
        let name = name_text(&entry.name);
        let place = format!("{folder}/{name}");
        let Ok(bytes) = tree.read(format!("{place}/run")) else { continue };
        let exec = lines(&bytes).filter_map(|(_, line)| line.trim_ascii().strip_prefix(b"exec ")).last();
        let own = format!("etc/sv/{name}/run");
        let file = if tree.exists(&own) { own } else { format!("{place}/run") };
        let mut one = item(&name, file, exec.map(text), None);
        if tree.exists(format!("{place}/down")) {
            (one.enabled, one.off_because) = (false, Some("down".into()));
        }
        items.push(one);
    }
    items
}

/// dinit (dinit-service(5)): what the service `boot` waits for, which are the names in its folder `boot.d`.
fn dinit(tree: &dyn Tree) -> Vec<StartupItem> {
    const FOLDERS: &[&str] = &["etc/dinit.d", "usr/local/lib/dinit.d", "usr/lib/dinit.d", "lib/dinit.d"];
    let mut found: BTreeMap<Text, StartupItem> = BTreeMap::new();
    for entry in FOLDERS.iter().flat_map(|folder| tree.names(format!("{folder}/boot.d"))) {
        let name = name_text(&entry.name);
        let files = FOLDERS.iter().map(|folder| format!("{folder}/{name}"));
        let Some((file, bytes)) =
            files.filter_map(|file| tree.read(&file).ok().map(|bytes| (file, bytes))).next()
        else {
            continue;
        };
        // Settings are `key = value`, a colon for lists.
        let command = lines(&bytes).find_map(|(_, line)| {
            let line = text(line);
            let (key, value) = line.split_once('=')?;
            (key.trim() == "command").then(|| filled(value.trim().into())).flatten()
        });
        found.entry(name.clone()).or_insert_with(|| item(&name, file, command, None));
    }
    found.into_values().collect()
}

/// s6 with s6-rc: what the bundle `default` of the administrator contains, each a file of that name.
fn s6(tree: &dyn Tree) -> Vec<StartupItem> {
    let mut items = Vec::new();
    for entry in tree.names("etc/s6/adminsv/default/contents.d") {
        let name = name_text(&entry.name);
        // A name may be that of a bundle, whose daemon has an ending.
        let folders = [format!("etc/s6/sv/{name}"), format!("etc/s6/sv/{name}-srv")];
        let Some(folder) = folders.into_iter().find(|folder| tree.is_folder(folder)) else { continue };
        let run = format!("{folder}/run");
        let file = if tree.exists(&run) { run } else { format!("{folder}/type") };
        items.push(item(&name, file, None, None));
    }
    items
}

/// FreeBSD: `NAME_enable=YES`, and a script of that name. What is set later wins.
fn rc_conf(tree: &dyn Tree) -> Vec<StartupItem> {
    const SCRIPTS: &[&str] = &["usr/local/etc/rc.d", "etc/rc.d"];
    let mut files: Vec<String> =
        ["etc/defaults/rc.conf", "etc/rc.conf", "etc/rc.conf.local"].map(str::to_owned).to_vec();
    for folder in ["etc/rc.conf.d", "usr/local/etc/rc.conf.d"] {
        files.extend(tree.names(folder).iter().map(|entry| format!("{folder}/{}", name_text(&entry.name))));
    }
    let mut switches: BTreeMap<Text, bool> = BTreeMap::new();
    for bytes in files.iter().filter_map(|file| tree.read(file).ok()) {
        for (_, line) in lines(&bytes) {
            let line = text(line);
            let Some((key, value)) = line.split_once('=') else { continue };
            let Some(name) = key.trim().strip_suffix("_enable") else { continue };
            let value =
                value.trim_matches(['"', '\'']).split(['"', '\'', ' ', '#']).next().unwrap_or_default();
            let on = ["yes", "true", "on", "1"].iter().any(|yes| value.eq_ignore_ascii_case(yes));
            switches.insert(name.into(), on);
        }
    }
    let mut items = Vec::new();
    for name in switches.into_iter().filter(|(_, on)| *on).map(|(name, _)| name) {
        // A name of the shell has no hyphens; the script may.
        let names = [name.to_string(), name.replace('_', "-")];
        let files =
            names.iter().flat_map(|name| SCRIPTS.iter().map(move |folder| format!("{folder}/{name}")));
        let Some((file, bytes)) =
            files.filter_map(|file| tree.read(&file).ok().map(|bytes| (file, bytes))).next()
        else {
            continue;
        };
        let shown = file.rsplit('/').next().unwrap_or(&name).to_owned();
        items.push(item(&shown, file, setting(&bytes, "command"), setting(&bytes, "desc")));
    }
    items
}

/// Slackware: scripts `rc.NAME` that may be run; those named by one letter or digit are the init itself.
fn slackware(tree: &dyn Tree) -> Vec<StartupItem> {
    const FOLDER: &str = "etc/rc.d";
    if !tree.exists("var/lib/pkgtools") && !tree.exists("var/log/packages") {
        return Vec::new();
    }
    let mut items = Vec::new();
    for entry in tree.names(FOLDER).into_iter().filter(|entry| entry.kind == NodeKind::File) {
        let file_name = name_text(&entry.name);
        let Some(name) = file_name.strip_prefix("rc.").filter(|name| name.len() > 1) else { continue };
        let file = format!("{FOLDER}/{file_name}");
        if tree.node(Path::new(&file), true).is_ok_and(|node| node.mode & 0o111 != 0) {
            items.push(item(name, file, None, None));
        }
    }
    items
}

#[cfg(test)]
mod tests {
    use super::*;
    use tally_trees::MemoryTree;

    #[test]
    fn each_init_system_is_asked_in_its_own_way() {
        let tree = MemoryTree::new()
            .file(
                "etc/init.d/rill",
                "#!/sbin/openrc-run\ndescription='Keeps water'\ncommand=/usr/sbin/rill # x\n",
            )
            .link("etc/runlevels/default/rill", "/etc/init.d/rill")
            .link("etc/runlevels/boot/rill", "/etc/init.d/rill")
            .link("etc/runlevels/shutdown/ebb", "/etc/init.d/rill")
            .file("etc/sv/spring/run", "#!/bin/sh\nexec 2>&1\nexec springd -n\n")
            .link("etc/runit/runsvdir/default/spring", "/etc/sv/spring")
            .file("etc/sv/pond/run", "#!/bin/sh\n")
            .file("etc/sv/pond/down", "")
            .link("etc/runit/runsvdir/default/pond", "/etc/sv/pond")
            .file(
                "etc/defaults/rc.conf",
                "sea_gate_enable=\"NO\" # off\ncron_enable=\"YES\"\nghost_enable=YES\n",
            )
            .file("etc/rc.conf", "sea_gate_enable=\"YES\"\n")
            .file("usr/local/etc/rc.d/sea-gate", "command=\"/usr/local/sbin/sea-gate\"\n")
            .file("etc/rc.d/cron", "")
            .file("etc/dinit.d/weird", "type = process\ncommand = /usr/bin/weird -f\n")
            .link("usr/lib/dinit.d/boot.d/weird", "/etc/dinit.d/weird")
            .link("etc/dinit.d/boot.d/gone", "../gone")
            .file("etc/s6/sv/brook-srv/run", "#!/bin/execlineb\n")
            .file("etc/s6/adminsv/default/contents.d/brook", "")
            .file("etc/s6/adminsv/default/contents.d/ghost", "");
        let said: Vec<(Text, bool, Option<Text>)> =
            read(&tree).into_iter().map(|one| (one.name, one.enabled, one.runs.map(Text::from))).collect();
        assert_eq!(
            said,
            [
                ("rill".into(), true, Some("/usr/sbin/rill".into())),
                ("pond".into(), false, None),
                ("spring".into(), true, Some("springd".into())),
                ("weird".into(), true, Some("/usr/bin/weird".into())),
                ("brook".into(), true, None),
                ("cron".into(), true, None),
                ("sea-gate".into(), true, Some("/usr/local/sbin/sea-gate".into())),
            ]
        );
    }
}
