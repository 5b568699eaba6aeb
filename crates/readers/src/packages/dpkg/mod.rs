//! Debian packages: `var/lib/dpkg`, by deb822(5), deb-control(5) and dpkg(1). See `docs/formats/dpkg.md`.

mod changelog;
mod control;
mod extended;
mod history;
mod lists;
mod offer;
mod relations;
mod sources;
mod status;

pub use control::{Field, Stanza, stanzas};
pub(crate) use offer::{STANZAS, from_bytes as stanzas_of_list, release as read_release};
pub(crate) use status::read as read_status;

use super::{Owners, PackageFacts, PackageReader, RepositoryFacts, WantedPaths, native_arch};
use crate::logs::Clock;
use crate::text::name_text;
use tally_core::history::SystemRecords;
use tally_core::model::{Label, MissingFact, Package, System, Text, Unread};
use tally_trees::{Tree, TreeError};

const STATUS: &str = "var/lib/dpkg/status";
const STATUS_FOLDER: &str = "var/lib/dpkg/status.d";
const EXTENDED: &str = "var/lib/apt/extended_states";

/// The dpkg reader.
#[derive(Debug)]
pub struct Dpkg;

impl PackageReader for Dpkg {
    fn system(&self) -> System {
        System::Dpkg
    }

    fn paths(&self) -> &'static [&'static str] {
        &[
            "var/lib/dpkg status status.d/* diversions info/*.list alternatives/*",
            "var/lib/apt extended_states",
        ]
    }

    fn page(&self) -> &'static str {
        "dpkg"
    }

    fn detect(&self, tree: &dyn Tree) -> bool {
        tree.exists(STATUS) || tree.is_folder(STATUS_FOLDER)
    }

    fn read(&self, tree: &dyn Tree) -> PackageFacts {
        let mut facts = PackageFacts::default();
        match tree.read(STATUS) {
            Ok(bytes) => status::read(STATUS, &bytes, &mut facts),
            Err(error) if error.is_missing() => {}
            Err(error) => facts.unread.push(unread(STATUS, &error)),
        }
        for entry in tree.names(STATUS_FOLDER) {
            let name = name_text(&entry.name);
            if name.ends_with(".md5sums") {
                continue;
            }
            let file = format!("{STATUS_FOLDER}/{name}");
            match tree.read(&file) {
                Ok(bytes) => status::read(&file, &bytes, &mut facts),
                Err(error) => facts.unread.push(unread(&file, &error)),
            }
        }
        facts.native_arch = native_arch(&facts.packages, &["dpkg"]);
        match tree.read(EXTENDED) {
            Ok(bytes) => extended::apply(EXTENDED, &bytes, &mut facts),
            Err(error) => {
                facts.missing.push(MissingFact::Reasons);
                if !error.is_missing() {
                    facts.unread.push(unread(EXTENDED, &error));
                }
            }
        }
        facts
    }

    fn scan_file_lists(&self, tree: &dyn Tree, packages: &[Package], wanted: &WantedPaths) -> Owners {
        lists::scan_file_lists(tree, packages, wanted)
    }

    fn repositories(&self, tree: &dyn Tree, packages: &[Package], label: &Label) -> RepositoryFacts {
        sources::read(tree, packages, label)
    }

    fn built(&self, tree: &dyn Tree, package: &Package) -> Option<Text> {
        changelog::day(tree, package)
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

fn unread(file: &str, error: &TreeError) -> Unread {
    Unread::whole(file, error.why.to_string())
}
