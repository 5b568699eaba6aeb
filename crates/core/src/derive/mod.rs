//! What follows from facts that were read: pure functions over the lists of one tally.

mod applications;
mod defaults;
mod oddities;

pub use applications::{application_id, join_applications, mark_roles};
pub use defaults::{AssociationList, Associations, LauncherTypes, choose_defaults, dead_defaults};
pub use oddities::find_oddities;
