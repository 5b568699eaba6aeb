//! Everything that is said in English about data of `core`, one file for each sort of data.
//!
//! `core` and the documents hold no sentences: they hold enums with arguments, and here each of them is put into words, by matches
//! that name every case. The words themselves are listed in `docs/words.md`.

mod ages;
mod answers;
mod changes;
mod decisions;
mod defaults;
mod findings;
mod found;
mod headlines;
mod kinds;
mod media;
mod pictures;
mod rows;
mod settings;
mod sources;

pub use ages::{days, first_newer, held_by, release_source};
pub use answers::{answer, verdict};
pub use changes::{
    application_change, default_change, list_change, list_item, package_change, package_change_title,
    part_change,
};
pub use decisions::{decision_kind, decision_names, decision_reason, decision_title};
pub use defaults::{asked, decided};
pub use findings::{finding, finding_title, purpose};
pub use found::{found, leave_out};
pub use headlines::{display, headline, session};
pub use kinds::kind_reason;
pub use media::{media_family, media_value, media_verdict};
pub use pictures::{picture_change, picture_format, picture_kind, sameness};
pub use rows::{cell, measure, measured_when, method, remark, row_label, thing};
pub use settings::setting_area;
pub use sources::{
    doubt, hidden, key, matched, missing_fact, not_comparable, not_recorded, root_reason, section, seen,
};

use tally_core::model::{System, Text};

/// `A`; `A and B`; `A, B and C`; with more than `most` names `A, B and 4 more`.
pub fn listed<T: AsRef<str>>(names: &[T], most: usize) -> String {
    let name = |at: usize| names[at].as_ref();
    let all = |names: &[T]| names.iter().map(AsRef::as_ref).collect::<Vec<_>>().join(", ");
    match names.len() {
        0 => String::new(),
        1 => name(0).to_owned(),
        n if n <= most.max(2) => format!("{} and {}", all(&names[..n - 1]), name(n - 1)),
        n => {
            let shown = most.saturating_sub(1).max(1);
            format!("{} and {} more", all(&names[..shown]), n - shown)
        }
    }
}

/// `dpkg and flatpak`.
pub fn systems(systems: &[System]) -> String {
    let names: Vec<&str> = systems.iter().map(|system| system.name()).collect();
    listed(&names, names.len())
}

/// A stable name as words: `text-editor` is `text editor`.
pub(crate) fn plain(name: &str) -> String {
    name.replace('-', " ")
}

/// A name with its version, where it has one.
pub(crate) fn versioned(name: &str, version: Option<&Text>) -> String {
    version.map_or_else(|| name.to_owned(), |version| format!("{name} {version}"))
}

/// `is` or `are`.
pub(crate) const fn are(count: usize) -> &'static str {
    if count == 1 { "is" } else { "are" }
}

/// What a view is called where views are listed, by its name on the command line.
pub fn view_title(view: &str) -> String {
    match view {
        "menu" | "applications" => "Programs".to_owned(),
        "parts" => "Under the hood".to_owned(),
        "defaults" => "Default apps".to_owned(),
        "media" => "Opens and plays".to_owned(),
        "weight" => "Disk space".to_owned(),
        "offer" => "On offer".to_owned(),
        "lag" => "How far behind".to_owned(),
        other => {
            let mut chars = other.chars();
            chars.next().map(|first| first.to_uppercase().chain(chars).collect()).unwrap_or_default()
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_listed_with_and_and_counted_when_there_are_many() {
        assert_eq!(listed(&["a"], 3), "a");
        assert_eq!(listed(&["a", "b"], 3), "a and b");
        assert_eq!(listed(&["a", "b", "c"], 3), "a, b and c");
        assert_eq!(listed(&["a", "b", "c", "d"], 3), "a, b and 2 more");
        assert_eq!(listed::<&str>(&[], 3), "");
    }
}
