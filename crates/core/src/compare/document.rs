//! The comparison document: what `compare --format json` prints.

use super::Alignment;
use crate::model::{
    AgentPurpose, Decided, Kind, Label, Menu, NotComparable, PackageRef, System, Tally, Text,
};
use crate::version::Step;
use crate::vocabulary;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// The schema number of comparisons.
pub const COMPARISON_SCHEMA: u32 = 2;

vocabulary! {
    /// What happened to a package.
    pub enum PackageChangeKind {
        /// Added.
        Added = "added",
        /// Removed.
        Removed = "removed",
        /// A later version.
        Upgraded = "upgraded",
        /// An earlier version.
        Downgraded = "downgraded",
        /// The same upstream version, another packaging revision.
        Rebuilt = "rebuilt",
        /// Another name, as the new one declares.
        Renamed = "renamed",
        /// Another series in the name: kernels, libraries, interpreters.
        NewSeries = "new-series",
        /// One old package became several.
        Split = "split",
        /// Several old packages became one.
        Merged = "merged",
        /// The same application, now delivered by another package system.
        FormatChanged = "format-changed",
        /// The same version for another architecture.
        ArchChanged = "arch-changed",
        /// The same version, but now installed explicitly, or no longer.
        ReasonChanged = "reason-changed",
    }
}

vocabulary! {
    /// What happened to an application.
    pub enum ApplicationChangeKind {
        /// Added.
        Added = "added",
        /// Removed.
        Removed = "removed",
        /// It took over the role of one that is gone: one change for both.
        Replaced = "replaced",
        /// It is delivered by another package system.
        FormatChanged = "format-changed",
        /// It has another version.
        Updated = "updated",
        /// It is in another menu.
        MenuChanged = "menu-changed",
        /// It is shown in the menu now; it was installed, but hidden.
        Shown = "shown",
        /// It is still installed, but hidden from the menu.
        Hidden = "hidden",
    }
}

vocabulary! {
    /// What happened to a default app.
    pub enum DefaultChangeKind {
        /// Another application is the default, and the earlier one is gone.
        Replaced = "replaced",
        /// Another application is the default; the earlier one is still installed.
        Switched = "switched",
        /// No application is left for the role.
        Lost = "lost",
        /// There is an application for a role that had none.
        Filled = "filled",
        /// Several applications could do it, and none is set any more.
        Ambiguous = "ambiguous",
    }
}

vocabulary! {
    /// What happened to an item of a list.
    pub enum ListChangeKind {
        /// Added.
        Added = "added",
        /// Removed.
        Removed = "removed",
        /// Another value.
        Changed = "changed",
    }
}

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

vocabulary! {
    /// What happened to a part of the system.
    pub enum PartChangeKind {
        /// Something else fills it.
        Replaced = "replaced",
        /// Added.
        Added = "added",
        /// Removed.
        Removed = "removed",
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
pub struct NameAndVersion {
    /// Name.
    pub name: Text,
    /// Full version, in the system's own text.
    pub version: Text,
}

/// A change of one package.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct PackageChange {
    /// What happened.
    pub change: PackageChangeKind,
    /// Package system.
    pub system: System,
    /// The old side; `null` for an added package.
    pub old: Option<NameAndVersion>,
    /// The new side; `null` for a removed package.
    pub new: Option<NameAndVersion>,
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
    pub change: ApplicationChangeKind,
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
    pub in_place_of: Option<NameAndVersion>,
    /// The role that it took, where it replaced another one.
    #[serde(default)]
    pub role: Option<Text>,
}

/// A change of what opens what.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct DefaultChange {
    /// What happened.
    pub change: DefaultChangeKind,
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
    /// What decided it on the new side.
    pub decided: Decided,
    /// Whether the base made the same change; `null` without a base.
    pub inherited: Option<bool>,
}

vocabulary! {
    /// What stands in a list.
    pub enum ListItem {
        /// A repository.
        Repository = "repository",
        /// A startup item.
        Startup = "startup",
        /// A session.
        Session = "session",
        /// A theme.
        Theme = "theme",
        /// A set of icons.
        IconSet = "icon-set",
        /// Wallpapers, with the number of pictures.
        Wallpapers = "wallpapers",
        /// A font.
        Font = "font",
        /// The session that starts by default.
        DefaultSession = "default-session",
        /// The theme of new users.
        DefaultTheme = "default-theme",
        /// The icons of new users.
        DefaultIcons = "default-icons",
        /// The font of new users.
        DefaultFont = "default-font",
        /// The wallpaper of new users.
        DefaultWallpaper = "default-wallpaper",
    }
}

/// A change in a list: repositories, startup items, looks.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct ListChange {
    /// What happened.
    pub change: ListChangeKind,
    /// What it is.
    pub item: ListItem,
    /// Its name; empty for a default.
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
    pub not_comparable: Option<NotComparable>,
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

/// A role or a part with the words that the rules have for it.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
pub struct Named {
    /// Stable name.
    pub name: Text,
    /// What it is called.
    pub label: Text,
}

/// Name and version of what fills a part.
#[derive(Debug, Clone, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
pub struct Filling {
    /// Its name.
    pub name: Text,
    /// Its version.
    pub version: Option<Text>,
}

/// How much a decision adds or removes.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
pub struct Weight {
    /// Packages.
    pub packages: u32,
    /// Change of the bytes on disk.
    pub bytes_delta: i64,
}

/// What a headline says.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "news", rename_all = "kebab-case")]
pub enum News {
    /// Another default app.
    Default {
        /// What happened.
        change: DefaultChangeKind,
        /// Applications that were the default.
        was: Vec<Text>,
        /// The application that is, if any.
        is: Option<Text>,
        /// The roles, the most important first.
        roles: Vec<Named>,
    },
    /// A part was replaced or has another version.
    Part {
        /// What happened.
        change: PartChangeKind,
        /// The part.
        part: Named,
        /// How far the version moved.
        step: Option<Step>,
        /// What filled it.
        was: Filling,
        /// What fills it.
        is: Filling,
    },
    /// Applications that were added, removed, or are delivered by another package system.
    Applications {
        /// What happened.
        change: ApplicationChangeKind,
        /// Their names.
        names: Vec<Text>,
        /// What they bring along or take with them.
        weight: Weight,
        /// Package systems before.
        old_systems: Vec<System>,
        /// Package systems now.
        new_systems: Vec<System>,
    },
    /// A decision with large consequences.
    Decision {
        /// What was decided.
        kind: DecisionKind,
        /// What it is about.
        names: Vec<Text>,
        /// What shows it.
        #[serde(flatten)]
        reason: DecisionReason,
        /// All that followed.
        weight: Weight,
        /// The sandbox system that delivers it, if one does.
        system: Option<System>,
    },
    /// Games that were added or removed.
    Games {
        /// What happened.
        change: ApplicationChangeKind,
        /// Their names.
        names: Vec<Text>,
    },
    /// A repository that was not configured before.
    RepositoryAdded {
        /// Its name.
        repository: Text,
    },
    /// A program that starts by itself and reports to its makers.
    AgentAdded {
        /// Its name.
        name: Text,
        /// What it does.
        purpose: AgentPurpose,
    },
    /// Programs that start by themselves now.
    StartupAdded {
        /// Their names.
        names: Vec<Text>,
    },
    /// The whole install is larger or smaller.
    Size {
        /// Bytes on disk before.
        old_bytes: u64,
        /// Bytes on disk now.
        new_bytes: u64,
        /// Whether there are many more languages.
        more_languages: bool,
    },
}

/// One line of the headlines.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Headline {
    /// The rule of the scoring table.
    pub rule: Text,
    /// Its score, with what the rule adds for size.
    pub score: u32,
    /// What it says.
    #[serde(flatten)]
    pub news: News,
    /// What it is about: `role:...`, `part:...`, `application:...`, `decision:...`.
    pub about: Text,
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

/// A part on both sides.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct PartChange {
    /// What happened.
    pub change: PartChangeKind,
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
            && self.parts.iter().all(|change| change.change == PartChangeKind::Same)
    }
}
