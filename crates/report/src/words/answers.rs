use super::{finding, listed, versioned};
use crate::text::{bytes_human, figure, thousands};
use tally_core::check::{Answered, Verdict};
use tally_core::model::Text;

/// How a question was answered.
pub const fn verdict(verdict: Verdict) -> &'static str {
    match verdict {
        Verdict::Yes => "yes",
        Verdict::No => "no",
        Verdict::Noted => "noted",
        Verdict::Open => "open",
        Verdict::NotRecorded => "not recorded",
    }
}

/// What was found for a question.
pub fn answer(found: &Answered) -> String {
    match found {
        Answered::NotThere { nearest: None } => "none".to_owned(),
        Answered::NotThere { nearest: Some(name) } => format!("not found; the nearest name is {name}"),
        Answered::Thing { name, version } => versioned(name, version.as_ref()),
        Answered::Things { count, names } => counted(*count, names),
        Answered::Findings { count, findings } => {
            let said: Vec<Text> = findings.iter().map(|one| finding(one).into()).collect();
            counted(*count, &said)
        }
        Answered::Count { count, names } => with_names(thousands(*count), *count, names),
        Answered::Behind { days: 0, newest: _ } => "nothing newer known".to_owned(),
        Answered::Behind { days, newest } => {
            let newest = newest.as_deref().map(|newest| format!(", newest {newest}")).unwrap_or_default();
            format!("{days} days or more{newest}")
        }
        Answered::Age { days } => crate::words::days(*days),
        Answered::Bytes { bytes, names } => with_names(bytes_human(*bytes), 0, names),
        Answered::Value { value } => value.to_string(),
        Answered::NotSet => "not set".to_owned(),
        Answered::Default { name, version, sure } => {
            let doubt = if *sure { "" } else { ", but no file sets it" };
            format!("{}{doubt}", versioned(name, version.as_ref()))
        }
        Answered::NoDefault { candidates } => format!("no default among {}", listed(candidates, 8)),
        Answered::Reading { value, unit, method } => {
            format!("{} ({})", figure(*value, unit), super::method(method))
        }
        Answered::LiveReading { value, unit } => {
            format!("{} in a live session, which says nothing of the install", figure(*value, unit))
        }
        Answered::Note { note } => note.to_string(),
        Answered::NotAnswered => "not answered yet".to_owned(),
        Answered::NotMeasured => "not measured yet".to_owned(),
        Answered::NotRecorded => "not recorded in this source".to_owned(),
        Answered::ProgramsNotRecorded => {
            "no package has that name, and this source does not record programs".to_owned()
        }
        Answered::NotAsked => "not known: the tally was taken with rules that do not ask for it".to_owned(),
        Answered::RemovedSince { packages } => {
            format!("not known: {} removed since installation", listed(packages, 5))
        }
    }
}

/// `A`; `3: A, B and C`; `9: A, B, C, D and 5 more`.
fn counted(count: u64, names: &[Text]) -> String {
    if count == 1 && names.len() == 1 {
        return names[0].to_string();
    }
    with_names(thousands(count), count, names)
}

/// A figure and the names of the first few; how many more there are, where `count` is known.
fn with_names(figure: String, count: u64, names: &[Text]) -> String {
    if names.is_empty() {
        return figure;
    }
    let joined = names.iter().map(Text::as_str).collect::<Vec<_>>().join(", ");
    match count.saturating_sub(names.len() as u64) {
        0 if count == 0 => format!("{figure}: {joined}"),
        0 => format!("{figure}: {}", listed(names, names.len())),
        more => format!("{figure}: {joined} and {} more", thousands(more)),
    }
}
