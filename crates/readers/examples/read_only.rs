//! Only reads the files that `take` reads, one after the other: what `scripts/bench` holds `take` against.
//!
//! `read_only list ROOT` takes the tally of an install and prints each file that was opened for it;
//! `read_only whole ROOT LIST` reads the files of such a list, each one whole; `read_only pieces ROOT LIST` does so a
//! piece at a time into one buffer, which never asks the system for new memory.

mod common;

use std::path::{Path, PathBuf};
use std::sync::Mutex;
use tally_trees::{Entry, Folder, Node, ReadAt, Tree, TreeError};

/// A tree that remembers which files were read.
struct Watched<'a> {
    inner: &'a Folder,
    read: Mutex<Vec<PathBuf>>,
}

impl Watched<'_> {
    fn note<T>(&self, path: &Path, result: Result<T, TreeError>) -> Result<T, TreeError> {
        if result.is_ok() {
            self.read.lock().unwrap_or_else(std::sync::PoisonError::into_inner).push(path.to_owned());
        }
        result
    }
}

impl Tree for Watched<'_> {
    fn node(&self, path: &Path, follow_last: bool) -> Result<Node, TreeError> {
        self.inner.node(path, follow_last)
    }

    fn list(&self, path: &Path) -> Result<Vec<Entry>, TreeError> {
        self.inner.list(path)
    }

    fn read_into(&self, path: &Path, limit: u64, buffer: &mut Vec<u8>) -> Result<(), TreeError> {
        self.note(path, self.inner.read_into(path, limit, buffer))
    }

    fn open(&self, path: &Path) -> Result<Box<dyn ReadAt>, TreeError> {
        self.note(path, self.inner.open(path))
    }

    fn read_link(&self, path: &Path) -> Result<PathBuf, TreeError> {
        self.inner.read_link(path)
    }
}

#[allow(clippy::print_stdout, reason = "this is a program of its own")]
fn main() -> Result<(), Box<dyn std::error::Error>> {
    let arguments: Vec<String> = std::env::args().skip(1).collect();
    match arguments.iter().map(String::as_str).collect::<Vec<_>>()[..] {
        ["list", root] => {
            for file in files_of(&Folder::open(root.as_ref())?)? {
                println!("{}", file.display());
            }
        }
        [how @ ("whole" | "pieces"), root, list] => {
            let folder = Folder::open(root.as_ref())?;
            let list = std::fs::read_to_string(list)?;
            let mut buffer = vec![0; 256 << 10];
            let mut bytes = 0;
            for file in list.lines() {
                bytes += match how {
                    "whole" => std::fs::read(Path::new(root).join(file))?.len() as u64,
                    _ => in_pieces(&folder, file.as_ref(), &mut buffer)?,
                };
            }
            println!("{} files, {bytes} bytes", list.lines().count());
        }
        _ => return Err("usage: read_only list ROOT, or read_only whole|pieces ROOT LIST".into()),
    }
    Ok(())
}

fn in_pieces(folder: &Folder, file: &Path, buffer: &mut [u8]) -> Result<u64, Box<dyn std::error::Error>> {
    let file = folder.open(file)?;
    let mut offset = 0;
    while offset < file.len() {
        match file.read_at(offset, buffer)? {
            0 => break,
            read => offset += read as u64,
        }
    }
    Ok(offset)
}

fn files_of(folder: &Folder) -> Result<Vec<PathBuf>, Box<dyn std::error::Error>> {
    let watched = Watched { inner: folder, read: Mutex::default() };
    common::take(&watched)?;
    let mut files = watched.read.into_inner().unwrap_or_else(std::sync::PoisonError::into_inner);
    files.sort_unstable();
    files.dedup();
    Ok(files)
}
