//! What is installed, what is marked, and what satisfies a need then.

use super::{Because, PlanOptions};
use crate::model::{Dependency, Package, System};
use crate::offer::{Catalog, Offered};
use crate::systems;
use rustc_hash::{FxHashMap, FxHashSet};
use std::cell::OnceCell;

/// A package by its name: what is installed of it, and what would be.
#[derive(Debug, Clone)]
pub(super) struct Unit<'p> {
    pub(super) name: &'p str,
    pub(super) installed: Option<&'p Package>,
    catalog: &'p Catalog,
    /// The version that the system would take, where that is not the installed one; looked up when it is asked for.
    candidate: OnceCell<Option<(u32, &'p Offered)>>,
    pub(super) mode: Mode,
    /// Asked for, or the only way to what was asked for: never given up for something else.
    pub(super) protected: bool,
    /// The unit that brought it.
    pub(super) by: Option<(Ix, Because)>,
    /// What would have done as well.
    pub(super) instead: Vec<Ix>,
}

impl<'p> Unit<'p> {
    /// The version that the system would take, where that is not the installed one, with its position.
    pub(super) fn candidate(&self) -> Option<(u32, &'p Offered)> {
        *self.candidate.get_or_init(|| self.catalog.candidate(self.name, self.installed))
    }

    /// Takes no other version than the installed one any more.
    pub(super) fn give_up(&mut self) {
        self.candidate = OnceCell::from(None);
    }
}

/// The position of a unit.
pub(super) type Ix = usize;

/// What is to be done with a unit.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Mode {
    Keep,
    Install,
    Delete,
}

#[derive(Debug)]
pub(super) struct State<'p> {
    pub(super) catalog: &'p Catalog,
    pub(super) system: System,
    pub(super) recommends: bool,
    pub(super) units: Vec<Unit<'p>>,
    by_name: FxHashMap<&'p str, Ix>,
    /// Installed packages by what they provide.
    provided: FxHashMap<&'p str, Vec<Ix>>,
    /// Installed packages by what they need; made when something that is installed changes.
    needed: OnceCell<FxHashMap<&'p str, Vec<Ix>>>,
    /// Installed packages by what they can't be beside.
    pub(super) refused: FxHashMap<&'p str, Vec<Ix>>,
    /// Installed packages by their source.
    pub(super) by_source: FxHashMap<&'p str, Vec<Ix>>,
    pub(super) failures: Vec<super::Missing>,
    pub(super) may_differ: FxHashSet<Ix>,
}

impl<'p> State<'p> {
    pub(super) fn new(packages: &'p [Package], catalog: &'p Catalog, options: PlanOptions) -> Self {
        let mut state = Self {
            catalog,
            system: catalog.system,
            recommends: options.recommends,
            units: Vec::with_capacity(packages.len()),
            by_name: FxHashMap::default(),
            provided: FxHashMap::default(),
            needed: OnceCell::new(),
            refused: FxHashMap::default(),
            by_source: FxHashMap::default(),
            failures: Vec::new(),
            may_differ: FxHashSet::default(),
        };
        let own = |package: &&Package| {
            package.system == catalog.system && package.is_present() && catalog.fits_machine(&package.arch)
        };
        for package in packages.iter().filter(own) {
            // Of several versions side by side (kernels, slots) the newest stands for the name.
            if let Some(known) = state.by_name.get(package.name.as_str()) {
                let unit = &mut state.units[*known];
                let newer = |old: &Package| {
                    systems::order(catalog.system, &package.version, &old.version)
                        == std::cmp::Ordering::Greater
                };
                if unit.installed.is_some_and(newer) {
                    unit.installed = Some(package);
                }
                continue;
            }
            let at = state.add(&package.name, Some(package));
            state.by_source.entry(package.source()).or_default().push(at);
            for provided in &package.provides {
                state.provided.entry(&provided.name).or_default().push(at);
            }
            for enemy in &package.conflicts {
                state.refused.entry(&enemy.name).or_default().push(at);
            }
        }
        state
    }

    /// The installed packages that need a name.
    pub(super) fn needing(&self, name: &str) -> Vec<Ix> {
        let make = || {
            let mut needed: FxHashMap<&'p str, Vec<Ix>> = FxHashMap::default();
            for (at, package) in
                self.units.iter().enumerate().filter_map(|(at, unit)| Some((at, unit.installed?)))
            {
                for need in package.depends.iter().flatten() {
                    needed.entry(&need.name).or_default().push(at);
                }
            }
            needed
        };
        self.needed.get_or_init(make).get(name).cloned().unwrap_or_default()
    }

    fn add(&mut self, name: &'p str, installed: Option<&'p Package>) -> Ix {
        let at = self.units.len();
        self.units.push(Unit {
            name,
            installed,
            catalog: self.catalog,
            candidate: OnceCell::new(),
            mode: Mode::Keep,
            protected: false,
            by: None,
            instead: Vec::new(),
        });
        self.by_name.insert(name, at);
        at
    }

    /// The unit of a name, where anything of it is installed or offered.
    pub(super) fn unit(&mut self, name: &str) -> Option<Ix> {
        if let Some(at) = self.by_name.get(name) {
            return Some(*at);
        }
        let name: &'p str =
            self.catalog.named(name).next().map(|(_, offered)| offered.package.name.as_str())?;
        Some(self.add(name, None))
    }

    /// The version of a unit that is there after what is marked.
    pub(super) fn planned(&self, at: Ix) -> Option<&'p Package> {
        let unit = &self.units[at];
        match unit.mode {
            Mode::Keep => unit.installed,
            Mode::Install => unit.candidate().map(|(_, offered)| &offered.package),
            Mode::Delete => None,
        }
    }

    /// The version that the system would take: the candidate, or what is installed.
    pub(super) fn eligible(&self, at: Ix) -> Option<&'p Package> {
        let unit = &self.units[at];
        unit.candidate().map(|(_, offered)| &offered.package).or(unit.installed)
    }

    /// Whether a version of a unit answers to a need: by its name, or by what it provides. What the database of an install leaves
    /// out of its own packages is asked of the lists.
    pub(super) fn answers(&self, package: &Package, need: &Dependency) -> bool {
        if package.name == need.name && systems::fits(self.system, need, Some(&package.version)) {
            return true;
        }
        let provides = |package: &Package| {
            package
                .provides
                .iter()
                .any(|one| one.name == need.name && systems::fits(self.system, need, one.version.as_deref()))
        };
        provides(package) || self.system != System::Dpkg && self.in_lists(package).is_some_and(provides)
    }

    /// The record of an installed version in the lists.
    fn in_lists(&self, package: &Package) -> Option<&'p Package> {
        let same = |(_, offered): (u32, &'p Offered)| {
            (offered.package.version == package.version).then_some(&offered.package)
        };
        self.catalog.named(&package.name).find_map(same)
    }

    /// Every unit that may answer to a name: that of the name, and who provides it, each once.
    pub(super) fn answering(&mut self, name: &str) -> Vec<Ix> {
        let mut found: Vec<Ix> = self.unit(name).into_iter().collect();
        found.extend(self.provided.get(name).into_iter().flatten());
        let catalog = self.catalog;
        for (_, offered) in catalog.providing(name) {
            found.extend(self.unit(&offered.package.name));
        }
        let mut seen = FxHashSet::default();
        found.retain(|at| seen.insert(*at));
        found
    }

    /// The units that answer to a need after what is marked.
    pub(super) fn answering_now(&mut self, need: &Dependency) -> Vec<Ix> {
        let mut found = self.answering(&need.name);
        found.retain(|at| self.planned(*at).is_some_and(|package| self.answers(package, need)));
        found
    }

    /// Whether any alternative is there after what is marked.
    pub(super) fn is_met(&mut self, group: &[Dependency]) -> bool {
        group.iter().any(|need| {
            // The name itself is the usual answer, and asks nobody else.
            let own = self.by_name.get(need.name.as_str()).and_then(|at| self.planned(*at));
            own.is_some_and(|package| self.answers(package, need)) || !self.answering_now(need).is_empty()
        })
    }

    /// Whether the versions that the system would take can meet a need.
    pub(super) fn may_be_met(&mut self, group: &[Dependency]) -> bool {
        group.iter().any(|need| {
            let found = self.answering(&need.name);
            found.iter().any(|at| self.eligible(*at).is_some_and(|package| self.answers(package, need)))
        })
    }

    /// The path from what was asked for to a unit, both included.
    pub(super) fn path(&self, at: Ix) -> Vec<crate::model::Text> {
        let mut path = vec![at];
        let mut seen = FxHashSet::from_iter([at]);
        while let Some((by, _)) = path.last().and_then(|last| self.units[*last].by) {
            if !seen.insert(by) {
                break;
            }
            path.push(by);
        }
        path.iter().rev().map(|at| self.units[*at].name.into()).collect()
    }
}
