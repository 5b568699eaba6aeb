//! What a person could leave out to reach a limit: a set, least missed first, and never what the desktop or the boot needs.

use crate::graph::{Graph, Ix, is_collection};
use crate::knowledge::{matches, names};
use crate::model::{Kind, PackageRef, Tally, Text};
use crate::vocabulary;
use rayon::prelude::*;
use rustc_hash::{FxHashMap, FxHashSet};
use schemars::JsonSchema;
use serde::Serialize;

vocabulary! {
    /// What is left out, least missed first.
    pub enum LeaveOutKind {
        /// Documentation.
        Documentation = "documentation",
        /// Languages other than English.
        Languages = "languages",
        /// Games.
        Games = "games",
        /// Wallpapers that are not set.
        Wallpapers = "wallpapers",
        /// Fonts beside the basic ones.
        Fonts = "fonts",
        /// An app that no job depends on.
        Extra = "extra-app",
        /// An app whose job another one could do.
        Double = "double-app",
        /// Firmware for hardware that may not be there.
        Firmware = "firmware",
        /// The app that does a job.
        App = "app",
    }
}

/// Something to leave out, and what that frees.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct LeaveOut {
    /// What it is.
    pub kind: LeaveOutKind,
    /// The app, where it is one.
    pub name: Option<Text>,
    /// The packages to remove.
    pub packages: Vec<PackageRef>,
    /// Bytes on disk that become free by this alone.
    pub frees_bytes: u64,
    /// Bytes on disk that become free by this and all before it.
    pub together_bytes: u64,
}

/// Apps that are looked at, the heaviest: a set of more is none that a person would go through.
const MOST_APPS: usize = 200;

/// What is never left out: what the system refuses to remove, what fills a part, sessions, and the basic fonts.
pub(super) fn kept(tally: &Tally, graph: &Graph<'_>) -> Vec<bool> {
    let mut named: FxHashSet<PackageRef> = FxHashSet::default();
    // A second toolkit or a compiler goes with whatever needs it.
    let held = |part: &&crate::model::Part| !names().parts_beside.contains(&part.part);
    named.extend(tally.parts.iter().filter(held).filter_map(|part| part.package.clone()));
    named.extend(tally.looks.sessions.iter().filter_map(|session| session.package.clone()));
    let needed = tally.defaults.iter().filter(|choice| names().needed_roles.contains(&choice.role));
    let needed: FxHashSet<&Text> = needed.filter_map(|choice| choice.application.as_ref()).collect();
    let of_needed = tally.applications.iter().filter(|app| needed.contains(&app.id));
    named.extend(of_needed.flat_map(|app| app.delivered.iter().map(crate::model::Delivery::reference)));
    let is_kept = |at: Ix| {
        let package = graph.package(at);
        package.essential
            || package.kept
            || matches!(package.kind, Kind::Kernel | Kind::Desktop)
            || named.contains(&package.reference())
            || matches(&names().basic_fonts, &package.name)
    };
    graph.all().map(is_kept).collect()
}

/// The set that reaches `over`, or all there is.
pub(super) fn proposal(tally: &Tally, graph: &Graph<'_>, kept: &[bool], over: u64) -> Vec<LeaveOut> {
    let freed = |set: &[Ix]| graph.bytes(graph.leave_with(set).into_iter().chain(set.iter().copied()));
    let found = candidates(tally, graph, kept);
    let of_apps = found.iter().filter(|(_, name, _)| name.is_some());
    let jobs: FxHashMap<PackageRef, LeaveOutKind> = of_apps
        .flat_map(|(kind, _, packages)| packages.iter().map(|at| (graph.package(*at).reference(), *kind)))
        .collect();
    let weighed = found.into_par_iter().filter_map(|(kind, name, packages)| {
        // Of a group only what nothing but a collection needs, and nothing of all that takes along what is kept.
        let is_app = name.is_some();
        let fits = |at: &Ix| {
            let own = graph.package(*at).kind;
            let needless = is_app
                || graph.needed_by(*at).iter().all(|other| {
                    let other = graph.package(*other);
                    other.kind == own || other.kind == Kind::Metapackage || is_collection(other)
                });
            needless && !graph.leaves_with(*at).iter().any(|other| kept[other.0])
        };
        let packages: Vec<Ix> = packages.into_par_iter().filter(fits).collect();
        let leaving = graph.leave_with(&packages);
        let takes_kept = leaving.iter().any(|at| kept[at.0]);
        let bytes = if takes_kept { 0 } else { graph.bytes(leaving.iter().chain(&packages).copied()) };
        // What takes along an app that does a job is missed as much as that one.
        let missed = |at: &Ix| jobs.get(&graph.package(*at).reference()).copied();
        let kind =
            if is_app { leaving.iter().filter_map(missed).chain([kind]).max().unwrap_or(kind) } else { kind };
        (bytes > 0).then_some((kind, name, packages, bytes))
    });
    let mut parts: Vec<(LeaveOutKind, Option<Text>, Vec<Ix>, u64)> = weighed.collect();
    // Least missed first; of one sort what frees most.
    parts.sort_by(|a, b| (a.0, std::cmp::Reverse(a.3), &a.1).cmp(&(b.0, std::cmp::Reverse(b.3), &b.1)));
    let mut chosen = Vec::new();
    let mut all: Vec<Ix> = Vec::new();
    let mut together = 0;
    for part in parts {
        if together >= over {
            break;
        }
        let before = all.len();
        all.extend(&part.2);
        let now = freed(&all);
        // It has gone along with another one already.
        if now == together {
            all.truncate(before);
            continue;
        }
        together = now;
        chosen.push(part);
    }
    without_needless(&mut chosen, over, freed);
    let mut all: Vec<Ix> = Vec::new();
    let told = chosen.into_iter().map(|(kind, name, packages, frees_bytes)| {
        all.extend(&packages);
        let packages = packages.iter().map(|at| graph.package(*at).reference()).collect();
        LeaveOut { kind, name, packages, frees_bytes, together_bytes: freed(&all) }
    });
    told.collect()
}

/// Takes out what the rest reaches the limit without, the most missed first.
fn without_needless(
    chosen: &mut Vec<(LeaveOutKind, Option<Text>, Vec<Ix>, u64)>,
    over: u64,
    freed: impl Fn(&[Ix]) -> u64,
) {
    for at in (0..chosen.len()).rev() {
        let rest: Vec<Ix> = chosen
            .iter()
            .enumerate()
            .filter(|(other, _)| *other != at)
            .flat_map(|(_, part)| part.2.clone())
            .collect();
        if freed(&rest) >= over {
            chosen.remove(at);
        }
    }
}

/// What could be left out at all: groups of packages, and apps.
fn candidates(tally: &Tally, graph: &Graph<'_>, kept: &[bool]) -> Vec<(LeaveOutKind, Option<Text>, Vec<Ix>)> {
    let free: Vec<Ix> = graph.all().filter(|at| !kept[at.0]).collect();
    let of =
        |wanted: &dyn Fn(Ix) -> bool| -> Vec<Ix> { free.iter().copied().filter(|at| wanted(*at)).collect() };
    let of_kind = |kind: Kind| of(&|at| graph.package(at).kind == kind);
    let pictures: FxHashSet<&PackageRef> = tally
        .looks
        .wallpapers
        .iter()
        .filter(|pack| Some(&pack.name) != tally.looks.default_wallpaper.as_ref())
        .filter_map(|pack| pack.package.as_ref())
        .collect();
    let wallpapers = of(&|at| {
        graph.package(at).kind == Kind::Artwork && pictures.contains(&graph.package(at).reference())
    });
    let firmware =
        of(&|at| graph.package(at).kind == Kind::Driver && graph.package(at).name.contains("firmware"));
    let mut found = vec![
        (LeaveOutKind::Documentation, None, of_kind(Kind::Documentation)),
        (LeaveOutKind::Languages, None, of_kind(Kind::Language)),
        (LeaveOutKind::Games, None, of_kind(Kind::Game)),
        (LeaveOutKind::Wallpapers, None, wallpapers),
        (LeaveOutKind::Fonts, None, of_kind(Kind::Font)),
        (LeaveOutKind::Firmware, None, firmware),
    ];
    let mut jobs: FxHashMap<&Text, bool> = FxHashMap::default();
    for choice in tally.defaults.iter().filter(|choice| !choice.also) {
        let Some(application) = &choice.application else { continue };
        // Whether nobody else could do one of its jobs.
        *jobs.entry(application).or_default() |= choice.candidates.len() < 2;
    }
    let by_reference: FxHashMap<PackageRef, Ix> =
        free.iter().map(|at| (graph.package(*at).reference(), *at)).collect();
    for application in &tally.applications {
        let packages: Vec<Ix> = application
            .delivered
            .iter()
            .filter_map(|one| by_reference.get(&one.reference()).copied())
            .collect();
        if packages.is_empty() || packages.iter().any(|at| graph.package(*at).kind == Kind::Game) {
            continue;
        }
        let kind = match jobs.get(&application.id) {
            None => LeaveOutKind::Extra,
            Some(false) => LeaveOutKind::Double,
            Some(true) => LeaveOutKind::App,
        };
        found.push((kind, Some(application.name.clone()), packages));
    }
    found.retain(|(_, _, packages)| !packages.is_empty());
    let (mut apps, mut found): (Vec<_>, Vec<_>) = found.into_iter().partition(|(_, name, _)| name.is_some());
    apps.sort_by_key(|(_, name, packages)| {
        (std::cmp::Reverse(graph.bytes(packages.iter().copied())), name.clone())
    });
    apps.truncate(MOST_APPS);
    found.extend(apps);
    found
}
