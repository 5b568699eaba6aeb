//! Which decision is behind each package that was added or removed: what was added or dropped on purpose, and what followed.
//!
//! Each changed package gets the first explanation that holds:
//!
//! 1. it is installed explicitly, and nothing that stays depends on it: a decision of its own;
//! 2. a metapackage that stays pulls it in now (or did before): a decision of its own, taken through that metapackage;
//! 3. another package that stays depends on it now (or did before): the new dependencies of that package are one decision;
//! 4. one decision dominates it (every path to it in the dependency graph leads through that one): it followed;
//! 5. several decisions pull it in: it is shared by them;
//! 6. a package that stays depended on it all along, or on what it replaces: the last resort, since nothing changed there;
//! 7. nothing explains it, and it is counted as unexplained.
//!
//! A dependency counts as new (or lost) only if the other side's package of the same pair does not state it: "depends on a terminal"
//! explains no particular terminal.

use super::document::{Decision, DecisionKind, DecisionReason};
use crate::graph::{Above, Dominators, Graph, Ix};
use crate::model::{Alternatives, Application, Kind, Package, Reason, System, Text};
use rustc_hash::{FxHashMap, FxHashSet};
use std::collections::{BTreeMap, BTreeSet};

/// One side of a comparison, as far as decisions are concerned.
pub(super) struct ComparedSide<'a> {
    /// The packages of this side.
    pub(super) packages: &'a [&'a Package],
    /// The same package on the other side, for those that have one.
    pub(super) partners: Vec<Option<&'a Package>>,
    /// Those that are on this side only, by position.
    pub(super) changed: Vec<usize>,
    /// Those that another package replaces, by position: they do not stay.
    pub(super) replaced: Vec<usize>,
    /// Packages that the other side tells of as removed after its own install day.
    pub(super) removed_since: FxHashSet<(System, &'a str)>,
    /// Applications of this side, for names.
    pub(super) applications: &'a [Application],
    /// Whether this is the side that things came to.
    pub(super) came: bool,
}

impl ComparedSide<'_> {
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
pub(super) fn explain(side: &ComparedSide<'_>) -> (Vec<Decision>, Vec<Option<usize>>) {
    if side.changed.is_empty() {
        return (Vec::new(), Vec::new());
    }
    let graph = Graph::onto(side.packages, Some(&side.changed));
    let finder = DecisionFinder::new(side, &graph);
    let targets = finder.targets();
    let sources = finder.sources(&targets);
    finder.decide(&targets, &sources)
}

/// Why a changed package is a start of its own.
#[derive(Debug, Clone, PartialEq, Eq)]
enum Start {
    /// Installed explicitly.
    Explicit,
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

struct DecisionFinder<'a> {
    side: &'a ComparedSide<'a>,
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

impl<'a> DecisionFinder<'a> {
    fn new(side: &'a ComparedSide<'a>, graph: &'a Graph<'a>) -> Self {
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
            .map(|i| self.explicit(i).or_else(|| self.through(i, Need::New)))
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

    fn explicit(&self, i: usize) -> Option<Start> {
        let package = self.package(i);
        if self.side.removed_since.contains(&(package.system, package.name.as_str())) {
            return Some(Start::RemovedSince);
        }
        let needed = self.graph.needed_by(Ix(self.side.changed[i]));
        let by_others = needed.iter().any(|at| self.side.packages[at.0].source() != package.source());
        let explicit = if self.all_unreasoned {
            self.bringers[i].is_empty()
        } else {
            package.reason == Reason::Explicit
        };
        (explicit && (!by_others || package.kind == Kind::Metapackage)).then_some(Start::Explicit)
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
                Start::Explicit | Start::RemovedSince | Start::Through(..) => Group::Own(*i),
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
        let (added, dropped) = match group {
            Group::Own(_) => (DecisionKind::AddedOnPurpose, DecisionKind::DroppedOnPurpose),
            Group::Needed(..) => (DecisionKind::NewDependency, DecisionKind::DependencyLost),
            Group::Shared(_) => (DecisionKind::SharedAddition, DecisionKind::SharedRemoval),
        };
        let (reason, head) = match group {
            Group::Own(i) => {
                let reason = match &starts[*i] {
                    Some(Start::Through(at, need)) => DecisionReason::Metapackage {
                        metapackage: self.side.packages[*at].name.clone(),
                        is_new: *need == Need::New,
                    },
                    Some(Start::RemovedSince) => DecisionReason::RemovedSince,
                    _ if self.all_unreasoned => DecisionReason::NothingElse,
                    _ => DecisionReason::InstalledExplicitly,
                };
                (reason, Some(self.package(*i).reference()))
            }
            Group::Needed(source, need) => {
                let heads: BTreeSet<Text> = members
                    .iter()
                    .filter(|i| starts[**i].is_some())
                    .map(|i| self.package(*i).name.clone())
                    .collect();
                let reason = DecisionReason::Dependencies {
                    dependencies: heads.into_iter().collect(),
                    is_new: *need == Need::New,
                    stays: self.staying.contains(source.as_str()),
                };
                (reason, None)
            }
            Group::Shared(_) => (DecisionReason::Shared, None),
        };
        let mut names: BTreeSet<Text> = BTreeSet::new();
        self.add_names(group, &mut names);
        let bytes: i64 = members
            .iter()
            .filter_map(|i| self.package(*i).installed_bytes.and_then(|bytes| i64::try_from(bytes).ok()))
            .fold(0, i64::saturating_add);
        let mut packages: Vec<_> = members.iter().map(|i| self.package(*i).reference()).collect();
        packages.sort();
        Decision {
            id: Text::default(),
            names: names.into_iter().collect(),
            kind: if came { added } else { dropped },
            reason,
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

    /// Adds what a group is called; a shared one is called like all that share it.
    fn add_names(&self, group: &Group, names: &mut BTreeSet<Text>) {
        match group {
            Group::Own(i) => _ = names.insert(self.name(self.package(*i))),
            Group::Needed(source, _) => _ = names.insert(source.clone()),
            // Groups are nested only as deep as decisions share what is shared.
            Group::Shared(groups) => groups.iter().for_each(|group| self.add_names(group, names)),
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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::Dependency;

    fn package(name: &str, reason: Reason, kind: Kind, needs: &[&str]) -> Package {
        let mut package = Package::new(System::Dpkg, name, "1");
        package.reason = reason;
        package.kind = kind;
        package.source = Some(name.into());
        package.installed_bytes = Some(10);
        let one = |name: &&str| {
            Alternatives::from_elem(Dependency { name: (*name).into(), op: None, version: None }, 1)
        };
        package.depends = needs.iter().map(one).collect();
        package
    }

    #[test]
    fn each_package_gets_the_first_explanation_that_holds() {
        use Reason::{Dependency as Automatic, Explicit};
        let packages = [
            package("desktop", Explicit, Kind::Metapackage, &["office", "panel"]),
            package("panel", Automatic, Kind::Desktop, &["libpanel"]),
            package("office", Automatic, Kind::Application, &["libshared", "liboffice"]),
            package("libpanel", Automatic, Kind::Library, &[]),
            package("liboffice", Automatic, Kind::Library, &["libdeep"]),
            package("libdeep", Automatic, Kind::Library, &[]),
            package("mail", Explicit, Kind::Application, &["libshared"]),
            package("libshared", Automatic, Kind::Library, &[]),
            package("stray", Automatic, Kind::Library, &[]),
        ];
        let packages: Vec<&Package> = packages.iter().collect();
        let side = ComparedSide {
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
            .map(|at| at.map(|at| format!("{} {}", decisions[at].kind, decisions[at].names.join(", "))))
            .collect();
        let said: Vec<&str> = said.iter().map(|said| said.as_deref().unwrap_or("unexplained")).collect();
        assert_eq!(
            said,
            [
                "added-on-purpose office",
                "new-dependency panel",
                "added-on-purpose office",
                "added-on-purpose office",
                "added-on-purpose mail",
                "shared-addition mail, office",
                "unexplained"
            ]
        );
        let office = decisions.iter().find(|decision| decision.names == ["office"]).unwrap();
        assert_eq!((office.followers, office.bytes_delta), (2, 30));
        let (metapackage, is_new) = ("desktop".into(), true);
        assert_eq!(office.reason, DecisionReason::Metapackage { metapackage, is_new });
    }

    #[test]
    fn a_need_that_was_always_there_explains_nothing_but_the_last() {
        use Reason::{Dependency as Automatic, Explicit};
        let mut starter = package("starter", Explicit, Kind::System, &["terminal"]);
        starter.depends[0].push(Dependency { name: "shell".into(), op: None, version: None });
        let packages = [
            starter.clone(),
            package("desktop", Explicit, Kind::Metapackage, &["terminal"]),
            package("terminal", Automatic, Kind::Application, &[]),
            package("shell", Automatic, Kind::System, &["libshell"]),
            package("libshell", Automatic, Kind::Library, &[]),
        ];
        let packages: Vec<&Package> = packages.iter().collect();
        let side = ComparedSide {
            packages: &packages,
            partners: vec![Some(&starter), None, None, None, None],
            changed: vec![1, 2, 3, 4],
            replaced: Vec::new(),
            removed_since: FxHashSet::default(),
            applications: &[],
            came: true,
        };
        let (decisions, of) = explain(&side);
        let said: Vec<&str> = of.iter().map(|at| decisions[at.unwrap()].names[0].as_str()).collect();
        assert_eq!(said, ["desktop", "desktop", "starter", "starter"]);
        let side = ComparedSide { partners: Vec::new(), ..side };
        let (decisions, of) = explain(&side);
        assert_eq!(decisions[of[1].unwrap()].names, ["starter"], "without its partner the need is new");
    }

    #[test]
    fn what_the_owner_removed_is_explained_by_that() {
        use Reason::Unknown;
        let packages = [
            package("game", Unknown, Kind::Game, &["libgame"]),
            package("libgame", Unknown, Kind::Library, &["game"]),
        ];
        let packages: Vec<&Package> = packages.iter().collect();
        let side = ComparedSide {
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
        assert_eq!(decisions[0].reason, DecisionReason::RemovedSince);
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
        let side = ComparedSide {
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
        assert_eq!((decisions[0].kind, decisions[0].bytes_delta), (DecisionKind::DroppedOnPurpose, -20));
        assert_eq!(of, [None, None, Some(0), Some(0)], "a ring that nothing leads into is not explained");
    }
}
