//! The main categories of the Desktop Menu Specification, and the menu that each is in.

use crate::model::Menu;

/// Main categories in the order of the specification's table.
const MAIN: &[(&str, Menu)] = &[
    ("AudioVideo", Menu::Media),
    ("Audio", Menu::Media),
    ("Video", Menu::Media),
    ("Development", Menu::Development),
    ("Education", Menu::Education),
    ("Game", Menu::Games),
    ("Graphics", Menu::Graphics),
    ("Network", Menu::Internet),
    ("Office", Menu::Office),
    ("Science", Menu::Science),
    ("Settings", Menu::Settings),
    ("System", Menu::System),
    ("Utility", Menu::Accessories),
];

/// The menu of one main category, or `None` for any other word.
pub fn main_category(category: &str) -> Option<Menu> {
    MAIN.iter().find(|(name, _)| *name == category).map(|(_, menu)| *menu)
}

/// The one menu that a launcher is counted in.
///
/// A launcher may name several main categories. `Settings` wins, since such an entry configures whatever else
/// it names; then a game is a game; then the first main category in the file decides.
pub fn menu_of<S: AsRef<str>>(categories: &[S]) -> Menu {
    let mains = || categories.iter().filter_map(|category| main_category(category.as_ref()));
    mains()
        .find(|menu| *menu == Menu::Settings)
        .or_else(|| mains().find(|menu| *menu == Menu::Games))
        .or_else(|| mains().next())
        .unwrap_or(Menu::Other)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_first_main_category_decides_but_settings_win() {
        assert_eq!(menu_of(&["GTK", "Utility", "TextEditor"]), Menu::Accessories);
        assert_eq!(menu_of(&["System", "Settings"]), Menu::Settings);
        assert_eq!(menu_of(&["Education", "Game"]), Menu::Games);
        assert_eq!(menu_of(&["X-Own"]), Menu::Other);
        assert_eq!(menu_of::<&str>(&[]), Menu::Other);
    }
}
