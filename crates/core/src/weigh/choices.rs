//! What each choice weighs: the packages that are there for its sake alone.

use crate::graph::{Above, Dominators, Graph, Ix};
use crate::model::{Kind, PackageRef, Tally};
use schemars::JsonSchema;
use serde::Serialize;

/// A package that was installed explicitly, and all that is there for its sake alone.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Choice {
    /// The package.
    pub package: PackageRef,
    /// The metapackage through which it was chosen; `null` when it was chosen itself.
    pub through: Option<PackageRef>,
    /// The package and those that every way from a choice reaches through it only.
    pub packages: u64,
    /// Their bytes on disk.
    pub bytes: u64,
}

/// All packages of an install, each behind exactly one choice, shared, or behind none.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Choices {
    /// Heaviest first, then by name.
    pub choices: Vec<Choice>,
    /// Packages that several choices bring, and their bytes.
    pub shared: (u64, u64),
    /// Packages that no choice brings, and their bytes.
    pub unexplained: (u64, u64),
}

/// Divides an install among the choices behind it.
///
/// A choice is a package that was chosen, or that the system refuses to remove; where nobody kept reasons, one that nothing
/// else needs. What a metapackage brings counts as chosen through it, so that a whole desktop is not one single choice.
pub fn choices(tally: &Tally) -> Choices {
    let graph = Graph::new(&tally.packages);
    let (starts, through) = starts(&graph);
    let targets: Vec<Vec<usize>> = graph.all().map(|at| graph.brings(at).map(|to| to.0).collect()).collect();
    let tree = Dominators::new(&targets, &starts);
    let mut is_start = vec![false; targets.len()];
    starts.iter().for_each(|start| is_start[*start] = true);
    // The choice that every way to a package leads through last.
    let nearest = tree.nearest(&is_start);
    let mut sums = vec![(0, 0); targets.len()];
    let mut found = Choices::default();
    for at in graph.all() {
        let bytes = graph.package(at).installed_bytes.unwrap_or(0);
        let behind = if is_start[at.0] { Some(at.0) } else { nearest[at.0] };
        let sum = match (behind, tree.above(at.0)) {
            (Some(start), _) => &mut sums[start],
            (None, Above::Unreached) => &mut found.unexplained,
            (None, _) => &mut found.shared,
        };
        *sum = (sum.0 + 1, sum.1.saturating_add(bytes));
    }
    let choice = |at: &usize| Choice {
        package: graph.package(Ix(*at)).reference(),
        through: through[*at].map(|meta| graph.package(Ix(meta)).reference()),
        packages: sums[*at].0,
        bytes: sums[*at].1,
    };
    found.choices = starts.iter().map(choice).collect();
    found.choices.sort_by(|a, b| b.bytes.cmp(&a.bytes).then_with(|| a.package.cmp(&b.package)));
    found
}

/// Positions of the choices, each once, and for each package the metapackage through which it was chosen.
fn starts(graph: &Graph<'_>) -> (Vec<usize>, Vec<Option<usize>>) {
    let count = graph.all().count();
    let mut through = vec![None; count];
    let mut seen = vec![false; count];
    let mut starts: Vec<usize> = graph.roots().iter().map(|root| root.0).collect();
    starts.iter().for_each(|start| seen[*start] = true);
    let mut next = 0;
    while let Some(at) = starts.get(next).copied() {
        next += 1;
        if graph.package(Ix(at)).kind != Kind::Metapackage {
            continue;
        }
        for target in graph.brings(Ix(at)) {
            if !std::mem::replace(&mut seen[target.0], true) {
                through[target.0] = Some(at);
                starts.push(target.0);
            }
        }
    }
    (starts, through)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::{Alternatives, Dependency, Package, Reason, System, samples};

    fn package(name: &str, reason: Reason, kind: Kind, needs: &[&str]) -> Package {
        let mut package = Package::new(System::Dpkg, name, "1");
        (package.reason, package.kind, package.installed_bytes) = (reason, kind, Some(10));
        let one = |name: &&str| {
            Alternatives::from_elem(Dependency { name: (*name).into(), op: None, version: None }, 1)
        };
        package.depends = needs.iter().map(one).collect();
        package
    }

    fn tally(packages: Vec<Package>) -> Tally {
        Tally { packages, ..samples::tally() }
    }

    #[test]
    fn every_package_is_behind_one_choice_shared_or_unexplained() {
        use Reason::{Dependency as Automatic, Explicit};
        let install = tally(vec![
            package("desktop", Explicit, Kind::Metapackage, &["office", "panel"]),
            package("office", Automatic, Kind::Application, &["liboffice", "libshared"]),
            package("liboffice", Automatic, Kind::Library, &["libdeep"]),
            package("libdeep", Automatic, Kind::Library, &[]),
            package("panel", Automatic, Kind::Desktop, &["libshared"]),
            package("libshared", Automatic, Kind::Library, &["libbelow"]),
            package("libbelow", Automatic, Kind::Library, &[]),
            package("stray", Automatic, Kind::Library, &["ring"]),
            package("ring", Automatic, Kind::Library, &["stray"]),
        ]);
        let found = choices(&install);
        let said: Vec<_> = found
            .choices
            .iter()
            .map(|c| (c.package.name(), c.through.is_some(), c.packages, c.bytes))
            .collect();
        assert_eq!(said, [("office", true, 3, 30), ("desktop", false, 1, 10), ("panel", true, 1, 10)]);
        assert_eq!((found.shared, found.unexplained), ((2, 20), (2, 20)));
    }

    #[test]
    fn nothing_is_counted_twice_whatever_the_reasons() {
        let install = tally(vec![
            package("a", Reason::Unknown, Kind::Application, &["b"]),
            package("b", Reason::Unknown, Kind::Library, &["b", "a"]),
            package("c", Reason::Unknown, Kind::Library, &["d"]),
            package("d", Reason::Unknown, Kind::Library, &[]),
        ]);
        let found = choices(&install);
        let sum: u64 = found.choices.iter().map(|c| c.packages).sum();
        assert_eq!(sum + found.shared.0 + found.unexplained.0, 4);
        assert_eq!(found.choices.iter().map(|c| c.package.name()).collect::<Vec<_>>(), ["c"]);
    }
}
