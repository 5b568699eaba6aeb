//! Marking as the resolvers above rpm do it: what is forced first, choices when nothing is forced any more, and what is weak when all
//! that is hard is there.

use super::mark::{Need, group_text};
use super::state::{Ix, Mode, State};
use super::{Because, Missing};
use rustc_hash::FxHashSet;
use std::collections::VecDeque;

/// What was marked, in that order.
#[derive(Debug, Default)]
struct Marked {
    order: Vec<Ix>,
    known: FxHashSet<Ix>,
}

impl<'p> State<'p> {
    /// Marks what the marked units need, then what they recommend and what comes along with them.
    pub(super) fn spread(&mut self, roots: &[Ix]) {
        let mut marked = Marked::default();
        self.spread_hard(roots, &mut marked);
        if !self.recommends || !self.failures.is_empty() {
            return;
        }
        let mut seen = 0;
        loop {
            // Recommendations of one after the other; what each brings is looked at in its turn.
            while let Some(at) = marked.order.get(seen).copied() {
                seen += 1;
                for need in self.needs_by(at, false) {
                    if !self.is_met(&need.group) {
                        let solutions = self.solutions(&need.group);
                        self.try_each(&solutions, at, Because::Recommended, &mut marked);
                    }
                }
            }
            let known = marked.order.len();
            for (at, by) in self.comers() {
                self.try_each(&[at], by, Because::ComesAlong, &mut marked);
            }
            if marked.order.len() == known {
                return;
            }
        }
    }

    /// Marks the first unit that can be there with all it needs; none is marked where none can.
    fn try_each(&mut self, solutions: &[Ix], by: Ix, because: Because, marked: &mut Marked) {
        for solution in solutions {
            let length = marked.order.len();
            self.mark(*solution, by, because);
            self.spread_hard(&[*solution], marked);
            if self.failures.is_empty() && !self.is_at_odds(&marked.order[length..]) {
                return;
            }
            self.failures.clear();
            for at in marked.order.drain(length..) {
                marked.known.remove(&at);
                let unit = &mut self.units[at];
                unit.mode = Mode::Keep;
                unit.by = None;
                unit.instead.clear();
            }
        }
    }

    /// Whether a package that was just marked can't be beside one that is there, or is refused by one.
    fn is_at_odds(&mut self, new: &[Ix]) -> bool {
        new.iter().any(|at| {
            let Some(package) = self.planned(*at) else { return false };
            let refuses = package
                .conflicts
                .iter()
                .any(|enemy| self.answering_now(enemy).into_iter().any(|other| other != *at));
            let names = std::iter::once(&package.name).chain(package.provides.iter().map(|one| &one.name));
            refuses
                || names.flat_map(|name| self.refused.get(name.as_str()).into_iter().flatten()).any(|other| {
                    let by = self.planned(*other).filter(|_| other != at);
                    by.is_some_and(|by| by.conflicts.iter().any(|enemy| self.answers(package, enemy)))
                })
        })
    }

    fn mark(&mut self, at: Ix, by: Ix, because: Because) {
        let unit = &mut self.units[at];
        let Some((_, offered)) = unit.candidate() else { return };
        unit.mode = Mode::Install;
        if at != by && unit.by.is_none() && !unit.protected {
            unit.by = Some((by, because));
        }
        // Should it be taken back, what it refuses is asked of what is planned all the same.
        for enemy in &offered.package.conflicts {
            let refusing = self.refused.entry(&enemy.name).or_default();
            if !refusing.contains(&at) {
                refusing.push(at);
            }
        }
    }

    /// Marks what units need, and what that needs; adds all that is marked to the list.
    fn spread_hard(&mut self, roots: &[Ix], marked: &mut Marked) {
        let mut queue: VecDeque<Ix> =
            roots.iter().copied().filter(|at| self.units[*at].mode == Mode::Install).collect();
        let mut open: VecDeque<(Ix, Need<'p>)> = VecDeque::new();
        loop {
            while let Some(at) = queue.pop_front() {
                if !marked.known.insert(at) {
                    continue;
                }
                marked.order.push(at);
                for need in self.needs_by(at, true) {
                    if !self.is_met(&need.group) {
                        self.follow(at, need, &mut queue, &mut open, false);
                    }
                }
            }
            let Some((at, need)) = open.pop_front() else {
                // Conditions may hold by now that did not when a package was marked.
                open = self.late(&marked.order);
                if open.is_empty() || !self.failures.is_empty() {
                    return;
                }
                continue;
            };
            if !self.is_met(&need.group) {
                self.follow(at, need, &mut queue, &mut open, true);
            }
        }
    }

    /// The needs under conditions that came to hold, and that nothing meets.
    fn late(&mut self, marked: &[Ix]) -> VecDeque<(Ix, Need<'p>)> {
        let mut late = VecDeque::new();
        for at in marked {
            if self.units[*at].candidate().is_some_and(|(_, offered)| !offered.conditional.is_empty()) {
                let needs = self.needs_by(*at, true);
                late.extend(
                    needs.into_iter().filter(|need| !self.is_met(&need.group)).map(|need| (*at, need)),
                );
            }
        }
        late
    }

    /// Marks the only one that meets a need; of several the first, where it is time to choose.
    fn follow(
        &mut self,
        at: Ix,
        need: Need<'p>,
        queue: &mut VecDeque<Ix>,
        open: &mut VecDeque<(Ix, Need<'p>)>,
        choose: bool,
    ) {
        let solutions = self.solutions(&need.group);
        match solutions[..] {
            [] => {
                let path = self.path(at);
                self.failures.push(Missing::Need { path, need: group_text(&need.group) });
            }
            [first, ref others @ ..] if others.is_empty() || choose => {
                self.mark(first, at, Because::Needed);
                if self.units[first].instead.is_empty() {
                    self.units[first].instead = others.to_vec();
                }
                queue.push_back(first);
            }
            _ => open.push_back((at, need)),
        }
    }

    fn needs_by(&mut self, at: Ix, hard: bool) -> Vec<Need<'p>> {
        let Some((_, offered)) = self.units[at].candidate() else { return Vec::new() };
        let mut needs = self.needs(offered);
        needs.retain(|need| need.hard == hard);
        needs
    }
}
