//! Reports: what is published of one install, of a comparison, of several editions.
//!
//! The order is for readers who have one minute: headlines first, then parts, programs, defaults, decisions, and the rest folded.
//! The sections of a page are the views of the commands; its charts say in a picture what is in words beside it.

mod apps;
mod comparison;
mod decisions;
pub use decisions::decisions;
mod defaults;
mod editions;
mod install;
mod notes;
mod packages;
mod pictures;
mod sections;
pub mod site;
mod template;

pub use notes::NotesForm;
pub use pictures::Thumbnails;
pub use sections::Knowledge;
pub use template::{TemplateError, fill};

use crate::chart::Chart;
use crate::document::{Document, Line};
use crate::render::{RenderOptions, html, markdown, terminal};
use crate::view::dim;
use crate::wire::CsvTable;
use notes::Notes;
use serde::Serialize;
use tally_core::model::Tally;

/// Something that is made when it is asked for.
type Later<'a, T> = Box<dyn Fn() -> T + 'a>;

/// Tables by name.
pub type Tables = Vec<(&'static str, CsvTable)>;

/// What is published, in every form that it can take; each is made when it is asked for.
pub struct Report<'a> {
    /// The page.
    pub page: Document,
    /// Pictures.
    pub charts: Vec<Chart>,
    notes: Later<'a, Notes>,
    tables: Later<'a, csv::Result<Tables>>,
    data: Later<'a, serde_json::Result<serde_json::Value>>,
}

impl Report<'_> {
    /// The page as HTML.
    pub fn html(&self) -> String {
        self.html_in(&[])
    }

    /// The page as HTML, with ways to other pages of a site.
    pub fn html_in(&self, ways: &[site::SiteLink]) -> String {
        html::render_with(&self.page, ways, "")
    }

    /// The show notes as Markdown.
    pub fn markdown(&self, form: NotesForm) -> String {
        markdown::render(&(self.notes)().document(form))
    }

    /// The show notes as plain text.
    pub fn plain(&self, form: NotesForm) -> String {
        terminal::render(&(self.notes)().document(form), RenderOptions::default())
    }

    /// Its tables.
    ///
    /// # Errors
    /// When a row has no CSV form.
    pub fn tables(&self) -> csv::Result<Tables> {
        (self.tables)()
    }

    /// Everything as data, the same that templates see.
    ///
    /// # Errors
    /// When a figure has no JSON form.
    pub fn data(&self) -> serde_json::Result<serde_json::Value> {
        (self.data)()
    }
}

/// Tables under their names.
fn tables(made: impl Iterator<Item = (&'static str, csv::Result<CsvTable>)>) -> csv::Result<Tables> {
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
        format!("{}, read {}", tally.label.handle, tally.taken.at.get(..10).unwrap_or_default())
    };
    dim(format!("Made by fresh-tally from {}.", tallies.iter().map(one).collect::<Vec<_>>().join("; ")))
        .into()
}
