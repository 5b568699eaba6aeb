//! The comparison document: what `compare --format json` prints.

use super::Alignment;
use crate::model::{Kind, Label, Menu, PackageRef, System, Tally, Text};
use crate::version::Step;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// The schema number of comparisons.
pub const COMPARISON_SCHEMA: u32 = 1;

macro_rules! sorts {
    ($(#[$meta:meta])* $name:ident { $($(#[$note:meta])* $variant:ident = $text:literal),+ $(,)? }) => {
        $(#[$meta])*
        #[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
        pub enum $name { $($(#[$note])* #[serde(rename = $text)] $variant),+ }

        impl $name {
            /// Every sort, in the order that a comparison lists them.
            pub const ALL: &'static [Self] = &[$(Self::$variant),+];

            /// The stable name.
            pub const fn name(self) -> &'static str {
                match self { $(Self::$variant => $text),+ }
            }
        }
    };
}

sorts! {
    /// What happened to a package.
    PackageSort {
        /// It came.
        Added = "added",
        /// It went.
        Removed = "removed",
        /// A later version.
        Upgraded = "upgraded",
        /// An earlier version.
        Downgraded = "downgraded",
        /// The same upstream version, another packaging revision.
        Rebuilt = "rebuilt",
        /// The same version for another architecture.
        ArchChanged = "arch-changed",
        /// The same version, but now chosen, or no longer.
        ReasonChanged = "reason-changed",
    }
}

sorts! {
    /// What happened to an application.
    ApplicationSort {
        /// It came.
        New = "new",
        /// It went.
        Gone = "gone",
        /// It comes from another package system.
        MovedFormat = "moved-format",
        /// It has another version.
        Updated = "updated",
        /// It stands in another menu.
        MovedMenu = "moved-menu",
    }
}

sorts! {
    /// What happened to a part.
    PartSort {
        /// Something else fills it.
        Replaced = "replaced",
        /// It came.
        New = "new",
        /// It went.
        Gone = "gone",
        /// A later version.
        Upgraded = "upgraded",
        /// An earlier version.
        Downgraded = "downgraded",
        /// The same.
        Same = "same",
    }
}

/// Name and version on one side of a change.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Side {
    /// Name.
    pub name: Text,
    /// Full version, in the system's own text.
    pub version: Text,
}

/// A change of one package.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct PackageChange {
    /// What happened.
    pub sort: PackageSort,
    /// Package system.
    pub system: System,
    /// The old side; `null` for an added package.
    pub old: Option<Side>,
    /// The new side; `null` for a removed package.
    pub new: Option<Side>,
    /// What it is (on the new side, where there is one).
    pub kind: Kind,
    /// How far an upgrade or downgrade goes.
    pub step: Option<Step>,
    /// The decision behind it.
    pub decision: Option<Text>,
    /// Whether the base made the same change; `null` without a base.
    pub inherited: Option<bool>,
    /// Change of the bytes on disk; `null` where a side does not tell.
    pub bytes_delta: Option<i64>,
}

/// A change of one application.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct ApplicationChange {
    /// What happened.
    pub sort: ApplicationSort,
    /// Identifier.
    pub id: Text,
    /// Name in the menu.
    pub name: Text,
    /// Menu (on the new side, where there is one).
    pub menu: Menu,
    /// Menu before, where it moved.
    pub old_menu: Option<Menu>,
    /// Old upstream version.
    pub old_version: Option<Text>,
    /// New upstream version.
    pub new_version: Option<Text>,
    /// Step between the two.
    pub step: Option<Step>,
    /// Systems that delivered it before.
    pub old_systems: Vec<System>,
    /// Systems that deliver it now.
    pub new_systems: Vec<System>,
}

/// A part on both sides.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct PartChange {
    /// What happened.
    pub sort: PartSort,
    /// Stable name of the part.
    pub part: Text,
    /// What filled it.
    pub old_name: Option<Text>,
    /// Its version.
    pub old_version: Option<Text>,
    /// What fills it.
    pub new_name: Option<Text>,
    /// Its version.
    pub new_version: Option<Text>,
    /// Step between the versions.
    pub step: Option<Step>,
    /// The package behind the new side, or the old one when it went.
    pub package: Option<PackageRef>,
}

/// The sums that every view of a comparison adds up to.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Totals {
    /// Packages that are there on the old side.
    pub old_packages: u32,
    /// Packages that are there on the new side.
    pub new_packages: u32,
    /// Pairs without any change.
    pub unchanged: u32,
    /// Changes by sort; sorts that did not occur are 0.
    pub packages: BTreeMap<PackageSort, u32>,
    /// Applications on the old side.
    pub old_applications: u32,
    /// Applications on the new side.
    pub new_applications: u32,
    /// Changes of applications by sort; sorts that did not occur are 0.
    pub applications: BTreeMap<ApplicationSort, u32>,
    /// Applications without any change.
    pub same_applications: u32,
    /// Bytes on disk of the old side's packages.
    pub old_bytes: u64,
    /// Bytes on disk of the new side's packages.
    pub new_bytes: u64,
}

impl Totals {
    pub(super) fn of(
        old: &Tally,
        new: &Tally,
        alignment: &Alignment,
        packages: &[PackageChange],
        applications: &[ApplicationChange],
    ) -> Self {
        let mut by_sort: BTreeMap<PackageSort, u32> =
            PackageSort::ALL.iter().map(|sort| (*sort, 0)).collect();
        for change in packages {
            *by_sort.entry(change.sort).or_default() += 1;
        }
        let mut by_application: BTreeMap<ApplicationSort, u32> =
            ApplicationSort::ALL.iter().map(|sort| (*sort, 0)).collect();
        for change in applications {
            *by_application.entry(change.sort).or_default() += 1;
        }
        let changed_pairs = packages.iter().filter(|c| c.old.is_some() && c.new.is_some()).count();
        let changed_applications = applications
            .iter()
            .filter(|c| c.sort != ApplicationSort::New && c.sort != ApplicationSort::Gone)
            .count();
        let gone = applications.iter().filter(|c| c.sort == ApplicationSort::Gone).count();
        Self {
            old_packages: count(old.present().count()),
            new_packages: count(new.present().count()),
            unchanged: count(alignment.pairs.len() - changed_pairs),
            packages: by_sort,
            old_applications: count(old.applications.len()),
            new_applications: count(new.applications.len()),
            applications: by_application,
            same_applications: count(old.applications.len() - gone - changed_applications),
            old_bytes: old.installed_bytes(),
            new_bytes: new.installed_bytes(),
        }
    }

    /// Number of package changes of one sort.
    pub fn packages_of(&self, sort: PackageSort) -> u32 {
        self.packages.get(&sort).copied().unwrap_or(0)
    }

    /// Number of application changes of one sort.
    pub fn applications_of(&self, sort: ApplicationSort) -> u32 {
        self.applications.get(&sort).copied().unwrap_or(0)
    }
}

fn count(n: usize) -> u32 {
    u32::try_from(n).unwrap_or(u32::MAX)
}

/// What differs between two installs.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Comparison {
    /// Schema number, [`COMPARISON_SCHEMA`].
    pub comparison: u32,
    /// The old install.
    pub old: Label,
    /// The new install.
    pub new: Label,
    /// All parts of both sides, unchanged ones included, in the order of the rules.
    pub parts: Vec<PartChange>,
    /// Applications that changed, by sort and name.
    pub applications: Vec<ApplicationChange>,
    /// Packages that changed, by sort and name.
    pub packages: Vec<PackageChange>,
    /// The sums.
    pub totals: Totals,
}

impl Comparison {
    /// Whether nothing at all differs in packages, applications and parts.
    pub fn is_empty(&self) -> bool {
        self.packages.is_empty()
            && self.applications.is_empty()
            && self.parts.iter().all(|change| change.sort == PartSort::Same)
    }
}
