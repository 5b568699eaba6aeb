use super::likeness::Likeness;
use crate::model::{Evidence, Kind, Label, NotComparable, PackageRef, System, Text};
use crate::vocabulary;
use schemars::JsonSchema;
use serde::Serialize;
use std::collections::BTreeMap;

/// Schema number of a grid document.
pub const GRID_SCHEMA: u32 = 2;

vocabulary! {
    /// What the rows of a grid are about, in the order that they are in.
    pub enum RowGroup {
        /// What was asked for by name.
        Asked = "asked",
        /// What the installs are.
        Label = "label",
        /// Parts of the system.
        Parts = "parts",
        /// Default apps, by role.
        Defaults = "defaults",
        /// Numbers of packages, programs and the like.
        Counts = "counts",
        /// Bytes on disk.
        Sizes = "sizes",
        /// Programs that not all of them have, or not in one version.
        Programs = "programs",
        /// What starts by itself.
        Startup = "startup",
        /// Where packages come from.
        Repositories = "repositories",
        /// Sessions, themes, wallpapers, fonts.
        Looks = "looks",
        /// What can be opened and played.
        Media = "media",
        /// What is set for new users.
        Settings = "settings",
        /// Figures measured on the running installs.
        Readings = "readings",
    }
}

/// Installs side by side.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct Grid {
    /// Schema number of this document.
    pub schema_version: u32,
    /// The installs, in the order of the cells; each handle stands once.
    pub installs: Vec<Label>,
    /// The rows.
    pub rows: Vec<GridRow>,
    /// Packages that all of them have.
    pub shared: u64,
    /// Packages that one alone has, by its handle.
    pub only: BTreeMap<Text, Vec<PackageRef>>,
    /// Packages that one alone lacks, by its handle; empty for two installs.
    pub only_lacks: BTreeMap<Text, Vec<PackageRef>>,
    /// Applications that all of them have.
    pub shared_applications: u64,
    /// Applications that one alone has, by ID.
    pub only_applications: BTreeMap<Text, Vec<Text>>,
    /// Applications that one alone lacks, by ID; empty for two installs.
    pub only_lacks_applications: BTreeMap<Text, Vec<Text>>,
    /// What likeness is measured by.
    pub alike_by: Likeness,
    /// For each pair the share that both have of what either has, from 0 to 1; rows and columns as `installs`.
    pub alike: Vec<Vec<f64>>,
    /// Positions of the installs in an order that puts likes side by side.
    pub side_by_side: Vec<usize>,
}

/// One question, answered for each install.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct GridRow {
    /// What the row is about.
    pub group: RowGroup,
    /// Stable name of the question within its group.
    pub row: Text,
    /// What the row is about.
    pub label: RowLabel,
    /// `count`, `bytes` or `seconds` where the cells are numbers.
    pub unit: Option<Text>,
    /// An answer for each install.
    pub cells: Vec<Cell>,
    /// Whether all answers are the same.
    pub same: bool,
    /// What stands out: who alone has or lacks it, what can't be compared.
    pub remark: Option<Remark>,
}

vocabulary! {
    /// Rows that every grid has.
    pub enum Field {
        /// Name of the distribution.
        Distribution = "distribution",
        /// Release.
        Release = "release",
        /// Codename.
        Codename = "codename",
        /// Edition.
        Edition = "edition",
        /// Profile.
        Profile = "profile",
        /// Architecture.
        Architecture = "architecture",
        /// Distributions it is based on.
        Base = "base",
        /// Release date.
        ReleaseDate = "release-date",
        /// End of support.
        SupportEnd = "support-end",
        /// What the source was.
        Medium = "medium",
        /// All packages, or their size.
        Packages = "packages",
        /// Packages installed explicitly.
        Explicit = "explicit",
        /// Applications.
        Applications = "applications",
        /// Menu entries.
        MenuEntries = "menu-entries",
        /// Findings.
        Findings = "findings",
        /// Packages that the repositories offer.
        OnOffer = "packages-on-offer",
        /// Updates that wait.
        Updates = "updates-waiting",
        /// The median age of packages, in days.
        MedianAge = "median-age",
        /// Startup items of the machine.
        AtBoot = "at-boot",
        /// Startup items of users.
        AtLogin = "at-login",
        /// The session that starts by default.
        DefaultSession = "default-session",
        /// What it draws with: X11 or Wayland.
        Display = "display",
        /// The display manager that starts it.
        DisplayManager = "display-manager",
        /// The theme for new users.
        Theme = "theme",
        /// The icons for new users.
        Icons = "icons",
        /// The mouse pointer for new users.
        Pointer = "pointer",
        /// The colour scheme for new users: light, dark or a name.
        Colours = "colours",
        /// The font for new users.
        Font = "font",
        /// The wallpaper for new users.
        Wallpaper = "wallpaper",
        /// Themes to choose from.
        Themes = "themes",
        /// Icon sets to choose from.
        IconSets = "icon-sets",
        /// Wallpapers to choose from.
        Wallpapers = "wallpapers",
        /// Font families.
        FontFamilies = "font-families",
    }
}

/// What a row is about.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum RowLabel {
    /// One of the rows that every grid has.
    Field(Field),
    /// Something by its name: a part, a role, a program, a startup item, a repository.
    Name(Text),
    /// What was asked for, and the names that were taken for it, where none has that very name.
    Asked {
        /// What was asked.
        name: Text,
        /// What was found instead.
        taken_as: Vec<Text>,
    },
    /// Packages of one kind.
    Kind(Kind),
    /// Packages of one system.
    System(System),
    /// A session.
    Session {
        /// Its name.
        name: Text,
        /// `X11` or `Wayland`.
        display: Text,
    },
    /// A medium, by its key.
    Media(Text),
    /// A setting, by its key.
    Setting(Text),
    /// A measured figure, by its stable name.
    Measure(Text),
}

/// What stands out in a row.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Remark {
    /// Only this one has it.
    Only(Text),
    /// All have it but this one.
    AllBut(Text),
    /// Figures of these can't be compared with the others.
    NotComparable(Vec<(Text, NotComparable)>),
}

vocabulary! {
    /// What a cell says.
    pub enum CellState {
        /// The source does not record it.
        NotRecorded = "not-recorded",
        /// It is not there.
        No = "no",
        /// It is there; nothing more is known of it, or to be said.
        Yes = "yes",
        /// It has a value.
        Value = "value",
        /// It has a value, though no file sets it.
        Unsure = "unsure",
        /// Several could be it, and none is set.
        Ambiguous = "ambiguous",
        /// No file sets it.
        NotSet = "not-set",
        /// Nobody has measured it.
        NotMeasured = "not-measured",
    }
}

/// One answer.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct Cell {
    /// What it says.
    pub state: CellState,
    /// The value, where it has one.
    pub value: Option<Text>,
    /// The value as a number.
    pub number: Option<f64>,
    /// Where it was read, where it is one place.
    pub evidence: Option<Evidence>,
    /// Why this figure can't be compared with those of the others.
    pub not_comparable: Option<NotComparable>,
}

impl Cell {
    /// An answer without a value.
    pub const fn of(state: CellState) -> Self {
        Self { state, value: None, number: None, evidence: None, not_comparable: None }
    }

    /// A value.
    pub fn value(value: impl Into<Text>) -> Self {
        Self { value: Some(value.into()), ..Self::of(CellState::Value) }
    }

    /// It is not there.
    pub const fn no() -> Self {
        Self::of(CellState::No)
    }

    /// A value, or that it is there.
    pub fn value_or_yes(value: Option<Text>) -> Self {
        value.map_or_else(|| Self::of(CellState::Yes), Self::value)
    }

    /// A value, or that it is not there.
    pub fn optional(value: Option<Text>) -> Self {
        value.filter(|value| !value.is_empty()).map_or_else(Self::no, Self::value)
    }

    /// A number.
    #[allow(clippy::cast_precision_loss, reason = "counts and bytes of an install are far below 2^53")]
    pub fn count(number: u64) -> Self {
        Self { number: Some(number as f64), ..Self::value(number.to_string()) }
    }

    /// The same, with the place it was read.
    #[must_use]
    pub fn from(self, evidence: &Evidence) -> Self {
        Self { evidence: Some(evidence.clone()).filter(|evidence| !evidence.file.is_empty()), ..self }
    }

    /// Whether it says that the thing is not there.
    pub fn is_no(&self) -> bool {
        self.state == CellState::No
    }

    /// Whether the source does not record it.
    pub fn is_not_recorded(&self) -> bool {
        self.state == CellState::NotRecorded
    }

    /// Whether two answers are the same.
    pub fn says_the_same(&self, other: &Self) -> bool {
        (self.state, &self.value) == (other.state, &other.value)
    }
}
