use super::{dim, optional};
use crate::View;
use crate::document::{Column, Document, Line, Role, Span, Table};
use crate::text::count_of;
use crate::wire::{CsvTable, pretty};
use crate::words;
use serde::Serialize;
use tally_core::lag::{Behind, Lag, LagItem};
use tally_core::version::Step;

/// How far behind upstream an install was.
#[derive(Debug, Clone)]
pub struct LagView<'a> {
    /// Items, and names that the file does not know.
    pub lag: &'a Lag,
}

fn far(behind: &Behind) -> Span {
    match behind.releases {
        0 => Span::new(Role::Came, "none"),
        releases => Span::new(Role::Changed, releases.to_string()),
    }
}

fn days(behind: &Behind) -> String {
    if behind.releases == 0 { String::new() } else { behind.days.to_string() }
}

fn row(table: &mut Table, item: &LagItem, shown: &Behind, series: bool) {
    let newest = match (shown.releases, &shown.released) {
        (0, Some(_)) => "this one".to_owned(),
        (0, None) => "newer than the file knows".to_owned(),
        _ => shown.version.to_string(),
    };
    table.row(vec![
        if series {
            dim(format!("  in its series {}", optional(item.series.as_deref())))
        } else {
            item.name.as_str().into()
        },
        if series { "".into() } else { item.version.as_str().into() },
        if shown.releases == 0 { dim(newest) } else { newest.into() },
        dim(optional(shown.released.as_deref())),
        far(shown),
        days(shown).into(),
        shown.step.map(Step::name).unwrap_or_default().into(),
    ]);
}

impl View for LagView<'_> {
    fn document(&self) -> Document {
        let lag = self.lag;
        let mut document = Document::default();
        document.title(format!("{} on {}", lag.install.title(), lag.day), words::seen(lag.install.seen_as()));
        let current = lag.items.iter().filter(|item| item.newest.releases == 0).count();
        let behind = lag.items.len() - current;
        document.paragraph(
            Line::from(Span::new(Role::Changed, format!("{behind} behind")))
                .and(", ")
                .and(Span::new(Role::Came, format!("{current} up to date")))
                .and(format!(", {} not in the upstream file", lag.unknown.len())),
        );
        let mut table = Table::new(vec![
            Column::new("").name(),
            Column::new("installed"),
            Column::new("newest then"),
            Column::new("released").drops(1),
            Column::new("releases behind").right(),
            Column::new("days").right(),
            Column::new("step"),
        ]);
        for item in &lag.items {
            row(&mut table, item, &item.newest, false);
            if let Some(series) = &item.in_series {
                row(&mut table, item, series, true);
            }
        }
        document.table_or(table, "None of its parts and programs is in the file.");
        if !lag.unknown.is_empty() {
            let number = count_of(lag.unknown.len() as u64, "name");
            document
                .paragraph(dim(format!("Not in the upstream file ({number}): {}", lag.unknown.join(", "))));
        }
        let legend = "Days: from the first newer release to that day.";
        document.paragraph(dim(legend));
        document
    }

    fn csv(&self) -> csv::Result<CsvTable> {
        #[derive(Serialize, Default)]
        struct Row<'a> {
            what: &'a str,
            name: &'a str,
            project: &'a str,
            version: &'a str,
            against: Option<&'a str>,
            newest: &'a str,
            released: Option<&'a str>,
            releases_behind: Option<u32>,
            days_behind: Option<u32>,
            step: Option<&'a str>,
            read_from: String,
        }
        let rows = self.lag.items.iter().flat_map(|item| {
            let all = (Some("all"), &item.newest);
            let series = item.in_series.as_ref().map(|behind| (item.series.as_deref(), behind));
            std::iter::once(all).chain(series).map(|(against, behind)| Row {
                what: item.what,
                name: &item.name,
                project: &item.project,
                version: &item.version,
                against,
                newest: &behind.version,
                released: behind.released.as_deref(),
                releases_behind: Some(behind.releases),
                days_behind: Some(behind.days),
                step: behind.step.map(Step::name),
                read_from: item.evidence.place(),
            })
        });
        let unknown = self.lag.unknown.iter().map(|name| Row { what: "unknown", name, ..Row::default() });
        CsvTable::of(rows.chain(unknown))
    }

    fn json(&self) -> serde_json::Result<Vec<u8>> {
        pretty(self.lag)
    }
}
