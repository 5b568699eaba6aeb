//! Records that installers leave: the surest sign of the day an install was made.

use crate::text::name_text;
use std::path::Path;
use tally_core::model::Evidence;
use tally_trees::{NodeKind, Tree};

/// Folders and files that installers write, those first that nobody edits afterwards.
const RECORDS: &[&str] = &[
    "var/log/installer",
    "var/log/anaconda",
    "var/log/Calamares.log",
    "var/log/calamares.log",
    "var/log/YaST2/y2start.log",
    "var/log/agama-installation",
    "var/log/archinstall",
    "var/log/bsdinstall_log",
    "var/log/setup",
    "root/anaconda-ks.cfg",
];

/// When the installer wrote: first and last moment in seconds since 1970 UTC, and what was written last; by the first of the
/// records that is there.
pub(super) fn read(tree: &dyn Tree) -> Option<(i64, i64, Evidence)> {
    RECORDS.iter().find_map(|record| times_of(tree, record))
}

fn times_of(tree: &dyn Tree, record: &str) -> Option<(i64, i64, Evidence)> {
    let files: Vec<String> = if tree.is_folder(record) {
        tree.names(record).iter().map(|entry| format!("{record}/{}", name_text(&entry.name))).collect()
    } else {
        vec![record.to_owned()]
    };
    let time = |file: String| {
        let node = tree.node(Path::new(&file), false).ok().filter(|node| node.kind == NodeKind::File)?;
        // A time in the first year was never set.
        (node.changed_at > 365 * 86_400).then_some((node.changed_at, file))
    };
    let times: Vec<(i64, String)> = files.into_iter().filter_map(time).collect();
    let first = times.iter().map(|(at, _)| *at).min()?;
    let (last, file) = times.into_iter().max()?;
    Some((first, last, Evidence::file(file)))
}
