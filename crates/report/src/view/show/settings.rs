//! What is set for a new user, area by area.

use crate::document::{Cell, Column, Document, Role, Span, Table};
use crate::text::{count_of, width};
use crate::view::dim;
use crate::wire::CsvTable;
use crate::words;
use serde::Serialize;
use tally_core::knowledge::{SettingArea, SettingShape, settings};
use tally_core::model::{PackageRef, Setting, Tally};

pub(super) fn document(tally: &Tally, all: bool) -> Document {
    let mut document = Document::default();
    document.title(tally.label.title(), words::seen(tally.label.seen_as()));
    if tally.settings.is_empty() {
        document.paragraph("No settings are recorded: the tally is older than that, or the source has none.");
        return document;
    }
    document.paragraph(summary(tally));
    let shown = |one: &&Setting| all || one.area != SettingArea::Other;
    let list: Vec<&Setting> = tally.settings.iter().filter(shown).collect();
    document.push(crate::document::Block::Table(table(tally, &list)));
    let other = tally.settings.iter().filter(|one| one.area == SettingArea::Other).count() as u64;
    if other > 0 && !all {
        document.paragraph(dim(format!(
            "{} of their own names are set as well: add `--all`.",
            count_of(other, "more setting")
        )));
    }
    document
}

/// Columns of a value that stands in its row.
const LONGEST: usize = 30;

/// How many there are, and how many of them the makers of the distribution set.
fn summary(tally: &Tally) -> String {
    let known = || tally.settings.iter().filter(|one| one.area != SettingArea::Other);
    let own = known().filter(|one| one.is_own()).count() as u64;
    let by = match own {
        0 => "all of them as upstream has them".to_owned(),
        n => format!("{n} set by the distribution, otherwise than upstream"),
    };
    let desktop = tally.looks.started().and_then(|session| session.desktop.as_deref());
    let of = desktop.map(|desktop| format!(" of {desktop}")).unwrap_or_default();
    format!("{}{of} for a new user; {by}", count_of(known().count() as u64, "setting"))
}

fn table(tally: &Tally, list: &[&Setting]) -> Table {
    let mut table = Table::new(vec![
        Column::new("setting").name(),
        Column::new("value").name(),
        Column::new("upstream").name().drops(2),
        Column::new("set by").name(),
        Column::new("read from").name().drops(1),
    ]);
    let mut area = None;
    for setting in list {
        if area.replace(setting.area) != Some(setting.area) {
            table.group(Span::new(Role::Strong, words::setting_area(setting.area)));
        }
        let own = setting.is_own();
        let value = said(tally, setting, &setting.value);
        let upstream = setting.upstream_value.as_deref().filter(|upstream| setting.value != **upstream);
        let upstream = upstream.map(|value| said(tally, setting, value)).unwrap_or_default();
        let role = if own { Role::Changed } else { Role::Plain };
        // What is long stands below its row, whole.
        let (long, long_before) = (width(&value) > LONGEST, width(&upstream) > LONGEST);
        let cell: Cell = if long { dim("below") } else { Span::new(role, value.as_str()) };
        let by = match (&setting.set_by, setting.evidence.file.is_empty()) {
            (Some(package), _) if own => Cell::from(package.name()),
            (Some(package), _) => dim(package.name()),
            (None, true) => dim("the program itself"),
            (None, false) => dim("no package"),
        };
        table.row(vec![
            settings().label(&setting.key).into(),
            cell,
            dim(if long_before { "below" } else { upstream.as_str() }),
            by,
            dim(setting.evidence.place()),
        ]);
        if long {
            table.note(Span::new(role, value));
        }
        if long_before {
            table.note(dim(format!("upstream: {upstream}")));
        }
    }
    table
}

/// A value for people: programs of a list by the names of their apps.
pub(crate) fn said(tally: &Tally, setting: &Setting, value: &str) -> String {
    let is_list = settings().of(&setting.key).is_some_and(|rule| rule.shape == Some(SettingShape::List));
    let text = if is_list {
        value.split(", ").map(|id| tally.holder(id).0).collect::<Vec<_>>().join(", ")
    } else {
        value.to_owned()
    };
    if setting.locked { format!("{text} (locked)") } else { text }
}

pub(super) fn csv(tally: &Tally) -> csv::Result<CsvTable> {
    #[derive(Serialize, Default)]
    struct Row<'a> {
        area: &'a str,
        key: &'a str,
        value: &'a str,
        upstream_value: Option<&'a str>,
        source: &'a str,
        own: bool,
        locked: bool,
        set_by: Option<&'a str>,
        native: &'a str,
        file: String,
    }
    CsvTable::of(tally.settings.iter().map(|setting| Row {
        area: setting.area.name(),
        key: &setting.key,
        value: &setting.value,
        upstream_value: setting.upstream_value.as_deref(),
        source: setting.source.name(),
        own: setting.is_own(),
        locked: setting.locked,
        set_by: setting.set_by.as_ref().map(PackageRef::as_str),
        native: &setting.native,
        file: setting.evidence.place(),
    }))
}
