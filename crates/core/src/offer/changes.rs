use super::{Catalog, Program};
use crate::model::Text;
use rustc_hash::FxHashSet;
use schemars::JsonSchema;
use serde::Serialize;

/// Something that is offered, or is no longer.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, JsonSchema)]
pub struct OfferChange {
    /// Name of the program, or of the package.
    pub name: Text,
    /// The package.
    pub package: Text,
    /// One line of description.
    pub summary: Text,
}

/// How the offer of two installs differs.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, JsonSchema)]
pub struct OfferChanges {
    /// Packages that were offered.
    pub old_packages: u32,
    /// Packages that are offered.
    pub new_packages: u32,
    /// Whether catalogues of programs told programs from packages on both sides; else the lists below are of packages.
    pub by_programs: bool,
    /// What came.
    pub came: Vec<OfferChange>,
    /// What went.
    pub went: Vec<OfferChange>,
}

/// What the repositories of the new install offer that those of the old do not, and the other way round: programs where catalogues
/// tell them, else packages.
pub fn offer_changes(old: (&[Catalog], &[Program]), new: (&[Catalog], &[Program])) -> OfferChanges {
    let count =
        |catalogs: &[Catalog]| catalogs.iter().map(Catalog::names_offered).fold(0, u32::saturating_add);
    let by_programs = !old.1.is_empty() && !new.1.is_empty();
    let (came, went) = if by_programs {
        (programs(new.1, old.1), programs(old.1, new.1))
    } else {
        (packages(new.0, old.0), packages(old.0, new.0))
    };
    OfferChanges { old_packages: count(old.0), new_packages: count(new.0), by_programs, came, went }
}

/// Programs that only the first has, by ID and by name: an ID may be written anew.
fn programs(ours: &[Program], theirs: &[Program]) -> Vec<OfferChange> {
    let known: FxHashSet<&str> = theirs.iter().flat_map(|one| [one.id.as_str(), one.name.as_str()]).collect();
    let alone =
        ours.iter().filter(|one| !known.contains(one.id.as_str()) && !known.contains(one.name.as_str()));
    let mut found: Vec<OfferChange> = alone
        .map(|one| OfferChange {
            name: one.name.clone(),
            package: one.package.clone(),
            summary: one.summary.clone(),
        })
        .collect();
    found.sort();
    found.dedup_by(|a, b| a.name == b.name);
    found
}

fn packages(ours: &[Catalog], theirs: &[Catalog]) -> Vec<OfferChange> {
    let known: FxHashSet<&str> = theirs.iter().flat_map(Catalog::names).map(|(name, _)| name).collect();
    let mut found = Vec::new();
    for catalog in ours {
        for (name, at) in catalog.names().filter(|(name, _)| !known.contains(name)) {
            let summary = catalog.get(at).map(|offered| offered.package.summary.clone()).unwrap_or_default();
            found.push(OfferChange { name: name.into(), package: name.into(), summary });
        }
    }
    found.sort();
    found
}
