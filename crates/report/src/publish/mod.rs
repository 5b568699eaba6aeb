//! Reports: what is published of one install, of a comparison, of several editions.
//!
//! The order is for readers who have one minute: headlines first, then parts, programs, defaults, decisions, and the rest folded.
//! The sections of a page are the views of the commands; its charts say in a picture what is in words beside it.

mod sections;
mod template;

pub use sections::Knowledge;
pub use template::{TemplateError, fill};

use crate::View;
use crate::chart::{Chart, of_comparison, of_grid, of_install, of_releases};
use crate::document::{Block, Document, Line, Section};
use crate::render::{RenderError, RenderOptions, html, markdown, terminal};
use crate::text::count_of;
use crate::view::{
    CompareView, CompareWhat, GridView, ShowView, ShowWhat, all_seen, capital, dim, findings_with_text,
    key_figures,
};
use crate::wire::CsvTable;
use crate::words;
use sections::{Part, for_a_page, page, without_title};
use serde::Serialize;
use tally_core::compare::Comparison;
use tally_core::grid::{Grid, RowGroup, short_names};
use tally_core::model::{Label, Tally};

/// What is published, in every form that it can take.
pub struct Report {
    /// The page.
    pub page: Document,
    /// What is in show notes: the page without what is folded on it.
    pub notes: Document,
    /// Tables by name.
    pub tables: Vec<(&'static str, CsvTable)>,
    /// Pictures.
    pub charts: Vec<Chart>,
    /// Everything as data, the same that templates see.
    pub data: serde_json::Value,
}

impl Report {
    /// The page as HTML.
    pub fn html(&self) -> String {
        html::render(&self.page)
    }

    /// The show notes as Markdown.
    pub fn markdown(&self) -> String {
        markdown::render(&self.notes)
    }

    /// The show notes as plain text.
    pub fn plain(&self) -> String {
        terminal::render(&self.notes, RenderOptions::default())
    }

    /// Of one install.
    ///
    /// # Errors
    /// When a figure has no JSON form, or a row no CSV form.
    pub fn of_install(tally: &Tally, knowledge: &Knowledge<'_>) -> Result<Self, RenderError> {
        let view = |what| ShowView { tally, what, rules: knowledge.parts, roles: knowledge.roles };
        let charts = of_install(tally);
        let parts = [
            Part::open(
                "overview",
                "At a glance",
                for_a_page(without_title(view(ShowWhat::Overview).document())),
            ),
            Part::open("parts", "Under the hood", without_title(view(ShowWhat::Parts).document())),
            Part::open("menu", "Programs", without_title(view(ShowWhat::Menu).document()))
                .with(&charts, "menu"),
            Part::open("defaults", "Default apps", without_title(view(ShowWhat::Defaults).document()))
                .folded(),
            Part::open("findings", "Worth a second look", without_title(view(ShowWhat::Findings).document())),
            Part::open("weight", "Disk space", without_title(view(ShowWhat::Weight).document()))
                .with(&charts, "weight")
                .folded(),
            Part::open("startup", "Startup", without_title(view(ShowWhat::Startup).document())).folded(),
            Part::open(
                "repositories",
                "Repositories",
                without_title(view(ShowWhat::Repositories).document()),
            )
            .folded(),
            Part::open("looks", "Looks", without_title(view(ShowWhat::Looks).document())).folded(),
            Part::open("readings", "Readings and notes", without_title(view(ShowWhat::Readings).document()))
                .folded(),
            Part::open("packages", "Packages", without_title(view(ShowWhat::Packages).document()))
                .with(&charts, "kinds")
                .folded()
                .aside(),
        ];
        let (page, notes) =
            page(tally.label.title(), words::seen(tally.label.seen_as()), parts.into(), &[tally]);
        Ok(Self {
            page,
            notes,
            tables: tables(ShowWhat::ALL.iter().map(|what| (what.name(), view(*what).csv())))?,
            charts,
            data: {
                let mut data = data("install", &tally.label, serde_json::to_value(tally)?)?;
                data["install"]["findings"] = serde_json::to_value(findings_with_text(tally))?;
                data
            },
        })
    }

    /// Of what changed between two installs.
    ///
    /// # Errors
    /// When a figure has no JSON form, or a row no CSV form.
    pub fn of_comparison(
        (old, new): (&Tally, &Tally),
        comparison: &Comparison,
        knowledge: &Knowledge<'_>,
    ) -> Result<Self, RenderError> {
        let (rules, roles) = (knowledge.parts, knowledge.roles);
        let view = |what| CompareView {
            comparison,
            rules,
            roles,
            what,
            filtered: false,
            // Every view begins with the sums: on a page they stand once.
            sums: what == CompareWhat::Headlines,
            command: knowledge.command,
        };
        let mut charts = of_comparison(comparison);
        charts.extend(of_releases(&[old, new], rules));
        let section = |what| {
            let mut blocks = without_title(view(what).document());
            blocks.retain(|block| !matches!(block, Block::Heading(_)));
            blocks
        };
        // The key figures are a section of their own; headlines go up to the next heading.
        let mut figures = Document::default();
        key_figures(&mut figures, comparison);
        figures.blocks.retain(|block| !matches!(block, Block::Heading(_)));
        let first: Vec<Block> = without_title(view(CompareWhat::Headlines).document())
            .into_iter()
            .skip_while(|block| matches!(block, Block::Heading(_)) || figures.blocks.contains(block))
            .take_while(|block| !matches!(block, Block::Heading(_)))
            .collect();
        let parts = [
            Part::open("figures", "Key figures", figures.blocks),
            Part::open("headlines", "Headlines", first).then(&charts, "changes"),
            Part::open("parts", "Under the hood", section(CompareWhat::Parts)),
            Part::open("programs", "Programs", section(CompareWhat::Applications)),
            Part::open("defaults", "Default apps", section(CompareWhat::Defaults)),
            Part::open("decisions", "Decisions", section(CompareWhat::Decisions)).with(&charts, "decisions"),
            Part::open("weight", "Disk space", section(CompareWhat::Weight)).folded(),
            Part::open("repositories", "Repositories", section(CompareWhat::Repositories)).folded(),
            Part::open("startup", "Startup", section(CompareWhat::Startup)).folded(),
            Part::open("looks", "Looks", section(CompareWhat::Looks)).folded(),
            Part::open("readings", "Readings", section(CompareWhat::Readings)).folded(),
            Part::open("packages", "Packages", section(CompareWhat::Packages)).folded().aside(),
        ];
        let (shared, was, is) = crate::view::side_by_side(&comparison.old, &comparison.new);
        let seen = crate::view::both_seen(&comparison.old, &comparison.new);
        let (page, notes) = page(format!("{shared}: {was} → {is}"), &seen, parts.into(), &[old, new]);
        let wanted = [
            ("changes", CompareWhat::All),
            ("parts", CompareWhat::Parts),
            ("programs", CompareWhat::Applications),
            ("defaults", CompareWhat::Defaults),
            ("decisions", CompareWhat::Decisions),
            ("packages", CompareWhat::Packages),
        ];
        Ok(Self {
            page,
            notes,
            tables: tables(wanted.into_iter().map(|(name, what)| (name, view(what).csv())))?,
            charts,
            data: data("comparison", &comparison.new, serde_json::to_value(view(CompareWhat::All).wire())?)?,
        })
    }

    /// Of several installs side by side.
    ///
    /// # Errors
    /// When a figure has no JSON form, or a row no CSV form.
    pub fn of_editions(
        tallies: &[&Tally],
        grid: &Grid,
        knowledge: &Knowledge<'_>,
    ) -> Result<Self, RenderError> {
        let view =
            |groups, only_differing| GridView { grid, only_differing, groups, command: knowledge.command };
        let mut charts = of_grid(grid);
        let one_edition = |a: &Label, b: &Label| {
            (&a.distro_id, &a.edition, &a.profile) == (&b.distro_id, &b.edition, &b.profile)
        };
        if tallies.windows(2).all(|pair| one_edition(&pair[0].label, &pair[1].label)) {
            charts.extend(of_releases(tallies, knowledge.parts));
        }
        let titled = |group: &RowGroup| match group {
            RowGroup::Parts => "Under the hood".to_owned(),
            RowGroup::Defaults => "Default apps".to_owned(),
            RowGroup::Startup => "Startup".to_owned(),
            other => capital(other.name()),
        };
        let mut parts = vec![
            Part::open(
                "differences",
                "What differs",
                without_title(
                    view(
                        &[
                            RowGroup::Label,
                            RowGroup::Parts,
                            RowGroup::Defaults,
                            RowGroup::Counts,
                            RowGroup::Sizes,
                        ],
                        true,
                    )
                    .document(),
                ),
            )
            .with(&charts, "likeness"),
        ];
        if charts.iter().any(|chart| chart.name == "releases") {
            parts.push(Part::open("releases", "Through the releases", Vec::new()).with(&charts, "releases"));
        }
        for group in RowGroup::ALL.iter().filter(|group| grid.rows.iter().any(|row| row.group == **group)) {
            let mut table = without_title(view(std::slice::from_ref(group), false).document());
            table.truncate(1);
            parts.push(Part::open(group.name(), titled(group), table).folded());
        }
        let names: Vec<String> = short_names(&grid.installs).iter().map(ToString::to_string).collect();
        let title =
            format!("{} side by side: {}", count_of(tallies.len() as u64, "install"), names.join(", "));
        let (page, notes) = page(title, &all_seen(&grid.installs), parts, tallies);
        let mut data = data("grid", &grid.installs, serde_json::to_value(grid)?)?;
        data["installs"] = serde_json::to_value(&grid.installs)?;
        Ok(Self { page, notes, tables: vec![("grid", view(RowGroup::ALL, false).csv()?)], charts, data })
    }
}

/// Tables under their names.
fn tables(
    made: impl Iterator<Item = (&'static str, csv::Result<CsvTable>)>,
) -> csv::Result<Vec<(&'static str, CsvTable)>> {
    made.map(|(name, table)| Ok((name, table?))).collect()
}

/// What a template sees: the kind of report, the label or labels, and the result under its own name.
fn data<L: Serialize>(
    kind: &str,
    label: &L,
    result: serde_json::Value,
) -> serde_json::Result<serde_json::Value> {
    let mut map = serde_json::Map::new();
    map.insert("schema_version".into(), serde_json::json!(2));
    map.insert("report".into(), kind.into());
    map.insert("label".into(), serde_json::to_value(label)?);
    map.insert(kind.into(), result);
    Ok(serde_json::Value::Object(map))
}

/// A line that says where the report is from.
fn origin(tallies: &[&Tally]) -> Line {
    let one = |tally: &&Tally| {
        format!(
            "{}, read {} from {}",
            tally.label.handle,
            tally.taken.at.get(..10).unwrap_or_default(),
            tally.taken.from
        )
    };
    dim(format!("Made by fresh-tally from {}.", tallies.iter().map(one).collect::<Vec<_>>().join("; ")))
        .into()
}

/// A section of a page.
fn section(id: &'static str, title: impl Into<String>, open: bool, blocks: Vec<Block>) -> Block {
    Block::Section(Section { id, title: title.into(), open, blocks })
}
