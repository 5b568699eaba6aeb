//! Repositories: `etc/pacman.conf`, and the lists below `var/lib/pacman/sync`.

use super::desc::{Record, text_of};
use crate::packages::{Origin, RepositoryFacts, without_password};
use crate::text::{lines, name_text, text};
use rustc_hash::FxHashMap;
use std::io::Read;
use tally_core::knowledge::matches;
use tally_core::model::{Evidence, Label, Package, Repository, System, Text, Unread};
use tally_trees::{Tree, unpack_file};

const CONFIGURATION: &str = "etc/pacman.conf";
const SYNC: &str = "var/lib/pacman/sync";

/// Bytes that a list may have once it is unpacked, and one record in it.
const LIST_LIMIT: u64 = 1 << 30;
const RECORD_LIMIT: u64 = 1 << 20;

pub(super) fn read(tree: &dyn Tree, packages: &[Package], label: &Label) -> RepositoryFacts {
    let mut facts = RepositoryFacts::default();
    let Ok(bytes) = tree.read(CONFIGURATION) else { return facts };
    facts.repositories = configured(tree, &bytes, label);
    let mut by_name: FxHashMap<&str, usize> = FxHashMap::default();
    for (at, package) in packages.iter().enumerate().filter(|(_, p)| p.system == System::Pacman) {
        by_name.entry(&package.name).or_insert(at);
    }
    let mut origins = vec![Origin::default(); packages.len()];
    let mut any = false;
    // The order of the file is the order of precedence.
    for (at, repository) in facts.repositories.iter().enumerate() {
        let file = format!("{SYNC}/{}.db", repository.name);
        let Ok(bytes) = tree.read(&file) else { continue };
        any = true;
        let scanned = scan(bytes, |name, version, size| {
            let Some(package) = by_name.get(name) else { return };
            let origin = &mut origins[*package];
            origin.known = true;
            if origin.exact.is_none() && packages[*package].version == version {
                origin.exact = Some((at, size));
            }
        });
        if let Err(error) = scanned {
            facts.unread.push(Unread::whole(file, error.to_string()));
        }
    }
    if any {
        let own = packages.iter().enumerate().filter(|(_, package)| package.system == System::Pacman);
        facts.origins = own.map(|(at, _)| (at, std::mem::take(&mut origins[at]))).collect();
    }
    facts
}

/// Files that may include one another.
const INCLUDE_LIMIT: usize = 8;

/// Every section but `[options]` is a repository; `Include` puts another file in its place, which may open sections too.
fn configured(tree: &dyn Tree, bytes: &[u8], label: &Label) -> Vec<Repository> {
    let mut repositories = Vec::new();
    let mut open = false;
    include(tree, CONFIGURATION, bytes, 0, &mut open, &mut repositories);
    repositories.into_iter().map(|one: Repository| one.owned_by(&label.distro_id)).collect()
}

/// Reads a file; `open` tells whether the last section is a repository.
fn include(
    tree: &dyn Tree,
    path: &str,
    bytes: &[u8],
    depth: usize,
    open: &mut bool,
    repositories: &mut Vec<Repository>,
) {
    for (number, line) in lines(bytes) {
        let line = text(line.split(|byte| *byte == b'#').next().unwrap_or_default());
        if let Some(name) = line.strip_prefix('[').and_then(|rest| rest.strip_suffix(']')) {
            *open = name != "options";
            if *open {
                repositories.push(Repository::new(
                    System::Pacman,
                    name,
                    Text::default(),
                    Evidence::line(path, number),
                ));
            }
            continue;
        }
        let Some((key, value)) = line.split_once('=') else { continue };
        match key.trim() {
            "Server" if *open => {
                if let Some(last) = repositories.last_mut().filter(|last| last.uri.is_empty()) {
                    last.uri = without_password(value.trim());
                }
            }
            "Include" if depth < INCLUDE_LIMIT => {
                for file in included(tree, value.trim()) {
                    let Ok(bytes) = tree.read(&file) else { continue };
                    include(tree, &file, &bytes, depth + 1, open, repositories);
                }
            }
            _ => {}
        }
    }
}

/// The files of a pattern: the last part may hold `*` and `?`.
fn included(tree: &dyn Tree, pattern: &str) -> Vec<String> {
    let pattern = pattern.trim_start_matches('/');
    let Some((folder, last)) = pattern.rsplit_once('/').filter(|(_, last)| last.contains(['*', '?'])) else {
        return vec![pattern.to_owned()];
    };
    let names = tree.names(folder).into_iter().map(|entry| name_text(&entry.name));
    names.filter(|name| matches(last, name)).map(|name| format!("{folder}/{name}")).collect()
}

/// Goes through the packages of a list: a packed archive of `NAME-VERSION/desc`.
fn scan(bytes: Vec<u8>, mut call: impl FnMut(&str, &str, Option<u64>)) -> std::io::Result<()> {
    let bytes = unpack_file(bytes, LIST_LIMIT)?;
    let mut archive = tar::Archive::new(&bytes[..]);
    for entry in archive.entries()? {
        let entry = entry?;
        let is_desc =
            entry.path().is_ok_and(|path| path.file_name().is_some_and(|name| name_text(name) == "desc"));
        if !is_desc {
            continue;
        }
        let mut record = Vec::new();
        entry.take(RECORD_LIMIT).read_to_end(&mut record)?;
        let text = text_of(&record);
        let (mut name, mut version, mut size) = ("", "", None);
        let mut record = Record::of(&text);
        while let Some((key, _)) = record.next_key() {
            match key {
                "NAME" => name = record.value(),
                "VERSION" => version = record.value(),
                "CSIZE" => size = record.number(),
                _ => {}
            }
        }
        if !name.is_empty() && !version.is_empty() {
            call(name, version, size);
        }
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use tally_trees::MemoryTree;

    #[test]
    fn included_files_open_sections_of_their_own() {
        let tree = MemoryTree::new()
            .file("etc/pacman.d/a.conf", "[extra]\nServer = https://extra.example\n")
            .file(
                "etc/pacman.d/b.conf",
                "[more]\nInclude = /etc/pacman.d/mirrors\nInclude = /etc/pacman.d/b.conf\n",
            )
            .file(
                "etc/pacman.d/mirrors",
                "#Server = https://off.example\nServer = https://u:p@more.example\n",
            );
        let file = b"[options]\nServer = https://none.example\nInclude = /etc/pacman.d/*.conf\n[core]\nSigLevel = Never # x\nServer = https://core.example\nServer = https://second.example\n";
        let found = configured(&tree, file, &Label::default());
        let said: Vec<_> = found.iter().map(|one| (one.name.as_str(), one.uri.as_str())).collect();
        assert_eq!(said[0], ("extra", "https://extra.example"));
        assert_eq!(said[1], ("more", "https://more.example"));
        assert_eq!(said.last(), Some(&("core", "https://core.example")));
        assert_eq!(found[0].evidence, Evidence::line("etc/pacman.d/a.conf", 1));
        assert!(said.len() <= 3 + INCLUDE_LIMIT, "a file that includes itself ends");
    }
}
