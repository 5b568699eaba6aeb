//! Packages of pacman: the folders below `var/lib/pacman/local`, by alpm's own layout. See `docs/formats/pacman.md`.

mod desc;
mod history;
mod offer;
mod sync;

use super::files::{Files, survey_each};
use super::{Owners, PackageFacts, PackageReader, RepositoryFacts, WantedPaths, native_arch};
use crate::logs::Clock;
use crate::text::{day_text, filled, name_text, time_text};
pub(crate) use desc::relation;
use desc::{Record, text_of};
pub(crate) use offer::list_of;
use rayon::prelude::*;
use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;
use std::path::Path;
use std::sync::{Mutex, PoisonError};
use tally_core::history::SystemRecords;
use tally_core::model::{Evidence, Label, Package, Reason, System, Text, Unread};
use tally_core::systems::upstream;
use tally_trees::{LIMITS, NodeKind, Tree};

const LOCAL: &str = "var/lib/pacman/local";

/// The pacman reader.
#[derive(Debug)]
pub struct Pacman;

impl PackageReader for Pacman {
    fn system(&self) -> System {
        System::Pacman
    }

    fn paths(&self) -> &'static [&'static str] {
        &["var/lib/pacman/local */desc */files"]
    }

    fn page(&self) -> &'static str {
        "pacman"
    }

    fn detect(&self, tree: &dyn Tree) -> bool {
        tree.is_folder(LOCAL)
    }

    fn read(&self, tree: &dyn Tree) -> PackageFacts {
        let mut facts = PackageFacts::default();
        let failed = Mutex::new(Vec::new());
        // What an interrupted transaction left is a folder without files, and says so when it is read.
        let mut folders = tree.names(LOCAL);
        folders.retain(|entry| entry.kind == NodeKind::Folder);
        let near = tree.near(Path::new(LOCAL));
        let tree = near.as_deref().unwrap_or(tree);
        let read = folders.par_iter().with_max_len(64).map_init(Vec::new, |buffer, folder| {
            read_one(tree, &folder.name, buffer).unwrap_or_else(|problem| {
                failed.lock().unwrap_or_else(PoisonError::into_inner).push(problem);
                nameless()
            })
        });
        facts.packages = read.collect();
        facts.unread = failed.into_inner().unwrap_or_else(PoisonError::into_inner);
        if !facts.unread.is_empty() {
            facts.packages.retain(|package| !package.name.is_empty());
            facts.unread.sort_unstable_by(|a, b| a.file.cmp(&b.file));
        }
        facts.native_arch = native_arch(&facts.packages, &["pacman", "glibc"]);
        facts
    }

    fn scan_file_lists(&self, tree: &dyn Tree, packages: &[Package], wanted: &WantedPaths) -> Owners {
        let near = tree.near(Path::new(LOCAL));
        let tree = near.as_deref().unwrap_or(tree);
        survey_each(packages, System::Pacman, |at, package| files_of(tree, at, package, wanted))
    }

    fn repositories(&self, tree: &dyn Tree, packages: &[Package], label: &Label) -> RepositoryFacts {
        sync::read(tree, packages, label)
    }

    fn history(
        &self,
        tree: &dyn Tree,
        _: &[Package],
        clock: &Clock,
        unread: &mut Vec<Unread>,
    ) -> SystemRecords {
        history::read(tree, clock, unread)
    }
}

/// A package of which nothing was read.
fn nameless() -> Package {
    Package::new(System::Pacman, Text::default(), Text::default())
}

fn read_one(tree: &dyn Tree, folder: &OsStr, buffer: &mut Vec<u8>) -> Result<Package, Unread> {
    let path = [LOCAL.as_bytes(), folder.as_bytes(), b"desc"].join(&b'/');
    let path = OsStr::from_bytes(&path);
    let failed = |why: &str| Unread::whole(name_text(path), why);
    tree.read_into(Path::new(path), LIMITS.file_bytes, buffer)
        .map_err(|error| failed(&error.why.to_string()))?;
    let text = text_of(buffer);
    let mut package = nameless();
    package.reason = Reason::Explicit;
    let mut named_in = None;
    let mut record = Record::of(&text);
    while let Some((key, line)) = record.next_key() {
        match key {
            "SIZE" => package.installed_bytes = record.number(),
            "BUILDDATE" => package.built = record.number().and_then(day_text),
            "INSTALLDATE" => package.installed_at = record.number().and_then(time_text),
            // Who was asked for has no such field.
            "REASON" if record.value() == "1" => package.reason = Reason::Dependency,
            "NAME" => (package.name, named_in) = (record.text(), Some(line)),
            _ => described(key, &mut record, &mut package),
        }
    }
    if package.name.is_empty() || package.version.is_empty() {
        return Err(failed("has no name and version"));
    }
    package.upstream_version = upstream(System::Pacman, &package.version).into();
    package.source = package.source.filter(|base| *base != package.name);
    package.evidence = Evidence { file: name_text(path), line: named_in };
    Ok(package)
}

/// Takes what a record of the database and one of a list have in common.
fn described(key: &str, record: &mut Record<'_>, package: &mut Package) {
    match key {
        "NAME" => package.name = record.text(),
        "VERSION" => package.version = record.text(),
        "BASE" => package.source = filled(record.text()),
        "DESC" => package.summary = record.text(),
        "ARCH" => package.arch = record.text(),
        "URL" => package.homepage = record.text(),
        "LICENSE" => package.license = license(record.values()),
        "GROUPS" => package.section = record.text(),
        "DEPENDS" => package.depends = record.needs(),
        "OPTDEPENDS" => package.suggests = record.needs(),
        "PROVIDES" => package.provides = record.relations(),
        "REPLACES" => package.replaces = record.relations(),
        "CONFLICTS" => package.conflicts = record.relations(),
        _ => {}
    }
}

/// All licenses hold at once; nearly always there is one.
fn license<'a>(mut licenses: impl Iterator<Item = &'a str>) -> Option<Text> {
    let first = licenses.next()?;
    let Some(second) = licenses.next() else { return Some(first.into()) };
    let all: Vec<&str> = [first, second].into_iter().chain(licenses).collect();
    Some(all.join(" AND ").into())
}

/// The `files` record of a package: paths without a leading slash, folders with one at the end.
fn files_of(tree: &dyn Tree, at: usize, package: &Package, wanted: &WantedPaths) -> Owners {
    let mut owners = Owners::default();
    let Some(folder) = package.evidence.file.strip_suffix("/desc") else { return owners };
    let file = format!("{folder}/files");
    let bytes = match tree.read(&file) {
        Ok(bytes) => bytes,
        Err(error) => {
            owners.unread.push(Unread::whole(file, error.why.to_string()));
            return owners;
        }
    };
    let begin = memchr::memmem::find(&bytes, b"%FILES%\n").map_or(bytes.len(), |at| at + 8);
    let end = memchr::memmem::find(&bytes[begin..], b"\n\n").map_or(bytes.len(), |at| begin + at + 1);
    let mut files = Files::of(at, wanted);
    files.list(&bytes[begin..end]);
    files.done()
}

#[cfg(test)]
mod tests {
    use super::*;
    use tally_trees::MemoryTree;

    fn tree() -> MemoryTree {
        MemoryTree::new()
            .file("var/lib/pacman/local/ALPM_DB_VERSION", "9\n")
            .file(
                "var/lib/pacman/local/inkcap-1:3.2.1-2/desc",
                "%NAME%\ninkcap\n\n%VERSION%\n1:3.2.1-2\n\n%BASE%\ninkcap\n\n%ARCH%\nx86_64\n\n%SIZE%\n4096\n\n%INSTALLDATE%\n1777888000\n\n",
            )
            .file("var/lib/pacman/local/inkcap-1:3.2.1-2/files", "%FILES%\nusr/\nusr/bin/\nusr/bin/inkcap\nusr/share/applications/inkcap.desktop\n\n%BACKUP%\netc/x\tabc\n")
            .file(
                "var/lib/pacman/local/libweir-4.0-1/desc",
                "%NAME%\nlibweir\n\n%VERSION%\n4.0-1\n\n%BASE%\nweir\n\n%REASON%\n1\n\n%PROVIDES%\nlibweir.so=4-64\n\n",
            )
            .file("var/lib/pacman/local/libweir-4.0-1/files", "%FILES%\nusr/lib/libweir.so\n")
            .file("var/lib/pacman/local/torn-1-1/files", "")
            .file("etc/pacman.conf", "[options]\nHoldPkg = pacman\n[marsh]\nServer = https://u:p@pkg.saltmarsh.example/$repo\nInclude = /etc/pacman.d/mirrorlist\n")
            .file("etc/pacman.d/mirrorlist", "#Server = https://off.example\nServer = https://mirror.saltmarsh.example/$repo/os\n")
    }

    #[test]
    fn versions_reasons_sizes_and_owners() {
        let tree = tree();
        let facts = Pacman.read(&tree as &dyn Tree);
        let said: Vec<_> =
            facts.packages.iter().map(|p| (p.name.as_str(), p.upstream_version.as_str(), p.reason)).collect();
        assert_eq!(said, [("inkcap", "3.2.1", Reason::Explicit), ("libweir", "4.0", Reason::Dependency)]);
        assert_eq!(facts.packages[1].source(), "weir");
        assert_eq!(facts.packages[0].installed_at.as_deref(), Some("2026-05-04T09:46:40Z"));
        assert_eq!(facts.unread.len(), 1, "a folder that a transaction left half done: {:?}", facts.unread);
        let mut wanted = WantedPaths::new(false);
        wanted.add(b"usr/share/applications/inkcap.desktop");
        let owners = Pacman.scan_file_lists(&tree as &dyn Tree, &facts.packages, &wanted);
        assert_eq!(owners.of(&wanted, b"usr/share/applications/inkcap.desktop"), Some(0));
    }

    #[test]
    fn repositories_and_what_comes_from_none() {
        let tree = tree();
        let facts = Pacman.read(&tree as &dyn Tree);
        let repositories = Pacman.repositories(&tree as &dyn Tree, &facts.packages, &Label::default());
        assert_eq!(
            repositories.repositories[0].uri, "https://pkg.saltmarsh.example/$repo",
            "without a password"
        );
        assert_eq!(repositories.repositories.len(), 1);
        assert!(repositories.origins.is_empty(), "without lists nothing tells");
    }
}
