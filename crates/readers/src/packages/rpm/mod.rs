//! Packages of rpm: headers out of one of its three databases. See `docs/formats/rpm.md`.

// Numbers of a database are a stranger's: each sum says what it does where it is too large.
#![cfg_attr(not(test), warn(clippy::arithmetic_side_effects))]

mod berkeley;
mod header;
mod history;
mod ndb;
mod offer;
mod record;
mod repositories;
mod resolver;

pub(crate) use offer::{fixes as fixes_of_list, groups as groups_of_list, read_list, revision};
pub(crate) use record::source_name;

use super::files::{Files, Look};
use super::{Owners, PackageFacts, PackageReader, RepositoryFacts, WantedPaths, native_arch};
use crate::database::Database;
use crate::logs::Clock;
use crate::text::text;
use header::{Header, tag};
use rustc_hash::FxHashSet;
use tally_core::history::{Initial, SystemRecords};
use tally_core::model::{Label, MissingFact, Package, Reason, System, Text, Unread};
use tally_trees::Tree;

/// Bytes that the header of a package may have: 64 MiB. Kernels with all their files have 2 MB.
const BLOB_LIMIT: u64 = 64 << 20;

/// Problems of one database that are named.
const PROBLEMS: usize = 100;

/// Folders of the database: where it is today, where it was before, where image-based systems have it.
const FOLDERS: &[&str] = &["usr/lib/sysimage/rpm", "var/lib/rpm", "usr/share/rpm"];

/// Where an image-based system keeps the database of the image that it was started from, once packages are layered on it.
const BASE: &str = "usr/lib/sysimage/rpm-ostree-base-db";

/// Who is called with each blob of a database, or with what is wrong with one.
type Visit<'v> = dyn FnMut(Result<&[u8], String>) + 'v;

/// The rpm reader.
#[derive(Debug)]
pub struct Rpm;

/// A database that is there.
struct RpmDatabase {
    file: String,
    sort: Backend,
}

#[derive(Clone, Copy)]
enum Backend {
    Sqlite,
    Ndb,
    Berkeley,
}

impl RpmDatabase {
    /// The first database in the first folder that has one.
    fn in_tree(tree: &dyn Tree) -> Option<Self> {
        Self::in_folders(tree, FOLDERS)
    }

    fn in_folders(tree: &dyn Tree, folders: &[&str]) -> Option<Self> {
        let names = [
            ("rpmdb.sqlite", Backend::Sqlite),
            ("Packages.db", Backend::Ndb),
            ("Packages", Backend::Berkeley),
        ];
        let all =
            folders.iter().flat_map(|folder| names.map(|(name, sort)| (format!("{folder}/{name}"), sort)));
        all.into_iter().find(|(file, _)| tree.exists(file)).map(|(file, sort)| Self { file, sort })
    }

    /// Calls `visit` with the header of each package, or with what is wrong with one. Keys that packages are signed with
    /// are among them, and are left out.
    fn each(&self, tree: &dyn Tree, visit: &mut dyn FnMut(Result<Header<'_>, String>)) -> Result<(), String> {
        let mut decoded =
            |blob: Result<&[u8], String>| match blob.and_then(|b| Header::parse(b).map_err(Into::into)) {
                Ok(header) if header.string(tag::NAME) == Some(b"gpg-pubkey") => {}
                other => visit(other),
            };
        match self.sort {
            Backend::Sqlite => self.rows(tree, &mut decoded),
            Backend::Ndb => ndb::each(self.open(tree)?.as_ref(), &mut decoded),
            Backend::Berkeley => berkeley::each(self.open(tree)?.as_ref(), &mut decoded),
        }
    }

    fn open(&self, tree: &dyn Tree) -> Result<Box<dyn tally_trees::ReadAt>, String> {
        tree.open(self.file.as_ref()).map_err(|error| error.why.to_string())
    }

    fn rows(&self, tree: &dyn Tree, visit: &mut Visit<'_>) -> Result<(), String> {
        let read = |database: Database| {
            database.each("SELECT blob FROM Packages ORDER BY hnum", |row| {
                match row.get_ref(0)?.as_blob() {
                    Ok(blob) => visit(Ok(blob)),
                    Err(_) => visit(Err("one of its rows contains no header".to_owned())),
                }
                Ok(())
            })
        };
        Database::open(tree, &self.file).and_then(read).map_err(|error| error.to_string())
    }
}

/// The packages of the image itself, where others are layered on it.
fn of_the_image(tree: &dyn Tree, unread: &mut Vec<Unread>) -> Option<Vec<Initial>> {
    let found = RpmDatabase::in_folders(tree, &[BASE])?;
    let mut packages = Vec::new();
    let end = found.each(tree, &mut |header| {
        if let Some(package) = header.ok().and_then(|header| record::package(header, &found.file)) {
            let Package { name, arch, version, .. } = package;
            packages.push(Initial { name, arch, version: Some(version) });
        }
    });
    if let Err(why) = end {
        unread.push(Unread::whole(found.file, why));
        return None;
    }
    // One without packages tells nothing of what the image brought.
    Some(packages).filter(|packages| !packages.is_empty())
}

impl PackageReader for Rpm {
    fn system(&self) -> System {
        System::Rpm
    }

    fn paths(&self) -> &'static [&'static str] {
        &[
            "usr/lib/sysimage rpm/* rpm-ostree-base-db/* libdnf5/packages.toml",
            "usr/share/rpm *",
            "var/lib/rpm Packages* rpmdb.sqlite* installed-through-deps.list",
            "var/lib/zypp AutoInstalled",
        ]
    }

    fn page(&self) -> &'static str {
        "rpm"
    }

    fn detect(&self, tree: &dyn Tree) -> bool {
        RpmDatabase::in_tree(tree).is_some()
    }

    fn read(&self, tree: &dyn Tree) -> PackageFacts {
        let mut facts = PackageFacts::default();
        let Some(found) = RpmDatabase::in_tree(tree) else { return facts };
        let mut bad = Vec::new();
        let end = found.each(tree, &mut |header| match header {
            Ok(header) => match record::package(header, &found.file) {
                Some(package) => facts.packages.push(package),
                None if bad.len() == PROBLEMS => {}
                None => bad.push("a header has no name and version".to_owned()),
            },
            Err(why) if bad.len() < PROBLEMS => bad.push(why),
            Err(_) => {}
        });
        bad.extend(end.err());
        facts.unread.extend(bad.into_iter().map(|why| Unread::whole(found.file.as_str(), why)));
        record::leave_what_nobody_asks(&mut facts.packages);
        let memory = resolver::ResolverState::read(tree, &mut facts.unread);
        let image = of_the_image(tree, &mut facts.unread);
        match (memory, &image) {
            (Some(memory), _) => memory.apply(&mut facts.packages),
            (None, None) => facts.missing.push(MissingFact::Reasons),
            (None, Some(_)) => {}
        }
        if let Some(image) = image {
            let image: FxHashSet<(Text, Text)> = image.into_iter().map(|one| (one.name, one.arch)).collect();
            let is_layered =
                |package: &&mut Package| !image.contains(&(package.name.clone(), package.arch.clone()));
            facts
                .packages
                .iter_mut()
                .filter(is_layered)
                .for_each(|layered| layered.reason = Reason::Explicit);
        }
        facts.native_arch = native_arch(&facts.packages, &["glibc", "musl", "rpm"]);
        facts
    }

    fn scan_file_lists(&self, tree: &dyn Tree, packages: &[Package], wanted: &WantedPaths) -> Owners {
        let mut all = Owners::default();
        let Some(found) = RpmDatabase::in_tree(tree) else { return all };
        // The database is gone through as it was for the packages, so they come in the same order.
        let mut own =
            packages.iter().enumerate().filter(|(_, package)| package.system == System::Rpm).peekable();
        // What is wrong with a header was said when it was read.
        _ = found.each(tree, &mut |header| {
            let Ok(header) = header else { return };
            let name = header.string(tag::NAME).map(text).unwrap_or_default();
            if let Some((at, _)) = own.next_if(|(_, package)| package.name == name) {
                all.absorb(files_of(header, at, wanted));
            }
        });
        all
    }

    fn repositories(&self, tree: &dyn Tree, packages: &[Package], label: &Label) -> RepositoryFacts {
        repositories::read(tree, packages, label)
    }

    fn history(
        &self,
        tree: &dyn Tree,
        _: &[Package],
        clock: &Clock,
        unread: &mut Vec<Unread>,
    ) -> SystemRecords {
        let records = history::read(tree, clock, unread);
        // What is wrong with the image's own database was said when it was read.
        SystemRecords { initial: of_the_image(tree, &mut Vec::new()), ..records }
    }
}

/// The files of a package: folders once, and for each name the number of its folder.
fn files_of(header: Header<'_>, at: usize, wanted: &WantedPaths) -> Owners {
    const KIND: u64 = 0o170_000;
    const FOLDER: u64 = 0o040_000;
    let mut files = Files::of(at, wanted);
    let folders: Vec<(&[u8], Look)> =
        header.strings(tag::FOLDERS).map(|folder| (folder, files.look(folder))).collect();
    let mut modes = header.numbers(tag::FILE_MODES);
    for (name, folder) in header.strings(tag::FILE_NAMES).zip(header.numbers(tag::FOLDER_OF_FILE)) {
        let is_folder = modes.next().is_some_and(|mode| mode & KIND == FOLDER);
        if let Some((folder, look)) = usize::try_from(folder).ok().and_then(|at| folders.get(at))
            && !is_folder
        {
            files.file(*look, folder, name);
        }
    }
    // Headers of before 2000 have whole paths.
    header.strings(tag::OLD_FILE_NAMES).for_each(|path| files.path(path));
    files.done()
}
