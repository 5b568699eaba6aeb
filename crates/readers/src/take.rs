//! One pass over a tree: all readers, one tally.

use crate::history;
use crate::label::{self, LabelFacts, Overrides};
use crate::launchers::{self, LauncherFacts};
use crate::medium::OnMedium;
use crate::packages::{self, Owners, PackageFacts, PackageSystem, RepositoryFacts, Wanted};
use crate::timed::timed;
use crate::{defaults, left_out, listings, looks, parts, sessions, startup, storage};
use rayon::prelude::*;
use rustc_hash::FxHashMap;
use std::collections::BTreeSet;
use std::io::BufRead;
use std::path::Path;
use tally_core::derive::{
    Associations, choose_defaults, dead_defaults, derive_findings, join_applications, mark_roles,
};
use tally_core::knowledge::{Agents, KindRules, PartRules, Probes, Roles, Traits, fold_companions};
use tally_core::model::{
    Application, Counts, Decided, DecidedBy, DefaultChoice, Dependency, Finding, InstallDayHow, Label,
    Launcher, Look, Looks, Medium, MissingFact, Package, PackageRef, Phase, ShippedChoice, StartupItem,
    System, Taken, Tally, Text, Unread,
};
use tally_trees::{NodeKind, Tree, Watched};

/// What the caller decides of a tally.
#[derive(Debug)]
pub struct TakeOptions<'a> {
    /// Program and version that writes the tally.
    pub program: Text,
    /// When, from what, and what medium.
    pub taken: Taken,
    /// Label fields given by hand.
    pub overrides: Overrides,
    /// The last moment of the install day, seconds since 1970 UTC, where somebody knows it.
    pub installed: Option<i64>,
    /// What lies beside the install, where it is on a medium.
    pub on_medium: OnMedium,
    /// Rules for parts.
    pub rules: &'a PartRules,
    /// Rules for kinds.
    pub kinds: &'a KindRules,
    /// Roles of default applications.
    pub roles: &'a Roles,
    /// Packages that report to somebody elsewhere.
    pub agents: &'a Agents,
}

/// Why there is no tally at all.
#[derive(Debug, thiserror::Error)]
pub enum TakeError {
    /// The tree holds neither a release file nor a package database.
    #[error("contains no install: there is neither a release file nor a package database")]
    NoInstall,
    /// A package database is there, and most of it can't be read.
    #[error(
        "has a {system} package database that is mostly unreadable ({lost} of {} records): `{}` {}",
        lost + packages, first.file, first.why
    )]
    DatabaseUnread {
        /// The package system.
        system: System,
        /// Records that can't be read.
        lost: usize,
        /// Packages that can.
        packages: usize,
        /// The first thing that can't be read.
        first: Unread,
    },
    /// The file is no list of packages in any format that is known.
    #[error("is not a tally, a package list or a bill of materials")]
    NoListing,
    /// It can't be read.
    #[error("can't be read: {0}")]
    Unreadable(#[from] std::io::Error),
}

/// Reads an install.
///
/// # Errors
/// [`TakeError::NoInstall`]; everything less is noted under `unread` in the tally.
pub fn take(tree: &dyn Tree, options: &TakeOptions<'_>) -> Result<Tally, TakeError> {
    let watched = Watched::new(tree);
    let mut tally = read_all(&watched, options)?;
    note_failures(&watched, &mut tally.unread);
    tally.unread.sort();
    tally.unread.dedup();
    Ok(tally)
}

/// Adds what could not be read and no reader has named itself.
fn note_failures(watched: &Watched<'_>, unread: &mut Vec<Unread>) {
    let (failed, more) = watched.failed();
    let known: BTreeSet<Text> = unread.iter().map(|one| one.file.clone()).collect();
    let failed = failed.into_iter().map(|one| (Text::from(one.path.to_string_lossy()), one.why));
    let new = failed.filter(|(file, _)| !known.contains(file)).map(|(file, why)| Unread::whole(file, why));
    unread.extend(new);
    if more > 0 {
        unread.push(Unread::whole("", format!("{more} more files could not be read")));
    }
}

fn read_all(tree: &dyn Tree, options: &TakeOptions<'_>) -> Result<Tally, TakeError> {
    let label = label::read(tree);
    let (systems, mut menu) = rayon::join(|| read_systems(tree), || Menu::read(tree));
    let (systems, mut found) = systems?;
    if systems.is_empty() && !label.found {
        return Err(TakeError::NoInstall);
    }
    let mut tally = Tally::new(options.program.clone(), options.taken.clone(), label.label.clone());
    tally.unread.extend(left_out::read(tree));
    menu.embed(&mut found);
    collect(&mut tally, label, found, &options.overrides, options.rules);
    let past = || history::read(tree, &systems, &tally.packages, options.installed);
    let (records, unread) = timed("the past", past);
    tally.unread.extend(unread);
    history::fill_times(&records, &mut tally.packages);
    // A live session and an image have no install day: all in them is as shipped, whenever it was put there.
    let past = match tally.taken.medium {
        Medium::Installed => history::apply(&records, &mut tally.packages),
        _ => history::Past::default(),
    };
    options.on_medium.mark(&mut tally.packages);
    let (owned, repositories) = rayon::join(
        || own(tree, &systems, &tally.packages, &menu),
        || read_repositories(tree, &systems, &tally.packages, &tally.label),
    );
    let mut traits = owned.1.traits(tally.packages.len());
    provide_needed_files(&mut tally.packages, &owned.0, &owned.1);
    attach(&mut tally, menu, owned);
    place(&mut tally, &systems, repositories);
    remember(tree, &mut tally, past, &mut traits);
    let desktops = sessions::current_desktops(&tally.looks.sessions, tally.looks.default_session.as_deref());
    let Tally { packages, launchers, .. } = &mut tally;
    let ((associations, unread), ()) = rayon::join(
        || timed("associations", || defaults::read(tree, &desktops, launchers, options.roles)),
        || timed("kinds", || classify(packages, launchers, options.kinds, &traits)),
    );
    tally.unread.extend(unread);
    fold_companions(&mut tally.packages);
    let (programs, (parts, probes)) = rayon::join(
        || Programs::of(&tally, &associations, options.roles),
        || {
            let probes = parts::probe(tree, options.rules);
            (options.rules.apply(&tally.packages, &probes), probes)
        },
    );
    (tally.applications, tally.defaults, tally.parts) = (programs.applications, programs.defaults, parts);
    note_what_was_shipped(&mut tally, options, associations, &probes);
    tally.storage = storage::read(tree);
    finish(&mut tally, options.agents, programs.dead);
    tally.findings.extend(options.on_medium.disagreements(&tally.packages));
    Ok(tally)
}

/// Reads a list of packages, or a bill of materials, from its start on. It tells less than an install: what it does not tell is noted under
/// `missing_facts`.
///
/// # Errors
/// [`TakeError::NoListing`] and [`TakeError::Unreadable`]; lines that are none of it are noted under `unread`.
pub fn take_listing(list: impl BufRead, options: TakeOptions<'_>) -> Result<Tally, TakeError> {
    let listing = listings::read_from(list)?.ok_or(TakeError::NoListing)?;
    let mut tally = Tally::new(options.program, options.taken, listing.label.clone());
    tally.install_day.how = InstallDayHow::Listing;
    let label = LabelFacts { label: listing.label, found: true, unread: listing.unread };
    let facts = PackageFacts {
        native_arch: packages::native_arch(&listing.packages, &[], "all"),
        packages: listing.packages,
        missing: listing.missing,
        ..PackageFacts::default()
    };
    collect(&mut tally, label, vec![facts], &options.overrides, options.rules);
    let traits = vec![None; tally.packages.len()];
    classify(&mut tally.packages, &tally.launchers, options.kinds, &traits);
    fold_companions(&mut tally.packages);
    tally.parts = options.rules.apply(&tally.packages, &Probes::new());
    finish(&mut tally, options.agents, Vec::new());
    Ok(tally)
}

/// What launchers and associations come to.
struct Programs {
    applications: Vec<Application>,
    defaults: Vec<DefaultChoice>,
    /// Defaults that lead nowhere.
    dead: Vec<Finding>,
}

impl Programs {
    fn of(tally: &Tally, associations: &Associations, roles: &Roles) -> Self {
        let launchers = &tally.launchers;
        let mut applications = join_applications(launchers, &tally.packages);
        let defaults = choose_defaults(roles, associations, launchers, &applications);
        mark_roles(&mut applications, &defaults);
        Self { applications, defaults, dead: dead_defaults(roles, associations, launchers) }
    }
}

/// What the tree says beside its package databases: looks, launchers, startup items.
struct Menu {
    looks: Looks,
    launchers: LauncherFacts,
    startup: Vec<StartupItem>,
}

impl Menu {
    fn read(tree: &dyn Tree) -> Self {
        let looks = timed("looks and sessions", || looks::read(tree));
        let desktops = sessions::current_desktops(&looks.sessions, looks.default_session.as_deref());
        let launchers = timed("launchers", || launchers::read(tree, &desktops));
        Self { launchers, startup: timed("startup", || startup::read(tree, &desktops)), looks }
    }

    /// Adds the launchers that package systems found inside packages.
    fn embed(&mut self, found: &mut [PackageFacts]) {
        let desktops =
            sessions::current_desktops(&self.looks.sessions, self.looks.default_session.as_deref());
        for facts in found {
            self.launchers.embed(std::mem::take(&mut facts.embedded), &desktops);
        }
    }

    /// Every file whose owner is asked for.
    fn files(&self) -> impl Iterator<Item = &str> {
        let launchers = self.launchers.launchers.iter().map(|launcher| launcher.evidence.file.as_str());
        let startup = self.startup.iter().map(|item| item.evidence.file.as_str());
        launchers
            .chain(startup)
            .chain(self.looks.sessions.iter().map(|session| session.evidence.file.as_str()))
            .chain(looks_of(&self.looks).map(|look| look.evidence.file.as_str()))
    }
}

/// Themes, icon sets, wallpapers and fonts.
fn looks_of(looks: &Looks) -> impl Iterator<Item = &Look> {
    [&looks.themes, &looks.icon_sets, &looks.wallpapers, &looks.fonts].into_iter().flatten()
}

/// Package systems, and what each of them says.
type Systems = (Vec<&'static dyn PackageSystem>, Vec<PackageFacts>);

/// A list of packages of which most is missing is worse than none: who reads it would say that an install lacks what it has.
fn is_worth_having(system: System, facts: &PackageFacts, watched: &Watched<'_>) -> Result<(), TakeError> {
    let failed = watched.failed().0;
    let (lost, packages) = (failed.len().max(facts.unread.len()), facts.packages.len());
    if system.is_sandbox() || lost <= packages {
        return Ok(());
    }
    let first =
        facts.unread.first().cloned().or_else(|| {
            failed.first().map(|one| Unread::whole(one.path.to_string_lossy(), one.why.as_str()))
        });
    first.map_or(Ok(()), |first| Err(TakeError::DatabaseUnread { system, lost, packages, first }))
}

/// The systems that are here, and what each of them says.
fn read_systems(tree: &dyn Tree) -> Result<Systems, TakeError> {
    let read = |system: &'static dyn PackageSystem| {
        let own = Watched::new(tree);
        let facts = timed(&format!("packages of {}", system.system()), || system.read(&own));
        is_worth_having(system.system(), &facts, &own)?;
        tracing::info!(packages = facts.packages.len(), unread = facts.unread.len(), "{}", system.system());
        Ok((system, facts))
    };
    packages::present(tree).map(read).collect::<Result<Vec<_>, _>>().map(|read| read.into_iter().unzip())
}

fn collect(
    tally: &mut Tally,
    label: LabelFacts,
    found: Vec<PackageFacts>,
    overrides: &Overrides,
    rules: &PartRules,
) {
    tally.unread.extend(label.unread);
    for facts in found {
        tally.label.arch = tally.label.arch.take().or(facts.native_arch);
        // Nearly always there is one system, and nothing to move.
        if tally.packages.is_empty() {
            tally.packages = facts.packages;
        } else {
            tally.packages.extend(facts.packages);
        }
        tally.unread.extend(facts.unread);
        tally.missing_facts.extend(facts.missing);
    }
    // A database may have lost them, or never had any; that nothing weighs anything is no answer.
    let unweighed = tally.packages.iter().all(|package| package.installed_bytes.is_none());
    if unweighed && !tally.packages.is_empty() && !tally.lacks(MissingFact::Sizes) {
        tally.missing_facts.push(MissingFact::Sizes);
    }
    let distro_id = tally.label.distro_id.clone();
    tally
        .packages
        .par_iter_mut()
        .with_min_len(64)
        .for_each(|package| package.purl = package.make_purl(&distro_id));
    if tally.label.edition.is_none() {
        let edition = label::edition_from_packages(&tally.packages, &distro_id);
        tally.label.edition = edition.map(|edition| rules.spelt(&edition).unwrap_or(edition));
    }
    overrides.apply(&mut tally.label);
    tally.label.handle = tally.label.natural_handle();
}

/// Files that packages need by their paths, as rpm allows.
fn needed_files(packages: &[Package]) -> impl Iterator<Item = &Text> {
    let needs = packages.iter().flat_map(|package| package.depends.iter().chain(&package.recommends));
    needs.flatten().map(|need| &need.name).filter(|name| name.starts_with('/'))
}

/// Writes down that the owners of such files provide them: what needs what is then told by names alone.
fn provide_needed_files(packages: &mut [Package], wanted: &Wanted, owners: &Owners) {
    let needed: BTreeSet<Text> = needed_files(packages).cloned().collect();
    for file in needed {
        if let Some(owner) = owners.of(wanted, file.as_bytes()).and_then(|at| packages.get_mut(at))
            && owner.provides.iter().all(|known| known.name != file)
        {
            owner.provides.push(Dependency { name: file, op: None, version: None });
        }
    }
}

/// Owners of the launchers' files.
fn own(
    tree: &dyn Tree,
    systems: &[&'static dyn PackageSystem],
    packages: &[Package],
    menu: &Menu,
) -> (Wanted, Owners) {
    let merged = tree.node(Path::new("lib"), false).is_ok_and(|node| node.kind == NodeKind::Link);
    let mut wanted = Wanted::new(merged);
    menu.files().for_each(|file| wanted.add(file.as_bytes()));
    needed_files(packages).for_each(|file| wanted.add(file.as_bytes()));
    let mut owners = Owners::default();
    for system in systems {
        let survey = || system.survey(tree, packages, &wanted);
        owners.absorb(timed(&format!("lists of files of {}", system.system()), survey));
    }
    (wanted, owners)
}

fn attach(tally: &mut Tally, menu: Menu, (wanted, owners): (Wanted, Owners)) {
    let owner = |file: &str| {
        let at = owners.of(&wanted, file.as_bytes())?;
        tally.packages.get(at).map(Package::reference)
    };
    tally.looks = menu.looks;
    for session in &mut tally.looks.sessions {
        session.package = owner(&session.evidence.file);
    }
    let looks = &mut tally.looks;
    for list in [&mut looks.themes, &mut looks.icon_sets, &mut looks.wallpapers, &mut looks.fonts] {
        list.iter_mut().for_each(|look| look.package = owner(&look.evidence.file));
    }
    tally.startup = menu.startup;
    for item in &mut tally.startup {
        item.package = owner(&item.evidence.file);
    }
    tally.unread.extend(menu.launchers.unread);
    if !menu.launchers.programs_known {
        tally.missing_facts.push(MissingFact::Programs);
    }
    tally.launchers = menu.launchers.launchers;
    let mut by_name: FxHashMap<(System, &str), &Package> = FxHashMap::default();
    for package in &tally.packages {
        by_name.entry((package.system, &package.name)).or_insert(package);
    }
    for launcher in &mut tally.launchers {
        let owner = match &launcher.package {
            Some(known) => known.parts().and_then(|named| by_name.get(&named).copied()),
            None => {
                owners.of(&wanted, launcher.evidence.file.as_bytes()).and_then(|at| tally.packages.get(at))
            }
        };
        if let Some(owner) = owner {
            launcher.package = Some(owner.reference());
            launcher.version = Some(owner.upstream_version.clone());
            launcher.format = Some(owner.system);
            // What a sandbox brings lies inside it; the command of its launcher is only the way in.
            if owner.system.is_sandbox() {
                launcher.program_present = Some(true);
            }
        }
    }
    tally.unread.extend(owners.unread);
}

/// Whether it is not part of what was installed.
fn came_later(phase: Phase) -> bool {
    matches!(phase, Phase::AddedLater | Phase::LiveOnly)
}

/// Writes down the install day, puts packages back that only logs know, and marks launchers, startup items and repositories
/// that came later: with their package, or as files that no package owns.
fn remember(tree: &dyn Tree, tally: &mut Tally, past: history::Past, traits: &mut Vec<Option<Traits>>) {
    let history::Past { day, ended, since, removed } = past;
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
    let phase = |package: Option<&PackageRef>, file: &str| match package {
        Some(package) => phases.get(package).copied().filter(|of| came_later(*of)).unwrap_or(Phase::Shipped),
        None => history::phase_of_file(tree, file, ended),
    };
    for launcher in &mut tally.launchers {
        launcher.phase = phase(launcher.package.as_ref(), &launcher.evidence.file);
    }
    for item in &mut tally.startup {
        item.phase = phase(item.package.as_ref(), &item.evidence.file);
    }
    // A main file is edited by hand and by installers; what was dropped in beside it was added.
    let is_dropped_in = |file: &str| {
        Path::new(file).parent().is_some_and(|folder| {
            folder.ends_with("sources.list.d")
                || folder.ends_with("repos.d")
                || folder.ends_with("yum.repos.d")
        })
    };
    for repository in tally.repositories.iter_mut().filter(|one| is_dropped_in(&one.evidence.file)) {
        repository.phase = history::phase_of_file(tree, &repository.evidence.file, ended);
    }
}

/// Answers as shipped, where what came later changed them.
fn note_what_was_shipped(
    tally: &mut Tally,
    options: &TakeOptions<'_>,
    mut associations: Associations,
    probes: &Probes,
) {
    if tally.packages.iter().any(|package| package.phase != Phase::Shipped) {
        let shipped: Vec<Package> =
            tally.packages.iter().filter_map(|package| package.as_shipped()).collect();
        let parts = options.rules.apply(&shipped, probes);
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
    let choices = choose_defaults(options.roles, &associations, &shipped, &applications);
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

fn read_repositories(
    tree: &dyn Tree,
    systems: &[&'static dyn PackageSystem],
    packages: &[Package],
    label: &Label,
) -> Vec<RepositoryFacts> {
    let read = |system: &&'static dyn PackageSystem| {
        let repositories = || system.repositories(tree, packages, label);
        timed(&format!("repositories of {}", system.system()), repositories)
    };
    systems.iter().map(read).collect()
}

fn place(tally: &mut Tally, systems: &[&'static dyn PackageSystem], repositories: Vec<RepositoryFacts>) {
    for (system, mut facts) in systems.iter().zip(repositories) {
        facts.place(system.system(), &mut tally.packages);
        tally.repositories.extend(facts.repositories);
        tally.unread.extend(facts.unread);
    }
}

/// Kinds, by as many threads as there are: each package stands for itself.
fn classify(packages: &mut [Package], launchers: &[Launcher], kinds: &KindRules, traits: &[Option<Traits>]) {
    let ready = kinds.ready(launchers);
    packages
        .par_iter_mut()
        .zip(traits)
        .with_min_len(64)
        .for_each(|(package, traits)| ready.classify(package, *traits));
}

fn finish(tally: &mut Tally, agents: &Agents, dead: Vec<Finding>) {
    tally.findings = derive_findings(tally, agents);
    tally.findings.extend(dead);
    tally.findings.sort_by(Finding::order);
    tally.counts = Counts::of(&tally.packages, &tally.launchers, &tally.applications);
    tally.sort();
}
