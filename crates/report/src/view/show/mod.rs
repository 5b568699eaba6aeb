mod lists;
mod looks;
mod media;
mod menu;
mod overview;
mod packages;
mod pictures;
mod readings;
mod settings;
mod unread;
mod weight;

use crate::words;
pub(crate) use lists::findings_with_text;
pub(crate) use overview::{install_figures, key_parts, notable};
pub use packages::PackageFilter;

use crate::View;
use crate::document::{Document, Role, Span};
use crate::wire::{CsvTable, ShowWire, pretty};
use serde::Serialize;
use tally_core::knowledge::{PartRules, Roles};
use tally_core::model::{Medium, Tally};
use tally_core::vocabulary;

vocabulary! {
    /// The views of one install.
    pub enum ShowWhat {
        /// Everything at a glance.
        Overview = "overview",
        /// What it is built from, with versions.
        Parts = "parts",
        /// The programs in the menu, category by category.
        Menu = "menu",
        /// Which app opens which type, and what decided it.
        Defaults = "defaults",
        /// Every package.
        Packages = "packages",
        /// Where packages come from.
        Repositories = "repositories",
        /// What starts by itself.
        Startup = "startup",
        /// Sessions, themes, wallpapers, fonts.
        Looks = "looks",
        /// Wallpapers, logos and icons, where they were read.
        Pictures = "pictures",
        /// Which files open and play, and which devices work.
        Media = "media",
        /// What is set for a new user: by the distribution, or as upstream has it.
        Settings = "settings",
        /// What takes up disk space.
        Weight = "weight",
        /// Figures measured on the running install, and the reviewer's notes.
        Readings = "readings",
        /// What is worth a second look.
        Findings = "findings" was "odd",
    }
}

/// One install, seen under one question.
#[derive(Debug, Clone, Copy)]
pub struct ShowView<'a> {
    /// The install.
    pub tally: &'a Tally,
    /// The question.
    pub what: ShowWhat,
    /// Rules for parts, for their names.
    pub rules: &'a PartRules,
    /// Roles, for their names.
    pub roles: &'a Roles,
    /// Whether settings are told that only have names of their own.
    pub all: bool,
}

impl View for ShowView<'_> {
    fn document(&self) -> Document {
        if let Some(said) = self.not_recorded() {
            let mut document = Document::default();
            document.title(self.tally.label.title(), words::seen(self.tally.label.seen_as()));
            document.paragraph(said);
            return document;
        }
        let tally = self.tally;
        let mut document = match self.what {
            ShowWhat::Overview => overview::document(tally, self.rules, self.roles),
            ShowWhat::Parts => lists::parts(tally, self.rules),
            ShowWhat::Menu => menu::document(tally),
            ShowWhat::Defaults => lists::defaults(tally, self.roles),
            ShowWhat::Packages => packages::document(tally),
            ShowWhat::Repositories => lists::repositories(tally),
            ShowWhat::Startup => lists::startup(tally),
            ShowWhat::Looks => looks::document(tally),
            ShowWhat::Pictures => pictures::document(tally),
            ShowWhat::Media => media::document(tally),
            ShowWhat::Settings => settings::document(tally, self.all),
            ShowWhat::Weight => weight::document(tally),
            ShowWhat::Readings => readings::document(tally),
            ShowWhat::Findings => lists::findings(tally),
        };
        if let Some(said) = unread::said(tally, self.what) {
            document.paragraph(Span::new(Role::LookTwice, said));
        }
        document
    }

    fn csv(&self) -> csv::Result<CsvTable> {
        let tally = self.tally;
        match self.what {
            ShowWhat::Overview => overview::csv(tally),
            ShowWhat::Parts => lists::parts_csv(tally),
            ShowWhat::Menu => menu::csv(tally),
            ShowWhat::Defaults => lists::defaults_csv(tally),
            ShowWhat::Packages => packages::csv(tally),
            ShowWhat::Repositories => lists::repositories_csv(tally),
            ShowWhat::Startup => lists::startup_csv(tally),
            ShowWhat::Looks => looks::csv(tally),
            ShowWhat::Pictures => pictures::csv(tally),
            ShowWhat::Media => media::csv(tally),
            ShowWhat::Settings => settings::csv(tally),
            ShowWhat::Weight => weight::csv(tally),
            ShowWhat::Readings => readings::csv(tally),
            ShowWhat::Findings => lists::findings_csv(tally),
        }
    }

    fn json(&self) -> serde_json::Result<Vec<u8>> {
        let tally = self.tally;
        match self.what {
            ShowWhat::Overview => overview::json(tally),
            ShowWhat::Parts => self.records("parts", &tally.parts),
            ShowWhat::Menu => menu::json(tally),
            ShowWhat::Defaults => self.records("defaults", &tally.defaults),
            ShowWhat::Packages => packages::json(tally),
            ShowWhat::Repositories => self.records("repositories", &tally.repositories),
            ShowWhat::Startup => self.records("startup", &tally.startup),
            ShowWhat::Looks => self.records("looks", &tally.looks),
            ShowWhat::Pictures => self.records("pictures", &tally.pictures),
            ShowWhat::Media => self.records("media", &tally.media),
            ShowWhat::Settings => self.records("settings", &tally.settings),
            ShowWhat::Weight => self.records("weight", &weight::account(tally)),
            ShowWhat::Readings => self.records("readings", &readings::records(tally)),
            ShowWhat::Findings => self.records("findings", &lists::findings_with_text(tally)),
        }
    }
}

impl ShowView<'_> {
    /// What is said instead of a view of which a package list records nothing.
    fn not_recorded(&self) -> Option<&'static str> {
        if self.tally.taken.medium != Medium::Listing {
            return None;
        }
        match self.what {
            ShowWhat::Repositories => Some("A package list does not record repositories."),
            ShowWhat::Startup => Some("A package list does not record what starts by itself."),
            ShowWhat::Looks => Some("A package list does not record sessions, themes and fonts."),
            ShowWhat::Pictures => Some("A package list holds no pictures."),
            ShowWhat::Media => Some("A package list does not record what can be opened and played."),
            ShowWhat::Settings => Some("A package list does not record settings."),
            ShowWhat::Defaults => Some("A package list does not record default apps."),
            _ => None,
        }
    }

    /// The records of a list, under the key that the tally has for them.
    fn records<T: Serialize + ?Sized>(&self, key: &str, records: &T) -> serde_json::Result<Vec<u8>> {
        let content = std::collections::BTreeMap::from([(key, records)]);
        pretty(&ShowWire { schema_version: 2, view: key, install: &self.tally.label, content })
    }
}
