//! What needs what in small random installs, held against answers that try everything.
#![allow(clippy::unwrap_used, reason = "tests may fail")]

mod common;

use proptest::prelude::*;
use std::collections::{BTreeMap, BTreeSet};
use tally_core::graph::{Graph, Ix};
use tally_core::model::{Alternatives, Dependency, Kind, Package, Reason, State, System, VersionOp};
use tally_core::weigh::choices;

/// Names of packages, and after them names that are only provided, or that nobody has.
const NAMES: [&str; 12] = ["a", "b", "c", "d", "e", "f", "g", "h", "i", "v", "w", "nobody"];

fn dependency() -> impl Strategy<Value = Dependency> {
    let op = prop::option::weighted(0.3, (prop::sample::select(VersionOp::ALL), 1..4_u8));
    (prop::sample::select(&NAMES[..]), op).prop_map(|(name, asked)| Dependency {
        name: name.into(),
        op: asked.map(|(op, _)| op),
        version: asked.map(|(_, version)| version.to_string().into()),
    })
}

fn groups(most: usize) -> impl Strategy<Value = Vec<Alternatives>> {
    let group = prop::collection::vec(dependency(), 1..3).prop_map(Alternatives::from_vec);
    prop::collection::vec(group, 0..most)
}

fn provided() -> impl Strategy<Value = Vec<Dependency>> {
    let one =
        (prop::sample::select(vec!["v", "w"]), prop::option::of(1..4_u8)).prop_map(|(name, version)| {
            let version = version.map(|version| version.to_string().into());
            Dependency { name: name.into(), op: version.as_ref().map(|_| VersionOp::Exactly), version }
        });
    prop::collection::vec(one, 0..2)
}

prop_compose! {
    fn package()(
        version in 1..4_u8, reason in prop::sample::select(Reason::ALL), depends in groups(4), recommends in groups(2),
        suggests in groups(2), provides in provided(), rare in 0..40_u8, bytes in 0..100_u64,
    ) -> Package {
        let mut package = Package::new(System::Dpkg, "", version.to_string());
        (package.reason, package.depends, package.recommends) = (reason, depends, recommends);
        (package.suggests, package.provides, package.installed_bytes) = (suggests, provides, Some(bytes));
        package.essential = rare == 0;
        package.kept = rare == 1;
        let collects = (2..6).contains(&rare);
        package.section = if collects { "metapackages" } else { "utils" }.into();
        package.kind = if collects { Kind::Metapackage } else { Kind::Command };
        package.state = if rare == 6 { State::RemovedConfig } else { State::Installed };
        package
    }
}

/// An install of up to nine packages; in some of them nobody kept reasons.
fn install() -> impl Strategy<Value = Vec<Package>> {
    (prop::collection::vec(package(), 1..10), prop::bool::weighted(0.2)).prop_map(|(mut packages, untold)| {
        for (package, name) in packages.iter_mut().zip(NAMES) {
            package.name = name.into();
            if untold {
                package.reason = Reason::Unknown;
            }
        }
        packages
    })
}

/// Whether a package is what a relation asks for.
fn answers(package: &Package, asked: &Dependency) -> bool {
    let holds = |version: Option<&str>| match (asked.op, &asked.version, version) {
        (None, _, _) | (_, None, _) => true,
        (_, _, None) => false,
        // Versions are single digits here.
        (Some(op), Some(wanted), Some(version)) => match op {
            VersionOp::Less => version < wanted.as_str(),
            VersionOp::AtMost => version <= wanted.as_str(),
            VersionOp::Exactly => version == wanted,
            VersionOp::AtLeast => version >= wanted.as_str(),
            VersionOp::More => version > wanted.as_str(),
        },
    };
    (package.name == asked.name && holds(Some(&package.version)))
        || package.provides.iter().any(|one| one.name == asked.name && holds(one.version.as_deref()))
}

/// The install as sets of positions.
struct Plain {
    packages: Vec<Package>,
    /// For each package the groups that something fits.
    needs: Vec<Vec<BTreeSet<usize>>>,
    /// All that a package needs or wants.
    targets: Vec<BTreeSet<usize>>,
    /// All that a package brings when it is installed.
    brings: Vec<BTreeSet<usize>>,
}

impl Plain {
    fn of(packages: &[Package]) -> Self {
        let packages: Vec<Package> =
            packages.iter().filter(|package| package.is_present()).cloned().collect();
        let fitting = |group: &Alternatives| -> BTreeSet<usize> {
            (0..packages.len())
                .filter(|at| group.iter().any(|asked| answers(&packages[*at], asked)))
                .collect()
        };
        let resolved = |groups: &[Alternatives]| -> Vec<BTreeSet<usize>> {
            groups.iter().map(fitting).filter(|group| !group.is_empty()).collect()
        };
        let needs: Vec<Vec<BTreeSet<usize>>> = packages.iter().map(|one| resolved(&one.depends)).collect();
        let targets = packages
            .iter()
            .zip(&needs)
            .map(|(one, needs)| {
                let wants = [resolved(&one.recommends), resolved(&one.suggests)].concat();
                needs.iter().chain(&wants).flatten().copied().collect()
            })
            .collect();
        let brings = (0..packages.len())
            .map(|at| {
                let recommended = resolved(&packages[at].recommends);
                let all = needs[at].iter().chain(&recommended).flatten().copied();
                all.filter(|to| *to != at).collect()
            })
            .collect();
        Self { packages, needs, targets, brings }
    }

    fn roots(&self) -> BTreeSet<usize> {
        let all = 0..self.packages.len();
        let others_bring = |at: usize| all.clone().any(|by| by != at && self.brings[by].contains(&at));
        let is_root = |at: &usize| {
            let one = &self.packages[*at];
            match one.reason {
                Reason::Unknown => !others_bring(*at),
                reason => reason == Reason::Explicit || one.essential || one.kept,
            }
        };
        all.clone().filter(is_root).collect()
    }

    /// Roots, and what those of them bring that only collect others.
    fn starts(&self) -> BTreeSet<usize> {
        let mut starts = self.roots();
        loop {
            let collections = starts.iter().filter(|at| self.packages[**at].kind == Kind::Metapackage);
            let more: BTreeSet<usize> = collections.flat_map(|at| &self.brings[*at]).copied().collect();
            if more.is_subset(&starts) {
                return starts;
            }
            starts.extend(more);
        }
    }

    /// What some packages bring over any number of steps, when one is not there.
    fn brought(&self, by: &BTreeSet<usize>, without: Option<usize>) -> BTreeSet<usize> {
        let mut brought: BTreeSet<usize> = by.iter().copied().filter(|at| Some(*at) != without).collect();
        loop {
            let more = brought.iter().flat_map(|at| &self.brings[*at]).copied();
            let all: BTreeSet<usize> =
                more.filter(|at| Some(*at) != without).chain(brought.iter().copied()).collect();
            if all == brought {
                return brought;
            }
            brought = all;
        }
    }

    fn with_reason(&self, reason: Reason) -> BTreeSet<usize> {
        (0..self.packages.len()).filter(|at| self.packages[*at].reason == reason).collect()
    }

    /// What can't stay without `package`: found by looking at all again until nothing more goes.
    fn broken_without(&self, package: usize) -> BTreeSet<usize> {
        let mut gone = BTreeSet::from([package]);
        loop {
            let next = (0..self.packages.len())
                .find(|at| !gone.contains(at) && self.needs[*at].iter().any(|group| group.is_subset(&gone)));
            match next {
                Some(next) => gone.insert(next),
                None => return gone,
            };
        }
    }

    /// What is needed or wanted, over any number of steps, by some of the packages, without going over others.
    fn reached(&self, from: &BTreeSet<usize>, without: &BTreeSet<usize>) -> BTreeSet<usize> {
        let mut reached = from - without;
        loop {
            let more: BTreeSet<usize> = reached.iter().flat_map(|at| &self.targets[*at]).copied().collect();
            let all = &(&reached | &more) - without;
            if all == reached {
                return reached;
            }
            reached = all;
        }
    }

    /// Steps by what brings what, from each package to one: as many as it takes, at most as many as there are packages.
    fn steps_to(&self, target: usize) -> Vec<Option<usize>> {
        let mut steps = vec![None; self.packages.len()];
        steps[target] = Some(0);
        for _ in 0..self.packages.len() {
            for at in 0..self.packages.len() {
                let nearest =
                    self.brings[at].iter().filter_map(|to| steps[*to]).min().map(|steps: usize| steps + 1);
                steps[at] = [steps[at], nearest].into_iter().flatten().min();
            }
        }
        steps
    }
}

fn positions(list: impl IntoIterator<Item = Ix>) -> BTreeSet<usize> {
    list.into_iter().map(|at| at.0).collect()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(1000))]

    #[test]
    fn paths_are_the_shortest_and_none_is_missing(packages in install(), at in any::<prop::sample::Index>()) {
        let plain = Plain::of(&packages);
        prop_assume!(!plain.packages.is_empty());
        let graph = Graph::new(&packages);
        prop_assert_eq!(positions(graph.roots().iter().copied()), plain.roots());
        let target = at.index(plain.packages.len());
        let steps = plain.steps_to(target);
        let paths = graph.paths_to(Ix(target));
        let expected: BTreeSet<usize> = plain.roots().into_iter().filter(|root| steps[*root].is_some()).collect();
        prop_assert_eq!(&positions(paths.iter().map(|path| path[0])), &expected);
        prop_assert_eq!(paths.len(), expected.len(), "a root has one path");
        prop_assert!(paths.is_sorted_by_key(Vec::len));
        for path in paths {
            prop_assert_eq!(Some(path.len() - 1), steps[path[0].0]);
            prop_assert_eq!(path.last(), Some(&Ix(target)));
            prop_assert!(path.windows(2).all(|pair| plain.brings[pair[0].0].contains(&pair[1].0)));
        }
    }

    #[test]
    fn what_leaves_is_what_breaks_and_what_nothing_that_stays_leads_to(
        packages in install(), at in any::<prop::sample::Index>(),
    ) {
        let plain = Plain::of(&packages);
        prop_assume!(!plain.packages.is_empty());
        let package = at.index(plain.packages.len());
        let gone = plain.broken_without(package);
        let is_word = |at: &usize| {
            let one = &plain.packages[*at];
            *at != package && one.section == "metapackages"
        };
        let collected = gone.iter().filter(|at| is_word(at)).flat_map(|at| &plain.targets[*at]).copied().collect();
        let stays = plain.reached(&(&(&plain.roots() | &collected) | &plain.with_reason(Reason::Unknown)), &gone);
        let cleared = &plain.with_reason(Reason::Dependency) - &stays;
        let expected = &(&gone | &cleared) - &BTreeSet::from([package]);
        let graph = Graph::new(&packages);
        let leaving = graph.leaves_with(Ix(package));
        prop_assert_eq!(&positions(leaving.iter().copied()), &expected);
        let bytes: u64 = expected.iter().filter_map(|at| plain.packages[*at].installed_bytes).sum();
        prop_assert_eq!(graph.bytes(leaving), bytes);
        // Nothing that stays lacks what it had.
        let left = &(&(0..plain.packages.len()).collect() - &expected) - &BTreeSet::from([package]);
        for at in &left {
            for group in &plain.needs[*at] {
                prop_assert!(!group.is_disjoint(&left), "{} lacks one of {:?}", plain.packages[*at].name, group);
            }
        }
    }

    #[test]
    fn a_graph_onto_some_packages_has_the_edges_to_them(packages in install(), chosen in prop::collection::vec(any::<bool>(), 9)) {
        let present: Vec<&Package> = packages.iter().filter(|package| package.is_present()).collect();
        let targets: Vec<usize> = (0..present.len()).filter(|at| chosen[*at]).collect();
        let (whole, onto) = (Graph::of(&present), Graph::onto(&present, Some(&targets)));
        for at in whole.all() {
            let wanted = |edges: BTreeSet<usize>| -> BTreeSet<usize> { edges.into_iter().filter(|to| chosen[*to]).collect() };
            prop_assert_eq!(positions(onto.brings(at)), wanted(positions(whole.brings(at))));
            prop_assert_eq!(positions(onto.needs(at)), wanted(positions(whole.needs(at))));
        }
        for at in &targets {
            prop_assert_eq!(onto.needed_by(Ix(*at)), whole.needed_by(Ix(*at)));
        }
    }

    /// A package is behind the choice without which it would not be there; of several the one that is itself behind all others.
    #[test]
    fn each_package_is_behind_the_choice_that_it_would_go_with(packages in install()) {
        let plain = Plain::of(&packages);
        let starts = plain.starts();
        let all = plain.brought(&starts, None);
        let mut expected: BTreeMap<&str, (u64, u64)> = BTreeMap::new();
        starts.iter().for_each(|at| _ = expected.insert(&plain.packages[*at].name, (0, 0)));
        let (mut shared, mut unexplained) = ((0, 0), (0, 0));
        for (at, package) in plain.packages.iter().enumerate() {
            let decisive = |at: usize| -> BTreeSet<usize> {
                starts.iter().copied().filter(|start| *start != at && !plain.brought(&starts, Some(*start)).contains(&at)).collect()
            };
            let behind = match starts.contains(&at) {
                true => Some(at),
                false => decisive(at).into_iter().max_by_key(|start| decisive(*start).len()),
            };
            let sum = match behind {
                _ if !all.contains(&at) => &mut unexplained,
                None => &mut shared,
                Some(start) => expected.get_mut(plain.packages[start].name.as_str()).unwrap(),
            };
            *sum = (sum.0 + 1, sum.1 + package.installed_bytes.unwrap_or(0));
        }
        let mut install = common::tally(&serde_json::json!({}));
        install.packages.clone_from(&packages);
        let found = choices(&install);
        let told: BTreeMap<&str, (u64, u64)> =
            found.choices.iter().map(|choice| (choice.package.name(), (choice.packages, choice.bytes))).collect();
        prop_assert_eq!(told, expected);
        prop_assert_eq!((found.shared, found.unexplained), (shared, unexplained));
    }
}
