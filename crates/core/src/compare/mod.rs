//! Two tallies in, one comparison out: pure computation, one step a module.

mod align;
mod applications;
mod document;
mod packages;
mod parts;

pub use align::{Alignment, Pair, align};
pub use document::{
    ApplicationChange, ApplicationSort, COMPARISON_SCHEMA, Comparison, PackageChange, PackageSort,
    PartChange, PartSort, Side, Totals,
};

use crate::model::{Package, Tally};

/// Compares an older install with a newer one (or any two).
///
/// Every package of both sides is accounted for: unchanged pairs in the totals, all others as changes.
/// Packages of which only configuration files are left count as absent.
pub fn compare(old: &Tally, new: &Tally) -> Comparison {
    let old_packages: Vec<&Package> = old.present().collect();
    let new_packages: Vec<&Package> = new.present().collect();
    let alignment = align(&old_packages, &new_packages);
    let packages = packages::changes(&old_packages, &new_packages, &alignment);
    let applications = applications::changes(&old.applications, &new.applications);
    let parts = parts::changes(&old.parts, &new.parts);
    let totals = Totals::of(old, new, &alignment, &packages, &applications);
    Comparison {
        comparison: COMPARISON_SCHEMA,
        old: old.label.clone(),
        new: new.label.clone(),
        parts,
        applications,
        packages,
        totals,
    }
}
