//! From a file tree to the facts of an install.
//!
//! Every reader is a function of a [`Tree`](tally_trees::Tree): facts out, and beside them what could not be read, each
//! with its file and line. A bad record never loses the good ones; nothing of the install is executed. Parsers of our
//! own work on bytes; the trees do the reading.
//!
//! - [`packages`]: one module per package system, in a registry;
//! - [`launchers`]: desktop entries, menu, who owns them;
//! - [`label`]: whose install it is;
//! - [`listings`]: lists of packages and bills of materials, where there is no install;
//! - [`take()`]: all of it, in one pass, as a tally.

pub mod label;
pub mod launchers;
pub mod listings;
pub mod packages;

mod database;
mod days;
mod defaults;
mod extensions;
mod gvariant;
pub mod history;
mod keyfile;
mod left_out;
pub mod logs;
mod looks;
mod media;
mod medium;
pub mod owner;
mod parts;
mod pictures;
mod programs;
pub mod readings;
mod sessions;
mod settings;
mod startup;
mod storage;
mod take;
mod text;
mod timed;
mod xml;

pub use label::{LabelFacts, Overrides};
pub use medium::OnMedium;
pub use pictures::{DECODES as DECODES_PICTURES, Thumbnail, likeness_of};
pub use take::{TakeError, TakeOptions, take, take_listing};
