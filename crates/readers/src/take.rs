//! One pass over a tree: all readers, one tally.

use crate::history;
use crate::label::{self, LabelFacts, Overrides};
use crate::launchers::{self, LauncherFacts};
use crate::medium::OnMedium;
use crate::packages::{self, Owners, PackageFacts, PackageReader, RepositoryFacts, WantedPaths};
use crate::pictures::{self, Thumbnail};
use crate::settings::NewUser;
use crate::timed::timed;
use crate::{
    days, defaults, extensions, left_out, listings, looks, media, parts, sessions, settings, startup, storage,
};
use rayon::prelude::*;
use rustc_hash::{FxHashMap, FxHashSet};
use std::collections::{BTreeMap, BTreeSet};
use std::io::BufRead;
use std::path::Path;
use std::sync::Mutex;
use tally_core::derive::{self, Facts, Rules};
use tally_core::knowledge::{self, PartRules, SettingRules};
use tally_core::model::{
    Delivery, Dependency, InstallDayHow, Label, Look, Looks, Medium, MissingFact, Package, PackageRef,
    Reduced, Setting, StartupItem, System, Taken, Tally, Text, Unread,
};
use tally_core::offer::Catalog;
use tally_trees::{Nameless, NodeKind, Tree, Watched};

/// What the caller decides of a tally.
#[derive(Debug)]
pub struct TakeOptions<'a> {
    /// Program and version that writes the tally.
    pub program: Text,
    /// When, from what, and what medium.
    pub taken: Taken,
    /// Label fields given by hand.
    pub overrides: Overrides,
    /// The last moment of the install day, seconds since 1970 UTC, where someone knows it.
    pub installed: Option<i64>,
    /// What is beside the install, where it is on a medium.
    pub on_medium: OnMedium,
    /// The rules by which the tally is derived.
    pub rules: Rules<'a>,
    /// Whether the day of every package is read where that takes a file each; else those of programs and parts.
    pub all_dates: bool,
    /// Where thumbnails go; without it pictures are not read.
    pub thumbnails: Option<&'a Mutex<Vec<Thumbnail>>>,
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
    let nameless = Nameless::new(tree);
    let watched = Watched::new(&nameless);
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

/// Gathers the facts of all readers, and derives the tally from them.
fn read_all(tree: &dyn Tree, options: &TakeOptions<'_>) -> Result<Tally, TakeError> {
    let label = label::read(tree);
    let (systems, mut menu) = rayon::join(|| read_systems(tree), || Menu::read(tree, options.rules.settings));
    let (systems, mut found) = systems?;
    if systems.is_empty() && !label.found {
        return Err(TakeError::NoInstall);
    }
    let mut facts = Facts::new(options.program.clone(), options.taken.clone(), label.label.clone());
    let (left_out, never_taken) = left_out::read(tree);
    facts.unread.extend(left_out);
    facts.missing_facts.extend(never_taken);
    facts.unread.extend(extensions::read(tree));
    menu.embed(&mut found);
    days::fill(tree, &options.on_medium, &menu.launchers.system_releases, &mut facts.label);
    facts.releases = std::mem::take(&mut menu.launchers.releases);
    collect(&mut facts, label, found, &options.overrides, options.rules.parts);
    let past = || history::read(tree, &systems, &facts.packages, options.installed);
    let (records, unread) = timed("the past", past);
    facts.records = records;
    facts.unread.extend(unread);
    options.on_medium.mark(&mut facts.packages);
    let (owned, repositories) = rayon::join(
        || own(tree, &systems, &facts.packages, &menu),
        || read_repositories(tree, &systems, &facts.packages, &facts.label),
    );
    facts.traits = owned.1.traits(facts.packages.len());
    provide_needed_files(&mut facts.packages, &owned.0, &owned.1);
    let user = assign_owners(&mut facts, menu, owned);
    let catalogs = assign_repositories(&mut facts, &systems, repositories);
    facts.changed_at = changed_at(tree, &facts);
    let ((associations, unread), (probes, storage)) = rayon::join(
        || timed("associations", || defaults::read(tree, &user, &facts.launchers, options.rules.roles)),
        || (parts::probe(tree, options.rules.parts), storage::read(tree)),
    );
    facts.unread.extend(unread);
    facts.unread.extend(user.gsettings.unread());
    (facts.associations, facts.probes, facts.storage) = (associations, probes, storage);
    facts.findings = options.on_medium.disagreements(&facts.packages);
    let mut tally = timed("the tally", || derive::tally(facts, &options.rules));
    timed("days of packages", || fill_built(tree, &systems, &mut tally, options.all_dates));
    derive::note_help(&mut tally.media, knowledge::media(), &catalogs);
    if let Some(thumbnails) = options.thumbnails {
        tally.pictures = timed("pictures", || pictures::read(tree, &tally, thumbnails));
        own_pictures(tree, &systems, &mut tally);
    }
    let offer = |catalog: &Catalog| tally_core::offer::summary(&tally.packages, catalog);
    tally.offers = timed("the offer", || catalogs.iter().map(offer).collect());
    Ok(tally)
}

/// The day that packages were built, where no database says so: of programs and parts, or of all.
fn fill_built(tree: &dyn Tree, systems: &[&'static dyn PackageReader], tally: &mut Tally, all: bool) {
    let of_parts = tally.parts.iter().filter_map(|part| part.package.clone());
    let of_programs = tally.applications.iter().flat_map(|one| &one.delivered).map(Delivery::reference);
    let asked: FxHashSet<PackageRef> = of_parts.chain(of_programs).collect();
    tally.packages.par_iter_mut().filter(|one| one.built.is_none() && one.is_present()).for_each(|package| {
        if all || asked.contains(&package.reference()) {
            let system = systems.iter().find(|system| system.system() == package.system);
            package.built = system.and_then(|system| system.built(tree, package));
        }
    });
}

/// When files changed that no package owns, and repositories that were dropped in.
fn changed_at(tree: &dyn Tree, facts: &Facts) -> BTreeMap<Text, i64> {
    if facts.taken.medium != Medium::Installed {
        return BTreeMap::new();
    }
    let launchers = facts.launchers.iter().filter(|one| one.package.is_none()).map(|one| &one.evidence.file);
    let startup = facts.startup.iter().filter(|one| one.package.is_none()).map(|one| &one.evidence.file);
    let repositories = facts.repositories.iter().map(|one| &one.evidence.file);
    let repositories = repositories.filter(|file| derive::is_dropped_in(file));
    let time = |file: &Text| Some((file.clone(), tree.node(Path::new(file.as_str()), true).ok()?.changed_at));
    launchers.chain(startup).chain(repositories).filter_map(time).collect()
}

/// Reads a list of packages, or a bill of materials, from its start on. It tells less than an install: what it does not record is
/// noted under `missing_facts`.
///
/// # Errors
/// [`TakeError::NoListing`] and [`TakeError::Unreadable`]; lines that are none of it are noted under `unread`.
pub fn take_listing(list: impl BufRead, options: TakeOptions<'_>) -> Result<Tally, TakeError> {
    let listing = listings::read_from(list)?.ok_or(TakeError::NoListing)?;
    let mut facts = Facts::new(options.program, options.taken, listing.label.clone());
    let label = LabelFacts { label: listing.label, found: true, unread: listing.unread };
    let found = PackageFacts {
        native_arch: packages::native_arch(&listing.packages, &[]),
        packages: listing.packages,
        missing: listing.missing,
        ..PackageFacts::default()
    };
    collect(&mut facts, label, vec![found], &options.overrides, options.rules.parts);
    let mut tally = derive::tally(facts, &options.rules);
    tally.install_day.how = InstallDayHow::Listing;
    // A list asks no file, and so nothing of default apps.
    tally.defaults.clear();
    Ok(tally)
}

/// What the tree says beside its package databases: looks, launchers, startup items.
struct Menu<'t> {
    looks: Looks,
    launchers: LauncherFacts,
    startup: Vec<StartupItem>,
    settings: Vec<Setting>,
    /// Files that prove a decoder, by the patterns that ask for them.
    media: BTreeMap<Text, Text>,
    /// A new user, in the session that starts.
    user: NewUser<'t>,
}

impl<'t> Menu<'t> {
    fn read(tree: &'t dyn Tree, rules: &SettingRules) -> Self {
        let (sessions, start) = timed("sessions", || sessions::read_all(tree));
        let judged = sessions::judged_by(&sessions, &start);
        let scripts = judged.map(|session| session.scripts(tree)).unwrap_or_default();
        let user = NewUser::of(tree, judged.map(|file| &file.session), &scripts);
        let look = || {
            let mut looks = timed("looks", || looks::read(tree));
            looks::set(tree, &user, &mut looks);
            looks
        };
        let rest = || {
            let launchers = timed("launchers", || launchers::read(tree, &user.desktops));
            let startup = timed("startup", || startup::read(tree, &user));
            let settings = timed("settings", || settings::read(&user, rules));
            let media = timed("media", || media::probe(tree, knowledge::media()));
            (launchers, startup, settings, media)
        };
        let (mut looks, (launchers, startup, settings, media)) = rayon::join(look, rest);
        looks.sessions = sessions.into_iter().map(|file| file.session).collect();
        start.note(&mut looks);
        Self { launchers, startup, looks, settings, media, user }
    }

    /// Adds the launchers that package systems found inside packages.
    fn embed(&mut self, found: &mut [PackageFacts]) {
        for facts in found {
            self.launchers.embed(std::mem::take(&mut facts.embedded), &self.user.desktops);
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
            .chain(self.settings.iter().map(|setting| setting.evidence.file.as_str()))
            .chain(self.media.values().map(Text::as_str))
    }
}

/// Themes, icon sets, wallpapers and fonts.
fn looks_of(looks: &Looks) -> impl Iterator<Item = &Look> {
    [&looks.themes, &looks.icon_sets, &looks.wallpapers, &looks.fonts].into_iter().flatten()
}

/// Package systems, and what each of them says.
type Systems = (Vec<&'static dyn PackageReader>, Vec<PackageFacts>);

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
    let read = |system: &'static dyn PackageReader| {
        let own = Watched::new(tree);
        let facts = timed(&format!("packages of {}", system.system()), || system.read(&own));
        is_worth_having(system.system(), &facts, &own)?;
        tracing::info!(packages = facts.packages.len(), unread = facts.unread.len(), "{}", system.system());
        Ok((system, facts))
    };
    packages::present(tree).map(read).collect::<Result<Vec<_>, _>>().map(|read| read.into_iter().unzip())
}

fn collect(
    facts: &mut Facts,
    label: LabelFacts,
    found: Vec<PackageFacts>,
    overrides: &Overrides,
    rules: &PartRules,
) {
    facts.unread.extend(label.unread);
    for system in found {
        facts.label.arch = facts.label.arch.take().or(system.native_arch);
        // Nearly always there is one system, and nothing to move.
        if facts.packages.is_empty() {
            facts.packages = system.packages;
        } else {
            facts.packages.extend(system.packages);
        }
        facts.unread.extend(system.unread);
        let known = facts.missing_facts.clone();
        facts.missing_facts.extend(system.missing.into_iter().filter(|fact| !known.contains(fact)));
    }
    // A database may have lost them, or never had any; that nothing weighs anything is no answer.
    let unweighed = facts.packages.iter().all(|package| package.installed_bytes.is_none());
    if unweighed && !facts.packages.is_empty() && !facts.missing_facts.contains(&MissingFact::Sizes) {
        facts.missing_facts.push(MissingFact::Sizes);
    }
    let distro_id = facts.label.distro_id.clone();
    facts
        .packages
        .par_iter_mut()
        .with_min_len(64)
        .for_each(|package| package.purl = package.make_purl(&distro_id));
    if facts.label.edition.is_none() {
        let edition = label::edition_from_packages(&facts.packages, &distro_id);
        facts.label.edition = edition.map(|edition| rules.spelt(&edition).unwrap_or(edition));
    }
    overrides.apply(&mut facts.label);
    facts.label.handle = facts.label.natural_handle();
}

/// Files that packages need by their paths, as rpm allows.
fn needed_files(packages: &[Package]) -> impl Iterator<Item = &Text> {
    let needs = packages.iter().flat_map(|package| package.depends.iter().chain(&package.recommends));
    needs.flatten().map(|need| &need.name).filter(|name| name.starts_with('/'))
}

/// Writes down that the owners of such files provide them: what needs what is then told by names alone.
fn provide_needed_files(packages: &mut [Package], wanted: &WantedPaths, owners: &Owners) {
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
    systems: &[&'static dyn PackageReader],
    packages: &[Package],
    menu: &Menu<'_>,
) -> (WantedPaths, Owners) {
    let merged = tree.node(Path::new("lib"), false).is_ok_and(|node| node.kind == NodeKind::Link);
    let mut wanted = WantedPaths::new(merged);
    menu.files().for_each(|file| wanted.add(file.as_bytes()));
    needed_files(packages).for_each(|file| wanted.add(file.as_bytes()));
    let mut owners = Owners::default();
    for system in systems {
        let scan_file_lists = || system.scan_file_lists(tree, packages, &wanted);
        owners.absorb(timed(&format!("lists of files of {}", system.system()), scan_file_lists));
    }
    (wanted, owners)
}

/// Owners of pictures, which are known only when the applications are.
fn own_pictures(tree: &dyn Tree, systems: &[&'static dyn PackageReader], tally: &mut Tally) {
    let merged = tree.node(Path::new("lib"), false).is_ok_and(|node| node.kind == NodeKind::Link);
    let mut wanted = WantedPaths::new(merged);
    tally.pictures.iter().for_each(|picture| wanted.add(picture.evidence.file.as_bytes()));
    let mut owners = Owners::default();
    for system in systems {
        owners.absorb(system.scan_file_lists(tree, &tally.packages, &wanted));
    }
    for picture in &mut tally.pictures {
        let owner = owners.of(&wanted, picture.evidence.file.as_bytes());
        picture.package = owner.and_then(|at| tally.packages.get(at)).map(Package::reference);
    }
}

fn assign_owners<'t>(
    facts: &mut Facts,
    menu: Menu<'t>,
    (wanted, owners): (WantedPaths, Owners),
) -> NewUser<'t> {
    let owner = |file: &str| {
        let at = owners.of(&wanted, file.as_bytes())?;
        facts.packages.get(at).map(Package::reference)
    };
    facts.looks = menu.looks;
    for session in &mut facts.looks.sessions {
        session.package = owner(&session.evidence.file);
        sessions::by_package(session);
    }
    let looks = &mut facts.looks;
    for list in [&mut looks.themes, &mut looks.icon_sets, &mut looks.wallpapers, &mut looks.fonts] {
        list.iter_mut().for_each(|look| look.package = owner(&look.evidence.file));
    }
    let with_owner = |(pattern, file): (Text, Text)| {
        let package = owner(&file);
        (pattern, (file, package))
    };
    facts.media_files = menu.media.into_iter().map(with_owner).collect();
    facts.settings = menu.settings;
    for setting in &mut facts.settings {
        setting.set_by = owner(&setting.evidence.file);
    }
    facts.startup = menu.startup;
    for item in &mut facts.startup {
        item.package = owner(&item.evidence.file);
        // What no package brought may describe anything.
        if item.package.is_none() && !item.evidence.file.starts_with("usr/") {
            item.says = None;
            // Of the line that keeps it from starting the key says enough.
            item.off_because = item.off_because.as_ref().map(Reduced::key);
        }
    }
    facts.unread.extend(menu.launchers.unread);
    if !menu.launchers.programs_known {
        facts.missing_facts.push(MissingFact::Programs);
    }
    facts.launchers = menu.launchers.launchers;
    let mut by_name: FxHashMap<(System, &str), &Package> = FxHashMap::default();
    for package in &facts.packages {
        by_name.entry((package.system, &package.name)).or_insert(package);
    }
    for launcher in &mut facts.launchers {
        let owner = match &launcher.package {
            Some(known) => known.parts().and_then(|named| by_name.get(&named).copied()),
            None => {
                owners.of(&wanted, launcher.evidence.file.as_bytes()).and_then(|at| facts.packages.get(at))
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
    facts.unread.extend(owners.unread);
    menu.user
}

fn read_repositories(
    tree: &dyn Tree,
    systems: &[&'static dyn PackageReader],
    packages: &[Package],
    label: &Label,
) -> Vec<RepositoryFacts> {
    let read = |system: &&'static dyn PackageReader| {
        let repositories = || system.repositories(tree, packages, label);
        timed(&format!("repositories of {}", system.system()), repositories)
    };
    systems.iter().map(read).collect()
}

fn assign_repositories(
    facts: &mut Facts,
    systems: &[&'static dyn PackageReader],
    repositories: Vec<RepositoryFacts>,
) -> Vec<Catalog> {
    let mut catalogs = Vec::new();
    for (system, mut found) in systems.iter().zip(repositories) {
        found.place(system.system(), &mut facts.packages);
        facts.repositories.extend(found.repositories);
        facts.unread.extend(found.unread);
        if let Some(mut catalog) = found.catalog {
            facts.unread.append(&mut catalog.unread);
            catalogs.push(catalog);
        }
    }
    catalogs
}
