//! Planning an addition: what a package system would install, update and remove if it were asked for some packages now.
//!
//! The frame is that of the systems themselves: a package is marked, what it needs is marked after it, depth first and in the
//! order of its record, and where that fails the next alternative is tried. It is no general solver: where a system would weigh
//! whole solutions against one another, the plan says that it may choose otherwise.

mod answer;
mod choose;
mod mark;
mod spread;
mod state;

use super::Catalog;
use crate::model::{Package, PackageRef, Text};
use schemars::JsonSchema;
use serde::Serialize;
use state::State;

/// How a plan is made.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct PlanOptions {
    /// Whether what packages recommend is brought along.
    pub recommends: bool,
}

crate::vocabulary! {
    /// Why a plan adds a package.
    pub enum Because {
        /// It was asked for.
        Asked = "asked",
        /// Another one needs it.
        Needed = "needed",
        /// Another one recommends it.
        Recommended = "recommended",
        /// It comes along wherever another one is.
        ComesAlong = "comes-along",
    }
}

/// What brings a package.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Brought {
    /// Why.
    pub because: Because,
    /// The path from what was asked for, ending before the package itself.
    pub path: Vec<Text>,
    /// What would have done as well.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub instead: Vec<Text>,
}

/// A package that a plan adds.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Added {
    /// Which one.
    pub package: PackageRef,
    /// The version that would be installed.
    pub version: Text,
    /// The repository that it comes from.
    pub repository: Text,
    /// Bytes to download, where the list says so.
    pub download_bytes: Option<u64>,
    /// Bytes on disk, where the list says so.
    pub installed_bytes: Option<u64>,
    /// One line of description.
    pub summary: Text,
    /// What brings it.
    pub brought: Brought,
}

/// A package that a plan updates.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Upgraded {
    /// Which one.
    pub package: PackageRef,
    /// The version that is installed.
    pub old: Text,
    /// The version that would be.
    pub new: Text,
    /// Bytes to download, where the list says so.
    pub download_bytes: Option<u64>,
    /// Bytes by which it grows on disk.
    pub grows_bytes: i64,
    /// What brings it.
    pub brought: Brought,
}

/// A package that a plan removes.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Removed {
    /// Which one.
    pub package: PackageRef,
    /// Bytes on disk that become free.
    pub installed_bytes: Option<u64>,
    /// The package that it can't be beside.
    pub because_of: Text,
}

/// Something that a plan can't do.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
#[serde(tag = "why", rename_all = "kebab-case")]
pub enum Missing {
    /// No list offers what was asked for.
    NotOffered {
        /// What was asked for.
        asked: Text,
        /// Packages that provide it, of which one is to be asked for by name.
        providers: Vec<Text>,
    },
    /// A need can't be met.
    Need {
        /// The path from what was asked for to the package that has the need.
        path: Vec<Text>,
        /// The need, in words of the system: alternatives with their versions.
        need: Text,
    },
    /// It can't be beside a package that is there.
    Conflict {
        /// The path from what was asked for.
        path: Vec<Text>,
        /// The package that is in the way.
        with: Text,
    },
}

/// What a package system would do.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Plan {
    /// What was asked for.
    pub asked: Vec<Text>,
    /// Whether what packages recommend comes along.
    pub recommends: bool,
    /// Those of them that are installed already, and stay as they are.
    pub present: Vec<PackageRef>,
    /// Packages that would be added, those asked for first, then by name.
    pub added: Vec<Added>,
    /// Packages that would be updated, by name.
    pub upgraded: Vec<Upgraded>,
    /// Packages that would be removed, by name.
    pub removed: Vec<Removed>,
    /// Bytes to download in all.
    pub download_bytes: u64,
    /// Bytes by which the install grows on disk; negative if it shrinks.
    pub disk_bytes: i64,
    /// What can't be done.
    pub missing: Vec<Missing>,
    /// Packages at which the system may choose otherwise than this plan.
    pub may_differ: Vec<Text>,
}

impl Plan {
    /// Whether all that was asked for can be had.
    pub const fn is_whole(&self) -> bool {
        self.missing.is_empty()
    }
}

/// Bytes of the stack of a plan: needs may follow one another as deep as [`mark::DEPTH`].
const STACK: usize = 64 << 20;

/// What the system would do if it were asked for these packages, provided names or groups. Deterministic: the same lists give the
/// same plan.
pub fn plan(packages: &[Package], catalog: &Catalog, asked: &[Text], options: PlanOptions) -> Plan {
    let make = || State::new(packages, catalog, options).plan(asked);
    std::thread::scope(|scope| {
        let thread = std::thread::Builder::new().stack_size(STACK).spawn_scoped(scope, make);
        match thread.map(std::thread::ScopedJoinHandle::join) {
            Ok(Ok(plan)) => plan,
            Ok(Err(panic)) => std::panic::resume_unwind(panic),
            // Without a thread of its own it is made here.
            Err(_) => make(),
        }
    })
}
