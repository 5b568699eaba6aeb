//! The story as data: packages, launchers, relations, installs.

use crate::WorldError;
use serde::Deserialize;
use std::collections::{BTreeMap, BTreeSet};

/// A row of the table of packages.
#[derive(Debug, Clone, Deserialize)]
struct PackageRow(String, String, String, String, u64, String, String, String);

/// A row of the table of launchers.
#[derive(Debug, Clone, Deserialize)]
pub(crate) struct LauncherRow(String, String, String, String, String, String, String);

#[derive(Deserialize)]
struct PackageTable {
    package: Vec<PackageRow>,
}

#[derive(Deserialize)]
struct LauncherTable {
    launcher: Vec<LauncherRow>,
}

#[derive(Deserialize)]
struct RelationTable {
    package: BTreeMap<String, Relations>,
}

#[derive(Deserialize)]
struct InstallTable {
    install: Vec<Install>,
    later: Vec<Install>,
}

/// A snap and the installs whose seed has it.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct SnapRow {
    installs: Vec<String>,
    pub(crate) name: String,
    pub(crate) version: String,
    pub(crate) revision: u32,
    pub(crate) kind: String,
    #[serde(default)]
    pub(crate) base: Option<String>,
    pub(crate) kib: u64,
    pub(crate) summary: String,
    #[serde(default)]
    pub(crate) launcher: Option<[String; 4]>,
}

/// A flatpak and the installs that have it.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct FlatpakRow {
    installs: Vec<String>,
    pub(crate) id: String,
    pub(crate) sort: String,
    pub(crate) branch: String,
    #[serde(default)]
    pub(crate) version: Option<String>,
    pub(crate) kib: u64,
    pub(crate) summary: String,
    #[serde(default)]
    pub(crate) runtime: Option<String>,
    #[serde(default)]
    pub(crate) launcher: Option<[String; 4]>,
}

/// An AppImage and the installs that have it.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct AppimageRow {
    installs: Vec<String>,
    pub(crate) file: String,
    pub(crate) id: String,
    pub(crate) version: String,
    pub(crate) launcher: [String; 4],
}

/// An update of a package, and the suite that brings it.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct UpdateRow {
    codename: String,
    pub(crate) suite: String,
    pub(crate) package: String,
    pub(crate) version: String,
    #[serde(default)]
    pub(crate) phased: Option<u8>,
}

/// A program of the flatpak remote.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct RemoteRow {
    pub(crate) id: String,
    pub(crate) name: String,
    pub(crate) summary: String,
    pub(crate) version: String,
}

/// What the archives have beside what is installed anywhere.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
struct Archive {
    package: Vec<PackageRow>,
    recommended_by: BTreeMap<String, String>,
    update: Vec<UpdateRow>,
    flatpak: Vec<RemoteRow>,
}

#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
struct Sandboxes {
    snap: Vec<SnapRow>,
    flatpak: Vec<FlatpakRow>,
    appimage: Vec<AppimageRow>,
}

/// What a package declares besides what it needs.
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(default, deny_unknown_fields)]
pub(crate) struct Relations {
    pub(crate) source: Option<String>,
    pub(crate) provides: Option<String>,
    pub(crate) replaces: Option<String>,
    pub(crate) conflicts: Option<String>,
    pub(crate) recommends: Option<String>,
    pub(crate) essential: bool,
}

/// One install of the world.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Install {
    /// Short name: `5.0-reedbed`.
    pub key: String,
    pub(crate) column: usize,
    pub(crate) version_id: String,
    pub(crate) codename: String,
    pub(crate) variant: String,
    pub(crate) support_end: String,
    pub(crate) chosen: Vec<String>,
    pub(crate) leftovers: Vec<String>,
    pub(crate) half: Vec<String>,
    #[serde(default)]
    closed: bool,
    #[serde(default)]
    extra: Vec<String>,
    /// Packages that its owner took out.
    #[serde(default)]
    without: Vec<String>,
    /// Packages whose launchers are not in the menu of this install.
    #[serde(default)]
    hidden: Vec<String>,
    /// Versions that came as updates, by package.
    #[serde(default)]
    updated: BTreeMap<String, String>,
}

/// A package as one install has it.
#[derive(Debug, Clone)]
pub(crate) struct Shipped<'w> {
    pub(crate) name: &'w str,
    pub(crate) version: &'w str,
    pub(crate) section: &'w str,
    pub(crate) kib: u64,
    pub(crate) shape: &'w str,
    /// Comma-separated; alternatives that this install lacks are left out.
    pub(crate) needs: String,
    pub(crate) summary: &'w str,
    pub(crate) relations: Relations,
    pub(crate) launchers: Vec<LauncherRow>,
    /// When its makers built it, seconds since 1970 UTC.
    pub(crate) built: u64,
    /// What it says of its own releases.
    pub(crate) component: Option<&'w ComponentRow>,
}

/// A component and its releases: versions and days.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct ComponentRow {
    package: String,
    pub(crate) id: String,
    pub(crate) launcher: String,
    pub(crate) releases: Vec<[String; 2]>,
}

#[derive(Deserialize)]
struct ComponentTable {
    component: Vec<ComponentRow>,
}

/// The days of the two releases, seconds since 1970 UTC: 2024-05-04 and 2026-05-04.
pub(crate) const RELEASED: [u64; 2] = [1_714_780_800, 1_777_852_800];

/// When a version was built: some time before the first release that has it, how long follows from its name, so that it is the same
/// every time. What came later was built five days after the last release.
fn built(source: &str, version: &str, old: &str, new: &str) -> u64 {
    const DAY: u64 = 86_400;
    if version != old && version != new {
        return RELEASED[1] + 5 * DAY;
    }
    let release = RELEASED[usize::from(version != old)];
    let sum = source
        .bytes()
        .chain(version.bytes())
        .fold(7_u64, |sum, byte| (sum * 31 + u64::from(byte)) % 1_000_003);
    // Most are a few months old, some a few years.
    let days = 12 + sum % 240 + if sum % 7 == 0 { 400 + sum % 1900 } else { 0 };
    release - days * DAY - sum % DAY
}

impl LauncherRow {
    /// The name in the menu.
    pub(crate) fn name(&self) -> &str {
        &self.2
    }

    pub(crate) fn file(&self) -> String {
        format!("usr/share/applications/{}.desktop", self.1)
    }

    pub(crate) fn content(&self) -> String {
        let LauncherRow(_, _, name, generic, categories, command, more) = self;
        let generic = if generic.is_empty() { String::new() } else { format!("GenericName={generic}\n") };
        let more = if more.is_empty() { String::new() } else { format!("{more}\n") };
        format!(
            "[Desktop Entry]\nType=Application\nName={name}\n{generic}Categories={categories}\nExec={command}\n{more}Icon={}\n",
            self.icon()
        )
    }

    /// The name of its icon: that of its program.
    pub(crate) fn icon(&self) -> String {
        self.program().unwrap_or_default()
    }

    /// The program behind the command, when the package brings it itself.
    pub(crate) fn program(&self) -> Option<String> {
        let word = self.5.split(' ').find(|word| *word != "pkexec")?;
        let name = word.rsplit('/').next()?;
        // The backup program of 5.0 was shipped without its graphical half.
        (!matches!(name, "xdg-open" | "sandbank-gui")).then(|| name.to_owned())
    }
}

/// Saltmarsh Linux and what it is made of.
#[derive(Debug, Clone)]
pub struct World {
    packages: Vec<PackageRow>,
    launchers: Vec<LauncherRow>,
    relations: BTreeMap<String, Relations>,
    installs: Vec<Install>,
    later: Vec<Install>,
    sandboxes: Sandboxes,
    archive: Archive,
    components: Vec<ComponentRow>,
}

impl World {
    /// The world inside the program.
    ///
    /// # Errors
    /// [`WorldError::Broken`] when its tables can't be read; the crate's tests rule that out.
    pub fn load() -> Result<Self, WorldError> {
        fn parse<T: serde::de::DeserializeOwned>(text: &str) -> Result<T, WorldError> {
            toml::from_str(text).map_err(|error| WorldError::Broken(error.to_string()))
        }
        let installs = parse::<InstallTable>(include_str!("releases.toml"))?;
        Ok(Self {
            packages: parse::<PackageTable>(include_str!("packages.toml"))?.package,
            launchers: parse::<LauncherTable>(include_str!("launchers.toml"))?.launcher,
            relations: parse::<RelationTable>(include_str!("relations.toml"))?.package,
            installs: installs.install,
            later: installs.later,
            sandboxes: parse::<Sandboxes>(include_str!("sandboxes.toml"))?,
            archive: parse::<Archive>(include_str!("archive.toml"))?,
            components: parse::<ComponentTable>(include_str!("metainfo.toml"))?.component,
        })
    }

    /// Every install, in the order of the story.
    pub fn installs(&self) -> &[Install] {
        &self.installs
    }

    /// An install as its owner had it a week later, if its story goes on.
    pub fn a_week_later(&self, key: &str) -> Option<&Install> {
        self.later.iter().find(|install| install.key == key)
    }

    /// The install of a short name.
    pub fn install(&self, key: &str) -> Option<&Install> {
        self.installs.iter().find(|install| install.key == key)
    }

    pub(crate) fn snaps(&self, install: &Install) -> Vec<&SnapRow> {
        self.sandboxes.snap.iter().filter(|snap| snap.installs.contains(&install.key)).collect()
    }

    pub(crate) fn flatpaks(&self, install: &Install) -> Vec<&FlatpakRow> {
        self.sandboxes.flatpak.iter().filter(|flatpak| flatpak.installs.contains(&install.key)).collect()
    }

    pub(crate) fn appimages(&self, install: &Install) -> Vec<&AppimageRow> {
        self.sandboxes.appimage.iter().filter(|image| image.installs.contains(&install.key)).collect()
    }

    /// What the archive of a release holds, by name: all that any of its editions has, and what none has.
    pub(crate) fn archive<'w>(&'w self, install: &'w Install) -> Vec<Shipped<'w>> {
        let there = |row: &&PackageRow| !(if install.column == 0 { &row.1 } else { &row.2 }).is_empty();
        let rows = self.packages.iter().chain(&self.archive.package).filter(there);
        let mut all: Vec<Shipped<'w>> = rows.map(|row| self.one(row, install)).collect();
        for (name, by) in &self.archive.recommended_by {
            if let Some(package) = all.iter_mut().find(|package| package.name == by) {
                let recommends = package.relations.recommends.get_or_insert_default();
                if !recommends.is_empty() {
                    recommends.push_str(", ");
                }
                recommends.push_str(name);
            }
        }
        all.sort_by(|a, b| a.name.cmp(b.name));
        all
    }

    /// What came to the archive of a release afterwards.
    pub(crate) fn updates(&self, install: &Install) -> Vec<&UpdateRow> {
        self.archive.update.iter().filter(|update| update.codename == install.codename).collect()
    }

    /// The programs of the flatpak remote.
    pub(crate) fn remote(&self) -> &[RemoteRow] {
        &self.archive.flatpak
    }

    /// The packages of an install, by name.
    pub(crate) fn shipped<'w>(&'w self, install: &'w Install) -> Vec<Shipped<'w>> {
        let version =
            |row: &PackageRow| -> usize { if install.column == 0 { row.1.len() } else { row.2.len() } };
        let elsewhere = |row: &PackageRow| {
            !install.extra.contains(&row.0) && self.installs.iter().any(|other| other.extra.contains(&row.0))
        };
        let mut shipped: Vec<Shipped<'w>> = self
            .packages
            .iter()
            .filter(|row| version(row) > 0 && !elsewhere(row) && !install.without.contains(&row.0))
            .map(|row| self.one(row, install))
            .collect();
        if install.closed {
            close(&mut shipped, &install.chosen);
        }
        shipped.sort_by(|a, b| a.name.cmp(b.name));
        shipped
    }

    fn one<'w>(&'w self, row: &'w PackageRow, install: &'w Install) -> Shipped<'w> {
        let PackageRow(name, old, new, section, kib, shape, needs, summary) = row;
        let here = |need: &str| {
            self.packages.iter().any(|other| {
                other.0 == need && !(if install.column == 0 { &other.1 } else { &other.2 }).is_empty()
            })
        };
        let group = |group: &str| -> String {
            group.split('|').filter(|need| here(need)).collect::<Vec<_>>().join(" | ")
        };
        let needs: Vec<String> = needs.split(", ").map(group).filter(|group| !group.is_empty()).collect();
        Shipped {
            name,
            version: install.updated.get(name).unwrap_or(if install.column == 0 { old } else { new }),
            section,
            kib: grown(*kib, old, new, install.column),
            shape,
            needs: needs.join(", "),
            summary,
            built: {
                let source = self.relations.get(name).and_then(|one| one.source.as_deref()).unwrap_or(name);
                let updated = install.updated.get(name);
                built(source, updated.unwrap_or(if install.column == 0 { old } else { new }), old, new)
            },
            component: self.components.iter().find(|one| one.package == *name),
            relations: self.relations.get(name).cloned().unwrap_or_default(),
            launchers: self.launchers_of(name, install.hidden.contains(name)),
        }
    }

    fn launchers_of(&self, package: &str, hidden: bool) -> Vec<LauncherRow> {
        let mut launchers: Vec<LauncherRow> =
            self.launchers.iter().filter(|launcher| launcher.0 == package).cloned().collect();
        for launcher in launchers.iter_mut().filter(|_| hidden) {
            launcher.6 = format!("{}\nNoDisplay=true", launcher.6).trim_start().to_owned();
        }
        launchers
    }
}

/// Leaves only what some packages need or recommend, directly or not.
fn close(packages: &mut Vec<Shipped<'_>>, chosen: &[String]) {
    let mut kept: BTreeSet<String> = BTreeSet::new();
    let mut queue: Vec<String> = chosen.to_vec();
    while let Some(name) = queue.pop() {
        if let Some(package) = packages.iter().find(|package| package.name == name)
            && kept.insert(name)
        {
            let recommends = package.relations.recommends.as_deref().unwrap_or_default();
            let named = format!("{}, {recommends}", package.needs);
            queue.extend(named.split([',', '|']).map(|need| need.trim().to_owned()));
        }
    }
    packages.retain(|package| kept.contains(package.name));
}

/// Programs grow with their versions: by how much follows from the digits, so that it is the same every time.
fn grown(kib: u64, old: &str, new: &str, column: usize) -> u64 {
    if column == 0 || old.is_empty() || old == new {
        return kib;
    }
    let digits: u64 = new.bytes().filter(u8::is_ascii_digit).map(|digit| u64::from(digit - b'0')).sum();
    kib * (96 + digits % 17) / 100
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_tables_fit_together() {
        let world = World::load().unwrap();
        let names: std::collections::BTreeSet<&str> =
            world.packages.iter().map(|row| row.0.as_str()).collect();
        assert_eq!(names.len(), world.packages.len(), "a package stands twice");
        for row in &world.packages {
            for need in row.6.split(", ").flat_map(|group| group.split('|')).filter(|need| !need.is_empty()) {
                assert!(names.contains(need), "{} needs {need}, which is nowhere", row.0);
            }
            let has_launcher = world.launchers.iter().any(|launcher| launcher.0 == row.0);
            assert_eq!(row.5 == "app", has_launcher, "{}: shape and launchers part", row.0);
        }
        for name in world.relations.keys() {
            assert!(names.contains(name.as_str()), "relations of {name}, which is nowhere");
        }
    }

    #[test]
    fn components_are_of_packages_and_the_newest_release_is_the_version_that_ships() {
        let world = World::load().unwrap();
        let install = world.install("5.0-reedbed").unwrap();
        let shipped = world.shipped(install);
        for component in &world.components {
            let package = shipped.iter().find(|package| package.name == component.package).unwrap();
            let newest = component.releases.last().unwrap();
            assert!(package.version.starts_with(newest[0].as_str()), "{}: {}", component.id, package.version);
            assert!(
                package.launchers.iter().any(|launcher| launcher.1 == component.launcher),
                "{}",
                component.id
            );
        }
        let late: Vec<&str> =
            shipped.iter().filter(|one| one.built >= RELEASED[1]).map(|one| one.name).collect();
        assert_eq!(late, [""; 0], "nothing is built after the release that ships it");
    }

    #[test]
    fn every_install_holds_a_real_number_of_packages() {
        let world = World::load().unwrap();
        for install in world.installs() {
            let shipped = world.shipped(install);
            let least = if install.closed { 45 } else { 150 };
            assert!(shipped.len() >= least, "{}: {} packages", install.key, shipped.len());
            for name in install.chosen.iter().chain(&install.leftovers).chain(&install.half) {
                assert!(shipped.iter().any(|package| package.name == name), "{}: {name}", install.key);
            }
        }
    }
}
