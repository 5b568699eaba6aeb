//! Where laid-out text goes: into one text with colours, or into lines of spans.

use crate::Palette;
use crate::document::{Role, Span};

/// Takes text, piece by piece and line by line.
pub(super) trait Sink {
    /// Text with a meaning.
    fn styled(&mut self, role: Role, text: &str);
    /// Spaces.
    fn pad(&mut self, columns: usize);
    /// Takes spaces off the end of the line.
    fn trim(&mut self);
    /// Ends the line.
    fn end(&mut self);
    /// A block begins, the so manieth of its document.
    fn block(&mut self, _at: usize) {}
    /// What the next line is about: the so manieth row of its block, its name, and its fold with whether something is behind it.
    fn subject(&mut self, _row: usize, _name: &str, _fold: Option<(&str, bool)>) {}
    /// What the next line leads to: a section, or something in one.
    fn leads_to(&mut self, _place: &str) {}
}

/// One text for a terminal or a pipe.
pub(super) struct Painted {
    text: String,
    palette: Palette,
}

impl Painted {
    pub(super) fn new(palette: Palette) -> Self {
        Self { text: String::new(), palette }
    }

    pub(super) fn finish(self) -> String {
        self.text
    }
}

impl Sink for Painted {
    fn styled(&mut self, role: Role, text: &str) {
        let style = self.palette.style(role);
        self.text.push_str(&format!("{style}{text}{style:#}"));
    }

    fn pad(&mut self, columns: usize) {
        self.text.extend(std::iter::repeat_n(' ', columns));
    }

    fn trim(&mut self) {
        self.text.truncate(self.text.trim_end_matches(' ').len());
    }

    fn end(&mut self) {
        self.text.push('\n');
    }
}

/// A line of a screen.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Laid {
    /// Its text, with meanings.
    pub spans: Vec<Span>,
    /// What it is about; none for headings, sentences and what goes on from the line above.
    pub subject: Option<Subject>,
}

/// What a line is about.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Subject {
    /// The block of the document, counted from 0.
    pub block: usize,
    /// The row of the block, counted from 0.
    pub row: usize,
    /// Its name: the text of its first cell.
    pub name: String,
    /// The ID of its fold.
    pub fold: Option<String>,
    /// Whether something is behind it.
    pub opens: bool,
    /// The section that tells more, or something in it; empty for nothing.
    pub leads_to: String,
}

impl Laid {
    /// Its text without meanings.
    pub fn plain(&self) -> String {
        self.spans.iter().map(|span| span.text.as_str()).collect()
    }
}

/// Lines of spans.
#[derive(Default)]
pub(super) struct Lines {
    done: Vec<Laid>,
    line: Laid,
    block: usize,
}

impl Lines {
    pub(super) fn finish(mut self) -> Vec<Laid> {
        if self.line != Laid::default() {
            self.end();
        }
        self.done
    }
}

impl Sink for Lines {
    fn styled(&mut self, role: Role, text: &str) {
        if text.is_empty() {
            return;
        }
        match self.line.spans.last_mut() {
            Some(last) if last.role == role => last.text.push_str(text),
            _ => self.line.spans.push(Span { text: text.to_owned(), role, ..Span::default() }),
        }
    }

    fn pad(&mut self, columns: usize) {
        match self.line.spans.last_mut() {
            // Spaces look alike in every colour.
            Some(last) => last.text.extend(std::iter::repeat_n(' ', columns)),
            None => self.styled(Role::Plain, &" ".repeat(columns)),
        }
    }

    fn trim(&mut self) {
        while let Some(last) = self.line.spans.last_mut() {
            last.text.truncate(last.text.trim_end_matches(' ').len());
            if !last.text.is_empty() {
                break;
            }
            self.line.spans.pop();
        }
    }

    fn end(&mut self) {
        self.trim();
        self.done.push(std::mem::take(&mut self.line));
    }

    fn block(&mut self, at: usize) {
        self.block = at;
    }

    fn subject(&mut self, row: usize, name: &str, fold: Option<(&str, bool)>) {
        self.line.subject = Some(Subject {
            block: self.block,
            row,
            name: name.to_owned(),
            fold: fold.map(|(id, _)| id.to_owned()),
            opens: fold.is_some_and(|(_, opens)| opens),
            leads_to: String::new(),
        });
    }

    fn leads_to(&mut self, place: &str) {
        if let Some(subject) = &mut self.line.subject {
            place.clone_into(&mut subject.leads_to);
        }
    }
}
