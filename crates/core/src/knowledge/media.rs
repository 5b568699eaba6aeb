//! Media: files that reviewers try to open and to play, and what decodes them.

use super::pattern::matches;
use crate::model::Text;
use serde::Deserialize;
use std::sync::LazyLock;

/// The table inside the program.
const BUILT_IN: &str = include_str!("rules/media.toml");

/// The same as the build script wrote it.
const READY: &str = include_str!(concat!(env!("OUT_DIR"), "/media.json"));

static TABLE: LazyLock<MediaRules> = LazyLock::new(|| super::ready(READY).unwrap_or_default());

/// The table of media, in the order in which they are told.
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct MediaRules {
    /// What is tried.
    pub media: Vec<MediaRule>,
    /// What apps are built on.
    pub framework: Vec<Framework>,
    /// Packages that bring what is missing.
    pub help: Vec<MediaHelp>,
}

crate::vocabulary! {
    /// What a medium is, in the order in which it is told.
    pub enum MediaFamily {
        /// Archives.
        Archives = "archives",
        /// Music.
        Music = "music",
        /// Video.
        Video = "video",
        /// Pictures.
        Pictures = "pictures",
        /// Documents.
        Documents = "documents",
        /// Packages of programs, and images of disks.
        Packages = "packages",
        /// Links.
        Links = "links",
        /// Drives, printers, scanners, graphics cards.
        Devices = "devices",
    }
}

/// Something that reviewers try.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct MediaRule {
    /// Its stable name.
    pub key: Text,
    /// What it is.
    pub family: MediaFamily,
    /// Its name for people.
    pub label: Text,
    /// Its MIME type; what has none is asked of files alone.
    #[serde(default)]
    pub mime: Option<Text>,
    /// The role whose apps open it.
    #[serde(default)]
    pub role: Option<Text>,
    /// A role whose apps only look into it: they don't count.
    #[serde(default)]
    pub not_by: Option<Text>,
    /// What has to be decoded.
    #[serde(default)]
    pub needs: Vec<Text>,
    /// Files of which any proves it.
    #[serde(default)]
    pub files: Vec<Text>,
    /// Files without any of which nothing can be told.
    #[serde(default)]
    pub knows: Vec<Text>,
}

/// What apps are built on, and by what it decodes.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Framework {
    /// Its name.
    pub name: Text,
    /// The families that it is asked for.
    pub opens: Vec<MediaFamily>,
    /// Patterns of packages that an app on it depends on.
    pub packages: Vec<Text>,
    /// Its decoders.
    pub decoder: Vec<Decoder>,
}

/// What proves that something is decoded.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Decoder {
    /// What it decodes.
    pub what: Text,
    /// Files of which any proves it.
    pub files: Vec<Text>,
    /// Patterns of packages whose build of them can't.
    #[serde(default)]
    pub not: Vec<Text>,
}

/// Packages that bring what is missing.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct MediaHelp {
    /// The framework, or what is asked of files.
    pub framework: Text,
    /// What they bring.
    pub what: Vec<Text>,
    /// Names that they have in different distributions.
    pub packages: Vec<Text>,
}

impl MediaRules {
    /// The text of the table inside the program: TOML with comments.
    pub const fn built_in_text() -> &'static str {
        BUILT_IN
    }

    /// The rule of a medium.
    pub fn of(&self, key: &str) -> Option<&MediaRule> {
        self.media.iter().find(|rule| rule.key == key)
    }

    /// The name of a medium for people.
    pub fn label<'a>(&'a self, key: &'a str) -> &'a str {
        self.of(key).map_or(key, |rule| &rule.label)
    }

    /// Every pattern of files that is asked, each once.
    pub fn files(&self) -> Vec<&Text> {
        let of_decoders = self.framework.iter().flat_map(|one| &one.decoder).flat_map(|one| &one.files);
        let mut files: Vec<&Text> = self
            .media
            .iter()
            .flat_map(|rule| rule.files.iter().chain(&rule.knows))
            .chain(of_decoders)
            .collect();
        files.sort_unstable();
        files.dedup();
        files
    }

    /// The framework that a package is of, among those that are asked for a family.
    pub fn framework_of(&self, package: &str, family: MediaFamily) -> Option<(usize, &Framework)> {
        let is_it = |one: &Framework| {
            one.opens.contains(&family) && one.packages.iter().any(|pattern| matches(pattern, package))
        };
        self.framework.iter().enumerate().find(|(_, one)| is_it(one))
    }

    /// Packages that may bring something to a framework.
    pub fn help<'a>(&'a self, framework: &'a str, what: &'a str) -> impl Iterator<Item = &'a Text> {
        let fits =
            move |help: &&MediaHelp| help.framework == framework && help.what.iter().any(|one| one == what);
        self.help.iter().filter(fits).flat_map(|help| &help.packages)
    }
}

/// The table inside the program.
pub fn media() -> &'static MediaRules {
    &TABLE
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::knowledge::Roles;

    #[test]
    fn the_table_is_sound() {
        let rules = media();
        let roles = Roles::built_in().unwrap();
        let mut family = MediaFamily::Archives;
        assert!(rules.media.len() > 50);
        for (at, rule) in rules.media.iter().enumerate() {
            assert!(rules.media[..at].iter().all(|other| other.key != rule.key), "{} twice", rule.key);
            assert!(rule.family >= family, "{} is out of order", rule.key);
            family = rule.family;
            assert_ne!(rule.mime.is_some(), !rule.files.is_empty(), "{}", rule.key);
            if let Some(role) = &rule.role {
                assert!(roles.role.iter().any(|known| known.role == *role), "{}: no role {role}", rule.key);
            }
            for need in &rule.needs {
                let frameworks = rules.framework.iter().filter(|one| one.opens.contains(&rule.family));
                for one in frameworks {
                    let knows = one.decoder.iter().any(|decoder| decoder.what == *need);
                    assert!(knows, "{} does not say how it decodes {need}", one.name);
                }
            }
        }
        for help in &rules.help {
            let known = rules.framework.iter().any(|one| one.name == help.framework)
                || rules.media.iter().any(|rule| rule.label == help.framework);
            assert!(known, "there is no {}", help.framework);
        }
    }

    #[test]
    fn a_package_is_of_a_framework_for_what_it_opens() {
        let of =
            |package: &str, family| media().framework_of(package, family).map(|(_, one)| one.name.as_str());
        assert_eq!(of("libgstreamer1.0-0t64", MediaFamily::Video), Some("GStreamer"));
        assert_eq!(of("libgstreamer1.0-0", MediaFamily::Pictures), None);
        assert_eq!(of("libavcodec61", MediaFamily::Music), Some("FFmpeg"));
        assert_eq!(of("libc6", MediaFamily::Music), None);
    }
}
