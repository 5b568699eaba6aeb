use super::{Evidence, PackageRef, Phase, Reduced, System, Text};
use crate::vocabulary;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

vocabulary! {
    /// Where a launcher is in the menu: the main categories of the Desktop Menu Specification.
    pub enum Menu {
        /// `Utility`.
        Accessories = "accessories",
        /// `Network`.
        Internet = "internet",
        /// `Office`.
        Office = "office",
        /// `Graphics`.
        Graphics = "graphics",
        /// `AudioVideo`, `Audio`, `Video`.
        Media = "media",
        /// `Game`.
        Games = "games",
        /// `Education`.
        Education = "education",
        /// `Science`.
        Science = "science",
        /// `Development`.
        Development = "development",
        /// `System`.
        System = "system",
        /// `Settings`.
        Settings = "settings",
        /// No main category.
        Other = "other",
    }
}

vocabulary! {
    /// What happens when a launcher is started.
    pub enum Does {
        /// Starts a program.
        Program = "program",
        /// Opens a web page.
        WebPage = "web-page",
        /// Opens a page of a settings program.
        SettingsPage = "settings-page",
        /// Opens a file or folder.
        Link = "link",
        /// Does one thing and ends (lock the screen, log out).
        Action = "action",
    }
}

vocabulary! {
    /// The key of a desktop entry by which a menu leaves it out.
    pub enum HiddenBy {
        /// `Type` is neither an application nor a link.
        Type = "type",
        /// `Hidden`: it counts as deleted.
        Hidden = "hidden",
        /// `NoDisplay`.
        NoDisplay = "no-display",
        /// `OnlyShowIn` names other desktops.
        OnlyShowIn = "only-show-in",
        /// `NotShowIn` names this desktop.
        NotShowIn = "not-show-in",
        /// `TryExec` names a program that is not installed.
        TryExec = "try-exec",
        /// `Categories` names a reserved category.
        ReservedCategory = "reserved-category",
        /// Another file has the same ID and comes first.
        DuplicateId = "duplicate-id",
        /// What a tally of schema 1 says; `value` has its words.
        Legacy = "legacy",
    }
}

/// Why a menu does not show a desktop entry.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(from = "Stored")]
pub struct HiddenBecause {
    /// The key that decides.
    pub by: HiddenBy,
    /// The value of that key.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub value: Option<Text>,
}

impl HiddenBecause {
    /// A key with its value.
    pub fn key(by: HiddenBy, value: impl Into<Text>) -> Self {
        Self { by, value: Some(value.into()) }
    }

    /// The words of schema 1, as far as they have one meaning.
    fn of_schema_1(words: &str) -> Self {
        if words.starts_with("another file") {
            return Self { by: HiddenBy::DuplicateId, value: None };
        }
        if let Some(program) = words.strip_prefix("TryExec: `").and_then(|rest| rest.split('`').next()) {
            return Self::key(HiddenBy::TryExec, program);
        }
        let (key, value) = words.split_once('=').unwrap_or((words, ""));
        let value = value.split([' ', ',']).next().unwrap_or_default();
        match key {
            "Type" => Self::key(HiddenBy::Type, value),
            "Hidden" => Self::key(HiddenBy::Hidden, value),
            "NoDisplay" => Self::key(HiddenBy::NoDisplay, value),
            "OnlyShowIn" => Self::key(HiddenBy::OnlyShowIn, value),
            "NotShowIn" => Self::key(HiddenBy::NotShowIn, value),
            "Categories" => Self::key(HiddenBy::ReservedCategory, value),
            _ => Self::key(HiddenBy::Legacy, words),
        }
    }
}

/// A reason as a document of this schema or of schema 1 has it.
#[derive(Deserialize, JsonSchema)]
#[serde(untagged)]
enum Stored {
    Known {
        by: HiddenBy,
        #[serde(default)]
        value: Option<Text>,
    },
    Legacy(Text),
}

impl From<Stored> for HiddenBecause {
    fn from(stored: Stored) -> Self {
        match stored {
            Stored::Known { by, value } => Self { by, value },
            Stored::Legacy(words) => Self::of_schema_1(&words),
        }
    }
}

/// A desktop entry, by the Desktop Entry Specification.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Launcher {
    /// Desktop file ID: the path below `applications/`, slashes become hyphens.
    pub id: Text,
    /// `Name`, unlocalised.
    pub name: Text,
    /// `GenericName`.
    #[serde(default)]
    pub generic_name: Option<Text>,
    /// Place in the menu.
    pub menu: Menu,
    /// `Categories`, as they are.
    #[serde(default)]
    pub categories: Vec<Text>,
    /// Whether the edition's desktop shows it.
    pub shown: bool,
    /// Why it is not shown.
    #[serde(default)]
    pub hidden_because: Option<HiddenBecause>,
    /// The program that `Exec` starts, without its folder and arguments.
    #[serde(default)]
    pub runs: Option<Text>,
    /// What it does.
    pub does: Does,
    /// The address that it opens.
    #[serde(default)]
    pub url: Option<Reduced>,
    /// Whether the program is there; `null` when the source holds no programs at all.
    #[serde(default)]
    pub program_present: Option<bool>,
    /// The package that owns the file.
    #[serde(default)]
    pub package: Option<PackageRef>,
    /// Upstream version of that package.
    #[serde(default)]
    pub version: Option<Text>,
    /// The system that delivered it; `null` when no package owns it.
    #[serde(default)]
    pub format: Option<System>,
    /// `MimeType`.
    #[serde(default)]
    pub mime_types: Vec<Text>,
    /// `InitialPreference`: KDE puts higher ones first.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub initial_preference: Option<i32>,
    /// The desktop file.
    #[serde(default)]
    pub evidence: Evidence,
    /// ID of its AppStream component, then those that the component states to have had or to stand for.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub appstream: Vec<Text>,
    /// Whether it was shipped; left out when it was.
    #[serde(default = "super::package::shipped", skip_serializing_if = "Phase::is_shipped")]
    pub phase: Phase,
}

impl Launcher {
    /// Whether it is inside a package and in no folder of the menu: two slashes divide the package's file from the path
    /// inside.
    pub fn is_embedded(&self) -> bool {
        self.evidence.file.contains("//")
    }

    /// Whether a desktop could start it, in the menu or not: `NoDisplay`, `OnlyShowIn` and `NotShowIn` only hide; a deleted entry,
    /// one of another type, one whose `TryExec` is missing and one with an ID that another file has already count as missing.
    pub fn is_usable(&self) -> bool {
        !self.hidden_because.as_ref().is_some_and(|because| match because.by {
            HiddenBy::Hidden | HiddenBy::TryExec | HiddenBy::Type | HiddenBy::DuplicateId => true,
            HiddenBy::NoDisplay
            | HiddenBy::OnlyShowIn
            | HiddenBy::NotShowIn
            | HiddenBy::ReservedCategory
            | HiddenBy::Legacy => false,
        })
    }
}
