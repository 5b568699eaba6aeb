//! Which of several packages that would do is taken first, by each system's own rule.

use super::state::{Ix, Mode, State};
use crate::model::{Dependency, System};
use std::cmp::Ordering;

/// Packages of which it is looked up where the lists mention them first: of more than so many the order of the lists must do.
const MENTIONED: usize = 64;

impl State<'_> {
    /// The units that could meet a need, in the order that the system tries them.
    pub(super) fn solutions(&mut self, group: &[Dependency]) -> Vec<Ix> {
        if self.system == System::Rpm {
            return self.solutions_in_any_order(group);
        }
        let (mut present, mut new) = (Vec::new(), Vec::new());
        for need in group {
            let mut found = self.answering(&need.name);
            found.retain(|at| self.eligible(*at).is_some_and(|package| self.answers(package, need)));
            self.sort(need, &mut found);
            for at in found {
                let list = if self.units[at].installed.is_some() { &mut present } else { &mut new };
                if !list.contains(&at) {
                    list.push(at);
                }
            }
        }
        present.append(&mut new);
        present.retain(|at| {
            let unit = &self.units[*at];
            !(unit.protected
                && (unit.mode == Mode::Delete || unit.mode == Mode::Keep && unit.installed.is_none()))
        });
        present
    }

    /// The same where the order of alternatives says nothing: what is there first, then by the lists.
    fn solutions_in_any_order(&mut self, group: &[Dependency]) -> Vec<Ix> {
        let mut found: Vec<Ix> = Vec::new();
        for need in group {
            let mut fitting = self.answering(&need.name);
            fitting.retain(|at| self.eligible(*at).is_some_and(|package| self.answers(package, need)));
            found.extend(fitting);
        }
        found.sort_by_key(|at| (self.units[*at].installed.is_none(), self.place(*at)));
        found.dedup();
        found
    }

    fn sort(&self, need: &Dependency, found: &mut [Ix]) {
        if found.len() < 2 {
            return;
        }
        let by_mention = self.system == System::Dpkg && found.len() <= MENTIONED;
        let mentions: Vec<(Ix, u64)> = found
            .iter()
            .map(|at| {
                (
                    *at,
                    if by_mention {
                        self.catalog.first_mention(self.units[*at].name)
                    } else {
                        self.place(*at)
                    },
                )
            })
            .collect();
        let mention =
            |at: Ix| mentions.iter().find(|(one, _)| *one == at).map_or(u64::MAX, |(_, mention)| *mention);
        found.sort_by(|a, b| {
            self.order(need, *a, *b).then_with(|| {
                // apt takes the one that it heard of last, others the first.
                if by_mention { mention(*b).cmp(&mention(*a)) } else { mention(*a).cmp(&mention(*b)) }
            })
        });
    }

    /// Where the candidate of a unit is in the lists.
    fn place(&self, at: Ix) -> u64 {
        self.units[at].candidate().map_or(0, |(at, _)| u64::from(at))
    }

    fn order(&self, need: &Dependency, a: Ix, b: Ix) -> Ordering {
        let (one, other) = (&self.units[a], &self.units[b]);
        // What must stay comes first, what is there next, and the name itself before who provides it.
        let protected = other.protected.cmp(&one.protected);
        let installed = other.installed.is_some().cmp(&one.installed.is_some());
        let named = |name: &str| name == need.name;
        let own = named(other.name).cmp(&named(one.name));
        let rank = |at: Ix| self.units[at].candidate().map_or(3, |(_, offered)| offered.rank);
        let essential = |at: Ix| self.eligible(at).is_some_and(|package| package.essential);
        protected
            .then(installed)
            .then(own)
            .then_with(|| essential(b).cmp(&essential(a)))
            .then_with(|| rank(a).cmp(&rank(b)))
    }
}
