//! Package systems: one module each, one trait, one registry.

pub mod apk;
pub mod appimage;
pub mod dpkg;
pub mod eopkg;
mod files;
pub mod flatpak;
pub mod freebsd_pkg;
mod offers;
mod owners;
pub mod pacman;
pub mod portage;
pub mod rpm;
pub mod slackware;
pub mod snap;
pub mod store;
pub mod xbps;

pub use offers::{FromFiles, from_files, keep, kept, programs};
pub use owners::{Owners, WantedPaths, each_folder, split_folder};

use crate::logs::Clock;
use offers::ListRead;
use tally_core::history::SystemRecords;
use tally_core::model::{Label, MissingFact, Package, Repository, System, Text, Unread};
use tally_core::offer::{Catalog, PackageList};
use tally_trees::Tree;

/// What a package system says of an install.
#[derive(Debug, Default)]
pub struct PackageFacts {
    /// Its packages, in the order of the database.
    pub packages: Vec<Package>,
    /// What could not be read.
    pub unread: Vec<Unread>,
    /// What this database can't tell here.
    pub missing: Vec<MissingFact>,
    /// The architecture that the system counts as its own.
    pub native_arch: Option<smol_str::SmolStr>,
    /// Launchers that are inside packages, and not in the folders of the menu.
    pub embedded: Vec<Embedded>,
}

/// A launcher inside a package.
#[derive(Debug, Clone)]
pub struct Embedded {
    /// The ID that it has, or would have, in the menu.
    pub id: Text,
    /// Its place: the package's file, two slashes, the path inside.
    pub file: String,
    /// The desktop entry.
    pub bytes: Vec<u8>,
    /// Name of the package.
    pub owner: Text,
    /// System of the package.
    pub system: System,
}

/// The repositories of a package system, and what they say of the packages.
#[derive(Debug, Default)]
pub struct RepositoryFacts {
    /// Repositories, in the order of their files.
    pub repositories: Vec<Repository>,
    /// Where packages came from, each by its position in the list of all packages; empty where nothing but the lists can tell.
    pub origins: Vec<(usize, Origin)>,
    /// What the lists of the repositories offer; `None` where there are none.
    pub catalog: Option<Catalog>,
    /// The repository of each list of the catalogue.
    list_of: Vec<usize>,
    /// What could not be read.
    pub unread: Vec<Unread>,
}

/// Where a package is in the lists of the repositories.
#[derive(Debug, Clone, Default)]
pub struct Origin {
    /// Whether any version of it is in any list.
    pub known: bool,
    /// The first repository, by position, that has just this version, and what it says of the download size.
    pub exact: Option<(usize, Option<u64>)>,
    /// The section that repository files it under, where the package itself names another.
    pub section: Option<Text>,
}

impl RepositoryFacts {
    /// Writes into the packages of `system` where they came from, and how many into each repository that is asked.
    ///
    /// A package that its system tells nothing of stays as it is.
    pub fn place(&mut self, system: System, packages: &mut [Package]) {
        if let Some(catalog) = self.catalog.as_ref().filter(|_| self.origins.is_empty()) {
            let own = packages.iter().enumerate().filter(|(_, package)| package.system == system);
            self.origins = own.map(|(at, package)| (at, self.origin(catalog, package))).collect();
        }
        if self.origins.is_empty() {
            return;
        }
        let mut counts = vec![0_u32; self.repositories.len()];
        for (at, origin) in &self.origins {
            let Some(package) = packages.get_mut(*at).filter(|package| package.system == system) else {
                continue;
            };
            package.in_no_repository = package.is_present() && !origin.known;
            if let Some((at, size)) = origin.exact {
                counts[at] += 1;
                package.repository = Some(self.repositories[at].name.clone());
                package.download_bytes = size;
                package.archive_section.clone_from(&origin.section);
            }
        }
        for (repository, count) in self.repositories.iter_mut().zip(counts).filter(|(r, _)| r.enabled) {
            repository.packages = Some(count);
        }
    }
}

impl RepositoryFacts {
    /// Adds the records of a list of a repository, by its position.
    fn offer(&mut self, catalog: &mut Catalog, list: PackageList, repository: usize, read: Vec<ListRead>) {
        offers::add(catalog, list, read);
        self.list_of.push(repository);
    }

    /// Where a package is in the lists.
    fn origin(&self, catalog: &Catalog, package: &Package) -> Origin {
        let mut origin = Origin::default();
        for (at, offered) in catalog.named_for_any(&package.name) {
            let offered = &offered.package;
            origin.known = true;
            let Some(repository) = self.list_of.get(catalog.list(at)).copied() else { continue };
            let is_first = origin.exact.is_none_or(|(earlier, _)| repository < earlier);
            if offered.version == package.version
                && (offered.arch == package.arch || offered.arch.is_empty())
                && is_first
            {
                origin.exact = Some((repository, offered.download_bytes));
                let elsewhere = !offered.section.is_empty() && offered.section != package.section;
                origin.section = elsewhere.then(|| offered.section.clone());
            }
        }
        origin
    }
}

/// Reads one package system from a tree.
pub trait PackageReader: Sync {
    /// Which one.
    fn system(&self) -> System;

    /// The files of its database that the kit takes: a folder, and patterns of paths below it, with blanks between them. Every line of such
    /// a file is harmless by kind: there are no addresses of repositories, and nothing that anybody typed.
    fn paths(&self) -> &'static [&'static str];

    /// Its page below `docs/formats/`, without ending.
    fn page(&self) -> &'static str;

    /// Whether its database is there.
    fn detect(&self, tree: &dyn Tree) -> bool;

    /// Reads all packages.
    fn read(&self, tree: &dyn Tree) -> PackageFacts;

    /// Reads the file lists once: which of the packages (by position) own the wanted files, and what the files of each
    /// package show of it.
    fn scan_file_lists(&self, tree: &dyn Tree, packages: &[Package], wanted: &WantedPaths) -> Owners;

    /// Reads the configured repositories, and finds where the packages of this system came from.
    fn repositories(&self, tree: &dyn Tree, packages: &[Package], label: &Label) -> RepositoryFacts;

    /// The day that a package was built, where its database does not say and another file does: one file each.
    fn built(&self, _tree: &dyn Tree, _package: &Package) -> Option<Text> {
        None
    }

    /// Reads what logs and lists tell of the time since the install was made. Without any, times alone tell.
    fn history(
        &self,
        _tree: &dyn Tree,
        _packages: &[Package],
        _clock: &Clock,
        _unread: &mut Vec<Unread>,
    ) -> SystemRecords {
        SystemRecords::default()
    }
}

/// Every system that can be read, in the order that they are asked.
pub static REGISTRY: &[&dyn PackageReader] = &[
    &dpkg::Dpkg,
    &rpm::Rpm,
    &pacman::Pacman,
    &apk::Apk,
    &eopkg::Eopkg,
    &freebsd_pkg::FreebsdPkg,
    &portage::Portage,
    &xbps::Xbps,
    &slackware::Slackware,
    &store::NIX,
    &store::GUIX,
    &snap::Snap,
    &flatpak::Flatpak,
    &appimage::Appimage,
];

/// The systems whose databases are in this tree.
pub fn present(tree: &dyn Tree) -> impl Iterator<Item = &'static dyn PackageReader> + '_ {
    REGISTRY.iter().copied().filter(move |system| system.detect(tree))
}

/// What the lists in an install offer, a catalogue for each package system that has any; and what of them can't be read.
pub fn offers_of(tree: &dyn Tree, packages: &[Package], label: &Label) -> (Vec<Catalog>, Vec<Unread>) {
    let (mut catalogs, mut unread) = (Vec::new(), Vec::new());
    for system in present(tree) {
        let mut found = system.repositories(tree, packages, label);
        if let Some(mut catalog) = found.catalog.take() {
            unread.append(&mut catalog.unread);
            catalogs.push(catalog);
            unread.append(&mut found.unread);
        }
    }
    (catalogs, unread)
}

/// The architecture of the first of some packages that is there, else the most common one; one that fits every machine does not count.
pub(crate) fn native_arch(packages: &[Package], own: &[&str]) -> Option<Text> {
    let counts = |package: &&Package| !package.system.is_neutral(&package.arch);
    let of = |name: &&str| packages.iter().filter(counts).find(|package| package.name == *name);
    own.iter().find_map(of).map(|package| package.arch.clone()).or_else(|| {
        let mut numbers = std::collections::BTreeMap::<&str, usize>::new();
        for package in packages.iter().filter(counts) {
            *numbers.entry(&package.arch).or_default() += 1;
        }
        numbers.into_iter().max_by_key(|(_, number)| *number).map(|(arch, _)| arch.into())
    })
}
