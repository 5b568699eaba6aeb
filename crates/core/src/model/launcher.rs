use super::vocabulary::vocabulary;
use super::{Evidence, PackageRef, Phase, System, Text};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

vocabulary! {
    /// Where a launcher stands in the menu: the main categories of the Desktop Menu Specification.
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
    /// `Categories`, as they stand.
    #[serde(default)]
    pub categories: Vec<Text>,
    /// Whether the edition's desktop shows it.
    pub shown: bool,
    /// Why it is not shown.
    #[serde(default)]
    pub hidden_because: Option<Text>,
    /// The program that `Exec` starts, without its folder and arguments.
    #[serde(default)]
    pub runs: Option<Text>,
    /// What it does.
    pub does: Does,
    /// The address that it opens.
    #[serde(default)]
    pub url: Option<Text>,
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
    /// The desktop file.
    #[serde(default)]
    pub evidence: Evidence,
    /// Whether it was shipped; left out when it was.
    #[serde(default = "super::package::shipped", skip_serializing_if = "Phase::is_shipped")]
    pub phase: Phase,
}

impl Launcher {
    /// Whether it lies inside a package and in no folder of the menu: two slashes divide the package's file from the path
    /// inside.
    pub fn is_embedded(&self) -> bool {
        self.evidence.file.contains("//")
    }

    /// Whether a desktop could start it, in the menu or not: `NoDisplay`, `OnlyShowIn` and `NotShowIn` only hide; a deleted entry,
    /// one of another type, one whose `TryExec` is not there and one that another file stands before are as good as not there.
    pub fn is_usable(&self) -> bool {
        !self.hidden_because.as_ref().is_some_and(|because| {
            because.starts_with("Hidden=")
                || because.starts_with("TryExec")
                || because.starts_with("Type=")
                || because.starts_with("another file")
        })
    }
}
