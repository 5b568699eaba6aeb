use super::{listed, not_comparable, plain};
use crate::view::capital;
use std::borrow::Cow;
use tally_core::grid::{CellState, Field, Remark, RowLabel};
use tally_core::model::{MeasuredWhen, Method};

/// What a row of a grid is about.
pub fn row_label(label: &RowLabel) -> Cow<'_, str> {
    match label {
        RowLabel::Field(field) => field_label(*field).into(),
        RowLabel::Name(name) => name.as_str().into(),
        RowLabel::Asked { name, taken_as } if taken_as.is_empty() => name.as_str().into(),
        RowLabel::Asked { name, taken_as } => {
            format!("{name} (found as {})", listed(taken_as, taken_as.len())).into()
        }
        RowLabel::Kind(kind) => format!("Kind: {}", plain(kind.name())).into(),
        RowLabel::System(system) => format!("{system} packages").into(),
        RowLabel::Session { name, display } => format!("Session {name} ({display})").into(),
        RowLabel::Media(key) => tally_core::knowledge::media().label(key).to_owned().into(),
        RowLabel::Setting(key) => tally_core::knowledge::settings().label(key).to_owned().into(),
        RowLabel::Measure(name) => measure(name).into(),
    }
}

/// What a thing is called that documents call by these names.
pub fn thing(name: &str) -> &str {
    match name {
        "application" => "program",
        "launcher" => "menu entry",
        other => other,
    }
}

/// How a figure was measured.
pub fn method(name: &str) -> &str {
    match Method::from_name(name) {
        Some(Method::TotalMinusAvailable) => "total minus available",
        Some(Method::TotalMinusFree) => "total minus free",
        Some(Method::Processes) => "processes in /proc",
        Some(Method::ProcessThreads) => "threads of all processes in /proc",
        Some(Method::LoadAverage) => "load average in /proc",
        Some(Method::RunLevelRecord) => "from boot to run level, by utmp",
        Some(Method::KernelUptime) => "uptime in /proc",
        Some(Method::UsedBlocks) => "used blocks of the root file system",
        Some(Method::ByHand) => "read by hand",
        None => name,
    }
}

/// When a figure was measured.
pub fn measured_when(name: &str) -> &str {
    match MeasuredWhen::from_name(name) {
        Some(MeasuredWhen::TallyTaken) => "when the tally was taken",
        Some(MeasuredWhen::KitRun) => "when the kit was run",
        None => name,
    }
}

/// What a measured figure is called.
pub fn measure(name: &str) -> &str {
    match name {
        "memory-used" => "Memory used",
        "swap-used" => "Swap used",
        "disk-used" => "Disk used",
        "tasks" => "Tasks",
        "threads" => "Threads",
        "load" => "Load (1 minute)",
        "boot-time" => "Boot time",
        "uptime" => "Uptime",
        other => other,
    }
}

const fn field_label(field: Field) -> &'static str {
    match field {
        Field::Distribution => "Distribution",
        Field::Release => "Release",
        Field::Codename => "Codename",
        Field::Edition => "Edition",
        Field::Profile => "Profile",
        Field::Architecture => "Architecture",
        Field::Base => "Based on",
        Field::ReleaseDate => "Released",
        Field::SupportEnd => "Supported until",
        Field::Medium => "Source",
        Field::Packages => "Packages",
        Field::Explicit => "Installed explicitly",
        Field::Applications => "Programs",
        Field::MenuEntries => "Menu entries",
        Field::Findings => "Findings",
        Field::MedianAge => "Median age of packages",
        Field::OnOffer => "Packages on offer",
        Field::Updates => "Updates waiting",
        Field::AtBoot => "At boot",
        Field::AtLogin => "At login",
        Field::DefaultSession => "Default session",
        Field::Display => "Display",
        Field::DisplayManager => "Display manager",
        Field::Theme => "Theme",
        Field::Icons => "Icons",
        Field::Pointer => "Mouse pointer",
        Field::Colours => "Colour scheme",
        Field::Font => "Font",
        Field::Wallpaper => "Wallpaper",
        Field::Themes => "Themes to choose from",
        Field::IconSets => "Icon sets",
        Field::Wallpapers => "Wallpapers",
        Field::FontFamilies => "Font families",
    }
}

/// What a cell without a value says.
pub const fn cell(state: CellState) -> &'static str {
    match state {
        CellState::NotRecorded => "not recorded",
        CellState::No => "no",
        CellState::Yes => "yes",
        CellState::Ambiguous => "no default",
        CellState::NotSet => "not set",
        CellState::NotMeasured => "not measured",
        // These have a value.
        CellState::Value | CellState::Unsure => "",
    }
}

/// What stands out in a row.
pub fn remark(remark: &Remark) -> String {
    match remark {
        Remark::Only(name) => format!("only {name}"),
        Remark::AllBut(name) => format!("all but {name}"),
        Remark::NotComparable(installs) => {
            let each: Vec<String> = installs
                .iter()
                .map(|(name, why)| format!("{name} can't be compared: {}", not_comparable(*why)))
                .collect();
            capital(&each.join("; "))
        }
    }
}
