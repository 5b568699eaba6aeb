use crate::model::{Evidence, FindingDetails, Label, Text};
use crate::vocabulary;
use schemars::JsonSchema;
use serde::Serialize;

/// Schema number of a check document.
pub const CHECK_SCHEMA: u32 = 2;

vocabulary! {
    /// How a question was answered.
    pub enum Verdict {
        /// What is expected holds.
        Yes = "yes",
        /// It does not.
        No = "no",
        /// A person answered in other words than yes or no.
        Noted = "noted",
        /// Only a person can answer, and nobody did yet.
        Open = "open",
        /// The source does not record it.
        NotRecorded = "not-recorded",
    }
}

/// A checklist with its answers.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct Check {
    /// Schema number of this document.
    pub schema_version: u32,
    /// Name of the checklist.
    pub checklist: Text,
    /// The installs, in the order of the answers.
    pub installs: Vec<Label>,
    /// The questions.
    pub questions: Vec<Question>,
    /// Sums, one for each install.
    pub totals: Vec<Totals>,
}

/// A question, answered for each install.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct Question {
    /// Stable name.
    pub name: Text,
    /// In words.
    pub text: Text,
    /// Whether a "no" is only regretted.
    pub wish: bool,
    /// An answer for each install.
    pub answers: Vec<Answer>,
}

/// What was found for a question.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
#[serde(tag = "found", rename_all = "kebab-case")]
pub enum Answered {
    /// It is not there; perhaps a name near it is.
    NotThere {
        /// The nearest name.
        nearest: Option<Text>,
    },
    /// One thing.
    Thing {
        /// Its name.
        name: Text,
        /// Its version.
        version: Option<Text>,
    },
    /// Some things of a list.
    Things {
        /// How many there are.
        count: u64,
        /// The names of the first few.
        names: Vec<Text>,
    },
    /// Findings of the rule that was asked for.
    Findings {
        /// How many there are.
        count: u64,
        /// The first few.
        findings: Vec<FindingDetails>,
    },
    /// A number.
    Count {
        /// The number.
        count: u64,
        /// The names of the first few that were counted.
        names: Vec<Text>,
    },
    /// A size.
    Bytes {
        /// Bytes on disk.
        bytes: u64,
        /// The names of the first few packages.
        names: Vec<Text>,
    },
    /// Days that something is behind.
    Behind {
        /// Days since the first newer release; 0 where none is known.
        days: u32,
        /// The newest version by then, where there is a newer one.
        newest: Option<Text>,
    },
    /// The median age of packages.
    Age {
        /// In days.
        days: u32,
    },
    /// A setting.
    Value {
        /// Its value.
        value: Text,
    },
    /// A setting that no file sets.
    NotSet,
    /// A default app.
    Default {
        /// Its name.
        name: Text,
        /// Its version.
        version: Option<Text>,
        /// Whether a file sets it, or there is no other.
        sure: bool,
    },
    /// Several applications could do it, and none is set.
    NoDefault {
        /// All that could.
        candidates: Vec<Text>,
    },
    /// A measured figure.
    Reading {
        /// The figure.
        value: f64,
        /// Its unit.
        unit: Text,
        /// How it was measured.
        method: Text,
    },
    /// A figure of a live session, which says nothing of the installed system.
    LiveReading {
        /// The figure.
        value: f64,
        /// Its unit.
        unit: Text,
    },
    /// Words of a person.
    Note {
        /// The words.
        note: Text,
    },
    /// Nobody has answered it yet.
    NotAnswered,
    /// Nobody has measured it yet.
    NotMeasured,
    /// The source does not record it.
    NotRecorded,
    /// No package has that name; the source does not record programs.
    ProgramsNotRecorded,
    /// The tally was taken with rules that do not ask for it.
    NotAsked,
    /// A program that was removed since may have done it.
    RemovedSince {
        /// Packages that were removed.
        packages: Vec<Text>,
    },
}

/// An answer, and what it rests on.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct Answer {
    /// The answer.
    pub verdict: Verdict,
    /// What was found.
    #[serde(flatten)]
    pub found: Answered,
    /// Where it was read.
    pub evidence: Vec<Evidence>,
}

/// Answers of one install, by verdict.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Totals {
    /// Questions that hold.
    pub yes: u32,
    /// Questions that do not.
    pub no: u32,
    /// Of those, the ones that were only wished for.
    pub no_of_wishes: u32,
    /// Answered by a person in other words.
    pub noted: u32,
    /// Still to be answered by a person.
    pub open: u32,
    /// Not recorded in this source.
    pub not_recorded: u32,
}

impl Totals {
    /// Counts verdicts; the flag tells a wish.
    pub fn of(verdicts: impl Iterator<Item = (bool, Verdict)>) -> Self {
        let mut totals = Self::default();
        for (wish, verdict) in verdicts {
            match verdict {
                Verdict::Yes => totals.yes += 1,
                Verdict::No => {
                    totals.no += 1;
                    totals.no_of_wishes += u32::from(wish);
                }
                Verdict::Noted => totals.noted += 1,
                Verdict::Open => totals.open += 1,
                Verdict::NotRecorded => totals.not_recorded += 1,
            }
        }
        totals
    }

    /// Whether something that must hold does not.
    pub const fn fails(&self) -> bool {
        self.no > self.no_of_wishes
    }
}
