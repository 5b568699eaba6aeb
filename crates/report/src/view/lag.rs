use super::{dim, optional};
use crate::View;
use crate::document::{Column, Document, Line, Role, Span, Table};
use crate::text::count_of;
use crate::wire::{CsvTable, pretty};
use crate::words;
use serde::Serialize;
use tally_core::lag::{Behind, Lag, LagItem, ReleaseSource};
use tally_core::version::Step;

/// How far behind upstream an install was.
#[derive(Debug, Clone)]
pub struct LagView<'a> {
    /// Items, and names of which nothing is known.
    pub lag: &'a Lag,
    /// Whether a file of the reviewer's was read.
    pub by_file: bool,
}

/// How far behind one install was, and another one after it.
#[derive(Debug, Clone)]
pub struct LagChangeView<'a> {
    /// The older one.
    pub old: &'a Lag,
    /// The newer one.
    pub new: &'a Lag,
}

/// `36`; `at least 36` where not all releases are known.
fn days(item: &LagItem, behind: &Behind) -> String {
    match behind.releases {
        0 => String::new(),
        _ if item.at_least => format!("{} or more", behind.days),
        _ => behind.days.to_string(),
    }
}

/// The day of its own version, or of the one before it.
fn came_out(item: &LagItem) -> String {
    let after = item.after.as_ref().map(|before| format!("after {}", before.released));
    item.released.as_ref().map(ToString::to_string).or(after).unwrap_or_default()
}

/// Who says so; of an install of its own only that.
fn source_of(lag: &Lag, item: &LagItem, shown: &Behind, series: bool) -> String {
    let own = |source: &ReleaseSource| source.install.as_ref() == Some(&lag.install.handle);
    match (&shown.first, &item.released_by) {
        (Some(first), _) if item.at_least && own(&first.source) => {
            format!("{} on {}", first.version, first.released)
        }
        (Some(first), _) if item.at_least => words::first_newer(first),
        (None, Some(source)) if item.at_least && !series && !own(source) => words::release_source(source),
        _ => String::new(),
    }
}

fn row(table: &mut Table, lag: &Lag, item: &LagItem, shown: &Behind, series: bool) {
    let held = lag.base.is_some();
    let newest = match (shown.releases, &shown.released) {
        (0, _) if item.at_least => "nothing newer known".to_owned(),
        (0, Some(_)) => "this one".to_owned(),
        (0, None) => "newer than the file knows".to_owned(),
        _ => shown.version.to_string(),
    };
    let guessed = if item.series_guessed { " (guessed)" } else { "" };
    let mut cells: Vec<Span> = vec![
        if series {
            dim(format!("  in its series {}{guessed}", optional(item.series.as_deref())))
        } else {
            item.name.as_str().into()
        },
        match &item.counted_as {
            _ if series => "".into(),
            Some(own) => format!("{} ({own})", item.version).into(),
            None => item.version.as_str().into(),
        },
        if series { "".into() } else { dim(came_out(item)) },
        if shown.releases == 0 { dim(newest) } else { newest.into() },
        dim(if shown.releases == 0 { String::new() } else { optional(shown.released.as_deref()) }),
        match shown.releases {
            0 => Span::new(Role::Came, "none"),
            releases => Span::new(Role::Changed, releases.to_string()),
        },
        days(item, shown).into(),
        shown.step.map(Step::name).unwrap_or_default().into(),
    ];
    if held {
        cells.push(if series {
            "".into()
        } else {
            item.held_by.map(words::held_by).unwrap_or_default().into()
        });
    }
    let source = source_of(lag, item, shown, series);
    cells.push(dim(source));
    table.row(cells);
}

impl View for LagView<'_> {
    fn document(&self) -> Document {
        let lag = self.lag;
        let mut document = Document::default();
        document.title(format!("{} on {}", lag.install.title(), lag.day), words::seen(lag.install.seen_as()));
        let behind = lag.items.iter().filter(|item| item.newest.releases > 0).count();
        let current = lag.items.iter().filter(|item| item.newest.releases == 0 && !item.at_least).count();
        let silent = lag.items.len() - behind - current;
        let mut line = Line::from(Span::new(Role::Changed, format!("{behind} behind")));
        if self.by_file || current > 0 {
            line = line.and(", ").and(Span::new(Role::Came, format!("{current} up to date")));
        }
        if silent > 0 {
            line = line.and(format!(", {silent} with nothing newer known"));
        }
        document.paragraph(line.and(format!(", {} of which nothing is known", lag.unknown.len())));
        let held = lag.base.is_some();
        let mut columns = vec![
            Column::new("").name(),
            Column::new("installed"),
            Column::new("came out").drops(1),
            Column::new("newest then"),
            Column::new("released").drops(2),
            Column::new("releases behind").right(),
            Column::new("days").right(),
            Column::new("step").drops(3),
        ];
        if held {
            columns.push(Column::new("held back"));
        }
        let at_least = lag.items.iter().any(|item| item.at_least);
        columns.push(Column::new(if at_least { "because" } else { "" }));
        let mut table = Table::new(columns);
        for item in &lag.items {
            row(&mut table, lag, item, &item.newest, false);
            // That nothing newer is known in what may be its series says no more than the line above.
            let tells = |series: &&Behind| series.releases > 0 || !item.series_guessed;
            if let Some(series) = item.in_series.as_ref().filter(tells) {
                row(&mut table, lag, item, series, true);
            }
        }
        document.table_or(table, "Nothing is known of the releases of its parts and programs.");
        if !lag.unknown.is_empty() {
            let number = count_of(lag.unknown.len() as u64, "name");
            document.paragraph(dim(format!("Nothing known ({number}): {}", lag.unknown.join(", "))));
        }
        document.paragraph(dim("Days: from the first newer release to that day."));
        if lag.items.iter().any(|item| item.counted_as.is_some()) {
            document
                .paragraph(dim("In brackets: what the program's own list of releases calls that version."));
        }
        if at_least {
            document.paragraph(dim(
                "`or more`: what programs say of themselves (AppStream) and what other installs shipped is all that is \
                 known here; a file of releases (`--upstream`) tells more.",
            ));
        }
        document
    }

    fn csv(&self) -> csv::Result<CsvTable> {
        #[derive(Serialize, Default)]
        struct Row<'a> {
            what: &'a str,
            name: &'a str,
            project: &'a str,
            version: &'a str,
            came_out: Option<&'a str>,
            came_out_after: Option<&'a str>,
            against: Option<&'a str>,
            newest: &'a str,
            released: Option<&'a str>,
            releases_behind: Option<u32>,
            days_behind: Option<u32>,
            at_least: Option<bool>,
            step: Option<&'a str>,
            held_by: Option<&'a str>,
            counted_from: Option<&'a str>,
            known_by: Option<&'a str>,
            known_from: Option<&'a str>,
            known_file: Option<String>,
            read_from: String,
        }
        let rows = self.lag.items.iter().flat_map(|item| {
            let all = (Some("all"), &item.newest);
            let series = item.in_series.as_ref().map(|behind| (item.series.as_deref(), behind));
            std::iter::once(all).chain(series).map(|(against, behind)| {
                let source = behind.first.as_ref().map(|first| &first.source).or(item.released_by.as_ref());
                Row {
                    what: item.what,
                    name: &item.name,
                    project: &item.project,
                    version: &item.version,
                    came_out: item.released.as_deref(),
                    came_out_after: item.after.as_ref().map(|before| before.released.as_str()),
                    against,
                    newest: &behind.version,
                    released: behind.released.as_deref(),
                    releases_behind: Some(behind.releases),
                    days_behind: Some(behind.days),
                    at_least: Some(item.at_least),
                    step: behind.step.map(Step::name),
                    held_by: item.held_by.map(|by| by.name()),
                    counted_from: behind.first.as_ref().map(|first| first.released.as_str()),
                    known_by: source.map(|source| source.by.name()),
                    known_from: source.and_then(|source| source.install.as_deref()),
                    known_file: source.map(|source| source.evidence.place()),
                    read_from: item.evidence.place(),
                }
            })
        });
        let unknown = self.lag.unknown.iter().map(|name| Row { what: "unknown", name, ..Row::default() });
        CsvTable::of(rows.chain(unknown))
    }

    fn json(&self) -> serde_json::Result<Vec<u8>> {
        pretty(self.lag)
    }
}

/// One project in both.
#[derive(Debug, Default, Serialize)]
struct Gap<'a> {
    name: &'a str,
    project: &'a str,
    old_version: &'a str,
    new_version: &'a str,
    old_days_behind: u32,
    new_days_behind: u32,
    /// Days by which the gap grew; below 0 where it shrank.
    change: i64,
    at_least: bool,
}

impl LagChangeView<'_> {
    /// What both have, those whose gap grew most first.
    fn gaps(&self) -> Vec<Gap<'_>> {
        let gap = |new: &'_ LagItem| -> Option<(usize, usize)> {
            let at = self.new.items.iter().position(|one| std::ptr::eq(one, new))?;
            let same =
                |old: &LagItem| old.what == new.what && (old.project == new.project || old.name == new.name);
            Some((self.old.items.iter().position(same)?, at))
        };
        let pairs = self.new.items.iter().filter_map(gap);
        let mut gaps: Vec<Gap<'_>> = pairs
            .map(|(old, new)| {
                let (old, new) = (&self.old.items[old], &self.new.items[new]);
                Gap {
                    name: &new.name,
                    project: &new.project,
                    old_version: &old.version,
                    new_version: &new.version,
                    old_days_behind: old.newest.days,
                    new_days_behind: new.newest.days,
                    change: i64::from(new.newest.days) - i64::from(old.newest.days),
                    at_least: old.at_least || new.at_least,
                }
            })
            .collect();
        gaps.sort_by(|a, b| b.change.cmp(&a.change).then_with(|| a.name.cmp(b.name)));
        gaps
    }
}

impl View for LagChangeView<'_> {
    fn document(&self) -> Document {
        let (old, new) = (self.old, self.new);
        let mut document = Document::default();
        document.title(
            super::change_title(&old.install, &new.install),
            format!("on {} and on {}; {}", old.day, new.day, super::both_seen(&old.install, &new.install)),
        );
        let gaps = self.gaps();
        let count = |of: &dyn Fn(&Gap<'_>) -> bool| gaps.iter().filter(|gap| of(gap)).count();
        document.paragraph(
            Line::from(Span::new(Role::Changed, format!("{} further behind", count(&|gap| gap.change > 0))))
                .and(", ")
                .and(Span::new(Role::Came, format!("{} less far behind", count(&|gap| gap.change < 0))))
                .and(format!(", {} as before", count(&|gap| gap.change == 0))),
        );
        let mut table = Table::new(vec![
            Column::new("").name(),
            Column::new("then"),
            Column::new("days behind").right(),
            Column::new("now"),
            Column::new("days behind").right(),
            Column::new("the gap"),
        ]);
        for gap in &gaps {
            let change = match gap.change {
                0 => dim("as before"),
                days if days > 0 => Span::new(Role::Changed, format!("grew by {days}")),
                days => Span::new(Role::Came, format!("shrank by {}", -days)),
            };
            table.row(vec![
                gap.name.into(),
                gap.old_version.into(),
                gap.old_days_behind.to_string().into(),
                gap.new_version.into(),
                gap.new_days_behind.to_string().into(),
                change,
            ]);
        }
        document.table_or(table, "Of nothing that both have is it known when it was released.");
        if gaps.iter().any(|gap| gap.at_least) {
            document.paragraph(dim("Not all releases are known: each may be further behind than is told."));
        }
        document
    }

    fn csv(&self) -> csv::Result<CsvTable> {
        CsvTable::of(self.gaps())
    }

    fn json(&self) -> serde_json::Result<Vec<u8>> {
        #[derive(Serialize)]
        struct Both<'a> {
            schema_version: u32,
            old: &'a Lag,
            new: &'a Lag,
            gaps: Vec<Gap<'a>>,
        }
        pretty(&Both {
            schema_version: tally_core::lag::LAG_SCHEMA,
            old: self.old,
            new: self.new,
            gaps: self.gaps(),
        })
    }
}
