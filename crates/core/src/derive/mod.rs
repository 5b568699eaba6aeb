//! What follows from facts that were read: pure functions over the lists of one tally.

mod applications;

pub use applications::{application_id, join_applications};
