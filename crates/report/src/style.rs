use crate::document::Role;
use anstyle::{Ansi256Color, Style};

/// Colours by meaning. The four meanings differ in brightness too, and words always say the same.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Palette {
    /// No colour at all.
    #[default]
    Plain,
    /// For a terminal.
    Coloured,
}

impl Palette {
    /// The style of a role; plain without colour.
    pub fn style(self, role: Role) -> Style {
        let colour = |code: u8| Style::new().fg_color(Some(Ansi256Color(code).into()));
        match (self, role) {
            (Self::Plain, _) | (_, Role::Plain) => Style::new(),
            (_, Role::Came) => colour(37),
            (_, Role::Went) => colour(208),
            (_, Role::Changed) => colour(75),
            (_, Role::LookTwice) => colour(220).bold(),
            (_, Role::Dim) => Style::new().dimmed(),
            (_, Role::Strong) => Style::new().bold(),
        }
    }
}
