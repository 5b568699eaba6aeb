//! Facts in, a tally out: everything that follows from what the readers found in one install.

use super::{Associations, choose_defaults, dead_defaults, derive_findings, join_applications, mark_roles};
use crate::history::{Past, Records};
use crate::knowledge::{
    Agents, Desktop, KindRules, PartRules, Probes, Roles, SettingRules, Traits, desktops, fold_companions,
    media,
};
use crate::model::{
    Application, Counts, Decided, DecidedBy, DefaultChoice, Finding, FindingDetails, Label, Launcher, Looks,
    Medium, MissingFact, Package, PackageRef, Phase, ReleaseHistory, Repository, Setting, SettingSource,
    ShippedChoice, StartupItem, Storage, Taken, Tally, Text, Unread,
};
use rayon::prelude::*;
use rustc_hash::FxHashMap;
use std::collections::BTreeMap;

/// What was found in one install, before anything is concluded from it.
#[derive(Debug)]
pub struct Facts {
    /// Program and version that reads.
    pub program: Text,
    /// When, from what, and what medium.
    pub taken: Taken,
    /// Whose install it is.
    pub label: Label,
    /// Packages of all systems, with their repositories and the phase `live-only` where a list on the medium says so.
    pub packages: Vec<Package>,
    /// What the files of each package show, in the same order; none where they are not known.
    pub traits: Vec<Option<Traits>>,
    /// Launchers, with the packages that own them.
    pub launchers: Vec<Launcher>,
    /// Startup items, with the packages that own them.
    pub startup: Vec<StartupItem>,
    /// Sessions, themes, wallpapers, fonts.
    pub looks: Looks,
    /// Settings.
    pub settings: Vec<Setting>,
    /// Files that prove a decoder or a driver.
    pub media_files: super::MediaFiles,
    /// Repositories.
    pub repositories: Vec<Repository>,
    /// What `mimeapps.list` files, caches and alternatives say.
    pub associations: Associations,
    /// When versions of programs and parts came out, as they say themselves.
    pub releases: Vec<ReleaseHistory>,
    /// Answers to what the rules for parts ask of files.
    pub probes: Probes,
    /// Logs of package systems, records of installers.
    pub records: Records,
    /// When files changed that no package owns, seconds since 1970 UTC.
    pub changed_at: BTreeMap<Text, i64>,
    /// The disk.
    pub storage: Storage,
    /// Findings that only the source itself shows.
    pub findings: Vec<Finding>,
    /// What could not be read.
    pub unread: Vec<Unread>,
    /// Facts that the source does not record.
    pub missing_facts: Vec<MissingFact>,
}

impl Facts {
    /// Nothing found yet.
    pub fn new(program: Text, taken: Taken, label: Label) -> Self {
        Self {
            program,
            taken,
            label,
            packages: Vec::new(),
            traits: Vec::new(),
            launchers: Vec::new(),
            startup: Vec::new(),
            looks: Looks::default(),
            settings: Vec::new(),
            media_files: super::MediaFiles::new(),
            repositories: Vec::new(),
            associations: Associations::default(),
            releases: Vec::new(),
            probes: Probes::new(),
            records: Records::default(),
            changed_at: BTreeMap::new(),
            storage: Storage::default(),
            findings: Vec::new(),
            unread: Vec::new(),
            missing_facts: Vec::new(),
        }
    }
}

/// The rules by which a tally is derived.
#[derive(Debug, Clone, Copy)]
pub struct Rules<'a> {
    /// Rules for parts.
    pub parts: &'a PartRules,
    /// Rules for kinds.
    pub kinds: &'a KindRules,
    /// Roles of default applications.
    pub roles: &'a Roles,
    /// Packages that report to their makers.
    pub agents: &'a Agents,
    /// Settings.
    pub settings: &'a SettingRules,
}

/// Tells what the project of the desktop sets itself from what the distribution sets.
fn settle_sources(tally: &mut Tally) {
    // Where none starts by itself settings are those of the first that can be chosen.
    let first = || tally.looks.sessions.iter().find_map(|one| desktops().called(one.desktop.as_deref()?));
    let Some(desktop) = session_desktop(tally).or_else(first) else { return };
    let by_package: FxHashMap<&str, &Package> =
        tally.packages.iter().map(|package| (package.name.as_str(), package)).collect();
    let distro = tally.label.distro_id.clone();
    for setting in &mut tally.settings {
        let owner = setting.set_by.as_ref().and_then(|owner| by_package.get(owner.name()));
        let of_project = owner.is_some_and(|package| {
            // What the packaging adds to a project's package is called like that package.
            let added = format!("_{}.gschema.override", package.name);
            // So is what bears the name of the distribution: a package, or a file that its packaging added.
            let file = setting.evidence.file.rsplit('/').next().unwrap_or_default();
            let mut words = package.source().split('-').chain(file.split(['-', '_', '.']));
            let branded = !distro.is_empty() && words.any(|word| word == distro);
            !branded
                && !setting.evidence.file.ends_with(&added)
                && desktops().is_of_project(desktop, package.source())
        });
        if setting.source == SettingSource::Set && of_project {
            setting.source = SettingSource::Desktop;
        }
    }
}

/// Derives the tally of an install from what was found in it.
pub fn tally(facts: Facts, rules: &Rules<'_>) -> Tally {
    let Facts { mut traits, associations, probes, records, changed_at, findings, media_files, .. } = facts;
    let mut tally = Tally::new(facts.program, facts.taken, facts.label);
    tally.packages = facts.packages;
    tally.launchers = facts.launchers;
    tally.startup = facts.startup;
    tally.looks = facts.looks;
    tally.settings = facts.settings;
    settle_sources(&mut tally);
    tally.repositories = facts.repositories;
    tally.releases = facts.releases;
    tally.storage = facts.storage;
    tally.unread = facts.unread;
    tally.missing_facts = facts.missing_facts;
    find_past(&mut tally, &records, &changed_at, &mut traits);
    let ready = rules.kinds.ready(&tally.launchers);
    tally
        .packages
        .par_iter_mut()
        .zip(&traits)
        .with_min_len(64)
        .for_each(|(package, traits)| ready.classify(package, *traits));
    drop(ready);
    fold_companions(&mut tally.packages);
    let (programs, parts) = rayon::join(
        || Programs::of(&tally, &associations, rules.roles),
        || rules.parts.apply(&tally.packages, &probes, session_desktop(&tally)),
    );
    (tally.applications, tally.defaults, tally.parts) = (programs.applications, programs.defaults, parts);
    if tally.taken.medium != Medium::Listing {
        tally.media = super::media::answers(&tally, media(), rules.roles, &associations, &media_files);
    }
    note_what_was_shipped(&mut tally, rules, associations, &probes);
    tally.findings = derive_findings(&tally, rules.agents, rules.roles);
    tally.findings.extend(programs.dead);
    tally.findings.sort_by(Finding::order);
    tally.findings.extend(findings);
    tally.counts = Counts::of(&tally.packages, &tally.launchers, &tally.applications);
    tally.sort();
    tally
}

/// What launchers and associations come to.
struct Programs {
    applications: Vec<Application>,
    defaults: Vec<DefaultChoice>,
    /// Defaults that name launchers of which none exists.
    dead: Vec<Finding>,
}

impl Programs {
    fn of(tally: &Tally, associations: &Associations, roles: &Roles) -> Self {
        let launchers = &tally.launchers;
        let mut applications = join_applications(launchers, &tally.packages);
        let defaults = choose_defaults(roles, associations, launchers, &applications);
        mark_roles(&mut applications, &defaults);
        let mut dead = dead_defaults(roles, associations, launchers);
        // The list that comes with a desktop names what that desktop prefers. It matters where nothing better was found.
        dead.retain(|finding| match &finding.details {
            FindingDetails::BrokenDefault { asked, .. }
                if finding.evidence.file.ends_with("-mimeapps.list") =>
            {
                let choice = defaults.iter().find(|choice| choice.asked == *asked);
                choice.is_some_and(|choice| choice.decided.by == DecidedBy::FirstOfSeveral)
            }
            _ => true,
        });
        Self { applications, defaults, dead }
    }
}

/// Whether it is not part of what was installed.
fn came_later(phase: Phase) -> bool {
    matches!(phase, Phase::AddedLater | Phase::LiveOnly)
}

/// Finds the install day, puts packages back that only logs know, and gives launchers, startup items and repositories the phase of
/// their package, or of their file where no package owns them.
fn find_past(
    tally: &mut Tally,
    records: &Records,
    changed_at: &BTreeMap<Text, i64>,
    traits: &mut Vec<Option<Traits>>,
) {
    crate::history::fill_times(records, &mut tally.packages);
    // A live session and an image have no install day: all in them is as shipped, whenever it was put there.
    let past = match tally.taken.medium {
        Medium::Installed => Past::of(records, &mut tally.packages),
        Medium::Live | Medium::Image | Medium::Listing => Past::default(),
    };
    let Past { day, ended, since, removed } = past;
    (tally.install_day, tally.since_install) = (day, since);
    let distro_id = tally.label.distro_id.clone();
    tally.packages.extend(removed.into_iter().map(|mut package| {
        package.purl = package.make_purl(&distro_id);
        package
    }));
    traits.resize(tally.packages.len(), None);
    if ended.is_none() && tally.packages.iter().all(|package| package.phase.is_shipped()) {
        return;
    }
    let mut phases: FxHashMap<PackageRef, Phase> = FxHashMap::default();
    for package in tally.packages.iter().filter(|package| package.is_present()) {
        let known = phases.entry(package.reference()).or_insert(package.phase);
        // Of several architectures one that was shipped is enough.
        if !came_later(package.phase) {
            *known = package.phase;
        }
    }
    let of_file = |file: &Text| match (ended, changed_at.get(file)) {
        (Some(ended), Some(changed)) if *changed > ended => Phase::AddedLater,
        _ => Phase::Shipped,
    };
    let phase = |package: Option<&PackageRef>, file: &Text| match package {
        Some(package) => phases.get(package).copied().filter(|of| came_later(*of)).unwrap_or(Phase::Shipped),
        None => of_file(file),
    };
    for launcher in &mut tally.launchers {
        launcher.phase = phase(launcher.package.as_ref(), &launcher.evidence.file);
    }
    for item in &mut tally.startup {
        item.phase = phase(item.package.as_ref(), &item.evidence.file);
    }
    for repository in tally.repositories.iter_mut().filter(|one| is_dropped_in(&one.evidence.file)) {
        repository.phase = of_file(&repository.evidence.file);
    }
}

/// Whether a file is in a folder of drop-ins: a main file is edited by hand and by installers; what was dropped in beside it was
/// added.
pub fn is_dropped_in(file: &str) -> bool {
    let folder = file.rsplit('/').nth(1);
    folder.is_some_and(|folder| ["sources.list.d", "repos.d", "yum.repos.d"].contains(&folder))
}

/// The desktop of the session that starts.
fn session_desktop(tally: &Tally) -> Option<&'static Desktop> {
    desktops().called(tally.looks.started()?.desktop.as_deref()?)
}

/// Answers as shipped, where what came later changed them.
fn note_what_was_shipped(
    tally: &mut Tally,
    rules: &Rules<'_>,
    mut associations: Associations,
    probes: &Probes,
) {
    if tally.packages.iter().any(|package| package.phase != Phase::Shipped) {
        let shipped: Vec<Package> =
            tally.packages.iter().filter_map(|package| package.as_shipped()).collect();
        let parts = rules.parts.apply(&shipped, probes, session_desktop(tally));
        tally.shipped_parts = (parts != tally.parts).then_some(parts);
    }
    let (shipped, later): (Vec<Launcher>, Vec<Launcher>) =
        tally.launchers.iter().cloned().partition(|launcher| launcher.phase.is_shipped());
    let removed: Vec<Text> = tally
        .packages
        .iter()
        .filter(|package| package.phase == Phase::RemovedLater && package.kind.may_have_programs())
        .map(|package| package.name.clone())
        .collect();
    if later.is_empty() && removed.is_empty() {
        return;
    }
    associations.without_programs_of(&later, &shipped);
    let applications = join_applications(&shipped, &tally.packages);
    let choices = choose_defaults(rules.roles, &associations, &shipped, &applications);
    for (found, shipped) in tally.defaults.iter_mut().zip(choices) {
        let DefaultChoice { application, launcher, mut decided, candidates, mut sure, .. } = shipped;
        // With a program its launcher went, and with that what it could open.
        if application.is_none() && !removed.is_empty() {
            decided = Decided::by(DecidedBy::RemovedSince { packages: removed.clone() });
            sure = false;
        }
        let same = found.application == application && found.candidates == candidates && found.sure == sure;
        if !same {
            if found.application != application {
                found.shipped_application.clone_from(&application);
            }
            found.shipped =
                Some(Box::new(ShippedChoice { application, launcher, decided, candidates, sure }));
        }
    }
}
