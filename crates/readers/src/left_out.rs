//! What the kit left out of the archive that it made.

use std::path::Path;
use tally_core::model::Unread;
use tally_trees::Tree;

/// Where the kit says it: a path a line, a colon and the reason behind it.
const FILE: &str = "kit-left-out";
/// Bytes that are read of it: 4 MiB.
const LIMIT: u64 = 4 << 20;

/// The files that the kit names, each with its reason; none where no kit made this tree.
pub(crate) fn read(tree: &dyn Tree) -> Vec<Unread> {
    let mut content = Vec::new();
    if tree.read_into(Path::new(FILE), LIMIT, &mut content).is_err() {
        return Vec::new();
    }
    String::from_utf8_lossy(&content)
        .lines()
        .filter_map(|line| {
            let (path, why) = line.rsplit_once(": ")?;
            Some(Unread::whole(path, format!("left out by the kit: {why}")))
        })
        .collect()
}
