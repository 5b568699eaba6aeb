//! The comparison document: what `compare --format json` prints.

use super::Alignment;
use super::changes::{
    ApplicationChange, ApplicationChangeKind, DefaultChange, ListChange, PackageChange, PackageChangeKind,
    PartChange, PartChangeKind, PictureChange, ReadingChange,
};
use super::news::{Headline, KeyFigure};
use crate::model::{Label, PackageRef, Tally, Text};
use crate::vocabulary;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// The schema number of comparisons.
pub const COMPARISON_SCHEMA: u32 = 2;

vocabulary! {
    /// What was decided.
    pub enum DecisionKind {
        /// Something was added on purpose.
        AddedOnPurpose = "added-on-purpose",
        /// Something was dropped on purpose.
        DroppedOnPurpose = "dropped-on-purpose",
        /// A package that stays has new dependencies.
        NewDependency = "new-dependency",
        /// A package that stays lost dependencies.
        DependencyLost = "dependency-lost",
        /// Several additions need it.
        SharedAddition = "shared-addition",
        /// Several removals needed it.
        SharedRemoval = "shared-removal",
    }
}

/// What shows that something was decided.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "because", rename_all = "kebab-case")]
pub enum DecisionReason {
    /// It is, or was, installed explicitly.
    InstalledExplicitly,
    /// It was removed after the install day, by whoever worked on that install.
    RemovedSince,
    /// Nothing else pulls it in, where the source records no reasons.
    NothingElse,
    /// A metapackage that stays pulls it in now, or no longer.
    Metapackage {
        /// The metapackage.
        metapackage: Text,
        /// Whether the metapackage itself changed; otherwise it asked for it all along.
        is_new: bool,
    },
    /// A package that stays has new dependencies, or lost some.
    Dependencies {
        /// Packages that it depends on now, or no longer.
        dependencies: Vec<Text>,
        /// Whether the dependency itself changed; otherwise it could use them all along.
        is_new: bool,
        /// Whether the source package stays; otherwise another one took its place.
        stays: bool,
    },
    /// Several decisions need it.
    Shared,
}

/// Something that was decided, and all that followed from it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Decision {
    /// Short name within this comparison: `d1` has the largest consequence.
    pub id: Text,
    /// What it is about: an application or package; of a shared one all that need it.
    pub names: Vec<Text>,
    /// What was decided.
    pub kind: DecisionKind,
    /// What shows that.
    #[serde(flatten)]
    pub reason: DecisionReason,
    /// The package that was added or dropped; `null` where there is no single one.
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

vocabulary! {
    /// What a comparison leaves out, since one of the two sources does not record it.
    pub enum Section {
        /// Applications and default apps.
        Programs = "programs",
        /// Bytes on disk.
        Sizes = "sizes",
        /// Decisions.
        Decisions = "decisions",
        /// Repositories.
        Repositories = "repositories",
        /// Startup items.
        Startup = "startup",
        /// Sessions, themes, wallpapers, fonts.
        Looks = "looks",
        /// Measured figures.
        Readings = "readings",
    }
}

/// What a comparison does not know.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(default)]
pub struct NotRecorded {
    /// Sections that one of the two sources does not record.
    pub sections: Vec<Section>,
    /// Packages that were removed since installation, whose menu entries are not known.
    pub menu_entries_of: Vec<Text>,
}

impl NotRecorded {
    /// Whether a section is left out.
    pub fn has(&self, section: Section) -> bool {
        self.sections.contains(&section)
    }

    /// Whether nothing is left out.
    pub fn is_empty(&self) -> bool {
        self.sections.is_empty() && self.menu_entries_of.is_empty()
    }
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
    /// Changes by kind; kinds that did not occur are 0.
    pub packages: BTreeMap<PackageChangeKind, u32>,
    /// Applications on the old side.
    pub old_applications: u32,
    /// Applications on the new side.
    pub new_applications: u32,
    /// Changes of applications by kind; kinds that did not occur are 0.
    pub applications: BTreeMap<ApplicationChangeKind, u32>,
    /// Applications without any change.
    pub same_applications: u32,
    /// Startup items on the old side that are started.
    #[serde(default)]
    pub old_startup: u32,
    /// Startup items on the new side that are started.
    #[serde(default)]
    pub new_startup: u32,
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
        let mut by_kind: BTreeMap<PackageChangeKind, u32> =
            PackageChangeKind::ALL.iter().map(|change| (*change, 0)).collect();
        for change in packages {
            *by_kind.entry(change.change).or_default() += 1;
        }
        let mut by_application: BTreeMap<ApplicationChangeKind, u32> =
            ApplicationChangeKind::ALL.iter().map(|change| (*change, 0)).collect();
        for change in applications {
            *by_application.entry(change.change).or_default() += 1;
        }
        let further =
            |c: &&PackageChange| matches!(c.change, PackageChangeKind::Split | PackageChangeKind::Merged);
        let changed_pairs =
            packages.iter().filter(|c| c.old.is_some() && c.new.is_some() && !further(c)).count();
        let came = |change| matches!(change, ApplicationChangeKind::Added | ApplicationChangeKind::Shown);
        let went = |change| matches!(change, ApplicationChangeKind::Removed | ApplicationChangeKind::Hidden);
        let changed_applications = applications.iter().filter(|c| !came(c.change) && !went(c.change)).count();
        let gone = applications.iter().filter(|c| went(c.change)).count();
        Self {
            old_packages: count(old.present().count()),
            new_packages: count(new.present().count()),
            unchanged: count(alignment.pairs.len() - changed_pairs),
            packages: by_kind,
            old_applications: count(old.applications.len()),
            new_applications: count(new.applications.len()),
            applications: by_application,
            same_applications: count(old.applications.len() - gone - changed_applications),
            old_startup: count(started(old)),
            new_startup: count(started(new)),
            old_bytes: old.installed_bytes(),
            new_bytes: new.installed_bytes(),
            decisions: 0,
            unexplained: 0,
            inherited: None,
            held_back: None,
        }
    }

    /// Number of package changes of one kind.
    pub fn packages_of(&self, change: PackageChangeKind) -> u32 {
        self.packages.get(&change).copied().unwrap_or(0)
    }

    /// Number of application changes of one kind.
    pub fn applications_of(&self, change: ApplicationChangeKind) -> u32 {
        self.applications.get(&change).copied().unwrap_or(0)
    }
}

fn started(tally: &Tally) -> usize {
    tally.startup.iter().filter(|item| item.enabled).count()
}

fn count(n: usize) -> u32 {
    u32::try_from(n).unwrap_or(u32::MAX)
}

/// What differs between two installs.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Comparison {
    /// Schema number, [`COMPARISON_SCHEMA`].
    pub schema_version: u32,
    /// The old install.
    pub old: Label,
    /// The new install.
    pub new: Label,
    /// Versions that people ask for first, changed or not.
    #[serde(default)]
    pub key_figures: Vec<KeyFigure>,
    /// The few lines that matter most, best first; at most twelve.
    pub headlines: Vec<Headline>,
    /// All parts of both sides, unchanged ones included, in the order of the rules.
    pub parts: Vec<PartChange>,
    /// Applications that changed, by kind and name.
    pub applications: Vec<ApplicationChange>,
    /// Defaults that changed, in the order of the roles.
    pub defaults: Vec<DefaultChange>,
    /// Packages that changed, by kind and name.
    pub packages: Vec<PackageChange>,
    /// Decisions, the one with the largest consequence first.
    pub decisions: Vec<Decision>,
    /// Repositories that came, went, or changed.
    pub repositories: Vec<ListChange>,
    /// Startup items that came or went.
    pub startup: Vec<ListChange>,
    /// Sessions, themes, wallpapers, fonts that came, went, or changed.
    pub looks: Vec<ListChange>,
    /// Settings that came, went, or changed, but for those that the looks tell.
    pub settings: Vec<ListChange>,
    /// What came to be opened or played, or is not any more.
    pub media: Vec<ListChange>,
    /// Wallpapers, logos and the like of both sides, where both record them.
    pub pictures: Vec<PictureChange>,
    /// Figures that were measured on both sides.
    pub readings: Vec<ReadingChange>,
    /// Changes that the base made and this one did not; empty without a base.
    pub held_back: Vec<PackageChange>,
    /// The sums.
    pub totals: Totals,
    /// What is not compared.
    #[serde(default, skip_serializing_if = "NotRecorded::is_empty")]
    pub not_recorded: NotRecorded,
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
            && self.settings.is_empty()
            && self.media.is_empty()
            && self.parts.iter().all(|change| change.change == PartChangeKind::Same)
    }
}
