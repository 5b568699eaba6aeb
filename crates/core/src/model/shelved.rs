use super::{Label, PictureKind, Sameness, System, Text};
use serde::Serialize;

/// A kept tally in short; or a file that can't be read as one.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Shelved {
    /// Its handle.
    pub handle: String,
    /// Its label; `None` for a file that can't be read.
    pub label: Option<Label>,
    /// When it was taken.
    pub taken_at: Option<String>,
    /// Packages that are there.
    pub packages: u64,
    /// Applications.
    pub applications: u64,
    /// Bytes on disk.
    pub installed_bytes: u64,
    /// Why it can't be read.
    pub problem: Option<String>,
}

/// One thing in one of the kept installs.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Sighting {
    /// The install's handle.
    pub handle: String,
    /// Its label.
    pub label: Label,
    /// `application`, `part` or `package`.
    pub what: &'static str,
    /// What it is called there.
    pub name: Text,
    /// Its upstream version, where it has one.
    pub version: Option<Text>,
    /// The package system that delivers it.
    pub system: Option<System>,
}

/// A picture in one of the kept installs.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct PictureSighting {
    /// The install's handle.
    pub handle: String,
    /// Its label.
    pub label: Label,
    /// What it is for there.
    pub kind: PictureKind,
    /// What it is called there.
    pub name: Text,
    /// Whether it is the same file, or shows the same.
    pub how: Sameness,
}

/// What the kept tallies know of a name.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize)]
pub struct Sightings {
    /// Names that were taken for the one asked: itself, else those that match it, best first.
    pub names: Vec<Text>,
    /// Where they are, by name, then handle.
    pub found: Vec<Sighting>,
    /// When nothing matches: the names that come nearest.
    pub nearest: Vec<Text>,
}
