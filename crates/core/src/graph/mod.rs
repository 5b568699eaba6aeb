//! The graph of what needs what in one install, and what it answers: why a package is there, what would leave with it.
//!
//! Three kinds of edges: a package *needs* another (hard dependencies; alternatives resolved to all that are installed and fit,
//! virtual names through provides), and it *wants* another (recommendations and suggestions that are installed). Package
//! systems clear what nothing needs or wants any more, so both count when something leaves.

mod dominators;

pub use dominators::{Above, Dominators};

use crate::knowledge::{matches, names};
use crate::model::{Dependency, Package, Reason, System};
use crate::systems;
use rustc_hash::FxHashMap;
use std::collections::VecDeque;
use std::sync::OnceLock;

/// The position of a package in the list that a graph was made from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Ix(pub usize);

/// What needs what among the packages of one install that are there.
#[derive(Debug)]
pub struct Graph<'g> {
    packages: Vec<&'g Package>,
    /// For each package its hard dependencies: any one of a group will do. Groups that nothing fits are left out.
    needs: Vec<Vec<Vec<Ix>>>,
    /// For each package what it recommends or suggests and is there; so many of them, from the first, are recommended.
    wants: Vec<Vec<Ix>>,
    recommends: Vec<usize>,
    /// For each package those that have it in a group.
    needed_by: Vec<Vec<Ix>>,
    /// Where everything starts, found once.
    roots: OnceLock<Vec<Ix>>,
    /// What each package needs or wants, each once; made when someone asks what can be reached.
    edges: OnceLock<Edges>,
}

/// The edges of a graph in one piece.
#[derive(Debug)]
struct Edges {
    /// Where those of each package end.
    ends: Vec<usize>,
    targets: Vec<Ix>,
}

impl Edges {
    fn of(graph: &Graph<'_>) -> Self {
        let (mut ends, mut targets) = (Vec::with_capacity(graph.packages.len()), Vec::new());
        for at in graph.all() {
            let mut own: Vec<Ix> = graph.targets(at).collect();
            own.sort_unstable();
            own.dedup();
            targets.append(&mut own);
            ends.push(targets.len());
        }
        Self { ends, targets }
    }

    fn from(&self, at: Ix) -> &[Ix] {
        let start = at.0.checked_sub(1).map_or(0, |before| self.ends[before]);
        &self.targets[start..self.ends[at.0]]
    }
}

impl<'g> Graph<'g> {
    /// Builds the graph of the packages that are there. Work grows with packages plus dependencies.
    pub fn new(packages: &'g [Package]) -> Self {
        let packages: Vec<&Package> = packages.iter().filter(|package| package.is_present()).collect();
        Self::of(&packages)
    }

    /// Builds the graph of just these packages; positions are those of the list.
    pub fn of(packages: &[&'g Package]) -> Self {
        Self::onto(packages, None)
    }

    /// The same, with only those edges that lead to one of `targets`: all that is needed to tell what brings them. Of the
    /// suggestions, which bring nothing, none is kept then.
    pub fn onto(packages: &[&'g Package], targets: Option<&[usize]>) -> Self {
        let packages = packages.to_vec();
        let index = Index::of(&packages, targets);
        let mut needs = Vec::with_capacity(packages.len());
        let mut wants = Vec::with_capacity(packages.len());
        let mut recommends = Vec::with_capacity(packages.len());
        let mut needed_by = vec![Vec::new(); packages.len()];
        for (i, package) in packages.iter().enumerate() {
            let resolve = |group: &crate::model::Alternatives| index.fitting(package.system, group);
            let groups: Vec<Vec<Ix>> =
                package.depends.iter().map(resolve).filter(|group| !group.is_empty()).collect();
            for target in groups.iter().flatten() {
                needed_by[target.0].push(Ix(i));
            }
            needs.push(groups);
            let mut wanted: Vec<Ix> = package.recommends.iter().flat_map(resolve).collect();
            recommends.push(wanted.len());
            if targets.is_none() {
                wanted.extend(package.suggests.iter().flat_map(resolve));
            }
            wants.push(wanted);
        }
        Self { packages, needs, wants, recommends, needed_by, roots: OnceLock::new(), edges: OnceLock::new() }
    }

    /// The package at a position.
    pub fn package(&self, at: Ix) -> &'g Package {
        self.packages[at.0]
    }

    /// Every position.
    pub fn all(&self) -> impl Iterator<Item = Ix> + use<> {
        (0..self.packages.len()).map(Ix)
    }

    /// Positions of the packages of this name; `system:name` names just one system.
    pub fn named(&self, name: &str) -> Vec<Ix> {
        let fits = |package: &Package| package.name == name || package.reference().as_str() == name;
        self.all().filter(|at| fits(self.package(*at))).collect()
    }

    /// Where everything starts: packages that were installed explicitly, and of those whose reason nobody kept, those that nothing else
    /// [brings](Self::brings). One install may have both: a package system without reasons beside sandboxes that keep them.
    pub fn roots(&self) -> &[Ix] {
        self.roots.get_or_init(|| self.find_roots())
    }

    fn find_roots(&self) -> Vec<Ix> {
        let is_untold = |at: &Ix| self.package(*at).reason == Reason::Unknown;
        let mut wanted = vec![false; self.packages.len()];
        if self.all().any(|at| is_untold(&at)) {
            for at in self.all() {
                for target in self.brings(at) {
                    wanted[target.0] = true;
                }
            }
        }
        let is_root = |at: &Ix| if is_untold(at) { !wanted[at.0] } else { is_kept(self.package(*at)) };
        self.all().filter(is_root).collect()
    }

    fn targets(&self, at: Ix) -> impl Iterator<Item = Ix> + '_ {
        self.needs[at.0].iter().flatten().chain(&self.wants[at.0]).copied()
    }

    /// What a package needs, every alternative that is there.
    pub fn needs(&self, at: Ix) -> impl Iterator<Item = Ix> + '_ {
        self.needs[at.0].iter().flatten().copied().filter(move |target| *target != at)
    }

    /// What a package brings when it is installed: what it needs, and what it recommends.
    pub fn brings(&self, at: Ix) -> impl Iterator<Item = Ix> + '_ {
        let recommended = &self.wants[at.0][..self.recommends[at.0]];
        self.needs[at.0].iter().flatten().chain(recommended).copied().filter(move |target| *target != at)
    }

    /// What needs a package, in the order of the list.
    pub fn needed_by(&self, at: Ix) -> &[Ix] {
        &self.needed_by[at.0]
    }

    /// What suggests a package, in the order of the list: that brings nothing, and yet keeps a package from being cleared.
    pub fn suggested_by(&self, package: Ix) -> Vec<Ix> {
        let suggests = |at: &Ix| self.wants[at.0][self.recommends[at.0]..].contains(&package);
        self.all().filter(|at| *at != package && suggests(at)).collect()
    }

    /// The shortest path to a package from each root that [brings](Self::brings) it, shortest first; a root is its own path. A mere
    /// suggestion is no step of one.
    pub fn paths_to(&self, target: Ix) -> Vec<Vec<Ix>> {
        let mut next: Vec<Option<Ix>> = vec![None; self.packages.len()];
        let mut seen = vec![false; self.packages.len()];
        let sources = self.sources();
        let mut queue = VecDeque::from([target]);
        let mut found = Vec::new();
        let mut is_root = vec![false; self.packages.len()];
        for root in self.roots() {
            is_root[root.0] = true;
        }
        seen[target.0] = true;
        while let Some(at) = queue.pop_front() {
            if is_root[at.0] {
                found.push(at);
            }
            for source in &sources[at.0] {
                if !std::mem::replace(&mut seen[source.0], true) {
                    next[source.0] = Some(at);
                    queue.push_back(*source);
                }
            }
        }
        let path = |root: &Ix| std::iter::successors(Some(*root), |at| next[at.0]).collect();
        found.iter().map(path).collect()
    }

    /// For each package those that bring it.
    fn sources(&self) -> Vec<Vec<Ix>> {
        let mut sources = vec![Vec::new(); self.packages.len()];
        for at in self.all() {
            for target in self.brings(at) {
                sources[target.0].push(at);
            }
        }
        sources
    }

    /// What "remove it, and clear what nothing needs" would take besides the package itself, by name.
    ///
    /// First every package that depends on it and has no installed alternative, and so on. Then the dependencies that no remaining
    /// explicit or essential package needs or recommends, also those that nothing needed before: a clean-up takes them as well.
    pub fn leaves_with(&self, package: Ix) -> Vec<Ix> {
        self.leave_with(&[package])
    }

    /// The same of several packages that are removed at once.
    pub fn leave_with(&self, removed: &[Ix]) -> Vec<Ix> {
        let mut gone = vec![false; self.packages.len()];
        removed.iter().for_each(|at| gone[at.0] = true);
        let is_removed = gone.clone();
        let mut queue = removed.to_vec();
        while let Some(at) = queue.pop() {
            for source in &self.needed_by[at.0] {
                let broken =
                    self.needs[source.0].iter().any(|group| group.iter().all(|target| gone[target.0]));
                if broken && !std::mem::replace(&mut gone[source.0], true) {
                    queue.push(*source);
                }
            }
        }
        // When a metapackage is removed along with another package, apt marks its dependencies as installed explicitly, so they stay.
        // When the metapackage itself is the one removed, they leave with it.
        let collected = self
            .all()
            .filter(|at| !is_removed[at.0] && gone[at.0])
            .filter(|at| is_collection(self.package(*at)))
            .flat_map(|at| self.targets(at));
        // What nobody kept a reason for is not cleared either, and keeps what it needs.
        let untold = self.all().filter(|at| self.package(*at).reason == Reason::Unknown);
        let roots = self.roots().iter().copied().chain(collected).chain(untold).filter(|root| !gone[root.0]);
        let stays = self.reachable(roots, &gone);
        let mut leaving: Vec<Ix> = self
            .all()
            .filter(|at| !is_removed[at.0])
            .filter(|at| gone[at.0] || (!stays[at.0] && self.package(*at).reason == Reason::Dependency))
            .collect();
        leaving.sort_by_key(|at| &self.package(*at).name);
        leaving
    }

    /// Bytes on disk of some packages.
    pub fn bytes(&self, packages: impl IntoIterator<Item = Ix>) -> u64 {
        packages.into_iter().filter_map(|at| self.package(at).installed_bytes).fold(0, u64::saturating_add)
    }

    fn reachable(&self, from: impl Iterator<Item = Ix>, without: &[bool]) -> Vec<bool> {
        let mut reached = vec![false; self.packages.len()];
        let mut queue: Vec<Ix> = from.collect();
        queue.iter().for_each(|at| reached[at.0] = true);
        let edges = self.edges.get_or_init(|| Edges::of(self));
        while let Some(at) = queue.pop() {
            for target in edges.from(at) {
                if !without[target.0] && !std::mem::replace(&mut reached[target.0], true) {
                    queue.push(*target);
                }
            }
        }
        reached
    }
}

/// Whether the package system itself keeps a package: chosen, or one that it refuses to remove.
fn is_kept(package: &Package) -> bool {
    package.reason == Reason::Explicit
        || package.essential
        || package.kept
        || matches(&names().never_cleared, &package.name)
}

/// Whether a package only collects others, by the sections that apt never marks automatic for.
pub(crate) fn is_collection(package: &Package) -> bool {
    let section = package.archive_section.as_ref().unwrap_or(&package.section);
    matches!(section.rsplit('/').next(), Some("metapackages" | "tasks"))
}

/// Packages that answer to a name of a system, each with the version that it answers with.
type Providers<'g> = FxHashMap<(System, &'g str), Vec<(Ix, Option<&'g str>)>>;

/// Who answers to a name: packages, and what they provide with its version.
struct Index<'g> {
    packages: &'g [&'g Package],
    by_name: Providers<'g>,
}

impl<'g> Index<'g> {
    /// Of all packages, or of the targets alone.
    fn of(packages: &'g [&'g Package], targets: Option<&[usize]>) -> Self {
        let mut by_name: Providers<'_> = FxHashMap::default();
        let all = 0..if targets.is_none() { packages.len() } else { 0 };
        for i in all.chain(targets.unwrap_or_default().iter().copied()) {
            let package = packages[i];
            by_name.entry((package.system, &package.name)).or_default().push((Ix(i), Some(&package.version)));
            for provided in &package.provides {
                by_name
                    .entry((package.system, &provided.name))
                    .or_default()
                    .push((Ix(i), provided.version.as_deref()));
            }
        }
        Self { packages, by_name }
    }

    /// All packages that fit any alternative of a group.
    fn fitting(&self, system: System, group: &[Dependency]) -> Vec<Ix> {
        let mut fitting = Vec::new();
        for alternative in group {
            for (at, version) in self.by_name.get(&(system, alternative.name.as_str())).into_iter().flatten()
            {
                if systems::fits(self.packages[at.0].system, alternative, *version) && !fitting.contains(at) {
                    fitting.push(*at);
                }
            }
        }
        fitting
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::{Alternatives, VersionOp};
    use proptest::prelude::*;

    fn package(name: &str, reason: Reason, needs: &[&str]) -> Package {
        let mut package = Package::new(System::Dpkg, name, "1");
        package.reason = reason;
        let one = |name: &str| Dependency { name: name.into(), op: None, version: None };
        package.depends =
            needs.iter().map(|group| group.split('|').map(one).collect::<Alternatives>()).collect();
        package
    }

    fn names(graph: &Graph<'_>, list: &[Ix]) -> Vec<String> {
        list.iter().map(|at| graph.package(*at).name.to_string()).collect()
    }

    fn leaving(packages: &[Package], name: &str) -> Vec<String> {
        let graph = Graph::new(packages);
        names(&graph, &graph.leaves_with(graph.named(name)[0]))
    }

    use Reason::{Dependency as Automatic, Explicit};

    #[test]
    fn what_needs_it_leaves_and_what_it_alone_brought_too() {
        let packages = [
            package("desktop", Explicit, &["inkcap|other", "shared"]),
            package("inkcap", Automatic, &["data", "shared"]),
            package("plugin", Automatic, &["inkcap"]),
            package("data", Automatic, &[]),
            package("shared", Automatic, &[]),
        ];
        assert_eq!(leaving(&packages, "inkcap"), ["data", "desktop", "plugin", "shared"]);
        let mut with_other = packages.to_vec();
        with_other.push(package("other", Automatic, &[]));
        assert_eq!(leaving(&with_other, "inkcap"), ["data", "plugin"]);
        assert_eq!(leaving(&packages, "plugin"), [""; 0]);
    }

    #[test]
    fn one_system_may_keep_reasons_and_another_none() {
        let mut sandboxed = package("org.marsh.Curlew", Explicit, &[]);
        sandboxed.system = System::Flatpak;
        let packages = [
            package("inkcap", Reason::Unknown, &["data"]),
            package("data", Reason::Unknown, &[]),
            package("left-over", Automatic, &[]),
            sandboxed,
        ];
        let graph = Graph::new(&packages);
        let paths: Vec<_> =
            graph.paths_to(graph.named("data")[0]).iter().map(|path| names(&graph, path)).collect();
        assert_eq!(paths, [["inkcap", "data"]]);
        assert_eq!(leaving(&packages, "data"), ["inkcap", "left-over"]);
    }

    #[test]
    fn versions_and_provides_decide_who_fits() {
        let mut needs = package("needs", Explicit, &[]);
        let relation = |op, version: &str| Dependency {
            name: "lib".into(),
            op: Some(op),
            version: Some(version.into()),
        };
        needs.depends = vec![Alternatives::from_iter([relation(VersionOp::AtLeast, "2")])];
        let mut provider = package("provider", Automatic, &[]);
        provider.provides = vec![relation(VersionOp::Exactly, "3")];
        let packages = [needs, provider, package("lib", Automatic, &[])];
        let graph = Graph::new(&packages);
        assert_eq!(graph.paths_to(graph.named("provider")[0]).len(), 1);
        assert_eq!(graph.paths_to(graph.named("lib")[0]).len(), 0);
    }

    #[test]
    fn paths_come_from_every_root_shortest_first() {
        let packages = [
            package("a", Explicit, &["b"]),
            package("b", Automatic, &["c"]),
            package("c", Automatic, &["b"]),
            package("d", Explicit, &["c"]),
        ];
        let graph = Graph::new(&packages);
        let paths: Vec<Vec<String>> =
            graph.paths_to(graph.named("c")[0]).iter().map(|path| names(&graph, path)).collect();
        assert_eq!(paths, [vec!["d", "c"], vec!["a", "b", "c"]]);
    }

    /// As apt 2.6 and 3.0 do (`pkgDepCache::MarkDelete`), by the section that the archive has.
    #[test]
    fn a_metapackage_that_goes_along_keeps_what_it_brought() {
        let collection = |name: &str, section: &str, reason, needs: &[&str]| {
            let mut package = package(name, reason, needs);
            package.section = section.into();
            package
        };
        let mut packages = [
            collection("task", "tasks", Explicit, &["goodies", "office"]),
            collection("goodies", "metapackages", Automatic, &["burner", "panel-plugin"]),
            package("burner", Automatic, &[]),
            package("panel-plugin", Automatic, &[]),
            package("office", Automatic, &[]),
        ];
        assert_eq!(leaving(&packages, "burner"), ["goodies", "task"]);
        packages[1].archive_section = Some("desktop".into());
        assert_eq!(leaving(&packages, "burner"), ["goodies", "panel-plugin", "task"]);
        assert_eq!(leaving(&packages, "task"), ["burner", "goodies", "office", "panel-plugin"]);
    }

    #[test]
    fn a_suggestion_keeps_and_never_brings() {
        let mut lister = package("lister", Explicit, &[]);
        lister.suggests = package("", Explicit, &["browser"]).depends;
        let mut task = package("task", Explicit, &[]);
        task.recommends = package("", Explicit, &["desktop"]).depends;
        let packages =
            [lister, package("browser", Automatic, &[]), task, package("desktop", Automatic, &["browser"])];
        let graph = Graph::new(&packages);
        let browser = graph.named("browser")[0];
        let paths: Vec<Vec<String>> =
            graph.paths_to(browser).iter().map(|path| names(&graph, path)).collect();
        assert_eq!(paths, [["task", "desktop", "browser"]]);
        assert_eq!(names(&graph, &graph.suggested_by(browser)), ["lister"]);
        // Without the desktop it would stay, as apt has it: the suggestion keeps it.
        let left = [packages[0].clone(), packages[1].clone()];
        assert_eq!(leaving(&left, "lister"), ["browser"]);
        let graph = Graph::new(&left);
        assert_eq!(graph.paths_to(graph.named("browser")[0]), Vec::<Vec<Ix>>::new());
    }

    #[test]
    fn without_reasons_what_nothing_needs_is_a_root() {
        let packages = [package("a", Reason::Unknown, &["b"]), package("b", Reason::Unknown, &["b"])];
        let graph = Graph::new(&packages);
        assert_eq!(names(&graph, graph.roots()), ["a"]);
    }

    fn random() -> impl Strategy<Value = Vec<Package>> {
        let one = (any::<bool>(), prop::collection::vec(prop::collection::vec(0_usize..8, 1..3), 0..4));
        prop::collection::vec(one, 1..8).prop_map(|list| {
            let make = |(i, (chosen, groups)): (usize, &(bool, Vec<Vec<usize>>))| {
                let groups: Vec<String> = groups
                    .iter()
                    .map(|g| g.iter().map(|n| format!("p{n}")).collect::<Vec<_>>().join("|"))
                    .collect();
                let groups: Vec<&str> = groups.iter().map(String::as_str).collect();
                package(&format!("p{i}"), if *chosen { Explicit } else { Automatic }, &groups)
            };
            list.iter().enumerate().map(make).collect()
        })
    }

    proptest! {
        /// A slow model: take out what is broken until nothing is, then followers that no root reaches.
        #[test]
        fn agrees_with_a_naive_model(packages in random(), at in 0_usize..8) {
            let graph = Graph::new(&packages);
            let at = Ix(at % packages.len());
            let mut gone = vec![at];
            loop {
                let broken = graph.all().find(|p| {
                    !gone.contains(p) && graph.needs[p.0].iter().any(|group| group.iter().all(|t| gone.contains(t)))
                });
                match broken { Some(p) => gone.push(p), None => break }
            }
            let mut stays: Vec<Ix> = graph.roots().iter().copied().filter(|r| !gone.contains(r)).collect();
            loop {
                let more = stays.iter().flat_map(|p| graph.targets(*p)).find(|t| !gone.contains(t) && !stays.contains(t));
                match more { Some(t) => stays.push(t), None => break }
            }
            let mut expected: Vec<Ix> = graph.all().filter(|p| *p != at)
                .filter(|p| gone.contains(p) || (!stays.contains(p) && packages[p.0].reason == Automatic)).collect();
            expected.sort_by_key(|p| packages[p.0].name.clone());
            prop_assert_eq!(graph.leaves_with(at), expected);
        }
    }
}
