//! Flatpak applications and runtimes: the deployed folders below `var/lib/flatpak`. See `docs/formats/flatpak.md`.

// Numbers of a database are a stranger's: each sum says what it does where it is too large.
#![cfg_attr(not(test), warn(clippy::arithmetic_side_effects))]

use super::{Origin, Owners, PackageFacts, PackageReader, RepositoryFacts, WantedPaths};
use crate::gvariant::Variant;
use crate::keyfile::KeyFile;
use crate::logs::Clock;
use crate::text::{filled, name_text, text, time_text};
use crate::xml;
use rustc_hash::FxHashMap;
use smallvec::smallvec;
use std::collections::BTreeSet;
use std::path::Path;
use tally_core::history::SystemRecords;
use tally_core::knowledge::{Trait, Traits};
use tally_core::model::{
    Dependency, Evidence, Kind, KindFact, KindReason, Label, Package, Reason, Reduced, Repository, System,
    Text, Unread,
};
use tally_trees::{NodeKind, Tree, shielded};

const INSTALLATION: &str = "var/lib/flatpak";

/// The flatpak reader.
#[derive(Debug)]
pub struct Flatpak;

impl PackageReader for Flatpak {
    fn system(&self) -> System {
        System::Flatpak
    }

    fn paths(&self) -> &'static [&'static str] {
        &[
            "var/lib/flatpak/app */current */active */metadata */deploy */export/share/*",
            "var/lib/flatpak/runtime */active */metadata */deploy",
            "var/lib/flatpak/exports share/*",
        ]
    }

    fn page(&self) -> &'static str {
        "flatpak"
    }

    fn detect(&self, tree: &dyn Tree) -> bool {
        installations(tree)
            .iter()
            .any(|at| tree.is_folder(format!("{at}/app")) || tree.is_folder(format!("{at}/runtime")))
    }

    fn read(&self, tree: &dyn Tree) -> PackageFacts {
        let mut facts = PackageFacts::default();
        for at in installations(tree) {
            let pinned = pinned(tree, &at);
            for sort in ["app", "runtime"] {
                for deployed in deployed(tree, &format!("{at}/{sort}")) {
                    read_one(tree, sort, &deployed, &pinned, &mut facts);
                }
            }
        }
        facts
    }

    fn scan_file_lists(&self, _: &dyn Tree, packages: &[Package], wanted: &WantedPaths) -> Owners {
        let mut owners = Owners::default();
        for (at, package) in packages.iter().enumerate().filter(|(_, p)| p.system == System::Flatpak) {
            if package.kind == Kind::Unknown {
                owners.shows(at, Traits::default().with(Trait::Programs));
            }
        }
        let own = packages.iter().enumerate().filter(|(_, package)| package.system == System::Flatpak);
        let by_name: FxHashMap<&str, usize> = own.map(|(at, package)| (package.name.as_str(), at)).collect();
        for path in wanted.paths() {
            // A launcher is called like its application, or has something after another dot.
            let mut id = exported(path);
            while let Some(name) = id {
                if let Some(at) = by_name.get(name) {
                    owners.insert(path, *at);
                    break;
                }
                id = name.rsplit_once('.').map(|(shorter, _)| shorter);
            }
        }
        owners
    }

    fn repositories(&self, tree: &dyn Tree, packages: &[Package], _: &Label) -> RepositoryFacts {
        let mut facts = RepositoryFacts::default();
        for at in installations(tree) {
            let file = format!("{at}/repo/config");
            let Ok(bytes) = tree.read(&file) else { continue };
            for group in KeyFile::parse(&file, &bytes).groups() {
                let Some(name) = group.name().strip_prefix("remote \"").and_then(|n| n.strip_suffix('"'))
                else {
                    continue;
                };
                facts.repositories.push(Repository {
                    phase: tally_core::model::Phase::Shipped,
                    system: System::Flatpak,
                    name: name.into(),
                    uri: Reduced::address(&group.string("url").unwrap_or_default()),
                    suite: None,
                    components: Vec::new(),
                    enabled: !group.is_true("xa.disable"),
                    official: None,
                    signed_by: None,
                    packages: None,
                    evidence: Evidence::file(file.as_str()),
                });
            }
        }
        let names = facts.repositories.iter().enumerate().rev();
        let places: FxHashMap<&str, usize> = names.map(|(at, one)| (one.name.as_str(), at)).collect();
        let place = |package: &Package| places.get(package.repository.as_deref()?).copied();
        let own = packages.iter().enumerate().filter(|(_, package)| package.system == System::Flatpak);
        facts.origins = own
            .map(|(at, package)| {
                (at, Origin { known: true, exact: place(package).map(|at| (at, None)), section: None })
            })
            .collect();
        facts
    }

    fn history(&self, tree: &dyn Tree, _: &[Package], _: &Clock, _: &mut Vec<Unread>) -> SystemRecords {
        let mut first_seen = Vec::new();
        for at in installations(tree) {
            for sort in ["app", "runtime"] {
                for one in deployed(tree, &format!("{at}/{sort}")) {
                    // The folder of the architecture changes when a branch is added, and not with an update.
                    let node = tree.node(Path::new(&format!("{at}/{sort}/{}/{}", one.id, one.arch)), true);
                    first_seen.extend(node.ok().map(|node| (one.id.clone(), node.changed_at)));
                }
            }
        }
        SystemRecords { first_seen, ..SystemRecords::default() }
    }
}

/// The system's installation and those of the homes.
fn installations(tree: &dyn Tree) -> Vec<String> {
    let homes = tree.names("home").into_iter().filter(|entry| entry.kind == NodeKind::Folder);
    let homes = homes.map(|home| format!("home/{}/.local/share/flatpak", name_text(&home.name)));
    std::iter::once(INSTALLATION.to_owned()).chain(homes).filter(|at| tree.is_folder(at)).collect()
}

/// The identifier in the name of an exported launcher.
fn exported(path: &[u8]) -> Option<&str> {
    let path = std::str::from_utf8(path).ok()?;
    let (_, name) = path.split_once("flatpak/exports/share/applications/")?;
    name.strip_suffix(".desktop")
}

/// References that were installed on request, by `repo/config`.
fn pinned(tree: &dyn Tree, at: &str) -> BTreeSet<Text> {
    let file = format!("{at}/repo/config");
    let Ok(bytes) = tree.read(&file) else { return BTreeSet::new() };
    let config = KeyFile::parse(&file, &bytes);
    config.group("core").map(|core| core.list("xa.pinned").into_iter().collect()).unwrap_or_default()
}

struct Deployed {
    id: Text,
    arch: Text,
    branch: Text,
    folder: String,
}

/// Everything below `app` or `runtime` that has an `active` link: ID, architecture, branch.
fn deployed(tree: &dyn Tree, folder: &str) -> Vec<Deployed> {
    let below = |folder: &str| -> Vec<Text> {
        let names = tree.names(folder).into_iter().filter(|entry| entry.kind == NodeKind::Folder);
        names.map(|entry| name_text(&entry.name)).collect()
    };
    let mut found = Vec::new();
    for id in below(folder) {
        for arch in below(&format!("{folder}/{id}")) {
            for branch in below(&format!("{folder}/{id}/{arch}")) {
                let active = format!("{folder}/{id}/{arch}/{branch}/active");
                if tree.is_folder(&active) {
                    found.push(Deployed { id: id.clone(), arch: arch.clone(), branch, folder: active });
                }
            }
        }
    }
    found
}

fn read_one(tree: &dyn Tree, sort: &str, one: &Deployed, pinned: &BTreeSet<Text>, facts: &mut PackageFacts) {
    let Deployed { id, arch, branch, folder } = one;
    let mut package = Package::new(System::Flatpak, id.as_str(), branch.as_str());
    package.arch = arch.clone();
    package.section = sort.into();
    let file = format!("{folder}/deploy");
    package.evidence = Evidence::file(file.as_str());
    match tree.read(&file) {
        Ok(bytes) => match shielded(|| Deploy::decode(&bytes)).ok().flatten() {
            Some(deploy) => deploy.into(&mut package),
            None => facts.unread.push(Unread::whole(file, "is not a deployment record")),
        },
        Err(error) => facts.unread.push(Unread::whole(file, error.why.to_string())),
    }
    let application = sort == "app";
    if application && package.version == *branch {
        // Without a version from the deployment, what the application says of its own releases.
        if let Some(version) = released(tree, folder, id) {
            package.version = version;
        }
    }
    package.upstream_version = package.version.clone();
    let runtime = describe(tree, folder, application, &mut package, facts);
    if let Some(runtime) = runtime {
        let name = runtime.split('/').next().unwrap_or_default().into();
        package.depends.push(smallvec![Dependency { name, op: None, version: None }]);
    }
    let reference = format!("{sort}/{id}/{arch}/{branch}");
    let chosen = application || pinned.contains(reference.as_str());
    package.reason = if chosen { Reason::Explicit } else { Reason::Dependency };
    package.installed_at =
        tree.node(Path::new(folder), true).ok().and_then(|node| time_text(node.changed_at));
    facts.packages.push(package);
}

/// Reads the `metadata` file; returns the runtime that it needs.
fn describe(
    tree: &dyn Tree,
    folder: &str,
    application: bool,
    package: &mut Package,
    facts: &mut PackageFacts,
) -> Option<Text> {
    let file = format!("{folder}/metadata");
    let bytes = match tree.read(&file) {
        Ok(bytes) => bytes,
        Err(error) => {
            facts.unread.push(Unread::whole(file.as_str(), error.why.to_string()));
            Vec::new()
        }
    };
    let metadata = KeyFile::parse(&file, &bytes);
    if !application {
        let extended = metadata.group("ExtensionOf").and_then(|group| group.string("ref"));
        package.kind = Kind::Runtime;
        package.kind_because = match extended {
            Some(of) => KindReason::of(KindFact::ExtensionOf, Some(of)),
            None => KindReason::of(KindFact::SandboxRuntime, None),
        };
        return None;
    }
    metadata.group("Application").and_then(|group| group.string("runtime"))
}

/// What the `deploy` file says: a GVariant of type `(ssasta{sv})`.
#[derive(Debug, Default)]
struct Deploy {
    origin: Option<Text>,
    bytes: u64,
    version: Option<Text>,
    summary: Option<Text>,
    license: Option<Text>,
}

impl Deploy {
    /// Decodes the file; bad data shows as an origin that could be none. The installed size is big-endian.
    fn decode(bytes: &[u8]) -> Option<Self> {
        let items = Variant::new(b"(ssasta{sv})", bytes).items();
        let [origin, commit, _, size, extras] = items[..] else { return None };
        let (origin, commit) = (text(origin.text()?.as_bytes()), text(commit.text()?.as_bytes()));
        if origin.is_empty() || !commit.bytes().all(|byte| byte.is_ascii_hexdigit()) || commit.is_empty() {
            return None;
        }
        let bytes = size.word()?.swap_bytes();
        let mut deploy = Self { origin: filled(origin), bytes, ..Self::default() };
        for entry in extras.items() {
            let [key, value] = entry.items()[..] else { continue };
            let slot = match key.text() {
                Some("appdata-version") => &mut deploy.version,
                Some("appdata-summary") => &mut deploy.summary,
                Some("appdata-license") => &mut deploy.license,
                _ => continue,
            };
            *slot = value.inner().and_then(Variant::text).and_then(|value| filled(text(value.as_bytes())));
        }
        Some(deploy)
    }

    fn into(self, package: &mut Package) {
        package.repository = self.origin;
        package.installed_bytes = (self.bytes > 0).then_some(self.bytes);
        package.license = self.license;
        if let Some(version) = self.version {
            package.version = version;
        }
        if let Some(summary) = self.summary {
            package.summary = summary;
        }
    }
}

/// The newest release in the application's own AppStream metadata: the first one that is there.
fn released(tree: &dyn Tree, folder: &str, id: &str) -> Option<Text> {
    let places = [
        format!("{folder}/files/share/metainfo/{id}.metainfo.xml"),
        format!("{folder}/files/share/metainfo/{id}.appdata.xml"),
        format!("{folder}/files/share/appdata/{id}.appdata.xml"),
    ];
    let (file, bytes) = places.iter().find_map(|file| Some((file, tree.read(file).ok()?)))?;
    let mut version = None;
    let end = xml::walk(&bytes, |step| {
        if let xml::Step::Open { path: [.., element], attributes } = step
            && element == "release"
            && version.is_none()
        {
            version = attributes.iter().find(|(key, _)| key == "version").map(|(_, value)| value.clone());
        }
    });
    if let Err(error) = end {
        tree.note(Path::new(file), &format!("line {}: {}", error.line, error.why));
    }
    filled(text(version?.as_bytes()))
}

#[cfg(test)]
#[allow(clippy::panic, reason = "tests may fail")]
mod tests {
    use super::*;
    use tally_trees::MemoryTree;

    #[test]
    fn what_the_deployment_does_not_say_is_read_elsewhere() {
        let at = "home/reed/.local/share/flatpak";
        let app = format!("{at}/app/org.marsh.Inkcap/x86_64/stable");
        let runtime = format!("{at}/runtime/org.marsh.Theme/x86_64/3");
        let tree = MemoryTree::new()
            .file(
                format!("{at}/repo/config"),
                "[core]\nxa.pinned=runtime/org.marsh.Theme/x86_64/3;\n[remote \"flats\"]\nurl=https://flats.example/\nxa.disable=true\n",
            )
            .link(format!("{app}/active"), "abc")
            .file(format!("{app}/abc/deploy"), "nonsense")
            .file(format!("{app}/abc/metadata"), "[Application]\nruntime=org.marsh.Platform/x86_64/31.04\n")
            .file(
                format!("{app}/abc/files/share/metainfo/org.marsh.Inkcap.metainfo.xml"),
                "<component><releases><release version='3.3'/><release version='3.2'/></releases>",
            )
            .link(format!("{runtime}/active"), "def")
            .file(format!("{runtime}/def/metadata"), "[ExtensionOf]\nref=runtime/org.marsh.Platform/x86_64/31.04\n");
        let facts = Flatpak.read(&tree as &dyn Tree);
        let [app, theme] = &facts.packages[..] else { panic!("{:?}", facts.packages) };
        assert_eq!((&*app.version, &*app.depends[0][0].name), ("3.3", "org.marsh.Platform"));
        assert_eq!((&*theme.version, theme.reason, theme.kind), ("3", Reason::Explicit, Kind::Runtime));
        let extended = "runtime/org.marsh.Platform/x86_64/31.04";
        assert_eq!(theme.kind_because, KindReason::of(KindFact::ExtensionOf, Some(extended.into())));
        let whys: Vec<&str> = facts.unread.iter().map(|unread| &*unread.why).collect();
        assert_eq!(whys, ["is not a deployment record", "does not exist"]);
        let remotes =
            Flatpak.repositories(&tree as &dyn Tree, &facts.packages, &Label::default()).repositories;
        assert_eq!((&*remotes[0].name, remotes[0].enabled), ("flats", false));
    }
}
