use super::dim;
use crate::View;
use crate::document::{Column, Document, Line, Role, Span, Table};
use crate::text::{count_of, thousands};
use crate::wire::{CsvTable, pretty};
use crate::words;
use tally_core::age::{Age, AgeItem, AgeSpan};

/// Packages that are told unless all are asked for.
const OLDEST: usize = 20;
/// Characters of the longest bar.
const BAR: u32 = 32;

/// How old the packages of an install were.
#[derive(Debug, Clone)]
pub struct AgeView<'a> {
    /// The answer.
    pub age: &'a Age,
    /// Whether all packages are told, not the oldest alone.
    pub all: bool,
}

/// `2024`, `2010s`, `2010 to 2016`.
pub(crate) fn span_name(span: &AgeSpan) -> String {
    match (span.from, span.to) {
        (from, to) if from == to => from.to_string(),
        (from, to) if to == from + 9 => format!("{from}s"),
        (from, to) => format!("{from} to {to}"),
    }
}

/// What half of is told: all packages, or those whose day is known.
pub(crate) fn half_of(age: &Age) -> String {
    let known = count_of(age.packages.len() as u64, "package");
    if age.unknown == 0 { format!("the {known}") } else { format!("the {known} with a known day") }
}

/// What ages are counted from.
fn counted(age: &Age) -> String {
    if age.day_is_release {
        format!("on the day of its release, {}", age.day)
    } else {
        format!("on {}", age.day)
    }
}

impl View for AgeView<'_> {
    fn document(&self) -> Document {
        let age = self.age;
        let mut document = Document::default();
        document
            .title(age.install.title(), format!("{}; {}", counted(age), words::seen(age.install.seen_as())));
        let Some(median) = age.median_days else {
            document.paragraph("No package has a day on which it was built.");
            return document;
        };
        let mut more = Vec::new();
        if age.unknown > 0 {
            more.push(format!("{} without a day", count_of(age.unknown.into(), "package")));
        }
        if age.later > 0 {
            more.push(format!("{} built after it", thousands(age.later.into())));
        }
        let more = if more.is_empty() { String::new() } else { format!(" ({})", more.join(", ")) };
        document.paragraph(
            Line::from(format!("Half of {} were built ", half_of(age)))
                .and(Span::new(Role::Strong, format!("{} or longer before", words::days(median))))
                .and(more),
        );
        let most = age.spans.iter().map(|span| span.packages).max().unwrap_or(1).max(1);
        let mut spans = Table::new(vec![
            Column::new("built in").name(),
            Column::new("packages").right(),
            Column::new(""),
        ]);
        for span in &age.spans {
            let bar = (span.packages * BAR).div_ceil(most) as usize;
            spans.row(vec![
                span_name(span).into(),
                span.packages.to_string().into(),
                Span::new(Role::Dim, "█".repeat(bar)),
            ]);
        }
        document.table_or(spans, "");
        let mut kinds = Table::new(vec![
            Column::new("kind").name(),
            Column::new("packages").right(),
            Column::new("median age").right(),
            Column::new("oldest").right(),
        ]);
        for kind in &age.kinds {
            kinds.row(vec![
                kind.kind.name().into(),
                kind.packages.to_string().into(),
                words::days(kind.median_days).into(),
                words::days(kind.oldest_days).into(),
            ]);
        }
        document.heading("By kind");
        document.table_or(kinds, "");
        let shown = if self.all { age.packages.len() } else { OLDEST.min(age.packages.len()) };
        let mut oldest = Table::new(vec![
            Column::new("").name(),
            Column::new("version"),
            Column::new("built"),
            Column::new("age").right(),
            Column::new("kind"),
        ]);
        for AgeItem { name, version, built, days, kind, .. } in &age.packages[..shown] {
            oldest.row(vec![
                name.as_str().into(),
                version.as_str().into(),
                built.as_str().into(),
                words::days(*days).into(),
                dim(kind.name()),
            ]);
        }
        document.heading(if self.all { "All packages, the oldest first" } else { "The oldest" });
        document.table_or(oldest, "");
        document
    }

    fn csv(&self) -> csv::Result<CsvTable> {
        #[derive(serde::Serialize, Default)]
        struct Row<'a> {
            system: &'a str,
            name: &'a str,
            version: &'a str,
            kind: &'a str,
            built: &'a str,
            days: u32,
            read_from: String,
        }
        CsvTable::of(self.age.packages.iter().map(|one| Row {
            system: one.system.name(),
            name: &one.name,
            version: &one.version,
            kind: one.kind.name(),
            built: &one.built,
            days: one.days,
            read_from: one.evidence.place(),
        }))
    }

    fn json(&self) -> serde_json::Result<Vec<u8>> {
        pretty(self.age)
    }
}
