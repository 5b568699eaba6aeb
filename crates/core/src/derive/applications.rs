use crate::model::{Application, DefaultChoice, Delivery, Does, Launcher, Package, PackageRef, System, Text};
use rustc_hash::FxHashMap;
use std::collections::BTreeMap;

/// The identifier of the application behind a launcher: its ID without ending and reverse-DNS prefix, lower case.
///
/// ```
/// use tally_core::derive::application_id;
/// assert_eq!(application_id("org.marsh.Inkcap.desktop"), "inkcap");
/// assert_eq!(application_id("estuary-writer.desktop"), "estuary-writer");
/// assert_eq!(application_id("lapwing_lapwing.desktop"), "lapwing"); // as snaps name theirs
/// ```
pub fn application_id(launcher_id: &str) -> Text {
    let stem = launcher_id.strip_suffix(".desktop").unwrap_or(launcher_id);
    let stem = match stem.split_once('_') {
        Some((instance, program)) if instance == program => instance,
        _ => stem,
    };
    let mut parts = stem.split('.');
    let reverse_dns =
        parts.next().is_some_and(|first| (2..=4).contains(&first.len()) && !first.contains('-'))
            && parts.clone().count() >= 2;
    let last = if reverse_dns { parts.next_back().unwrap_or(stem) } else { stem };
    Text::from(last.to_lowercase())
}

/// Joins shown launchers into applications, by identifier.
///
/// Launchers of one package that start the same program are one application; the same identifier delivered by
/// several packages is one application with several deliveries. Web pages, settings pages, links and actions
/// are launchers, but no applications.
pub fn join_applications(launchers: &[Launcher], packages: &[Package]) -> Vec<Application> {
    let by_ref: FxHashMap<PackageRef, &Package> =
        packages.iter().filter(|p| p.is_present()).map(|p| (p.reference(), p)).collect();
    let mut groups: BTreeMap<(Option<&PackageRef>, &str), Vec<&Launcher>> = BTreeMap::new();
    for launcher in launchers.iter().filter(|l| l.shown && l.does == Does::Program) {
        let program = launcher.runs.as_deref().unwrap_or(&launcher.id);
        groups.entry((launcher.package.as_ref(), program)).or_default().push(launcher);
    }
    let mut applications: BTreeMap<Text, Application> = BTreeMap::new();
    for ((package, program), group) in groups {
        let Some(main) = main_launcher(&group, program) else { continue };
        let package = package.and_then(|reference| by_ref.get(reference).copied());
        let application =
            applications.entry(application_id(&main.id)).or_insert_with_key(|id| empty(id.clone(), main));
        application.launchers.extend(group.iter().map(|launcher| launcher.id.clone()));
        application.delivered.extend(package.map(delivery));
    }
    let mut companions: FxHashMap<(System, &str), u64> = FxHashMap::default();
    for package in packages.iter().filter(|p| p.is_present()) {
        if let Some(of) = &package.companion_of {
            let sum = companions.entry((package.system, of)).or_default();
            *sum = sum.saturating_add(package.installed_bytes.unwrap_or(0));
        }
    }
    applications.into_values().map(|application| finish(application, &companions)).collect()
}

/// The launcher that names a group: the one called like its program, else the shortest identifier.
fn main_launcher<'l>(group: &[&'l Launcher], program: &str) -> Option<&'l Launcher> {
    let own = |launcher: &&&Launcher| *application_id(&launcher.id) == *program.to_lowercase();
    let shortest = || group.iter().min_by_key(|launcher| (launcher.id.len(), &launcher.id));
    group.iter().find(own).or_else(shortest).copied()
}

fn empty(id: Text, main: &Launcher) -> Application {
    Application {
        id,
        name: main.name.clone(),
        version: None,
        menu: main.menu,
        roles: Vec::new(),
        delivered: Vec::new(),
        launchers: Vec::new(),
        bytes: None,
    }
}

fn delivery(package: &Package) -> Delivery {
    Delivery {
        system: package.system,
        package: package.name.clone(),
        version: package.version.clone(),
        bytes: package.installed_bytes,
    }
}

fn finish(mut application: Application, companions: &FxHashMap<(System, &str), u64>) -> Application {
    application.launchers.sort();
    application.launchers.dedup();
    application.delivered.sort_by(|a, b| (a.system, &a.package).cmp(&(b.system, &b.package)));
    application.delivered.dedup();
    application.version = application
        .delivered
        .first()
        .map(|d| Text::from(crate::systems::upstream(d.system, &d.version)))
        .filter(|version| !version.is_empty());
    let own: Option<u64> =
        application.delivered.iter().try_fold(0_u64, |sum, d| Some(sum.saturating_add(d.bytes?)));
    let beside = application
        .delivered
        .iter()
        .filter_map(|d| companions.get(&(d.system, d.package.as_str())))
        .fold(0, |sum: u64, bytes| sum.saturating_add(*bytes));
    application.bytes = own.map(|own| own.saturating_add(beside));
    application
}

/// Writes into each application the roles that it can take: those in whose questions it answers or could answer.
pub fn mark_roles(applications: &mut [Application], defaults: &[DefaultChoice]) {
    let mut roles: FxHashMap<&str, Vec<&Text>> = FxHashMap::default();
    // Who opens one more type beside has no role by it.
    for choice in defaults.iter().filter(|choice| !choice.also || !choice.asked.contains('/')) {
        for candidate in &choice.candidates {
            roles.entry(candidate).or_default().push(&choice.role);
        }
    }
    for application in applications {
        let mut taken: Vec<Text> =
            roles.get(application.id.as_str()).into_iter().flatten().map(|role| (*role).clone()).collect();
        taken.sort();
        taken.dedup();
        application.roles = taken;
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::samples;

    fn launcher(id: &str, runs: &str, package: &str) -> Launcher {
        let name = id.trim_end_matches(".desktop");
        let package = Some(PackageRef::new(System::Dpkg, package));
        Launcher { package, format: Some(System::Dpkg), ..samples::launcher(name, runs) }
    }

    #[test]
    fn one_program_of_one_package_is_one_application() {
        let mut package = Package::new(System::Dpkg, "causeway", "4.2-1");
        package.installed_bytes = Some(10);
        let launchers = [
            launcher("causeway-rename.desktop", "causeway", "causeway"),
            launcher("causeway.desktop", "causeway", "causeway"),
        ];
        let applications = join_applications(&launchers, &[package]);
        assert_eq!(applications.len(), 1);
        assert_eq!(
            (applications[0].id.as_str(), applications[0].version.as_deref()),
            ("causeway", Some("4.2"))
        );
        assert_eq!((applications[0].launchers.len(), applications[0].bytes), (2, Some(10)));
    }

    #[test]
    fn roles_are_those_that_it_answers_or_could() {
        let launchers = [launcher("ink.desktop", "ink", "ink"), launcher("reed.desktop", "reed", "reed")];
        let mut applications = join_applications(&launchers, &[]);
        let choice = |role: &str, asked: &str, candidates: &[&str]| {
            let told = serde_json::json!({"role": role, "asked": asked, "application": candidates.first(), "candidates": candidates});
            serde_json::from_value::<DefaultChoice>(told).unwrap()
        };
        let defaults = [
            choice("text-editor", "text/plain", &["ink", "reed"]),
            choice("pictures", "image/png", &["ink"]),
            choice("pictures", "image/webp", &["ink"]),
            choice("music", "audio/flac", &[]),
        ];
        mark_roles(&mut applications, &defaults);
        let roles = |id: &str| &applications.iter().find(|one| one.id == id).unwrap().roles[..];
        assert_eq!(roles("ink"), ["pictures", "text-editor"]);
        assert_eq!(roles("reed"), ["text-editor"]);
    }

    #[test]
    fn two_deliveries_are_one_application() {
        let mut sandboxed = launcher("org.marsh.Inkcap.desktop", "org.marsh.Inkcap", "org.marsh.Inkcap");
        sandboxed.package = Some(PackageRef::new(System::Flatpak, "org.marsh.Inkcap"));
        let packages = [
            Package::new(System::Dpkg, "inkcap", "1-1"),
            Package::new(System::Flatpak, "org.marsh.Inkcap", "2"),
        ];
        let applications =
            join_applications(&[launcher("inkcap.desktop", "inkcap", "inkcap"), sandboxed], &packages);
        assert_eq!(applications.len(), 1);
        assert_eq!(applications[0].delivered.len(), 2);
        assert_eq!(applications[0].version.as_deref(), Some("1"));
    }

    #[test]
    fn pages_and_hidden_launchers_are_no_applications() {
        let mut page = launcher("page.desktop", "open", "x");
        page.does = Does::WebPage;
        let mut hidden = launcher("hidden.desktop", "hidden", "x");
        hidden.shown = false;
        assert!(join_applications(&[page, hidden], &[]).is_empty());
    }
}
