//! What the kit left out of the archive that it made, and what it never takes.

use crate::text::text;
use std::path::Path;
use tally_core::model::{MissingFact, Unread};
use tally_trees::Tree;

/// Where the kit says it: paths, a zero behind each. Every archive that it makes has this file.
const FILE: &str = "kit-left-out";
/// Bytes that are read of it: 4 MiB.
const LIMIT: u64 = 4 << 20;
/// What only the program itself records, for files of that kind may hold secrets.
const NEVER_TAKEN: [MissingFact; 4] =
    [MissingFact::Repositories, MissingFact::History, MissingFact::Settings, MissingFact::Autostart];

/// The files that the kit left out, and the facts that no kit collects; nothing where no kit made this tree.
pub(crate) fn read(tree: &dyn Tree) -> (Vec<Unread>, Vec<MissingFact>) {
    let mut content = Vec::new();
    if tree.read_into(Path::new(FILE), LIMIT, &mut content).is_err() {
        return (Vec::new(), Vec::new());
    }
    let paths = content.split(|byte| *byte == 0).filter(|path| !path.is_empty());
    let left_out = |path: &[u8]| {
        let path = path.strip_prefix(b"./").unwrap_or(path);
        Unread::whole(
            text(path),
            "left out by the kit: it can't be read there, is too large, or has an odd name",
        )
    };
    (paths.map(left_out).collect(), NEVER_TAKEN.to_vec())
}
