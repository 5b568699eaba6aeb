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
        /// Another name, as the new one declares.
        Renamed = "renamed",
        /// Another series number in the name: kernels, library series, interpreters.
        Renumbered = "renumbered",
        /// One old package became several.
        Split = "split",
        /// Several old packages became one.
        Merged = "merged",
        /// The same application, by another package system.
        MovedFormat = "moved-format",
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
        /// It left a role, and another one took it: one line for both.
        Replaced = "replaced",
        /// It comes from another package system.
        MovedFormat = "moved-format",
        /// It has another version.
        Updated = "updated",
        /// It stands in another menu.
        MovedMenu = "moved-menu",
        /// It stands in the menu now; it was there, and hidden.
        Shown = "shown",
        /// It is still there, and no longer stands in the menu.
        Hidden = "hidden",
    }
}

sorts! {
    /// What happened to a default.
    DefaultSort {
        /// Another application holds the role, and the earlier one is gone.
        Replaced = "replaced",
        /// Another application holds the role; the earlier one is still there.
        DefaultChanged = "default-changed",
        /// Nothing holds the role any more.
        NowEmpty = "now-empty",
        /// Something holds the role that nothing held.
        NowFilled = "now-filled",
        /// Several could, and none is chosen any more.
        NowUnsure = "now-unsure",
    }
}

sorts! {
    /// What happened to something in a list.
    ListSort {
        /// It came.
        Added = "added",
        /// It went.
        Removed = "removed",
        /// It says something else.
        Changed = "changed",
    }
}

sorts! {
    /// What a decision was.
    DecisionSort {
        /// Something was put in on purpose.
        PutIn = "put-in",
        /// Something was taken out on purpose.
        TakenOut = "taken-out",
        /// A package that stays needs it now.
        NewlyNeeded = "newly-needed",
        /// A package that stays needs it no longer.
        NoLongerNeeded = "no-longer-needed",
        /// Several decisions bring it.
        SharedNew = "shared-new",
        /// Several decisions brought it.
        SharedOld = "shared-old",
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
    /// Identifier and name of what it took the place of.
    #[serde(default)]
    pub in_place_of: Option<Side>,
    /// The role that it took, where it replaced another one.
    #[serde(default)]
    pub role: Option<Text>,
}

/// A change of what opens what.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct DefaultChange {
    /// What happened.
    pub sort: DefaultSort,
    /// The role.
    pub role: Text,
    /// The type or category that was asked.
    pub asked: Text,
    /// The application that held it; `null` when none did.
    pub old: Option<Text>,
    /// The application that holds it.
    pub new: Option<Text>,
    /// Whether the new answer is set, or the only one.
    pub sure: bool,
    /// What says so on the new side.
    pub how: Text,
    /// Whether the base made the same change; `null` without a base.
    pub inherited: Option<bool>,
}

/// A change in a list: repositories, startup items, looks.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct ListChange {
    /// What happened.
    pub sort: ListSort,
    /// What it is.
    pub name: Text,
    /// What was said of it.
    pub old: Option<Text>,
    /// What is said of it now.
    pub new: Option<Text>,
    /// Whether the base made the same change; `null` without a base.
    pub inherited: Option<bool>,
}

/// A figure on both sides.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct ReadingChange {
    /// What was measured.
    pub what: Text,
    /// Its unit.
    pub unit: Text,
    /// The old figure.
    pub old: f64,
    /// The new figure.
    pub new: f64,
    /// The difference, where the two compare.
    pub difference: Option<f64>,
    /// Why they do not.
    pub not_comparable: Option<Text>,
}

/// One choice, and all that followed from it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Decision {
    /// Short name within this comparison: `d1` has the largest consequence.
    pub id: Text,
    /// What was decided: an application or package, or the packages that need or share something.
    pub what: Text,
    /// What was done.
    pub sort: DecisionSort,
    /// What shows that.
    pub because: Text,
    /// The package that was put in or taken out; `null` where there is no single one.
    pub head: Option<PackageRef>,
    /// Packages that followed.
    pub followers: u32,
    /// Change of the bytes on disk by all of them.
    pub bytes_delta: i64,
    /// All packages of the decision, by name.
    pub packages: Vec<PackageRef>,
    /// Whether the base made the same decision; `null` without a base.
    pub inherited: Option<bool>,
}

/// One line of the headlines.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Headline {
    /// The rule of the scoring table.
    pub rule: Text,
    /// Its score, with what the rule adds for size.
    pub score: u32,
    /// One sentence.
    pub text: Text,
    /// What it is about: `role:...`, `part:...`, `application:...`, `decision:...`.
    pub about: Text,
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
    /// Whether the base made the same change; `null` without a base.
    #[serde(default)]
    pub inherited: Option<bool>,
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
    /// Decisions.
    pub decisions: u32,
    /// Packages that came or went, and that no decision explains.
    pub unexplained: u32,
    /// Changes of packages that the base made as well; `null` without a base.
    pub inherited: Option<u32>,
    /// Changes of packages that the base made and this one did not; `null` without a base.
    pub held_back: Option<u32>,
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
        let further = |c: &&PackageChange| matches!(c.sort, PackageSort::Split | PackageSort::Merged);
        let changed_pairs =
            packages.iter().filter(|c| c.old.is_some() && c.new.is_some() && !further(c)).count();
        let came = |sort| matches!(sort, ApplicationSort::New | ApplicationSort::Shown);
        let went = |sort| matches!(sort, ApplicationSort::Gone | ApplicationSort::Hidden);
        let changed_applications = applications.iter().filter(|c| !came(c.sort) && !went(c.sort)).count();
        let gone = applications.iter().filter(|c| went(c.sort)).count();
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
            decisions: 0,
            unexplained: 0,
            inherited: None,
            held_back: None,
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
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Comparison {
    /// Schema number, [`COMPARISON_SCHEMA`].
    pub comparison: u32,
    /// The old install.
    pub old: Label,
    /// The new install.
    pub new: Label,
    /// The few lines that matter most, best first; at most twelve.
    pub headlines: Vec<Headline>,
    /// All parts of both sides, unchanged ones included, in the order of the rules.
    pub parts: Vec<PartChange>,
    /// Applications that changed, by sort and name.
    pub applications: Vec<ApplicationChange>,
    /// Defaults that changed, in the order of the roles.
    pub defaults: Vec<DefaultChange>,
    /// Packages that changed, by sort and name.
    pub packages: Vec<PackageChange>,
    /// Decisions, the one with the largest consequence first.
    pub decisions: Vec<Decision>,
    /// Repositories that came, went, or changed.
    pub repositories: Vec<ListChange>,
    /// Startup items that came or went.
    pub startup: Vec<ListChange>,
    /// Sessions, themes, wallpapers, fonts that came, went, or changed.
    pub looks: Vec<ListChange>,
    /// Figures that were measured on both sides.
    pub readings: Vec<ReadingChange>,
    /// Changes that the base made and this one did not; empty without a base.
    pub held_back: Vec<PackageChange>,
    /// The sums.
    pub totals: Totals,
    /// What is not compared, since one of the two sources can't tell it: `programs` (with what opens what), `weight`,
    /// `decisions`, `repositories`, `startup`, `looks`, `readings`.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub untold: Vec<Text>,
}

impl Comparison {
    /// Whether nothing at all differs. Readings don't count: they differ from moment to moment.
    pub fn is_empty(&self) -> bool {
        self.packages.is_empty()
            && self.applications.is_empty()
            && self.defaults.is_empty()
            && self.repositories.is_empty()
            && self.startup.is_empty()
            && self.looks.is_empty()
            && self.parts.iter().all(|change| change.sort == PartSort::Same)
    }
}
