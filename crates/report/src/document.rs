//! A neutral document: what is said, with its meaning, and nothing of how it looks.

use crate::text::{clean, shorten};
use std::borrow::Cow;

/// What a piece of text means.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, PartialOrd, Ord)]
pub enum Role {
    /// Nothing in particular.
    #[default]
    Plain,
    /// It came.
    Came,
    /// It went.
    Went,
    /// It changed.
    Changed,
    /// It deserves a second look.
    LookTwice,
    /// It matters less.
    Dim,
    /// It matters more.
    Strong,
}

/// Columns that one piece of text may take where people read it; CSV and JSON hold all of it.
const LONGEST: usize = 4000;

/// Text with one meaning. When it is built, unsafe characters are made visible, and what no honest name or sentence is long
/// enough for is shortened.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Span {
    /// The text.
    pub text: String,
    /// What it means.
    pub role: Role,
    /// What it leads to on a page: a section, or something in one; empty for nothing.
    pub to: Cow<'static, str>,
    /// Whether only a screen shows it: the command that tells more.
    pub on_screen: bool,
}

impl Span {
    /// Text with a meaning.
    pub fn new(role: Role, text: impl AsRef<str>) -> Self {
        let text = clean(text.as_ref());
        // A column takes a byte at the least, so nearly every text is told by its length alone.
        let text = if text.len() > LONGEST { shorten(&text, LONGEST) } else { text.into_owned() };
        Self { text, role, to: Cow::Borrowed(""), on_screen: false }
    }
}

impl Span {
    /// The same, only for a screen.
    #[must_use]
    pub fn on_screen(self) -> Self {
        Self { on_screen: true, ..self }
    }

    /// The same, leading to a section, or to something in one, where a page has it.
    #[must_use]
    pub fn leads_to(self, place: impl Into<Cow<'static, str>>) -> Self {
        Self { to: place.into(), ..self }
    }
}

impl From<&str> for Span {
    fn from(text: &str) -> Self {
        Self::new(Role::Plain, text)
    }
}

impl From<String> for Span {
    fn from(text: String) -> Self {
        Self::new(Role::Plain, text)
    }
}

/// Spans that are in one line, or wrap as one paragraph.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Line(pub Vec<Span>);

impl Line {
    /// The text without meanings.
    pub fn plain(&self) -> String {
        self.0.iter().map(|span| span.text.as_str()).collect()
    }

    /// This line and one more span.
    #[must_use]
    pub fn and(mut self, span: impl Into<Span>) -> Self {
        self.0.push(span.into());
        self
    }
}

impl<S: Into<Span>> From<S> for Line {
    fn from(span: S) -> Self {
        Self(vec![span.into()])
    }
}

/// A name and what is said of it; the second column of a fact lines up with that of its neighbours.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Fact {
    /// The name, on the left.
    pub name: Span,
    /// A figure or a few words.
    pub value: Line,
    /// What explains it.
    pub aside: Line,
}

/// Which side a column lines up on.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Align {
    /// Names.
    #[default]
    Left,
    /// Numbers.
    Right,
}

/// What may happen to a column's text when the screen is narrow.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Shrink {
    /// Nothing: versions, numbers.
    #[default]
    Never,
    /// An ellipsis in the middle: names.
    Middle,
    /// An ellipsis at the end: sentences.
    End,
}

/// One column of a table.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Column {
    /// Its heading.
    pub title: String,
    /// Which side it lines up on.
    pub align: Align,
    /// What may happen to its text.
    pub shrink: Shrink,
    /// When the screen is too narrow, columns drop by this number, the lowest first; `None` stays.
    pub drop: Option<u8>,
}

impl Column {
    /// A column that lines up on the left and stays as it is.
    pub fn new(title: impl AsRef<str>) -> Self {
        Self { title: Span::from(title.as_ref()).text, ..Self::default() }
    }

    /// Lines up on the right.
    #[must_use]
    pub fn right(self) -> Self {
        Self { align: Align::Right, ..self }
    }

    /// May lose its middle.
    #[must_use]
    pub fn name(self) -> Self {
        Self { shrink: Shrink::Middle, ..self }
    }

    /// May lose its end.
    #[must_use]
    pub fn sentence(self) -> Self {
        Self { shrink: Shrink::End, ..self }
    }

    /// Drops when the screen is narrow; the lowest number first.
    #[must_use]
    pub fn drops(self, order: u8) -> Self {
        Self { drop: Some(order), ..self }
    }
}

/// A cell is a span.
pub type Cell = Span;

/// A row of cells, or a line between rows.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Row {
    /// One cell a column.
    Cells(Vec<Cell>),
    /// A heading for the rows below it.
    Group(Line),
    /// What belongs to the row above, in the full width.
    Note(Line),
}

/// A table. An empty one is never shown: say in words that there is nothing.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Table {
    /// Columns.
    pub columns: Vec<Column>,
    /// Rows.
    pub rows: Vec<Row>,
    /// Whether a table that is too wide for the screen continues below with further columns, the first one repeated.
    pub folds: bool,
    /// Titles of columns that a page offers to choose the rows by: few words, many rows.
    pub filters: Vec<&'static str>,
}

impl Table {
    /// A table without rows.
    pub fn new(columns: Vec<Column>) -> Self {
        Self { columns, rows: Vec::new(), folds: false, filters: Vec::new() }
    }

    /// Adds a row.
    pub fn row(&mut self, cells: Vec<Cell>) {
        self.rows.push(Row::Cells(cells));
    }

    /// Adds what belongs to the row above and would not fit a column.
    pub fn note(&mut self, line: impl Into<Line>) {
        self.rows.push(Row::Note(line.into()));
    }

    /// Takes out the columns in which no row has anything.
    pub fn without_empty_columns(&mut self) {
        for at in (0..self.columns.len()).rev() {
            let has = |row: &Row| matches!(row, Row::Cells(cells) if !cells[at].text.is_empty());
            if self.rows.iter().any(has) {
                continue;
            }
            self.columns.remove(at);
            for row in &mut self.rows {
                if let Row::Cells(cells) = row {
                    cells.remove(at);
                }
            }
        }
    }

    /// Adds a heading for the rows that follow.
    pub fn group(&mut self, line: impl Into<Line>) {
        self.rows.push(Row::Group(line.into()));
    }
}

/// A piece of a document.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Block {
    /// The first line: which install, and on the right how it is seen.
    Title {
        /// What it is about.
        text: Line,
        /// As shipped, as found.
        aside: Span,
    },
    /// A paragraph.
    Paragraph(Line),
    /// A heading, with what it says in short.
    Heading(Line),
    /// Names and what is said of them.
    Facts(Vec<Fact>),
    /// The few figures that come first; they stand in one row where there is room.
    Figures(Vec<Fact>),
    /// Names and versions, in as many columns as there is room for. One without a name goes on with the one above.
    Sheet(Vec<Fact>),
    /// Things that a person would recognise, group by group.
    Cards(Vec<CardGroup>),
    /// A small picture that a page begins with, beside its title.
    Lead(Shot),
    /// Small pictures side by side, each with its name.
    Gallery(Vec<Shot>),
    /// Lines that each hold more than they say.
    Folds(Vec<Fold>),
    /// Sections that stand side by side where there is room.
    Beside(Vec<Section>),
    /// Numbered lines, the weightiest first.
    Ranked(Vec<Line>),
    /// A table.
    Table(Table),
    /// A part of a page.
    Section(Section),
    /// A picture of figures that are in words elsewhere: SVG to be put in a page, and what it shows.
    Picture {
        /// An SVG element.
        svg: String,
        /// What it shows.
        caption: String,
    },
}

/// Cards under one heading.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct CardGroup {
    /// The heading.
    pub title: Line,
    /// The cards.
    pub cards: Vec<Card>,
}

/// Something with a name that a person would recognise: a program of the menu.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Card {
    /// Its name.
    pub name: Span,
    /// Its version, or what it was and is.
    pub value: Line,
    /// What happened to it, or how it differs from its neighbours; empty for nothing.
    pub badge: Span,
    /// What else is to be said.
    pub aside: Line,
    /// The address of its icon: `data:image/...`; empty for none.
    pub icon: String,
}

/// A small picture with its name.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Shot {
    /// Its address: `data:image/...`.
    pub source: String,
    /// Its name.
    pub name: Span,
    /// What happened to it, or what it is; empty for nothing.
    pub badge: Span,
    /// The package that it is from.
    pub from: Span,
}

/// A line with what is behind it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Fold {
    /// What leads to it on a page.
    pub id: String,
    /// What sort of thing it is.
    pub sort: Span,
    /// What it is about.
    pub name: Span,
    /// Its figures, each with its unit.
    pub figures: Vec<Span>,
    /// How much it weighs beside the others, from -1000 to 1000.
    pub share: i16,
    /// What is behind it; nothing where the line says it all.
    pub inside: Vec<Line>,
}

/// A part of a page that is under a name of its own; what is long may be folded.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Section {
    /// What leads to it.
    pub id: &'static str,
    /// Its heading.
    pub title: String,
    /// What it holds, in few words.
    pub aside: String,
    /// The command that shows the same; empty where there is none.
    pub command: String,
    /// Whether it is open from the beginning.
    pub open: bool,
    /// What it says.
    pub blocks: Vec<Block>,
}

/// Blocks, each set off from the one before.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Document {
    /// The blocks.
    pub blocks: Vec<Block>,
}

impl Document {
    /// Each span, also of what is in sections.
    pub(crate) fn spans(&mut self) -> Vec<&mut Span> {
        let mut blocks: Vec<&mut Block> = self.blocks.iter_mut().collect();
        let mut spans = Vec::new();
        while let Some(block) = blocks.pop() {
            match block {
                Block::Title { text, aside } => spans.extend(text.0.iter_mut().chain([aside])),
                Block::Paragraph(line) | Block::Heading(line) => spans.extend(&mut line.0),
                Block::Facts(facts) | Block::Figures(facts) | Block::Sheet(facts) => {
                    for Fact { name, value, aside } in facts {
                        spans.push(name);
                        spans.extend(value.0.iter_mut().chain(&mut aside.0));
                    }
                }
                Block::Ranked(lines) => spans.extend(lines.iter_mut().flat_map(|line| &mut line.0)),
                Block::Table(table) => {
                    for row in &mut table.rows {
                        match row {
                            Row::Cells(cells) => spans.extend(cells),
                            Row::Group(line) | Row::Note(line) => spans.extend(&mut line.0),
                        }
                    }
                }
                Block::Cards(groups) => {
                    for CardGroup { title, cards } in groups {
                        spans.extend(&mut title.0);
                        for Card { name, value, badge, aside, .. } in cards {
                            spans.extend([name, badge]);
                            spans.extend(value.0.iter_mut().chain(&mut aside.0));
                        }
                    }
                }
                Block::Gallery(shots) => {
                    for Shot { name, badge, from, .. } in shots {
                        spans.extend([name, badge, from]);
                    }
                }
                Block::Folds(folds) => {
                    for Fold { sort, name, figures, inside, .. } in folds {
                        spans.extend([sort, name]);
                        spans
                            .extend(figures.iter_mut().chain(inside.iter_mut().flat_map(|line| &mut line.0)));
                    }
                }
                Block::Section(section) => blocks.extend(&mut section.blocks),
                Block::Beside(sections) => {
                    blocks.extend(sections.iter_mut().flat_map(|section| &mut section.blocks));
                }
                Block::Lead(Shot { name, badge, from, .. }) => spans.extend([name, badge, from]),
                Block::Picture { .. } => {}
            }
        }
        spans
    }

    /// Adds a block.
    pub fn push(&mut self, block: Block) {
        self.blocks.push(block);
    }

    /// Adds a title.
    pub fn title(&mut self, text: impl Into<Line>, aside: impl AsRef<str>) {
        self.push(Block::Title { text: text.into(), aside: Span::new(Role::Dim, aside) });
    }

    /// Adds a paragraph.
    pub fn paragraph(&mut self, line: impl Into<Line>) {
        self.push(Block::Paragraph(line.into()));
    }

    /// Adds a heading.
    pub fn heading(&mut self, line: impl Into<Line>) {
        self.push(Block::Heading(line.into()));
    }

    /// Adds a table, or a sentence when it has no rows.
    pub fn table_or(&mut self, table: Table, nothing: &str) {
        if table.rows.iter().any(|row| matches!(row, Row::Cells(_))) {
            self.push(Block::Table(table));
        } else {
            self.paragraph(Span::new(Role::Dim, nothing));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn columns_without_anything_go_and_lines_between_rows_stay() {
        let mut table = Table::new(["name", "by", "why", "file"].map(Column::new).to_vec());
        table.group("some");
        table.row(["inkcap", "", "", "a"].map(Span::from).to_vec());
        table.note("a note");
        table.row(["weir", "", "asked", ""].map(Span::from).to_vec());
        table.without_empty_columns();
        let titles: Vec<&str> = table.columns.iter().map(|column| column.title.as_str()).collect();
        assert_eq!(titles, ["name", "why", "file"]);
        let cells = |row: &Row| match row {
            Row::Cells(cells) => {
                Some(cells.iter().map(|cell| cell.text.as_str()).collect::<Vec<_>>().join("|"))
            }
            Row::Group(_) | Row::Note(_) => None,
        };
        let told: Vec<Option<String>> = table.rows.iter().map(cells).collect();
        assert_eq!(told, [None, Some("inkcap||a".into()), None, Some("weir|asked|".into())]);
        let mut empty = Table::new(vec![Column::new("name")]);
        empty.without_empty_columns();
        assert_eq!(empty.columns, []);
    }
}
