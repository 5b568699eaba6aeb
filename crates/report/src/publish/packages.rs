//! All packages in one table that a page searches, sorts and filters.

use crate::document::{Block, Column, Span, Table};
use crate::text::{bytes_human, bytes_signed};
use crate::view::{dim, step};
use crate::words;
use std::collections::HashMap;
use tally_core::compare::{Comparison, PackageChange};
use tally_core::model::{PackageRef, Tally};

/// The menu that a package is in, by its reference.
fn menus(tallies: &[&Tally]) -> HashMap<PackageRef, &'static str> {
    let mut menus = HashMap::new();
    for tally in tallies {
        for application in &tally.applications {
            for delivery in &application.delivered {
                menus.insert(delivery.reference(), application.menu.name());
            }
        }
    }
    menus
}

/// What changed, one row a package.
pub(super) fn of_comparison((old, new): (&Tally, &Tally), comparison: &Comparison) -> Vec<Block> {
    let menus = menus(&[old, new]);
    let mut table = Table::new(vec![
        Column::new("package").name(),
        Column::new("change"),
        Column::new("was"),
        Column::new("is"),
        Column::new("step"),
        Column::new("kind"),
        Column::new("menu"),
        Column::new("on disk").right(),
    ]);
    table.filters = vec!["change", "kind", "menu"];
    for change in &comparison.packages {
        table.row(row(change, &menus));
    }
    if table.rows.is_empty() {
        return vec![Block::Paragraph(dim("No package differs.").into())];
    }
    vec![Block::Table(table)]
}

fn row(change: &PackageChange, menus: &HashMap<PackageRef, &'static str>) -> Vec<Span> {
    let sides = [&change.old, &change.new].map(Option::as_ref);
    let name = match sides.map(|side| side.map(|side| side.name.as_str())) {
        [Some(old), Some(new)] if old != new => format!("{old} → {new}"),
        [old, new] => new.or(old).unwrap_or_default().to_owned(),
    };
    let version = |side: Option<&tally_core::compare::NameAndVersion>| {
        Span::from(side.map(|side| side.version.to_string()).unwrap_or_default())
    };
    let menu =
        sides.into_iter().flatten().find_map(|side| menus.get(&PackageRef::new(change.system, &side.name)));
    let (role, word) = words::package_change(change.change);
    let delta = change.bytes_delta.filter(|delta| *delta != 0).map(bytes_signed).unwrap_or_default();
    let [old, new] = sides;
    vec![
        name.into(),
        Span::new(role, word),
        version(old),
        version(new),
        dim(step(change.step)),
        change.kind.name().into(),
        menu.copied().unwrap_or_default().into(),
        delta.into(),
    ]
}

/// What is there, one row a package.
pub(super) fn of_install(tally: &Tally) -> Vec<Block> {
    let menus = menus(&[tally]);
    let mut table = Table::new(vec![
        Column::new("package").name(),
        Column::new("version"),
        Column::new("kind"),
        Column::new("reason"),
        Column::new("menu"),
        Column::new("on disk").right(),
        Column::new("summary").sentence(),
        Column::new("read from").name(),
    ]);
    table.filters = vec!["kind", "reason", "menu"];
    for package in tally.present() {
        table.row(vec![
            package.name.as_str().into(),
            package.version.as_str().into(),
            package.kind.name().into(),
            package.reason.name().into(),
            menus.get(&package.reference()).copied().unwrap_or_default().into(),
            package.installed_bytes.map(bytes_human).unwrap_or_default().into(),
            dim(package.summary.as_str()),
            dim(package.evidence.place()),
        ]);
    }
    if table.rows.is_empty() {
        return vec![Block::Paragraph(dim("No package was found.").into())];
    }
    vec![Block::Table(table)]
}
