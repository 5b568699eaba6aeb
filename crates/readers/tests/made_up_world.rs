//! The made-up world is one that could be: whatever family an install is written in, nothing it needs is missing, and what its readers
//! find out of it fits together.
#![allow(clippy::unwrap_used, clippy::panic, reason = "tests may fail")]

mod common;

use common::taken;
use rayon::prelude::*;
use saltmarsh::{Family, World};
use std::collections::BTreeSet;
use std::sync::OnceLock;
use tally_core::derive::application_id;
use tally_core::graph::Graph;
use tally_core::model::{Dependency, Kind, MissingFact, Package, System, Tally};
use tally_trees::Folder;

/// Each install of the story in each family, with words that tell which it is.
fn all() -> &'static [(String, Tally)] {
    static ALL: OnceLock<Vec<(String, Tally)>> = OnceLock::new();
    ALL.get_or_init(|| {
        let world = World::load().unwrap();
        let each = world
            .installs()
            .iter()
            .flat_map(|install| Family::ALL.iter().map(move |family| (install, family)));
        let each: Vec<_> = each.collect();
        let read = each.par_iter().map(|(install, (name, family))| {
            let dir = tempfile::tempdir().unwrap();
            saltmarsh::write_install_as(&world, install, *family, dir.path()).unwrap();
            let tree = Folder::open(dir.path()).unwrap();
            (format!("{} as {name}", install.key), taken(&tree, None))
        });
        read.collect()
    })
}

fn each_install(mut with: impl FnMut(&str, &Tally)) {
    all().iter().for_each(|(what, tally)| with(what, tally));
}

fn is_native(package: &Package) -> bool {
    !package.system.is_sandbox()
}

/// Whether a package answers to a name, versions aside: the story's own are held by the packages' real tools.
fn answers(package: &Package, wanted: &Dependency) -> bool {
    package.plain_name() == wanted.name
        || package.name == wanted.name
        || package.provides.iter().any(|provided| provided.name == wanted.name)
}

#[test]
fn every_install_of_every_family_fits_together() {
    let mut seen = 0;
    each_install(|what, tally| {
        seen += 1;
        assert!(tally.unread.is_empty(), "{what}: {:?}", tally.unread);
        let present: Vec<&Package> = tally.present().collect();
        // What is needed is there.
        for package in present.iter().filter(|package| is_native(package)) {
            for group in &package.depends {
                let there = present.iter().any(|other| group.iter().any(|wanted| answers(other, wanted)));
                assert!(there, "{what}: {} needs {group:?}", package.name);
            }
        }
        // A program stands in one package, which is there with its version.
        for launcher in &tally.launchers {
            let package =
                launcher.package.as_ref().unwrap_or_else(|| panic!("{what}: nobody owns {}", launcher.id));
            let owner = present.iter().find(|one| one.reference() == *package);
            let owner = owner.unwrap_or_else(|| panic!("{what}: {package} is not there"));
            assert_eq!(
                launcher.version.as_deref(),
                Some(owner.upstream_version.as_str()),
                "{what}: {}",
                launcher.id
            );
        }
        for application in &tally.applications {
            assert!(
                application.launchers.iter().any(|id| application_id(id) == application.id),
                "{what}: {}",
                application.id
            );
            assert!(!application.delivered.is_empty(), "{what}: {}", application.id);
        }
        // Whatever answers is a program that is there, the first of all that could.
        for choice in &tally.defaults {
            assert_eq!(
                choice.application.as_ref(),
                choice.candidates.first().filter(|_| choice.application.is_some()),
                "{what}"
            );
            if let Some(id) = &choice.launcher {
                assert!(
                    tally.launchers.iter().any(|launcher| launcher.id == *id),
                    "{what}: {}",
                    choice.asked
                );
            }
        }
        let unknown: Vec<&str> =
            present.iter().filter(|one| one.kind == Kind::Unknown).map(|one| one.name.as_str()).collect();
        assert!(unknown.is_empty(), "{what}: {unknown:?}");
        // Names are told once, but for architectures beside one another.
        let names: BTreeSet<_> =
            present.iter().map(|one| (one.system, &one.name, &one.arch, &one.version)).collect();
        assert_eq!(names.len(), present.len(), "{what}");
    });
    assert_eq!(seen, World::load().unwrap().installs().len() * Family::ALL.len());
}

/// Where reasons and recommendations are kept, every package is there because somebody chose it, or because something leads to it.
#[test]
fn what_followed_followed_something() {
    let mut held = 0;
    each_install(|what, tally| {
        let graph = Graph::new(&tally.packages);
        let recommended = tally.present().any(|package| !package.recommends.is_empty());
        if !recommended || tally.lacks(MissingFact::Reasons) {
            return;
        }
        held += 1;
        let orphans: Vec<&str> = graph
            .all()
            .filter(|at| is_native(graph.package(*at)) && graph.paths_to(*at).is_empty())
            .map(|at| graph.package(at).name.as_str())
            .collect();
        assert!(orphans.is_empty(), "{what}: nothing leads to {orphans:?}");
    });
    assert!(held >= World::load().unwrap().installs().len(), "{held}");
}

/// The families are ways to write one story down: whatever is read of them is the same, but for what a family can't tell.
#[test]
fn all_families_tell_of_the_same_programs_and_sizes() {
    let mut told: Vec<(String, BTreeSet<String>, usize)> = Vec::new();
    each_install(|what, tally| {
        let install = what.split(" as ").next().unwrap().to_owned();
        let programs = tally.applications.iter().map(|one| format!("{} {:?}", one.name, one.menu)).collect();
        let sandboxed =
            tally.present().filter(|one| matches!(one.system, System::Snap | System::Flatpak)).count();
        match told.iter().find(|(known, ..)| *known == install) {
            None => told.push((install, programs, sandboxed)),
            Some((_, first, boxed)) => assert_eq!((first, *boxed), (&programs, sandboxed), "{what}"),
        }
    });
    assert!(told.iter().all(|(_, programs, _)| programs.len() > 2));
}
