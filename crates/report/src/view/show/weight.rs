use crate::document::{Column, Document, Table};
use crate::text::{bytes_human, megabytes, thousands};
use crate::view::{capital, dim};
use crate::wire::CsvTable;
use serde::Serialize;
use std::collections::BTreeMap;
use tally_core::model::{Application, Delivery, Kind, Menu, MissingFact, Package, System, Tally};
use tally_core::weigh::choices;

/// Applications, choices and packages that the table names.
const HEAVIEST: usize = 12;

/// One line of the account.
#[derive(Debug, Clone, Serialize)]
pub(super) struct Weight {
    by: &'static str,
    name: String,
    packages: u64,
    bytes: u64,
}

/// The account by kind, menu, application, choice and package, each heaviest first.
pub(super) fn account(tally: &Tally) -> Vec<Weight> {
    let mut kinds: BTreeMap<Kind, (u64, u64)> = BTreeMap::new();
    for package in tally.present() {
        let entry = kinds.entry(package.kind).or_default();
        *entry = (entry.0 + 1, entry.1.saturating_add(package.installed_bytes.unwrap_or(0)));
    }
    let mut companions: BTreeMap<(System, &str), u64> = BTreeMap::new();
    for package in tally.present() {
        if let Some(of) = &package.companion_of {
            *companions.entry((package.system, of)).or_default() += 1;
        }
    }
    // As many as the bytes are of: what it came in, and what accompanies that.
    let packages = |application: &Application| -> u64 {
        let beside = |d: &Delivery| companions.get(&(d.system, d.package.as_str())).copied().unwrap_or(0);
        application.delivered.iter().map(|delivery| 1 + beside(delivery)).sum()
    };
    let mut menus: BTreeMap<Menu, (u64, u64)> = BTreeMap::new();
    for application in &tally.applications {
        let entry = menus.entry(application.menu).or_default();
        *entry = (entry.0 + packages(application), entry.1.saturating_add(application.bytes.unwrap_or(0)));
    }
    let weight = |by, name: &str, packages, bytes| Weight { by, name: name.to_owned(), packages, bytes };
    let by_kind = kinds.into_iter().map(|(kind, (n, bytes))| weight("kind", kind.name(), n, bytes)).collect();
    let by_menu = menus.into_iter().map(|(menu, (n, bytes))| weight("menu", menu.name(), n, bytes)).collect();
    let by_application = tally
        .applications
        .iter()
        .map(|a| weight("application", &a.name, packages(a), a.bytes.unwrap_or(0)))
        .collect();
    let by_package = tally
        .present()
        .map(|p: &Package| weight("package", &p.name, 1, p.installed_bytes.unwrap_or(0)))
        .collect();
    let mut all: Vec<Weight> = Vec::new();
    for mut list in [by_kind, by_menu, by_application, by_choice(tally), by_package] {
        let list: &mut Vec<Weight> = &mut list;
        list.sort_by(|a, b| b.bytes.cmp(&a.bytes).then_with(|| a.name.cmp(&b.name)));
        all.append(list);
    }
    all
}

/// What each choice brings along; what several bring, and what none does, as a line each.
fn by_choice(tally: &Tally) -> Vec<Weight> {
    let found = choices(tally);
    let weight = |name: String, (packages, bytes): (u64, u64)| Weight { by: "choice", name, packages, bytes };
    let mut lines: Vec<Weight> = found
        .choices
        .iter()
        .map(|choice| {
            let name = choice.package.name();
            let name = match &choice.through {
                Some(meta) => format!("{name}, through {}", meta.name()),
                None => name.to_owned(),
            };
            weight(name, (choice.packages, choice.bytes))
        })
        .collect();
    for (name, sum) in [("(shared by several)", found.shared), ("(no choice brings it)", found.unexplained)] {
        if sum.0 > 0 {
            lines.push(weight(name.to_owned(), sum));
        }
    }
    lines
}

pub(super) fn document(tally: &Tally) -> Document {
    let mut document = Document::default();
    document.title(tally.label.title(), tally.label.seen_as());
    if tally.lacks(MissingFact::Sizes) {
        document.paragraph("How big packages are can't be told from this source.");
        return document;
    }
    let total = tally.installed_bytes();
    document.paragraph(format!("{} on disk, as the packages state it", bytes_human(total)));
    let mut table = Table::new(vec![
        Column::new("").name(),
        Column::new("packages").right().drops(1),
        Column::new("MB").right(),
        Column::new("share").right(),
    ]);
    let account = account(tally);
    for (by, title) in [
        ("kind", "By kind"),
        ("menu", "By menu"),
        ("application", "Heaviest programs, with what accompanies them"),
        ("choice", "Heaviest choices, with all that is there for their sake alone"),
        ("package", "Heaviest packages"),
    ] {
        let limit = if matches!(by, "kind" | "menu") { usize::MAX } else { HEAVIEST };
        let shown: Vec<&Weight> = account.iter().filter(|weight| weight.by == by).take(limit).collect();
        if shown.is_empty() {
            continue;
        }
        table.group(title);
        for weight in shown {
            let share = (u128::from(weight.bytes) * 1000).checked_div(u128::from(total)).unwrap_or(0);
            let name =
                if matches!(by, "kind" | "menu") { capital(&weight.name) } else { weight.name.clone() };
            table.row(vec![
                name.into(),
                thousands(weight.packages).into(),
                megabytes(weight.bytes).into(),
                dim(format!("{}.{} %", share / 10, share % 10)),
            ]);
        }
    }
    document.table_or(table, "No package was found.");
    document
}

pub(super) fn csv(tally: &Tally) -> CsvTable {
    let mut table = CsvTable::new(&["by", "name", "packages", "installed_bytes"]);
    for weight in account(tally) {
        table.row(vec![weight.by.into(), weight.name, weight.packages.to_string(), weight.bytes.to_string()]);
    }
    table
}
