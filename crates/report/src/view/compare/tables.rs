use super::CompareView;
use crate::document::{Block, Column, Document, Line, Role, Span, Table};
use crate::text::bytes_signed;
use crate::view::{dim, optional};
use crate::wire::CsvTable;
use tally_core::compare::{
    ApplicationChange, ApplicationSort, Comparison, PackageChange, PackageSort, PartChange, PartSort,
};
use tally_core::model::System;
use tally_core::version::Step;

fn step(step: Option<Step>) -> &'static str {
    step.map_or("", Step::name)
}

/// The few lines that matter most, numbered.
pub(super) fn headlines(document: &mut Document, view: &CompareView<'_>) {
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
            Line::from(Span::new(role, headline.text.as_str()).leads_to(section))
        })
        .collect();
    if lines.is_empty() {
        document.paragraph("Nothing that makes a headline.");
    } else {
        document.push(Block::Ranked(lines));
    }
}

/// Parts; with `all` the unchanged ones too.
pub(super) fn parts(document: &mut Document, view: &CompareView<'_>, all: bool) {
    let changes = &view.comparison.parts;
    let shown: Vec<&PartChange> = changes.iter().filter(|c| all || c.sort != PartSort::Same).collect();
    let same = changes.iter().filter(|c| c.sort == PartSort::Same).count();
    document.heading(
        Line::from("Underneath").and(dim(format!("  {} changed, {same} same", changes.len() - same))),
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
        let (old, new) = match change.sort {
            PartSort::New => ("none".to_owned(), sides.1),
            PartSort::Gone => (sides.0, "none".to_owned()),
            PartSort::Same => (sides.0, "same".to_owned()),
            PartSort::Replaced => sides,
            _ => (sides.0, optional(change.new_version.as_deref())),
        };
        let role = role_of_part(change.sort);
        let word = match change.sort {
            PartSort::Upgraded => Span::new(role, step(change.step)),
            PartSort::Downgraded => Span::new(Role::LookTwice, format!("downgraded, {}", step(change.step))),
            PartSort::Same => Span::default(),
            sort => Span::new(role, sort.name()),
        };
        table.row(vec![view.rules.label(&change.part).into(), old.into(), Span::new(role, new), word]);
    }
    document.table_or(table, view.none("No part differs."));
}

fn said(name: Option<&str>, version: Option<&str>) -> String {
    [name, version].into_iter().flatten().collect::<Vec<_>>().join(" ")
}

fn role_of_part(sort: PartSort) -> Role {
    match sort {
        PartSort::New => Role::Came,
        PartSort::Gone => Role::Went,
        PartSort::Same => Role::Plain,
        PartSort::Replaced | PartSort::Upgraded | PartSort::Downgraded => Role::Changed,
    }
}

fn systems(systems: &[System]) -> String {
    if systems.is_empty() {
        return "no package".to_owned();
    }
    systems.iter().map(|system| system.name()).collect::<Vec<_>>().join(" and ")
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
        let (role, word) = match change.sort {
            ApplicationSort::New => (Role::Came, "new"),
            ApplicationSort::Gone => (Role::Went, "gone"),
            ApplicationSort::MovedFormat => (Role::Changed, "another format"),
            ApplicationSort::Updated => (Role::Changed, "updated"),
            ApplicationSort::MovedMenu => (Role::Changed, "another menu"),
            ApplicationSort::Replaced => (Role::Changed, "replaced"),
            ApplicationSort::Shown => (Role::Came, "shown now"),
            ApplicationSort::Hidden => (Role::Went, "hidden now"),
        };
        let menu = match change.old_menu {
            Some(old) => format!("{} to {}", old, change.menu),
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
fn sides(change: &ApplicationChange) -> (String, String) {
    let (old, new) = (optional(change.old_version.as_deref()), optional(change.new_version.as_deref()));
    match change.sort {
        ApplicationSort::Replaced => {
            let before = change.in_place_of.as_ref();
            (before.map(|side| format!("{} {}", side.name, side.version)).unwrap_or_default(), new)
        }
        ApplicationSort::MovedFormat => (
            format!("{old} {}", systems(&change.old_systems)).trim().to_owned(),
            format!("{new} {}", systems(&change.new_systems)).trim().to_owned(),
        ),
        _ => (old, new),
    }
}

/// Packages, sort by sort.
pub(super) fn packages(document: &mut Document, view: &CompareView<'_>) {
    document.heading("Packages");
    let mut table = Table::new(vec![
        Column::new("package").name(),
        Column::new("was"),
        Column::new("is"),
        Column::new("").drops(1),
        Column::new("on disk").right().drops(2),
    ]);
    for sort in PackageSort::ALL {
        let of_sort: Vec<&PackageChange> =
            view.comparison.packages.iter().filter(|c| c.sort == *sort).collect();
        if of_sort.is_empty() {
            continue;
        }
        let (role, word) = words(*sort);
        table.group(Line::from(Span::new(role, word)).and(dim(format!("  {}", of_sort.len()))));
        for change in of_sort {
            table.row(package_row(change));
        }
    }
    document.table_or(table, view.none("No package differs."));
}

fn package_row(change: &PackageChange) -> Vec<Span> {
    let version = |side: &Option<tally_core::compare::Side>| {
        side.as_ref().map(|s| s.version.to_string()).unwrap_or_default()
    };
    let name_of = |side: &'_ Option<tally_core::compare::Side>| side.as_ref().map(|s| s.name.to_string());
    let name = match (name_of(&change.old), name_of(&change.new)) {
        (Some(old), Some(new)) if old != new => format!("{old} to {new}"),
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

fn words(sort: PackageSort) -> (Role, &'static str) {
    match sort {
        PackageSort::Added => (Role::Came, "Added"),
        PackageSort::Removed => (Role::Went, "Removed"),
        PackageSort::Upgraded => (Role::Changed, "Upgraded"),
        PackageSort::Downgraded => (Role::LookTwice, "Downgraded"),
        PackageSort::Rebuilt => (Role::Changed, "Rebuilt: same upstream version, other packaging"),
        PackageSort::Renamed => (Role::Changed, "Renamed, as they declare"),
        PackageSort::Renumbered => (Role::Changed, "Renumbered: another series in the name"),
        PackageSort::Split => (Role::Changed, "Split off"),
        PackageSort::Merged => (Role::Changed, "Merged"),
        PackageSort::MovedFormat => (Role::Changed, "In another format"),
        PackageSort::ArchChanged => (Role::Changed, "For another architecture"),
        PackageSort::ReasonChanged => (Role::Changed, "Chosen now and not before, or the other way"),
    }
}

pub(super) fn parts_csv(table: &mut CsvTable, comparison: &Comparison) {
    for change in &comparison.parts {
        table.row(vec![
            "part".into(),
            change.sort.name().into(),
            change.part.to_string(),
            String::new(),
            optional(change.old_name.as_deref()),
            optional(change.old_version.as_deref()),
            optional(change.new_name.as_deref()),
            optional(change.new_version.as_deref()),
            step(change.step).into(),
            String::new(),
            String::new(),
            String::new(),
            String::new(),
            flag(change.inherited),
        ]);
    }
}

/// `true`, `false`, or nothing where there is no base.
pub(super) fn flag(inherited: Option<bool>) -> String {
    inherited.map(|flag| flag.to_string()).unwrap_or_default()
}

pub(super) fn applications_csv(table: &mut CsvTable, comparison: &Comparison) {
    for change in &comparison.applications {
        table.row(vec![
            "application".into(),
            change.sort.name().into(),
            change.id.to_string(),
            if change.new_systems.is_empty() {
                systems(&change.old_systems)
            } else {
                systems(&change.new_systems)
            },
            change.in_place_of.as_ref().map_or_else(|| change.name.to_string(), |side| side.name.to_string()),
            optional(
                change
                    .in_place_of
                    .as_ref()
                    .map(|side| side.version.as_str())
                    .or(change.old_version.as_deref()),
            ),
            change.name.to_string(),
            optional(change.new_version.as_deref()),
            step(change.step).into(),
            String::new(),
            change.menu.name().into(),
            String::new(),
            String::new(),
            String::new(),
        ]);
    }
}

pub(super) fn packages_csv(table: &mut CsvTable, comparison: &Comparison) {
    for change in &comparison.packages {
        let side = |side: &Option<tally_core::compare::Side>| {
            side.as_ref().map(|s| (s.name.to_string(), s.version.to_string())).unwrap_or_default()
        };
        let ((old_name, old_version), (new_name, new_version)) = (side(&change.old), side(&change.new));
        table.row(vec![
            "package".into(),
            change.sort.name().into(),
            if new_name.is_empty() { old_name.clone() } else { new_name.clone() },
            change.system.name().into(),
            old_name,
            old_version,
            new_name,
            new_version,
            step(change.step).into(),
            change.kind.name().into(),
            String::new(),
            change.bytes_delta.map(|d| d.to_string()).unwrap_or_default(),
            optional(change.decision.as_deref()),
            flag(change.inherited),
        ]);
    }
}
