use super::{Catalog, Offered, PackageList};
use crate::knowledge::matches;
use crate::model::{Package, System, Text};
use crate::systems;
use serde::{Deserialize, Serialize};
use std::cmp::Ordering;

/// What a pin is about, by apt_preferences(5): all that are named must hold.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct PinWhat {
    /// Pattern of versions.
    #[serde(default)]
    pub version: Option<Text>,
    /// Host that the list comes from; empty: a local one.
    #[serde(default)]
    pub site: Option<Text>,
    /// Properties of the release: `a`, `n`, `o`, `l`, `c`, `v`, with their patterns.
    #[serde(default)]
    pub release: Vec<(char, Text)>,
}

/// What versions are worth.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Pin {
    /// Patterns of package names; a lone `*` stands for all, and is weaker than a name.
    pub packages: Vec<Text>,
    /// Which versions.
    pub what: PinWhat,
    /// What they are worth.
    pub priority: i32,
}

impl Pin {
    fn is_general(&self) -> bool {
        self.packages.iter().any(|pattern| pattern == "*")
    }

    /// Whether it is about this version in this list.
    fn holds(&self, package: &Package, list: &PackageList) -> bool {
        let PinWhat { version, site, release } = &self.what;
        let value = |key: char| match key {
            'a' => list.suite.as_str(),
            'n' => list.codename.as_str(),
            'o' => list.origin.as_str(),
            'l' => list.label.as_str(),
            'c' => list.component.as_deref().unwrap_or_default(),
            'v' => list.version.as_str(),
            _ => "",
        };
        version.as_ref().is_none_or(|pattern| matches(pattern, &package.version))
            && site.as_ref().is_none_or(|site| matches(site, &list.site))
            && release.iter().all(|(key, pattern)| matches(pattern, value(*key)))
    }

    fn names(&self, package: &Package) -> bool {
        self.packages.iter().any(|pattern| match pattern.strip_prefix("src:") {
            Some(source) => matches(source, package.source()),
            None => matches(pattern, &package.name),
        })
    }
}

/// Which version of a package its system would take.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Policy {
    /// Pins, in the order of their files.
    #[serde(default)]
    pub pins: Vec<Pin>,
    /// Patterns of names that are never taken from a list.
    #[serde(default)]
    pub excluded: Vec<Text>,
    /// Patterns of names whose updates are left out.
    #[serde(default)]
    pub held: Vec<Text>,
    /// Whether recommended packages are not brought, by the system's own configuration.
    #[serde(default)]
    pub without_recommends: bool,
}

/// What an installed version is worth to apt.
const OF_INSTALLED: i32 = 100;

/// From this on a pin may bring an older version.
const OLDER_TOO: i32 = 1000;

impl Policy {
    /// What a version in a list is worth: a pin by name before a general one, and of general ones the highest.
    fn priority(&self, package: &Package, list: &PackageList) -> i32 {
        if self.pins.is_empty() {
            return list.priority;
        }
        let named =
            self.pins.iter().find(|pin| !pin.is_general() && pin.names(package) && pin.holds(package, list));
        let general = || {
            self.pins
                .iter()
                .filter(|pin| pin.is_general() && pin.holds(package, list))
                .map(|pin| pin.priority)
                .max()
        };
        named.map(|pin| pin.priority).or_else(general).unwrap_or(list.priority)
    }
}

impl Catalog {
    /// The version that the system would install, with its position: the one worth most, of those the newest, of those the first.
    /// Of an installed package only what is newer, as far as the system keeps to that; `None` when the installed one stays.
    pub fn candidate(&self, name: &str, installed: Option<&Package>) -> Option<(u32, &Offered)> {
        if self.policy.excluded.iter().any(|pattern| matches(pattern, name)) {
            return None;
        }
        let worth = |at: u32, offered: &Offered| {
            self.lists.get(self.list(at)).map_or(0, |list| self.policy.priority(&offered.package, list))
        };
        let order =
            |a: &Offered, b: &Offered| systems::order(self.system, &a.package.version, &b.package.version);
        let mut best: Option<(i32, u32, &Offered)> = None;
        for (at, offered) in self.named(name) {
            let worth = worth(at, offered);
            if self.system == System::Dpkg && !self.may_replace(offered, worth, installed) {
                continue;
            }
            let is_better = best.is_none_or(|(most, _, known)| {
                worth.cmp(&most).then_with(|| order(offered, known)) == Ordering::Greater
            });
            if is_better {
                best = Some((worth, at, offered));
            }
        }
        let (worth, at, offered) = best?;
        let Some(installed) = installed else { return Some((at, offered)) };
        let newer = systems::compare(self.system, &offered.package.version, &installed.version);
        let is_taken = match self.system {
            System::Dpkg => {
                newer != Ordering::Equal
                    && (worth > OF_INSTALLED || newer == Ordering::Greater && worth == OF_INSTALLED)
            }
            _ => newer == Ordering::Greater,
        };
        is_taken.then_some((at, offered))
    }

    fn may_replace(&self, offered: &Offered, worth: i32, installed: Option<&Package>) -> bool {
        let is_older = |installed: &Package| {
            systems::compare(self.system, &offered.package.version, &installed.version) == Ordering::Less
        };
        worth > 0 && (worth >= OLDER_TOO || !installed.is_some_and(is_older))
    }
}
