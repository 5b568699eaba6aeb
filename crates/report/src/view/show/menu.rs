use crate::document::{Column, Document, Line, Role, Span, Table};
use crate::text::{count_of, megabytes};
use crate::view::{capital, dim, optional, strong};
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

pub(super) fn csv(tally: &Tally) -> CsvTable {
    let mut table = CsvTable::new(&[
        "menu",
        "name",
        "generic_name",
        "version",
        "package",
        "format",
        "installed_bytes",
        "shown",
        "hidden_because",
        "does",
        "url",
        "runs",
        "program_present",
        "id",
        "file",
    ]);
    let bytes = sizes(tally);
    for launcher in &tally.launchers {
        let size = launcher.package.as_ref().and_then(|p| bytes.get(p));
        table.row(vec![
            launcher.menu.name().into(),
            launcher.name.to_string(),
            optional(launcher.generic_name.as_deref()),
            optional(launcher.version.as_deref()),
            optional(launcher.package.as_ref().map(PackageRef::as_str)),
            optional(launcher.format.map(|f| f.name())),
            size.map(ToString::to_string).unwrap_or_default(),
            launcher.shown.to_string(),
            launcher.hidden_because.as_ref().map(words::hidden).unwrap_or_default(),
            launcher.does.name().into(),
            optional(launcher.url.as_deref()),
            optional(launcher.runs.as_deref()),
            launcher.program_present.map(|p| p.to_string()).unwrap_or_default(),
            launcher.id.to_string(),
            launcher.evidence.file.to_string(),
        ]);
    }
    table
}

pub(super) fn json(tally: &Tally) -> serde_json::Result<Vec<u8>> {
    #[derive(Serialize)]
    struct MenuContent<'a> {
        launchers: &'a [Launcher],
    }
    let content = MenuContent { launchers: &tally.launchers };
    pretty(&ShowWire { schema_version: 2, view: "menu", install: &tally.label, content })
}
