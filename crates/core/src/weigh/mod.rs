//! Does it all fit, what would have to go if it does not, and what each choice weighs.

mod choices;
mod proposal;

pub use choices::{Choice, Choices, choices};
pub use proposal::{LeaveOut, LeaveOutKind};

use crate::graph::{Graph, Ix};
use crate::model::{Kind, PackageRef, Tally, Text};
use rayon::prelude::*;
use schemars::JsonSchema;
use serde::Serialize;

/// Something that could be dropped, and what leaves with it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Droppable {
    /// Name of the application in the menu, or of the package.
    pub name: Text,
    /// The package to remove.
    pub package: PackageRef,
    /// Bytes on disk that become free: the package and all that leaves with it.
    pub frees_bytes: u64,
    /// The others that leave.
    pub leaves_with: Vec<PackageRef>,
    /// Whether dropping it alone is enough.
    pub enough: bool,
}

/// The answer to "does it fit".
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Weighing {
    /// Schema number of this document.
    pub schema_version: u32,
    /// Bytes on disk of all packages.
    pub installed_bytes: u64,
    /// Bytes that come on top, as asked.
    pub plus_bytes: u64,
    /// The limit, bytes.
    pub limit_bytes: u64,
    /// By how many bytes it is over; 0 when it fits.
    pub over_bytes: u64,
    /// A set of what a person could leave out, least missed first, that reaches the limit or comes as near to it as there is.
    pub proposal: Vec<LeaveOut>,
    /// What could be dropped: what is enough by itself first, the cheapest of it before all; then the heaviest.
    pub droppable: Vec<Droppable>,
}

/// Weighs an install against a limit. What could be dropped are applications and games, and packages installed explicitly;
/// never what the system refuses to remove, the kernel, drivers, libraries, or a companion that would take its program along.
pub fn weigh(tally: &Tally, limit_bytes: u64, plus_bytes: u64) -> Weighing {
    let installed_bytes = tally.installed_bytes();
    let over_bytes = installed_bytes.saturating_add(plus_bytes).saturating_sub(limit_bytes);
    let graph = Graph::new(&tally.packages);
    let kept = proposal::kept(tally, &graph);
    let proposal =
        if over_bytes == 0 { Vec::new() } else { proposal::proposal(tally, &graph, &kept, over_bytes) };
    let mut droppable =
        if over_bytes == 0 { Vec::new() } else { candidates(tally, &graph, &kept, over_bytes) };
    droppable.sort_by(|a, b| {
        let order =
            if a.enough { a.frees_bytes.cmp(&b.frees_bytes) } else { b.frees_bytes.cmp(&a.frees_bytes) };
        b.enough
            .cmp(&a.enough)
            .then(if a.enough == b.enough { order } else { std::cmp::Ordering::Equal })
            .then_with(|| a.name.cmp(&b.name))
    });
    Weighing { schema_version: 2, installed_bytes, plus_bytes, limit_bytes, over_bytes, proposal, droppable }
}

fn candidates(tally: &Tally, graph: &Graph<'_>, kept: &[bool], over: u64) -> Vec<Droppable> {
    let essential = |at: Ix| {
        let package = graph.package(at);
        package.essential
            || package.companion_of.is_some()
            || matches!(
                package.kind,
                Kind::Kernel | Kind::System | Kind::Packaging | Kind::Library | Kind::Driver | Kind::Runtime
            )
    };
    let wanted = graph.all().filter(|at| !kept[at.0] && !essential(*at)).filter(|at| {
        let package = graph.package(*at);
        matches!(package.kind, Kind::Application | Kind::Game | Kind::Artwork | Kind::Language | Kind::Font)
            || package.reason == crate::model::Reason::Explicit
    });
    let wanted: Vec<Ix> = wanted.collect();
    wanted
        .into_par_iter()
        .filter_map(|at| {
            let leaving = graph.leaves_with(at);
            // What would tear the base system or the desktop down is no suggestion.
            if leaving.iter().any(|at| kept[at.0]) {
                return None;
            }
            let frees_bytes = graph.bytes(leaving.iter().copied().chain([at]));
            let package = graph.package(at).reference();
            let application =
                tally.applications.iter().find(|a| a.delivered.iter().any(|d| d.reference() == package));
            Some(Droppable {
                name: application.map_or_else(|| graph.package(at).name.clone(), |a| a.name.clone()),
                package,
                frees_bytes,
                leaves_with: leaving.iter().map(|at| graph.package(*at).reference()).collect(),
                enough: frees_bytes >= over,
            })
        })
        .filter(|droppable| droppable.frees_bytes > 0)
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::{Dependency, Package, Reason, System, samples};

    fn package(name: &str, kind: Kind, megabytes: u64, needs: &[&str]) -> Package {
        let mut package = Package::new(System::Dpkg, name, "1");
        (package.kind, package.installed_bytes) = (kind, Some(megabytes * 1_000_000));
        if kind == Kind::Metapackage {
            package.section = "metapackages".into();
        }
        package.reason = if needs.is_empty() { Reason::Dependency } else { Reason::Explicit };
        let need = |name: &&str| Dependency { name: (*name).into(), op: None, version: None };
        package.depends = needs.iter().map(|name| std::iter::once(need(name)).collect()).collect();
        package
    }

    #[test]
    fn a_set_reaches_the_limit_with_what_is_missed_least_and_leaves_the_desktop_alone() {
        let mut tally = samples::tally();
        tally.packages = vec![
            package(
                "weir-desktop",
                Kind::Metapackage,
                1,
                &["weir-shell", "weir-doc", "lang-reed", "frogleap", "fonts-core"],
            ),
            package("weir-shell", Kind::Desktop, 100, &[]),
            package("weir-doc", Kind::Documentation, 30, &[]),
            package("lang-reed", Kind::Language, 40, &[]),
            package("frogleap", Kind::Game, 50, &[]),
            package("fonts-core", Kind::Font, 60, &[]),
            package("inkcap", Kind::Application, 20, &["fonts-core"]),
        ];
        let names = |limit: u64| -> Vec<LeaveOutKind> {
            weigh(&tally, limit * 1_000_000, 0).proposal.iter().map(|part| part.kind).collect()
        };
        assert_eq!(names(400), []);
        assert_eq!(names(280), [LeaveOutKind::Documentation]);
        assert_eq!(
            names(265),
            [LeaveOutKind::Languages],
            "documentation alone is not enough, and not needed beside them"
        );
        assert_eq!(names(240), [LeaveOutKind::Documentation, LeaveOutKind::Languages]);
        let all = weigh(&tally, 1, 0);
        assert!(
            all.proposal.iter().all(|part| part
                .packages
                .iter()
                .all(|one| !["weir-shell", "fonts-core"].contains(&one.name())))
        );
        assert!(all.droppable.iter().all(|one| one.package.name() != "weir-shell"));
        assert_eq!(all.proposal.last().unwrap().together_bytes, 121_000_000);
    }
}
