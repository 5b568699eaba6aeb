//! Which decision is behind each package that came or went: what was put in or taken out on purpose, and what followed.
//!
//! Each changed package gets the first explanation that holds:
//!
//! 1. it was chosen, and nothing that stays needs it: a decision of its own;
//! 2. a metapackage that stays brings it now (or brought it): a decision of its own, taken through that metapackage;
//! 3. another package that stays needs it now (or needed it): that package's new needs are one decision;
//! 4. one decision dominates it: every way to it leads through that one, and it followed;
//! 5. several decisions bring it: it is shared by those;
//! 6. a package that stays needed it all along, or whatever stood in its place: the last resort, as that is no change;
//! 7. nothing explains it, and it is counted as such.
//!
//! A need counts as new (or as gone) only if the other side's package of the same pair does not state it: that a terminal is
//! needed explains no particular one.

use super::document::{Decision, DecisionSort};
use crate::graph::{Above, Dominators, Graph, Ix};
use crate::model::{Alternatives, Application, Kind, Package, Reason, System, Text};
use rustc_hash::{FxHashMap, FxHashSet};
use std::collections::{BTreeMap, BTreeSet};

/// One side of a comparison, as far as decisions are concerned.
pub(super) struct Side<'a> {
    /// The packages of this side.
    pub(super) packages: &'a [&'a Package],
    /// The same package on the other side, for those that have one.
    pub(super) partners: Vec<Option<&'a Package>>,
    /// Those that are on this side only, by position.
    pub(super) changed: Vec<usize>,
    /// Those whose place another package took, by position: they stay only in a manner of speaking.
    pub(super) replaced: Vec<usize>,
    /// Packages that the other side tells of as removed after its own install day.
    pub(super) removed_since: FxHashSet<(System, &'a str)>,
    /// Applications of this side, for names.
    pub(super) applications: &'a [Application],
    /// Whether this is the side that things came to.
    pub(super) came: bool,
}

impl Side<'_> {
    /// Whether a package states a need of `target` that its partner on the other side does not; one without a partner does.
    fn is_new_need(&self, from: usize, target: &Package) -> bool {
        let Some(partner) = self.partners.get(from).copied().flatten() else { return true };
        let package = self.packages[from];
        let names = |group: &Alternatives, name: &str| group.iter().any(|d| d.name == name);
        let meets = |group: &Alternatives| {
            names(group, &target.name) || target.provides.iter().any(|provided| names(group, &provided.name))
        };
        let alike = |a: &Alternatives, b: &Alternatives| {
            a.len() == b.len() && a.iter().zip(b).all(|(a, b)| a.name == b.name)
        };
        let new_in = |here: &[Alternatives], there: &[Alternatives]| {
            here.iter()
                .filter(|group| meets(group))
                .any(|group| !there.iter().any(|other| alike(group, other)))
        };
        new_in(&package.depends, &partner.depends) || new_in(&package.recommends, &partner.recommends)
    }
}

/// Explains the changed packages of a side: decisions, and for each changed package the position of its decision.
pub(super) fn explain(side: &Side<'_>) -> (Vec<Decision>, Vec<Option<usize>>) {
    if side.changed.is_empty() {
        return (Vec::new(), Vec::new());
    }
    let graph = Graph::onto(side.packages, Some(&side.changed));
    let work = Work::new(side, &graph);
    let targets = work.targets();
    let sources = work.sources(&targets);
    work.decide(&targets, &sources)
}

/// Why a changed package is a start of its own.
#[derive(Debug, Clone, PartialEq, Eq)]
enum Start {
    /// Asked for.
    Chosen,
    /// Removed after the install day, by whoever worked on it.
    RemovedSince,
    /// By a metapackage that stays, by position.
    Through(usize, Need),
    /// By a package that stays: its source.
    Needed(Text, Need),
}

/// Whether a need is stated on this side only.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Need {
    New,
    Old,
}

struct Work<'a> {
    side: &'a Side<'a>,
    graph: &'a Graph<'a>,
    /// Position among the changed ones, by position in the graph.
    changed_at: Vec<Option<usize>>,
    /// Packages of the graph that bring each changed one.
    bringers: Vec<Vec<usize>>,
    /// Those of them that come or go as well, or that state the need on this side only.
    newly: Vec<Vec<usize>>,
    by_package: FxHashMap<&'a str, &'a str>,
    /// Sources of which a package stays that no other one took the place of.
    staying: FxHashSet<&'a str>,
    all_unreasoned: bool,
}

impl<'a> Work<'a> {
    fn new(side: &'a Side<'a>, graph: &'a Graph<'a>) -> Self {
        let mut changed_at = vec![None; side.packages.len()];
        for (i, at) in side.changed.iter().enumerate() {
            changed_at[*at] = Some(i);
        }
        let mut bringers = vec![Vec::new(); side.changed.len()];
        for at in graph.all() {
            for target in graph.brings(at) {
                if let Some(i) = changed_at[target.0]
                    && bringers[i].last() != Some(&at.0)
                {
                    bringers[i].push(at.0);
                }
            }
        }
        let newly = bringers
            .iter()
            .zip(&side.changed)
            .map(|(list, at)| {
                let target = side.packages[*at];
                list.iter().copied().filter(|from| side.is_new_need(*from, target)).collect()
            })
            .collect();
        // The program of a suite that has its name gives the name for the whole.
        let mut by_package: FxHashMap<&str, &str> = FxHashMap::default();
        for application in side.applications {
            for delivery in &application.delivered {
                by_package.entry(&delivery.package).or_insert(&application.name);
            }
        }
        let replaced: FxHashSet<usize> = side.replaced.iter().copied().collect();
        let staying = (0..side.packages.len())
            .filter(|at| changed_at[*at].is_none() && !replaced.contains(at))
            .map(|at| side.packages[at].source())
            .collect();
        let all_unreasoned = side.packages.iter().all(|package| package.reason == Reason::Unknown);
        Self { side, graph, changed_at, bringers, newly, by_package, staying, all_unreasoned }
    }

    fn package(&self, i: usize) -> &'a Package {
        self.side.packages[self.side.changed[i]]
    }

    fn stays(&self, at: usize) -> bool {
        self.changed_at[at].is_none()
    }

    /// For each changed package why it is a start, if it is one.
    fn sources(&self, targets: &[Vec<usize>]) -> Vec<Option<Start>> {
        let mut starts: Vec<Option<Start>> = (0..self.side.changed.len())
            .map(|i| self.chosen(i).or_else(|| self.through(i, Need::New)))
            .collect();
        let open = (0..starts.len()).filter(|i| starts[*i].is_none()).collect();
        self.needed(&mut starts, open, Need::New);
        // What no start leads to is left to the packages that needed something of its sort all along.
        let mut reached = vec![false; starts.len()];
        let mut queue: Vec<usize> = (0..starts.len()).filter(|i| starts[*i].is_some()).collect();
        while let Some(i) = queue.pop() {
            if !std::mem::replace(&mut reached[i], true) {
                queue.extend(&targets[i]);
            }
        }
        let mut left: Vec<usize> = (0..reached.len()).filter(|i| !reached[*i]).collect();
        left.iter().for_each(|i| starts[*i] = self.through(*i, Need::Old));
        left.retain(|i| starts[*i].is_none());
        self.needed(&mut starts, left, Need::Old);
        starts
    }

    fn bringers(&self, i: usize, need: Need) -> &[usize] {
        match need {
            Need::New => &self.newly[i],
            Need::Old => &self.bringers[i],
        }
    }

    /// Lets packages that stay be the start of those that they bring. What several of them need is told of the one that needs
    /// most: fewer decisions, each with more weight.
    fn needed(&self, starts: &mut [Option<Start>], of: Vec<usize>, need: Need) {
        let mut needs: BTreeMap<&str, Vec<usize>> = BTreeMap::new();
        for i in of {
            let sources: BTreeSet<&str> = self
                .bringers(i, need)
                .iter()
                .filter(|at| self.stays(**at))
                .map(|at| self.side.packages[*at].source())
                .collect();
            sources.into_iter().for_each(|source| needs.entry(source).or_default().push(i));
        }
        let mut order: Vec<(&str, usize)> =
            needs.iter().map(|(source, list)| (*source, list.len())).collect();
        order.sort_by(|a, b| b.1.cmp(&a.1).then_with(|| a.0.cmp(b.0)));
        for (source, _) in order {
            for i in &needs[source] {
                starts[*i].get_or_insert_with(|| Start::Needed(source.into(), need));
            }
        }
    }

    fn chosen(&self, i: usize) -> Option<Start> {
        let package = self.package(i);
        if self.side.removed_since.contains(&(package.system, package.name.as_str())) {
            return Some(Start::RemovedSince);
        }
        let needed = self.graph.needed_by(Ix(self.side.changed[i]));
        let by_others = needed.iter().any(|at| self.side.packages[at.0].source() != package.source());
        let chosen =
            if self.all_unreasoned { self.bringers[i].is_empty() } else { package.reason == Reason::Chosen };
        (chosen && (!by_others || package.kind == Kind::Metapackage)).then_some(Start::Chosen)
    }

    /// The metapackage that stays and brings it.
    fn through(&self, i: usize, need: Need) -> Option<Start> {
        let meta = self
            .bringers(i, need)
            .iter()
            .filter(|at| self.stays(**at) && self.side.packages[**at].kind == Kind::Metapackage)
            .min_by_key(|at| &self.side.packages[**at].name);
        meta.map(|at| Start::Through(*at, need))
    }

    /// What each changed package brings among the changed ones.
    fn targets(&self) -> Vec<Vec<usize>> {
        let changed = self.side.changed.iter();
        changed.map(|at| self.graph.brings(Ix(*at)).filter_map(|t| self.changed_at[t.0]).collect()).collect()
    }

    fn decide(
        &self,
        targets: &[Vec<usize>],
        starts: &[Option<Start>],
    ) -> (Vec<Decision>, Vec<Option<usize>>) {
        let count = starts.len();
        let heads: Vec<usize> = (0..count).filter(|i| starts[*i].is_some()).collect();
        let tree = Dominators::new(targets, &heads);
        let mut groups: BTreeMap<Group, Vec<usize>> = BTreeMap::new();
        let mut group_of: Vec<Option<Group>> = vec![None; count];
        for i in &heads {
            group_of[*i] = starts[*i].as_ref().map(|start| match start {
                Start::Chosen | Start::RemovedSince | Start::Through(..) => Group::Own(*i),
                Start::Needed(source, need) => Group::Needed(source.clone(), *need),
            });
        }
        self.mark_shared(targets, &tree, starts, &mut group_of);
        let highest = tree.highest();
        for (i, start) in starts.iter().enumerate() {
            let top = highest[i];
            let group = match (start, top) {
                (Some(_), _) => group_of[i].clone(),
                (None, Some(top)) => group_of[top].clone(),
                (None, None) => None,
            };
            if let Some(group) = group {
                groups.entry(group.clone()).or_default().push(i);
                group_of[i] = Some(group);
            }
        }
        self.write(&groups, starts, &group_of)
    }

    /// Packages that several decisions bring, by the decisions that do. Told from the packages that bring them, in the
    /// order that they are reached, so that a shared package may itself be shared through another one.
    fn mark_shared(
        &self,
        targets: &[Vec<usize>],
        tree: &Dominators,
        starts: &[Option<Start>],
        group_of: &mut [Option<Group>],
    ) {
        let mut sources: Vec<Vec<usize>> = vec![Vec::new(); targets.len()];
        for (i, list) in targets.iter().enumerate() {
            list.iter().for_each(|target| sources[*target].push(i));
        }
        for i in (0..targets.len()).filter(|i| starts[*i].is_none() && tree.above(*i) == Above::Root) {
            let mut seen: FxHashSet<usize> = FxHashSet::from_iter([i]);
            let mut queue = vec![i];
            let mut bring: BTreeSet<Group> = BTreeSet::new();
            while let Some(at) = queue.pop() {
                for source in &sources[at] {
                    if !seen.insert(*source) {
                        continue;
                    }
                    match (&starts[*source], &group_of[*source]) {
                        (Some(_), Some(group)) => _ = bring.insert(group.clone()),
                        _ => queue.push(*source),
                    }
                }
            }
            let bring: Vec<Group> = bring.into_iter().collect();
            group_of[i] = match &bring[..] {
                [] => None,
                // All of them were one decision after all.
                [one] => Some(one.clone()),
                _ => Some(Group::Shared(bring)),
            };
        }
    }

    fn write(
        &self,
        groups: &BTreeMap<Group, Vec<usize>>,
        starts: &[Option<Start>],
        group_of: &[Option<Group>],
    ) -> (Vec<Decision>, Vec<Option<usize>>) {
        let mut positions: BTreeMap<&Group, usize> = BTreeMap::new();
        let mut decisions = Vec::with_capacity(groups.len());
        for (group, members) in groups {
            positions.insert(group, decisions.len());
            decisions.push(self.one(group, members, starts));
        }
        let of = group_of
            .iter()
            .map(|group| group.as_ref().and_then(|group| positions.get(group).copied()))
            .collect();
        (decisions, of)
    }

    fn one(&self, group: &Group, members: &[usize], starts: &[Option<Start>]) -> Decision {
        let came = self.side.came;
        let (sort, what, because, head) = match group {
            Group::Own(i) => {
                let package = self.package(*i);
                let because = match &starts[*i] {
                    Some(Start::Through(at, need)) => {
                        let meta = &self.side.packages[*at].name;
                        match (need, came) {
                            (Need::New, true) => format!("{meta} brings it now"),
                            (Need::New, false) => format!("{meta} no longer brings it"),
                            (Need::Old, true) => format!("{meta} asked for it all along"),
                            (Need::Old, false) => format!("{meta} still asks for it"),
                        }
                    }
                    Some(Start::RemovedSince) => "it was removed after the install day".to_owned(),
                    _ if self.all_unreasoned => "nothing else brings it".to_owned(),
                    _ if came => "it was chosen".to_owned(),
                    _ => "it had been chosen".to_owned(),
                };
                let sort = if came { DecisionSort::PutIn } else { DecisionSort::TakenOut };
                (sort, self.name(package), because, Some(package.reference()))
            }
            Group::Needed(source, need) => {
                let sort = if came { DecisionSort::NewlyNeeded } else { DecisionSort::NoLongerNeeded };
                let heads: BTreeSet<Text> = members
                    .iter()
                    .filter(|i| starts[**i].is_some())
                    .map(|i| self.package(*i).name.clone())
                    .collect();
                let needs = match (need, came) {
                    (Need::New, true) => format!("needs {} now", listed(&heads)),
                    (Need::New, false) => format!("needs {} no longer", listed(&heads)),
                    (Need::Old, true) => format!("could use {} all along", listed(&heads)),
                    (Need::Old, false) => format!("could use {} still", listed(&heads)),
                };
                (
                    sort,
                    source.clone(),
                    if self.staying.contains(source.as_str()) {
                        format!("it stays, and {needs}")
                    } else {
                        format!("another one took its place, which {needs}")
                    },
                    None,
                )
            }
            Group::Shared(bring) => {
                let names: BTreeSet<Text> = bring.iter().map(|group| self.name_of(group)).collect();
                let sort = if came { DecisionSort::SharedNew } else { DecisionSort::SharedOld };
                (sort, listed(&names), format!("{} decisions bring it", bring.len()), None)
            }
        };
        let bytes: i64 = members
            .iter()
            .filter_map(|i| self.package(*i).installed_bytes.and_then(|bytes| i64::try_from(bytes).ok()))
            .fold(0, i64::saturating_add);
        let mut packages: Vec<_> = members.iter().map(|i| self.package(*i).reference()).collect();
        packages.sort();
        Decision {
            id: Text::default(),
            what,
            sort,
            because: because.into(),
            followers: u32::try_from(members.len() - usize::from(head.is_some())).unwrap_or(u32::MAX),
            bytes_delta: if came { bytes } else { -bytes },
            head,
            packages,
            inherited: None,
        }
    }

    fn name(&self, package: &Package) -> Text {
        self.by_package
            .get(package.name.as_str())
            .map_or_else(|| package.name.clone(), |name| Text::from(*name))
    }

    fn name_of(&self, group: &Group) -> Text {
        match group {
            Group::Own(i) => self.name(self.package(*i)),
            Group::Needed(source, _) => source.clone(),
            Group::Shared(_) => "others".into(),
        }
    }
}

/// What is decided together.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
enum Group {
    Own(usize),
    Needed(Text, Need),
    Shared(Vec<Group>),
}

/// At most three names, and how many more.
fn listed(names: &BTreeSet<Text>) -> Text {
    let shown: Vec<&str> = names.iter().take(3).map(Text::as_str).collect();
    match names.len() {
        0 => Text::default(),
        1..=3 => shown.join(", ").into(),
        more => format!("{} and {} more", shown.join(", "), more - 3).into(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::Dependency;

    fn package(name: &str, reason: Reason, kind: Kind, needs: &[&str]) -> Package {
        let mut package = Package::new(System::Dpkg, name, "1");
        package.reason = reason;
        package.kind = kind;
        package.made_from = Some(name.into());
        package.installed_bytes = Some(10);
        let one = |name: &&str| {
            Alternatives::from_elem(Dependency { name: (*name).into(), op: None, version: None }, 1)
        };
        package.depends = needs.iter().map(one).collect();
        package
    }

    #[test]
    fn each_package_gets_the_first_explanation_that_holds() {
        use Reason::{Chosen, Followed};
        let packages = [
            package("desktop", Chosen, Kind::Metapackage, &["office", "panel"]),
            package("panel", Followed, Kind::Desktop, &["libpanel"]),
            package("office", Followed, Kind::Application, &["libshared", "liboffice"]),
            package("libpanel", Followed, Kind::Library, &[]),
            package("liboffice", Followed, Kind::Library, &["libdeep"]),
            package("libdeep", Followed, Kind::Library, &[]),
            package("mail", Chosen, Kind::Application, &["libshared"]),
            package("libshared", Followed, Kind::Library, &[]),
            package("stray", Followed, Kind::Library, &[]),
        ];
        let packages: Vec<&Package> = packages.iter().collect();
        let side = Side {
            packages: &packages,
            partners: Vec::new(),
            changed: vec![2, 3, 4, 5, 6, 7, 8],
            replaced: Vec::new(),
            removed_since: FxHashSet::default(),
            applications: &[],
            came: true,
        };
        let (decisions, of) = explain(&side);
        let said: Vec<Option<String>> = of
            .iter()
            .map(|at| at.map(|at| format!("{} {}", decisions[at].sort.name(), decisions[at].what)))
            .collect();
        let said: Vec<&str> = said.iter().map(|said| said.as_deref().unwrap_or("unexplained")).collect();
        assert_eq!(
            said,
            [
                "put-in office",
                "newly-needed panel",
                "put-in office",
                "put-in office",
                "put-in mail",
                "shared-new mail, office",
                "unexplained"
            ]
        );
        let office = decisions.iter().find(|decision| decision.what == "office").unwrap();
        assert_eq!((office.followers, office.bytes_delta), (2, 30));
        assert_eq!(office.because, "desktop brings it now");
    }

    #[test]
    fn a_need_that_was_always_there_explains_nothing_but_the_last() {
        use Reason::{Chosen, Followed};
        let mut starter = package("starter", Chosen, Kind::System, &["terminal"]);
        starter.depends[0].push(Dependency { name: "shell".into(), op: None, version: None });
        let packages = [
            starter.clone(),
            package("desktop", Chosen, Kind::Metapackage, &["terminal"]),
            package("terminal", Followed, Kind::Application, &[]),
            package("shell", Followed, Kind::System, &["libshell"]),
            package("libshell", Followed, Kind::Library, &[]),
        ];
        let packages: Vec<&Package> = packages.iter().collect();
        let side = Side {
            packages: &packages,
            partners: vec![Some(&starter), None, None, None, None],
            changed: vec![1, 2, 3, 4],
            replaced: Vec::new(),
            removed_since: FxHashSet::default(),
            applications: &[],
            came: true,
        };
        let (decisions, of) = explain(&side);
        let said: Vec<&str> = of.iter().map(|at| decisions[at.unwrap()].what.as_str()).collect();
        assert_eq!(said, ["desktop", "desktop", "starter", "starter"]);
        let side = Side { partners: Vec::new(), ..side };
        let (decisions, of) = explain(&side);
        assert_eq!(decisions[of[1].unwrap()].what, "starter", "without its partner the need is new");
    }

    #[test]
    fn what_the_owner_removed_is_explained_by_that() {
        use Reason::Unknown;
        let packages = [
            package("game", Unknown, Kind::Game, &["libgame"]),
            package("libgame", Unknown, Kind::Library, &["game"]),
        ];
        let packages: Vec<&Package> = packages.iter().collect();
        let side = Side {
            packages: &packages,
            partners: Vec::new(),
            changed: vec![0, 1],
            replaced: Vec::new(),
            removed_since: FxHashSet::from_iter([(System::Dpkg, "game")]),
            applications: &[],
            came: false,
        };
        let (decisions, of) = explain(&side);
        assert_eq!(of, [Some(0), Some(0)]);
        assert_eq!(decisions[0].because, "it was removed after the install day");
    }

    #[test]
    fn without_reasons_what_nothing_brings_is_a_decision() {
        use Reason::Unknown;
        let packages = [
            package("mail", Unknown, Kind::Application, &["libmail"]),
            package("libmail", Unknown, Kind::Library, &["mail"]),
            package("game", Unknown, Kind::Game, &["libgame"]),
            package("libgame", Unknown, Kind::Library, &[]),
        ];
        let packages: Vec<&Package> = packages.iter().collect();
        let side = Side {
            packages: &packages,
            partners: Vec::new(),
            changed: vec![0, 1, 2, 3],
            replaced: Vec::new(),
            removed_since: FxHashSet::default(),
            applications: &[],
            came: false,
        };
        let (decisions, of) = explain(&side);
        assert_eq!(decisions.len(), 1);
        assert_eq!((decisions[0].sort, decisions[0].bytes_delta), (DecisionSort::TakenOut, -20));
        assert_eq!(of, [None, None, Some(0), Some(0)], "a ring that nothing leads into is not explained");
    }
}
