use super::{are, decision_names, listed, purpose, systems, versioned};
use crate::text::{bytes_signed, count_of};
use tally_core::compare::{
    ApplicationChangeKind, DecisionKind, DefaultChangeKind, Filling, ListItem, Named, News, PartChangeKind,
    Succession, Weight,
};
use tally_core::model::{AgentPurpose, Looks, System, Text};

/// Names that one line holds; the rest is counted.
const NAMES: usize = 4;
/// Jobs of a desktop's apps that one line names.
const JOBS: usize = 3;

/// What a headline says, as a sentence without its full stop.
pub fn headline(news: &News) -> String {
    match news {
        News::Default { change, was, is, roles, weight } => {
            format!("{}{}", default(*change, was, is.as_ref(), roles), in_brackets(*weight))
        }
        News::DesktopApps { is, jobs, .. } => {
            let one = |job: &Succession| format!("{} replaces {} as {}", job.is, job.was, job.role.label);
            let first: Vec<String> = jobs.iter().take(JOBS).map(one).collect();
            let rest = match jobs.len().saturating_sub(JOBS) {
                0 => String::new(),
                n => format!(" and {n} more"),
            };
            let number = count_of(jobs.len() as u64, "job");
            let have = if jobs.len() == 1 { "has a new app" } else { "have new apps" };
            format!("With {is}, {number} {have}: {}{rest}", first.join(", "))
        }
        News::AppVersion { role, name, was, is } => format!("{name} {was} → {is} ({})", role.label),
        News::Wallpapers { new, kept, gone } => {
            let are = if *new == 1 { "is" } else { "are" };
            let kept = if *kept > 0 { format!("; {kept} kept") } else { String::new() };
            let gone = if *gone > 0 { format!("; {gone} gone") } else { String::new() };
            format!("{} {are} new{kept}{gone}", count_of(*new, "wallpaper"))
        }
        News::Setting { setting, was, is } => match (was, is) {
            (Some(was), Some(is)) => format!("{}: {is}, before: {was}", setting.label),
            (None, Some(is)) => format!("{}: {is}", setting.label),
            (_, None) => format!("{}: not set any more", setting.label),
        },
        News::Look { item, was, is } => look(*item, was.as_ref(), is.as_ref()),
        News::Part { change, part, was, is, .. } => part_said(*change, part, was, is),
        News::Applications { change, names, weight, old_systems, new_systems } => {
            applications(*change, names, *weight, old_systems, new_systems)
        }
        News::Decision { kind, names, weight, brings, system, .. } => {
            decision(*kind, names, *weight, brings, *system)
        }
        News::Games { change, names, weight } => {
            let noun = match names.len() {
                1 => "A game".to_owned(),
                n => format!("{n} games"),
            };
            let word = if *change == ApplicationChangeKind::Removed { "gone" } else { "new" };
            format!("{noun} {} {word}: {}{}", are(names.len()), listed(names, NAMES), in_brackets(*weight))
        }
        News::RepositoryAdded { repository } => format!("A repository was added: {repository}"),
        News::AgentAdded { names, purpose: does } => match &names[..] {
            [name] => format!("{name} now starts by itself: it {}", purpose(*does)),
            several => {
                let they = match does {
                    AgentPurpose::UsageStatistics => "send usage statistics",
                    AgentPurpose::CrashReports => "send crash reports",
                    AgentPurpose::Location => "look up the machine's location online",
                    AgentPurpose::Other => "report to their makers",
                };
                format!("{} now start by themselves: they {they}", listed(several, NAMES))
            }
        },
        News::StartupAdded { names } => {
            let how = if names.len() == 1 { "starts by itself" } else { "start by themselves" };
            format!("{} now {how}", listed(names, NAMES))
        }
        News::Size { old_bytes, new_bytes, more_languages } => {
            let difference = u128::from(old_bytes.abs_diff(*new_bytes)) * 100;
            let share = difference.checked_div(u128::from(*old_bytes)).unwrap_or(0);
            let grew = if new_bytes > old_bytes { "grew" } else { "shrank" };
            let languages = if *more_languages { ", with many more languages" } else { "" };
            format!("Disk space {grew} by {share}%{languages}")
        }
    }
}

/// The name of a display protocol as people write it; anything else as it is.
pub fn display(name: &str) -> &str {
    match name {
        "x11" => "X11",
        "wayland" => "Wayland",
        other => other,
    }
}

/// The session that starts and how it draws: `GNOME (Wayland)`. `None` if not recorded.
pub fn session(looks: &Looks) -> Option<String> {
    let started = looks.started()?;
    let shown = display(&started.display);
    let said = started.name.contains(shown);
    Some(if said { started.name.to_string() } else { format!("{} ({shown})", started.name) })
}

fn look(item: ListItem, was: Option<&Text>, is: Option<&Text>) -> String {
    let what = match item {
        ListItem::DefaultDisplay => "Default session",
        ListItem::DefaultTheme => "Theme",
        ListItem::DefaultIcons => "Icons",
        ListItem::DefaultWallpaper => "Wallpaper",
        ListItem::DefaultColours => "Colour scheme",
        ListItem::DefaultPointer => "Mouse pointer",
        ListItem::DefaultFont => "Font",
        ListItem::DefaultSession => "Session",
        ListItem::DisplayManager => "Display manager",
        ListItem::Repository
        | ListItem::Setting
        | ListItem::Media
        | ListItem::Startup
        | ListItem::Session
        | ListItem::Theme
        | ListItem::IconSet
        | ListItem::Wallpapers
        | ListItem::Font => item.name(),
    };
    match (was, is) {
        (Some(was), None) if item == ListItem::DefaultDisplay => {
            format!("No graphical session starts by default; it was {}", display(was))
        }
        (Some(was), Some(is)) => format!("{what}: {} → {}", display(was), display(is)),
        (None, Some(is)) => format!("{what}: {} is new", display(is)),
        (Some(was), None) => format!("{what}: {} is gone", display(was)),
        (None, None) => what.to_owned(),
    }
}

fn default(change: DefaultChangeKind, was: &[Text], is: Option<&Text>, roles: &[Named]) -> String {
    let label = roles.first().map_or("", |role| role.label.as_str());
    let was = listed(was, NAMES);
    let more = match roles {
        [] | [_] => String::new(),
        [_, other] => format!(" and {}", other.label),
        [_, others @ ..] => format!(", and in {} more roles", others.len()),
    };
    let is = is.map_or("", Text::as_str);
    match change {
        DefaultChangeKind::Replaced => format!("{is} replaces {was} as {label}{more}"),
        DefaultChangeKind::Switched => {
            format!("{is} is now the default {label}{more}; {was} is still installed")
        }
        DefaultChangeKind::Filled => format!("{is} is the {label}{more}; there was none before"),
        DefaultChangeKind::Lost => match roles {
            [] | [_] => format!("No {label} is left; it was {was}"),
            [_, other] => format!("No {label} and no {} are left; it was {was}", other.label),
            [_, others @ ..] => {
                format!("No {label} is left, nor an app for {} more jobs; it was {was}", others.len())
            }
        },
        DefaultChangeKind::Ambiguous if is.is_empty() => {
            format!("There is no default {label}{more} any more; it was {was}, and several apps could do it")
        }
        DefaultChangeKind::Ambiguous => {
            format!("There is no default {label}{more} any more; {is} is the first of several")
        }
    }
}

fn part_said(change: PartChangeKind, part: &Named, was: &Filling, is: &Filling) -> String {
    let label = &part.label;
    let whole = |filling: &Filling| versioned(&filling.name, filling.version.as_ref());
    let version = |filling: &Filling| filling.version.clone().unwrap_or_default();
    match change {
        PartChangeKind::Replaced => format!("{label}: {} replaces {}", whole(is), whole(was)),
        PartChangeKind::Added => format!("{label}: {} is new", whole(is)),
        PartChangeKind::Removed => format!("{label}: {} is gone", whole(was)),
        PartChangeKind::Upgraded | PartChangeKind::OtherNumbering | PartChangeKind::Same => {
            format!("{label}: {} → {}", whole(was), version(is))
        }
        PartChangeKind::Downgraded => format!("{label}: {} → {}, an older version", whole(was), version(is)),
    }
}

fn applications(
    change: ApplicationChangeKind,
    names: &[Text],
    weight: Weight,
    old: &[System],
    new: &[System],
) -> String {
    let all = listed(names, NAMES);
    let are = are(names.len());
    match change {
        ApplicationChangeKind::Added => format!("{all} {are} new{}", in_brackets(weight)),
        ApplicationChangeKind::Removed => format!("{all} {are} gone{}", in_brackets(weight)),
        ApplicationChangeKind::FormatChanged => {
            let (was, is) = (systems(old), systems(new));
            let what = if names.len() > NAMES { format!("{} programs", names.len()) } else { all };
            if new.iter().any(|system| old.contains(system)) {
                format!("{what} {are} now delivered as {is}, before as {was} only")
            } else {
                format!("{what} {are} now delivered as {is} instead of {was}")
            }
        }
        ApplicationChangeKind::Replaced => format!("{all} replaced another program"),
        ApplicationChangeKind::Updated => format!("{all} {are} updated"),
        ApplicationChangeKind::MenuChanged => format!("{all} {are} in another menu"),
        ApplicationChangeKind::Shown => format!("{all} {are} now shown in the menu"),
        ApplicationChangeKind::Hidden => format!("{all} {are} now hidden from the menu"),
    }
}

/// ` (7 packages, +412 MB)`; of a single package its size alone.
fn in_brackets(weight: Weight) -> String {
    let size = (weight.bytes_delta != 0).then(|| bytes_signed(weight.bytes_delta));
    let packages = (weight.packages > 1).then(|| count_of(u64::from(weight.packages), "package"));
    match (packages, size) {
        (None, None) => String::new(),
        (Some(one), None) | (None, Some(one)) => format!(" ({one})"),
        (Some(packages), Some(size)) => format!(" ({packages}, {size})"),
    }
}

fn decision(
    kind: DecisionKind,
    names: &[Text],
    weight: Weight,
    brings: &[Text],
    system: Option<System>,
) -> String {
    let what = decision_names(names);
    let format = system.map_or_else(String::new, |system| format!(" as {}", system.name()));
    let are = are(names.len());
    let packages = u64::from(weight.packages);
    let size = match weight.bytes_delta {
        0 => String::new(),
        delta => format!(", {}", bytes_signed(delta)),
    };
    let (new, gone) = (count_of(packages, "new package"), count_of(packages, "package"));
    match kind {
        DecisionKind::AddedOnPurpose => format!("{what} {are} new{format}{}", in_brackets(weight)),
        DecisionKind::DroppedOnPurpose => format!("{what} {are} gone{format}{}", in_brackets(weight)),
        DecisionKind::NewDependency if !brings.is_empty() => {
            format!("{} came with {what} ({}{size})", listed(brings, NAMES), count_of(packages, "package"))
        }
        DecisionKind::NewDependency => format!("{what} brings along {new}{size}"),
        DecisionKind::DependencyLost if !brings.is_empty() => {
            format!("{} went, no longer needed by {what} ({gone}{size})", listed(brings, NAMES))
        }
        DecisionKind::DependencyLost => format!("{what} no longer needs {gone}{size}"),
        DecisionKind::SharedAddition => format!("{what} need {new}{size}"),
        DecisionKind::SharedRemoval => {
            format!("{gone} that {what} needed {} gone{size}", { if packages == 1 { "is" } else { "are" } })
        }
    }
}
