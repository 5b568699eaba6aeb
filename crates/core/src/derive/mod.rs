//! What follows from facts that were read: pure functions over the lists of one tally.

mod applications;
mod associations;
mod defaults;
mod findings;
mod media;
mod schema_1;
mod tally;

pub use applications::{application_id, join_applications, mark_roles};
pub use associations::{AssociationList, Associations, LauncherTypes, dead_defaults};
pub use defaults::choose_defaults;
pub use findings::derive_findings;
pub use media::{MediaFiles, note_help};
pub use schema_1::upgrade;
pub use tally::{Facts, Rules, is_dropped_in, tally};
