//! From marks to an answer.

use super::mark::group_text;
use super::state::{Ix, Mode, State};
use super::{Added, Because, Brought, Missing, Plan, Removed, Upgraded};
use crate::model::{Dependency, Package, System, Text};
use rustc_hash::FxHashSet;

/// Rounds in which a plan is mended.
const ROUNDS: usize = 32;

impl<'p> State<'p> {
    pub(super) fn plan(mut self, asked: &[Text]) -> Plan {
        let mut plan = Plan { asked: asked.to_vec(), recommends: self.recommends, ..Plan::default() };
        let mut roots = Vec::new();
        for name in asked {
            match self.wanted(name) {
                Ok(units) => roots.extend(units),
                Err(missing) => plan.missing.push(missing),
            }
        }
        // What was asked for is marked first, then what it needs, in the order in which the system heard of it.
        for at in &roots {
            let unit = &mut self.units[*at];
            unit.protected = true;
            unit.by = None;
            if unit.candidate().is_some() {
                unit.mode = Mode::Install;
            } else {
                plan.present.extend(unit.installed.map(Package::reference));
            }
        }
        if self.system == System::Rpm {
            self.spread(&roots);
            plan.missing.append(&mut self.failures);
            if !plan.missing.is_empty() {
                // A resolver does all of it or nothing.
                self.units.iter_mut().for_each(|unit| unit.mode = Mode::Keep);
            }
        } else {
            for at in &roots {
                self.failures.clear();
                if !self.install(*at, 0, false) {
                    plan.missing.append(&mut self.failures);
                    // Nothing of it is installed; what others asked for stays.
                    self.units[*at].mode = Mode::Keep;
                }
            }
            if self.recommends {
                self.come_along();
            }
        }
        self.repair(&mut plan, &roots);
        self.drop_unneeded(&roots);
        plan.missing.sort_by_key(|missing| format!("{missing:?}"));
        plan.missing.dedup();
        self.tell(&mut plan, &roots);
        plan
    }

    /// The units that a name stands for: a package, a group, or the only one that provides it.
    fn wanted(&mut self, name: &Text) -> Result<Vec<Ix>, Missing> {
        if let Some(at) = self.unit(name).filter(|at| self.eligible(*at).is_some()) {
            return Ok(vec![at]);
        }
        if let Some(members) = self.catalog.groups.get(name.trim_start_matches('@')) {
            let units: Vec<Ix> = members.iter().filter_map(|member| self.unit(member)).collect();
            if !units.is_empty() {
                return Ok(units);
            }
        }
        let mut providers = self.answering(name);
        providers.retain(|at| self.eligible(*at).is_some());
        match providers[..] {
            [only] => Ok(vec![only]),
            // Only apt wants to be told which one is meant.
            [_, ..] if self.system != System::Dpkg => {
                let need = Dependency { name: name.clone(), op: None, version: None };
                Ok(self.solutions(std::slice::from_ref(&need)).into_iter().take(1).collect())
            }
            _ => {
                let mut providers: Vec<Text> =
                    providers.iter().map(|at| self.units[*at].name.into()).collect();
                providers.sort();
                Err(Missing::NotOffered { asked: name.clone(), providers })
            }
        }
    }

    /// Marks what something else that is new brings by being there, until nothing more comes.
    fn come_along(&mut self) {
        loop {
            let mut came = false;
            for (at, by) in self.comers() {
                self.units[at].by = Some((by, Because::ComesAlong));
                came |= self.install(at, 1, false);
            }
            if !came {
                return;
            }
        }
    }

    /// What would come along with new packages as they are marked now, each with one that brings it.
    pub(super) fn comers(&mut self) -> Vec<(Ix, Ix)> {
        let catalog = self.catalog;
        let mut comers = Vec::new();
        for (_, offered) in catalog.brought() {
            let Some(at) = self.unit(&offered.package.name) else { continue };
            let unit = &self.units[at];
            if unit.mode == Mode::Keep && unit.installed.is_none() && unit.candidate().is_some() {
                comers.extend(self.bringer(&offered.brought_by).map(|by| (at, by)));
            }
        }
        comers
    }

    /// A new package that, with others that are there, fulfils a condition.
    fn bringer(&mut self, any: &[Vec<Dependency>]) -> Option<Ix> {
        for all in any {
            if all.is_empty() || !all.iter().all(|one| self.is_met(std::slice::from_ref(one))) {
                continue;
            }
            for one in all {
                let new =
                    self.answering_now(one).into_iter().find(|at| self.units[*at].mode == Mode::Install);
                if new.is_some() {
                    return new;
                }
            }
        }
        None
    }

    /// Installed packages that what was marked leaves without something they need, or that refuse it: what came as a mere
    /// recommendation goes back for them; else they are updated, or they go. The system weighs here, and may choose otherwise.
    fn repair(&mut self, plan: &mut Plan, roots: &[Ix]) {
        for _ in 0..ROUNDS {
            let broken = self.broken();
            // Of two new packages that can't be beside one another the one that says so goes back, if it may.
            let at_odds = self.at_odds();
            let mut back: Vec<Ix> = broken.iter().filter_map(|(_, by)| self.may_go_back(*by)).collect();
            let pairs = at_odds.iter();
            back.extend(pairs.flat_map(|(one, other)| [*one, *other]).find_map(|at| self.may_go_back(at)));
            let lacking = if broken.is_empty() && back.is_empty() { self.lacking() } else { Vec::new() };
            // What misses something goes back, where it is no more than recommended.
            back.extend(lacking.iter().filter_map(|(at, _)| self.may_go_back(*at)));
            if broken.is_empty() && back.is_empty() {
                // What can't be beside one another, or misses what it needs, and has no other way, can't be had at all.
                let mut impossible: Vec<Missing> = lacking.into_iter().map(|(_, missing)| missing).collect();
                for (one, other) in &at_odds {
                    let with = Text::from(self.units[*other].name);
                    impossible.push(Missing::Conflict { path: self.path(*one), with });
                }
                if !impossible.is_empty() {
                    plan.missing.append(&mut impossible);
                    self.units.iter_mut().for_each(|unit| unit.mode = Mode::Keep);
                }
                return;
            }
            if !back.is_empty() {
                for at in back {
                    self.units[at].mode = Mode::Keep;
                    self.units[at].give_up();
                    self.choose_again(at);
                }
                self.give_back_removed();
                self.drop_unneeded(roots);
                continue;
            }
            for (at, by) in broken {
                self.may_differ.insert(at);
                if self.units[at].candidate().is_some() && self.units[at].mode == Mode::Keep {
                    self.units[at].by = Some((by, Because::Needed));
                    if self.install(at, 1, false) {
                        continue;
                    }
                }
                let unit = &mut self.units[at];
                if unit.protected || unit.installed.is_some_and(|package| package.essential) {
                    plan.missing
                        .push(Missing::Conflict { path: self.path(by), with: self.units[at].name.into() });
                    return;
                }
                unit.mode = Mode::Delete;
                unit.by = Some((by, Because::Needed));
            }
        }
    }

    /// Pairs of new packages that can't be beside one another: who refuses, who is refused.
    fn at_odds(&mut self) -> Vec<(Ix, Ix)> {
        let new: Vec<Ix> = (0..self.units.len()).filter(|at| self.units[*at].mode == Mode::Install).collect();
        let mut pairs = Vec::new();
        for at in new {
            let Some((_, offered)) = self.units[at].candidate() else { continue };
            for enemy in &offered.package.conflicts {
                let refused = self.answering_now(enemy).into_iter().filter(|other| *other != at);
                pairs.extend(refused.map(|other| (at, other)));
            }
        }
        pairs
    }

    /// The nearest package on the way to a new one that need not be there: a mere recommendation, or one of several that do.
    fn may_go_back(&mut self, at: Ix) -> Option<Ix> {
        let mut seen = FxHashSet::default();
        let mut here = at;
        while seen.insert(here) {
            let unit = &self.units[here];
            if unit.installed.is_some() || unit.mode != Mode::Install {
                return None;
            }
            let (by, because) = unit.by?;
            let has_others = unit.instead.iter().any(|other| self.eligible(*other).is_some());
            if because != Because::Needed || has_others {
                // Who brought it can do without it; another one that needs it, and nothing else, can't.
                return (!self.is_needed_beside(here, by)).then_some(here);
            }
            here = by;
        }
        None
    }

    /// Whether another unit than the one that brought it needs a unit, and nothing else that could come meets that need.
    fn is_needed_beside(&mut self, at: Ix, by: Ix) -> bool {
        for other in 0..self.units.len() {
            if other == at || other == by || self.units[other].mode != Mode::Install {
                continue;
            }
            let Some((_, offered)) = self.units[other].candidate() else { continue };
            for need in self.needs(offered) {
                if need.hard && self.solutions(&need.group) == [at] {
                    return true;
                }
            }
        }
        false
    }

    /// What is marked, with each of its needs that nothing meets after all.
    fn lacking(&mut self) -> Vec<(Ix, Missing)> {
        let mut lacking = Vec::new();
        for at in 0..self.units.len() {
            if self.units[at].mode != Mode::Install {
                continue;
            }
            let Some((_, offered)) = self.units[at].candidate() else { continue };
            for need in self.needs(offered) {
                if need.hard && !self.is_met(&need.group) {
                    let missing = Missing::Need { path: self.path(at), need: group_text(&need.group) };
                    lacking.push((at, missing));
                }
            }
        }
        lacking
    }

    /// Looks for something else that meets the needs of whatever brought a package that went back.
    fn choose_again(&mut self, gone: Ix) {
        let Some((by, Because::Needed)) = self.units[gone].by else { return };
        let Some((_, offered)) = self.units[by].candidate().filter(|_| self.units[by].mode == Mode::Install)
        else {
            return;
        };
        self.needs_of(by, offered, 1, false, false);
    }

    /// Puts back what was removed for something that is not installed after all.
    fn give_back_removed(&mut self) {
        for at in 0..self.units.len() {
            let unit = &self.units[at];
            let for_nothing = unit.by.is_some_and(|(by, _)| self.units[by].mode == Mode::Keep);
            if unit.mode == Mode::Delete && for_nothing {
                self.units[at].mode = Mode::Keep;
                self.units[at].by = None;
            }
        }
    }

    /// Installed packages that can't stay as they are, each with what is in the way.
    fn broken(&mut self) -> Vec<(Ix, Ix)> {
        let changed: Vec<Ix> =
            (0..self.units.len()).filter(|at| self.units[*at].mode != Mode::Keep).collect();
        let mut broken = Vec::new();
        for by in changed {
            let (planned, old) = (self.planned(by), self.units[by].installed);
            let mut names: Vec<&str> = vec![self.units[by].name];
            for package in [self.units[by].installed, planned].into_iter().flatten() {
                names.extend(package.provides.iter().map(|one| one.name.as_str()));
            }
            for name in names {
                // What was not installed is missed by nobody.
                let needing = if old.is_some() { self.needing(name) } else { Vec::new() };
                for at in needing {
                    let Some(package) = self.staying(at, by) else { continue };
                    let had = |state: &mut Self, group: &[Dependency]| state.was_met(group);
                    let lost = package
                        .depends
                        .iter()
                        .filter(|group| group.iter().any(|need| need.name == name))
                        .any(|group| !self.is_met(group) && had(self, group));
                    if lost {
                        broken.push((at, by));
                    }
                }
                for at in self.refused.get(name).cloned().unwrap_or_default() {
                    let (Some(package), Some(new)) = (self.staying(at, by), planned) else { continue };
                    let refuses = package.conflicts.iter().any(|enemy| {
                        enemy.name == name
                            && self.answers(new, enemy)
                            && !old.is_some_and(|old| self.answers(old, enemy))
                    });
                    if refuses {
                        broken.push((at, by));
                    }
                }
            }
        }
        broken.sort_unstable();
        broken.dedup_by_key(|(at, _)| *at);
        broken
    }

    fn staying(&self, at: Ix, beside: Ix) -> Option<&'p Package> {
        let unit = &self.units[at];
        unit.installed.filter(|_| unit.mode == Mode::Keep && at != beside)
    }

    /// Whether the install as it is meets a need.
    fn was_met(&mut self, group: &[Dependency]) -> bool {
        group.iter().any(|need| {
            self.answering(&need.name)
                .into_iter()
                .any(|at| self.units[at].installed.is_some_and(|package| self.answers(package, need)))
        })
    }

    /// Takes back what was marked on the way to something that could not be had: what nothing that stays asks for.
    fn drop_unneeded(&mut self, roots: &[Ix]) {
        let mut reached: FxHashSet<Ix> = FxHashSet::default();
        let mut queue: Vec<Ix> = roots.to_vec();
        let staying = |unit: &super::state::Unit<'_>| unit.installed.is_some() && unit.mode != Mode::Delete;
        // Of what is installed only that which is updated can ask for something new.
        queue.extend(
            (0..self.units.len())
                .filter(|at| staying(&self.units[*at]) && self.units[*at].mode == Mode::Install),
        );
        loop {
            while let Some(at) = queue.pop() {
                if !reached.insert(at) || self.units[at].mode != Mode::Install {
                    continue;
                }
                let Some((_, offered)) = self.units[at].candidate() else { continue };
                let package = &offered.package;
                let groups = package.depends.iter().chain(&package.recommends).chain(&package.suggests);
                let conditional = offered.conditional.iter().map(|one| &one.need);
                for need in groups.chain(conditional).flatten() {
                    queue.extend(
                        self.answering_now(need)
                            .into_iter()
                            .filter(|at| self.units[*at].mode == Mode::Install),
                    );
                }
            }
            // What came along with one that stays stays too, and so does what it needs.
            let along = (0..self.units.len()).filter(|at| {
                let unit = &self.units[*at];
                let came = unit
                    .by
                    .is_some_and(|(by, because)| because == Because::ComesAlong && reached.contains(&by));
                came && unit.mode == Mode::Install && !reached.contains(at)
            });
            queue.extend(along);
            if queue.is_empty() {
                break;
            }
        }
        let unreached = |state: &Self, at: &Ix| {
            let unit = &state.units[*at];
            unit.mode == Mode::Install && unit.installed.is_none() && !reached.contains(at)
        };
        let kept = self.kept_by_installed((0..self.units.len()).filter(|at| unreached(self, at)).collect());
        for at in 0..self.units.len() {
            let unit = &self.units[at];
            if unit.mode == Mode::Install
                && unit.installed.is_none()
                && !reached.contains(&at)
                && !kept.contains(&at)
            {
                self.units[at].mode = Mode::Keep;
            }
        }
    }

    /// Which of some new packages something that is installed recommends or suggests: those stay, and what they need.
    fn kept_by_installed(&mut self, unreached: Vec<Ix>) -> FxHashSet<Ix> {
        let mut kept = FxHashSet::default();
        if unreached.is_empty() {
            return kept;
        }
        let names: FxHashSet<&str> = unreached.iter().map(|at| self.units[*at].name).collect();
        let mut wanted: FxHashSet<&str> = FxHashSet::default();
        for unit in self.units.iter().filter(|unit| unit.mode == Mode::Keep) {
            let Some(package) = unit.installed else { continue };
            let weak = package.recommends.iter().chain(&package.suggests).flatten();
            wanted.extend(weak.map(|need| need.name.as_str()).filter(|name| names.contains(name)));
        }
        let mut queue: Vec<Ix> =
            unreached.into_iter().filter(|at| wanted.contains(self.units[*at].name)).collect();
        while let Some(at) = queue.pop() {
            if !kept.insert(at) {
                continue;
            }
            let Some((_, offered)) = self.units[at].candidate() else { continue };
            for need in offered.package.depends.iter().chain(&offered.package.recommends).flatten() {
                queue.extend(
                    self.answering_now(need).into_iter().filter(|at| self.units[*at].mode == Mode::Install),
                );
            }
        }
        kept
    }

    fn tell(&self, plan: &mut Plan, roots: &[Ix]) {
        let bytes = |package: &Package| {
            i64::try_from(package.installed_bytes.unwrap_or_default()).unwrap_or(i64::MAX)
        };
        for (at, unit) in self.units.iter().enumerate() {
            let candidate = if unit.mode == Mode::Install { unit.candidate() } else { None };
            match (unit.mode, candidate, unit.installed) {
                (Mode::Install, Some((slot, offered)), old) => {
                    let package = &offered.package;
                    plan.download_bytes =
                        plan.download_bytes.saturating_add(package.download_bytes.unwrap_or_default());
                    let grows = bytes(package).saturating_sub(old.map_or(0, bytes));
                    plan.disk_bytes = plan.disk_bytes.saturating_add(grows);
                    let brought = self.brought(at, roots);
                    match old {
                        None => plan.added.push(Added {
                            package: package.reference(),
                            version: package.version.clone(),
                            repository: self
                                .catalog
                                .lists
                                .get(self.catalog.list(slot))
                                .map(|list| list.repository.clone())
                                .unwrap_or_default(),
                            download_bytes: package.download_bytes,
                            installed_bytes: package.installed_bytes,
                            summary: package.summary.clone(),
                            brought,
                        }),
                        Some(old) => plan.upgraded.push(Upgraded {
                            package: package.reference(),
                            old: old.version.clone(),
                            new: package.version.clone(),
                            download_bytes: package.download_bytes,
                            grows_bytes: grows,
                            brought,
                        }),
                    }
                }
                (Mode::Delete, _, Some(old)) => {
                    plan.disk_bytes = plan.disk_bytes.saturating_sub(bytes(old));
                    let because_of = unit.by.map_or_else(Text::default, |(by, _)| self.units[by].name.into());
                    plan.removed.push(Removed {
                        package: old.reference(),
                        installed_bytes: old.installed_bytes,
                        because_of,
                    });
                }
                _ => {}
            }
        }
        let asked_first = |brought: &Brought| brought.because != Because::Asked;
        plan.added.sort_by(|a, b| {
            (asked_first(&a.brought), &a.package).cmp(&(asked_first(&b.brought), &b.package))
        });
        plan.upgraded.sort_by(|a, b| a.package.cmp(&b.package));
        plan.removed.sort_by(|a, b| a.package.cmp(&b.package));
        plan.may_differ = self.may_differ.iter().map(|at| self.units[*at].name.into()).collect();
        plan.may_differ.sort();
    }

    fn brought(&self, at: Ix, roots: &[Ix]) -> Brought {
        if roots.contains(&at) {
            return Brought { because: Because::Asked, path: Vec::new(), instead: Vec::new() };
        }
        let unit = &self.units[at];
        let mut path = self.path(at);
        path.pop();
        let because = unit.by.map_or(Because::Needed, |(_, because)| because);
        let instead = unit.instead.iter().map(|at| Text::from(self.units[*at].name)).collect();
        Brought { because, path, instead }
    }
}
