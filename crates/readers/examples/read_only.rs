//! Only reads the files that `take` reads, one after the other: what `scripts/bench` holds `take` against.
//!
//! Run as `read_only ROOT`, or `read_only ROOT parallel` to read on all cores.

use rayon::prelude::*;
use std::path::PathBuf;
use tally_trees::{FILE_LIMIT, Folder, NodeKind, Tree};

#[allow(clippy::print_stdout, reason = "this is a program of its own")]
fn main() -> Result<(), Box<dyn std::error::Error>> {
    let root = PathBuf::from(std::env::args_os().nth(1).ok_or("usage: read_only ROOT")?);
    let folder = Folder::open(&root)?;
    let tree: &dyn Tree = &folder;
    let mut files: Vec<PathBuf> =
        ["var/lib/dpkg/status", "var/lib/apt/extended_states", "etc/os-release"].map(PathBuf::from).to_vec();
    for (place, ending) in [
        ("var/lib/dpkg/info", "list"),
        ("usr/share/applications", "desktop"),
        ("usr/share/xsessions", "desktop"),
    ] {
        let wanted = tree.names(place).into_iter().filter(|entry| entry.kind == NodeKind::File);
        files.extend(
            wanted
                .map(|entry| PathBuf::from(place).join(entry.name))
                .filter(|p| p.extension().is_some_and(|e| e == ending)),
        );
    }
    let read = |buffer: &mut Vec<u8>, path: &PathBuf| {
        tree.read_into(path, FILE_LIMIT, buffer).map_or(0, |()| buffer.len())
    };
    let bytes: usize = if std::env::args_os().nth(2).is_some() {
        files.par_iter().map_init(Vec::new, read).sum()
    } else {
        let mut buffer = Vec::new();
        files.iter().map(|path| read(&mut buffer, path)).sum()
    };
    println!("{} files, {bytes} bytes", files.len());
    Ok(())
}
