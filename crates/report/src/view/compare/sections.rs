//! Defaults, decisions, repositories, startup items, looks, weight and readings of a comparison.

use super::CompareView;
use crate::document::{Column, Document, Line, Role, Span, Table};
use crate::text::{bytes_signed, count_of, figure, thousands};
use crate::view::{capital, dim, optional};
use crate::words;
use std::collections::BTreeMap;
use tally_core::compare::{Comparison, DecisionKind, ListChange, ListItem, PictureChange, PictureChangeKind};
use tally_core::model::{Kind, PackageRef, PictureKind};

pub(super) fn defaults(document: &mut Document, view: &CompareView<'_>) {
    document.heading("Default apps");
    let mut table = Table::new(vec![
        Column::new("").name(),
        Column::new("role").name(),
        Column::new("type").name(),
        Column::new("was").name(),
        Column::new("is").name(),
        Column::new("decided by").sentence().drops(1),
    ]);
    for change in &view.comparison.defaults {
        let (role, word) = words::default_change(change.change);
        table.row(vec![
            Span::new(role, word),
            view.roles.label(&change.role).into(),
            dim(words::asked(&change.asked)),
            change.old.as_deref().unwrap_or("none").into(),
            Span::new(role, change.new.as_deref().unwrap_or("none")),
            dim(words::decided(&change.decided)),
        ]);
    }
    document.table_or(table, view.none("No default app changed."));
}

pub(crate) const fn role_of(kind: DecisionKind) -> Role {
    match kind {
        DecisionKind::AddedOnPurpose | DecisionKind::NewDependency | DecisionKind::SharedAddition => {
            Role::Came
        }
        DecisionKind::DroppedOnPurpose | DecisionKind::DependencyLost | DecisionKind::SharedRemoval => {
            Role::Went
        }
    }
}

/// Decisions; with a limit the largest, and the command that shows the rest.
pub(super) fn decisions(document: &mut Document, view: &CompareView<'_>, limit: Option<usize>) {
    let totals = &view.comparison.totals;
    let list = &view.comparison.decisions;
    let explained = list.iter().map(|decision| decision.packages.len() as u64).sum::<u64>();
    let mut said = format!(
        "  {} explain {} that were added or removed",
        thousands(list.len() as u64),
        count_of(explained, "package"),
    );
    if totals.unexplained > 0 && !view.filtered {
        said.push_str(&format!("; {} unexplained", totals.unexplained));
    }
    let own = list.iter().filter(|decision| decision.inherited == Some(false)).count();
    if list.iter().any(|decision| decision.inherited.is_some()) {
        said.push_str(&format!("; {own} are the distribution's own, the others are inherited from the base"));
    }
    document.heading(Line::from("Decisions").and(dim(said)));
    let mut table = Table::new(vec![
        Column::new(""),
        Column::new("what").name(),
        Column::new("packages").right(),
        Column::new("on disk").right(),
        Column::new("because").sentence().drops(1),
    ]);
    // Whether the sizes of a decision's packages are recorded.
    let mut weighed: BTreeMap<&str, bool> = BTreeMap::new();
    for change in &view.comparison.packages {
        if let Some(decision) = &change.decision {
            *weighed.entry(decision).or_default() |= change.bytes_delta.is_some();
        }
    }
    let shown = limit.unwrap_or(usize::MAX);
    for decision in list.iter().take(shown) {
        let (role, said) = (role_of(decision.kind), words::decision_kind(decision.kind));
        let mut because = words::decision_reason(decision);
        if decision.inherited == Some(true) {
            because.push_str("; inherited from the base");
        }
        table.row(vec![
            Span::new(role, said),
            words::decision_names(&decision.names).into(),
            thousands(decision.packages.len() as u64).into(),
            // Sizes of packages that were removed earlier are not recorded.
            match weighed.get(decision.id.as_str()) {
                Some(false) => dim("unknown"),
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
    document.table_or(table, view.none("No package was added or removed."));
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
        let (role, word) = words::list_change(change.change);
        table.row(vec![
            Span::new(role, word),
            words::list_item(change).into(),
            value(change, change.old.as_deref()).into(),
            value(change, change.new.as_deref()).into(),
        ]);
    }
    document.table_or(table, nothing);
}

/// `Wallpapers: 3 new, 2 kept`; nothing where none are known on both sides.
pub(crate) fn wallpapers(comparison: &Comparison) -> Option<String> {
    let count = |kind: PictureChangeKind| {
        let is_it = |one: &&PictureChange| one.kind == PictureKind::Wallpaper && one.change == kind;
        comparison.pictures.iter().filter(is_it).count()
    };
    let counted = [
        (count(PictureChangeKind::New), "new"),
        (count(PictureChangeKind::Kept), "kept"),
        (count(PictureChangeKind::Alike), "the same made anew"),
        (count(PictureChangeKind::SameName), "other files of the same name"),
        (count(PictureChangeKind::Gone), "gone"),
    ];
    let there = counted.iter().filter(|(count, _)| *count > 0);
    let parts: Vec<String> = there.map(|(count, what)| format!("{count} {what}")).collect();
    (!parts.is_empty()).then(|| format!("Wallpapers: {}", parts.join(", ")))
}

/// Wallpapers and other pictures, by what happened to them.
pub(super) fn pictures(document: &mut Document, comparison: &Comparison) {
    document.heading("Pictures");
    if let Some(said) = wallpapers(comparison) {
        document.paragraph(said);
    }
    let mut table = Table::new(vec![
        Column::new(""),
        Column::new("what").drops(2),
        Column::new("name").name(),
        Column::new("before").name().drops(3),
        Column::new("package").name().drops(1),
    ]);
    for change in &comparison.pictures {
        let (role, word) = words::picture_change(change.change);
        table.row(vec![
            Span::new(role, word),
            dim(words::picture_kind(change.kind)),
            change.name.as_str().into(),
            change.old_name.as_deref().unwrap_or_default().into(),
            dim(change.package.as_ref().map_or("", PackageRef::name)),
        ]);
    }
    document.table_or(table, "No pictures are recorded on both sides: `take --pictures` reads them.");
}

/// A value of an item; wallpapers have a number of pictures.
fn value(change: &ListChange, value: Option<&str>) -> String {
    match (change.item, value) {
        (ListItem::Media, Some(name)) => words::media_value(name).to_owned(),
        (ListItem::Wallpapers, Some(count)) => format!("{count} files"),
        _ => optional(value),
    }
}

/// Changes of disk space by kind of package.
pub(super) fn by_kind(comparison: &Comparison) -> Vec<(Kind, u64, i64)> {
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
    document.heading("Disk space");
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
        let figure = |value: f64| figure(value, &change.unit);
        let label = words::measure(&change.what);
        let difference = match change.difference {
            None => String::new(),
            #[allow(clippy::cast_possible_truncation, reason = "casts of floats saturate")]
            Some(difference) if change.unit == "bytes" => bytes_signed(difference as i64),
            Some(difference) => format!("{:+}", (difference * 100.0).round() / 100.0),
        };
        let why = change
            .not_comparable
            .as_ref()
            .map(|why| format!("not comparable: {}", words::not_comparable(*why)))
            .unwrap_or_default();
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
