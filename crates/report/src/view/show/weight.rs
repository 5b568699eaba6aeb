use crate::document::{Column, Document, Table};
use crate::text::{bytes_human, megabytes, thousands};
use crate::view::{capital, dim};
use crate::wire::CsvTable;
use crate::words;
use serde::Serialize;
use std::collections::{BTreeMap, BTreeSet};
use tally_core::model::{Application, Kind, Menu, MissingFact, Package, System, Tally};
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
    let deliveries = deliveries(tally);
    let mut menus: BTreeMap<Menu, (u64, u64)> = BTreeMap::new();
    let mut counted: BTreeSet<(System, &str)> = BTreeSet::new();
    for delivery in &deliveries {
        let entry = menus.entry(delivery.menu()).or_default();
        for (package, (number, bytes)) in &delivery.packages {
            // Two programs that share but one of their packages: it weighs once.
            if counted.insert(*package) {
                *entry = (entry.0 + number, entry.1.saturating_add(*bytes));
            }
        }
    }
    let weight = |by, name: &str, packages, bytes| Weight { by, name: name.to_owned(), packages, bytes };
    let by_kind = kinds.into_iter().map(|(kind, (n, bytes))| weight("kind", kind.name(), n, bytes)).collect();
    let by_menu = menus.into_iter().map(|(menu, (n, bytes))| weight("menu", menu.name(), n, bytes)).collect();
    let by_application = deliveries
        .iter()
        .map(|delivery| {
            let sum =
                |of: fn(&(u64, u64)) -> u64| delivery.packages.values().map(of).fold(0, u64::saturating_add);
            weight("application", &delivery.name(), sum(|(number, _)| *number), sum(|(_, bytes)| *bytes))
        })
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

/// Programs that came in the same packages: they weigh together, and nothing distinguishes them.
struct Together<'t> {
    programs: Vec<&'t Application>,
    /// The packages, each with how many it is and weighs together with what accompanies it.
    packages: BTreeMap<(System, &'t str), (u64, u64)>,
}

impl Together<'_> {
    /// `Curlew`; `Curlew and Heron`; `Curlew, Heron and 4 more`.
    fn name(&self) -> String {
        let names: Vec<&str> = self.programs.iter().map(|program| program.name.as_str()).collect();
        match names[..] {
            [one] => one.to_owned(),
            [one, other] => format!("{one} and {other}"),
            [one, other, ..] => format!("{one}, {other} and {} more", names.len() - 2),
            [] => String::new(),
        }
    }

    /// The menu that most of them are in; of several such the first.
    fn menu(&self) -> Menu {
        let count = |menu: &Menu| self.programs.iter().filter(|program| program.menu == *menu).count();
        let best = Menu::ALL.iter().copied().rev().max_by_key(count);
        best.unwrap_or(Menu::Other)
    }
}

/// All programs, by the packages that they came in.
fn deliveries(tally: &Tally) -> Vec<Together<'_>> {
    let has_programs: BTreeSet<(System, &str)> = tally
        .applications
        .iter()
        .flat_map(|application| &application.delivered)
        .map(|delivery| (delivery.system, delivery.package.as_str()))
        .collect();
    let mut weights: BTreeMap<(System, &str), (u64, u64)> = BTreeMap::new();
    for package in tally.present() {
        let own = has_programs.contains(&(package.system, package.name.as_str()));
        let of = package.companion_of.as_deref().filter(|_| !own).unwrap_or(&package.name);
        let entry = weights.entry((package.system, of)).or_default();
        *entry = (entry.0 + 1, entry.1.saturating_add(package.installed_bytes.unwrap_or(0)));
    }
    let mut together: BTreeMap<Vec<(System, &str)>, Vec<&Application>> = BTreeMap::new();
    for application in &tally.applications {
        let mut packages: Vec<(System, &str)> = application
            .delivered
            .iter()
            .map(|delivery| (delivery.system, delivery.package.as_str()))
            .collect();
        packages.sort_unstable();
        packages.dedup();
        together.entry(packages).or_default().push(application);
    }
    together
        .into_iter()
        .flat_map(|(packages, programs)| {
            let packages: BTreeMap<(System, &str), (u64, u64)> =
                packages.into_iter().map(|one| (one, weights.get(&one).copied().unwrap_or((1, 0)))).collect();
            // What came in no package has nothing in common with others of that sort.
            if packages.is_empty() {
                programs
                    .into_iter()
                    .map(|one| Together { programs: vec![one], packages: BTreeMap::new() })
                    .collect()
            } else {
                vec![Together { programs, packages }]
            }
        })
        .collect()
}

/// What each choice brings along; what several bring, and what none does, as a line each.
fn by_choice(tally: &Tally) -> Vec<Weight> {
    let found = choices(tally);
    let weight =
        |name: String, (packages, bytes): (u64, u64)| Weight { by: "explicit", name, packages, bytes };
    let mut lines: Vec<Weight> = found
        .choices
        .iter()
        .map(|choice| {
            let name = choice.package.name();
            let name = match &choice.through {
                Some(meta) => format!("{name}, from {}", meta.name()),
                None => name.to_owned(),
            };
            weight(name, (choice.packages, choice.bytes))
        })
        .collect();
    for (name, sum) in [("(needed by several)", found.shared), ("(unexplained)", found.unexplained)] {
        if sum.0 > 0 {
            lines.push(weight(name.to_owned(), sum));
        }
    }
    lines
}

pub(super) fn document(tally: &Tally) -> Document {
    let mut document = Document::default();
    document.title(tally.label.title(), words::seen(tally.label.seen_as()));
    if tally.lacks(MissingFact::Sizes) {
        document.paragraph("Sizes of packages are not recorded in this source.");
        return document;
    }
    let total = tally.installed_bytes();
    document.paragraph(format!("{} on disk, according to the packages", bytes_human(total)));
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
        ("application", "Largest programs, with their data and translations"),
        ("explicit", "Largest explicit installations, with everything that only they need"),
        ("package", "Largest packages"),
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
                dim(format!("{}.{}%", share / 10, share % 10)),
            ]);
        }
    }
    document.table_or(table, "No package was found.");
    document
}

pub(super) fn csv(tally: &Tally) -> csv::Result<CsvTable> {
    #[derive(Serialize, Default)]
    struct Row {
        by: &'static str,
        name: String,
        packages: u64,
        installed_bytes: u64,
    }
    CsvTable::of(account(tally).into_iter().map(|weight| Row {
        by: weight.by,
        name: weight.name,
        packages: weight.packages,
        installed_bytes: weight.bytes,
    }))
}

#[cfg(test)]
mod tests {
    use super::*;
    use tally_core::model::{Delivery, Label, Taken, Text};

    fn tally(packages: &[(&str, u64, Option<&str>)], programs: &[(&str, Menu, &[&str])]) -> Tally {
        let taken: Taken =
            serde_json::from_str(r#"{"at": "2031-05-02T10:00:00Z", "from": "marsh", "medium": "installed"}"#)
                .unwrap();
        let mut tally = Tally::new("test", taken, Label::default());
        for (name, bytes, of) in packages {
            let mut package = Package::new(System::Dpkg, *name, "1");
            (package.installed_bytes, package.companion_of) = (Some(*bytes), of.map(Text::from));
            tally.packages.push(package);
        }
        for (name, menu, packages) in programs {
            let delivery = |package: &&str| Delivery {
                system: System::Dpkg,
                package: (*package).into(),
                version: "1".into(),
                bytes: None,
            };
            tally.applications.push(Application {
                id: name.to_lowercase().into(),
                name: (*name).into(),
                version: None,
                menu: *menu,
                roles: Vec::new(),
                delivered: packages.iter().map(delivery).collect(),
                launchers: Vec::new(),
                bytes: None,
            });
        }
        tally
    }

    fn of(tally: &Tally, by: &str) -> Vec<(String, u64, u64)> {
        let all = account(tally).into_iter().filter(|weight| weight.by == by);
        all.map(|weight| (weight.name, weight.packages, weight.bytes)).collect()
    }

    #[test]
    fn programs_of_one_package_weigh_once() {
        let tally = tally(
            &[("tools", 10, None), ("tools-data", 90, Some("tools")), ("ink", 5, None)],
            &[
                ("Counter", Menu::System, &["tools"]),
                ("Finder", Menu::System, &["tools"]),
                ("Dictionary", Menu::Office, &["tools"]),
                ("Inkcap", Menu::Office, &["ink"]),
            ],
        );
        let programs = of(&tally, "application");
        assert_eq!(programs, [("Counter, Finder and 1 more".into(), 2, 100), ("Inkcap".into(), 1, 5)]);
        let menus = of(&tally, "menu");
        assert_eq!(menus, [("system".into(), 2, 100), ("office".into(), 1, 5)], "where most of them stand");
    }

    #[test]
    fn a_package_that_two_programs_share_weighs_once_in_the_menus() {
        let tally = tally(
            &[("suite", 50, None), ("writer", 7, None), ("sheets", 8, Some("writer"))],
            &[("Writer", Menu::Office, &["suite", "writer"]), ("Sheets", Menu::Office, &["suite", "sheets"])],
        );
        assert_eq!(of(&tally, "menu"), [("office".into(), 3, 65)]);
        assert_eq!(
            of(&tally, "application"),
            [("Sheets".into(), 2, 58), ("Writer".into(), 2, 57)],
            "a companion with a program of its own weighs by itself"
        );
    }

    #[test]
    fn programs_of_no_package_have_nothing_in_common() {
        let tally = tally(&[], &[("Saltwort", Menu::Office, &[]), ("Driftwood", Menu::Other, &[])]);
        assert_eq!(of(&tally, "application"), [("Driftwood".into(), 0, 0), ("Saltwort".into(), 0, 0)]);
    }
}
