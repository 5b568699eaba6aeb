//! What the repositories of an install offer: their lists, which version would be installed, which updates wait, and what an
//! addition brings along and costs.
//!
//! A [`Catalog`] holds the lists as they were read, and parses a record when someone asks for it; [`Policy`] says which version
//! of a package the system would take; [`updates`] and [`plan`] answer with it.

mod answers;
mod catalog;
mod changes;
mod cost;
mod parts;
mod plan;
mod policy;
mod summary;
mod updates;

pub use answers::{OfferAnswer, OfferSource, Program, answer};
pub use catalog::{Catalog, Form, Records, key};
pub use changes::{OfferChange, OfferChanges, offer_changes};
pub use cost::{Cost, CostAsked, CostOf, Fit, cost};
pub use parts::{PartOnOffer, parts_on_offer};
pub use plan::{Added, Because, Brought, Missing, Plan, PlanOptions, Removed, Upgraded, plan};
pub use policy::{Pin, PinWhat, Policy};
pub use summary::{OfferSummary, OfferedList, summary};
pub use updates::{Update, Updates, updates};

use crate::model::{Alternatives, Dependency, Package, Text};
use serde::{Deserialize, Serialize};

/// A package that a list offers.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Offered {
    /// The package as the list describes it; `download_bytes` is what is to be fetched.
    pub package: Package,
    /// How much the distribution wants it on every install: 0 (required) to 4 (extra), where lists say so; 3 otherwise.
    #[serde(default = "optional")]
    pub rank: u8,
    /// Needs that hold only where something else is there.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub conditional: Vec<Conditional>,
    /// What brings it by being there: outer list: any one; inner list: all of them.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub brought_by: Vec<Vec<Dependency>>,
    /// Percentage of machines that an update goes to, where it is less than all.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub phased: Option<u8>,
}

const fn optional() -> u8 {
    3
}

impl Offered {
    /// An offer of a package of which nothing else is known.
    pub const fn of(package: Package) -> Self {
        Self { package, rank: optional(), conditional: Vec::new(), brought_by: Vec::new(), phased: None }
    }
}

/// A need that holds only where something else is there, or only where it is not.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Conditional {
    /// Any one of these.
    pub need: Alternatives,
    /// Whether it is a mere recommendation.
    #[serde(default)]
    pub weak: bool,
    /// The condition.
    pub when: Dependency,
    /// Whether it must be absent for the need to hold.
    #[serde(default)]
    pub unless: bool,
}

/// A list of packages that a repository publishes.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct PackageList {
    /// Name of the repository.
    pub repository: Text,
    /// Component or section of it.
    #[serde(default)]
    pub component: Option<Text>,
    /// The file it was read from.
    pub file: Text,
    /// Host that it comes from.
    #[serde(default)]
    pub site: Text,
    /// Suite (`stable`), where its release file says so.
    #[serde(default)]
    pub suite: Text,
    /// Codename.
    #[serde(default)]
    pub codename: Text,
    /// Who made it.
    #[serde(default)]
    pub origin: Text,
    /// Its label.
    #[serde(default)]
    pub label: Text,
    /// Version of the release.
    #[serde(default)]
    pub version: Text,
    /// When it was made, RFC 3339 UTC.
    #[serde(default)]
    pub date: Option<Text>,
    /// Until when it may be used, RFC 3339 UTC.
    #[serde(default)]
    pub valid_until: Option<Text>,
    /// Whether it brings security updates.
    #[serde(default)]
    pub security: bool,
    /// What its packages are worth against those of other lists: more is better.
    pub priority: i32,
    /// Packages in it.
    #[serde(default)]
    pub packages: u32,
}
