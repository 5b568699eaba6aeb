//! Figures measured on the running install, and the reviewer's notes.

use crate::document::{Column, Document, Role, Span, Table};
use crate::text::{bytes_human, figure};
use crate::view::dim;
use crate::wire::CsvTable;
use crate::words;
use serde::Serialize;
use tally_core::model::{Conditions, Note, Reading, Tally};

/// Readings and notes, for JSON.
#[derive(Serialize)]
pub(super) struct Records<'a> {
    readings: &'a [Reading],
    notes: &'a [Note],
}

pub(super) fn records(tally: &Tally) -> Records<'_> {
    Records { readings: &tally.readings, notes: &tally.notes }
}

fn conditions(conditions: &Conditions) -> String {
    let mut said: Vec<String> = Vec::new();
    said.extend(conditions.medium.as_ref().map(ToString::to_string));
    said.extend(conditions.ram_bytes.map(|bytes| format!("{} of memory", bytes_human(bytes))));
    said.extend(
        conditions.virtual_.map(|it| if it { "virtual machine" } else { "physical machine" }.to_owned()),
    );
    said.extend(conditions.uptime_s.map(|s| format!("{} min after boot", s / 60)));
    said.join(", ")
}

pub(super) fn document(tally: &Tally) -> Document {
    let mut document = Document::default();
    document.title(tally.label.title(), words::seen(tally.label.seen_as()));
    if tally.readings.is_empty() {
        document.paragraph(
            "Nothing was measured. `fresh-tally take /` measures the running system; `fresh-tally note INSTALL \
             memory=512MiB --method ...` records a figure read elsewhere.",
        );
    } else {
        let mut table = Table::new(vec![
            Column::new("figure").name(),
            Column::new("value").right(),
            Column::new("when").sentence().drops(3),
            Column::new("method").sentence().drops(2),
            Column::new("conditions").sentence().drops(1),
        ]);
        for reading in &tally.readings {
            table.row(vec![
                words::measure(&reading.what).into(),
                figure(reading.value, &reading.unit).into(),
                words::measured_when(&reading.when).into(),
                words::method(&reading.method).into(),
                dim(conditions(&reading.conditions)),
            ]);
        }
        document.table_or(table, "");
    }
    if !tally.notes.is_empty() {
        document.heading(Span::new(Role::Strong, "Notes"));
        let mut table = Table::new(vec![
            Column::new("written").name(),
            Column::new("about").name().drops(1),
            Column::new("note").sentence(),
        ]);
        for note in &tally.notes {
            let about = note.ask.as_deref().unwrap_or_default();
            table.row(vec![dim(note.at.as_str()), about.into(), note.text.as_str().into()]);
        }
        document.table_or(table, "");
    }
    document
}

pub(super) fn csv(tally: &Tally) -> csv::Result<CsvTable> {
    #[derive(Serialize, Default)]
    struct Row<'a> {
        what: &'a str,
        value: f64,
        unit: &'a str,
        method: String,
        when: String,
        by: &'a str,
        medium: Option<&'a str>,
        ram_bytes: Option<u64>,
        #[serde(rename = "virtual")]
        virtual_: Option<bool>,
        uptime_s: Option<u64>,
    }
    CsvTable::of(tally.readings.iter().map(|reading| Row {
        what: &reading.what,
        value: reading.value,
        unit: &reading.unit,
        method: reading.method.to_string(),
        when: reading.when.to_string(),
        by: &reading.by,
        medium: reading.conditions.medium.as_deref(),
        ram_bytes: reading.conditions.ram_bytes,
        virtual_: reading.conditions.virtual_,
        uptime_s: reading.conditions.uptime_s,
    }))
}
