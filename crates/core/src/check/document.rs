use crate::model::vocabulary::vocabulary;
use crate::model::{Evidence, Label, Text};
use schemars::JsonSchema;
use serde::Serialize;

/// Schema number of a check document.
pub const CHECK_SCHEMA: u32 = 1;

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
        /// The source of the tally can't tell.
        Untold = "untold",
    }
}

/// A checklist with its answers.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct Check {
    /// Schema number of this document.
    pub check: u32,
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

/// An answer, and what it rests on.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct Answer {
    /// The answer.
    pub verdict: Verdict,
    /// What was found.
    pub found: Text,
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
    /// That this source can't tell.
    pub untold: u32,
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
                Verdict::Untold => totals.untold += 1,
            }
        }
        totals
    }

    /// Whether something that must hold does not.
    pub const fn fails(&self) -> bool {
        self.no > self.no_of_wishes
    }
}
