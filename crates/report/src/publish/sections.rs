//! From views to the sections of a page and of show notes.

use super::{origin, section};
use crate::chart::Chart;
use crate::document::{Block, Document};
use crate::text::clean;
use tally_core::knowledge::{PartRules, Roles};
use tally_core::model::Tally;

/// What a report needs to know beside the results.
#[derive(Debug, Clone, Copy)]
pub struct Knowledge<'a> {
    /// Names of parts.
    pub parts: &'a PartRules,
    /// Names of roles.
    pub roles: &'a Roles,
    /// The command that gives the result, for hints.
    pub command: &'a str,
}

/// A section in the making.
pub(super) struct Part {
    id: &'static str,
    title: String,
    open: bool,
    in_notes: bool,
    blocks: Vec<Block>,
}

impl Part {
    pub(super) fn open(id: &'static str, title: impl Into<String>, blocks: Vec<Block>) -> Self {
        Self { id, title: title.into(), open: true, in_notes: true, blocks }
    }

    /// Folded from the beginning.
    pub(super) fn folded(self) -> Self {
        Self { open: false, ..self }
    }

    /// Too long for show notes.
    pub(super) fn aside(self) -> Self {
        Self { in_notes: false, ..self }
    }

    /// With a chart before what it says.
    pub(super) fn with(mut self, charts: &[Chart], name: &str) -> Self {
        self.blocks.splice(0..0, picture(charts, name));
        self
    }

    /// With a chart behind what it says.
    pub(super) fn then(mut self, charts: &[Chart], name: &str) -> Self {
        self.blocks.extend(picture(charts, name));
        self
    }
}

fn picture(charts: &[Chart], name: &str) -> Option<Block> {
    let chart = charts.iter().find(|chart| chart.name == name)?;
    Some(Block::Picture {
        svg: chart.inline(),
        caption: clean(&format!("{} ({})", chart.title, chart.aside)).into_owned(),
    })
}

/// What only a screen shows, such as the command that tells more, is left out of a page.
pub(super) fn for_a_page(mut blocks: Vec<Block>) -> Vec<Block> {
    for block in &mut blocks {
        if let Block::Facts(facts) = block {
            facts.iter_mut().for_each(|fact| fact.value.0.retain(|span| !span.on_screen));
        }
    }
    blocks
}

/// The page, and the show notes: what is open on the page, and no pictures.
pub(super) fn page(title: String, seen: &str, parts: Vec<Part>, tallies: &[&Tally]) -> (Document, Document) {
    let (mut page, mut notes) = (Document::default(), Document::default());
    page.title(title.clone(), seen);
    notes.title(title, seen);
    for Part { id, title, open, in_notes, blocks } in parts {
        if open && in_notes {
            let told =
                blocks.iter().filter(|block| !matches!(block, Block::Picture { .. })).cloned().collect();
            notes.push(section(id, title.clone(), open, told));
        }
        page.push(section(id, title, open, blocks));
    }
    page.paragraph(origin(tallies));
    notes.paragraph(origin(tallies));
    (page, notes)
}

/// The blocks of a view but its first line, which a page has once.
pub(super) fn without_title(document: Document) -> Vec<Block> {
    document.blocks.into_iter().filter(|block| !matches!(block, Block::Title { .. })).collect()
}
