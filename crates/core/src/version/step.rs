use crate::model::Text;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// How far apart two upstream versions are.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Step {
    /// The first numeric field differs, or the year of a date.
    Major,
    /// The second one differs.
    Minor,
    /// The third one differs.
    Patch,
    /// A later field, or only letters differ.
    Other,
}

impl Step {
    /// The stable name.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Major => "major",
            Self::Minor => "minor",
            Self::Patch => "patch",
            Self::Other => "other",
        }
    }
}

/// The step between two upstream versions, in either direction; `None` when they are equal as text.
///
/// ```
/// use tally_core::version::{Step, step};
/// assert_eq!(step("6.1.90", "6.9.2"), Some(Step::Minor));
/// assert_eq!(step("20240501", "20241101"), Some(Step::Minor)); // same year
/// assert_eq!(step("1.0a", "1.0b"), Some(Step::Other));
/// ```
pub fn step(old: &str, new: &str) -> Option<Step> {
    if old == new {
        return None;
    }
    let (old, new) = (fields(old), fields(new));
    let zero = Text::from("0");
    let differing =
        (0..old.len().max(new.len())).find(|i| old.get(*i).unwrap_or(&zero) != new.get(*i).unwrap_or(&zero));
    Some(match differing {
        Some(0) => Step::Major,
        Some(1) => Step::Minor,
        Some(2) => Step::Patch,
        _ => Step::Other,
    })
}

/// Numeric fields without leading zeros; a run of eight digits that reads as a date becomes three.
fn fields(version: &str) -> Vec<Text> {
    let mut fields = Vec::new();
    for run in version.split(|c: char| !c.is_ascii_digit()).filter(|run| !run.is_empty()) {
        if is_date(run) {
            fields.extend([&run[..4], &run[4..6], &run[6..]].map(number));
        } else {
            fields.push(number(run));
        }
    }
    fields
}

fn is_date(run: &str) -> bool {
    run.len() == 8
        && matches!(&run[..2], "19" | "20")
        && ("01"..="12").contains(&&run[4..6])
        && ("01"..="31").contains(&&run[6..])
}

fn number(run: &str) -> Text {
    let trimmed = run.trim_start_matches('0');
    Text::from(if trimmed.is_empty() { "0" } else { trimmed })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn the_first_field_that_differs_decides() {
        for (old, new, expected) in [
            ("1.2.3", "2.0", Step::Major),
            ("1.2", "1.3.0", Step::Minor),
            ("1.2.3", "1.2.4", Step::Patch),
            ("1.2.3.4", "1.2.3.5", Step::Other),
            ("2024.05", "2025.01", Step::Major),
            ("1.0rc1", "1.0", Step::Patch),
            ("1.0", "1.0.0", Step::Other),
        ] {
            assert_eq!(step(old, new), Some(expected), "{old} to {new}");
        }
    }

    proptest! {
        #[test]
        fn is_the_same_in_both_directions(a in "\\PC{0,10}", b in "[0-9.a-z]{0,10}") {
            prop_assert_eq!(step(&a, &b), step(&b, &a));
            prop_assert_eq!(step(&a, &a), None);
        }
    }
}
