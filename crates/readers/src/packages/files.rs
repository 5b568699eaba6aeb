//! What the files of one package show: owners of wanted paths, and traits. For systems whose lists have paths of any shape.

use super::{Owners, WantedPaths, each_folder};
use rayon::prelude::*;
use tally_core::knowledge::{FolderClass, Traits, folder_class, trait_of};
use tally_core::model::{Package, System};

/// Surveys the packages of a system by as many threads as there are, each by a list of its own.
pub(super) fn survey_each(
    packages: &[Package],
    system: System,
    files_of: impl Fn(usize, &Package) -> Owners + Sync,
) -> Owners {
    let own: Vec<(usize, &Package)> =
        packages.iter().enumerate().filter(|(_, package)| package.system == system).collect();
    let found: Vec<Owners> = own.par_iter().map(|(at, package)| files_of(*at, package)).collect();
    let mut all = Owners::default();
    found.into_iter().for_each(|owners| all.absorb(owners));
    all
}

/// What is found out once about a folder, and holds for every file in it.
#[derive(Debug, Clone, Copy)]
pub(super) struct Look {
    class: FolderClass,
    has_wanted: bool,
}

/// The files of one package, as they are gone through.
pub(super) struct Files<'w> {
    at: usize,
    wanted: &'w WantedPaths,
    traits: Traits,
    path: Vec<u8>,
    owners: Owners,
}

impl<'w> Files<'w> {
    /// Nothing seen yet of the package at that position.
    pub(super) fn of(at: usize, wanted: &'w WantedPaths) -> Self {
        Self { at, wanted, traits: Traits::default(), path: Vec::new(), owners: Owners::default() }
    }

    /// Looks at a folder, with or without slashes around it.
    pub(super) fn look(&self, folder: &[u8]) -> Look {
        let folder = folder.strip_suffix(b"/").unwrap_or(folder);
        Look { class: folder_class(folder), has_wanted: self.wanted.has_in(folder) }
    }

    /// Takes note of a file in a folder that was looked at.
    pub(super) fn file(&mut self, look: Look, folder: &[u8], name: &[u8]) {
        if name.is_empty() {
            return;
        }
        if let Some(shown) = trait_of(look.class, name) {
            self.traits = self.traits.with(shown);
        }
        if !look.has_wanted {
            return;
        }
        self.path.clear();
        self.path.extend_from_slice(folder.strip_suffix(b"/").unwrap_or(folder));
        self.path.push(b'/');
        self.path.extend_from_slice(name);
        if let Some(path) = self.wanted.find(&self.path) {
            self.owners.insert(path, self.at);
        }
    }

    /// Takes note of paths, a line each; what ends with a slash is a folder, and shows nothing by itself.
    pub(super) fn list(&mut self, list: &[u8]) {
        // Lines keep their folders together, so a folder is looked at once for many of them.
        let wanted = self.wanted;
        each_folder(
            list,
            |folder| (folder, Look { class: folder_class(folder), has_wanted: wanted.has_in(folder) }),
            |(folder, look), _, name| self.file(look, folder, name),
        );
    }

    /// Takes note of a single path.
    pub(super) fn path(&mut self, path: &[u8]) {
        self.list(path);
    }

    /// All that was found.
    pub(super) fn done(mut self) -> Owners {
        self.owners.shows(self.at, self.traits);
        self.owners
    }
}
