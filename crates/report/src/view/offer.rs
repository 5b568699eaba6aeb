//! What the repositories of an install offer, and where something can be had from.

use super::{capital, dim};
use crate::View;
use crate::document::{Block, Column, Document, Fact, Line, Role, Span, Table};
use crate::text::{bytes_human, count_of, megabytes, thousands};
use crate::wire::{CsvTable, pretty};
use crate::words;
use serde::Serialize;
use std::collections::BTreeMap;
use tally_core::knowledge::PartRules;
use tally_core::model::{Label, PackageRef, Tally, Text};
use tally_core::offer::{
    OfferAnswer, OfferChanges, OfferSource, OfferSummary, OfferedList, PartOnOffer, Update,
};

/// What the repositories of an install offer.
#[derive(Debug, Clone, Serialize)]
pub struct OfferView<'a> {
    /// Schema number of this document.
    pub schema_version: u32,
    /// The install.
    #[serde(skip)]
    pub label: Label,
    /// When the install was made, RFC 3339 UTC, where that is known.
    pub installed_at: Option<Text>,
    /// When it was read, RFC 3339 UTC.
    pub read_at: Text,
    /// What each package system's lists hold.
    pub offers: Vec<OfferSummary>,
    /// Programs that catalogues describe; `null` where there is none, or where only the figures were kept.
    pub programs: Option<u32>,
    /// What there is for some parts: kernels, desktops, drivers.
    pub parts: Vec<PartOnOffer>,
    /// Which updates touch a program or a part, by package: what it is called.
    pub touched: Vec<(Text, Text)>,
    /// Names of parts.
    #[serde(skip)]
    pub rules: &'a PartRules,
}

/// Updates that the screen names.
const UPDATES: usize = 40;

/// Whole days from one moment to another, both RFC 3339; `None` where either is none.
fn days(from: &str, to: &str) -> Option<i64> {
    let (from, to): (jiff::Timestamp, jiff::Timestamp) = (from.parse().ok()?, to.parse().ok()?);
    Some((to.as_second() - from.as_second()).div_euclid(86_400))
}

/// Which updates touch a program or a part, and what it is called.
pub fn touched(tally: &Tally, offers: &[OfferSummary]) -> Vec<(Text, Text)> {
    let mut names: BTreeMap<PackageRef, &Text> = BTreeMap::new();
    for part in &tally.parts {
        names.extend(part.package.iter().map(|package| (package.clone(), &part.name)));
    }
    for application in &tally.applications {
        names.extend(application.delivered.iter().map(|one| (one.reference(), &application.name)));
    }
    let updates = offers.iter().flat_map(|offer| &offer.updates.packages);
    updates
        .filter_map(|update| {
            Some((Text::from(update.package.as_str()), (*names.get(&update.package)?).clone()))
        })
        .collect()
}

/// The day of a moment.
fn day(moment: &str) -> &str {
    moment.get(..10).unwrap_or(moment)
}

impl<'a> OfferView<'a> {
    /// What a tally itself keeps of the offer: the figures.
    pub fn kept(tally: &Tally, rules: &'a PartRules) -> Self {
        Self {
            schema_version: 1,
            label: tally.label.clone(),
            installed_at: tally.install_day.ended.clone(),
            read_at: tally.taken.at.clone(),
            touched: touched(tally, &tally.offers),
            offers: tally.offers.clone(),
            programs: None,
            parts: Vec::new(),
            rules,
        }
    }

    fn age(&self, list: &OfferedList) -> String {
        let Some(made) = &list.date else { return String::new() };
        let installed = self.installed_at.as_ref().and_then(|at| days(made, at));
        match installed {
            Some(days @ 0..) => count_of(days.unsigned_abs(), "day"),
            Some(days) => format!("{} newer", count_of(days.unsigned_abs(), "day")),
            None => days(made, &self.read_at)
                .map(|days| format!("{} when read", count_of(days.unsigned_abs(), "day")))
                .unwrap_or_default(),
        }
    }

    fn is_expired(&self, list: &OfferedList) -> bool {
        let day = self.installed_at.as_ref().unwrap_or(&self.read_at);
        list.valid_until.as_ref().is_some_and(|until| days(until, day).is_some_and(|days| days >= 0))
    }

    fn figures(&self, document: &mut Document) {
        let strong = |text: String| Line::from(Span::new(Role::Strong, text));
        let fact = |name: &str, value: String| Fact {
            name: name.into(),
            value: strong(value),
            aside: Line::default(),
        };
        let packages: u64 = self.offers.iter().map(|offer| u64::from(offer.packages)).sum();
        let mut facts = vec![fact("Packages on offer", thousands(packages))];
        facts.extend(self.programs.map(|programs| fact("Programs on offer", thousands(programs.into()))));
        let updates = || self.offers.iter().flat_map(|offer| &offer.updates.packages);
        let held = updates().filter(|update| update.held).count() as u64;
        let security = updates().filter(|update| update.security).count() as u64;
        let bytes = self.offers.iter().map(|offer| offer.updates.download_bytes).fold(0, u64::saturating_add);
        let mut aside: Vec<String> = Vec::new();
        aside.extend((security > 0).then(|| count_of(security, "security update")));
        aside.extend((held > 0).then(|| format!("{} on hold", thousands(held))));
        aside.extend((bytes > 0).then(|| format!("{} to download", bytes_human(bytes))));
        facts.push(Fact {
            name: "Updates waiting".into(),
            value: strong(thousands(updates().count() as u64)),
            aside: dim(aside.join(", ")).into(),
        });
        document.push(Block::Facts(facts));
    }

    fn lists(&self, document: &mut Document) {
        document.heading("Repositories");
        let mut table = Table::new(vec![
            Column::new("repository").name(),
            Column::new("component").name().drops(1),
            Column::new("packages").right(),
            Column::new("made on"),
            Column::new("age on the install day").drops(2),
            Column::new("").drops(3),
        ]);
        for list in self.offers.iter().flat_map(|offer| &offer.lists) {
            let mark = match (self.is_expired(list), list.security) {
                (true, _) => Span::new(
                    Role::LookTwice,
                    format!("expired on {}", day(list.valid_until.as_deref().unwrap_or_default())),
                ),
                (_, true) => dim("security"),
                _ => Span::default(),
            };
            table.row(vec![
                list.repository.as_str().into(),
                list.component.as_deref().unwrap_or_default().into(),
                thousands(list.packages.into()).into(),
                day(list.date.as_deref().unwrap_or_default()).into(),
                self.age(list).into(),
                mark,
            ]);
        }
        document.table_or(table, "No lists of repositories are there.");
    }

    fn parts_table(&self, document: &mut Document) {
        if self.parts.is_empty() {
            return;
        }
        document.heading("On offer beside what is installed");
        let mut table = Table::new(vec![
            Column::new("").name(),
            Column::new("version").name(),
            Column::new("package").name().drops(1),
            Column::new("").right().drops(0),
            Column::new(""),
        ]);
        let mut last = "";
        for part in &self.parts {
            if part.part != last {
                table.group(capital(self.rules.label(&part.part)));
                last = &part.part;
            }
            let mark = match &part.installed {
                Some(version) if *version == part.version => Span::new(Role::Came, "installed"),
                Some(version) => Span::new(Role::Came, format!("{version} installed")),
                None => Span::default(),
            };
            table.row(vec![
                part.name.as_str().into(),
                part.version.as_str().into(),
                dim(&part.package),
                if part.packages > 1 {
                    dim(count_of(part.packages.into(), "package"))
                } else {
                    Span::default()
                },
                mark,
            ]);
        }
        document.push(Block::Table(table));
    }

    fn updates(&self, document: &mut Document) {
        let mut all: Vec<&Update> = self.offers.iter().flat_map(|offer| &offer.updates.packages).collect();
        if all.is_empty() {
            return;
        }
        let touches = |update: &Update| {
            self.touched
                .iter()
                .find(|(package, _)| package == update.package.as_str())
                .map(|(_, what)| what.as_str())
        };
        // What people know by name first, security before all.
        all.sort_by_key(|update| (touches(update).is_none(), !update.security, update.package.clone()));
        document.heading("Updates waiting");
        let mut table = Table::new(vec![
            Column::new("package").name(),
            Column::new("installed").name(),
            Column::new("update").name(),
            Column::new("MB").right().drops(1),
            Column::new("from").name().drops(0),
            Column::new(""),
        ]);
        for update in all.iter().take(UPDATES) {
            let mut marks: Vec<String> = Vec::new();
            marks.extend(update.security.then(|| "security".to_owned()));
            marks.extend(update.held.then(|| "on hold".to_owned()));
            marks.extend(update.phased.map(|part| format!("phased: {part}%")));
            marks.extend(touches(update).map(str::to_owned));
            table.row(vec![
                update.package.name().into(),
                update.old.as_str().into(),
                Span::new(Role::Changed, &update.new),
                update.download_bytes.map(megabytes).unwrap_or_default().into(),
                dim(&update.repository),
                marks.join(", ").into(),
            ]);
        }
        document.push(Block::Table(table));
        let more = all.len().saturating_sub(UPDATES);
        if more > 0 {
            document.paragraph(format!("{} more; --format csv lists all.", thousands(more as u64)));
        }
    }
}

impl View for OfferView<'_> {
    fn document(&self) -> Document {
        let mut document = Document::default();
        document.title(self.label.title(), words::seen(self.label.seen_as()));
        self.figures(&mut document);
        self.lists(&mut document);
        self.parts_table(&mut document);
        self.updates(&mut document);
        document
    }

    fn csv(&self) -> csv::Result<CsvTable> {
        #[derive(Serialize, Default)]
        struct Row<'a> {
            package: &'a str,
            installed: &'a str,
            update: &'a str,
            repository: &'a str,
            security: bool,
            held: bool,
            phased: Option<u8>,
            download_bytes: Option<u64>,
        }
        CsvTable::of(self.offers.iter().flat_map(|offer| &offer.updates.packages).map(|update| Row {
            package: update.package.as_str(),
            installed: &update.old,
            update: &update.new,
            repository: &update.repository,
            security: update.security,
            held: update.held,
            phased: update.phased,
            download_bytes: update.download_bytes,
        }))
    }

    fn json(&self) -> serde_json::Result<Vec<u8>> {
        pretty(self)
    }
}

/// Where something can be had from.
#[derive(Debug, Clone, Serialize)]
pub struct SourcesView {
    /// Schema number of this document.
    pub schema_version: u32,
    /// The install.
    #[serde(skip)]
    pub label: Label,
    /// An answer for each name.
    pub answers: Vec<OfferAnswer>,
}

impl View for SourcesView {
    fn document(&self) -> Document {
        let mut document = Document::default();
        document.title(self.label.title(), words::seen(self.label.seen_as()));
        for answer in &self.answers {
            document.heading(answer.asked.as_str());
            if answer.sources.is_empty() {
                let near = match answer.near.len() {
                    0 => String::new(),
                    _ => format!(" Near: {}.", answer.near.join(", ")),
                };
                document.paragraph(format!("No list offers it.{near}"));
                continue;
            }
            let mut table = Table::new(vec![
                Column::new("package").name(),
                Column::new("format").drops(4),
                Column::new("version").name(),
                Column::new("repository").name().drops(3),
                Column::new("download MB").right().drops(2),
                Column::new("disk MB").right().drops(1),
                Column::new(""),
                Column::new("").sentence().drops(0),
            ]);
            for source in &answer.sources {
                table.row(row(source));
            }
            document.push(Block::Table(table));
            if answer.more > 0 {
                document.paragraph(dim(format!("{} more fit less well.", thousands(answer.more.into()))));
            }
        }
        document
    }

    fn csv(&self) -> csv::Result<CsvTable> {
        #[derive(Serialize, Default)]
        struct Row<'a> {
            asked: &'a str,
            package: &'a str,
            system: &'a str,
            version: &'a str,
            repository: &'a str,
            program: &'a str,
            download_bytes: Option<u64>,
            installed_bytes: Option<u64>,
            installed: &'a str,
            newest: bool,
        }
        let rows =
            self.answers.iter().flat_map(|answer| answer.sources.iter().map(move |source| (answer, source)));
        CsvTable::of(rows.map(|(answer, source)| Row {
            asked: &answer.asked,
            package: &source.package,
            system: source.system.name(),
            version: source.version.as_deref().unwrap_or_default(),
            repository: &source.repository,
            program: source.program.as_deref().unwrap_or_default(),
            download_bytes: source.download_bytes,
            installed_bytes: source.installed_bytes,
            installed: source.installed.as_deref().unwrap_or_default(),
            newest: source.newest,
        }))
    }

    fn json(&self) -> serde_json::Result<Vec<u8>> {
        pretty(self)
    }
}

fn row(source: &OfferSource) -> Vec<Span> {
    let newest = if source.newest { ", newest" } else { "" };
    let mark = match &source.installed {
        Some(installed) if source.version.as_ref() == Some(installed) => {
            Span::new(Role::Came, format!("installed{newest}"))
        }
        Some(installed) => Span::new(Role::Came, format!("{installed} installed{newest}")),
        None if source.newest => Span::new(Role::Strong, "newest"),
        None => Span::default(),
    };
    vec![
        source.package.as_str().into(),
        source.system.name().into(),
        source.version.as_deref().unwrap_or("not told").into(),
        source.repository.as_str().into(),
        source.download_bytes.map(megabytes).unwrap_or_default().into(),
        source.installed_bytes.map(megabytes).unwrap_or_default().into(),
        mark,
        dim(&source.summary),
    ]
}

/// What the repositories of two installs offer that the other's do not.
#[derive(Debug, Clone, Serialize)]
pub struct OfferChangeView {
    /// Schema number of this document.
    pub schema_version: u32,
    /// The earlier install.
    #[serde(skip)]
    pub old: Label,
    /// The later one.
    #[serde(skip)]
    pub new: Label,
    /// The answer.
    #[serde(flatten)]
    pub changes: OfferChanges,
}

/// Lines of either list that the screen shows.
const CHANGES: usize = 60;

impl View for OfferChangeView {
    fn document(&self) -> Document {
        let mut document = Document::default();
        document.title(super::change_title(&self.old, &self.new), super::both_seen(&self.old, &self.new));
        let OfferChanges { old_packages, new_packages, came, went, by_programs } = &self.changes;
        document.paragraph(format!(
            "{} → {} packages on offer",
            thousands((*old_packages).into()),
            thousands((*new_packages).into())
        ));
        let what = if *by_programs { "program" } else { "package" };
        for (title, list, role) in
            [("on offer now", came, Role::Came), ("offered no longer", went, Role::Went)]
        {
            document.heading(format!("{} {title}", count_of(list.len() as u64, what)));
            let mut columns = vec![Column::new(what).name()];
            columns.extend(by_programs.then(|| Column::new("package").name().drops(1)));
            columns.push(Column::new("").sentence().drops(0));
            let mut table = Table::new(columns);
            for change in list.iter().take(CHANGES) {
                let mut row = vec![Span::new(role, &change.name)];
                row.extend(by_programs.then(|| dim(&change.package)));
                row.push(dim(&change.summary));
                table.row(row);
            }
            document.table_or(table, "None.");
            let more = list.len().saturating_sub(CHANGES);
            if more > 0 {
                document.paragraph(format!("{} more; --format csv lists all.", thousands(more as u64)));
            }
        }
        document
    }

    fn csv(&self) -> csv::Result<CsvTable> {
        #[derive(Serialize, Default)]
        struct Row<'a> {
            change: &'a str,
            name: &'a str,
            package: &'a str,
            summary: &'a str,
        }
        let sides = [("came", &self.changes.came), ("went", &self.changes.went)];
        let all = sides.into_iter().flat_map(|(change, list)| list.iter().map(move |one| (change, one)));
        CsvTable::of(all.map(|(change, one)| Row {
            change,
            name: &one.name,
            package: &one.package,
            summary: &one.summary,
        }))
    }

    fn json(&self) -> serde_json::Result<Vec<u8>> {
        pretty(self)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use tally_core::model::{System, Taken};
    use tally_core::offer::Updates;

    #[test]
    fn lists_may_be_old_expired_or_from_the_future() {
        let taken: Taken =
            serde_json::from_str(r#"{"at": "2031-06-01T00:00:00Z", "from": "marsh", "medium": "installed"}"#)
                .unwrap();
        let mut tally = Tally::new("test", taken, Label::default());
        tally.install_day.ended = Some("2031-05-10T12:00:00Z".into());
        let list = |repository: &str, date: &str, until: Option<&str>| OfferedList {
            repository: repository.into(),
            component: None,
            packages: 1,
            date: (!date.is_empty()).then(|| date.into()),
            valid_until: until.map(Into::into),
            security: false,
            file: "x".into(),
        };
        tally.offers = vec![OfferSummary {
            system: System::Dpkg,
            lists: vec![
                list("old", "2031-05-01T00:00:00Z", Some("2031-05-08T00:00:00Z")),
                list("future", "2031-05-20T00:00:00Z", None),
                // Two of one name are two lines.
                list("future", "", None),
                list("nonsense", "no moment", Some("none")),
            ],
            packages: 4,
            updates: Updates::default(),
        }];
        let rules = PartRules::default();
        let view = OfferView::kept(&tally, &rules);
        let lists = &view.offers[0].lists;
        let ages: Vec<String> = lists.iter().map(|list| view.age(list)).collect();
        assert_eq!(ages, ["9 days", "10 days newer", "", ""]);
        assert_eq!(
            lists.iter().map(|list| view.is_expired(list)).collect::<Vec<_>>(),
            [true, false, false, false]
        );
        tally.install_day.ended = None;
        let view = OfferView::kept(&tally, &rules);
        assert_eq!(view.age(&view.offers[0].lists[0]), "31 days when read");
    }
}
