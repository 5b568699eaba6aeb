use super::{Evidence, PackageRef, Text};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A session that can be chosen at login.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Session {
    /// File name without its ending.
    pub id: Text,
    /// `Name`.
    pub name: Text,
    /// `x11` or `wayland`.
    pub display: Text,
    /// The values of `XDG_CURRENT_DESKTOP` in it, by the session file, by what it starts, or by its package.
    #[serde(default)]
    pub desktops: Vec<Text>,
    /// The desktop or compositor that it starts: `Cinnamon`; `null` if not recorded.
    #[serde(default)]
    pub desktop: Option<Text>,
    /// The package that owns it.
    #[serde(default)]
    pub package: Option<PackageRef>,
    /// The session file.
    #[serde(default)]
    pub evidence: Evidence,
}

impl Looks {
    /// The colour scheme in plain words where it only says light or dark, as the settings have it; else by its name.
    pub fn colour_scheme(&self) -> Option<Text> {
        self.default_colours.as_ref().map(|scheme| match scheme.as_str() {
            "default" | "prefer-light" => "light".into(),
            "prefer-dark" => "dark".into(),
            _ => scheme.clone(),
        })
    }

    /// The session that starts when nothing is chosen: of two with one ID the one that draws so.
    pub fn started(&self) -> Option<&Session> {
        let id = self.default_session.as_ref()?;
        let draws =
            |one: &&Session| self.default_display.as_ref().is_none_or(|display| one.display == *display);
        self.sessions.iter().filter(|one| one.id == *id).find(draws)
    }
}

/// A theme, icon set, wallpaper pack or font family: a name and how many things it holds.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Look {
    /// Folder or pack name.
    pub name: Text,
    /// Pictures or files in it; `null` when not counted.
    #[serde(default)]
    pub count: Option<u32>,
    /// The package that owns it.
    #[serde(default)]
    pub package: Option<PackageRef>,
    /// Its description, else the first of its files.
    #[serde(default)]
    pub evidence: Evidence,
}

/// How the install looks: sessions, themes, wallpapers, fonts.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(default)]
pub struct Looks {
    /// Sessions that can be chosen.
    pub sessions: Vec<Session>,
    /// The session that starts when nothing is chosen; `null` where the install starts in a console, or nothing tells.
    pub default_session: Option<Text>,
    /// `x11` or `wayland`: how that session draws.
    pub default_display: Option<Text>,
    /// The display manager that starts: `gdm`, `sddm`, `lightdm` and the like; `null` where none is enabled.
    pub display_manager: Option<Text>,
    /// Widget themes.
    pub themes: Vec<Look>,
    /// The widget theme in use.
    pub default_theme: Option<Text>,
    /// Icon sets.
    pub icon_sets: Vec<Look>,
    /// The icon set in use.
    pub default_icons: Option<Text>,
    /// The set of mouse pointers in use.
    pub default_pointer: Option<Text>,
    /// Light or dark, or the colour scheme in use, as the desktop names it.
    pub default_colours: Option<Text>,
    /// Wallpaper packs, with their numbers of pictures.
    pub wallpapers: Vec<Look>,
    /// The wallpaper in use: the name of the picture, links followed.
    pub default_wallpaper: Option<Text>,
    /// Font families' folders, with their numbers of files.
    pub fonts: Vec<Look>,
    /// The interface font in use.
    pub default_font: Option<Text>,
    /// The files behind the `default_*` values.
    pub evidence: Vec<Evidence>,
}
