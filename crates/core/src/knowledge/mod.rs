//! What is known before an install is read: tables with a stated precedence, each rule with its reason.

mod menu;
mod parts;
mod pattern;

pub use menu::{main_category, menu_of};
pub use parts::{FoundPart, PartRules, PartWay, Probe, ProbeKind, Probes, RulesError};
pub use pattern::{Pattern, matches};
