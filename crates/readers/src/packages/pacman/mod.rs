//! Packages of pacman: the folders below `var/lib/pacman/local`, by alpm's own layout. See `docs/formats/pacman.md`.

mod desc;
mod history;
mod sync;

use super::files::{Files, survey_each};
use super::{Owners, PackageFacts, PackageSystem, RepositoryFacts, Wanted, native_arch};
use crate::history::Clock;
use crate::text::{name_text, time_text};
use desc::{Record, text_of};
use rayon::prelude::*;
use std::path::Path;
use tally_core::history::SystemRecords;
use tally_core::model::{Evidence, Label, Package, Reason, System, Text, Unread};
use tally_core::version::upstream;
use tally_trees::{FILE_LIMIT, NodeKind, Tree};

const LOCAL: &str = "var/lib/pacman/local";

/// The pacman reader.
#[derive(Debug)]
pub struct Pacman;

impl PackageSystem for Pacman {
    fn system(&self) -> System {
        System::Pacman
    }

    fn page(&self) -> &'static str {
        "pacman"
    }

    fn is_here(&self, tree: &dyn Tree) -> bool {
        tree.is_folder(LOCAL)
    }

    fn read(&self, tree: &dyn Tree) -> PackageFacts {
        let mut facts = PackageFacts::default();
        let folders = folders(tree);
        let read = folders.par_iter().map_init(Vec::new, |buffer, folder| read_one(tree, folder, buffer));
        let read: Vec<Result<Package, Unread>> = read.collect();
        // One and all may take the place of the results.
        let mut unread = Vec::new();
        facts.packages = read
            .into_iter()
            .filter_map(|result| result.map_err(|problem| unread.push(problem)).ok())
            .collect();
        facts.unread = unread;
        facts.native_arch = native_arch(&facts.packages, &["pacman", "glibc"], "any");
        facts
    }

    fn survey(&self, tree: &dyn Tree, packages: &[Package], wanted: &Wanted) -> Owners {
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

/// Folders of packages; what an interrupted transaction left has none of their files, and says so when it is read.
fn folders(tree: &dyn Tree) -> Vec<Text> {
    let entries = tree.names(LOCAL).into_iter().filter(|entry| entry.kind == NodeKind::Folder);
    entries.map(|entry| name_text(&entry.name)).collect()
}

fn read_one(tree: &dyn Tree, folder: &str, buffer: &mut Vec<u8>) -> Result<Package, Unread> {
    let file = format!("{LOCAL}/{folder}/desc");
    tree.read_into(Path::new(&file), FILE_LIMIT, buffer)
        .map_err(|error| Unread::whole(file.as_str(), error.why.to_string()))?;
    let text = text_of(buffer);
    let record = Record::parse(&text);
    let (Some(name), Some(version)) = (record.text("NAME"), record.text("VERSION")) else {
        return Err(Unread::whole(file, "names no package and version"));
    };
    let mut package = Package::new(System::Pacman, name, version.clone());
    package.upstream_version = upstream(System::Pacman, &version).into();
    package.arch = record.text("ARCH").unwrap_or_default();
    package.made_from = record.text("BASE").filter(|base| *base != package.name);
    package.summary = record.text("DESC").unwrap_or_default();
    package.homepage = record.text("URL").unwrap_or_default();
    package.license = match record.values("LICENSE") {
        [] => None,
        [one] => Some((*one).into()),
        several => Some(several.join(" AND ").into()),
    };
    package.section = record.text("GROUPS").unwrap_or_default();
    package.installed_bytes = record.number("SIZE");
    package.installed_at = record.number("INSTALLDATE").and_then(time_text);
    // 1 is "as a dependency"; whoever asked for a package has no such field.
    package.reason = if record.number::<u8>("REASON") == Some(1) { Reason::Followed } else { Reason::Chosen };
    package.depends = record.needs("DEPENDS");
    package.suggests = record.needs("OPTDEPENDS");
    package.provides = record.relations("PROVIDES");
    package.replaces = record.relations("REPLACES");
    package.conflicts = record.relations("CONFLICTS");
    package.evidence = Evidence { file: file.into(), line: record.line("NAME") };
    Ok(package)
}

/// The `files` record of a package: paths without a leading slash, folders with one at the end.
fn files_of(tree: &dyn Tree, at: usize, package: &Package, wanted: &Wanted) -> Owners {
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
    use tally_trees::Memory;

    fn tree() -> Memory {
        Memory::new()
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
        assert_eq!(said, [("inkcap", "3.2.1", Reason::Chosen), ("libweir", "4.0", Reason::Followed)]);
        assert_eq!(facts.packages[1].source(), "weir");
        assert_eq!(facts.packages[0].installed_at.as_deref(), Some("2026-05-04T09:46:40Z"));
        assert_eq!(facts.unread.len(), 1, "a folder that a transaction left half done: {:?}", facts.unread);
        let mut wanted = Wanted::new(false);
        wanted.add(b"usr/share/applications/inkcap.desktop");
        let owners = Pacman.survey(&tree as &dyn Tree, &facts.packages, &wanted);
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
