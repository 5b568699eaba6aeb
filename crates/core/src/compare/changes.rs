//! What happened to packages, parts, applications, default apps and list items between two installs.

use crate::model::{Decided, Kind, Menu, NotComparable, PackageRef, PictureKind, System, Text};
use crate::version::Step;
use crate::vocabulary;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

vocabulary! {
    /// What happened to a package.
    pub enum PackageChangeKind {
        /// Added.
        Added = "added",
        /// Removed.
        Removed = "removed",
        /// A later version.
        Upgraded = "upgraded",
        /// An earlier version.
        Downgraded = "downgraded",
        /// The same upstream version, another packaging revision.
        Rebuilt = "rebuilt",
        /// Another name, as the new one declares.
        Renamed = "renamed",
        /// Another series in the name: kernels, libraries, interpreters.
        NewSeries = "new-series",
        /// One old package became several.
        Split = "split",
        /// Several old packages became one.
        Merged = "merged",
        /// The same application, now delivered by another package system.
        FormatChanged = "format-changed",
        /// The same version for another architecture.
        ArchChanged = "arch-changed",
        /// The same version, but now installed explicitly, or no longer.
        ReasonChanged = "reason-changed",
    }
}

vocabulary! {
    /// What happened to an application.
    pub enum ApplicationChangeKind {
        /// Added.
        Added = "added",
        /// Removed.
        Removed = "removed",
        /// It took over the role of one that is gone: one change for both.
        Replaced = "replaced",
        /// It is delivered by another package system.
        FormatChanged = "format-changed",
        /// It has another version.
        Updated = "updated",
        /// It is in another menu.
        MenuChanged = "menu-changed",
        /// It is shown in the menu now; it was installed, but hidden.
        Shown = "shown",
        /// It is still installed, but hidden from the menu.
        Hidden = "hidden",
    }
}

vocabulary! {
    /// What happened to a default app.
    pub enum DefaultChangeKind {
        /// Another application is the default, and the earlier one is gone.
        Replaced = "replaced",
        /// Another application is the default; the earlier one is still installed.
        Switched = "switched",
        /// No application is left for the role.
        Lost = "lost",
        /// There is an application for a role that had none.
        Filled = "filled",
        /// Several applications could do it, and none is set any more.
        Ambiguous = "ambiguous",
    }
}

vocabulary! {
    /// What happened to an item of a list.
    pub enum ListChangeKind {
        /// Added.
        Added = "added",
        /// Removed.
        Removed = "removed",
        /// Another value.
        Changed = "changed",
    }
}

vocabulary! {
    /// What happened to a part of the system.
    pub enum PartChangeKind {
        /// Something else fills it.
        Replaced = "replaced",
        /// Added.
        Added = "added",
        /// Removed.
        Removed = "removed",
        /// A later version.
        Upgraded = "upgraded",
        /// An earlier version.
        Downgraded = "downgraded",
        /// The same under another numbering, a date against a number: which one is later can't be known.
        OtherNumbering = "other-numbering",
        /// The same.
        Same = "same",
    }
}

/// Name and version on one side of a change.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct NameAndVersion {
    /// Name.
    pub name: Text,
    /// Full version, in the system's own text.
    pub version: Text,
}

/// A change of one package.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct PackageChange {
    /// What happened.
    pub change: PackageChangeKind,
    /// Package system.
    pub system: System,
    /// The old side; `null` for an added package.
    pub old: Option<NameAndVersion>,
    /// The new side; `null` for a removed package.
    pub new: Option<NameAndVersion>,
    /// What it is (on the new side, where there is one).
    pub kind: Kind,
    /// How far an upgrade or downgrade goes.
    pub step: Option<Step>,
    /// The decision behind it.
    pub decision: Option<Text>,
    /// Whether the base made the same change; `null` without a base.
    pub inherited: Option<bool>,
    /// Change of the bytes on disk; `null` where a side does not tell.
    pub bytes_delta: Option<i64>,
}

/// A change of one application.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct ApplicationChange {
    /// What happened.
    pub change: ApplicationChangeKind,
    /// Identifier.
    pub id: Text,
    /// Name in the menu.
    pub name: Text,
    /// Menu (on the new side, where there is one).
    pub menu: Menu,
    /// Menu before, where it moved.
    pub old_menu: Option<Menu>,
    /// Old upstream version.
    pub old_version: Option<Text>,
    /// New upstream version.
    pub new_version: Option<Text>,
    /// Step between the two.
    pub step: Option<Step>,
    /// Systems that delivered it before.
    pub old_systems: Vec<System>,
    /// Systems that deliver it now.
    pub new_systems: Vec<System>,
    /// Identifier and name of what it took the place of.
    #[serde(default)]
    pub in_place_of: Option<NameAndVersion>,
    /// The role that it took, where it replaced another one.
    #[serde(default)]
    pub role: Option<Text>,
}

/// A change of what opens what.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct DefaultChange {
    /// What happened.
    pub change: DefaultChangeKind,
    /// The role.
    pub role: Text,
    /// The type or category that was asked.
    pub asked: Text,
    /// Whether it is also asked: a further type of the role, or a role that few installs fill.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub also: bool,
    /// The application that held it; `null` when none did.
    pub old: Option<Text>,
    /// The application that holds it.
    pub new: Option<Text>,
    /// Whether the new answer is set, or the only one.
    pub sure: bool,
    /// What decided it on the new side.
    pub decided: Decided,
    /// Whether the base made the same change; `null` without a base.
    pub inherited: Option<bool>,
}

vocabulary! {
    /// What is in a list.
    pub enum ListItem {
        /// A repository.
        Repository = "repository",
        /// A startup item.
        Startup = "startup",
        /// A session.
        Session = "session",
        /// A theme.
        Theme = "theme",
        /// A set of icons.
        IconSet = "icon-set",
        /// Wallpapers, with the number of pictures.
        Wallpapers = "wallpapers",
        /// A font.
        Font = "font",
        /// The session that starts by default.
        DefaultSession = "default-session",
        /// How the session that starts draws: Wayland or X11.
        DefaultDisplay = "default-display",
        /// The display manager that starts.
        DisplayManager = "display-manager",
        /// The mouse pointers of new users.
        DefaultPointer = "default-pointer",
        /// The colour scheme of new users.
        DefaultColours = "default-colours",
        /// The theme of new users.
        DefaultTheme = "default-theme",
        /// The icons of new users.
        DefaultIcons = "default-icons",
        /// The font of new users.
        DefaultFont = "default-font",
        /// The wallpaper of new users.
        DefaultWallpaper = "default-wallpaper",
        /// Whether a medium can be opened, by its key.
        Media = "media",
        /// A setting, by its key.
        Setting = "setting",
    }
}

/// A change in a list: repositories, startup items, looks.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct ListChange {
    /// What happened.
    pub change: ListChangeKind,
    /// What it is.
    pub item: ListItem,
    /// Its name; empty for a default.
    pub name: Text,
    /// What was said of it.
    pub old: Option<Text>,
    /// What is said of it now.
    pub new: Option<Text>,
    /// Whether the base made the same change; `null` without a base.
    pub inherited: Option<bool>,
}

vocabulary! {
    /// What happened to a picture.
    pub enum PictureChangeKind {
        /// Nothing before shows it.
        New = "new",
        /// It is the same file.
        Kept = "kept",
        /// It shows the same, cut or compressed otherwise.
        Alike = "alike",
        /// It is another file of the same name, and nothing tells whether it shows the same.
        SameName = "same-name",
        /// Nothing shows it any more.
        Gone = "gone",
    }
}

/// A picture on one side or both.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct PictureChange {
    /// What happened.
    pub change: PictureChangeKind,
    /// What it is for.
    pub kind: PictureKind,
    /// Its name.
    pub name: Text,
    /// Its name before, where that was another one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub old_name: Option<Text>,
    /// Its thumbnail: of the newer side, or of the older one where it is gone.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub thumbnail: Option<Text>,
    /// The package that it is in.
    #[serde(default)]
    pub package: Option<PackageRef>,
}

/// A figure on both sides.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct ReadingChange {
    /// What was measured.
    pub what: Text,
    /// Its unit.
    pub unit: Text,
    /// The old figure.
    pub old: f64,
    /// The new figure.
    pub new: f64,
    /// The difference, where the two compare.
    pub difference: Option<f64>,
    /// Why they do not.
    pub not_comparable: Option<NotComparable>,
}

/// A part on both sides.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct PartChange {
    /// What happened.
    pub change: PartChangeKind,
    /// Stable name of the part.
    pub part: Text,
    /// What filled it.
    pub old_name: Option<Text>,
    /// Its version.
    pub old_version: Option<Text>,
    /// What fills it.
    pub new_name: Option<Text>,
    /// Its version.
    pub new_version: Option<Text>,
    /// Step between the versions.
    pub step: Option<Step>,
    /// The package behind the new side, or the old one when it went.
    pub package: Option<PackageRef>,
    /// Whether the base made the same change; `null` without a base.
    #[serde(default)]
    pub inherited: Option<bool>,
}
