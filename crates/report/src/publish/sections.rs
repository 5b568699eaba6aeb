//! From views to the sections of a page.

use super::{Thumbnails, origin};
use crate::chart::Chart;
use crate::document::{Block, Document, Section};
use crate::text::clean;
use tally_core::knowledge::{PartRules, Roles};
use tally_core::lag::Lag;
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
    /// Thumbnails of the installs' pictures.
    pub pictures: &'a Thumbnails,
    /// How far behind each install was, in their order; none where that is not asked.
    pub lags: &'a [Lag],
}

/// A section, open.
pub(super) fn open(id: &'static str, title: impl Into<String>, blocks: Vec<Block>) -> Section {
    Section { id, title: title.into(), open: true, blocks, ..Section::default() }
}

impl Section {
    /// Folded from the beginning.
    #[must_use]
    pub(super) fn folded(self) -> Self {
        Self { open: false, ..self }
    }

    /// With what it holds, in few words.
    #[must_use]
    pub(super) fn holds(self, aside: impl Into<String>) -> Self {
        Self { aside: clean(&aside.into()).into_owned(), ..self }
    }

    /// With the command that shows the same.
    #[must_use]
    pub(super) fn by(self, command: impl Into<String>) -> Self {
        Self { command: clean(&command.into()).into_owned(), ..self }
    }

    /// With a chart before what it says.
    #[must_use]
    pub(super) fn with(mut self, charts: &[Chart], name: &str) -> Self {
        let picture = charts
            .iter()
            .find(|chart| chart.name == name)
            .map(|chart| Block::Picture { svg: chart.inline(), caption: clean(&chart.aside).into_owned() });
        self.blocks.splice(0..0, picture);
        self
    }
}

/// A page: what it begins with, its sections, and where it is from.
pub(super) fn page(top: Vec<Block>, sections: Vec<Block>, tallies: &[&Tally]) -> Document {
    let mut page = Document { blocks: top };
    page.blocks.extend(sections);
    page.paragraph(origin(tallies));
    page
}

/// The blocks of a view but its title, which a page has once.
pub(super) fn without_title(document: Document) -> Vec<Block> {
    document.blocks.into_iter().filter(|block| !matches!(block, Block::Title { .. })).collect()
}

/// The blocks of a view but its title and its headings, which the section has.
pub(super) fn without_headings(document: Document) -> Vec<Block> {
    let mut blocks = without_title(document);
    blocks.retain(|block| !matches!(block, Block::Heading(_)));
    blocks
}
