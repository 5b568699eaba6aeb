use super::dim;
use crate::View;
use crate::document::{Block, Column, Document, Fact, Line, Role, Span, Table};
use crate::text::count_of;
use crate::wire::{CsvTable, WithText, pretty};
use crate::words;
use serde::Serialize;
use tally_core::check::{Answer, Answered, Check, Question, Totals, Verdict};
use tally_core::grid::short_names;
use tally_core::model::{Evidence, Label, Text};

/// A checklist with its answers.
#[derive(Debug, Clone)]
pub struct CheckView<'a> {
    /// Questions, answers, sums.
    pub check: &'a Check,
}

fn word(question: &Question, answer: &Answer) -> Span {
    let role = match answer.verdict {
        Verdict::Yes => Role::Came,
        Verdict::No if question.wish => Role::Plain,
        Verdict::No => Role::Went,
        Verdict::Open => Role::LookTwice,
        Verdict::Noted | Verdict::NotRecorded => Role::Dim,
    };
    let word = match answer.verdict {
        Verdict::No if question.wish => "no (optional)",
        other => words::verdict(other),
    };
    Span::new(role, word)
}

/// `12 yes, 2 no (1 optional), 3 open`.
fn sums(totals: &Totals) -> Line {
    let mut line = Line::from(Span::new(Role::Came, format!("{} yes", totals.yes)));
    let role = if totals.fails() { Role::Went } else { Role::Plain };
    line = line.and(", ").and(Span::new(role, format!("{} no", totals.no)));
    if totals.no_of_wishes > 0 {
        line = line.and(format!(" ({} optional)", totals.no_of_wishes));
    }
    for (number, what, role) in [
        (totals.noted, "noted", Role::Plain),
        (totals.open, "open", Role::LookTwice),
        (totals.not_recorded, "not recorded", Role::Plain),
    ] {
        if number > 0 {
            line = line.and(", ").and(Span::new(role, format!("{number} {what}")));
        }
    }
    line
}

fn places(answer: &Answer) -> String {
    answer.evidence.iter().map(Evidence::place).collect::<Vec<_>>().join(", ")
}

impl CheckView<'_> {
    /// One install: the answer, what was found, and where.
    fn one(&self, document: &mut Document) {
        let mut table = Table::new(vec![
            Column::new("answer"),
            Column::new("question").name(),
            Column::new("found").sentence(),
            Column::new("read from").name().drops(1),
        ]);
        for question in &self.check.questions {
            let answer = &question.answers[0];
            table.row(vec![
                word(question, answer),
                question.text.as_str().into(),
                words::answer(&answer.found).into(),
                dim(answer.evidence.first().map(Evidence::place).unwrap_or_default()),
            ]);
        }
        document.table_or(table, "");
    }

    /// Several installs: a grid of answers, and below what was found where one has a no.
    fn several(&self, document: &mut Document) {
        let names = short_names(&self.check.installs);
        let mut columns = vec![Column::new("").name()];
        columns.extend(names.iter().map(|name| Column::new(name.as_str())));
        let mut table = Table { folds: true, ..Table::new(columns) };
        for question in &self.check.questions {
            let mut cells = vec![question.text.as_str().into()];
            cells.extend(question.answers.iter().map(|answer| word(question, answer)));
            table.row(cells);
        }
        document.table_or(table, "");
        let mut found = Table::new(vec![
            Column::new("").name(),
            Column::new("found").sentence(),
            Column::new("read from").name().drops(1),
        ]);
        for question in
            self.check.questions.iter().filter(|q| q.answers.iter().any(|a| a.verdict == Verdict::No))
        {
            found.group(question.text.as_str());
            for (answer, name) in question.answers.iter().zip(&names) {
                found.row(vec![
                    format!("  {name}").into(),
                    Span::new(word(question, answer).role, words::answer(&answer.found)),
                    dim(answer.evidence.first().map(Evidence::place).unwrap_or_default()),
                ]);
            }
        }
        if !found.rows.is_empty() {
            document.heading("Questions answered with no");
            document.table_or(found, "");
        }
    }
}

fn with_text(answer: &Answer) -> WithText<&Answer> {
    WithText { text: words::answer(&answer.found), data: answer }
}

impl CheckView<'_> {
    /// How the questions that wait for a person are answered.
    fn way_to_answer(&self, document: &mut Document) {
        let waits = |question: &&Question| {
            question.answers.iter().any(|answer| answer.found == Answered::NotAnswered)
        };
        let names: Vec<&str> =
            self.check.questions.iter().filter(waits).map(|question| question.name.as_str()).collect();
        if let Some(first) = names.first() {
            let handle = match &self.check.installs[..] {
                [only] => only.handle.as_str(),
                _ => "INSTALL",
            };
            let say = format!(
                "To be answered by you: {}. For example: `fresh-tally note {handle} --ask {first} yes`",
                names.join(", ")
            );
            document.paragraph(dim(say));
        }
    }
}

impl View for CheckView<'_> {
    fn document(&self) -> Document {
        let check = self.check;
        let mut document = Document::default();
        let installs = match &check.installs[..] {
            [only] => only.title(),
            several => count_of(several.len() as u64, "install"),
        };
        document.title(format!("{}: {installs}", check.checklist), super::all_seen(&check.installs));
        let names = short_names(&check.installs);
        if let [totals] = &check.totals[..] {
            document.paragraph(sums(totals));
        } else {
            let fact = |(totals, name): (&Totals, &Text)| Fact {
                name: name.as_str().into(),
                value: sums(totals),
                aside: Line::default(),
            };
            document.push(Block::Facts(check.totals.iter().zip(&names).map(fact).collect()));
        }
        if names.len() == 1 {
            self.one(&mut document);
        } else {
            self.several(&mut document);
        }
        self.way_to_answer(&mut document);
        document
    }

    fn csv(&self) -> csv::Result<CsvTable> {
        #[derive(Serialize, Default)]
        struct Row<'a> {
            handle: &'a str,
            question: &'a str,
            text: &'a str,
            wish: String,
            answer: &'a str,
            found: String,
            read_from: String,
        }
        CsvTable::of(self.check.questions.iter().flat_map(|question| {
            question.answers.iter().zip(&self.check.installs).map(|(answer, install)| Row {
                handle: &install.handle,
                question: &question.name,
                text: &question.text,
                wish: question.wish.to_string(),
                answer: answer.verdict.name(),
                found: words::answer(&answer.found),
                read_from: places(answer),
            })
        }))
    }

    fn json(&self) -> serde_json::Result<Vec<u8>> {
        #[derive(Serialize)]
        struct CheckWire<'a> {
            schema_version: u32,
            checklist: &'a str,
            installs: &'a [Label],
            questions: Vec<QuestionWire<'a>>,
            totals: &'a [Totals],
        }
        #[derive(Serialize)]
        struct QuestionWire<'a> {
            name: &'a str,
            text: &'a str,
            wish: bool,
            answers: Vec<WithText<&'a Answer>>,
        }
        let questions = self.check.questions.iter().map(|question| QuestionWire {
            name: &question.name,
            text: &question.text,
            wish: question.wish,
            answers: question.answers.iter().map(with_text).collect(),
        });
        let Check { schema_version, checklist, installs, totals, .. } = self.check;
        let questions = questions.collect();
        pretty(&CheckWire { schema_version: *schema_version, checklist, installs, questions, totals })
    }
}
