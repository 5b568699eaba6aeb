//! Package systems: one module each, one trait, one registry.

pub mod dpkg;
mod owners;

pub use owners::{Owners, Wanted, each_folder, split_folder};

use tally_core::model::{Label, MissingFact, Package, Repository, System, Unread};
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
}

/// The repositories of a package system.
#[derive(Debug, Default)]
pub struct RepositoryFacts {
    /// Repositories, in the order of their files.
    pub repositories: Vec<Repository>,
    /// What could not be read.
    pub unread: Vec<Unread>,
}

/// A package system that can be read from a tree.
pub trait PackageSystem: Sync {
    /// Which one.
    fn system(&self) -> System;

    /// Its page below `docs/formats/`, without ending.
    fn page(&self) -> &'static str;

    /// Whether its database is there.
    fn is_here(&self, tree: &dyn Tree) -> bool;

    /// Reads all packages.
    fn read(&self, tree: &dyn Tree) -> PackageFacts;

    /// Reads the file lists once: which of the packages (by position) own the wanted files, and what the files of each
    /// package show of it.
    fn survey(&self, tree: &dyn Tree, packages: &[Package], wanted: &Wanted) -> Owners;

    /// Reads the configured repositories, and fills in where the packages of this system came from.
    fn repositories(&self, tree: &dyn Tree, packages: &mut [Package], label: &Label) -> RepositoryFacts;
}

/// Every system that can be read, in the order that they are asked.
pub static REGISTRY: &[&dyn PackageSystem] = &[&dpkg::Dpkg];

/// The systems whose databases are in this tree.
pub fn present(tree: &dyn Tree) -> impl Iterator<Item = &'static dyn PackageSystem> + '_ {
    REGISTRY.iter().copied().filter(move |system| system.is_here(tree))
}
