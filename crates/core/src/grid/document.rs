use crate::model::vocabulary::vocabulary;
use crate::model::{Evidence, Label, PackageRef, Text};
use schemars::JsonSchema;
use serde::Serialize;
use std::collections::BTreeMap;

/// Schema number of a grid document.
pub const GRID_SCHEMA: u32 = 1;

vocabulary! {
    /// What the rows of a grid are about, in the order that they stand in.
    pub enum RowGroup {
        /// What was asked for by name.
        Asked = "asked",
        /// What tells the installs from each other.
        Label = "label",
        /// Parts under the hood.
        Parts = "parts",
        /// What opens what, by role.
        Defaults = "defaults",
        /// Numbers of packages, programs and the like.
        Counts = "counts",
        /// Bytes on disk.
        Weight = "weight",
        /// Programs that not all of them have, or not in one version.
        Programs = "programs",
        /// What starts by itself.
        Startup = "startup",
        /// Where packages come from.
        Repositories = "repositories",
        /// Sessions, themes, wallpapers, fonts.
        Looks = "looks",
        /// Figures measured on the running installs.
        Readings = "readings",
    }
}

/// Installs side by side.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct Grid {
    /// Schema number of this document.
    pub grid: u32,
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
    /// What likeness is measured by: `applications`, `packages` or `weight`.
    pub alike_by: Text,
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
    /// Name for people.
    pub label: Text,
    /// `count`, `bytes` or `seconds` where the cells are numbers.
    pub unit: Option<Text>,
    /// An answer for each install.
    pub cells: Vec<Cell>,
    /// Whether all answers are the same.
    pub same: bool,
    /// What stands out: who alone has or lacks it, what can't be compared.
    pub remark: Option<Text>,
}

/// One answer.
#[derive(Debug, Clone, Default, PartialEq, Serialize, JsonSchema)]
pub struct Cell {
    /// The answer; `no` when it isn't there; `null` when the source can't tell.
    pub value: Option<Text>,
    /// The answer as a number.
    pub number: Option<f64>,
    /// Where it was read, where it is one place.
    pub evidence: Option<Evidence>,
    /// Why this figure can't be held against those of the others.
    pub not_comparable: Option<Text>,
}

/// The value of what isn't there.
const NO: &str = "no";

impl Cell {
    /// An answer in words.
    pub fn said(value: impl Into<Text>) -> Self {
        Self { value: Some(value.into()), ..Self::default() }
    }

    /// It isn't there.
    pub fn no() -> Self {
        Self::said(NO)
    }

    /// An answer, or that it isn't there.
    pub fn optional(value: Option<Text>) -> Self {
        value.filter(|value| !value.is_empty()).map_or_else(Self::no, Self::said)
    }

    /// A number.
    #[allow(clippy::cast_precision_loss, reason = "counts and bytes of an install are far below 2^53")]
    pub fn count(number: u64) -> Self {
        Self { value: Some(number.to_string().into()), number: Some(number as f64), ..Self::default() }
    }

    /// The same, with the place it was read.
    #[must_use]
    pub fn from(self, evidence: &Evidence) -> Self {
        Self { evidence: Some(evidence.clone()).filter(|evidence| !evidence.file.is_empty()), ..self }
    }

    /// Whether it says that the thing isn't there.
    pub fn is_no(&self) -> bool {
        self.value.as_deref() == Some(NO)
    }
}
