use super::CompareView;
use crate::document::{Block, Column, Document, Fact, Line, Role, Span, Table};
use crate::text::{bytes_human, bytes_signed, thousands};
use crate::view::{capital, dim, optional};
use crate::words;
use std::borrow::Cow;
use tally_core::compare::{
    ApplicationChange, ApplicationChangeKind, Comparison, Filling, KeyFigure, PackageChange,
    PackageChangeKind, PartChange, PartChangeKind, Section,
};
use tally_core::model::System;
use tally_core::version::Step;

pub(crate) fn step(step: Option<Step>) -> &'static str {
    step.map_or("", Step::name)
}

/// What it was and is: `4.0.3 → 4.2.1`; only what it is, where it is the same.
fn step_line(was: String, is: String, same: bool) -> Line {
    if same {
        return Line::from(is).and(dim(" unchanged"));
    }
    Line::from(dim(was)).and(dim(" → ")).and(Span::new(Role::Strong, is))
}

/// How much there is of what people count.
pub(crate) fn figures(comparison: &Comparison) -> Vec<Fact> {
    let totals = &comparison.totals;
    let lacks = |section| comparison.not_recorded.has(section);
    let mut facts = Vec::new();
    let mut add = |name: &str, section: &'static str, was: String, is: String, difference: String| {
        let same = was == is;
        let aside = if same { Line::default() } else { dim(difference).into() };
        facts.push(Fact { name: Span::from(name).leads_to(section), value: step_line(was, is, same), aside });
    };
    let numbers = |was: u32, is: u32| {
        let difference = i64::from(is) - i64::from(was);
        (thousands(was.into()), thousands(is.into()), format!("{difference:+}"))
    };
    let (was, is, difference) = numbers(totals.old_packages, totals.new_packages);
    add("Packages", "packages", was, is, difference);
    if !lacks(Section::Programs) {
        let (was, is, difference) = numbers(totals.old_applications, totals.new_applications);
        add("Programs", "programs", was, is, difference);
    }
    if !lacks(Section::Sizes) {
        let share = |part: i128| part * 100 / i128::from(totals.old_bytes.max(1));
        let difference = share(i128::from(totals.new_bytes) - i128::from(totals.old_bytes));
        let said = if totals.old_bytes == 0 { String::new() } else { format!("{difference:+}%") };
        add("On disk", "weight", bytes_human(totals.old_bytes), bytes_human(totals.new_bytes), said);
    }
    if !lacks(Section::Startup) {
        let (was, is, difference) = numbers(totals.old_startup, totals.new_startup);
        add("Startup items", "startup", was, is, difference);
    }
    facts
}

/// Versions that people ask for first, on both sides; what has several stands under one name.
pub(crate) fn key_versions(comparison: &Comparison) -> Vec<Fact> {
    let told = |filling: &Option<Filling>| match filling {
        Some(filling) => said(Some(&filling.name), filling.version.as_deref().map(words::display)),
        None => "none".to_owned(),
    };
    let mut previous = String::new();
    let fact = |figure: &KeyFigure| {
        let called =
            if figure.about == "session" { "Default session".to_owned() } else { capital(&figure.label) };
        let name = if called == previous { String::new() } else { called.clone() };
        previous = called;
        let is = match (&figure.was, &figure.is) {
            (Some(was), Some(is)) if was.name == is.name && !figure.same => is
                .version
                .as_deref()
                .map_or_else(|| is.name.to_string(), |version| words::display(version).to_owned()),
            (_, is) => told(is),
        };
        let section = if figure.about.starts_with("role:") { "defaults" } else { "parts" };
        Fact {
            name: Span::from(name).leads_to(section),
            value: step_line(told(&figure.was), is, figure.same),
            aside: Line::default(),
        }
    };
    comparison.key_figures.iter().map(fact).collect()
}

/// The few lines that matter most, numbered.
pub(crate) fn headlines(document: &mut Document, view: &CompareView<'_>) {
    let lines: Vec<Line> = view
        .comparison
        .headlines
        .iter()
        .map(|headline| {
            let role = match headline.rule.as_str() {
                "application-new" => Role::Came,
                "application-gone" | "default-lost" => Role::Went,
                "agent-added" | "repository-added" => Role::LookTwice,
                _ => Role::Plain,
            };
            let section = match headline.about.split(':').next().unwrap_or_default() {
                "role" => "defaults",
                "part" => "parts",
                "application" => "programs",
                "decision" => "decisions",
                "repository" => "repositories",
                "startup" => "startup",
                "weight" => "weight",
                _ => "",
            };
            // A decision has a place of its own.
            let place = match headline.about.strip_prefix("decision:") {
                Some(decision) => Cow::from(format!("decision-{decision}")),
                None => section.into(),
            };
            Line::from(Span::new(role, words::headline(&headline.news)).leads_to(place))
        })
        .collect();
    if lines.is_empty() {
        document.paragraph("Nothing of note changed.");
    } else {
        document.push(Block::Ranked(lines));
    }
}

/// Parts; with `all` the unchanged ones too.
pub(super) fn parts(document: &mut Document, view: &CompareView<'_>, all: bool) {
    let changes = &view.comparison.parts;
    let shown: Vec<&PartChange> =
        changes.iter().filter(|c| all || c.change != PartChangeKind::Same).collect();
    let same = changes.iter().filter(|c| c.change == PartChangeKind::Same).count();
    document.heading(
        Line::from("Under the hood")
            .and(dim(format!("  {} changed, {same} unchanged", changes.len() - same))),
    );
    let mut table = Table::new(vec![
        Column::new("part").name(),
        Column::new("was"),
        Column::new("is"),
        Column::new("").drops(1),
    ]);
    for change in shown {
        let sides = (
            said(change.old_name.as_deref(), change.old_version.as_deref()),
            said(change.new_name.as_deref(), change.new_version.as_deref()),
        );
        let (old, new) = match change.change {
            PartChangeKind::Added => ("none".to_owned(), sides.1),
            PartChangeKind::Removed => (sides.0, "none".to_owned()),
            PartChangeKind::Same => (sides.0, "unchanged".to_owned()),
            PartChangeKind::Replaced => sides,
            _ => (sides.0, optional(change.new_version.as_deref())),
        };
        let (role, word) = words::part_change(change.change);
        let remark = match change.change {
            PartChangeKind::Upgraded => Span::new(role, step(change.step)),
            PartChangeKind::Downgraded => Span::new(role, format!("{word}, {}", step(change.step))),
            PartChangeKind::Same => Span::default(),
            PartChangeKind::Added
            | PartChangeKind::Removed
            | PartChangeKind::Replaced
            | PartChangeKind::OtherNumbering => Span::new(role, word),
        };
        table.row(vec![view.rules.label(&change.part).into(), old.into(), Span::new(role, new), remark]);
    }
    document.table_or(table, view.none("No part differs."));
}

fn said(name: Option<&str>, version: Option<&str>) -> String {
    [name, version].into_iter().flatten().collect::<Vec<_>>().join(" ")
}

pub(crate) fn systems(systems: &[System]) -> String {
    if systems.is_empty() {
        return "no package".to_owned();
    }
    words::systems(systems)
}

pub(super) fn applications(document: &mut Document, view: &CompareView<'_>) {
    let changes = &view.comparison.applications;
    document.heading("Programs");
    let mut table = Table::new(vec![
        Column::new(""),
        Column::new("program").name(),
        Column::new("was"),
        Column::new("is"),
        Column::new("").drops(2),
        Column::new("menu").drops(1),
    ]);
    for change in changes {
        let (old, new) = sides(change);
        let (role, word) = words::application_change(change.change);
        let menu = match change.old_menu {
            Some(old) => format!("{old} → {}", change.menu),
            None => change.menu.name().to_owned(),
        };
        table.row(vec![
            Span::new(role, word),
            change.name.as_str().into(),
            old.into(),
            new.into(),
            dim(step(change.step)),
            menu.into(),
        ]);
    }
    document.table_or(table, view.none("No program differs."));
}

/// Versions, with the package system where that is what changed.
pub(crate) fn sides(change: &ApplicationChange) -> (String, String) {
    let (old, new) = (optional(change.old_version.as_deref()), optional(change.new_version.as_deref()));
    match change.change {
        ApplicationChangeKind::Replaced => {
            let before = change.in_place_of.as_ref();
            (before.map(|side| format!("{} {}", side.name, side.version)).unwrap_or_default(), new)
        }
        ApplicationChangeKind::FormatChanged => (
            format!("{old} {}", systems(&change.old_systems)).trim().to_owned(),
            format!("{new} {}", systems(&change.new_systems)).trim().to_owned(),
        ),
        _ => (old, new),
    }
}

/// Packages, one kind of change after another.
pub(super) fn packages(document: &mut Document, view: &CompareView<'_>) {
    document.heading("Packages");
    let mut table = Table::new(vec![
        Column::new("package").name(),
        Column::new("was"),
        Column::new("is"),
        Column::new("").drops(1),
        Column::new("on disk").right().drops(2),
    ]);
    for kind in PackageChangeKind::ALL {
        let changes: Vec<&PackageChange> =
            view.comparison.packages.iter().filter(|c| c.change == *kind).collect();
        if changes.is_empty() {
            continue;
        }
        let ((role, _), title) = (words::package_change(*kind), words::package_change_title(*kind));
        table.group(Line::from(Span::new(role, title)).and(dim(format!("  {}", changes.len()))));
        for change in changes {
            table.row(package_row(change));
        }
    }
    document.table_or(table, view.none("No package differs."));
}

fn package_row(change: &PackageChange) -> Vec<Span> {
    let version = |side: &Option<tally_core::compare::NameAndVersion>| {
        side.as_ref().map(|s| s.version.to_string()).unwrap_or_default()
    };
    let name_of =
        |side: &'_ Option<tally_core::compare::NameAndVersion>| side.as_ref().map(|s| s.name.to_string());
    let name = match (name_of(&change.old), name_of(&change.new)) {
        (Some(old), Some(new)) if old != new => format!("{old} → {new}"),
        (old, new) => new.or(old).unwrap_or_default(),
    };
    let delta = change.bytes_delta.filter(|delta| *delta != 0).map(bytes_signed).unwrap_or_default();
    vec![
        name.into(),
        version(&change.old).into(),
        version(&change.new).into(),
        dim(step(change.step)),
        delta.into(),
    ]
}
