//! Oddities: named rules for what deserves a second look, each with its evidence.

use crate::knowledge::Agents;
use crate::model::{Does, Evidence, Kind, Launcher, Oddity, OddityName, Package, State, Tally, Text};
use std::collections::BTreeMap;

/// Everything odd about an install, sorted by rule.
pub fn find_oddities(tally: &Tally, agents: &Agents) -> Vec<Oddity> {
    let mut found = Found(Vec::new());
    launchers(tally, &mut found);
    defaults(tally, &mut found);
    packages(tally, agents, &mut found);
    startup_and_repositories(tally, &mut found);
    games(tally, &mut found);
    found.0.sort_by(|a, b| (a.oddity, &a.about).cmp(&(b.oddity, &b.about)));
    found.0
}

struct Found(Vec<Oddity>);

impl Found {
    fn add(&mut self, oddity: OddityName, about: Vec<Text>, why: String, evidence: &Evidence) {
        self.0.push(Oddity { oddity, about, why: why.into(), evidence: evidence.clone() });
    }
}

fn about_launcher(launcher: &Launcher) -> Text {
    format!("launcher:{}", launcher.id).into()
}

fn about(package: &Package) -> Vec<Text> {
    vec![package.reference().as_str().into()]
}

fn launchers(tally: &Tally, found: &mut Found) {
    let mut by_start: BTreeMap<(&Text, &Text), Vec<&Launcher>> = BTreeMap::new();
    for launcher in tally.launchers.iter().filter(|l| l.shown) {
        if launcher.does == Does::WebPage {
            let url = launcher.url.as_deref().unwrap_or_default();
            let why = format!("{} in the menu only opens {url}", launcher.name);
            found.add(OddityName::WebPageLauncher, vec![about_launcher(launcher)], why, &launcher.evidence);
        } else if launcher.program_present == Some(false) {
            let program = launcher.runs.as_deref().unwrap_or("a program");
            let why = format!("{} starts `{program}`, which is not there", launcher.name);
            found.add(OddityName::MissingProgram, vec![about_launcher(launcher)], why, &launcher.evidence);
        }
        if let Some(runs) = &launcher.runs {
            by_start.entry((runs, &launcher.name)).or_default().push(launcher);
        }
    }
    for ((runs, name), same) in by_start.into_iter().filter(|(_, same)| same.len() > 1) {
        let why = format!("{name} stands {} times in the menu, each starting `{runs}`", same.len());
        found.add(
            OddityName::TwoLaunchers,
            same.iter().map(|l| about_launcher(l)).collect(),
            why,
            &same[0].evidence,
        );
    }
    for application in &tally.applications {
        let mut systems: Vec<&str> = application.delivered.iter().map(|d| d.system.name()).collect();
        systems.dedup();
        if systems.len() > 1 {
            let why =
                format!("{} came in {} formats: {}", application.name, systems.len(), systems.join(" and "));
            found.add(
                OddityName::TwoFormats,
                vec![format!("application:{}", application.id).into()],
                why,
                &Evidence::default(),
            );
        }
    }
}

/// Applications whose own job is another one: a browser that opens pictures, an office program that opens plain text.
const UNLIKELY: &[(&str, &[&str])] = &[
    ("text-editor", &["word-processor", "spreadsheet", "web-browser"]),
    ("document-viewer", &["drawing", "presentation", "word-processor", "web-browser", "image-editor"]),
    ("image-viewer", &["web-browser", "drawing"]),
    ("file-manager", &["web-browser", "text-editor", "disk-manager"]),
    ("e-book-reader", &["archive-manager", "web-browser"]),
    ("calendar", &["text-editor"]),
    ("contacts", &["text-editor"]),
];

fn defaults(tally: &Tally, found: &mut Found) {
    let primary: BTreeMap<&str, &Text> = tally
        .defaults
        .iter()
        .rev()
        .filter_map(|d| Some((d.role.as_str(), d.application.as_ref()?)))
        .collect();
    let mut by_role: BTreeMap<&str, Vec<(&Text, &Text)>> = BTreeMap::new();
    let mut doubled: Vec<(&str, &[Text])> = Vec::new();
    for choice in &tally.defaults {
        if let Some(application) = &choice.application {
            by_role.entry(&choice.role).or_default().push((&choice.asked, application));
        }
        if !choice.sure
            && choice.candidates.len() > 1
            && !doubled.iter().any(|(role, _)| *role == choice.role)
        {
            doubled.push((&choice.role, &choice.candidates));
            let why = format!(
                "{} could open {}, and none is set: {}",
                choice.candidates.len(),
                choice.asked,
                choice.candidates.join(", ")
            );
            let evidence = Evidence::file(choice.how.split(':').next().unwrap_or_default());
            found.add(OddityName::DoubleInRole, vec![format!("role:{}", choice.role).into()], why, &evidence);
        }
        let unlikely = UNLIKELY.iter().find(|(role, _)| choice.role == *role).and_then(|(_, others)| {
            let application =
                choice.application.as_ref().filter(|_| !choice.how.starts_with("by its parent"))?;
            others
                .iter()
                .find(|other| primary.get(**other) == Some(&application))
                .map(|other| (application, other))
        });
        if let Some((application, other)) = unlikely {
            let why =
                format!("{} opens in {application}, which is the {}", choice.asked, other.replace('-', " "));
            found.add(
                OddityName::UnlikelyDefault,
                vec![format!("role:{}", choice.role).into()],
                why,
                &Evidence::file(choice.how.split(':').next().unwrap_or_default()),
            );
        }
    }
    for (role, choices) in by_role {
        let mut openers: Vec<&Text> = choices.iter().map(|(_, application)| *application).collect();
        openers.sort_unstable();
        openers.dedup();
        if openers.len() > 1 && !matches!(role, "spreadsheet") {
            let said: Vec<String> =
                choices.iter().map(|(asked, application)| format!("{asked} by {application}")).collect();
            let why = format!("types of one family open in different programs: {}", said.join(", "));
            found.add(
                OddityName::MixedOpeners,
                vec![format!("role:{role}").into()],
                why,
                &Evidence::default(),
            );
        }
    }
}

fn packages(tally: &Tally, agents: &Agents, found: &mut Found) {
    for package in &tally.packages {
        let mut add = |oddity, why: String| found.add(oddity, about(package), why, &package.evidence);
        match package.state {
            State::Installed => {}
            State::Half => {
                add(OddityName::HalfInstalled, format!("{} is not installed in full", package.name));
            }
            State::RemovedConfig => {
                add(
                    OddityName::RemovedLeftovers,
                    format!("{} was removed, its configuration is still there", package.name),
                );
                continue;
            }
            State::Removed => continue,
        }
        if package.in_no_repository {
            add(
                OddityName::InNoRepository,
                format!("{} {} stands in no list of any repository", package.name, package.version),
            );
        }
        if package.kind == Kind::Transitional {
            add(OddityName::TransitionalPackage, format!("{} only eases a renaming", package.name));
        }
        if let Some(does) = agents.does(&package.name) {
            let more =
                if package.summary.is_empty() { String::new() } else { format!(": {}", package.summary) };
            add(OddityName::ReportsHome, format!("{} {does}{more}", package.name));
        }
    }
    if let Some(part) = tally.parts.iter().find(|part| part.part == "installer") {
        let about = part.package.iter().map(|package| package.as_str().into()).collect();
        let why = format!("the installer is still there: {}", part.name);
        found.add(OddityName::InstallerLeftBehind, about, why, &part.evidence);
    }
}

fn startup_and_repositories(tally: &Tally, found: &mut Found) {
    for item in tally.startup.iter().filter(|item| item.enabled && item.package.is_none()) {
        let why = format!("{} starts by itself, and no package owns it", item.name);
        found.add(
            OddityName::UnownedStartup,
            vec![format!("startup:{}", item.name).into()],
            why,
            &item.evidence,
        );
    }
    for repository in tally.repositories.iter().filter(|r| r.enabled && r.official == Some(false)) {
        let why = format!("{} ({}) is not the distribution's own", repository.name, repository.uri);
        found.add(
            OddityName::ForeignRepository,
            vec![format!("repository:{}", repository.name).into()],
            why,
            &repository.evidence,
        );
    }
}

fn games(tally: &Tally, found: &mut Found) {
    let games: Vec<&Package> = tally.present().filter(|package| package.kind == Kind::Game).collect();
    if games.is_empty() {
        return;
    }
    let weight = |package: &Package| -> u64 {
        let companions = tally.present().filter(|p| p.companion_of.as_ref() == Some(&package.name));
        companions.chain([package]).filter_map(|p| p.installed_bytes).fold(0, u64::saturating_add)
    };
    let bytes: u64 = games.iter().map(|game| weight(game)).fold(0, u64::saturating_add);
    let names: Vec<&str> = games.iter().map(|game| game.name.as_str()).collect();
    let noun = if games.len() == 1 { "game" } else { "games" };
    let why = format!("{} {noun}, {} MB: {}", games.len(), bytes / 1_000_000, names.join(", "));
    found.add(
        OddityName::Games,
        games.iter().flat_map(|game| about(game)).collect(),
        why,
        &games[0].evidence,
    );
}
