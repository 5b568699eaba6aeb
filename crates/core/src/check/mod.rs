//! A reviewer's standing questions, put to installs and answered by evidence.
//!
//! A checklist is TOML (`docs/formats/checklist.md`): each question has one subject and what is expected of it. What only a person
//! can answer stays open until a note of the tally answers it.

mod answer;
mod document;
mod parse;

pub use document::{Answer, Answered, CHECK_SCHEMA, Check, Question, Totals, Verdict};

use crate::knowledge::{PartRules, Roles, RulesError};
use crate::lag::{Against, Known, Lag, day_that_counts, lag};
use crate::model::{FindingName, Kind, Tally, Text};
use crate::offer::Catalog;

/// The checklist that `check --starter` prints.
const STARTER: &str = include_str!("starter.toml");

/// Questions in the order that they are asked.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Checklist {
    /// What it is called.
    pub name: Text,
    /// The questions.
    pub questions: Vec<Asked>,
}

/// One question: a subject, and what is expected of it.
#[derive(Debug, Clone, PartialEq)]
pub struct Asked {
    /// Stable name, by which a note answers it.
    pub name: Text,
    /// The question in words.
    pub text: Text,
    /// Whether a "no" is only regretted: it never makes the whole answer "no".
    pub wish: bool,
    subject: Subject,
    expect: Expect,
}

/// What a question is about.
#[derive(Debug, Clone, PartialEq)]
enum Subject {
    Anything(Text),
    Application(Text),
    /// A pattern of package names.
    Package(Text),
    Program(Text),
    Role(Text),
    Opens(Text),
    Part(Text),
    Kind(Kind),
    Total(Total),
    Repository(Text),
    Startup(Text),
    Session(Text),
    Look(LookAsked),
    Reading(Text),
    Finding(FindingName),
    /// Whether a medium can be opened or played, by its key.
    Plays(Text),
    /// A setting, by its key.
    Setting(Text),
    /// A package or program that repositories offer.
    Offered(Text),
    /// Updates that wait: a pattern of package names, or `security`.
    Updates(Text),
    /// Days that a part or an application is behind its makers, by its name.
    Behind(Text),
    /// What packages cost to add: bytes to download.
    AddedCost(Vec<Text>),
    Person,
}

/// What is expected; where nothing is, the subject has to be there (a finding: not to be there).
#[derive(Debug, Clone, Default, PartialEq)]
struct Expect {
    absent: bool,
    is: Option<Text>,
    version: Option<Bound<Text>>,
    /// Of counts, bytes, or figures, as the subject has it.
    number: Option<Bound<f64>>,
    /// Whether that is a limit of weight.
    bytes: bool,
}

/// A limit: an operator and a value.
#[derive(Debug, Clone, PartialEq)]
struct Bound<T> {
    op: crate::model::VersionOp,
    value: T,
}

/// What a sum is of.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Total {
    Packages,
    Explicit,
    Programs,
    Entries,
    Findings,
    Weight,
    /// The median age of packages, in days.
    Age,
}

/// A setting of the looks, or a number of things to choose from.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum LookAsked {
    Theme,
    Icons,
    Font,
    Wallpaper,
    Session,
    Display,
    DisplayManager,
    Pointer,
    Colours,
    Themes,
    IconSets,
    Wallpapers,
    FontFamilies,
}

impl Checklist {
    /// Reads a checklist; roles and parts must be known to the rules given.
    ///
    /// # Errors
    /// The first thing wrong, with its line: a syntax error; an unknown key, role, part, kind, finding or measure, with the nearest
    /// right word; a question without a subject, or with a limit that its subject does not have.
    pub fn parse(text: &str, parts: &PartRules, roles: &Roles) -> Result<Self, RulesError> {
        parse::checklist(text, parts, roles)
    }

    /// A checklist to begin with: TOML with comments.
    pub const fn starter() -> &'static str {
        STARTER
    }
}

impl Checklist {
    /// Whether any question asks what repositories offer, so that their lists are needed.
    pub fn asks_for_offers(&self) -> bool {
        self.questions
            .iter()
            .any(|asked| matches!(asked.subject, Subject::Offered(_) | Subject::AddedCost(_)))
    }

    /// Whether any question asks how far behind something is, so that what other installs know is needed.
    pub fn asks_for_releases(&self) -> bool {
        self.questions.iter().any(|asked| matches!(asked.subject, Subject::Behind(_)))
    }
}

/// What is known beside an install.
#[derive(Debug, Default)]
pub struct Beside {
    /// What its repositories offer, where that is known.
    pub offers: Option<Vec<Catalog>>,
    /// What other installs know of releases.
    pub known: Known,
}

/// Puts every question to every install; `beside` holds what is known beside each.
pub fn check(checklist: &Checklist, tallies: &[&Tally], beside: &[Beside]) -> Check {
    let nothing = Beside::default();
    // How far an install is behind is worked out once, whatever number of questions asks for it.
    let lags: Vec<Option<Lag>> = tallies
        .iter()
        .enumerate()
        .map(|(at, tally)| {
            let day = checklist.asks_for_releases().then(|| day_that_counts(tally)).flatten()?;
            let known = beside.get(at).unwrap_or(&nothing).known.clone();
            Some(lag(tally, &Against { known, ..Against::default() }, day))
        })
        .collect();
    let questions: Vec<Question> = checklist
        .questions
        .iter()
        .map(|asked| Question {
            name: asked.name.clone(),
            text: asked.text.clone(),
            wish: asked.wish,
            answers: tallies
                .iter()
                .enumerate()
                .map(|(at, tally)| {
                    answer::answer(asked, tally, beside.get(at).unwrap_or(&nothing), lags[at].as_ref())
                })
                .collect(),
        })
        .collect();
    let totals =
        (0..tallies.len()).map(|i| Totals::of(questions.iter().map(|q| (q.wish, q.answers[i].verdict))));
    Check {
        schema_version: CHECK_SCHEMA,
        checklist: checklist.name.clone(),
        installs: tallies.iter().map(|tally| tally.label.clone()).collect(),
        totals: totals.collect(),
        questions,
    }
}
