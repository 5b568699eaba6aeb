//! Show notes: the order and the words of the page, as text to paste.

use crate::document::{Block, Document, Line, Section, Span};
use crate::view::dim;

/// Characters that the short form has at most, as descriptions of videos are cut after so many.
const SHORT: usize = 1000;

/// Which show notes are asked for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct NotesForm {
    /// Under a thousand characters.
    pub short: bool,
    /// Whether each section has a place for the time at which a video comes to it.
    pub timestamps: bool,
}

/// What show notes are made of.
pub(super) struct Notes {
    /// The title.
    pub(super) title: Block,
    /// Figures, versions.
    pub(super) figures: Vec<Block>,
    /// The lines that matter most, the first of all first.
    pub(super) news: Vec<Line>,
    /// What follows in the long form.
    pub(super) sections: Vec<Section>,
    /// Where it is from.
    pub(super) origin: Line,
}

impl Notes {
    pub(super) fn document(&self, form: NotesForm) -> Document {
        if form.short { self.short() } else { self.long(form.timestamps) }
    }

    /// As many of the news as there is room for.
    fn short(&self) -> Document {
        let mut document = Document { blocks: vec![self.title.clone()] };
        document.blocks.extend(self.figures.first().cloned());
        let length = |document: &Document| crate::render::markdown::render(document).chars().count();
        let mut lines: Vec<Line> = Vec::new();
        for line in &self.news {
            let mut tried = document.clone();
            lines.push(line.clone());
            tried.push(Block::Ranked(lines.clone()));
            if length(&tried) >= SHORT {
                lines.pop();
                break;
            }
        }
        if !lines.is_empty() {
            document.push(Block::Ranked(lines));
        }
        document
    }

    fn long(&self, timestamps: bool) -> Document {
        let stamped = |title: &str| if timestamps { format!("0:00 {title}") } else { title.to_owned() };
        let mut document = Document { blocks: vec![self.title.clone()] };
        document.blocks.extend(self.figures.iter().cloned());
        if !self.news.is_empty() {
            document.push(Block::Section(Section {
                title: stamped("Headlines"),
                blocks: vec![Block::Ranked(self.news.clone())],
                ..Section::default()
            }));
        }
        for section in &self.sections {
            let title = stamped(&section.title);
            document.push(Block::Section(Section { title, ..section.clone() }));
        }
        document.paragraph(self.origin.clone());
        document
    }
}

/// A line without its way to somewhere on a page.
pub(super) fn plain(line: &Line) -> Line {
    Line(line.0.iter().map(|span| Span::new(span.role, &span.text)).collect())
}

/// A section of the long form; pictures are on the page alone.
pub(super) fn section(title: &str, blocks: Vec<Block>) -> Section {
    let blocks: Vec<Block> =
        blocks.into_iter().filter(|block| !matches!(block, Block::Picture { .. })).collect();
    let blocks = if blocks.is_empty() { vec![Block::Paragraph(dim("Nothing.").into())] } else { blocks };
    Section { title: title.to_owned(), open: true, blocks, ..Section::default() }
}
