//! Defaults, decisions, repositories, startup items, looks, weight and readings of a comparison.

use super::tables::flag;
use super::{CompareView, CompareWhat};
use crate::document::{Column, Document, Line, Role, Span, Table};
use crate::text::{bytes_human, bytes_signed, count_of, thousands};
use crate::view::{capital, dim, optional};
use crate::wire::CsvTable;
use std::collections::BTreeMap;
use tally_core::compare::{Comparison, Decision, DecisionSort, DefaultSort, ListChange, ListSort};
use tally_core::model::{Kind, MEASURES};

pub(super) fn defaults(document: &mut Document, view: &CompareView<'_>) {
    document.heading("Opens with");
    let mut table = Table::new(vec![
        Column::new("").name(),
        Column::new("job").name(),
        Column::new("asked").name(),
        Column::new("was").name(),
        Column::new("is").name(),
        Column::new("because").sentence().drops(1),
    ]);
    for change in &view.comparison.defaults {
        let (role, word) = match change.sort {
            DefaultSort::Replaced => (Role::Changed, "replaced"),
            DefaultSort::DefaultChanged => (Role::Changed, "changed"),
            DefaultSort::NowEmpty => (Role::Went, "now empty"),
            DefaultSort::NowFilled => (Role::Came, "now filled"),
            DefaultSort::NowUnsure => (Role::LookTwice, "now unsure"),
        };
        table.row(vec![
            Span::new(role, word),
            view.roles.label(&change.role).into(),
            dim(&change.asked),
            change.old.as_deref().unwrap_or("nothing").into(),
            Span::new(role, change.new.as_deref().unwrap_or("nothing")),
            dim(&change.how),
        ]);
    }
    document.table_or(table, view.none("What opens what did not change."));
}

fn word(decision: &Decision) -> (Role, &'static str) {
    match decision.sort {
        DecisionSort::PutIn => (Role::Came, "put in"),
        DecisionSort::TakenOut => (Role::Went, "taken out"),
        DecisionSort::NewlyNeeded => (Role::Came, "needed now"),
        DecisionSort::NoLongerNeeded => (Role::Went, "needed no longer"),
        DecisionSort::SharedNew => (Role::Came, "shared, came"),
        DecisionSort::SharedOld => (Role::Went, "shared, went"),
    }
}

/// Decisions; with a limit the weightiest, and the command that shows the rest.
pub(super) fn decisions(document: &mut Document, view: &CompareView<'_>, limit: Option<usize>) {
    let totals = &view.comparison.totals;
    let list = &view.comparison.decisions;
    let explained = list.iter().map(|decision| decision.packages.len() as u64).sum::<u64>();
    let mut said = format!(
        "  {} explain {} that came or went",
        thousands(list.len() as u64),
        count_of(explained, "package"),
    );
    if totals.unexplained > 0 && !view.filtered {
        said.push_str(&format!("; {} unexplained", totals.unexplained));
    }
    let own = list.iter().filter(|decision| decision.inherited == Some(false)).count();
    if list.iter().any(|decision| decision.inherited.is_some()) {
        said.push_str(&format!("; {own} are their own, the rest came with the base"));
    }
    document.heading(Line::from("Decisions").and(dim(said)));
    let mut table = Table::new(vec![
        Column::new(""),
        Column::new("what").name(),
        Column::new("packages").right(),
        Column::new("on disk").right(),
        Column::new("because").sentence().drops(1),
    ]);
    // Whether anything tells how big the packages of a decision are.
    let mut weighed: BTreeMap<&str, bool> = BTreeMap::new();
    for change in &view.comparison.packages {
        if let Some(decision) = &change.decision {
            *weighed.entry(decision).or_default() |= change.bytes_delta.is_some();
        }
    }
    let shown = limit.unwrap_or(usize::MAX);
    for decision in list.iter().take(shown) {
        let (role, said) = word(decision);
        let mut because = decision.because.to_string();
        if decision.inherited == Some(true) {
            because.push_str("; the base did so too");
        }
        table.row(vec![
            Span::new(role, said),
            decision.what.as_str().into(),
            thousands(decision.packages.len() as u64).into(),
            // Of what is long gone nothing tells how big it was.
            match weighed.get(decision.id.as_str()) {
                Some(false) => dim("untold"),
                _ => bytes_signed(decision.bytes_delta).into(),
            },
            dim(because),
        ]);
        if limit.is_none() && decision.packages.len() > 1 {
            let names: Vec<&str> = decision
                .packages
                .iter()
                .filter(|package| Some(*package) != decision.head.as_ref())
                .map(|package| package.name())
                .collect();
            table.note(dim(names.join(", ")));
        }
    }
    document.table_or(table, view.none("No package came or went."));
    if let Some(left) = list.len().checked_sub(shown).filter(|left| *left > 0) {
        let more = count_of(left as u64, "more decision");
        document.paragraph(dim(format!("and {more}: `{} --view decisions`", view.command)));
    }
}

pub(super) fn list(document: &mut Document, title: &str, nothing: &str, changes: &[ListChange]) {
    document.heading(title);
    let mut table = Table::new(vec![
        Column::new(""),
        Column::new("what").name(),
        Column::new("was").sentence(),
        Column::new("is").sentence(),
    ]);
    for change in changes {
        let (role, word) = match change.sort {
            ListSort::Added => (Role::Came, "came"),
            ListSort::Removed => (Role::Went, "went"),
            ListSort::Changed => (Role::Changed, "changed"),
        };
        table.row(vec![
            Span::new(role, word),
            change.name.as_str().into(),
            optional(change.old.as_deref()).into(),
            optional(change.new.as_deref()).into(),
        ]);
    }
    document.table_or(table, nothing);
}

/// Changes of weight by kind of package.
fn by_kind(comparison: &Comparison) -> Vec<(Kind, u64, i64)> {
    let mut kinds: BTreeMap<Kind, (u64, i64)> = BTreeMap::new();
    for change in &comparison.packages {
        let entry = kinds.entry(change.kind).or_default();
        *entry = (entry.0 + 1, entry.1.saturating_add(change.bytes_delta.unwrap_or(0)));
    }
    let mut kinds: Vec<(Kind, u64, i64)> =
        kinds.into_iter().map(|(kind, (n, delta))| (kind, n, delta)).collect();
    kinds.sort_by_key(|(kind, _, delta)| (std::cmp::Reverse(delta.unsigned_abs()), *kind));
    kinds
}

pub(super) fn weight(document: &mut Document, view: &CompareView<'_>) {
    document.heading("Weight");
    let mut table = Table::new(vec![
        Column::new("kind").name(),
        Column::new("changes").right(),
        Column::new("on disk").right(),
    ]);
    for (kind, changes, delta) in by_kind(view.comparison) {
        let role = if delta > 0 { Role::Came } else { Role::Went };
        table.row(vec![
            capital(kind.name()).into(),
            thousands(changes).into(),
            Span::new(role, bytes_signed(delta)),
        ]);
    }
    document.table_or(table, view.none("No package differs."));
}

pub(super) fn readings(document: &mut Document, view: &CompareView<'_>) {
    document.heading("Readings");
    let mut table = Table::new(vec![
        Column::new("figure").name(),
        Column::new("was").right(),
        Column::new("is").right(),
        Column::new("difference").right(),
        Column::new("").sentence(),
    ]);
    for change in &view.comparison.readings {
        let figure = |value: f64| match change.unit.as_str() {
            #[allow(
                clippy::cast_possible_truncation,
                clippy::cast_sign_loss,
                reason = "casts of floats saturate"
            )]
            "bytes" => bytes_human(value.max(0.0) as u64),
            "seconds" => format!("{value:.0} s"),
            _ => format!("{}", (value * 100.0).round() / 100.0),
        };
        let label = MEASURES.iter().find(|m| m.what == change.what).map_or(change.what.as_str(), |m| m.label);
        let difference = match change.difference {
            None => String::new(),
            #[allow(clippy::cast_possible_truncation, reason = "casts of floats saturate")]
            Some(difference) if change.unit == "bytes" => bytes_signed(difference as i64),
            Some(difference) => format!("{:+}", (difference * 100.0).round() / 100.0),
        };
        let why =
            change.not_comparable.as_ref().map(|why| format!("not comparable: {why}")).unwrap_or_default();
        table.row(vec![
            label.into(),
            figure(change.old).into(),
            figure(change.new).into(),
            difference.into(),
            Span::new(Role::LookTwice, why),
        ]);
    }
    document.table_or(table, view.none("Nothing was measured on both sides."));
}

/// Rows of everything that is neither part, application nor package.
pub(super) fn csv(table: &mut CsvTable, comparison: &Comparison, wanted: impl Fn(CompareWhat) -> bool) {
    let mut row =
        |what: &str, sort: &str, name: &str, old: &str, new: &str, delta: String, rest: [String; 2]| {
            let [decision, inherited] = rest;
            let mut cells = vec![what.to_owned(), sort.to_owned(), name.to_owned(), String::new()];
            cells.extend([old.to_owned(), String::new(), new.to_owned(), String::new()]);
            cells.extend([String::new(), String::new(), String::new(), delta, decision, inherited]);
            table.row(cells);
        };
    if wanted(CompareWhat::Defaults) {
        for c in &comparison.defaults {
            let (old, new) = (optional(c.old.as_deref()), optional(c.new.as_deref()));
            let name = format!("{} {}", c.role, c.asked);
            row(
                "default",
                c.sort.name(),
                &name,
                &old,
                &new,
                String::new(),
                [String::new(), flag(c.inherited)],
            );
        }
    }
    if wanted(CompareWhat::Decisions) {
        for d in &comparison.decisions {
            let rest = [d.id.to_string(), flag(d.inherited)];
            row("decision", d.sort.name(), &d.what, "", "", d.bytes_delta.to_string(), rest);
        }
    }
    for (view, what, list) in [
        (CompareWhat::Repositories, "repository", &comparison.repositories),
        (CompareWhat::Startup, "startup", &comparison.startup),
        (CompareWhat::Looks, "look", &comparison.looks),
    ] {
        if wanted(view) {
            for c in list {
                let (old, new) = (optional(c.old.as_deref()), optional(c.new.as_deref()));
                row(
                    what,
                    c.sort.name(),
                    &c.name,
                    &old,
                    &new,
                    String::new(),
                    [String::new(), flag(c.inherited)],
                );
            }
        }
    }
    if wanted(CompareWhat::Weight) {
        for (kind, _, delta) in by_kind(comparison) {
            row("weight", "changed", kind.name(), "", "", delta.to_string(), [String::new(), String::new()]);
        }
    }
    if wanted(CompareWhat::Readings) {
        for c in &comparison.readings {
            let sort = if c.not_comparable.is_some() { "not-comparable" } else { "changed" };
            let (old, new) = (c.old.to_string(), c.new.to_string());
            row("reading", sort, &c.what, &old, &new, String::new(), [String::new(), String::new()]);
        }
    }
}
