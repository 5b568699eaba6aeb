//! Shipped, added later, updated later: what logs and times tell of an install since the day it was made.
//!
//! Readers gather [`Records`]: events of package logs, lists of what the installer left, times. [`install_day`] finds when the
//! install was made; [`mark`] replays the events backwards, from what is found to what was shipped; [`as_shipped`] makes of
//! a tally as found the tally of that day.

mod day;
mod past;
mod replay;
mod shipped;

pub use day::{Candidate, Day, install_day};
pub use past::{Past, fill_times, time_text};
pub use replay::{Marked, mark};
pub use shipped::{Moment, as_found, as_shipped, is_shipped};

use crate::model::{Evidence, System, Text};

/// Something that happened to one package, as a log tells it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Event {
    /// Seconds since 1970 UTC.
    pub at: i64,
    /// The package system.
    pub system: System,
    /// Name of the package.
    pub name: Text,
    /// Its architecture; empty where the log does not tell.
    pub arch: Text,
    /// The version that was there before; `None` when it came new.
    pub before: Option<Text>,
    /// The version that is there since; `None` when it went.
    pub after: Option<Text>,
}

/// A package in a list of what was there when the install was made.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Initial {
    /// Name of the package.
    pub name: Text,
    /// Its architecture; empty where the list does not tell.
    pub arch: Text,
    /// Its version; `None` where the list does not tell.
    pub version: Option<Text>,
}

/// What one package system's logs and lists tell of the time since the install.
#[derive(Debug, Clone, Default)]
pub struct SystemRecords {
    /// Events, earliest first.
    pub events: Vec<Event>,
    /// Since when the logs tell everything, seconds since 1970 UTC; `None` without logs.
    pub since: Option<i64>,
    /// What the installer left, where it wrote that down.
    pub initial: Option<Vec<Initial>>,
    /// When a person first asked for something, where the logs tell who did.
    pub first_asked: Option<i64>,
    /// When packages first came, whatever happened to them since: names and seconds since 1970 UTC.
    pub first_seen: Vec<(Text, i64)>,
    /// Runs of the package manager, earliest first, where a log keeps them apart.
    pub runs: Vec<Run>,
}

/// A run of a package manager.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Run {
    /// When it began, seconds since 1970 UTC.
    pub began: i64,
    /// What was typed, where the log keeps it.
    pub command: Option<Text>,
    /// Names of the packages that came new in it.
    pub came: Vec<Text>,
    /// Where the log says so.
    pub evidence: Evidence,
}

/// All that an install's files tell of its past.
#[derive(Debug, Clone, Default)]
pub struct Records {
    /// By package system.
    pub systems: Vec<(System, SystemRecords)>,
    /// When the installer wrote its own records: first and last moment, seconds since 1970 UTC, and the last one's file.
    pub installer: Option<(i64, i64, Evidence)>,
    /// When the installed system was first started, seconds since 1970 UTC, by whatever tells of it, the earliest first.
    pub starts: Vec<(i64, Evidence)>,
    /// The last moment of the install day as someone gave it, seconds since 1970 UTC.
    pub given: Option<i64>,
}
