use super::{Evidence, Text};
use crate::vocabulary;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

vocabulary! {
    /// What of an install is shown.
    pub enum Seen {
        /// Everything that is installed now.
        AsFound = "as-found" was "as found",
        /// What came with the install.
        AsShipped = "as-shipped" was "as shipped",
        /// What came with the install, as far as its files tell.
        MostlyAsShipped = "mostly-as-shipped" was "as shipped, as far as its files tell",
        /// What a package list names.
        AsListed = "as-listed" was "as listed",
    }
}

/// What tells one install from another.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(default)]
pub struct Label {
    /// Name of the distribution, as it calls itself.
    pub distro: Text,
    /// Its identifier (`ID` of os-release).
    pub distro_id: Text,
    /// Release number, or the snapshot's date.
    pub release: Option<Text>,
    /// Code name of the release.
    pub codename: Option<Text>,
    /// Edition, flavor or spin.
    pub edition: Option<Text>,
    /// Choice made at install time.
    pub profile: Option<Text>,
    /// Architecture in the native package system's words.
    pub arch: Option<Text>,
    /// Identifiers of the distributions it is made from, nearest first (`ID_LIKE`).
    pub base_id: Vec<Text>,
    /// Day of the release, `YYYY-MM-DD`.
    pub release_date: Option<Text>,
    /// The file that says so; empty when it was given by hand.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub release_date_from: Option<Evidence>,
    /// Day that support ends, `YYYY-MM-DD`.
    pub support_end: Option<Text>,
    /// The file that says so.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub support_end_from: Option<Evidence>,
    /// Short name on the shelf.
    pub handle: Text,
    /// What of it is shown; tallies themselves are as found, and do not say so.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub seen: Option<Seen>,
}

/// The longest handle that is made of a label, in bytes: a file's name has 255, and a number may have to be added.
const HANDLE_LIMIT: usize = 160;

impl Label {
    /// What of the install is shown; as found unless something else is said.
    pub fn seen_as(&self) -> Seen {
        self.seen.unwrap_or(Seen::AsFound)
    }

    /// The handle that follows from the other fields: `saltmarsh-5.0-reedbed-full`; `install` when nothing is known. It is cut where
    /// an install gives itself a name without end.
    pub fn natural_handle(&self) -> Text {
        let id = if self.distro_id.is_empty() { &self.distro } else { &self.distro_id };
        let fields = [Some(id), self.release.as_ref(), self.edition.as_ref(), self.profile.as_ref()];
        let slugs: Vec<String> =
            fields.into_iter().flatten().map(|field| slug(field)).filter(|s| !s.is_empty()).collect();
        let mut handle = if slugs.is_empty() { "install".to_owned() } else { slugs.join("-") };
        handle.truncate(HANDLE_LIMIT);
        handle.truncate(handle.trim_end_matches(['-', '.']).len());
        handle.into()
    }

    /// One line that names the install: `Saltmarsh Linux 5.0 "Bittern", Reedbed, full, amd64`.
    pub fn title(&self) -> String {
        let mut title =
            if self.distro.is_empty() { String::from("An unnamed install") } else { self.distro.to_string() };
        if let Some(release) = &self.release {
            title.push(' ');
            title.push_str(release);
        }
        if let Some(codename) = &self.codename {
            title.push_str(&format!(" \"{codename}\""));
        }
        for field in [&self.edition, &self.profile, &self.arch].into_iter().flatten() {
            title.push_str(", ");
            title.push_str(field);
        }
        title
    }
}

/// Lower-case letters, digits, dots and single hyphens; everything else becomes a hyphen.
pub fn slug(text: &str) -> String {
    let mut slug = String::with_capacity(text.len());
    for c in text.chars().flat_map(char::to_lowercase) {
        if c.is_ascii_alphanumeric() || (c == '.' && !slug.is_empty()) {
            slug.push(c);
        } else if !slug.is_empty() && !slug.ends_with('-') {
            slug.push('-');
        }
    }
    slug.truncate(slug.trim_end_matches(['-', '.']).len());
    slug
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_handle_is_made_of_what_is_known() {
        let mut label = Label { distro_id: "saltmarsh".into(), ..Label::default() };
        assert_eq!(label.natural_handle(), "saltmarsh");
        label.release = Some("5.0".into());
        label.edition = Some("Reedbed Plus!".into());
        assert_eq!(label.natural_handle(), "saltmarsh-5.0-reedbed-plus");
        assert_eq!(Label::default().natural_handle(), "install");
        label.release = Some(format!("{}.x", "9".repeat(149)).into());
        let handle = label.natural_handle();
        assert_eq!((handle.len(), handle.ends_with("99")), (159, true), "{handle}");
    }

    #[test]
    fn a_slug_never_starts_a_path() {
        assert_eq!(slug("../../etc"), "etc");
        assert_eq!(slug("..."), "");
        assert_eq!(slug("Ünder /x"), "nder-x");
    }
}
