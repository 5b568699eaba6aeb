use super::Text;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Which application opens a type, or does a job.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct DefaultChoice {
    /// The role that the question belongs to.
    pub role: Text,
    /// A MIME type, `x-scheme-handler/...`, or `Categories=...`.
    pub asked: Text,
    /// The default application.
    #[serde(default)]
    pub application: Option<Text>,
    /// Its launcher.
    #[serde(default)]
    pub launcher: Option<Text>,
    /// Whether it is also asked: a further type of the role, or a role that few installs fill. It is told where an application
    /// answers; that none does is no news.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub also: bool,
    /// What decided it.
    #[serde(alias = "how", default)]
    pub decided: Decided,
    /// The default first, then every other application whose job it is.
    #[serde(default)]
    pub candidates: Vec<Text>,
    /// Whether a file or the desktop decides, or there is only one candidate.
    #[serde(default)]
    pub sure: bool,
    /// The default application as shipped, where it differs.
    #[serde(default)]
    pub shipped_application: Option<Text>,
    /// The whole answer as shipped, where it differs.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub shipped: Option<Box<ShippedChoice>>,
}

impl DefaultChoice {
    /// The application that does the job, of all answers of an install. What opens a type only as it opens its parent type (a
    /// document as the archive that it is) does the job where the role asks for that type as well.
    pub fn holder(&self, all: &[Self]) -> Option<&Text> {
        let of_parent = match &self.decided.by {
            DecidedBy::ParentType { parent } => {
                all.iter().any(|choice| choice.role == self.role && choice.asked == *parent)
            }
            _ => true,
        };
        self.application.as_ref().filter(|_| of_parent)
    }

    /// Whether a program that was removed since may have been the default, and nothing tells any more.
    pub fn is_not_recorded(&self) -> bool {
        self.application.is_none() && !self.sure && self.candidates.is_empty()
    }
}

/// The answer as shipped, where it differs from the one found.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct ShippedChoice {
    /// The default application.
    pub application: Option<Text>,
    /// Its launcher.
    pub launcher: Option<Text>,
    /// What decided it.
    #[serde(alias = "how")]
    pub decided: Decided,
    /// All applications that could do it, the default first.
    pub candidates: Vec<Text>,
    /// Whether a file named the default, or there was only one candidate.
    pub sure: bool,
}

/// How a default was decided, and by which file.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(from = "Stored")]
pub struct Decided {
    /// The rule that decided.
    #[serde(flatten)]
    pub by: DecidedBy,
    /// The file that was read for it, or the folder (with a slash at its end) whose launchers were.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub file: Option<Text>,
    /// The other name of the type, where that decided.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub alias: Option<Text>,
}

/// The rule by which a default was decided.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "decided_by", rename_all = "kebab-case")]
pub enum DecidedBy {
    /// A `mimeapps.list` sets it.
    SetInFile,
    /// Only one application can do it.
    OnlyCandidate,
    /// No default is set; it is the first of several.
    FirstOfSeveral,
    /// The desktop's own settings name it.
    DesktopSetting,
    /// The desktop does it itself, by a program that no menu shows.
    BuiltIn,
    /// Of several, its launcher states the highest `InitialPreference`.
    Preference,
    /// Only one of the candidates names the job.
    OnlyByName,
    /// A link in `etc/alternatives` chooses it.
    AlternativeLink,
    /// It opens a parent of the type.
    ParentType {
        /// The parent.
        parent: Text,
    },
    /// Several could do it, and none is set.
    NotSet,
    /// No application does it.
    #[default]
    Nothing,
    /// No application does it, but one that was removed since may have.
    RemovedSince {
        /// Packages that were removed.
        packages: Vec<Text>,
    },
    /// What a tally of schema 1 says, as it says it.
    Legacy {
        /// Its words.
        legacy: Text,
    },
}

impl Decided {
    /// Decided by a rule that read no file.
    pub const fn by(by: DecidedBy) -> Self {
        Self { by, file: None, alias: None }
    }

    /// Decided by a file.
    pub fn in_file(by: DecidedBy, file: &Text) -> Self {
        Self { by, file: Some(file.clone()), alias: None }
    }

    /// The words of schema 1, as far as they have one meaning; the others are kept.
    fn of_schema_1(how: &str) -> Self {
        let (place, rule) = how.split_once(": ").unwrap_or((how, ""));
        let (rule, alias) = match rule.split_once(" (for ") {
            Some((rule, alias)) => (rule, alias.split(',').next().map(Text::from)),
            None => (rule, None),
        };
        let folder = place.strip_suffix(", MimeType of each launcher").map(|folder| format!("{folder}/"));
        let place = folder.as_deref().unwrap_or(place);
        let by = match (place, rule) {
            ("nothing opens it" | "nothing in the menu does it", "") => return Self::by(DecidedBy::Nothing),
            ("several do it, and none is chosen", "") => return Self::by(DecidedBy::NotSet),
            (_, "the only one") => DecidedBy::OnlyCandidate,
            (_, "no default is set; the first of several") => DecidedBy::FirstOfSeveral,
            (_, "the only one that says so by its name") => DecidedBy::OnlyByName,
            (link, "") if link.starts_with("etc/alternatives/") => DecidedBy::AlternativeLink,
            (file, "") if file.ends_with(".list") => DecidedBy::SetInFile,
            (_, rule) => match rule.strip_prefix("by its parent type ") {
                Some(parent) => DecidedBy::ParentType { parent: parent.into() },
                None => return Self::by(DecidedBy::Legacy { legacy: how.into() }),
            },
        };
        Self { by, file: Some(place.into()), alias }
    }
}

/// What decided, as a document of this schema or of schema 1 has it.
#[derive(Deserialize, JsonSchema)]
#[serde(untagged)]
enum Stored {
    Known {
        #[serde(flatten)]
        by: DecidedBy,
        #[serde(default)]
        file: Option<Text>,
        #[serde(default)]
        alias: Option<Text>,
    },
    Legacy(Text),
}

impl From<Stored> for Decided {
    fn from(stored: Stored) -> Self {
        match stored {
            Stored::Known { by, file, alias } => Self { by, file, alias },
            Stored::Legacy(how) => Self::of_schema_1(&how),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn words_of_schema_1_are_mapped_and_strange_ones_kept() {
        let read = |how: &str| serde_json::from_value::<Decided>(how.into()).unwrap();
        let cache = Text::from("usr/share/applications/mimeinfo.cache");
        assert_eq!(
            read("usr/share/applications/mimeinfo.cache: the only one"),
            Decided::in_file(DecidedBy::OnlyCandidate, &cache)
        );
        let aliased =
            read("usr/share/applications/mimeinfo.cache: the only one (for text/x, its proper name)");
        assert_eq!(aliased.alias.as_deref(), Some("text/x"));
        assert_eq!(
            read("usr/share/applications/mimeinfo.cache: by its parent type text/plain"),
            Decided::in_file(DecidedBy::ParentType { parent: "text/plain".into() }, &cache)
        );
        assert_eq!(read("etc/xdg/mimeapps.list").by, DecidedBy::SetInFile);
        assert_eq!(read("etc/alternatives/x-terminal").by, DecidedBy::AlternativeLink);
        assert_eq!(read("several do it, and none is chosen").by, DecidedBy::NotSet);
        let strange = read("the moon was full");
        assert_eq!(strange.by, DecidedBy::Legacy { legacy: "the moon was full".into() });
        let again: Decided = serde_json::from_value(serde_json::to_value(&strange).unwrap()).unwrap();
        assert_eq!(again, strange);
    }
}
