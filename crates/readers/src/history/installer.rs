//! Records that installers leave: the surest sign of the day an install was made.

use crate::text::name_text;
use std::path::Path;
use tally_core::model::Evidence;
use tally_trees::{NodeKind, Tree};

/// Folders and files that installers write, and nobody afterwards.
const RECORDS: &[&str] = &[
    "var/log/installer",
    "var/log/anaconda",
    "root/anaconda-ks.cfg",
    "var/log/Calamares.log",
    "var/log/calamares.log",
    "var/log/YaST2/y2start.log",
    "var/log/agama-installation",
    "var/log/archinstall",
    "var/log/bsdinstall_log",
    "var/log/setup",
];

/// When the installer wrote: first and last moment in seconds since 1970 UTC, and what was written last.
pub(super) fn read(tree: &dyn Tree) -> Option<(i64, i64, Evidence)> {
    let mut times: Vec<(i64, String)> = Vec::new();
    let mut add = |path: String| {
        let node = tree.node(Path::new(&path), false).ok().filter(|node| node.kind == NodeKind::File);
        // A time in the first year was never set.
        times.extend(node.filter(|node| node.changed_at > 365 * 86_400).map(|node| (node.changed_at, path)));
    };
    for record in RECORDS {
        if tree.is_folder(record) {
            tree.names(record).iter().for_each(|entry| add(format!("{record}/{}", name_text(&entry.name))));
        } else {
            add((*record).to_owned());
        }
    }
    let first = times.iter().map(|(at, _)| *at).min()?;
    let (last, file) = times.into_iter().max()?;
    Some((first, last, Evidence::file(file)))
}
