//! Stores of Nix and Guix: every package is in a folder of its own, and one SQLite database says what refers to what.
//! See `docs/formats/store.md`.

use super::files::{Files, survey_each};
use super::{Owners, PackageFacts, PackageReader, RepositoryFacts, WantedPaths};
use crate::database::{Database, DatabaseError};
use crate::text::{lines, text};
use rustc_hash::{FxHashMap, FxHashSet};
use smallvec::smallvec;
use std::os::unix::ffi::OsStrExt;
use std::path::Path;
use tally_core::model::{
    Dependency, Evidence, Label, Package, Reason, Reduced, Repository, System, Text, Unread, VersionOp,
};
use tally_core::systems::upstream;
use tally_trees::Tree;

/// How deep the folders of a package are looked at.
const DEPTH: usize = 10;

/// References that are followed in all through store paths that are no packages.
const PATIENCE: usize = 10_000_000;

/// Words at the end of a store name that tell which output of a derivation it is.
const OUTPUTS: &[&str] = &[
    "bin", "data", "debug", "dev", "devdoc", "dist", "doc", "docs", "extra", "info", "lib", "libs", "man",
    "modules", "py", "python", "qch", "static", "terminfo", "tools", "xz",
];

/// A store, and the profile of the system that is made from it.
#[derive(Debug)]
pub struct Store {
    system: System,
    folder: &'static str,
    database: &'static str,
    /// Profiles, the system's own first; the first that is there counts.
    profiles: &'static [&'static str],
    /// A link in the profile of the system, to what its owner asked for by name.
    asked_for: &'static str,
    paths: &'static [&'static str],
}

/// The store of Nix.
pub static NIX: Store = Store {
    system: System::Nix,
    folder: "nix/store",
    database: "nix/var/nix/db/db.sqlite",
    profiles: &["nix/var/nix/profiles/system", "run/current-system", "nix/var/nix/profiles/default"],
    asked_for: "sw",
    paths: &["nix/var/nix db/db.sqlite* profiles/*", "nix/store */sw */share/applications/*"],
};

/// The store of Guix.
pub static GUIX: Store = Store {
    system: System::Guix,
    folder: "gnu/store",
    database: "var/guix/db/db.sqlite",
    profiles: &["var/guix/profiles/system", "run/current-system"],
    asked_for: "profile",
    paths: &["var/guix db/db.sqlite* profiles/system*", "gnu/store */profile */share/applications/*"],
};

impl PackageReader for Store {
    fn system(&self) -> System {
        self.system
    }

    fn paths(&self) -> &'static [&'static str] {
        self.paths
    }

    fn page(&self) -> &'static str {
        "store"
    }

    fn detect(&self, tree: &dyn Tree) -> bool {
        tree.exists(self.database) && self.profile(tree).is_some()
    }

    fn read(&self, tree: &dyn Tree) -> PackageFacts {
        let mut facts = PackageFacts::default();
        let Some((profile, own)) = self.profile(tree) else { return facts };
        let asked_for =
            self.named(tree, &format!("{profile}/{}", self.asked_for)).unwrap_or_else(|| own.clone());
        let read =
            Database::open(tree, self.database).and_then(|database| Paths::read(&database, self.folder));
        match read {
            Ok(paths) => self.packages(&paths, &own, &asked_for, &mut facts),
            Err(error) => facts.unread.push(Unread::whole(self.database, error.to_string())),
        }
        facts
    }

    fn scan_file_lists(&self, tree: &dyn Tree, packages: &[Package], wanted: &WantedPaths) -> Owners {
        let own = packages.iter().enumerate().filter(|(_, package)| package.system == self.system);
        let by_path: FxHashMap<&str, usize> =
            own.map(|(at, package)| (package.evidence.file.as_str(), at)).collect();
        let mut owners = survey_each(packages, self.system, |at, package| {
            let mut files = Files::of(at, wanted);
            for (path, _) in tree.files_below(&*package.evidence.file, DEPTH) {
                let inside =
                    path.strip_prefix(&*package.evidence.file).unwrap_or(&path).as_os_str().as_bytes();
                // A package has folders of its own for what lies below `/usr` elsewhere.
                let prefix: &[u8] = if inside.starts_with(b"etc/") { b"" } else { b"usr/" };
                files.path(&[prefix, inside].concat());
            }
            files.done()
        });
        // What a profile shows is a link into the store.
        for path in wanted.paths() {
            let real = tree.real_path(Path::new(std::ffi::OsStr::from_bytes(path)));
            let inside = real.as_ref().and_then(|real| real.strip_prefix(self.folder).ok()?.iter().next());
            let Some(name) = inside.and_then(|name| name.to_str()) else { continue };
            if let Some(at) = by_path.get(format!("{}/{name}", self.folder).as_str()) {
                owners.insert(path, *at);
            }
        }
        owners
    }

    fn repositories(&self, tree: &dyn Tree, _packages: &[Package], label: &Label) -> RepositoryFacts {
        const CHANNELS: &str = "root/.nix-channels";
        let mut facts = RepositoryFacts::default();
        if self.system == System::Guix {
            let files = ["var/guix/profiles/system/channels.scm", "etc/guix/channels.scm"];
            if let Some((file, bytes)) =
                files.into_iter().find_map(|file| Some((file, tree.read(file).ok()?)))
            {
                facts.repositories = channels(&bytes, file, label);
            }
            return facts;
        }
        let bytes =
            if self.system == System::Nix { tree.read(CHANNELS).unwrap_or_default() } else { Vec::new() };
        for (number, line) in lines(&bytes) {
            let line = text(line);
            if let [uri, name] = line.split_whitespace().collect::<Vec<_>>()[..] {
                let uri = Reduced::address(uri);
                let one = Repository::new(self.system, name, uri, Evidence::line(CHANNELS, number));
                facts.repositories.push(one.owned_by(&label.distro_id));
            }
        }
        facts
    }
}

impl Store {
    /// The first profile that is there, and the name in the store that it leads to.
    fn profile(&self, tree: &dyn Tree) -> Option<(&'static str, String)> {
        self.profiles.iter().find_map(|profile| Some((*profile, self.named(tree, profile)?)))
    }

    /// The name in the store that a chain of links leads to, whether what it names is there or not: a collection of databases has none
    /// of it.
    fn named(&self, tree: &dyn Tree, link: &str) -> Option<String> {
        let mut at = link.to_owned();
        for _ in 0..8 {
            let target = tree.read_link(Path::new(&at)).ok()?;
            let target = target.to_str()?;
            at = match target.strip_prefix('/') {
                Some(path) => path.to_owned(),
                None => format!("{}/{target}", at.rsplit_once('/')?.0),
            };
            if let Some(name) = at.strip_prefix(self.folder).and_then(|rest| rest.strip_prefix('/')) {
                return Some(name.split('/').next()?.to_owned());
            }
        }
        None
    }

    /// The packages that a profile needs: store paths with a version in their name.
    fn packages(&self, paths: &Paths, own: &str, asked_for: &str, facts: &mut PackageFacts) {
        let Some(root) = paths.by_name.get(own).copied() else {
            facts.unread.push(Unread::whole(self.database, format!("does not know the store path `{own}`")));
            return;
        };
        let explicit: FxHashSet<usize> = paths
            .by_name
            .get(asked_for)
            .map(|at| paths.refers[*at].iter().copied().collect())
            .unwrap_or_default();
        let mut closure = paths.closure(root);
        closure.sort_by(|a, b| paths.all[*a].name.cmp(&paths.all[*b].name));
        let mut patience = PATIENCE;
        for at in closure {
            let path = &paths.all[at];
            let Some((name, version)) = name_and_version(&path.name).filter(|_| at != root) else { continue };
            let mut package = Package::new(self.system, name, version);
            package.upstream_version = upstream(self.system, &package.version).into();
            package.installed_bytes = path.bytes;
            package.reason = if explicit.contains(&at) { Reason::Explicit } else { Reason::Dependency };
            package.source = path
                .deriver
                .as_deref()
                .and_then(|deriver| name_and_version(deriver.strip_suffix(".drv")?))
                .map(|(name, _)| name)
                .filter(|source| *source != package.name);
            for needed in paths.needed(at, root, &mut patience) {
                if let Some((name, version)) = name_and_version(&paths.all[needed].name) {
                    let (op, version) = (Some(VersionOp::Exactly), Some(version));
                    package.depends.push(smallvec![Dependency { name, op, version }]);
                }
            }
            package.evidence = Evidence::file(format!("{}/{}", self.folder, path.name));
            facts.packages.push(package);
        }
        if patience == 0 {
            facts.unread.push(Unread::whole(self.database, "has more references than are followed"));
        }
    }
}

/// Channels of Guix: `(channel (name 'guix) (url "https://..."))`, each on a line of its own or several.
fn channels(bytes: &[u8], file: &str, label: &Label) -> Vec<Repository> {
    let mut found = Vec::new();
    let mut name: Option<Text> = None;
    for (number, line) in lines(bytes) {
        let line = text(line);
        let mut rest = line.split(';').next().unwrap_or_default();
        while let Some(at) = rest.find("(name '").into_iter().chain(rest.find("(url \"")).min() {
            let is_name = rest[at..].starts_with("(name");
            rest = &rest[at + if is_name { "(name '".len() } else { "(url \"".len() }..];
            let (value, after) = rest.split_at(rest.find([')', '"', ' ']).unwrap_or(rest.len()));
            rest = after;
            if is_name {
                name = Some(value.into());
            } else if let Some(name) = name.take() {
                let uri = Reduced::address(value);
                let one = Repository::new(System::Guix, name, uri, Evidence::line(file, number));
                found.push(one.owned_by(&label.distro_id));
            }
        }
    }
    found
}

/// One path of the store.
#[derive(Debug, Default)]
struct StorePath {
    /// The name in the store, with its hash.
    name: String,
    /// Bytes of its archive.
    bytes: Option<u64>,
    /// The name of the derivation that it was built from.
    deriver: Option<String>,
}

/// All valid paths of a store, and which ones each of them refers to.
#[derive(Debug, Default)]
struct Paths {
    all: Vec<StorePath>,
    refers: Vec<Vec<usize>>,
    by_name: FxHashMap<String, usize>,
}

impl Paths {
    fn read(database: &Database, folder: &str) -> Result<Self, DatabaseError> {
        let mut paths = Self::default();
        let mut by_id: FxHashMap<i64, usize> = FxHashMap::default();
        let in_store = |path: Option<&str>| {
            Some(path?.strip_prefix('/')?.strip_prefix(folder)?.strip_prefix('/')?.to_owned())
        };
        database.each("SELECT id, path, narSize, deriver FROM ValidPaths ORDER BY id", |row| {
            let path = |at: usize| in_store(row.get_ref(at).ok()?.as_str().ok());
            if let Some(name) = path(1) {
                by_id.insert(row.get(0)?, paths.all.len());
                let bytes = row.get_ref(2)?.as_i64().ok().and_then(|bytes| u64::try_from(bytes).ok());
                paths.by_name.insert(name.clone(), paths.all.len());
                paths.all.push(StorePath { name, bytes, deriver: path(3) });
            }
            Ok(())
        })?;
        paths.refers = vec![Vec::new(); paths.all.len()];
        database.each("SELECT referrer, reference FROM Refs ORDER BY referrer, reference", |row| {
            let at =
                |column: usize| Ok::<_, rusqlite::Error>(by_id.get(&row.get::<_, i64>(column)?).copied());
            if let (Some(from), Some(to)) = (at(0)?, at(1)?) {
                paths.refers[from].push(to);
            }
            Ok(())
        })?;
        Ok(paths)
    }

    /// Everything that a path refers to, itself included.
    fn closure(&self, root: usize) -> Vec<usize> {
        let mut seen = vec![false; self.all.len()];
        seen[root] = true;
        let mut found = vec![root];
        let mut next = 0;
        while let Some(at) = found.get(next).copied() {
            next += 1;
            for to in &self.refers[at] {
                if !std::mem::replace(&mut seen[*to], true) {
                    found.push(*to);
                }
            }
        }
        found
    }

    /// The packages that a path refers to, by itself or through paths that are none: scripts, lists, collections of links.
    fn needed(&self, at: usize, root: usize, patience: &mut usize) -> Vec<usize> {
        let (mut found, mut waiting) = (Vec::new(), vec![at]);
        let mut seen: FxHashSet<usize> = FxHashSet::from_iter([at, root]);
        while let Some(from) = waiting.pop() {
            for to in &self.refers[from] {
                *patience = patience.saturating_sub(1);
                if *patience == 0 {
                    return found;
                }
                if seen.insert(*to) {
                    let is_package = name_and_version(&self.all[*to].name).is_some();
                    if is_package { &mut found } else { &mut waiting }.push(*to);
                }
            }
        }
        found.sort_by(|a, b| self.all[*a].name.cmp(&self.all[*b].name));
        found
    }
}

/// Name and version of a name in the store: after the hash, the version begins behind the first hyphen that a digit follows. The word
/// for an output of the derivation belongs to the name: `openssl-3.0.13-bin` is `openssl-bin` 3.0.13.
fn name_and_version(stored: &str) -> Option<(Text, Text)> {
    let (_, named) = stored.split_once('-')?;
    let bytes = named.as_bytes();
    let hyphen = memchr::memchr_iter(b'-', bytes)
        .find(|at| *at > 0 && bytes.get(at + 1).is_some_and(|next| !next.is_ascii_alphabetic()))?;
    let (name, version) = (&named[..hyphen], &named[hyphen + 1..]);
    if !version.starts_with(|first: char| first.is_ascii_digit()) || named.ends_with(".drv") {
        return None;
    }
    match version.rsplit_once('-') {
        Some((version, output)) if OUTPUTS.contains(&output) => {
            Some((format!("{name}-{output}").into(), version.into()))
        }
        _ => Some((name.into(), version.into())),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_of_the_store_are_split_as_the_language_does_and_outputs_belong_to_the_name() {
        let split = |stored: &str| {
            name_and_version(&format!("0c0bsl5xiwx4w9ix0g5fjp04m1z2mzd6-{stored}"))
                .map(|(name, version)| format!("{name} {version}"))
        };
        for (stored, expected) in [
            ("openssl-3.0.13-bin", Some("openssl-bin 3.0.13")),
            ("gtk+3-3.24.41", Some("gtk+3 3.24.41")),
            ("python3.11-requests-2.31.0", Some("python3.11-requests 2.31.0")),
            ("glibc-2.39-52", Some("glibc 2.39-52")),
            ("linux-6.6.32-modules", Some("linux-modules 6.6.32")),
            ("a-1", Some("a 1")),
            ("a-b-1-c", Some("a-b 1-c")),
            ("X-2D", Some("X 2D")),
            ("system-path", None),
            ("unit--.slice", None),
            ("70-wifi.rules", None),
            ("x-", None),
            ("-1", None),
            ("reed-1.0.drv", None),
            ("foo-é1", None),
        ] {
            assert_eq!(split(stored).as_deref(), expected, "{stored}");
        }
    }
}
