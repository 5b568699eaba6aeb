//! The tally document: one record of one install. The key names are a contract (schema 2); documents of schema 1 are read as well.

mod application;
mod counts;
mod defaults;
mod finding;
mod kind_reason;
mod label;
mod launcher;
mod looks;
mod media;
mod package;
mod part;
mod picture;
mod reading;
mod reduced;
mod release;
mod repository;
#[cfg(test)]
pub(crate) mod samples;
mod setting;
mod shelved;
mod size;
mod startup;
mod storage;
mod tally;

pub use crate::systems::System;
pub use crate::vocabulary::Word;
pub use application::{Application, Delivery};
pub use counts::Counts;
pub use defaults::{Decided, DecidedBy, DefaultChoice, ShippedChoice};
pub use finding::{AgentPurpose, Finding, FindingDetails, FindingName, Note, TypeDefault};
pub use kind_reason::{KindFact, KindReason, Trait};
pub use label::{Label, Seen, slug};
pub use launcher::{Does, HiddenBecause, HiddenBy, Launcher, Menu};
pub use looks::{Look, Looks, Session};
pub use media::{MediaAnswer, MediaDecoder, MediaVerdict};
pub use package::{Alternatives, Dependency, Kind, Package, PackageRef, Phase, Reason, State, VersionOp};
pub use part::Part;
pub use picture::{Picture, PictureKind, Sameness};
pub use reading::{Conditions, MEASURES, Measure, MeasuredWhen, Method, NotComparable, Reading};
pub use reduced::{Reduced, unit_name};
pub use release::{ReleaseHistory, day_of};
pub use repository::{EMBEDDED_KEY, Repository};
pub use setting::{Setting, SettingSource};
pub use shelved::{PictureSighting, Shelved, Sighting, Sightings};
pub use size::{bytes_human, bytes_of};
pub use startup::{Scope, StartupItem, StartupKind};
pub use storage::Storage;
pub use tally::{
    Doubt, InstallDay, InstallDayCandidate, InstallDayHow, InstallDaySign, Medium, MissingFact, RootReason,
    SCHEMA, SinceInstall, Taken, TakenRoot, Tally, Unread,
};

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Short, cheaply cloned text. Names and versions up to 23 bytes take no allocation.
pub type Text = smol_str::SmolStr;

/// The file of the install that a fact was read from, relative to its root, and the line where it has one.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(default)]
pub struct Evidence {
    /// Path inside the install, without a leading slash; empty when a fact was given by hand.
    pub file: Text,
    /// Line in that file, counted from 1.
    pub line: Option<u32>,
}

impl Evidence {
    /// Evidence that is a whole file.
    pub fn file(path: impl Into<Text>) -> Self {
        Self { file: path.into(), line: None }
    }

    /// Evidence that is a line of a file, counted from 1.
    pub fn line(path: impl Into<Text>, line: u32) -> Self {
        Self { file: path.into(), line: Some(line) }
    }

    /// `file:line`, or the file alone.
    pub fn place(&self) -> String {
        match self.line {
            Some(line) => format!("{}:{line}", self.file),
            None => self.file.to_string(),
        }
    }
}
