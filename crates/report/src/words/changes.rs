use crate::document::Role;
use tally_core::compare::{
    ApplicationChangeKind, DefaultChangeKind, ListChange, ListChangeKind, ListItem, PackageChangeKind,
    PartChangeKind,
};
use tally_core::knowledge::{media, settings};

/// A change of a package in the sums (`3 upgraded`), and what it means.
pub const fn package_change(change: PackageChangeKind) -> (Role, &'static str) {
    match change {
        PackageChangeKind::Added => (Role::Came, "added"),
        PackageChangeKind::Removed => (Role::Went, "removed"),
        PackageChangeKind::Upgraded => (Role::Changed, "upgraded"),
        PackageChangeKind::Downgraded => (Role::LookTwice, "downgraded"),
        PackageChangeKind::Rebuilt => (Role::Changed, "rebuilt"),
        PackageChangeKind::Renamed => (Role::Changed, "renamed"),
        PackageChangeKind::NewSeries => (Role::Changed, "in a new series"),
        PackageChangeKind::Split => (Role::Came, "split off"),
        PackageChangeKind::Merged => (Role::Went, "merged"),
        PackageChangeKind::FormatChanged => (Role::Changed, "in another format"),
        PackageChangeKind::ArchChanged => (Role::Changed, "for another architecture"),
        PackageChangeKind::ReasonChanged => (Role::Changed, "for another reason"),
    }
}

/// The heading above such changes.
pub const fn package_change_title(change: PackageChangeKind) -> &'static str {
    match change {
        PackageChangeKind::Added => "Added",
        PackageChangeKind::Removed => "Removed",
        PackageChangeKind::Upgraded => "Upgraded",
        PackageChangeKind::Downgraded => "Downgraded",
        PackageChangeKind::Rebuilt => "Rebuilt: the same upstream version, packaged anew",
        PackageChangeKind::Renamed => "Renamed, as the new package declares",
        PackageChangeKind::NewSeries => "New series: another number in the name",
        PackageChangeKind::Split => "Split off from another package",
        PackageChangeKind::Merged => "Merged into another package",
        PackageChangeKind::FormatChanged => "Now delivered in another format",
        PackageChangeKind::ArchChanged => "For another architecture",
        PackageChangeKind::ReasonChanged => "Installed explicitly before or after, but not both",
    }
}

/// A change of an application, and what it means.
pub const fn application_change(change: ApplicationChangeKind) -> (Role, &'static str) {
    match change {
        ApplicationChangeKind::Added => (Role::Came, "new"),
        ApplicationChangeKind::Removed => (Role::Went, "gone"),
        ApplicationChangeKind::Updated => (Role::Changed, "updated"),
        ApplicationChangeKind::Replaced => (Role::Changed, "replaced"),
        ApplicationChangeKind::FormatChanged => (Role::Changed, "in another format"),
        ApplicationChangeKind::MenuChanged => (Role::Changed, "in another menu"),
        ApplicationChangeKind::Shown => (Role::Came, "now shown"),
        ApplicationChangeKind::Hidden => (Role::Went, "now hidden"),
    }
}

/// A change of a default app, and what it means.
pub const fn default_change(change: DefaultChangeKind) -> (Role, &'static str) {
    match change {
        DefaultChangeKind::Replaced => (Role::Changed, "replaced"),
        DefaultChangeKind::Switched => (Role::Changed, "changed"),
        DefaultChangeKind::Lost => (Role::Went, "none left"),
        DefaultChangeKind::Filled => (Role::Came, "new"),
        DefaultChangeKind::Ambiguous => (Role::LookTwice, "no default now"),
    }
}

/// A change in a list, and what it means.
pub const fn list_change(change: ListChangeKind) -> (Role, &'static str) {
    match change {
        ListChangeKind::Added => (Role::Came, "added"),
        ListChangeKind::Removed => (Role::Went, "removed"),
        ListChangeKind::Changed => (Role::Changed, "changed"),
    }
}

/// What an item of a list is called; repositories and startup items have names of their own.
pub fn list_item(change: &ListChange) -> String {
    let what = match change.item {
        ListItem::Repository | ListItem::Startup => return change.name.to_string(),
        ListItem::Media => return media().label(&change.name).to_owned(),
        ListItem::Setting => return settings().label(&change.name).to_owned(),
        ListItem::Session => "session",
        ListItem::Theme => "theme",
        ListItem::IconSet => "icon set",
        ListItem::Wallpapers => "wallpapers",
        ListItem::Font => "font",
        ListItem::DefaultSession => "default session",
        ListItem::DefaultDisplay => "display of the default session",
        ListItem::DisplayManager => "display manager",
        ListItem::DefaultPointer => "default mouse pointer",
        ListItem::DefaultColours => "default colour scheme",
        ListItem::DefaultTheme => "default theme",
        ListItem::DefaultIcons => "default icons",
        ListItem::DefaultFont => "default font",
        ListItem::DefaultWallpaper => "default wallpaper",
    };
    format!("{what} {}", change.name).trim_end().to_owned()
}

/// A change of a part, and what it means; nothing is said of one that is the same.
pub const fn part_change(change: PartChangeKind) -> (Role, &'static str) {
    match change {
        PartChangeKind::Added => (Role::Came, "new"),
        PartChangeKind::Removed => (Role::Went, "gone"),
        PartChangeKind::Replaced => (Role::Changed, "replaced"),
        PartChangeKind::Upgraded => (Role::Changed, "upgraded"),
        PartChangeKind::Downgraded => (Role::LookTwice, "downgraded"),
        PartChangeKind::OtherNumbering => (Role::Changed, "numbered differently"),
        PartChangeKind::Same => (Role::Plain, ""),
    }
}
