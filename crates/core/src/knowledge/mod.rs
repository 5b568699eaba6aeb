//! What is known before an install is read: tables with a stated precedence, each rule with its reason.

mod agents;
mod kinds;
mod menu;
mod own;
mod parts;
mod pattern;
mod roles;
mod scores;
mod traits;

pub use agents::{Agent, Agents};
pub use kinds::{KindRule, KindRules, ReadyKinds, fold_companions};
pub use menu::{main_category, menu_of};
pub use own::{OwnCounts, OwnRules};
pub(crate) use parts::line_of;
pub use parts::{FoundPart, PartRule, PartRules, PartWay, Probe, ProbeKind, Probes, RulesError};
pub use pattern::{Matcher, Pattern, matches};
pub use roles::{Role, Roles};
pub use scores::Scores;
pub use traits::{FolderClass, Trait, Traits, folder_class, trait_of};
