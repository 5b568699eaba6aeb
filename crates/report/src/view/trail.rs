use crate::View;
use crate::document::{Column, Document, Line, Role, Span, Table};
use crate::view::{dim, optional};
use crate::wire::{CsvTable, pretty};
use crate::words;
use serde::Serialize;
use std::collections::BTreeMap;
use tally_core::model::Label;
use tally_core::trail::{Trail, TrailChange, TrailItem, TrailStep};
use tally_core::version::Step;

/// One thing followed through the installs of each edition on the shelf.
#[derive(Debug, Clone, Serialize)]
pub struct TrailView {
    /// Schema number of this document.
    pub schema_version: u32,
    /// What was asked for.
    pub asked: String,
    /// A trail for each distribution and edition that knows it.
    pub trails: Vec<Trail>,
}

pub(crate) fn release(label: &Label) -> String {
    match (&label.release, &label.codename) {
        (Some(release), Some(codename)) => format!("{release} \"{codename}\""),
        (Some(release), None) => release.to_string(),
        (None, codename) => codename.as_ref().map_or_else(|| label.handle.to_string(), ToString::to_string),
    }
}

pub(crate) fn name_of(label: &Label) -> String {
    let fields = [Some(&label.distro), label.edition.as_ref(), label.profile.as_ref(), label.arch.as_ref()];
    fields.into_iter().flatten().map(ToString::to_string).collect::<Vec<_>>().join(", ")
}

fn names(found: &[TrailItem]) -> String {
    let mut names: Vec<&str> = found.iter().map(|found| found.name.as_str()).collect();
    names.dedup();
    names.join(", ")
}

fn versions(found: &[TrailItem]) -> String {
    found.iter().filter_map(|found| found.version.as_deref()).collect::<Vec<_>>().join(", ")
}

fn systems(found: &[TrailItem]) -> String {
    let mut systems: Vec<&str> = found.iter().filter_map(|found| found.system).map(|s| s.name()).collect();
    systems.dedup();
    systems.join(", ")
}

fn word(step: &TrailStep) -> (Role, String) {
    let far = step.step.map(Step::name).unwrap_or_default();
    let (role, said) = match step.change {
        TrailChange::First => (Role::Dim, ""),
        TrailChange::Same => (Role::Dim, "unchanged"),
        TrailChange::Added => (Role::Came, "added"),
        TrailChange::Removed => (Role::Went, "removed"),
        TrailChange::Absent => (Role::Went, "not installed"),
        TrailChange::Updated => (Role::Changed, ""),
        TrailChange::Replaced => (Role::Changed, "replaced"),
        TrailChange::Renamed => (Role::Changed, "renamed"),
        TrailChange::FormatChanged => (Role::Changed, "another format"),
        TrailChange::Downgraded => (Role::LookTwice, "downgraded"),
    };
    let removed = step.found.iter().any(|found| found.removed_later);
    let later = if removed { "shipped, removed later" } else { "" };
    let words = [format!("{said} {far}").trim().to_owned(), later.to_owned()];
    (role, words.into_iter().filter(|words| !words.is_empty()).collect::<Vec<_>>().join("; "))
}

impl View for TrailView {
    fn document(&self) -> Document {
        let mut document = Document::default();
        let kind = self.trails.first().map_or("", |trail| words::thing(trail.kind.name()));
        document.title(format!("{} through the releases", self.asked), kind);
        if self.trails.is_empty() {
            document.paragraph(Line::from(Span::new(
                Role::Strong,
                format!("{} is in none of these installs.", self.asked),
            )));
            return document;
        }
        for trail in &self.trails {
            if let Some(first) = trail.steps.first() {
                document.heading(name_of(&first.label));
            }
            let dated = trail.steps.iter().any(|step| step.label.release_date.is_some());
            let released = dated.then(|| Column::new("released").drops(2));
            let columns = std::iter::once(Column::new("release").name()).chain(released).chain([
                Column::new("name").name(),
                Column::new("version"),
                Column::new("format").drops(1),
                Column::new("change"),
            ]);
            let mut table = Table::new(columns.collect());
            let mut alike: BTreeMap<String, u32> = BTreeMap::new();
            for step in &trail.steps {
                *alike.entry(release(&step.label)).or_default() += 1;
            }
            for step in &trail.steps {
                let (role, said) = word(step);
                let mut told = release(&step.label);
                // Of several installs of one release each is told by its handle.
                if alike[&told] > 1 {
                    told = format!("{told}, {}", step.label.handle);
                }
                let released = dated.then(|| dim(optional(step.label.release_date.as_deref())));
                let cells = std::iter::once(Span::from(told)).chain(released).chain([
                    names(&step.found).into(),
                    versions(&step.found).into(),
                    dim(systems(&step.found)),
                    Span::new(role, said),
                ]);
                table.row(cells.collect());
            }
            document.table_or(table, "");
        }
        document
    }

    fn csv(&self) -> csv::Result<CsvTable> {
        #[derive(Serialize, Default)]
        struct Row<'a> {
            handle: &'a str,
            release: Option<&'a str>,
            released: Option<&'a str>,
            name: String,
            version: String,
            system: String,
            change: &'a str,
            step: Option<&'a str>,
        }
        CsvTable::of(self.trails.iter().flat_map(|trail| &trail.steps).map(|step| Row {
            handle: &step.label.handle,
            release: step.label.release.as_deref(),
            released: step.label.release_date.as_deref(),
            name: names(&step.found),
            version: versions(&step.found),
            system: systems(&step.found),
            change: step.change.name(),
            step: step.step.map(Step::name),
        }))
    }

    fn json(&self) -> serde_json::Result<Vec<u8>> {
        pretty(self)
    }
}
