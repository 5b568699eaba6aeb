//! Prints what kinds are told by, for packages of a real root: how the fixture of hand-checked kinds was made.
//!
//! `kind_facts ROOT LIST` reads lines of `NAME<TAB>KIND|KIND` (the truth, by hand) and prints lines of name, section,
//! `essential`, `needs`, traits, categories of its shown launchers, summary, truth.

mod common;

use tally_core::knowledge::Trait;
use tally_core::model::Does;
use tally_readers::packages::{PackageReader, WantedPaths, dpkg::Dpkg};
use tally_trees::{Folder, Tree};

#[allow(clippy::print_stdout, reason = "this is a program of its own")]
fn main() -> Result<(), Box<dyn std::error::Error>> {
    let [root, list] = &std::env::args().skip(1).collect::<Vec<_>>()[..] else {
        return Err("usage: kind_facts ROOT LIST".into());
    };
    let folder = Folder::open(root.as_ref())?;
    let tree: &dyn Tree = &folder;
    let tally = common::take(tree)?;
    let owners = Dpkg.scan_file_lists(tree, &tally.packages, &WantedPaths::new(true));
    let traits = owners.traits(tally.packages.len());
    for line in std::fs::read_to_string(list)?.lines() {
        let (name, truth) = line.split_once('\t').ok_or("a line has no tab")?;
        let Some(at) = tally.packages.iter().position(|package| package.name == name) else { continue };
        let package = &tally.packages[at];
        let shown: Vec<String> = tally
            .launchers
            .iter()
            .filter(|l| l.shown && l.package.as_ref() == Some(&package.reference()))
            .filter(|l| matches!(l.does, Does::Program | Does::SettingsPage))
            .map(|l| l.categories.join(";"))
            .collect();
        let shows = match traits[at] {
            None => "unknown".to_owned(),
            Some(traits) => {
                let has = Trait::ALL.iter().filter(|one| traits.has_all([**one].into_iter().collect()));
                has.map(|one| one.name()).collect::<Vec<_>>().join(",")
            }
        };
        println!(
            "{name}\t{}\t{}\t{}\t{shows}\t{}\t{}\t{truth}",
            package.section,
            if package.essential { "essential" } else { "" },
            if package.depends.is_empty() { "" } else { "needs" },
            shown.join("|"),
            package.summary,
        );
    }
    Ok(())
}
