//! Scripts of the System V init, by the links of its run levels. systemd starts those that it has no unit for.

use super::UNIT_FOLDERS;
use crate::text::{filled, lines, name_text, text};
use std::collections::{BTreeMap, BTreeSet};
use tally_core::model::{Evidence, Reduced, Scope, StartupItem, StartupKind, Text};
use tally_trees::{NodeKind, Tree};

/// Run levels with several users; systemd takes all of them together.
const LEVELS: &[&str] = &["etc/rc2.d", "etc/rc3.d", "etc/rc4.d", "etc/rc5.d"];

/// Services that a run level with several users starts.
pub(super) fn read(tree: &dyn Tree) -> Vec<StartupItem> {
    // Its own table says whether this init rules; where it does not, systemd does.
    let rules = tree.exists("etc/inittab");
    let own = if rules { &["etc/rcS.d", "etc/rc2.d"] } else { LEVELS };
    let mut found: BTreeMap<Text, StartupItem> = BTreeMap::new();
    let mut seen: BTreeSet<Text> = BTreeSet::new();
    for entry in own.iter().flat_map(|level| tree.names(level)) {
        if entry.kind != NodeKind::Link {
            continue;
        }
        let link = name_text(&entry.name);
        // `S20name` starts, `K20name` stops.
        let Some(name) =
            link.strip_prefix('S').map(|rest| rest.trim_start_matches(|c: char| c.is_ascii_digit()))
        else {
            continue;
        };
        // Each stands in several levels.
        if !seen.insert(name.into()) || (!rules && has_unit(tree, name)) {
            continue;
        }
        let file = format!("etc/init.d/{name}");
        // A link that leads nowhere starts nothing.
        let Ok(bytes) = tree.read(&file) else { continue };
        let shown = if rules { name.into() } else { format!("{}.service", plain(name)) };
        let item = StartupItem {
            phase: tally_core::model::Phase::Shipped,
            kind: StartupKind::Unit,
            name: shown.into(),
            scope: Scope::System,
            enabled: true,
            runs: Some(Reduced::command(&format!("/{file}"))),
            says: described(&bytes).map(|text| Reduced::value(&text)),
            package: None,
            off_because: None,
            evidence: Evidence::file(file),
        };
        found.insert(name.into(), item);
    }
    found.into_values().collect()
}

/// Whether systemd knows a unit of that name; one that is masked counts as well, and so the script is not run.
fn has_unit(tree: &dyn Tree, name: &str) -> bool {
    let stands = |name: &str| {
        let here =
            |folder: &&str| tree.node(format!("{folder}/system/{name}.service").as_ref(), false).is_ok();
        UNIT_FOLDERS.iter().any(here)
    };
    stands(name) || stands(plain(name))
}

/// The name of the unit that systemd makes of a script (systemd-sysv-generator(8)).
fn plain(name: &str) -> &str {
    name.strip_suffix(".sh").unwrap_or(name)
}

/// The `Short-Description` of the header by the Linux Standard Base.
fn described(bytes: &[u8]) -> Option<Text> {
    let value = lines(bytes).find_map(|(_, line)| {
        line.trim_ascii().strip_prefix(b"#")?.trim_ascii().strip_prefix(b"Short-Description:")
    })?;
    filled(text(value.trim_ascii()))
}

#[cfg(test)]
mod tests {
    use super::*;
    use tally_trees::MemoryTree;

    fn scripts() -> MemoryTree {
        let script = "#!/bin/sh\n### BEGIN INIT INFO\n# Provides: rill\n# Short-Description: Runs downhill\n### END INIT INFO\n";
        MemoryTree::new()
            .file("etc/init.d/rill", script)
            .file("etc/init.d/spring", "")
            .file("etc/init.d/masked", "")
            .file("etc/init.d/mount", "")
            .link("etc/rc5.d/S01rill", "../init.d/rill")
            .link("etc/rc2.d/S20rill", "../init.d/rill")
            .link("etc/rc5.d/S01spring", "../init.d/spring")
            .link("etc/rc5.d/K01ebb", "../init.d/rill")
            .link("etc/rc5.d/S01gone", "../init.d/gone")
            .link("etc/rc5.d/S01masked", "../init.d/masked")
            .link("etc/rcS.d/S01mount", "../init.d/mount")
            .link("lib/systemd/system/masked.service", "/dev/null")
            .file("usr/lib/systemd/system/spring.service", "[Unit]\n")
            .file("etc/init.d/spring.sh", "")
            .link("etc/rc5.d/S01spring.sh", "../init.d/spring.sh")
    }

    #[test]
    fn systemd_starts_scripts_that_it_has_no_unit_for() {
        let items = read(&scripts() as &dyn Tree);
        let told: Vec<_> = items.iter().map(|item| (item.name.as_str(), item.says.as_deref())).collect();
        assert_eq!(told, [("rill.service", Some("Runs downhill"))]);
        assert_eq!(items[0].evidence.file, "etc/init.d/rill");
    }

    #[test]
    fn where_the_old_init_rules_its_own_level_counts() {
        let items = read(&scripts().file("etc/inittab", "id:2:initdefault:\n") as &dyn Tree);
        let told: Vec<_> = items.iter().map(|item| item.name.as_str()).collect();
        assert_eq!(told, ["mount", "rill"]);
    }
}
