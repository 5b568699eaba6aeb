//! What is known before an install is read: tables with a stated precedence, each rule with its reason.

mod kinds;
mod menu;
mod parts;
mod pattern;
mod roles;
mod traits;

pub use kinds::{KindRules, ReadyKinds, fold_companions};
pub use menu::{main_category, menu_of};
pub use parts::{FoundPart, PartRules, PartWay, Probe, ProbeKind, Probes, RulesError};
pub use pattern::{Matcher, Pattern, matches};
pub use roles::{Role, Roles};
pub use traits::{FolderClass, Trait, Traits, folder_class, trait_of};
