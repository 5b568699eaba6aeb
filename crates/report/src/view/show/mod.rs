mod lists;
mod looks;
mod menu;
mod overview;
mod packages;
mod readings;
mod unread;
mod weight;

use crate::View;
use crate::document::{Document, Role, Span};
use crate::wire::{CsvTable, ShowWire, pretty};
use serde::Serialize;
use tally_core::knowledge::{PartRules, Roles};
use tally_core::model::{Medium, Tally};

/// The questions that can be asked of one install.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum ShowWhat {
    /// One screen about everything.
    #[default]
    Overview,
    /// What lies underneath, with versions.
    Parts,
    /// What stands in the menu, category by category.
    Menu,
    /// What opens what.
    Defaults,
    /// Every package.
    Packages,
    /// Where packages come from.
    Repositories,
    /// What starts by itself.
    Startup,
    /// Sessions, themes, wallpapers, fonts.
    Looks,
    /// Where the weight is.
    Weight,
    /// Figures measured on the running install, and the reviewer's remarks.
    Readings,
    /// What deserves a second look.
    Odd,
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
}

impl View for ShowView<'_> {
    fn document(&self) -> Document {
        if let Some(untold) = self.untold() {
            let mut document = Document::default();
            document.title(self.tally.label.title(), self.tally.label.seen_as());
            document.paragraph(untold);
            return document;
        }
        let tally = self.tally;
        let mut document = match self.what {
            ShowWhat::Overview => overview::document(tally, self.roles),
            ShowWhat::Parts => lists::parts(tally, self.rules),
            ShowWhat::Menu => menu::document(tally),
            ShowWhat::Defaults => lists::defaults(tally, self.roles),
            ShowWhat::Packages => packages::document(tally),
            ShowWhat::Repositories => lists::repositories(tally),
            ShowWhat::Startup => lists::startup(tally),
            ShowWhat::Looks => looks::document(tally),
            ShowWhat::Weight => weight::document(tally),
            ShowWhat::Readings => readings::document(tally),
            ShowWhat::Odd => lists::odd(tally),
        };
        if let Some(said) = unread::said(tally, self.what) {
            document.paragraph(Span::new(Role::LookTwice, said));
        }
        document
    }

    fn csv(&self) -> CsvTable {
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
            ShowWhat::Weight => weight::csv(tally),
            ShowWhat::Readings => readings::csv(tally),
            ShowWhat::Odd => lists::odd_csv(tally),
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
            ShowWhat::Weight => self.records("weight", &weight::account(tally)),
            ShowWhat::Readings => self.records("readings", &readings::records(tally)),
            ShowWhat::Odd => self.records("oddities", &tally.oddities),
        }
    }
}

impl ShowView<'_> {
    /// What is said instead of a view that a list of packages can't fill.
    fn untold(&self) -> Option<&'static str> {
        if self.tally.taken.medium != Medium::Listing {
            return None;
        }
        match self.what {
            ShowWhat::Repositories => Some("Where packages come from can't be told from a list."),
            ShowWhat::Startup => Some("What starts by itself can't be told from a list."),
            ShowWhat::Looks => Some("Sessions, themes and fonts can't be told from a list."),
            ShowWhat::Defaults => Some("What opens what can't be told from a list."),
            _ => None,
        }
    }

    /// The records of a list, under the key that the tally has for them.
    fn records<T: Serialize + ?Sized>(&self, key: &str, records: &T) -> serde_json::Result<Vec<u8>> {
        let content = std::collections::BTreeMap::from([(key, records)]);
        let view = if key == "oddities" { "odd" } else { key };
        pretty(&ShowWire { show: 1, view, install: &self.tally.label, content })
    }
}
