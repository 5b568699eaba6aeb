//! Marking: a package, then what it needs, depth first.

use super::state::{Ix, Mode, State};
use super::{Because, Missing};
use crate::model::{Alternatives, Dependency, Package, System, Text};
use crate::offer::Offered;

/// Needs that may follow one another.
pub(super) const DEPTH: usize = 3000;

/// A need of a package that is to be marked.
#[derive(Debug)]
pub(super) struct Need<'p> {
    pub(super) group: std::borrow::Cow<'p, [Dependency]>,
    pub(super) hard: bool,
}

impl<'p> State<'p> {
    /// Marks a unit to be installed, and what it needs; whether that can be done. What is the `only` way to something that was
    /// asked for is never given up again.
    pub(super) fn install(&mut self, at: Ix, depth: usize, only: bool) -> bool {
        let from_user = depth == 0;
        let unit = &self.units[at];
        let Some((_, offered)) = unit.candidate() else {
            // What is installed and newest stays.
            if unit.installed.is_none() {
                return false;
            }
            if unit.mode == Mode::Delete {
                if unit.protected {
                    return false;
                }
                self.units[at].mode = Mode::Keep;
            }
            self.units[at].protected |= only;
            return true;
        };
        if unit.mode == Mode::Install && !from_user && (unit.protected || !only) {
            return true;
        }
        if unit.mode == Mode::Delete && unit.protected || depth > DEPTH {
            return false;
        }
        if unit.mode == Mode::Keep && unit.installed.is_none() && unit.protected && !from_user {
            return false;
        }
        if !from_user && unit.installed.is_some_and(|package| package.held) {
            return false;
        }
        if !self.is_possible(at, offered) {
            return false;
        }
        let was_protected = self.units[at].protected || only;
        let fail_early = !was_protected && !from_user;
        self.units[at].mode = Mode::Install;
        self.units[at].protected = true;
        let done = self.with_all(at, offered, depth, was_protected, fail_early);
        self.units[at].protected = was_protected;
        if !done && fail_early {
            self.units[at].mode = Mode::Keep;
            self.units[at].give_up();
            return false;
        }
        done
    }

    fn with_all(
        &mut self,
        at: Ix,
        offered: &'p Offered,
        depth: usize,
        protected: bool,
        fail_early: bool,
    ) -> bool {
        let mut done = true;
        let (mut upgrade, remove, possible) = self.enemies(at, &offered.package, protected);
        done &= possible;
        if !done && fail_early {
            return false;
        }
        upgrade.extend(self.left_behind(at, &offered.package));
        self.siblings(at, offered, depth);
        for other in upgrade {
            if self.units[other].mode != Mode::Install
                && !self.bring(other, at, Because::Needed, depth, false)
            {
                done &= self.remove(other, at);
            }
            if !done && fail_early {
                return false;
            }
        }
        done &= self.needs_of(at, offered, depth, protected, fail_early);
        if !done && fail_early {
            return false;
        }
        for other in remove {
            done &= self.remove(other, at);
        }
        done
    }

    /// Marks a unit that another one brings.
    fn bring(&mut self, at: Ix, by: Ix, because: Because, depth: usize, only: bool) -> bool {
        if self.units[at].by.is_none() && self.units[at].mode == Mode::Keep && at != by {
            self.units[at].by = Some((by, because));
        }
        self.install(at, depth + 1, only)
    }

    /// Whether every hard need of a candidate can be met at all; one of which that is not so is no candidate any more.
    fn is_possible(&mut self, at: Ix, offered: &'p Offered) -> bool {
        for group in &offered.package.depends {
            if self.is_met(group) || self.may_be_met(group) {
                continue;
            }
            let need = group_text(group);
            let path = self.path(at);
            self.failures.push(Missing::Need { path, need });
            if !self.units[at].protected {
                self.units[at].give_up();
            }
            return false;
        }
        true
    }

    /// What a package can't be beside: what of it is to be updated instead, what to be removed, and whether that can be done.
    fn enemies(&mut self, at: Ix, package: &'p Package, protected: bool) -> (Vec<Ix>, Vec<Ix>, bool) {
        let (mut upgrade, mut remove, mut possible) = (Vec::new(), Vec::new(), true);
        for enemy in &package.conflicts {
            let mut found = self.answering(&enemy.name);
            found.retain(|other| *other != at);
            for other in found {
                let fits =
                    |package: Option<&Package>| package.is_some_and(|package| self.answers(package, enemy));
                let by_now = fits(self.planned(other));
                let unit = &self.units[other];
                let (by_installed, by_candidate) =
                    (fits(unit.installed), fits(unit.candidate().map(|(_, offered)| &offered.package)));
                if by_candidate && protected && unit.mode != Mode::Install {
                    // What was asked for stays: this version of the other one can't come any more.
                    let unit = &mut self.units[other];
                    unit.give_up();
                    unit.protected |= unit.installed.is_none();
                }
                if !by_now {
                    continue;
                }
                let unit = &self.units[other];
                if unit.mode == Mode::Install {
                    if unit.protected {
                        possible = false;
                        let path = self.path(at);
                        let with = Text::from(self.units[other].name);
                        self.failures.push(Missing::Conflict { path, with });
                    } else {
                        self.units[other].mode = Mode::Keep;
                        self.units[other].give_up();
                    }
                } else if by_installed && unit.candidate().is_some() && !by_candidate {
                    upgrade.push(other);
                } else if self.may_go(other) {
                    remove.push(other);
                } else {
                    possible = false;
                    let path = self.path(at);
                    let with = Text::from(self.units[other].name);
                    self.failures.push(Missing::Conflict { path, with });
                }
            }
        }
        (upgrade, remove, possible)
    }

    /// Whether a system would remove an installed package for another one.
    fn may_go(&self, at: Ix) -> bool {
        let unit = &self.units[at];
        // Who is asked for a package that can't be beside another one asks back, and takes "no" for an answer.
        self.system == System::Dpkg && !unit.protected && !unit.installed.is_some_and(|package| package.held)
    }

    /// Marks an installed unit to be removed for another one.
    fn remove(&mut self, at: Ix, by: Ix) -> bool {
        if !self.may_go(at) {
            return false;
        }
        let unit = &mut self.units[at];
        unit.mode = Mode::Delete;
        unit.by = Some((by, Because::Needed));
        true
    }

    /// Installed packages whose needs the installed version met, and the new one does not.
    fn left_behind(&mut self, at: Ix, new: &Package) -> Vec<Ix> {
        let Some(old) = self.units[at].installed else { return Vec::new() };
        let names =
            std::iter::once(old.name.as_str()).chain(old.provides.iter().map(|one| one.name.as_str()));
        let mut found = Vec::new();
        for name in names {
            for other in self.needing(name) {
                let unit = &self.units[other];
                let Some(package) = unit.installed.filter(|_| unit.mode == Mode::Keep && other != at) else {
                    continue;
                };
                let breaks = package
                    .depends
                    .iter()
                    .flatten()
                    .any(|need| need.name == name && self.answers(old, need) && !self.answers(new, need));
                if breaks && !found.contains(&other) {
                    found.push(other);
                }
            }
        }
        found
    }

    /// Installed packages made of the same source follow to its version.
    fn siblings(&mut self, at: Ix, offered: &'p Offered, depth: usize) {
        if self.system != System::Dpkg {
            return;
        }
        let source = offered.package.source();
        let of = source_version(&offered.package);
        let siblings: Vec<Ix> = self
            .by_source
            .get(source)
            .into_iter()
            .flatten()
            .copied()
            .filter(|other| {
                let unit = &self.units[*other];
                *other != at
                    && unit.mode == Mode::Keep
                    && unit.candidate().is_some_and(|(_, other)| {
                        other.package.source() == source && source_version(&other.package) == of
                    })
            })
            .collect();
        for other in siblings {
            self.bring(other, at, Because::Needed, depth, false);
        }
    }

    pub(super) fn needs(&mut self, offered: &'p Offered) -> Vec<Need<'p>> {
        let package = &offered.package;
        let of = |groups: &'p [Alternatives], hard| {
            groups.iter().map(move |group| Need { group: group.as_slice().into(), hard })
        };
        let mut needs: Vec<Need<'p>> = of(&package.depends, true).collect();
        if self.recommends {
            needs.extend(of(&package.recommends, false));
        }
        for conditional in &offered.conditional {
            let holds = self.is_met(std::slice::from_ref(&conditional.when)) != conditional.unless;
            if holds && (!conditional.weak || self.recommends) {
                needs.push(Need { group: conditional.need.as_slice().into(), hard: !conditional.weak });
            }
        }
        needs
    }

    pub(super) fn needs_of(
        &mut self,
        at: Ix,
        offered: &'p Offered,
        depth: usize,
        protected: bool,
        fail_early: bool,
    ) -> bool {
        let mut done = true;
        let needs = self.needs(offered);
        let all: Vec<Need<'p>> = if protected || depth == 0 {
            needs
        } else {
            needs.into_iter().filter(|need| !self.is_met(&need.group)).collect()
        };
        for need in all {
            if self.is_met(&need.group) {
                if protected && need.hard {
                    self.protect_the_only(&need.group, depth);
                }
                continue;
            }
            if !need.hard && self.units[at].installed.is_some_and(|old| !is_news(self, old, &need.group)) {
                continue;
            }
            let solutions = self.solutions(&need.group);
            let because = if need.hard { Because::Needed } else { Because::Recommended };
            let only = protected && need.hard && solutions.len() == 1;
            let mut met = false;
            let known = self.failures.len();
            for (tried, solution) in solutions.iter().enumerate() {
                let marked = self.bring(*solution, at, because, depth, only);
                if marked {
                    if self.units[*solution].instead.is_empty()
                        && self.units[*solution].by.is_some_and(|(by, _)| by == at)
                    {
                        self.units[*solution].instead = solutions
                            .iter()
                            .enumerate()
                            .filter(|(i, _)| *i != tried)
                            .map(|(_, at)| *at)
                            .collect();
                    }
                    met = true;
                    break;
                }
            }
            if met || !need.hard {
                // What was tried in vain is no failure where something else does, or where it is not needed.
                self.failures.truncate(known);
            } else {
                done = false;
                // Where what it needs failed for a reason of its own, that reason is the one to tell.
                if self.failures.len() == known {
                    let path = self.path(at);
                    self.failures.push(Missing::Need { path, need: group_text(&need.group) });
                }
                if fail_early {
                    break;
                }
            }
        }
        done
    }

    /// What alone meets a need of something that was asked for must not be given up either.
    fn protect_the_only(&mut self, group: &[Dependency], depth: usize) {
        let mut found: Vec<Ix> = Vec::new();
        for need in group {
            for at in self.answering(&need.name) {
                let fits =
                    |package: Option<&Package>| package.is_some_and(|package| self.answers(package, need));
                let unit = &self.units[at];
                if (fits(unit.installed) || fits(unit.candidate().map(|(_, offered)| &offered.package)))
                    && !found.contains(&at)
                {
                    found.push(at);
                }
            }
        }
        let [only] = found[..] else { return };
        if !self.units[only].protected && self.units[only].mode == Mode::Install && depth < DEPTH {
            self.units[only].protected = true;
            if let Some((_, offered)) = self.units[only].candidate() {
                self.needs_of(only, offered, depth + 1, true, false);
            }
        }
        self.units[only].protected = true;
    }
}

/// Whether an installed package recommends something for the first time, or had it before.
fn is_news(state: &mut State<'_>, old: &Package, group: &[Dependency]) -> bool {
    let Some(first) = group.first() else { return false };
    let known: Vec<&Alternatives> =
        old.recommends.iter().filter(|known| known.iter().any(|one| one.name == first.name)).collect();
    known.is_empty()
        || known.iter().any(|known| {
            known.iter().any(|need| {
                state
                    .answering(&need.name)
                    .into_iter()
                    .any(|at| state.units[at].installed.is_some_and(|package| state.answers(package, need)))
            })
        })
}

/// The version of the source that a package was made of: without the number of a mere rebuild.
fn source_version(package: &Package) -> &str {
    let version = package.version.as_str();
    match version.rsplit_once("+b") {
        Some((rest, number)) if number.bytes().all(|byte| byte.is_ascii_digit()) => rest,
        _ => version,
    }
}

/// A need in the way that systems write it: `a (>= 2) | b`.
pub(super) fn group_text(group: &[Dependency]) -> Text {
    let one = |need: &Dependency| match (need.op, &need.version) {
        (Some(op), Some(version)) => format!("{} ({} {version})", need.name, op.name()),
        _ => need.name.to_string(),
    };
    group.iter().map(one).collect::<Vec<_>>().join(" | ").into()
}
