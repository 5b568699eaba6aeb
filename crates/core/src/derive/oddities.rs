//! Oddities: named rules for what deserves a second look, each with its evidence.

use crate::knowledge::Agents;
use crate::model::{
    Application, DefaultChoice, Does, Evidence, Kind, Launcher, Oddity, OddityName, Package, State, System,
    Tally, Text, bytes_human,
};
use rustc_hash::FxHashSet;
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
            let about = vec![format!("application:{}", application.id).into()];
            found.add(OddityName::TwoFormats, about, why, &launcher_file(application, tally));
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

/// Names, of very many the first.
fn some(names: &[impl AsRef<str>]) -> String {
    const MOST: usize = 40;
    let mut said = names.iter().take(MOST).map(AsRef::as_ref).collect::<Vec<_>>().join(", ");
    if let Some(more) = names.len().checked_sub(MOST).filter(|more| *more > 0) {
        said.push_str(&format!(" and {more} more"));
    }
    said
}

fn defaults(tally: &Tally, found: &mut Found) {
    let primary: BTreeMap<&str, &Text> = tally
        .defaults
        .iter()
        .rev()
        .filter_map(|d| Some((d.role.as_str(), d.application.as_ref()?)))
        .collect();
    let mut by_role: BTreeMap<&str, Vec<(&DefaultChoice, &Text)>> = BTreeMap::new();
    let mut doubled: Vec<(&str, &[Text])> = Vec::new();
    for choice in &tally.defaults {
        if let Some(application) = &choice.application {
            by_role.entry(&choice.role).or_default().push((choice, application));
        }
        if !choice.sure
            && choice.candidates.len() > 1
            && !doubled.iter().any(|(role, _)| *role == choice.role)
        {
            doubled.push((&choice.role, &choice.candidates));
            let (number, all) = (choice.candidates.len(), some(&choice.candidates));
            let why = if choice.asked.contains('=') {
                format!(
                    "{number} could do the job of {}, and none is chosen: {all}",
                    choice.role.replace('-', " ")
                )
            } else {
                format!("{number} could open {}, and none is set: {all}", choice.asked)
            };
            let about = vec![format!("role:{}", choice.role).into()];
            found.add(OddityName::DoubleInRole, about, why, &evidence_of(choice, tally));
        }
        let unlikely = UNLIKELY.iter().find(|(role, _)| choice.role == *role).and_then(|(_, others)| {
            let application =
                choice.application.as_ref().filter(|_| !choice.how.contains(": by its parent type"))?;
            others
                .iter()
                .find(|other| primary.get(**other) == Some(&application))
                .map(|other| (application, other))
        });
        if let Some((application, other)) = unlikely {
            let other = match *other {
                "drawing" | "presentation" | "spreadsheet" => format!("{other} program"),
                other => other.replace('-', " "),
            };
            let why = format!("{} opens in {application}, which is the {other}", choice.asked);
            found.add(
                OddityName::UnlikelyDefault,
                vec![format!("role:{}", choice.role).into()],
                why,
                &evidence_of(choice, tally),
            );
        }
    }
    for (role, choices) in by_role {
        let mut openers: Vec<&Text> = choices.iter().map(|(_, application)| *application).collect();
        openers.sort_unstable();
        openers.dedup();
        if openers.len() > 1 && !matches!(role, "spreadsheet") {
            let said: Vec<String> =
                choices.iter().map(|(choice, by)| format!("{} by {by}", choice.asked)).collect();
            let why = format!("types of one family open in different programs: {}", said.join(", "));
            let about = vec![format!("role:{role}").into()];
            found.add(OddityName::MixedOpeners, about, why, &evidence_of(choices[0].0, tally));
        }
    }
}

/// The file that decided a choice; where it was none, the launcher of the first candidate.
fn evidence_of(choice: &DefaultChoice, tally: &Tally) -> Evidence {
    // A folder whose launchers all had a say is no file.
    let (decided, _) = choice.how.split_once(": ").unwrap_or((&choice.how, ""));
    if decided.contains('/') && !decided.contains(", ") {
        return Evidence::file(decided.split(' ').next().unwrap_or_default());
    }
    if let Some(launcher) = tally.launchers.iter().find(|one| Some(&one.id) == choice.launcher.as_ref()) {
        return launcher.evidence.clone();
    }
    let first = choice.application.as_ref().or(choice.candidates.first());
    let application = first.and_then(|id| tally.applications.iter().find(|one| one.id == *id));
    application.map(|application| launcher_file(application, tally)).unwrap_or_default()
}

/// Where the first launcher of an application was read.
fn launcher_file(application: &Application, tally: &Tally) -> Evidence {
    let first = tally.launchers.iter().find(|launcher| application.launchers.contains(&launcher.id));
    first.map(|launcher| launcher.evidence.clone()).unwrap_or_default()
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
    let known: FxHashSet<(System, &str)> =
        games.iter().map(|game| (game.system, game.name.as_str())).collect();
    let accompanies = |package: &Package| {
        package.companion_of.as_ref().is_some_and(|of| known.contains(&(package.system, of.as_str())))
    };
    let all = tally.present().filter(|package| package.kind == Kind::Game || accompanies(package));
    // Where sizes are untold they weigh something, and nobody knows how much.
    let bytes = all.filter_map(|package| package.installed_bytes).reduce(u64::saturating_add);
    let weight = bytes.map(|bytes| format!(", {}", bytes_human(bytes))).unwrap_or_default();
    let names: Vec<&str> = games.iter().map(|game| game.name.as_str()).collect();
    let noun = if games.len() == 1 { "game" } else { "games" };
    let why = format!("{} {noun}{weight}: {}", games.len(), some(&names));
    found.add(
        OddityName::Games,
        games.iter().flat_map(|game| about(game)).collect(),
        why,
        &games[0].evidence,
    );
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::derive::join_applications;
    use crate::model::PackageRef;
    use crate::model::samples::{launcher, tally};

    fn choice(role: &str, asked: &str, candidates: &[&str], how: &str) -> DefaultChoice {
        let answer = if how.contains("none is chosen") { None } else { candidates.first() };
        let told = serde_json::json!({
            "role": role, "asked": asked, "application": answer, "candidates": candidates, "how": how,
            "sure": candidates.len() < 2,
        });
        serde_json::from_value(told).unwrap()
    }

    /// What is found by a rule: the sentence, and the file that shows it.
    fn found(tally: &Tally, rule: OddityName) -> Vec<(String, String)> {
        let agents = Agents::built_in().unwrap();
        let all = find_oddities(tally, &agents);
        let of_rule = all.iter().filter(|oddity| oddity.oddity == rule);
        of_rule.map(|oddity| (oddity.why.to_string(), oddity.evidence.file.to_string())).collect()
    }

    #[test]
    fn a_job_without_a_choice_is_told_with_the_file_of_one_that_could_do_it() {
        let mut tally = tally();
        tally.launchers = vec![launcher("reed", "reed"), launcher("weir", "weir")];
        tally.applications = join_applications(&tally.launchers, &[]);
        tally.defaults = vec![
            choice(
                "terminal",
                "Categories=TerminalEmulator",
                &["reed", "weir"],
                "several do it, and none is chosen",
            ),
            choice(
                "text-editor",
                "text/plain",
                &["weir", "reed"],
                "usr/share/applications/mimeinfo.cache: no default is set",
            ),
        ];
        let told = found(&tally, OddityName::DoubleInRole);
        let launcher = "usr/share/applications/reed.desktop".to_owned();
        assert_eq!(
            told[0],
            ("2 could do the job of terminal, and none is chosen: reed, weir".to_owned(), launcher)
        );
        assert_eq!(told[1].0, "2 could open text/plain, and none is set: weir, reed");
        assert_eq!(told[1].1, "usr/share/applications/mimeinfo.cache");
    }

    #[test]
    fn one_family_in_two_programs_is_told_but_not_for_spreadsheets() {
        let mut tally = tally();
        let how = "usr/share/applications/mimeinfo.cache: the only one";
        tally.defaults = vec![
            choice("music-player", "audio/flac", &["reed"], how),
            choice("music-player", "audio/mpeg", &["weir"], how),
            choice("spreadsheet", "text/csv", &["reed"], how),
            choice("spreadsheet", "application/vnd.oasis.opendocument.spreadsheet", &["weir"], how),
            choice("video-player", "video/mp4", &["weir"], how),
            choice("video-player", "video/webm", &["weir"], how),
        ];
        let told = found(&tally, OddityName::MixedOpeners);
        let why = "types of one family open in different programs: audio/flac by reed, audio/mpeg by weir";
        assert_eq!(told, [(why.to_owned(), "usr/share/applications/mimeinfo.cache".to_owned())]);
    }

    #[test]
    fn a_browser_that_opens_pictures_is_unlikely_unless_the_type_only_inherits_it() {
        let mut tally = tally();
        let cache = "usr/share/applications/mimeinfo.cache";
        tally.defaults = vec![
            choice("web-browser", "x-scheme-handler/https", &["lapwing"], cache),
            choice("image-viewer", "image/png", &["lapwing"], &format!("{cache}: the only one")),
            choice(
                "image-viewer",
                "image/svg+xml",
                &["lapwing"],
                &format!("{cache}: by its parent type text/xml"),
            ),
            choice("text-editor", "text/plain", &["inkcap"], cache),
            choice("presentation", "x/slides", &["slides"], cache),
            choice(
                "document-viewer",
                "application/pdf",
                &["slides"],
                "usr/share/applications, MimeType of each launcher: the first",
            ),
        ];
        tally.launchers = vec![launcher("slides", "slides")];
        tally.applications = join_applications(&tally.launchers, &[]);
        tally.defaults[5].launcher = Some("slides.desktop".into());
        let why = "image/png opens in lapwing, which is the web browser".to_owned();
        let slides = "application/pdf opens in slides, which is the presentation program".to_owned();
        let launcher = "usr/share/applications/slides.desktop".to_owned();
        assert_eq!(
            found(&tally, OddityName::UnlikelyDefault),
            [(slides, launcher), (why, cache.to_owned())],
            "a launcher is named where no list decided"
        );
    }

    #[test]
    fn what_stands_in_the_menu_is_looked_at_and_what_is_hidden_is_not() {
        let mut tally = tally();
        let page = Launcher {
            does: Does::WebPage,
            url: Some("https://marsh.example".into()),
            ..launcher("help", "open")
        };
        let hidden = Launcher { shown: false, ..page.clone() };
        let gone = Launcher { program_present: Some(false), ..launcher("sand", "sand-gui") };
        let twice =
            [launcher("reed", "reed"), Launcher { id: "reed-2.desktop".into(), ..launcher("reed", "reed") }];
        tally.launchers = [page, hidden, gone].into_iter().chain(twice).collect();
        let said = |rule| found(&tally, rule).into_iter().map(|(why, _)| why).collect::<Vec<_>>();
        assert_eq!(said(OddityName::WebPageLauncher), ["help in the menu only opens https://marsh.example"]);
        assert_eq!(said(OddityName::MissingProgram), ["sand starts `sand-gui`, which is not there"]);
        assert_eq!(said(OddityName::TwoLaunchers), ["reed stands 2 times in the menu, each starting `reed`"]);
    }

    #[test]
    fn one_program_in_two_formats_names_a_file() {
        let mut tally = tally();
        let native = Launcher {
            package: Some(PackageRef::new(System::Dpkg, "reed")),
            format: Some(System::Dpkg),
            ..launcher("reed", "reed")
        };
        let sandboxed = Launcher {
            id: "org.marsh.reed.desktop".into(),
            package: Some(PackageRef::new(System::Flatpak, "org.marsh.reed")),
            format: Some(System::Flatpak),
            ..native.clone()
        };
        tally.packages = vec![
            Package::new(System::Dpkg, "reed", "1"),
            Package::new(System::Flatpak, "org.marsh.reed", "2"),
        ];
        tally.launchers = vec![native, sandboxed];
        tally.applications = join_applications(&tally.launchers, &tally.packages);
        let why = "reed came in 2 formats: dpkg and flatpak".to_owned();
        assert_eq!(
            found(&tally, OddityName::TwoFormats),
            [(why, "usr/share/applications/reed.desktop".to_owned())]
        );
    }

    #[test]
    fn states_of_packages_each_have_their_rule() {
        let package = |name: &str, state| Package { state, ..Package::new(System::Dpkg, name, "1") };
        let mut tally = tally();
        tally.packages = vec![
            package("half", State::Half),
            Package {
                kind: Kind::Transitional,
                in_no_repository: true,
                ..package("left", State::RemovedConfig)
            },
            package("gone", State::Removed),
            Package { in_no_repository: true, ..package("stray", State::Installed) },
            Package { kind: Kind::Transitional, ..package("renamed", State::Installed) },
        ];
        let said = |rule| found(&tally, rule).into_iter().map(|(why, _)| why).collect::<Vec<_>>();
        assert_eq!(said(OddityName::HalfInstalled), ["half is not installed in full"]);
        assert_eq!(
            said(OddityName::RemovedLeftovers),
            ["left was removed, its configuration is still there"]
        );
        assert_eq!(said(OddityName::InNoRepository), ["stray 1 stands in no list of any repository"]);
        assert_eq!(said(OddityName::TransitionalPackage), ["renamed only eases a renaming"]);
    }

    #[test]
    fn games_are_weighed_with_what_accompanies_them() {
        let sized = |name: &str, kind, bytes| Package {
            kind,
            installed_bytes: Some(bytes),
            ..Package::new(System::Dpkg, name, "1")
        };
        let data = |name: &str, of: &str, kind| Package {
            companion_of: Some(of.into()),
            ..sized(name, kind, 4_000_000)
        };
        let mut tally = tally();
        tally.packages = vec![
            sized("eelpot", Kind::Game, 3_000_000),
            data("eelpot-data", "eelpot", Kind::Data),
            data("eelpot-levels", "eelpot", Kind::Game),
            data("inkcap-data", "inkcap", Kind::Data),
        ];
        let told = found(&tally, OddityName::Games);
        assert_eq!(
            told[0].0, "2 games, 11 MB: eelpot, eelpot-levels",
            "a companion counts once, whatever it is"
        );
        for package in &mut tally.packages {
            package.installed_bytes = None;
        }
        let told = found(&tally, OddityName::Games);
        assert_eq!(told[0].0, "2 games: eelpot, eelpot-levels", "nobody knows what they weigh");
    }
}
