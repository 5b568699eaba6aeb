//! Repositories: `etc/pacman.conf`, and the lists below `var/lib/pacman/sync`.

use super::offer::list_of;
use crate::packages::RepositoryFacts;
use crate::text::{lines, name_text, text, time_text};
use std::path::Path;
use tally_core::knowledge::matches;
use tally_core::model::{Evidence, Label, Package, Reduced, Repository, System, Text, Unread};
use tally_core::offer::{Catalog, PackageList};
use tally_trees::Tree;

const CONFIGURATION: &str = "etc/pacman.conf";
const SYNC: &str = "var/lib/pacman/sync";

pub(super) fn read(tree: &dyn Tree, packages: &[Package], label: &Label) -> RepositoryFacts {
    let mut facts = RepositoryFacts::default();
    let Ok(bytes) = tree.read(CONFIGURATION) else { return facts };
    facts.repositories = configured(tree, &bytes, label);
    let arch = super::native_arch(packages, &["pacman", "glibc"]).unwrap_or_default();
    let mut catalog = Catalog::new(System::Pacman, arch);
    catalog.policy.held = ignored(&bytes);
    // The order of the file is the order of precedence.
    for at in 0..facts.repositories.len() {
        let repository = &facts.repositories[at];
        let file = format!("{SYNC}/{}.db", repository.name);
        let Ok(bytes) = tree.read(&file) else { continue };
        let list = PackageList {
            repository: repository.name.clone(),
            site: repository.uri.split('/').nth(2).unwrap_or_default().into(),
            // pacman dates a list by its file.
            date: tree.node(Path::new(&file), true).ok().and_then(|node| time_text(node.changed_at)),
            file: file.as_str().into(),
            priority: i32::try_from(at).map_or(i32::MIN, |at| -at),
            ..PackageList::default()
        };
        match list_of(bytes) {
            Ok(read) => facts.offer(&mut catalog, list, at, vec![read]),
            Err(error) => facts.unread.push(Unread::whole(file, error.to_string())),
        }
    }
    facts.catalog = (!catalog.lists.is_empty()).then_some(catalog);
    facts
}

/// Packages whose updates are left out: `IgnorePkg`.
fn ignored(bytes: &[u8]) -> Vec<Text> {
    let value = |line: &[u8]| {
        let line = text(line.split(|byte| *byte == b'#').next().unwrap_or_default());
        line.split_once('=').filter(|(key, _)| key.trim() == "IgnorePkg").map(|(_, value)| value.to_owned())
    };
    let values = lines(bytes).filter_map(|(_, line)| value(line));
    values.flat_map(|value| value.split_ascii_whitespace().map(Text::from).collect::<Vec<_>>()).collect()
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
                    Reduced::default(),
                    Evidence::line(path, number),
                ));
            }
            continue;
        }
        let Some((key, value)) = line.split_once('=') else { continue };
        match key.trim() {
            "Server" if *open => {
                if let Some(last) = repositories.last_mut().filter(|last| last.uri.is_empty()) {
                    last.uri = Reduced::address(value.trim());
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
