use super::{Application, Kind, Launcher, Package, System};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// The figures that a review quotes; all as found, and derived from the lists of the same tally.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(default)]
pub struct Counts {
    /// Packages whose files are there, by system.
    pub packages: BTreeMap<System, u32>,
    /// Applications.
    pub applications: u32,
    /// Launchers that the menu shows.
    pub launchers_shown: u32,
    /// Packages by kind.
    pub by_kind: BTreeMap<Kind, u32>,
    /// Packages of a sandbox system that are its platform and not applications.
    pub platform_packages: BTreeMap<System, u32>,
}

impl Counts {
    /// Counts what is there: packages present, launchers shown, applications.
    pub fn of(packages: &[Package], launchers: &[Launcher], applications: &[Application]) -> Self {
        let mut counts = Self::default();
        for package in packages.iter().filter(|p| p.is_present()) {
            *counts.packages.entry(package.system).or_default() += 1;
            *counts.by_kind.entry(package.kind).or_default() += 1;
            if package.system.is_sandbox() && package.kind == Kind::Runtime {
                *counts.platform_packages.entry(package.system).or_default() += 1;
            }
        }
        counts.applications = count(applications.len());
        counts.launchers_shown = count(launchers.iter().filter(|l| l.shown).count());
        counts
    }
}

fn count(n: usize) -> u32 {
    u32::try_from(n).unwrap_or(u32::MAX)
}
