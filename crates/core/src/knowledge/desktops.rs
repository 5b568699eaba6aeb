//! Desktops: whose a session is, and where each desktop keeps how it looks.

use super::pattern::matches;
use crate::model::Text;
use serde::Deserialize;
use std::collections::BTreeMap;
use std::sync::LazyLock;

/// The table as the build script wrote it.
const READY: &str = include_str!(concat!(env!("OUT_DIR"), "/desktops.json"));

static DESKTOPS: LazyLock<Desktops> = LazyLock::new(|| super::ready(READY).unwrap_or_default());

/// The table of desktops.
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Desktops {
    /// Desktops and compositors.
    desktop: Vec<Desktop>,
    /// Window managers that a desktop can be set to start.
    window_manager: Vec<WindowManager>,
}

/// A window manager that a desktop can be set to start.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct WindowManager {
    /// Its name, as the parts have it.
    pub name: Text,
    /// Its program.
    pub program: Text,
}

/// A desktop or compositor.
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Desktop {
    /// Its name for people.
    pub name: Text,
    /// Values of `XDG_CURRENT_DESKTOP`.
    pub names: Vec<Text>,
    /// Whether its own programs set the first of them.
    pub sets_names: bool,
    /// Programs that start a session of it.
    pub programs: Vec<Text>,
    /// Whether systemd starts the session's own programs where it is there.
    pub systemd_session: bool,
    /// Patterns of packages whose sessions are its own.
    pub packages: Vec<Text>,
    /// Where its looks are set, the places asked first going before.
    pub looks: Vec<SettingPlace>,
    /// Where it keeps which program does a job.
    pub jobs: Vec<SettingPlace>,
    /// Jobs that it does itself: the role, and the program that does it.
    pub built_in: BTreeMap<Text, Text>,
    /// What people call such programs.
    pub called: BTreeMap<Text, Text>,
    /// Whether launchers with a higher `InitialPreference` go first.
    pub by_preference: bool,
    /// Patterns of the sources whose packages are its own project's.
    pub project: Vec<Text>,
    /// A desktop whose places are asked after its own.
    pub also: Option<Text>,
    /// Folders of configuration that its libraries ask after all others.
    pub config_folders: Vec<Text>,
    /// Its window manager, as the parts name it; its own name where it is one itself.
    pub window_manager: Option<Text>,
    /// Where it is set which window manager starts, if that can be chosen. Where nothing is set, the only known one starts.
    pub chooses_window_manager: Option<SettingPlace>,
}

crate::vocabulary! {
    /// A look that a desktop sets.
    pub enum LookName {
        /// The theme of windows and widgets, or the global theme.
        Theme = "theme",
        /// The icon set.
        Icons = "icons",
        /// The set of mouse pointers.
        Pointer = "pointer",
        /// The font of the interface.
        Font = "font",
        /// The wallpaper.
        Wallpaper = "wallpaper",
        /// Light or dark, or the colour scheme by its name.
        Colours = "colours",
    }
}

/// A place where a look, or the program for a job, may be set: one of the fields beside `look`, `role`, `group` and `key`.
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct SettingPlace {
    /// The look.
    pub look: Option<LookName>,
    /// The role that the job has in the table of roles.
    pub role: Option<Text>,
    /// `SCHEMA KEY` of GSettings.
    pub gsettings: Option<Text>,
    /// A key file below the folders of configuration.
    pub config: Option<Text>,
    /// The group of the key file; `*` is any.
    pub group: Option<Text>,
    /// A channel of xfconf.
    pub xfconf: Option<Text>,
    /// `FILE/GROUP/KEY` in the defaults of Plasma's global theme.
    pub global_theme: Option<Text>,
    /// A file of lines, by its path in the root.
    pub line: Option<Text>,
    /// The key in the file, or the path of an element below the first one.
    pub key: Option<Text>,
    /// An XML file below the folders of configuration.
    pub xml: Option<Text>,
    /// A JSON file; the key is a pointer into it (RFC 6901).
    pub json: Option<Text>,
    /// What is asked of the desktop's own layout of its panels.
    pub panel: Option<PanelFact>,
    /// A name in apt's configuration.
    pub apt: Option<Text>,
    /// A name in the configuration of the programs that add users.
    pub user_add: Option<Text>,
    /// A preference of Mozilla's programs.
    pub prefs: Option<Text>,
    /// A key file whose `ButtonsOnLeft` and `ButtonsOnRight` are the buttons of windows.
    pub buttons: Option<Text>,
    /// A file that a newer release of the program brings, which no longer reads the place.
    pub unless: Option<Text>,
    /// Files of which a program takes the first that is there, by their paths in the root.
    pub first_file: Vec<Text>,
    /// What holds where nothing is set.
    #[serde(rename = "else")]
    pub otherwise: Option<Text>,
    /// The desktop, or the window manager, that it is a place of.
    pub on: Option<Text>,
    /// Native values that count; without any all do.
    pub only: Vec<Text>,
    /// Native values and what they are called.
    pub values: BTreeMap<Text, Text>,
    /// What a number is in.
    pub unit: Option<super::SettingUnit>,
}

impl SettingPlace {
    /// Whether it is a schema that the programs of any desktop ask.
    pub fn is_shared(&self) -> bool {
        self.on.as_deref() == Some("GNOME")
            && self.gsettings.as_ref().is_some_and(|setting| {
                ["org.gnome.desktop.", "org.gtk.", "org.gnome.system."]
                    .iter()
                    .any(|start| setting.starts_with(start))
            })
    }

    /// How many ways of setting a value it names, beside `else`.
    pub fn ways(&self) -> usize {
        let texts = [
            &self.gsettings,
            &self.config,
            &self.xfconf,
            &self.global_theme,
            &self.line,
            &self.json,
            &self.xml,
            &self.apt,
            &self.user_add,
            &self.prefs,
            &self.buttons,
        ];
        let lists = [self.panel.is_some(), !self.first_file.is_empty()];
        texts.iter().filter(|way| way.is_some()).count() + lists.iter().filter(|way| **way).count()
    }
}

crate::vocabulary! {
    /// What is told of the panels of a desktop.
    pub enum PanelFact {
        /// The edges of the screen that they are at.
        Position = "position",
        /// Their size across, in pixels.
        Size = "size",
        /// What is on them.
        Applets = "applets",
        /// Programs that are on them, ready to be started.
        Favourites = "favourites",
    }
}

impl Desktops {
    /// The desktop that a value of `XDG_CURRENT_DESKTOP` names.
    pub fn named(&self, name: &str) -> Option<&Desktop> {
        self.desktop.iter().find(|one| one.names.iter().any(|own| own.eq_ignore_ascii_case(name)))
    }

    /// The window managers that a desktop can be set to start.
    pub fn window_managers(&self) -> &[WindowManager] {
        &self.window_manager
    }

    /// The desktop of a name for people.
    pub fn called(&self, name: &str) -> Option<&Desktop> {
        self.desktop.iter().find(|one| one.name == name)
    }

    /// What people call a program that is part of a desktop.
    pub fn name_of_program(&self, program: &str) -> Option<&Text> {
        self.desktop.iter().find_map(|one| one.called.get(program))
    }

    /// The desktop that a program starts.
    pub fn started_by(&self, program: &str) -> Option<&Desktop> {
        self.desktop.iter().find(|one| one.programs.iter().any(|own| own == program))
    }

    /// The desktop of a package that owns a session.
    pub fn of_package(&self, package: &str) -> Option<&Desktop> {
        self.desktop.iter().find(|one| one.packages.iter().any(|own| matches(own, package)))
    }

    /// Whether a source is of the projects that make a desktop, and not of the distribution.
    pub fn is_of_project(&self, desktop: &Desktop, source: &str) -> bool {
        self.with_base(desktop).flat_map(|one| &one.project).any(|pattern| matches(pattern, source))
    }

    /// A desktop, then the one that it stands on.
    fn with_base<'a>(&'a self, desktop: &'a Desktop) -> impl Iterator<Item = &'a Desktop> {
        let also = desktop.also.as_ref().and_then(|name| self.called(name));
        std::iter::once(desktop).chain(also)
    }

    /// Where the looks of a desktop are set: its own places, then those of the one that it stands on.
    pub fn looks<'a>(&'a self, desktop: &'a Desktop) -> impl Iterator<Item = &'a SettingPlace> {
        self.with_base(desktop).flat_map(|one| &one.looks)
    }

    /// Where a desktop keeps which program does a job.
    pub fn jobs<'a>(&'a self, desktop: &'a Desktop) -> impl Iterator<Item = &'a SettingPlace> {
        self.with_base(desktop).flat_map(|one| &one.jobs)
    }
}

/// The table inside the program.
pub fn desktops() -> &'static Desktops {
    &DESKTOPS
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_table_is_sound() {
        let table = desktops();
        assert!(table.desktop.len() > 20);
        for (at, one) in table.desktop.iter().enumerate() {
            assert!(!one.names.is_empty() || !one.programs.is_empty(), "{} is never found", one.name);
            for name in &one.names {
                assert_eq!(table.named(name).map(|found| &found.name), Some(&one.name), "{name} is shadowed");
            }
            for program in &one.programs {
                let found = table.started_by(program).map(|found| &found.name);
                assert_eq!(found, Some(&one.name), "{program} is shadowed");
            }
            if let Some(also) = &one.also {
                assert!(table.desktop[..at].iter().any(|other| other.name == *also), "{also} comes before");
            }
            for place in one.looks.iter().chain(&one.jobs) {
                assert!(place.look.is_some() != place.role.is_some());
                let ways = place.ways() + usize::from(place.otherwise.is_some());
                assert_eq!(ways, 1, "{}: {place:?}", one.name);
            }
        }
    }
}
