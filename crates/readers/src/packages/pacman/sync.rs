//! Repositories: `etc/pacman.conf`, and the lists below `var/lib/pacman/sync`.

use super::desc::Record;
use crate::keyfile::KeyFile;
use crate::packages::{Origin, RepositoryFacts, without_password};
use crate::text::{lines, name_text, text};
use rustc_hash::FxHashMap;
use std::io::Read;
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
        facts.origins = origins;
    }
    facts
}

/// Every section but `[options]` is a repository.
fn configured(tree: &dyn Tree, bytes: &[u8], label: &Label) -> Vec<Repository> {
    let mut repositories: Vec<Repository> = Vec::new();
    let parsed = KeyFile::parse(CONFIGURATION, bytes);
    for group in parsed.groups().filter(|group| group.name() != "options") {
        let included = || {
            let file = group.string("Include")?;
            let bytes = tree.read(file.trim_start_matches('/')).ok()?;
            lines(&bytes).find_map(|(_, line)| {
                let (key, value) = std::str::from_utf8(line).ok()?.split_once('=')?;
                (key.trim() == "Server").then(|| Text::from(value.trim()))
            })
        };
        let uri = group.string("Server").or_else(included).unwrap_or_default();
        repositories.push(Repository {
            system: System::Pacman,
            name: group.name().into(),
            uri: without_password(&uri),
            suite: None,
            components: Vec::new(),
            enabled: true,
            official: (!label.distro_id.is_empty() && uri.contains(label.distro_id.as_str())).then_some(true),
            signed_by: None,
            packages: None,
            evidence: Evidence::file(CONFIGURATION),
        });
    }
    repositories
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
        let record = Record::parse(&record);
        if let (Some(name), Some(version)) = (record.values("NAME").first(), record.values("VERSION").first())
        {
            call(&text(name), &text(version), record.number("CSIZE"));
        }
    }
    Ok(())
}
