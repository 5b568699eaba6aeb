use super::{are, listed};
use tally_core::model::{Decided, DecidedBy};

/// How a default was decided.
pub fn decided(decided: &Decided) -> String {
    let file = decided.file.as_deref().unwrap_or_default();
    let said = match &decided.by {
        DecidedBy::SetInFile => format!("set in {file}"),
        DecidedBy::OnlyCandidate => format!("the only candidate ({})", place(file)),
        DecidedBy::FirstOfSeveral => format!("no default is set; the first of several ({})", place(file)),
        DecidedBy::DesktopSetting if file.is_empty() => "the desktop's own default".to_owned(),
        DecidedBy::DesktopSetting => format!("set in {file}"),
        DecidedBy::BuiltIn => "built into the desktop".to_owned(),
        DecidedBy::Preference => format!("its launcher asks to go first ({})", place(file)),
        DecidedBy::OnlyByName => format!("the only candidate named after the role ({file})"),
        DecidedBy::AlternativeLink => format!("set by {file}"),
        DecidedBy::ParentType { parent } => format!("opens the parent type {parent} ({})", place(file)),
        DecidedBy::NotSet => "several apps could, and none is set".to_owned(),
        DecidedBy::Nothing => "no app for it".to_owned(),
        DecidedBy::RemovedSince { packages } => {
            let was = if are(packages.len()) == "is" { "was" } else { "were" };
            format!("not known: {} {was} removed since installation", listed(packages, 5))
        }
        DecidedBy::Legacy { legacy } => legacy.to_string(),
    };
    match &decided.alias {
        Some(alias) => format!("{said}, under the name {alias}"),
        None => said,
    }
}

/// A file, or the launchers of a folder.
fn place(file: &str) -> String {
    file.strip_suffix('/').map_or_else(|| file.to_owned(), |folder| format!("launchers in {folder}"))
}

/// What was asked of a role: a type, or categories; words and commands are many, and say no more than that.
pub fn asked(asked: &str) -> &str {
    if ["Name=", "Exec="].iter().any(|key| asked.starts_with(key)) { "by its name" } else { asked }
}
