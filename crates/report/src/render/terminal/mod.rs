//! Aligned columns for a terminal; the same without limit and colour for a pipe, and as lines of spans for a full-screen view.

mod columns;
mod rows;
mod sink;

use super::RenderOptions;
use crate::document::{
    Align, Block, Cell, Column, Document, Fact, Fold, Line, Role, Row, Section, Shrink, Span, Table,
};
use crate::text::{cut, shorten, width};
use columns::{Layout, fold};
use rows::{cards, folded, pieces};
pub use sink::{Laid, Subject};
use sink::{Lines, Painted, Sink};

/// Columns between two columns of a table.
const GAP: usize = 2;

/// Columns between two figures, and between the columns of a sheet; how many of those there are at most.
const FIGURES: usize = 5;
const SHEET: usize = 6;
const SHEETS: usize = 3;
/// How far what belongs to a row is set in.
const NOTE: usize = 6;

pub(crate) fn render(document: &Document, options: RenderOptions) -> String {
    let mut page = Page { out: Painted::new(options.palette), width: options.width, opened: None };
    page.document(document);
    page.out.finish()
}

/// Lines of spans, as wide as a screen, each with what it is about. Of what folds, what is behind it is laid out where `opened` says so.
pub fn lay_out(document: &Document, width: usize, opened: &dyn Fn(&str) -> bool) -> Vec<Laid> {
    let mut page = Page { out: Lines::default(), width: Some(width), opened: Some(opened) };
    page.document(document);
    page.out.finish()
}

struct Page<'o, S> {
    out: S,
    /// Columns of the screen; none for a pipe.
    width: Option<usize>,
    /// Which folds are open, where they can be opened.
    opened: Option<&'o dyn Fn(&str) -> bool>,
}

impl<S: Sink> Page<'_, S> {
    fn document(&mut self, document: &Document) {
        let mut previous: Option<&Block> = None;
        for (at, block) in document.blocks.iter().enumerate() {
            let sits_close = matches!(
                (previous, block),
                (None, _)
                    | (
                        Some(Block::Heading(_)),
                        Block::Table(_)
                            | Block::Paragraph(_)
                            | Block::Facts(_)
                            | Block::Figures(_)
                            | Block::Sheet(_)
                            | Block::Ranked(_)
                    )
                    | (Some(Block::Title { .. }), Block::Paragraph(_))
            );
            if !sits_close {
                self.out.end();
            }
            self.out.block(at);
            self.block(block);
            previous = Some(block);
        }
    }

    fn block(&mut self, block: &Block) {
        match block {
            Block::Title { text, aside } => self.title(text, aside),
            Block::Paragraph(line) => self.wrapped(line, 0),
            Block::Heading(line) => {
                self.wrapped(&Line(line.0.iter().map(strengthened).collect()), 0);
            }
            Block::Facts(facts) => self.facts(facts),
            Block::Ranked(lines) => {
                for (number, line) in (1..).zip(lines) {
                    self.out.subject(number - 1, &line.plain(), None);
                    self.out.leads_to(
                        line.0
                            .iter()
                            .map(|span| span.to.as_ref())
                            .find(|to| !to.is_empty())
                            .unwrap_or_default(),
                    );
                    self.out.styled(Role::Plain, &format!("{number:>2}  "));
                    self.wrapped(line, 4);
                }
            }
            Block::Table(table) => self.table(table),
            Block::Figures(facts) => self.figures(facts),
            Block::Sheet(facts) => self.sheet(facts),
            Block::Cards(groups) => groups.iter().for_each(|group| self.table(&cards(group))),
            Block::Folds(folds) => self.folds(folds),
            Block::Section(section) => self.section(section),
            Block::Beside(sections) => sections.iter().for_each(|section| self.section(section)),
            // Pictures show what stands in words elsewhere.
            Block::Picture { .. } | Block::Lead(_) | Block::Gallery(_) => {}
        }
    }

    fn span(&mut self, span: &Span) {
        self.out.styled(span.role, &span.text);
    }

    fn title(&mut self, text: &Line, aside: &Span) {
        let strong: Vec<Span> = text.0.iter().map(|s| Span { role: Role::Strong, ..s.clone() }).collect();
        let (left, right) = (width(&text.plain()), width(&aside.text));
        strong.iter().for_each(|span| self.span(span));
        match self.width {
            _ if right == 0 => {}
            Some(limit) if left + right + GAP > limit => self.out.end(),
            Some(limit) => self.pad(limit.min(100).max(left + right + GAP) - left - right),
            None => self.pad(GAP),
        }
        if right > 0 {
            self.span(aside);
        }
        self.out.end();
    }

    fn pad(&mut self, columns: usize) {
        self.out.pad(columns);
    }

    /// Writes spans, breaking lines at spaces; lines after the first are indented.
    fn wrapped(&mut self, line: &Line, indent: usize) {
        let Some(limit) = self.width else {
            line.0.iter().for_each(|span| self.span(span));
            self.out.end();
            return;
        };
        let mut at = indent;
        let mut word: Vec<Span> = Vec::new();
        for span in &line.0 {
            let mut pieces = span.text.split(' ').peekable();
            while let Some(piece) = pieces.next() {
                word.push(Span { text: piece.to_owned(), ..Span::new(span.role, "") });
                // A word may go on in the next span: `1 merged` and the comma after it stay together.
                if pieces.peek().is_some() {
                    // A number stays with what it counts.
                    let first = piece.as_bytes().first();
                    let number = first.is_some_and(u8::is_ascii_digit)
                        && piece.bytes().all(|b| b.is_ascii_digit() || b == b',');
                    if number {
                        word.push(Span { text: " ".to_owned(), ..Span::new(span.role, "") });
                        continue;
                    }
                    at = self.word(&mut word, at, indent, limit);
                    if at > indent {
                        self.out.pad(1);
                        at += 1;
                    }
                }
            }
        }
        self.word(&mut word, at, indent, limit);
        self.out.trim();
        self.out.end();
    }

    /// Writes a word, on a line of its own if it fits on this one no more; returns the column after it.
    fn word(&mut self, word: &mut Vec<Span>, mut at: usize, indent: usize, limit: usize) -> usize {
        let columns: usize = word.iter().map(|span| width(&span.text)).sum();
        if at + columns > limit && at > indent {
            self.out.trim();
            self.out.end();
            self.pad(indent);
            at = indent;
        }
        word.drain(..).for_each(|span| self.span(&span));
        at + columns
    }

    fn facts(&mut self, facts: &[Fact]) {
        let names = facts.iter().map(|fact| width(&fact.name.text)).max().unwrap_or(0);
        let with_aside = || facts.iter().filter(|fact| !fact.aside.0.is_empty());
        let values = with_aside().map(|fact| width(&fact.value.plain())).max().unwrap_or(0).min(30);
        for fact in facts {
            self.span(&Span { role: Role::Dim, ..fact.name.clone() });
            self.pad(names - width(&fact.name.text) + GAP);
            if fact.aside.0.is_empty() {
                self.wrapped(&fact.value, names + GAP);
                continue;
            }
            let used = width(&fact.value.plain());
            fact.value.0.iter().for_each(|span| self.span(span));
            self.pad(values.max(used) - used + GAP);
            self.wrapped(&fact.aside, names + GAP + values + GAP);
        }
    }

    fn section(&mut self, section: &Section) {
        self.block(&Block::Heading(section.title.as_str().into()));
        section.blocks.iter().for_each(|block| self.block(block));
    }

    /// `Packages 156 → 174     Programs 27 → 28`, as many in a line as there is room for.
    fn figures(&mut self, facts: &[Fact]) {
        let mut at = 0;
        for fact in facts {
            let aside = fact.aside.plain();
            let columns = [&fact.name.text, &fact.value.plain(), &aside].map(|text| width(text));
            let brackets = if aside.is_empty() { 0 } else { 2 };
            let used =
                columns.iter().filter(|columns| **columns > 0).map(|columns| columns + 1).sum::<usize>()
                    + brackets
                    - 1;
            if at > 0 && self.width.is_some_and(|limit| at + FIGURES + used > limit) {
                self.out.end();
                at = 0;
            } else if at > 0 {
                self.pad(FIGURES);
                at += FIGURES;
            }
            self.span(&Span { role: Role::Dim, ..fact.name.clone() });
            self.out.pad(1);
            fact.value.0.iter().for_each(|span| self.span(span));
            if !fact.aside.0.is_empty() {
                self.span(&Span::new(Role::Dim, format!(" ({aside})")));
            }
            at += used;
        }
        self.out.end();
    }

    /// Names and values in up to three columns, filled from the top: those that go on stay under their name.
    fn sheet(&mut self, facts: &[Fact]) {
        let of = |fact: &Fact| {
            width(&fact.value.plain()) + fact.aside.0.iter().map(|span| width(&span.text) + 1).sum::<usize>()
        };
        let fits = |columns: usize| {
            let pieces = pieces(facts, columns);
            let wide = |piece: &&[Fact]| {
                piece.iter().map(|fact| width(&fact.name.text)).max().unwrap_or(0)
                    + GAP
                    + piece.iter().map(of).max().unwrap_or(0)
            };
            let total = pieces.iter().map(wide).sum::<usize>() + SHEET * pieces.len().saturating_sub(1);
            self.width.is_some_and(|limit| total <= limit)
        };
        let columns = (2..=SHEETS).rev().find(|columns| fits(*columns)).unwrap_or(1);
        let pieces = pieces(facts, columns);
        for at in 0..pieces.iter().map(|piece| piece.len()).max().unwrap_or(0) {
            let mut waiting = 0;
            for piece in &pieces {
                let names = piece.iter().map(|fact| width(&fact.name.text)).max().unwrap_or(0) + GAP;
                let values = piece.iter().map(of).max().unwrap_or(0);
                let Some(fact) = piece.get(at) else {
                    waiting += names + values + SHEET;
                    continue;
                };
                self.pad(waiting);
                self.span(&Span { role: Role::Dim, ..fact.name.clone() });
                self.pad(names - width(&fact.name.text));
                fact.value.0.iter().for_each(|span| self.span(span));
                for span in &fact.aside.0 {
                    self.out.pad(1);
                    self.span(span);
                }
                waiting = values - of(fact) + SHEET;
            }
            self.out.end();
        }
    }

    fn table(&mut self, table: &Table) {
        match self.width {
            Some(limit) if table.folds => {
                for (i, page) in fold(table, limit.saturating_sub(GAP)).iter().enumerate() {
                    if i > 0 {
                        self.out.end();
                    }
                    self.one_table(page);
                }
            }
            _ => self.one_table(table),
        }
    }

    fn one_table(&mut self, table: &Table) {
        let layout = Layout::of(table, self.width.map(|limit| limit.saturating_sub(GAP)));
        if table.columns.iter().any(|column| !column.title.is_empty()) {
            let titles: Vec<Span> =
                table.columns.iter().map(|column| Span::new(Role::Dim, &column.title)).collect();
            self.cells(&table.columns, &titles, &layout);
        }
        for (at, row) in table.rows.iter().enumerate() {
            match row {
                Row::Group(line) => {
                    let strong: Vec<Span> = line.0.iter().map(strengthened).collect();
                    self.wrapped(&Line(strong), 0);
                }
                Row::Note(line) => {
                    self.pad(NOTE);
                    self.wrapped(line, NOTE);
                }
                Row::Cells(cells) => {
                    self.out.subject(at, cells.first().map_or("", |cell| cell.text.as_str()), None);
                    self.cells(&table.columns, cells, &layout);
                }
            }
        }
    }

    /// A line for each fold, and what is behind it where that can be opened and is.
    fn folds(&mut self, folds: &[Fold]) {
        let table = folded(folds);
        let Some(opened) = self.opened else { return self.table(&table) };
        let layout = Layout::of(&table, self.width.map(|limit| limit.saturating_sub(GAP)));
        let rows = table.rows.iter().filter_map(|row| match row {
            Row::Cells(cells) => Some(cells),
            _ => None,
        });
        for (at, (fold, cells)) in folds.iter().zip(rows).enumerate() {
            self.out.subject(at, &fold.name.text, Some((&fold.id, !fold.inside.is_empty())));
            self.cells(&table.columns, cells, &layout);
            if opened(&fold.id) {
                for line in &fold.inside {
                    // What names a thing first is about that thing.
                    if let [first, _, ..] = &line.0[..] {
                        self.out.subject(at, &first.text, None);
                    }
                    self.pad(NOTE);
                    self.wrapped(line, NOTE);
                }
            }
        }
    }

    fn cells(&mut self, columns: &[Column], cells: &[Cell], layout: &Layout) {
        let mut waiting = GAP;
        for ((column, cell), columns) in columns.iter().zip(cells).zip(&layout.widths) {
            let Some(limit) = columns else { continue };
            let text = match column.shrink {
                Shrink::Never => cell.text.clone(),
                Shrink::Middle => shorten(&cell.text, *limit),
                Shrink::End => cut(&cell.text, *limit),
            };
            let space = limit.saturating_sub(width(&text));
            if column.align == Align::Right {
                waiting += space;
            }
            if !text.is_empty() {
                self.pad(waiting);
                waiting = 0;
            }
            self.span(&Span { text, ..Span::new(cell.role, "") });
            if column.align == Align::Left {
                waiting += space;
            }
            waiting += GAP;
        }
        self.out.end();
    }
}

fn strengthened(span: &Span) -> Span {
    let role = if span.role == Role::Plain { Role::Strong } else { span.role };
    Span { role, ..span.clone() }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Palette;
    use crate::document::{Card, CardGroup, Fold};
    use proptest::prelude::*;

    fn table() -> Table {
        let mut table = Table::new(vec![
            Column::new("package").name(),
            Column::new("version"),
            Column::new("MB").right().drops(2),
            Column::new("section").drops(1),
            Column::new("summary").sentence().drops(3),
        ]);
        let cells = [
            "a-package-with-quite-a-long-name",
            "1:2.3.4+dfsg-5",
            "12.3",
            "editors",
            "Simple text editor for notes",
        ];
        table.row(cells.map(Span::from).to_vec());
        table
    }

    fn at(width: Option<usize>) -> String {
        let mut document = Document::default();
        document.push(Block::Table(table()));
        render(&document, RenderOptions { width, palette: Palette::Plain, ascii: false })
    }

    #[test]
    fn a_narrow_screen_shortens_sentences_then_drops_columns_then_shortens_names() {
        insta::assert_snapshot!([None, Some(90), Some(76), Some(60), Some(40)].map(at).join("--\n"), @"
          package                           version           MB  section  summary
          a-package-with-quite-a-long-name  1:2.3.4+dfsg-5  12.3  editors  Simple text editor for notes
        --
          package                           version           MB  section  summary
          a-package-with-quite-a-long-name  1:2.3.4+dfsg-5  12.3  editors  Simple text editor for…
        --
          package                           version           MB  summary
          a-package-with-quite-a-long-name  1:2.3.4+dfsg-5  12.3  Simple text edito…
        --
          package                           version
          a-package-with-quite-a-long-name  1:2.3.4+dfsg-5
        --
          package                 version
          a-package-wit…ong-name  1:2.3.4+dfsg-5
        ");
    }

    #[test]
    fn lines_break_between_words_and_never_after_a_number() {
        let counted = |text: &str| [Span::new(Role::Came, text), Span::from(", ")];
        let line =
            Line(["28 added", "1,234 removed", "7 renumbered"].iter().flat_map(|t| counted(t)).collect());
        let mut document = Document::default();
        document.paragraph(line.and("and no more"));
        let at = |width| {
            render(&document, RenderOptions { width: Some(width), palette: Palette::Plain, ascii: false })
        };
        for width in 14..60 {
            let page = at(width);
            assert!(page.lines().all(|line| line.len() <= width), "{width}: {page}");
            assert!(
                !page.lines().any(|line| line.ends_with(|c: char| c.is_ascii_digit())),
                "{width}: {page}"
            );
            assert!(!page.lines().any(|line| line.starts_with(',')), "{width}: {page}");
        }
    }

    #[test]
    fn a_table_that_folds_goes_on_below() {
        let columns = ["", "one", "two", "three", "four"].map(Column::new).to_vec();
        let mut table = Table { folds: true, ..Table::new(columns) };
        table.group("Group");
        table.row(["kernel", "6.1.90-1-amd64", "same", "6.9.2-2-amd64", "no"].map(Span::from).to_vec());
        table.note("a note");
        let at = |width| {
            let mut document = Document::default();
            document.push(Block::Table(table.clone()));
            render(&document, RenderOptions { width, palette: Palette::Plain, ascii: false })
        };
        insta::assert_snapshot!([None, Some(60), Some(34)].map(at).join("--\n"));
    }

    #[test]
    fn colour_goes_by_meaning() {
        let mut document = Document::default();
        document.paragraph(Line::from("plain ").and(Span::new(Role::Came, "came")));
        let options = RenderOptions { width: None, palette: Palette::Coloured, ascii: false };
        assert_eq!(render(&document, options), "plain \u{1b}[38;5;37mcame\u{1b}[0m\n");
        assert_eq!(render(&document, RenderOptions::default()), "plain came\n");
    }

    proptest! {
        #[test]
        fn a_table_fits_whenever_its_fixed_columns_do(limit in 36_usize..140) {
            for line in at(Some(limit)).lines() {
                prop_assert!(width(line) <= limit, "{} in {}", line, limit);
            }
        }
    }

    fn facts(names: &[(&str, &str)]) -> Vec<Fact> {
        let fact = |(name, value): &(&str, &str)| Fact {
            name: (*name).into(),
            value: (*value).into(),
            aside: Line::default(),
        };
        names.iter().map(fact).collect()
    }

    #[test]
    fn figures_stand_in_one_line_as_long_as_it_is_wide_enough() {
        let mut document = Document::default();
        document.push(Block::Figures(facts(&[
            ("Packages", "156 → 174"),
            ("Programs", "27 → 28"),
            ("On disk", "2.4 GB"),
        ])));
        let drawn = |width| render(&document, RenderOptions { width, ..RenderOptions::default() });
        assert_eq!(drawn(None), "Packages 156 → 174     Programs 27 → 28     On disk 2.4 GB\n");
        assert_eq!(drawn(Some(45)), "Packages 156 → 174     Programs 27 → 28\nOn disk 2.4 GB\n");
    }

    #[test]
    fn a_sheet_has_as_many_columns_as_fit_and_what_goes_on_stays_under_its_name() {
        let sheet = facts(&[
            ("Kernel", "Linux 6"),
            ("Toolkit", "GTK 4"),
            ("", "Qt 6"),
            ("Init", "systemd"),
            ("Sound", "Freshet"),
        ]);
        let mut document = Document::default();
        document.push(Block::Sheet(sheet));
        let drawn = |width| render(&document, RenderOptions { width, ..RenderOptions::default() });
        let narrow = drawn(Some(24));
        assert_eq!(narrow.lines().count(), 5, "{narrow}");
        let wide = drawn(Some(60));
        assert_eq!(
            wide,
            "Kernel   Linux 6      Init   systemd\nToolkit  GTK 4        Sound  Freshet\n         Qt 6\n"
        );
        assert_eq!(drawn(None).lines().count(), 5, "without a width there is one column");
    }

    #[test]
    fn cards_and_folds_are_rows_where_there_is_no_page() {
        let card = Card {
            name: "Lapwing".into(),
            value: "121.0".into(),
            badge: "new".into(),
            aside: Line::default(),
            ..Card::default()
        };
        let fold = Fold {
            id: "decision-d1".into(),
            sort: "added on purpose".into(),
            name: "Lapwing".into(),
            figures: vec!["2 packages".into(), "+220 MB".into()],
            share: 1000,
            inside: vec!["It is installed explicitly.".into()],
        };
        let mut document = Document::default();
        document.push(Block::Cards(vec![CardGroup { title: "Internet".into(), cards: vec![card] }]));
        document.push(Block::Folds(vec![fold]));
        let drawn = render(&document, RenderOptions::default());
        assert!(drawn.contains("Internet\n  Lapwing  121.0  new"), "{drawn}");
        assert!(
            drawn.contains(
                "added on purpose  Lapwing  2 packages  +220 MB\n      It is installed explicitly."
            ),
            "{drawn}"
        );
    }
}
