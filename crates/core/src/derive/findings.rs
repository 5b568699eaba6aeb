//! Findings: named rules for what is worth a second look, each with its evidence.

use crate::knowledge::{self, Agents, NamedLook, Roles};
use crate::model::{
    Application, DecidedBy, DefaultChoice, Does, Evidence, Finding, FindingDetails, Kind, Launcher,
    MediaVerdict, Package, State, System, Tally, Text, TypeDefault,
};
use rustc_hash::FxHashSet;
use std::collections::BTreeMap;

/// Everything that is worth a second look, in the order of a document.
pub fn derive_findings(tally: &Tally, agents: &Agents, roles: &Roles) -> Vec<Finding> {
    let mut found = Findings(Vec::new());
    launchers(tally, &mut found);
    defaults(tally, roles, &mut found);
    decoders(tally, &mut found);
    looks(tally, &mut found);
    packages(tally, agents, &mut found);
    startup_and_repositories(tally, &mut found);
    games(tally, &mut found);
    found.0.sort_by(Finding::order);
    found.0
}

struct Findings(Vec<Finding>);

impl Findings {
    fn add(&mut self, details: FindingDetails, about: Vec<Text>, evidence: &Evidence) {
        self.0.push(Finding { details, about, evidence: evidence.clone() });
    }
}

fn about_launcher(launcher: &Launcher) -> Text {
    format!("launcher:{}", launcher.id).into()
}

fn about(package: &Package) -> Vec<Text> {
    vec![package.reference().as_str().into()]
}

fn launchers(tally: &Tally, found: &mut Findings) {
    let mut by_start: BTreeMap<(&Text, &Text), Vec<&Launcher>> = BTreeMap::new();
    for launcher in tally.launchers.iter().filter(|l| l.shown) {
        let name = launcher.name.clone();
        if launcher.does == Does::WebPage {
            let details = FindingDetails::WebPageLauncher {
                name,
                url: launcher.url.clone().unwrap_or_default().into(),
            };
            found.add(details, vec![about_launcher(launcher)], &launcher.evidence);
        } else if launcher.program_present == Some(false) {
            let details = FindingDetails::MissingProgram { name, program: launcher.runs.clone() };
            found.add(details, vec![about_launcher(launcher)], &launcher.evidence);
        }
        if let Some(runs) = &launcher.runs {
            by_start.entry((runs, &launcher.name)).or_default().push(launcher);
        }
    }
    for ((runs, name), same) in by_start.into_iter().filter(|(_, same)| same.len() > 1) {
        let count = u32::try_from(same.len()).unwrap_or(u32::MAX);
        let details = FindingDetails::TwoLaunchers { name: name.clone(), program: runs.clone(), count };
        found.add(details, same.iter().map(|l| about_launcher(l)).collect(), &same[0].evidence);
    }
    for application in &tally.applications {
        let mut systems: Vec<System> = application.delivered.iter().map(|d| d.system).collect();
        systems.dedup();
        if systems.len() > 1 {
            let about = vec![format!("application:{}", application.id).into()];
            let details = FindingDetails::TwoFormats { name: application.name.clone(), systems };
            found.add(details, about, &launcher_file(application, tally));
        }
    }
}

fn defaults(tally: &Tally, roles: &Roles, found: &mut Findings) {
    let asked: Vec<&DefaultChoice> = tally.defaults.iter().filter(|choice| !choice.also).collect();
    let by_parent = |choice: &DefaultChoice| matches!(choice.decided.by, DecidedBy::ParentType { .. });
    // Who opens a table as any text has no role by it.
    let primary: BTreeMap<&str, &Text> = asked
        .iter()
        .rev()
        .filter(|choice| !by_parent(choice))
        .filter_map(|choice| Some((choice.role.as_str(), choice.application.as_ref()?)))
        .collect();
    let about = |role: &str| vec![Text::from(format!("role:{role}"))];
    let of_role = |name: &str| roles.role.iter().find(|role| role.role == name);
    let apart = |name: &str| of_role(name).is_some_and(|role| role.apart);
    let mut by_role: BTreeMap<&str, Vec<(&DefaultChoice, &Text)>> = BTreeMap::new();
    let mut not_set: FxHashSet<&str> = FxHashSet::default();
    for choice in asked {
        let (role, asked) = (choice.role.clone(), choice.asked.clone());
        if let Some(application) = &choice.application {
            by_role.entry(&choice.role).or_default().push((choice, application));
        }
        let asked_by_type = of_role(&choice.role).is_none_or(|role| !role.is_by_launcher());
        if !choice.sure && asked_by_type && choice.candidates.len() > 1 && not_set.insert(&choice.role) {
            let details = FindingDetails::NoDefault {
                role: role.clone(),
                asked: asked.clone(),
                candidates: choice.candidates.clone(),
            };
            found.add(details, about(&choice.role), &evidence_of(choice, tally));
        }
        let others = of_role(&choice.role).map(|role| &role.unlikely);
        let unlikely = choice.application.as_ref().filter(|_| !by_parent(choice)).and_then(|application| {
            let other = others?.iter().find(|other| primary.get(other.as_str()) == Some(&application))?;
            Some((application.clone(), other.clone()))
        });
        if let Some((application, other_role)) = unlikely {
            let details = FindingDetails::UnlikelyDefault { role, asked, application, other_role };
            found.add(details, about(&choice.role), &evidence_of(choice, tally));
        }
    }
    for (role, choices) in by_role {
        let openers: FxHashSet<&Text> = choices.iter().map(|(_, application)| *application).collect();
        if openers.len() > 1 && !apart(role) {
            let of = |(choice, by): &(&DefaultChoice, &Text)| TypeDefault {
                mime: choice.asked.clone(),
                application: (*by).clone(),
            };
            let details = FindingDetails::MixedDefaults {
                role: role.into(),
                defaults: choices.iter().map(of).collect(),
            };
            found.add(details, about(role), &evidence_of(choices[0].0, tally));
        }
    }
}

/// Apps that open what they can't decode, each once with all of that.
fn decoders(tally: &Tally, found: &mut Findings) {
    let mut by_app: BTreeMap<(&Text, &Text), Vec<Text>> = BTreeMap::new();
    for answer in tally.media.iter().filter(|answer| answer.verdict == MediaVerdict::NoDecoder) {
        if let (Some(application), Some(framework)) = (&answer.application, &answer.framework) {
            by_app.entry((application, framework)).or_default().push(answer.key.clone());
        }
    }
    for ((id, framework), media) in by_app {
        let Some(application) = tally.applications.iter().find(|one| one.id == *id) else { continue };
        let evidence = launcher_file(application, tally);
        let details = FindingDetails::NoDecoder {
            application: application.name.clone(),
            framework: framework.clone(),
            media,
        };
        found.add(details, vec![format!("application:{id}").into()], &evidence);
    }
}

/// Themes and icon sets that are set and not there: toolkits show another one then, and say nothing.
fn looks(tally: &Tally, found: &mut Findings) {
    for rule in &knowledge::settings().setting {
        let list = match rule.names {
            Some(NamedLook::Theme) => &tally.looks.themes,
            Some(NamedLook::IconSet) => &tally.looks.icon_sets,
            None => continue,
        };
        let Some(setting) = tally.settings.iter().find(|setting| setting.key == rule.key) else { continue };
        let is_there = list.iter().any(|look| setting.value == look.name)
            || rule.built_in.iter().any(|pattern| knowledge::matches(pattern, &setting.value));
        // Without any of them the source doesn't tell.
        if !is_there && !list.is_empty() {
            let details =
                FindingDetails::MissingLook { setting: rule.key.clone(), name: setting.value.text().clone() };
            found.add(details, vec![format!("setting:{}", rule.key).into()], &setting.evidence);
        }
    }
}

/// The file that decided a choice; where it was none, the launcher of the first candidate.
fn evidence_of(choice: &DefaultChoice, tally: &Tally) -> Evidence {
    // A folder whose launchers all had a say is no file.
    if let Some(file) = choice.decided.file.as_ref().filter(|place| !place.ends_with('/')) {
        return Evidence::file(file.clone());
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

fn packages(tally: &Tally, agents: &Agents, found: &mut Findings) {
    for package in &tally.packages {
        let name = || package.name.clone();
        let mut add = |details| found.add(details, about(package), &package.evidence);
        match package.state {
            State::Installed => {}
            State::Half => add(FindingDetails::HalfInstalled { package: name() }),
            State::RemovedConfig => {
                add(FindingDetails::RemovedLeftovers { package: name() });
                continue;
            }
            State::Removed => continue,
        }
        if package.in_no_repository {
            let version = package.version.clone();
            add(FindingDetails::InNoRepository { package: name(), version });
        }
        if package.kind == Kind::Transitional {
            add(FindingDetails::TransitionalPackage { package: name() });
        }
        // Its headers, manuals and translations report nothing, nor do libraries that are split off it.
        let inert = match package.kind {
            Kind::Development | Kind::Documentation | Kind::Language | Kind::Data | Kind::Artwork => true,
            Kind::Library => !package.name.starts_with("lib"),
            _ => false,
        };
        if let Some(purpose) = agents.does(package.plain_name()).filter(|_| !inert) {
            let summary = package.summary.clone();
            add(FindingDetails::ReportsHome { package: name(), purpose, summary });
        }
    }
    if let Some(part) = tally.parts.iter().find(|part| part.part == "installer") {
        let about = part.package.iter().map(|package| package.as_str().into()).collect();
        let details = FindingDetails::InstallerLeftBehind { installer: part.name.clone() };
        found.add(details, about, &part.evidence);
    }
}

fn startup_and_repositories(tally: &Tally, found: &mut Findings) {
    for item in tally.startup.iter().filter(|item| item.enabled && item.package.is_none()) {
        let details = FindingDetails::UnownedStartup { item: item.name.clone() };
        found.add(details, vec![format!("startup:{}", item.name).into()], &item.evidence);
    }
    for repository in tally.repositories.iter().filter(|r| r.enabled && r.official == Some(false)) {
        let details = FindingDetails::ForeignRepository {
            repository: repository.name.clone(),
            uri: repository.uri.text().clone(),
        };
        found.add(details, vec![format!("repository:{}", repository.name).into()], &repository.evidence);
    }
}

fn games(tally: &Tally, found: &mut Findings) {
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
    // Where sizes are not recorded they have one all the same, and nobody knows it.
    let installed_bytes = all.filter_map(|package| package.installed_bytes).reduce(u64::saturating_add);
    let details = FindingDetails::Games {
        games: games.iter().map(|game| game.name.clone()).collect(),
        installed_bytes,
    };
    found.add(details, games.iter().flat_map(|game| about(game)).collect(), &games[0].evidence);
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::derive::join_applications;
    use crate::model::samples::{launcher, tally};
    use crate::model::{FindingName, Look, PackageRef, Setting};
    use serde_json::json;

    fn choice(role: &str, asked: &str, candidates: &[&str], how: &str) -> DefaultChoice {
        let answer = if how.contains("none is chosen") { None } else { candidates.first() };
        let told = serde_json::json!({
            "role": role, "asked": asked, "application": answer, "candidates": candidates, "decided": how,
            "sure": candidates.len() < 2,
        });
        serde_json::from_value(told).unwrap()
    }

    /// What is found by a rule: its arguments as JSON, and the file that shows it.
    fn found(tally: &Tally, rule: FindingName) -> Vec<(serde_json::Value, String)> {
        let agents = Agents::built_in().unwrap();
        let all = derive_findings(tally, &agents, &Roles::built_in().unwrap());
        let of_rule = all.into_iter().filter(|finding| finding.name() == rule);
        of_rule.map(|finding| (arguments(&finding.details), finding.evidence.file.to_string())).collect()
    }

    fn arguments(details: &FindingDetails) -> serde_json::Value {
        let mut json = serde_json::to_value(details).unwrap();
        json.as_object_mut().unwrap().remove("finding");
        json
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
                "usr/share/applications/mimeinfo.cache: no default is set; the first of several",
            ),
        ];
        let told = found(&tally, FindingName::NoDefault);
        assert_eq!(told.len(), 1, "two terminals are no finding: nothing opens a type");
        assert_eq!(told[0].0["candidates"], json!(["weir", "reed"]));
        assert_eq!(told[0].1, "usr/share/applications/mimeinfo.cache");
    }

    #[test]
    fn a_theme_that_is_set_and_not_there_is_told_unless_a_toolkit_has_it() {
        let mut tally = tally();
        let look = |name: &str| -> Look { serde_json::from_value(json!({ "name": name })).unwrap() };
        let set = |key: &str, value: &str| -> Setting {
            serde_json::from_value(json!({
                "key": key, "area": "looks", "value": value, "source": "set", "native": "",
                "evidence": { "file": "etc/set" },
            }))
            .unwrap()
        };
        tally.settings = vec![set("theme", "Reed"), set("icons", "Sedge")];
        assert!(found(&tally, FindingName::MissingLook).is_empty(), "a source without looks tells nothing");
        tally.looks.themes = vec![look("Fog")];
        tally.looks.icon_sets = vec![look("Sedge")];
        let told = found(&tally, FindingName::MissingLook);
        assert_eq!(told, [(json!({ "setting": "theme", "name": "Reed" }), "etc/set".to_owned())]);
        tally.looks.themes.push(look("Reed"));
        assert!(found(&tally, FindingName::MissingLook).is_empty());
        tally.settings = vec![set("theme", "Adwaita-dark"), set("icons", "Weir")];
        assert_eq!(
            found(&tally, FindingName::MissingLook)[0].0,
            json!({ "setting": "icons", "name": "Weir" })
        );
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
        let told = found(&tally, FindingName::MixedDefaults);
        let defaults = json!([
            {"type": "audio/flac", "application": "reed"},
            {"type": "audio/mpeg", "application": "weir"},
        ]);
        let expected = json!({"role": "music-player", "defaults": defaults});
        assert_eq!(told, [(expected, "usr/share/applications/mimeinfo.cache".to_owned())]);
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
                "usr/share/applications, MimeType of each launcher: the only one",
            ),
        ];
        tally.launchers = vec![launcher("slides", "slides")];
        tally.applications = join_applications(&tally.launchers, &[]);
        tally.defaults[5].launcher = Some("slides.desktop".into());
        let unlikely = |role: &str, asked: &str, application: &str, other: &str| json!({"role": role, "asked": asked, "application": application, "other_role": other});
        let why = unlikely("image-viewer", "image/png", "lapwing", "web-browser");
        let slides = unlikely("document-viewer", "application/pdf", "slides", "presentation");
        let launcher = "usr/share/applications/slides.desktop".to_owned();
        assert_eq!(
            found(&tally, FindingName::UnlikelyDefault),
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
        assert_eq!(
            said(FindingName::WebPageLauncher),
            [json!({"name": "help", "url": "https://marsh.example"})]
        );
        assert_eq!(said(FindingName::MissingProgram), [json!({"name": "sand", "program": "sand-gui"})]);
        assert_eq!(said(FindingName::TwoLaunchers), [json!({"name": "reed", "program": "reed", "count": 2})]);
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
        let why = json!({"name": "reed", "systems": ["dpkg", "flatpak"]});
        assert_eq!(
            found(&tally, FindingName::TwoFormats),
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
        assert_eq!(said(FindingName::HalfInstalled), [json!({"package": "half"})]);
        assert_eq!(said(FindingName::RemovedLeftovers), [json!({"package": "left"})]);
        assert_eq!(said(FindingName::InNoRepository), [json!({"package": "stray", "version": "1"})]);
        assert_eq!(said(FindingName::TransitionalPackage), [json!({"package": "renamed"})]);
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
        let told = found(&tally, FindingName::Games);
        assert_eq!(
            told[0].0,
            json!({"games": ["eelpot", "eelpot-levels"], "installed_bytes": 11_000_000}),
            "a companion counts once, whatever it is"
        );
        for package in &mut tally.packages {
            package.installed_bytes = None;
        }
        let told = found(&tally, FindingName::Games);
        assert_eq!(told[0].0["installed_bytes"], json!(null), "nobody knows their size");
    }
}
