//! One thing followed through many installs: a part, an application or a package, with what it was called before.

use crate::compare::{Match, Sides, align};
use crate::model::{Label, Package, Phase, System, Tally, Text};
use crate::systems;
use crate::version::{self, Step};
use crate::vocabulary;
use schemars::JsonSchema;
use serde::Serialize;
use std::cmp::Ordering;

vocabulary! {
    /// What a name was taken for.
    pub enum TrailKind {
        /// A part: `kernel`, `sound-server`.
        Part = "part",
        /// An application, by identifier or name.
        Application = "application",
        /// A package, by name.
        Package = "package",
    }
}

vocabulary! {
    /// What happened to it since the install before.
    pub enum TrailChange {
        /// It is the first install.
        First = "first",
        /// It is not there, and was not before.
        Absent = "absent",
        /// Added.
        Added = "added",
        /// Removed.
        Removed = "removed",
        /// Something else fills the part.
        Replaced = "replaced",
        /// Delivered by another package system.
        FormatChanged = "format-changed",
        /// Another name.
        Renamed = "renamed",
        /// A later version.
        Updated = "updated",
        /// An earlier version.
        Downgraded = "downgraded",
        /// The same.
        Same = "same",
    }
}

/// One install on the way.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct TrailStep {
    /// The install.
    pub label: Label,
    /// What it was called there, and its version; nothing where it is not there.
    pub found: Vec<TrailItem>,
    /// How far it went since the install before, where one version stands on both.
    pub step: Option<Step>,
    /// What happened to it since the install before.
    pub change: TrailChange,
}

/// A thing in one install.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct TrailItem {
    /// What it is called there.
    pub name: Text,
    /// Its upstream version.
    pub version: Option<Text>,
    /// The package system that delivers it.
    pub system: Option<System>,
    /// Whether it was shipped, and removed later.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub removed_later: bool,
}

/// The way of one thing through installs, oldest first.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct Trail {
    /// What was asked for.
    pub asked: Text,
    /// What it was taken for.
    pub kind: TrailKind,
    /// The installs.
    pub steps: Vec<TrailStep>,
}

/// Follows a name through installs, given oldest first; `None` when none of them knows it.
///
/// A name is a part's stable name, else an application, else a package (`system:name` names it in one system), else what fills a part;
/// ignoring case. A package that was renumbered or renamed is followed both ways.
pub fn follow(asked: &str, tallies: &[&Tally]) -> Option<Trail> {
    let wanted = asked.to_lowercase();
    let by_part = |tally: &Tally, by_name: bool| -> Vec<TrailItem> {
        let fits = |part: &&crate::model::Part| {
            if by_name { part.name.to_lowercase() == wanted } else { part.part == wanted }
        };
        let parts = tally.parts.iter().filter(fits);
        parts
            .map(|part| TrailItem {
                name: part.name.clone(),
                version: part.version.clone(),
                system: part.package.as_ref().and_then(|package| package.parts()).map(|(system, _)| system),
                removed_later: false,
            })
            .collect()
    };
    let by_application = |tally: &Tally| -> Vec<TrailItem> {
        let fits = |a: &&crate::model::Application| a.id == wanted || a.name.to_lowercase() == wanted;
        let found = tally.applications.iter().filter(fits);
        let one = |a: &crate::model::Application| -> Vec<TrailItem> {
            let version = |d: &crate::model::Delivery| systems::upstream(d.system, &d.version).into();
            let each = a.delivered.iter();
            let mut found: Vec<TrailItem> = each
                .map(|d| TrailItem {
                    name: a.name.clone(),
                    version: Some(version(d)),
                    system: Some(d.system),
                    removed_later: false,
                })
                .collect();
            // No package brought it, and it is there all the same.
            if found.is_empty() {
                found.push(TrailItem {
                    name: a.name.clone(),
                    version: a.version.clone(),
                    system: None,
                    removed_later: false,
                });
            }
            found
        };
        found.flat_map(one).collect()
    };
    // What shipped and was removed later has no menu entry, and is told by its package, as others name it.
    let by_removed = |mut found: Vec<Vec<TrailItem>>| {
        let brings: Vec<(&crate::model::Application, &Text)> = tallies
            .iter()
            .flat_map(|tally| &tally.applications)
            .filter(|a| a.id == wanted || a.name.to_lowercase() == wanted)
            .flat_map(|a| a.delivered.iter().map(move |brought| (a, &brought.package)))
            .collect();
        for (tally, found) in tallies.iter().zip(&mut found).filter(|(_, found)| found.is_empty()) {
            let removed = tally.packages.iter().filter(|package| package.phase == Phase::RemovedLater);
            found.extend(removed.filter_map(|package| {
                let (application, _) = brings.iter().find(|(_, name)| **name == package.name)?;
                let item = found_package(package);
                Some(TrailItem { name: application.name.clone(), removed_later: true, ..item })
            }));
        }
        found
    };
    let (kind, found) = [
        (TrailKind::Part, tallies.iter().map(|tally| by_part(tally, false)).collect::<Vec<_>>()),
        (TrailKind::Application, by_removed(tallies.iter().map(|tally| by_application(tally)).collect())),
        (TrailKind::Package, packages(&wanted, tallies)),
        (TrailKind::Part, tallies.iter().map(|tally| by_part(tally, true)).collect()),
    ]
    .into_iter()
    .find(|(_, found)| found.iter().any(|found| !found.is_empty()))?;
    Some(Trail { asked: asked.into(), kind, steps: steps(tallies, found, kind) })
}

/// The packages of a name in each install; where it is not there, those that alignment says it became, or came from.
fn packages(asked: &str, tallies: &[&Tally]) -> Vec<Vec<TrailItem>> {
    let named = |tally: &Tally, name: &str| -> Vec<TrailItem> {
        let fits = |package: &&Package| {
            package.name.eq_ignore_ascii_case(name) || package.reference().as_str().eq_ignore_ascii_case(name)
        };
        tally.present().filter(fits).map(found_package).collect()
    };
    let mut found: Vec<Vec<TrailItem>> = tallies.iter().map(|tally| named(tally, asked)).collect();
    for (at, from) in neighbours(tallies.len()) {
        if found[at].is_empty() && !found[from].is_empty() {
            found[at] = partners(tallies[from], tallies[at], &found[from], from < at);
        }
    }
    found
}

/// Each place with the one before it, going up, then with the one behind it, going down.
fn neighbours(count: usize) -> impl Iterator<Item = (usize, usize)> {
    (1..count).map(|at| (at, at - 1)).chain((1..count).rev().map(|at| (at - 1, at)))
}

fn found_package(package: &Package) -> TrailItem {
    TrailItem {
        name: package.name.clone(),
        version: Some(package.upstream_version.clone()).filter(|version| !version.is_empty()),
        system: Some(package.system),
        removed_later: package.phase == Phase::RemovedLater,
    }
}

fn partners(from: &Tally, to: &Tally, found: &[TrailItem], forward: bool) -> Vec<TrailItem> {
    let (old, new) = if forward { (from, to) } else { (to, from) };
    let (old, new): (Vec<&Package>, Vec<&Package>) = (old.present().collect(), new.present().collect());
    let alignment = align(&Sides { old: &old, new: &new, ..Sides::default() });
    alignment
        .pairs
        .iter()
        .filter(|pair| pair.how != Match::Same)
        .map(|pair| if forward { (old[pair.old], new[pair.new]) } else { (new[pair.new], old[pair.old]) })
        .filter(|(here, _)| {
            found.iter().any(|found| found.name == here.name && found.system == Some(here.system))
        })
        .map(|(_, there)| found_package(there))
        .collect()
}

fn steps(tallies: &[&Tally], found: Vec<Vec<TrailItem>>, kind: TrailKind) -> Vec<TrailStep> {
    let mut steps: Vec<TrailStep> = Vec::with_capacity(found.len());
    for (tally, found) in tallies.iter().zip(found) {
        let before = steps.last().map(|step| step.found.as_slice());
        let (change, step) = match (before, &found[..]) {
            (None, _) => (TrailChange::First, None),
            (Some([]), []) => (TrailChange::Absent, None),
            (Some([]), _) => (TrailChange::Added, None),
            (Some(_), []) => (TrailChange::Removed, None),
            (Some([old, ..]), [new, ..]) => {
                // Another thing in the same place has a version of its own.
                let replaced = kind == TrailKind::Part && old.name != new.name;
                let step = match (&old.version, &new.version) {
                    _ if replaced => None,
                    (Some(old), Some(new)) => version::step(old, new),
                    _ => None,
                };
                let change = if replaced {
                    TrailChange::Replaced
                } else if old.system != new.system {
                    TrailChange::FormatChanged
                } else if old.name != new.name {
                    TrailChange::Renamed
                } else {
                    match (&old.version, &new.version) {
                        (Some(old), Some(new)) => match version::compare_plain(old, new) {
                            Ordering::Less => TrailChange::Updated,
                            Ordering::Greater => TrailChange::Downgraded,
                            Ordering::Equal => TrailChange::Same,
                        },
                        (old, new) if old == new => TrailChange::Same,
                        _ => TrailChange::Updated,
                    }
                };
                (change, step.filter(|_| change != TrailChange::Same))
            }
        };
        steps.push(TrailStep { label: tally.label.clone(), found, step, change });
    }
    steps
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::samples;

    fn tally(release: &str, packages: &[(&str, &str, &str)]) -> Tally {
        let mut tally = samples::tally();
        tally.label.release = Some(release.into());
        for (name, source, version) in packages {
            let mut package = Package::new(System::Dpkg, *name, *version);
            package.source = Some((*source).into());
            package.upstream_version = (*version).into();
            tally.packages.push(package);
        }
        tally
    }

    #[test]
    fn a_renumbered_package_is_followed_both_ways() {
        let tallies = [
            tally("1", &[("libweir1", "weir", "1.0")]),
            tally("2", &[("libweir2", "weir", "2.0")]),
            tally("3", &[("libweir2", "weir", "2.1")]),
            tally("4", &[]),
        ];
        let all: Vec<&Tally> = tallies.iter().collect();
        let trail = follow("libweir2", &all).unwrap();
        let said: Vec<(TrailChange, Option<&str>, Option<Step>)> = trail
            .steps
            .iter()
            .map(|step| (step.change, step.found.first().map(|found| found.name.as_str()), step.step))
            .collect();
        assert_eq!(
            said,
            [
                (TrailChange::First, Some("libweir1"), None),
                (TrailChange::Renamed, Some("libweir2"), Some(Step::Major)),
                (TrailChange::Updated, Some("libweir2"), Some(Step::Minor)),
                (TrailChange::Removed, None, None)
            ]
        );
        assert_eq!(follow("nothing", &all), None);
    }
}
