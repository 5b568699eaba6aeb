//! The rows of a comparison's table: one row a change, whatever changed.

use super::CompareWhat;
use super::sections::by_kind;
use super::tables::{step, systems};
use crate::words;
use serde::Serialize;
use std::borrow::Cow;
use tally_core::compare::Comparison;

/// A change, with the columns that all changes share; a column that says nothing of a change is empty.
#[derive(Serialize, Default)]
pub(super) struct Row<'a> {
    what: &'a str,
    change: &'a str,
    name: String,
    system: String,
    old_name: Option<Cow<'a, str>>,
    old_version: Option<&'a str>,
    new_name: Option<Cow<'a, str>>,
    new_version: Option<&'a str>,
    step: &'a str,
    kind: &'a str,
    menu: &'a str,
    bytes_delta: Option<i64>,
    decision: Option<&'a str>,
    inherited: Option<bool>,
}

/// The rows of one view, or of all of them.
pub(super) fn rows(comparison: &Comparison, what: CompareWhat) -> Vec<Row<'_>> {
    let all = matches!(what, CompareWhat::All | CompareWhat::Headlines);
    let wanted = |view: CompareWhat| all || what == view;
    let mut rows = Vec::new();
    if wanted(CompareWhat::Parts) {
        rows.extend(parts(comparison));
    }
    if wanted(CompareWhat::Applications) {
        rows.extend(applications(comparison));
    }
    if wanted(CompareWhat::Defaults) {
        rows.extend(comparison.defaults.iter().map(|change| Row {
            what: "default",
            change: change.change.name(),
            name: format!("{} {}", change.role, change.asked),
            old_name: change.old.as_deref().map(Cow::from),
            new_name: change.new.as_deref().map(Cow::from),
            inherited: change.inherited,
            ..Row::default()
        }));
    }
    if wanted(CompareWhat::Decisions) {
        rows.extend(comparison.decisions.iter().map(|decision| Row {
            what: "decision",
            change: decision.kind.name(),
            name: words::decision_names(&decision.names),
            bytes_delta: Some(decision.bytes_delta),
            decision: Some(&decision.id),
            inherited: decision.inherited,
            ..Row::default()
        }));
    }
    for (view, what, list) in [
        (CompareWhat::Repositories, "repository", &comparison.repositories),
        (CompareWhat::Startup, "startup", &comparison.startup),
        (CompareWhat::Looks, "look", &comparison.looks),
        (CompareWhat::Media, "medium", &comparison.media),
        (CompareWhat::Settings, "setting", &comparison.settings),
    ] {
        if wanted(view) {
            rows.extend(list.iter().map(|change| Row {
                what,
                change: change.change.name(),
                name: words::list_item(change),
                old_name: change.old.as_deref().map(Cow::from),
                new_name: change.new.as_deref().map(Cow::from),
                inherited: change.inherited,
                ..Row::default()
            }));
        }
    }
    if wanted(CompareWhat::Pictures) {
        rows.extend(comparison.pictures.iter().map(|change| Row {
            what: "picture",
            change: change.change.name(),
            name: change.name.to_string(),
            old_name: change.old_name.as_deref().map(Cow::from),
            ..Row::default()
        }));
    }
    if wanted(CompareWhat::Weight) {
        rows.extend(by_kind(comparison).into_iter().map(|(kind, _, delta)| Row {
            what: "weight",
            change: "changed",
            name: kind.name().to_owned(),
            bytes_delta: Some(delta),
            ..Row::default()
        }));
    }
    if wanted(CompareWhat::Readings) {
        rows.extend(comparison.readings.iter().map(|change| Row {
            what: "reading",
            change: if change.not_comparable.is_some() { "not-comparable" } else { "changed" },
            name: change.what.to_string(),
            old_name: Some(change.old.to_string().into()),
            new_name: Some(change.new.to_string().into()),
            ..Row::default()
        }));
    }
    if wanted(CompareWhat::Packages) {
        rows.extend(packages(comparison));
    }
    rows
}

fn parts(comparison: &Comparison) -> impl Iterator<Item = Row<'_>> {
    comparison.parts.iter().map(|change| Row {
        what: "part",
        change: change.change.name(),
        name: change.part.to_string(),
        old_name: change.old_name.as_deref().map(Cow::from),
        old_version: change.old_version.as_deref(),
        new_name: change.new_name.as_deref().map(Cow::from),
        new_version: change.new_version.as_deref(),
        step: step(change.step),
        inherited: change.inherited,
        ..Row::default()
    })
}

fn applications(comparison: &Comparison) -> impl Iterator<Item = Row<'_>> {
    comparison.applications.iter().map(|change| {
        let came = if change.new_systems.is_empty() { &change.old_systems } else { &change.new_systems };
        let replaced = change.in_place_of.as_ref();
        Row {
            what: "application",
            change: change.change.name(),
            name: change.id.to_string(),
            system: systems(came),
            old_name: Some(replaced.map_or(&change.name, |side| &side.name).as_str().into()),
            old_version: replaced.map(|side| side.version.as_str()).or(change.old_version.as_deref()),
            new_name: Some(change.name.as_str().into()),
            new_version: change.new_version.as_deref(),
            step: step(change.step),
            menu: change.menu.name(),
            ..Row::default()
        }
    })
}

fn packages(comparison: &Comparison) -> impl Iterator<Item = Row<'_>> {
    comparison.packages.iter().map(|change| {
        let (old, new) = (change.old.as_ref(), change.new.as_ref());
        Row {
            what: "package",
            change: change.change.name(),
            name: new.or(old).map(|side| side.name.to_string()).unwrap_or_default(),
            system: change.system.name().to_owned(),
            old_name: old.map(|side| side.name.as_str().into()),
            old_version: old.map(|side| side.version.as_str()),
            new_name: new.map(|side| side.name.as_str().into()),
            new_version: new.map(|side| side.version.as_str()),
            step: step(change.step),
            kind: change.kind.name(),
            bytes_delta: change.bytes_delta,
            decision: change.decision.as_deref(),
            inherited: change.inherited,
            ..Row::default()
        }
    })
}
