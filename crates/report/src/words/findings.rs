use super::{listed, plain, systems};
use crate::text::{bytes_human, count_of};
use tally_core::model::{AgentPurpose, FindingDetails, FindingName, TypeDefault};

/// Names that one line holds; the rest is counted.
const NAMES: usize = 8;

/// The heading above such findings.
pub const fn finding_title(name: FindingName) -> &'static str {
    match name {
        FindingName::WebPageLauncher => "Menu entries that only open a web page",
        FindingName::MissingProgram => "Menu entries without their program",
        FindingName::HalfInstalled => "Packages not fully installed",
        FindingName::TwoLaunchers => "Programs listed twice in the menu",
        FindingName::NoDefault => "No default app",
        FindingName::MixedDefaults => "Different apps for similar files",
        FindingName::BrokenDefault => "Default apps that are not installed",
        FindingName::UnlikelyDefault => "Unlikely default apps",
        FindingName::MissingLook => "Themes and icons that are not installed",
        FindingName::NoDecoder => "Files that open and can't be decoded",
        FindingName::InNoRepository => "In none of the repositories",
        FindingName::ForeignRepository => "Third-party repositories",
        FindingName::UnownedStartup => "Startup items of no package",
        FindingName::ReportsHome => "Programs that report to their makers",
        FindingName::InstallerLeftBehind => "The installer is still there",
        FindingName::TransitionalPackage => "Transitional packages",
        FindingName::TwoFormats => "Delivered in two formats",
        FindingName::Games => "Games",
        FindingName::RemovedLeftovers => "Configuration of removed packages",
        FindingName::ManifestDisagrees => "Packages that differ from the image's list",
    }
}

/// What was found, as a sentence without its full stop.
pub fn finding(details: &FindingDetails) -> String {
    match details {
        FindingDetails::WebPageLauncher { name, url } => {
            format!("{name} in the menu only opens a web page: {url}")
        }
        FindingDetails::MissingProgram { name, program: Some(program) } => {
            format!("{name} in the menu starts `{program}`, which is not installed")
        }
        FindingDetails::MissingProgram { name, program: None } => {
            format!("{name} in the menu starts a program that is not installed")
        }
        FindingDetails::HalfInstalled { package } => format!("{package} is not fully installed"),
        FindingDetails::TwoLaunchers { name, program, count } => {
            let times = if *count == 2 { "twice".to_owned() } else { format!("{count} times") };
            format!("{name} is in the menu {times}; each entry starts `{program}`")
        }
        FindingDetails::NoDefault { role, asked, candidates } => {
            let apps = format!("{} apps could", candidates.len());
            let (what, does) = if asked.contains('=') {
                (format!("the role {}", plain(role)), "fill it")
            } else {
                (asked.to_string(), "open it")
            };
            format!("{what} has no default; {apps} {does}: {}", listed(candidates, NAMES))
        }
        FindingDetails::MixedDefaults { role, defaults } => {
            let one = |default: &TypeDefault| format!("{} in {}", default.mime, default.application);
            let each: Vec<String> = defaults.iter().map(one).collect();
            format!("{} open in different apps: {}", family(role, defaults), each.join(", "))
        }
        FindingDetails::BrokenDefault { asked, launchers, .. } => {
            let which = if launchers.len() == 1 { "which is not" } else { "none of which is" };
            format!("{asked} is set to open with {}, {which} installed", launchers.join(" or "))
        }
        FindingDetails::UnlikelyDefault { asked, application, other_role, .. } => {
            format!("{asked} opens in {application}, the {}", job(other_role))
        }
        FindingDetails::MissingLook { setting, name } => {
            let what = if setting == "icons" { "icon set" } else { "theme" };
            format!("the {what} {name} is set, but not installed")
        }
        FindingDetails::NoDecoder { application, framework, media } => {
            let labels: Vec<&str> =
                media.iter().map(|key| tally_core::knowledge::media().label(key)).collect();
            let them = if labels.len() == 1 { "it" } else { "them" };
            format!(
                "{application} opens {}, but nothing here decodes {them} for {framework}",
                listed(&labels, NAMES)
            )
        }
        FindingDetails::InNoRepository { package, version } => {
            format!("{package} {version} is in none of the configured repositories")
        }
        FindingDetails::ForeignRepository { repository, uri } => {
            format!("{repository} ({uri}) is not one of the distribution's own repositories")
        }
        FindingDetails::UnownedStartup { item } => {
            format!("{item} starts by itself, but belongs to no package")
        }
        FindingDetails::ReportsHome { package, purpose: does, .. } => format!("{package} {}", purpose(*does)),
        FindingDetails::InstallerLeftBehind { installer } => {
            format!("the installer is still installed: {installer}")
        }
        FindingDetails::TransitionalPackage { package } => format!("{package} is a transitional package"),
        FindingDetails::TwoFormats { name, systems: by } => {
            format!("{name} is installed in {} formats: {}", by.len(), systems(by))
        }
        FindingDetails::Games { games, installed_bytes } => {
            let size = installed_bytes.map(|bytes| format!(", {}", bytes_human(bytes))).unwrap_or_default();
            format!("{}{size}: {}", count_of(games.len() as u64, "game"), listed(games, NAMES * 5))
        }
        FindingDetails::RemovedLeftovers { package } => {
            format!("{package} was removed, but its configuration is still there")
        }
        FindingDetails::ManifestDisagrees { file, not_installed, not_listed, other_version } => {
            let lists = [
                ("not installed", not_installed),
                ("not in the list", not_listed),
                ("in another version", other_version),
            ];
            let each: Vec<String> = lists
                .into_iter()
                .filter(|(_, names)| !names.is_empty())
                .map(|(what, names)| format!("{what}: {}", listed(names, 6)))
                .collect();
            format!("the package list {file} differs from the package database; {}", each.join("; "))
        }
        FindingDetails::Legacy { legacy, .. } => legacy.to_string(),
    }
}

/// What an agent does without being asked.
pub const fn purpose(purpose: AgentPurpose) -> &'static str {
    match purpose {
        AgentPurpose::UsageStatistics => "sends usage statistics",
        AgentPurpose::CrashReports => "sends crash reports",
        AgentPurpose::Location => "looks up the machine's location online",
        AgentPurpose::Other => "reports to its makers",
    }
}

/// What types have in common: `audio files` where all begin so, else the role that they belong to.
fn family(role: &str, defaults: &[TypeDefault]) -> String {
    let first = defaults.first().and_then(|one| one.mime.split_once('/')).map_or("", |(family, _)| family);
    let all = defaults.iter().all(|one| one.mime.split_once('/').is_some_and(|(family, _)| family == first));
    match first {
        "audio" | "video" | "image" | "text" | "font" if all => format!("{first} files"),
        _ => format!("types of the role {}", plain(role)),
    }
}

/// What an application of a role is.
fn job(role: &str) -> String {
    match role {
        "drawing" | "presentation" | "spreadsheet" => format!("{role} program"),
        other => plain(other),
    }
}
