//! The report of several installs side by side.

use super::notes::{Notes, section};
use super::sections::{open, page, without_title};
use super::{Knowledge, Report, data, origin};
use crate::View;
use crate::chart::{of_grid, of_releases};
use crate::document::{Block, Column, Line, Role, Row, Span, Table};
use crate::text::count_of;
use crate::view::{GridView, all_seen, dim, grid_cell, grid_heading};
use crate::words;
use tally_core::grid::{Grid, RowGroup, RowLabel, short_names};
use tally_core::model::{Label, Tally};

/// What differs is first told of these.
const FIRST: &[RowGroup] =
    &[RowGroup::Label, RowGroup::Parts, RowGroup::Defaults, RowGroup::Counts, RowGroup::Sizes];

impl<'a> Report<'a> {
    /// Of several installs side by side.
    pub fn of_editions(tallies: &'a [&'a Tally], grid: &'a Grid, knowledge: &Knowledge<'a>) -> Self {
        let command = knowledge.command;
        let view = move |groups, only_differing| GridView { grid, only_differing, groups, command };
        let mut charts = of_grid(grid, tallies);
        let one_edition = |a: &Label, b: &Label| {
            (&a.distro_id, &a.edition, &a.profile) == (&b.distro_id, &b.edition, &b.profile)
        };
        if tallies.windows(2).all(|pair| one_edition(&pair[0].label, &pair[1].label)) {
            charts.extend(of_releases(tallies, knowledge.parts));
        }
        // How alike they are is told by a chart.
        let differing = without_title(view(FIRST, true).differences());
        let at_a_glance = glance(grid);
        let mut sections = vec![Block::Section(
            open("glance", "At a glance", vec![at_a_glance.clone()]).by(knowledge.command),
        )];
        for (id, title) in [
            ("apps", "Who has which program"),
            ("likeness", "How alike they are"),
            ("releases", "Through the releases"),
        ] {
            if charts.iter().any(|chart| chart.name == id) {
                sections.push(Block::Section(open(id, title, Vec::new()).with(&charts, id)));
            }
        }
        sections.push(Block::Section(
            open("differences", "What differs", differing.clone())
                .by(format!("{} --only differing", knowledge.command)),
        ));
        for group in RowGroup::ALL.iter().filter(|group| grid.rows.iter().any(|row| row.group == **group)) {
            // What differs of the first ones was told above, and the whole of them is folded.
            let only_differing = matches!(group, RowGroup::Media | RowGroup::Settings);
            let is_open = only_differing || matches!(group, RowGroup::Asked | RowGroup::Readings);
            let mut table = without_title(view(std::slice::from_ref(group), only_differing).document());
            table.truncate(1);
            // The section is called like the group.
            if let Some(Block::Table(table)) = table.first_mut() {
                table.rows.retain(|row| !matches!(row, Row::Group(_)));
            }
            let only = if only_differing { " --only differing" } else { "" };
            let section = open(group.name(), grid_heading(*group), table);
            let section = section.by(format!("{} --rows {}{only}", knowledge.command, group.name()));
            sections.push(Block::Section(if is_open { section } else { section.folded() }));
        }
        let names: Vec<String> = short_names(&grid.installs).iter().map(ToString::to_string).collect();
        let count = count_of(tallies.len() as u64, "install");
        let shared = crate::view::shared_by_all(&grid.installs);
        let name = shared.split(", ").next().filter(|name| grid.installs[0].distro.as_str() == *name);
        let name = name.unwrap_or_default().to_owned();
        // What all share stands before what tells them apart.
        let own = |known: &String| {
            let short = known.strip_prefix(grid.installs[0].distro_id.as_str()).unwrap_or(known);
            short.trim_start_matches('-').to_owned()
        };
        let names: Vec<String> = if name.is_empty() { names } else { names.iter().map(own).collect() };
        let before = if name.is_empty() { Line::default() } else { Line::from(format!("{name} ")) };
        let title = Block::Title {
            text: before.and(Span::new(Role::Strong, names.join(", "))),
            aside: dim(format!("{count} side by side; {}", all_seen(&grid.installs))),
        };
        let top = vec![title.clone()];
        // What the charts say in a sentence each.
        let news: Vec<Line> = charts.iter().map(|chart| Line::from(chart.title.as_str())).collect();
        let notes = move || Notes {
            title: title.clone(),
            figures: Vec::new(),
            news: news.clone(),
            sections: vec![
                section("At a glance", vec![at_a_glance.clone()]),
                section("What differs", differing.clone()),
            ],
            origin: origin(tallies),
        };
        let data = move || {
            let mut data = data("grid", &grid.installs, serde_json::to_value(grid)?)?;
            data["installs"] = serde_json::to_value(&grid.installs)?;
            Ok(data)
        };
        Self {
            page: page(top, sections, tallies),
            charts,
            notes: Box::new(notes),
            tables: Box::new(move || Ok(vec![("grid", view(RowGroup::ALL, false).csv()?)])),
            data: Box::new(data),
        }
    }
}

/// Parts that are told at a glance.
const PARTS: &[&str] =
    &["desktop", "kernel", "display-manager", "graphics-stack", "sound-server", "init", "software-store"];

/// Figures and key versions, install by install.
fn glance(grid: &Grid) -> Block {
    let names = short_names(&grid.installs);
    let mut columns = vec![Column::new("").name()];
    columns.extend(names.iter().map(|name| Column::new(name.as_str())));
    let mut table = Table { folds: true, ..Table::new(columns) };
    let figures = grid.rows.iter().filter(|row| matches!(row.group, RowGroup::Counts | RowGroup::Sizes));
    let figures = figures.filter(|row| !matches!(row.label, RowLabel::Kind(_) | RowLabel::System(_)));
    let parts = PARTS.iter().flat_map(|part| {
        grid.rows
            .iter()
            .filter(move |row| row.group == RowGroup::Parts && row.row.split(':').next() == Some(part))
    });
    let roles = grid.rows.iter().filter(|row| row.group == RowGroup::Defaults && row.row == "web-browser");
    for row in figures.chain(parts).chain(roles) {
        // The sum of all bytes stands under a heading elsewhere.
        let label = words::row_label(&row.label);
        let mut cells =
            vec![Span::from(if row.group == RowGroup::Sizes { "On disk" } else { label.as_ref() })];
        cells.extend(row.cells.iter().enumerate().map(|(at, cell)| grid_cell(row, cell, at)));
        table.row(cells);
    }
    Block::Table(table)
}
