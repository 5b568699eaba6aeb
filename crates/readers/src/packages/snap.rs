//! Snaps: those of the seed, and those that `snapd` records as installed. See `docs/formats/snap.md`.

// Numbers of a database are a stranger's: each sum says what it does where it is too large.
#![cfg_attr(not(test), warn(clippy::arithmetic_side_effects))]

use super::{Embedded, Origin, Owners, PackageFacts, PackageReader, RepositoryFacts, WantedPaths};
use crate::logs::Clock;
use crate::text::{name_text, text, time_text};
use rustc_hash::FxHashMap;
use serde::Deserialize;
use serde::de::DeserializeOwned;
use smallvec::smallvec;
use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;
use tally_core::history::{Initial, SystemRecords};
use tally_core::knowledge::{Trait, Traits};
use tally_core::model::{
    Dependency, Evidence, Kind, KindFact, KindReason, Label, Package, Reason, Reduced, Repository, System,
    Text, Unread,
};
use tally_trees::{NodeKind, Squashfs, Tree, shielded};

const SEED: &str = "var/lib/snapd/seed/seed.yaml";
const SEED_FILES: &str = "var/lib/snapd/seed/snaps";
const STATE: &str = "var/lib/snapd/state.json";
const FILES: &str = "var/lib/snapd/snaps";
const LAUNCHERS: &str = "var/lib/snapd/desktop/applications/";

/// Largest `snap.yaml` and launcher that are read out of a snap.
const SMALL_FILE: u64 = 1 << 20;

/// The snap reader.
#[derive(Debug)]
pub struct Snap;

impl PackageReader for Snap {
    fn system(&self) -> System {
        System::Snap
    }

    fn paths(&self) -> &'static [&'static str] {
        // Entries of the menu are taken with all others; what snapd keeps of snaps has tokens beside it.
        &[]
    }

    fn page(&self) -> &'static str {
        "snap"
    }

    fn detect(&self, tree: &dyn Tree) -> bool {
        tree.exists(SEED) || tree.exists(STATE)
    }

    fn read(&self, tree: &dyn Tree) -> PackageFacts {
        let mut facts = PackageFacts::default();
        let mut records: BTreeMap<Text, Record> = BTreeMap::new();
        seeded(tree, &mut records, &mut facts.unread);
        installed(tree, &mut records, &mut facts.unread);
        let mut providers: BTreeSet<Text> = BTreeSet::new();
        for (name, record) in records {
            read_one(tree, &name, &record, &mut providers, &mut facts);
        }
        for package in &mut facts.packages {
            if package.kind == Kind::Unknown && providers.contains(&package.name) {
                platform(package, KindReason::of(KindFact::ContentSnap, None));
            }
        }
        // Without snapd no snap runs; where it came as a snap of its own, every other one stands on it.
        if facts.packages.iter().any(|package| package.name == "snapd") {
            for package in facts.packages.iter_mut().filter(|package| package.kind != Kind::Runtime) {
                package.depends.push(smallvec![Dependency { name: "snapd".into(), op: None, version: None }]);
            }
        }
        facts
    }

    fn scan_file_lists(&self, _: &dyn Tree, packages: &[Package], wanted: &WantedPaths) -> Owners {
        let mut owners = Owners::default();
        let snaps = || packages.iter().enumerate().filter(|(_, package)| package.system == System::Snap);
        for (at, package) in snaps() {
            if package.kind == Kind::Unknown {
                owners.shows(at, Traits::default().with(Trait::Programs));
            }
        }
        let by_name: FxHashMap<&[u8], usize> =
            snaps().map(|(at, package)| (package.name.as_bytes(), at)).collect();
        for path in wanted.paths() {
            let name =
                path.strip_prefix(LAUNCHERS.as_bytes()).and_then(|name| name.split(|b| *b == b'_').next());
            if let Some(at) = name.and_then(|name| by_name.get(name)) {
                owners.insert(path, *at);
            }
        }
        owners
    }

    /// Snaps come by channels; each channel in use counts as a repository of its own.
    fn repositories(&self, tree: &dyn Tree, packages: &[Package], _: &Label) -> RepositoryFacts {
        let channel =
            |package: &Package| package.repository.clone().filter(|_| package.system == System::Snap);
        let names: Vec<Text> =
            packages.iter().filter_map(channel).collect::<BTreeSet<_>>().into_iter().collect();
        let evidence = Evidence::file(if tree.exists(STATE) { STATE } else { SEED });
        let one = |name: &Text| Repository {
            phase: tally_core::model::Phase::Shipped,
            system: System::Snap,
            name: name.clone(),
            uri: Reduced::default(),
            suite: Some(name.clone()),
            components: Vec::new(),
            enabled: true,
            official: None,
            signed_by: None,
            packages: None,
            evidence: evidence.clone(),
        };
        let place = |(at, package): (usize, &Package)| {
            let repository = channel(package).and_then(|of| names.binary_search(&of).ok());
            (
                at,
                Origin { known: true, exact: repository.map(|repository| (repository, None)), section: None },
            )
        };
        let own = packages.iter().enumerate().filter(|(_, package)| package.system == System::Snap);
        RepositoryFacts {
            repositories: names.iter().map(one).collect(),
            origins: own.map(place).collect(),
            unread: Vec::new(),
            ..RepositoryFacts::default()
        }
    }

    fn history(
        &self,
        tree: &dyn Tree,
        packages: &[Package],
        _: &Clock,
        _: &mut Vec<Unread>,
    ) -> SystemRecords {
        initial(tree, packages)
    }
}

/// What seed or state say of a snap.
#[derive(Debug, Default)]
struct Record {
    revision: Option<Text>,
    channel: Option<Text>,
    kind: Option<Text>,
    /// Where its image is.
    file: String,
    evidence: &'static str,
}

#[derive(Deserialize)]
struct Seed {
    #[serde(default)]
    snaps: Vec<SeedSnap>,
}

#[derive(Deserialize)]
struct SeedSnap {
    name: String,
    #[serde(default)]
    channel: Option<String>,
    file: String,
}

fn seeded(tree: &dyn Tree, records: &mut BTreeMap<Text, Record>, unread: &mut Vec<Unread>) {
    let bytes = match tree.read(SEED) {
        Ok(bytes) => bytes,
        Err(error) if error.is_missing() => return,
        Err(error) => return unread.push(Unread::whole(SEED, error.why.to_string())),
    };
    let seed: Seed = match yaml(&bytes) {
        Ok(seed) => seed,
        Err(error) => {
            let (line, why) = error;
            let why = format!("is not a seed: {why}");
            return unread.push(Unread { file: SEED.into(), line, why: Reduced::reason(&why) });
        }
    };
    for snap in seed.snaps {
        if snap.file.contains('/') {
            unread.push(Unread::whole(SEED, format!("names a file elsewhere: {}", snap.file)));
            continue;
        }
        let revision = snap.file.strip_suffix(".snap").and_then(|stem| stem.rsplit_once('_'));
        let record = Record {
            revision: revision.and_then(|(_, revision)| numbered(revision)),
            channel: snap.channel.map(Text::from),
            kind: None,
            file: format!("{SEED_FILES}/{}", snap.file),
            evidence: SEED,
        };
        records.insert(snap.name.into(), record);
    }
}

/// A revision: a number, with an `x` before it where the snap came from no store.
fn numbered(revision: &str) -> Option<Text> {
    let digits = revision.strip_prefix('x').unwrap_or(revision);
    let is_number = !digits.is_empty() && digits.bytes().all(|byte| byte.is_ascii_digit());
    is_number.then(|| revision.into())
}

#[derive(Deserialize)]
struct State {
    data: StateData,
}

#[derive(Deserialize)]
struct StateData {
    #[serde(default)]
    snaps: BTreeMap<String, StateSnap>,
}

#[derive(Deserialize)]
struct StateSnap {
    #[serde(default, rename = "type")]
    kind: Option<String>,
    #[serde(default)]
    active: bool,
    #[serde(default)]
    current: Option<String>,
    #[serde(default)]
    channel: Option<String>,
}

fn installed(tree: &dyn Tree, records: &mut BTreeMap<Text, Record>, unread: &mut Vec<Unread>) {
    let bytes = match tree.read(STATE) {
        Ok(bytes) => bytes,
        Err(error) if error.is_missing() => return,
        Err(error) => return unread.push(Unread::whole(STATE, error.why.to_string())),
    };
    let state: State = match serde_json::from_slice(&bytes) {
        Ok(state) => state,
        Err(error) => {
            let line = u32::try_from(error.line()).ok();
            let why = format!("is not the state of snapd: {error}");
            return unread.push(Unread { file: STATE.into(), line, why: Reduced::reason(&why) });
        }
    };
    // Once there is a state, the seed only tells what was; a snap removed since is gone.
    if !state.data.snaps.is_empty() {
        records.clear();
    }
    for (name, snap) in state.data.snaps.into_iter().filter(|(_, snap)| snap.active) {
        let Some(current) = snap.current.filter(|current| !current.contains('/')) else { continue };
        let record = Record {
            file: format!("{FILES}/{name}_{current}.snap"),
            revision: Some(current.into()),
            channel: snap.channel.map(Text::from),
            kind: snap.kind.map(Text::from),
            evidence: STATE,
        };
        records.insert(name.into(), record);
    }
}

/// What the seed names, once there is a state: it is what was shipped. Of a snap that was refreshed since, the image of the
/// seed tells the version.
fn initial(tree: &dyn Tree, packages: &[Package]) -> SystemRecords {
    let mut records: BTreeMap<Text, Record> = BTreeMap::new();
    seeded(tree, &mut records, &mut Vec::new());
    if records.is_empty() || !packages.iter().any(|package| package.evidence.file == STATE) {
        return SystemRecords::default();
    }
    let mut now: BTreeMap<Text, Record> = BTreeMap::new();
    installed(tree, &mut now, &mut Vec::new());
    let one = |(name, record): (Text, Record)| {
        let same = now.get(&name).is_some_and(|current| current.revision == record.revision);
        let version = || {
            let inside = open(tree, &name, &record).ok()?;
            let meta = meta(&*inside.tree, &inside.place, &mut Vec::new());
            let read = meta.version.as_ref().and_then(scalar).map(Text::from);
            read.or_else(|| record.revision.clone())
        };
        let version = if same { None } else { shielded(version).ok().flatten() };
        Initial { name, arch: Text::default(), version }
    };
    SystemRecords { initial: Some(records.into_iter().map(one).collect()), ..SystemRecords::default() }
}

/// A program of a snap.
#[derive(Debug, Default, Deserialize)]
struct App {
    /// Its AppStream component.
    #[serde(default, rename = "common-id")]
    common_id: Option<String>,
}

/// The keys of `meta/snap.yaml` that a tally needs.
#[derive(Debug, Default, Deserialize)]
struct Meta {
    #[serde(default)]
    version: Option<serde_norway::Value>,
    #[serde(default)]
    summary: Option<String>,
    #[serde(default)]
    license: Option<String>,
    #[serde(default, rename = "type")]
    kind: Option<String>,
    #[serde(default)]
    base: Option<String>,
    #[serde(default)]
    apps: BTreeMap<String, App>,
    #[serde(default)]
    architectures: Vec<serde_norway::Value>,
    #[serde(default)]
    plugs: BTreeMap<String, Option<serde_norway::Value>>,
}

fn read_one(
    tree: &dyn Tree,
    name: &Text,
    record: &Record,
    providers: &mut BTreeSet<Text>,
    facts: &mut PackageFacts,
) {
    let revision = record.revision.clone().unwrap_or_default();
    let mut package = Package::new(System::Snap, name.as_str(), revision.as_str());
    package.repository = record.channel.clone();
    package.evidence = Evidence::file(record.evidence);
    let node = tree.node(Path::new(&record.file), true).ok();
    package.installed_bytes = node.map(|node| node.size);
    package.installed_at = node.and_then(|node| time_text(node.changed_at));
    let read = || {
        let inside = open(tree, name, record)?;
        let meta = meta(&*inside.tree, &inside.place, &mut facts.unread);
        launchers(&*inside.tree, &inside.place, name, facts);
        Ok(meta)
    };
    let meta = shielded(read).flatten().unwrap_or_else(|why| {
        // A file that is not there may be called anything.
        let file = if node.is_some() { record.file.as_str() } else { record.evidence };
        facts.unread.push(Unread::whole(file, why));
        Meta::default()
    });
    if let Some(version) = meta.version.as_ref().and_then(scalar) {
        package.version = version.into();
    }
    package.summary = meta.summary.as_deref().map(|summary| text(summary.as_bytes())).unwrap_or_default();
    package.license = meta.license.clone().map(Text::from);
    // By its component the same program is known wherever it comes from.
    let ids = meta.apps.values().filter_map(|app| app.common_id.as_deref());
    for id in ids.map(|id| Text::from(id.strip_suffix(".desktop").unwrap_or(id))) {
        if package.provides.iter().all(|known| known.name != id) {
            package.provides.push(Dependency { name: id, op: None, version: None });
        }
    }
    package.arch = match &meta.architectures[..] {
        [one] => scalar(one).unwrap_or_default().into(),
        _ => Text::default(),
    };
    let kind = record.kind.as_deref().or(meta.kind.as_deref()).unwrap_or("app");
    package.section = kind.into();
    if kind != "app" || name == "snapd" {
        platform(&mut package, KindReason::of(KindFact::SnapType, Some(kind.into())));
    }
    depend(&mut package, &meta, providers);
    package.reason = if package.kind == Kind::Runtime { Reason::Dependency } else { Reason::Explicit };
    package.upstream_version = package.version.clone();
    facts.packages.push(package);
}

/// A base is below every snap that names none; content comes from whom a plug names as its provider.
fn depend(package: &mut Package, meta: &Meta, providers: &mut BTreeSet<Text>) {
    let mut needs: Vec<Text> = Vec::new();
    if package.kind != Kind::Runtime {
        needs.push(meta.base.as_deref().unwrap_or("core").into());
    }
    for plug in meta.plugs.values().flatten() {
        let provider = plug.get("default-provider").and_then(|provider| provider.as_str());
        // An old form names the slot behind a colon.
        if let Some(provider) = provider.and_then(|name| name.split(':').next()) {
            providers.insert(provider.into());
            needs.push(provider.into());
        }
    }
    needs.dedup();
    package.depends =
        needs.into_iter().map(|name| smallvec![Dependency { name, op: None, version: None }]).collect();
}

fn platform(package: &mut Package, because: KindReason) {
    package.kind = Kind::Runtime;
    package.kind_because = because;
}

fn scalar(value: &serde_norway::Value) -> Option<String> {
    match value {
        serde_norway::Value::String(text) => Some(text.clone()),
        serde_norway::Value::Number(number) => Some(number.to_string()),
        _ => None,
    }
}

/// A snap opened: its image, or the folder it is mounted on.
struct Inside<'t> {
    tree: Box<dyn Tree + 't>,
    /// How its files are named in a tally.
    place: String,
}

fn open<'t>(tree: &'t dyn Tree, name: &str, record: &Record) -> Result<Inside<'t>, String> {
    let mounted = format!("snap/{name}/current");
    match tree.open(Path::new(&record.file)) {
        Ok(image) => match Squashfs::open(image) {
            Ok(image) => Ok(Inside { tree: Box::new(image), place: record.file.clone() }),
            Err(error) => Err(error.to_string()),
        },
        Err(_) if tree.exists(format!("{mounted}/meta/snap.yaml")) => {
            Ok(Inside { tree: Box::new(Below { tree, folder: mounted.clone() }), place: mounted })
        }
        Err(error) => Err(error.why.to_string()),
    }
}

fn meta(inside: &dyn Tree, at: &str, unread: &mut Vec<Unread>) -> Meta {
    let file = format!("{at}//meta/snap.yaml");
    let mut bytes = Vec::new();
    if let Err(error) = inside.read_into(Path::new("meta/snap.yaml"), SMALL_FILE, &mut bytes) {
        unread.push(Unread::whole(file, error.why.to_string()));
        return Meta::default();
    }
    yaml(&bytes).unwrap_or_else(|(line, why)| {
        unread.push(Unread { file: file.into(), line, why: Reduced::reason(&why) });
        Meta::default()
    })
}

/// Reads a YAML document; else the line, where it is known, and what is wrong there.
fn yaml<T: DeserializeOwned>(bytes: &[u8]) -> Result<T, (Option<u32>, String)> {
    let read = shielded(|| serde_norway::from_slice(bytes)).map_err(|why| (None, why))?;
    read.map_err(|error: serde_norway::Error| {
        (error.location().and_then(|at| u32::try_from(at.line()).ok()), error.to_string())
    })
}

/// Launchers inside a snap; `snapd` exports them as `NAME_LAUNCHER.desktop` when it sets the snap up.
fn launchers(inside: &dyn Tree, at: &str, name: &str, facts: &mut PackageFacts) {
    for entry in inside.names("meta/gui") {
        let file = name_text(&entry.name);
        if entry.kind != NodeKind::File || !file.ends_with(".desktop") {
            continue;
        }
        let mut bytes = Vec::new();
        let path = format!("meta/gui/{file}");
        match inside.read_into(Path::new(&path), SMALL_FILE, &mut bytes) {
            Ok(()) => facts.embedded.push(Embedded {
                id: format!("{name}_{file}").into(),
                file: format!("{at}//{path}"),
                bytes,
                owner: name.into(),
                system: System::Snap,
            }),
            Err(error) => facts.unread.push(Unread::whole(format!("{at}//{path}"), error.why.to_string())),
        }
    }
}

/// A folder of a tree, seen as a tree of its own; links are still resolved from the root of the whole.
struct Below<'t> {
    tree: &'t dyn Tree,
    folder: String,
}

impl Below<'_> {
    fn at(&self, path: &Path) -> std::path::PathBuf {
        Path::new(&self.folder).join(path.strip_prefix("/").unwrap_or(path))
    }
}

impl Tree for Below<'_> {
    fn node(&self, path: &Path, follow_last: bool) -> Result<tally_trees::Node, tally_trees::TreeError> {
        self.tree.node(&self.at(path), follow_last)
    }

    fn list(&self, path: &Path) -> Result<Vec<tally_trees::Entry>, tally_trees::TreeError> {
        self.tree.list(&self.at(path))
    }

    fn read_into(&self, path: &Path, limit: u64, buffer: &mut Vec<u8>) -> Result<(), tally_trees::TreeError> {
        self.tree.read_into(&self.at(path), limit, buffer)
    }

    fn open(&self, path: &Path) -> Result<Box<dyn tally_trees::ReadAt>, tally_trees::TreeError> {
        self.tree.open(&self.at(path))
    }

    fn read_link(&self, path: &Path) -> Result<std::path::PathBuf, tally_trees::TreeError> {
        self.tree.read_link(&self.at(path))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use tally_trees::MemoryTree;

    /// A snap as `snapd` has it mounted, so that its image need not be there.
    fn mounted(tree: MemoryTree, name: &str, meta: &str) -> MemoryTree {
        tree.file(format!("snap/{name}/7/meta/snap.yaml"), meta).link(format!("snap/{name}/current"), "7")
    }

    #[test]
    fn what_snapd_has_installed_wins_over_the_seed() {
        let state = r#"{"data":{"snaps":{
            "lapwing":{"type":"app","active":true,"current":"7","channel":"latest/stable"},
            "marsh-themes":{"type":"app","active":true,"current":"7","channel":"latest/stable"},
            "off":{"type":"app","current":"2"}}}}"#;
        let tree = MemoryTree::new()
            .file(SEED, "snaps:\n  - name: gone\n    file: gone_1.snap\n")
            .file(STATE, state);
        let tree = mounted(
            tree,
            "lapwing",
            "version: 121.0\nsummary: web browser\nbase: core24\nplugs:\n  home:\n  themes:\n    default-provider: marsh-themes:gtk\n",
        );
        let tree = mounted(tree, "marsh-themes", "version: '3'\n")
            .file("snap/lapwing/7/meta/gui/lapwing.desktop", "[Desktop Entry]\nName=Lapwing\nExec=lapwing\n");
        let facts = Snap.read(&tree as &dyn Tree);
        assert_eq!(facts.unread, []);
        let said: Vec<(&str, &str, Kind, usize)> =
            facts.packages.iter().map(|p| (&*p.name, &*p.version, p.kind, p.depends.len())).collect();
        assert_eq!(
            said,
            [("lapwing", "121.0", Kind::Unknown, 2), ("marsh-themes", "3", Kind::Runtime, 1)],
            "the provider of content is platform; neither the inactive one nor the seed's counts"
        );
        assert_eq!(facts.embedded[0].id, "lapwing_lapwing.desktop");
        let repositories = Snap.repositories(&tree as &dyn Tree, &facts.packages, &Label::default());
        assert_eq!(repositories.repositories.len(), 1);
    }

    #[test]
    fn nonsense_is_named_with_its_line() {
        let seed = MemoryTree::new().file(SEED, "snaps:\n  - name: x\n    file: ../../x.snap\n");
        assert!(Snap.read(&seed as &dyn Tree).unread[0].why.contains("names a file elsewhere"));
        let torn = MemoryTree::new().file(SEED, "snaps:\n  - name: [\n");
        assert!(Snap.read(&torn as &dyn Tree).unread[0].line.is_some());
        let state = MemoryTree::new().file(STATE, "{\n\"data\": 3}");
        assert_eq!(Snap.read(&state as &dyn Tree).unread[0].line, Some(2));
    }
}
