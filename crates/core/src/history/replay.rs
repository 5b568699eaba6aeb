//! Events replayed backwards: from the versions that are found to those that were shipped.

use super::day::Day;
use super::{Event, Records, SystemRecords};
use crate::graph::{Graph, Ix};
use crate::model::{Doubt, Package, Phase, SinceInstall, State, System, Text};
use crate::systems::order as order_versions;
use rustc_hash::{FxHashMap, FxHashSet};
use std::collections::BTreeSet;

/// Packages whose times are this close together came in one go: ten minutes.
const ONE_GO: i64 = 600;

/// What [`mark`] found beside the packages that it marked.
#[derive(Debug)]
pub struct Marked {
    /// Packages that were shipped and are gone: no database knows them any more.
    pub removed: Vec<Package>,
    /// How many came, changed and went, and how sure that is.
    pub since: SinceInstall,
}

/// Writes into every package whether it was shipped, and with which version.
///
/// `installed_at` gives a package's time in seconds. Where a system has logs since the install day, they decide; where the
/// installer left a list of packages, that; where there are only times, what needs what tells updates from additions,
/// and the answer is unsure.
pub fn mark(
    packages: &mut [Package],
    records: &Records,
    day: &Day,
    installed_at: impl Fn(&Package) -> Option<i64>,
) -> Marked {
    let mut doubts: BTreeSet<Doubt> = BTreeSet::new();
    if !day.sure {
        doubts.insert(Doubt::InstallDayGuessed);
    }
    let mut removed = Vec::new();
    // A log may tell of a system of which nothing is left.
    let logged = records.systems.iter().filter(|(_, of)| !of.events.is_empty()).map(|(system, _)| *system);
    let systems: BTreeSet<System> = packages.iter().map(|package| package.system).chain(logged).collect();
    let nothing = SystemRecords::default();
    for system in systems {
        let known = records.systems.iter().find(|(of, _)| *of == system).map_or(&nothing, |(_, of)| of);
        // A moment that only seems likely takes nothing away; a list of what was installed stands by itself.
        if !day.sure && known.initial.is_none() {
            continue;
        }
        let later: Vec<&Event> = known.events.iter().filter(|event| event.at > day.ended).collect();
        let told = replay(packages, system, &later, &mut removed, &mut doubts);
        let covered = known.since.is_some_and(|since| since <= day.ended);
        let silent: Vec<usize> = packages
            .iter()
            .enumerate()
            .filter(|(_, package)| package.system == system && package.is_present())
            .filter(|(at, _)| !told.contains(at))
            .map(|(at, _)| at)
            .collect();
        if let Some(initial) = &known.initial {
            by_list(packages, system, &silent, initial, covered, &mut removed);
        } else {
            let is_later = |at: &usize| installed_at(&packages[*at]).is_some_and(|time| time > day.ended);
            if known.since.is_none()
                && !silent.is_empty()
                && silent.iter().all(|at| installed_at(&packages[*at]).is_none())
            {
                doubts.insert(Doubt::NoHistory { system });
            }
            let late: Vec<usize> = silent.into_iter().filter(is_later).collect();
            // Whoever goes around the tool that keeps the log leaves a time at least.
            if !late.is_empty() {
                by_times(packages, &late, known, day, &installed_at, &mut doubts);
            }
            if let Some(since) = known.since.filter(|since| *since > day.ended) {
                let days = u32::try_from((since - day.ended) / 86_400).unwrap_or(u32::MAX);
                doubts.insert(Doubt::LogsBeginLater { system, days });
            }
        }
    }
    let count = |phase: Phase| packages.iter().filter(|package| package.phase == phase).count();
    let gone = count(Phase::RemovedLater) + removed.len();
    let since = SinceInstall {
        added: number(count(Phase::AddedLater)),
        updated: number(count(Phase::UpdatedLater)),
        removed: number(gone),
        sure: doubts.is_empty(),
        doubts: doubts.into_iter().collect(),
    };
    Marked { removed, since }
}

fn number(n: usize) -> u32 {
    u32::try_from(n).unwrap_or(u32::MAX)
}

/// Architectures of packages that run anywhere, and of logs that do not tell.
fn any_arch(arch: &str) -> bool {
    System::ALL.iter().any(|system| system.is_neutral(arch))
}

fn same_arch(a: &str, b: &str) -> bool {
    a == b || any_arch(a) || any_arch(b)
}

/// The packages of one name and architecture: what is found of them, and what happened to them.
#[derive(Default)]
struct Instance<'e> {
    arch: Text,
    found: Vec<usize>,
    events: Vec<&'e Event>,
}

/// Undoes the events of one system, the last one first. Returns the positions of the packages that events speak of.
fn replay(
    packages: &mut [Package],
    system: System,
    later: &[&Event],
    removed: &mut Vec<Package>,
    doubts: &mut BTreeSet<Doubt>,
) -> FxHashSet<usize> {
    let mut told = FxHashSet::default();
    let mut astray = 0_usize;
    for (name, instances) in instances(packages, system, later) {
        for instance in instances.into_iter().filter(|instance| !instance.events.is_empty()) {
            let found: Vec<usize> =
                instance.found.iter().copied().filter(|at| packages[*at].is_present()).collect();
            let mut versions: Vec<Text> = found.iter().map(|at| packages[*at].version.clone()).collect();
            for event in instance.events.iter().rev() {
                if let Some(after) = &event.after {
                    match versions.iter().position(|version| version == after) {
                        Some(at) => drop(versions.swap_remove(at)),
                        None => {
                            astray += 1;
                            // Something that no log tells took the place of what came then.
                            if found.len() == 1 {
                                versions.clear();
                            }
                        }
                    }
                }
                if let Some(before) = event.before.as_ref().filter(|before| !versions.contains(before)) {
                    versions.push(before.clone());
                }
            }
            told.extend(&instance.found);
            settle(packages, system, name.as_str(), &instance, &found, versions, removed);
        }
    }
    if astray > 0 {
        doubts.insert(Doubt::LogsDisagree { system, times: number(astray) });
    }
    told
}

/// Events and packages of one system by name, and within it by architecture.
fn instances<'e>(
    packages: &[Package],
    system: System,
    later: &[&'e Event],
) -> std::collections::BTreeMap<Text, Vec<Instance<'e>>> {
    let mut by_name: std::collections::BTreeMap<Text, Vec<Instance<'e>>> = std::collections::BTreeMap::new();
    for event in later {
        by_name.entry(event.name.clone()).or_default();
    }
    for (at, package) in packages.iter().enumerate().filter(|(_, package)| package.system == system) {
        if let Some(instances) = by_name.get_mut(&package.name) {
            match instances.iter_mut().find(|known| known.arch == package.arch) {
                Some(known) => known.found.push(at),
                None => instances.push(Instance {
                    arch: package.arch.clone(),
                    found: vec![at],
                    events: Vec::new(),
                }),
            }
        }
    }
    for event in later {
        let Some(instances) = by_name.get_mut(&event.name) else { continue };
        let exact = instances.iter().position(|known| known.arch == event.arch);
        match exact.or_else(|| instances.iter().position(|known| same_arch(&known.arch, &event.arch))) {
            Some(at) => instances[at].events.push(event),
            None => {
                instances.push(Instance { arch: event.arch.clone(), found: Vec::new(), events: vec![event] });
            }
        }
    }
    by_name
}

/// Marks what is found by what was shipped: the same version was shipped, another one was updated, none was added.
fn settle(
    packages: &mut [Package],
    system: System,
    name: &str,
    instance: &Instance<'_>,
    found: &[usize],
    mut shipped: Vec<Text>,
    removed: &mut Vec<Package>,
) {
    let mut open: Vec<usize> = Vec::new();
    for at in found {
        match shipped.iter().position(|version| *version == packages[*at].version) {
            Some(same) => {
                shipped.swap_remove(same);
                packages[*at].phase = Phase::Shipped;
            }
            None => open.push(*at),
        }
    }
    shipped.sort_by(|a, b| order_versions(system, a, b));
    open.sort_by(|a, b| order_versions(system, &packages[*a].version, &packages[*b].version));
    for at in open.into_iter().rev() {
        update(&mut packages[at], shipped.pop());
    }
    for version in shipped {
        match instance.found.iter().find(|at| !packages[**at].is_present()) {
            // What is left of it still stands in the database.
            Some(left) => {
                let package = &mut packages[*left];
                package.phase = Phase::RemovedLater;
                package.shipped_version = (package.version != version).then_some(version);
            }
            None => removed.push(gone(system, name, &instance.arch, version)),
        }
    }
}

fn update(package: &mut Package, shipped: Option<Text>) {
    package.phase = if shipped.is_some() { Phase::UpdatedLater } else { Phase::AddedLater };
    package.shipped_version = shipped;
}

/// A package that only logs or lists know.
fn gone(system: System, name: &str, arch: &str, version: Text) -> Package {
    let mut package = Package::new(system, name, version);
    package.upstream_version = crate::systems::upstream(system, &package.version).into();
    package.arch = arch.into();
    package.state = State::Removed;
    package.phase = Phase::RemovedLater;
    package
}

/// Marks packages that no event speaks of by the installer's list. Where logs cover the time since, they would have told of
/// anything that came: the list only fills in where they do not.
fn by_list(
    packages: &mut [Package],
    system: System,
    silent: &[usize],
    initial: &[super::Initial],
    covered: bool,
    removed: &mut Vec<Package>,
) {
    if covered {
        return;
    }
    let mut by_name: FxHashMap<&str, Vec<&super::Initial>> = FxHashMap::default();
    for one in initial {
        by_name.entry(&one.name).or_default().push(one);
    }
    for at in silent {
        let package = &mut packages[*at];
        let listed = by_name.get(package.name.as_str());
        match listed.and_then(|all| all.iter().find(|one| same_arch(&one.arch, &package.arch))) {
            None => update(package, None),
            Some(one) => {
                if let Some(version) = one.version.as_ref().filter(|version| **version != package.version) {
                    update(package, Some(version.clone()));
                }
            }
        }
    }
    let there: FxHashSet<&str> =
        packages.iter().filter(|p| p.system == system && p.is_present()).map(|p| p.name.as_str()).collect();
    for one in initial.iter().filter(|one| !there.contains(one.name.as_str())) {
        removed.push(gone(system, &one.name, &one.arch, one.version.clone().unwrap_or_default()));
    }
}

/// Marks packages of which only a late time is known.
///
/// A package that a shipped one depends on was shipped as well, so it was updated later. The others are grouped by the transaction
/// that installed them: in one that consists mostly of updates, a package counts as updated, else as added.
fn by_times(
    packages: &mut [Package],
    late: &[usize],
    known: &SystemRecords,
    day: &Day,
    installed_at: &impl Fn(&Package) -> Option<i64>,
    doubts: &mut BTreeSet<Doubt>,
) {
    let first_seen: FxHashMap<&str, i64> =
        known.first_seen.iter().map(|(name, at)| (name.as_str(), *at)).collect();
    if !first_seen.is_empty() {
        for at in late {
            let package = &mut packages[*at];
            let came = first_seen.get(package.name.as_str()).is_some_and(|first| *first > day.ended);
            package.phase = if came { Phase::AddedLater } else { Phase::UpdatedLater };
        }
        return;
    }
    let needed = needed_by_the_shipped(packages, late);
    let time = |at: usize, packages: &[Package]| installed_at(&packages[at]).unwrap_or_default();
    let mut in_order: Vec<usize> = late.to_vec();
    in_order.sort_by_key(|at| time(*at, packages));
    let mut begin = 0;
    while begin < in_order.len() {
        let mut end = begin + 1;
        while end < in_order.len()
            && time(in_order[end], packages) - time(in_order[end - 1], packages) <= ONE_GO
        {
            end += 1;
        }
        let go = &in_order[begin..end];
        let updates = go.iter().filter(|at| needed.contains(at)).count();
        for at in go {
            let is_update = needed.contains(at) || updates * 2 > go.len();
            packages[*at].phase = if is_update { Phase::UpdatedLater } else { Phase::AddedLater };
        }
        begin = end;
    }
    let system = packages[late[0]].system;
    doubts.insert(Doubt::OnlyTimes { system, packages: number(late.len()) });
}

/// Of late packages those that what was shipped needs, directly or through each other.
fn needed_by_the_shipped(packages: &[Package], late: &[usize]) -> FxHashSet<usize> {
    let late: FxHashSet<usize> = late.iter().copied().collect();
    let present: Vec<usize> = (0..packages.len()).filter(|at| packages[*at].is_present()).collect();
    let list: Vec<&Package> = present.iter().map(|at| &packages[*at]).collect();
    let graph = Graph::of(&list);
    let was_shipped = |at: usize| !late.contains(&present[at]) && list[at].phase != Phase::AddedLater;
    let mut queue: Vec<usize> =
        (0..list.len()).filter(|at| list[*at].essential || was_shipped(*at)).collect();
    let mut seen: FxHashSet<usize> = queue.iter().copied().collect();
    while let Some(at) = queue.pop() {
        for next in graph.needs(Ix(at)) {
            if seen.insert(next.0) {
                queue.push(next.0);
            }
        }
    }
    seen.into_iter().map(|at| present[at]).filter(|at| late.contains(at)).collect()
}
