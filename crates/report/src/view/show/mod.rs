mod menu;
mod overview;
mod packages;

use crate::View;
use crate::document::Document;
use crate::wire::CsvTable;
use tally_core::model::Tally;

/// The questions that can be asked of one install.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum ShowWhat {
    /// One screen about everything.
    #[default]
    Overview,
    /// What stands in the menu, category by category.
    Menu,
    /// Every package.
    Packages,
}

/// One install, seen under one question.
#[derive(Debug, Clone, Copy)]
pub struct ShowView<'a> {
    /// The install.
    pub tally: &'a Tally,
    /// The question.
    pub what: ShowWhat,
}

impl View for ShowView<'_> {
    fn document(&self) -> Document {
        match self.what {
            ShowWhat::Overview => overview::document(self.tally),
            ShowWhat::Menu => menu::document(self.tally),
            ShowWhat::Packages => packages::document(self.tally),
        }
    }

    fn csv(&self) -> CsvTable {
        match self.what {
            ShowWhat::Overview => overview::csv(self.tally),
            ShowWhat::Menu => menu::csv(self.tally),
            ShowWhat::Packages => packages::csv(self.tally),
        }
    }

    fn json(&self) -> serde_json::Result<Vec<u8>> {
        match self.what {
            ShowWhat::Overview => overview::json(self.tally),
            ShowWhat::Menu => menu::json(self.tally),
            ShowWhat::Packages => packages::json(self.tally),
        }
    }
}
