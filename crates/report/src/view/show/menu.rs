use crate::document::{Column, Document, Line, Role, Span, Table};
use crate::text::{count_of, megabytes};
use crate::view::{capital, dim, strong};
use crate::wire::{CsvTable, ShowWire, pretty};
use crate::words;
use serde::Serialize;
use std::collections::BTreeMap;
use tally_core::model::{Does, Launcher, Menu, MissingFact, PackageRef, System, Tally};

pub(super) fn document(tally: &Tally) -> Document {
    let mut document = Document::default();
    document.title(tally.label.title(), words::seen(tally.label.seen_as()));
    if tally.lacks(MissingFact::Launchers) {
        document.paragraph("The menu is not recorded in this source.");
        return document;
    }
    let hidden = tally.launchers.iter().filter(|l| !l.shown).count();
    let shown = u64::from(tally.counts.launchers_shown);
    let line = Line::from(strong(count_of(shown, "entry"))).and(format!(
        " in the menu for {}; {hidden} more are hidden",
        count_of(u64::from(tally.counts.applications), "program")
    ));
    document.paragraph(line);
    let bytes = sizes(tally);
    let mut table = Table::new(vec![
        Column::new("name").name(),
        Column::new("version"),
        Column::new("package").name().drops(2),
        Column::new("format").drops(3),
        Column::new("MB").right().drops(1),
        Column::new("").sentence(),
        Column::new("read from").name().drops(0),
    ]);
    for menu in Menu::ALL {
        let entries: Vec<&Launcher> = in_menu(tally, *menu);
        if entries.is_empty() {
            continue;
        }
        table.group(Line::from(strong(capital(menu.name()))).and(dim(format!("  {}", entries.len()))));
        for launcher in entries {
            let size = launcher.package.as_ref().and_then(|p| bytes.get(p)).map(|b| megabytes(*b));
            table.row(vec![
                launcher.name.as_str().into(),
                launcher.version.as_deref().unwrap_or("unknown").into(),
                launcher.package.as_ref().map_or("no package", PackageRef::name).into(),
                launcher.format.map_or("unknown", |f| f.name()).into(),
                size.unwrap_or_default().into(),
                remark(launcher),
                dim(launcher.evidence.place()),
            ]);
        }
    }
    document.table_or(table, "The menu is empty.");
    document
}

/// Shown launchers of a menu, by name.
fn in_menu(tally: &Tally, menu: Menu) -> Vec<&Launcher> {
    let mut entries: Vec<&Launcher> = tally.launchers.iter().filter(|l| l.shown && l.menu == menu).collect();
    entries.sort_by_cached_key(|launcher| (launcher.name.to_lowercase(), launcher.id.clone()));
    entries
}

/// What deserves a word: a web page, a missing program; else what it is in general.
fn remark(launcher: &Launcher) -> Span {
    match launcher.does {
        Does::WebPage => Span::new(Role::LookTwice, "only opens a web page"),
        _ if launcher.program_present == Some(false) => {
            Span::new(Role::LookTwice, "its program is not installed")
        }
        _ if launcher.is_embedded() && launcher.format == Some(System::Appimage) => {
            Span::new(Role::LookTwice, "not in the menu yet")
        }
        _ => dim(launcher.generic_name.as_deref().unwrap_or_default()),
    }
}

fn sizes(tally: &Tally) -> BTreeMap<PackageRef, u64> {
    tally.present().filter_map(|p| Some((p.reference(), p.installed_bytes?))).collect()
}

pub(super) fn csv(tally: &Tally) -> csv::Result<CsvTable> {
    #[derive(Serialize, Default)]
    struct Row<'a> {
        menu: &'a str,
        name: &'a str,
        generic_name: Option<&'a str>,
        version: Option<&'a str>,
        package: Option<&'a str>,
        format: Option<&'a str>,
        installed_bytes: Option<u64>,
        shown: bool,
        hidden_because: Option<String>,
        does: &'a str,
        url: Option<&'a str>,
        runs: Option<&'a str>,
        program_present: Option<bool>,
        id: &'a str,
        file: &'a str,
    }
    let bytes = sizes(tally);
    CsvTable::of(tally.launchers.iter().map(|launcher| Row {
        menu: launcher.menu.name(),
        name: &launcher.name,
        generic_name: launcher.generic_name.as_deref(),
        version: launcher.version.as_deref(),
        package: launcher.package.as_ref().map(PackageRef::as_str),
        format: launcher.format.map(|format| format.name()),
        installed_bytes: launcher.package.as_ref().and_then(|package| bytes.get(package)).copied(),
        shown: launcher.shown,
        hidden_because: launcher.hidden_because.as_ref().map(words::hidden),
        does: launcher.does.name(),
        url: launcher.url.as_deref(),
        runs: launcher.runs.as_deref(),
        program_present: launcher.program_present,
        id: &launcher.id,
        file: &launcher.evidence.file,
    }))
}

pub(super) fn json(tally: &Tally) -> serde_json::Result<Vec<u8>> {
    #[derive(Serialize)]
    struct MenuContent<'a> {
        launchers: &'a [Launcher],
    }
    let content = MenuContent { launchers: &tally.launchers };
    pretty(&ShowWire { schema_version: 2, view: "menu", install: &tally.label, content })
}
