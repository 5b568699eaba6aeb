use super::{listed, versioned};
use crate::text::{bytes_human, count_of};
use tally_core::find::{Answer, Filled};
use tally_core::model::Text;
use tally_core::weigh::LeaveOutKind;

/// Names that one line holds.
const NAMES: usize = 6;

/// What a search answers, as a sentence.
pub fn found(answer: &Answer) -> String {
    match answer {
        Answer::Part { part, filled } if filled.is_empty() => format!("{}: none was found.", part.label),
        Answer::Part { part, filled } => format!("{}: {}.", part.label, all(filled)),
        Answer::Instead { name, part, filled, is_there } => {
            let label = part.label.to_lowercase();
            let is = if filled.is_empty() {
                format!("No {label} was found")
            } else {
                format!("{name} is not the {label} here: {} is", all(filled))
            };
            let rest = if *is_there {
                "; packages of that name are installed"
            } else {
                "; no package of that name is installed"
            };
            format!("{is}{rest}.")
        }
        Answer::Role { role, app: Some(app), others } => {
            let also = if others.is_empty() {
                String::new()
            } else {
                format!("; {} could do it too", listed(others, NAMES))
            };
            format!("The {} is {}{also}.", role.label, versioned(&app.name, app.version.as_ref()))
        }
        Answer::Role { role, app: None, others } if others.is_empty() => {
            format!("There is no {}.", role.label)
        }
        Answer::Role { role, app: None, others } => {
            format!("There is no default {}; {} could do it.", role.label, listed(others, NAMES))
        }
        Answer::Kind { kind, packages: 0, .. } => format!("No package of the kind {kind} is installed."),
        Answer::Kind { kind, packages, installed_bytes, largest } => format!(
            "{} of the kind {kind}, {}: {}.",
            count_of(*packages, "package"),
            bytes_human(*installed_bytes),
            largest_of(largest, *packages)
        ),
        Answer::Packages { name, filled } if filled.is_empty() => {
            format!("No program for this was found: {name}.")
        }
        Answer::Packages { name, filled } => format!("For {name}: {}.", all(filled)),
        Answer::Finding { finding, about } if about.is_empty() => {
            format!("{}: none was found.", super::finding_title(*finding))
        }
        Answer::Finding { finding, about } => {
            let plain: Vec<&str> = about.iter().map(|one| one.rsplit(':').next().unwrap_or(one)).collect();
            format!("{}: {}.", super::finding_title(*finding), listed(&plain, NAMES))
        }
    }
}

fn all(filled: &[Filled]) -> String {
    let told: Vec<String> = filled.iter().map(|one| versioned(&one.name, one.version.as_ref())).collect();
    listed(&told, NAMES)
}

/// The largest first; how many more there are is counted.
fn largest_of(largest: &[tally_core::model::Text], packages: u64) -> String {
    let rest = packages.saturating_sub(largest.len() as u64);
    if rest == 0 {
        listed(largest, largest.len().max(1))
    } else {
        format!("{} and {rest} more", largest.join(", "))
    }
}

/// What could be left out, and why it would hardly be missed.
pub fn leave_out(kind: LeaveOutKind, name: Option<&Text>) -> String {
    let name = name.map_or("", Text::as_str);
    match kind {
        LeaveOutKind::Documentation => "documentation".to_owned(),
        LeaveOutKind::Languages => "languages".to_owned(),
        LeaveOutKind::Games => "games".to_owned(),
        LeaveOutKind::Wallpapers => "wallpapers that are not set".to_owned(),
        LeaveOutKind::Fonts => "fonts beside the basic ones".to_owned(),
        LeaveOutKind::Firmware => "firmware, if the hardware does not need it".to_owned(),
        LeaveOutKind::Extra => name.to_owned(),
        LeaveOutKind::Double => format!("{name}, another app does the same"),
        LeaveOutKind::App => format!("{name}, the only app for its job"),
    }
}
