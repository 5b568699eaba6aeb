use super::{Evidence, PackageRef, Phase, Reduced, Text};
use crate::vocabulary;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

vocabulary! {
    /// The mechanism that starts an item.
    pub enum StartupKind {
        /// A service, mount, path or other unit.
        Unit = "unit",
        /// An autostart entry of a session.
        Autostart = "autostart",
        /// A timer unit.
        Timer = "timer",
        /// A socket unit.
        Socket = "socket",
    }
}

vocabulary! {
    /// On whose behalf an item runs.
    pub enum Scope {
        /// The machine.
        System = "system",
        /// Each user's service manager.
        User = "user",
        /// The graphical session.
        Session = "session",
    }
}

/// What runs without being asked.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct StartupItem {
    /// The mechanism.
    #[serde(alias = "sort")]
    pub kind: StartupKind,
    /// Unit or desktop file name.
    pub name: Text,
    /// On whose behalf.
    pub scope: Scope,
    /// Whether it starts in this install.
    pub enabled: bool,
    /// The program that it runs, and files of packages that it is given.
    #[serde(default)]
    pub runs: Option<Reduced>,
    /// One line of description, where a package brought it.
    #[serde(default)]
    pub says: Option<Reduced>,
    /// The package that owns its file.
    #[serde(default)]
    pub package: Option<PackageRef>,
    /// The line of its file that keeps it from starting (`OnlyShowIn=...`, `TryExec=...`), or the file (`down`) that does.
    #[serde(default)]
    pub off_because: Option<Reduced>,
    /// The file.
    #[serde(default)]
    pub evidence: Evidence,
    /// Whether it was shipped; left out when it was.
    #[serde(default = "super::package::shipped", skip_serializing_if = "Phase::is_shipped")]
    pub phase: Phase,
}
