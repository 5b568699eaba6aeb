//! Packages of Slackware: a text each. See `docs/formats/slackware.md`.

use super::files::{Files, survey_each};
use super::offers::{LINES, ListRead};
use super::{Owners, PackageFacts, PackageReader, RepositoryFacts, WantedPaths, native_arch};
use crate::logs::Clock;
use crate::text::{lines, name_text, text, time_text};
use rayon::prelude::*;
use std::collections::BTreeMap;
use std::path::Path;
use tally_core::history::{Event, SystemRecords};
use tally_core::model::{
    Dependency, Evidence, Label, MissingFact, Package, Reduced, Repository, System, Text, Unread,
};
use tally_core::offer::{Catalog, Offered, PackageList};
use tally_trees::{NodeKind, Tree};

/// Where the texts are today, and where they were before.
const FOLDERS: &[&str] = &["var/lib/pkgtools/packages", "var/log/packages"];
const MIRRORS: &str = "etc/slackpkg/mirrors";

/// The Slackware reader.
#[derive(Debug)]
pub struct Slackware;

impl PackageReader for Slackware {
    fn system(&self) -> System {
        System::Slackware
    }

    fn paths(&self) -> &'static [&'static str] {
        &["var/lib/pkgtools packages/* removed_packages/*", "var/log packages/* removed_packages/*"]
    }

    fn page(&self) -> &'static str {
        "slackware"
    }

    fn detect(&self, tree: &dyn Tree) -> bool {
        folder(tree).is_some()
    }

    fn read(&self, tree: &dyn Tree) -> PackageFacts {
        let mut facts = PackageFacts::default();
        let Some(folder) = folder(tree) else { return facts };
        let files = tree.names(folder).into_iter().filter(|entry| entry.kind == NodeKind::File);
        let files: Vec<Text> = files.map(|entry| name_text(&entry.name)).collect();
        let read: Vec<Result<Package, Unread>> =
            files.par_iter().map(|file| read_one(tree, folder, file)).collect();
        for result in read {
            match result {
                Ok(package) => facts.packages.push(package),
                Err(problem) => facts.unread.push(problem),
            }
        }
        facts.missing = vec![MissingFact::Reasons, MissingFact::Dependencies];
        facts.native_arch = native_arch(&facts.packages, &["aaa_glibc-solibs", "glibc", "pkgtools"]);
        facts
    }

    fn scan_file_lists(&self, tree: &dyn Tree, packages: &[Package], wanted: &WantedPaths) -> Owners {
        survey_each(packages, System::Slackware, |at, package| {
            let mut files = Files::of(at, wanted);
            // That a text can't be read was said when the package was read.
            let bytes = tree.read(package.evidence.file.as_str()).unwrap_or_default();
            files.list(file_list(&bytes));
            files.done()
        })
    }

    fn repositories(&self, tree: &dyn Tree, packages: &[Package], _label: &Label) -> RepositoryFacts {
        let mut facts = RepositoryFacts::default();
        let bytes = tree.read(MIRRORS).unwrap_or_default();
        // One line is left without a hash: the mirror in use.
        for (number, line) in lines(&bytes) {
            let uri = text(line);
            if uri.is_empty() || uri.starts_with('#') {
                continue;
            }
            let uri = Reduced::address(&uri);
            let name = uri.trim_end_matches('/').rsplit('/').next().unwrap_or_default();
            facts.repositories.push(Repository {
                official: Some(true),
                ..Repository::new(System::Slackware, name, uri.clone(), Evidence::line(MIRRORS, number))
            });
        }
        read_offer(tree, packages, &mut facts);
        facts
    }

    fn history(
        &self,
        tree: &dyn Tree,
        packages: &[Package],
        clock: &Clock,
        _: &mut Vec<Unread>,
    ) -> SystemRecords {
        removed(tree, packages, clock)
    }
}

/// The list that slackpkg keeps of its mirror.
const LISTS: [&str; 2] = ["var/lib/slackpkg/PACKAGES.TXT", "var/lib/slackpkg/pkglist-PACKAGES.TXT"];

fn read_offer(tree: &dyn Tree, packages: &[Package], facts: &mut RepositoryFacts) {
    let Some(file) = LISTS.into_iter().find(|file| tree.exists(file)) else { return };
    let arch = native_arch(packages, &["aaa_glibc-solibs", "glibc", "pkgtools"]).unwrap_or_default();
    let mut catalog = Catalog::new(System::Slackware, arch);
    match tree.read(file) {
        Ok(bytes) => {
            let list = PackageList {
                repository: facts.repositories.first().map(|one| one.name.clone()).unwrap_or_default(),
                date: tree.node(Path::new(file), true).ok().and_then(|node| time_text(node.changed_at)),
                file: file.into(),
                ..PackageList::default()
            };
            facts.offer(&mut catalog, list, 0, vec![list_of(&bytes)]);
            facts.catalog = Some(catalog);
        }
        Err(error) => facts.unread.push(Unread::whole(file, error.why.to_string())),
    }
}

/// Reads a list: blocks that begin with the name of a package's file.
pub(crate) fn list_of(bytes: &[u8]) -> ListRead {
    let mut read = ListRead::of(&LINES);
    let mut here: Option<Package> = None;
    let kibibytes = |value: &str| value.trim().split(' ').next()?.parse::<u64>().ok()?.checked_mul(1024);
    for (_, line) in lines(bytes) {
        let line = text(line);
        if let Some(file) = line.strip_prefix("PACKAGE NAME:") {
            here.take().into_iter().for_each(|package| read.push(&Offered::of(package)));
            let file = file.trim();
            let stem = [".txz", ".tgz", ".tbz", ".tlz"]
                .iter()
                .find_map(|end| file.strip_suffix(end))
                .unwrap_or(file);
            here = named(stem);
            read.nameless += usize::from(here.is_none());
            continue;
        }
        let Some(package) = &mut here else { continue };
        match line.split_once(':') {
            Some(("PACKAGE SIZE (compressed)", value)) => package.download_bytes = kibibytes(value),
            Some(("PACKAGE SIZE (uncompressed)", value)) => package.installed_bytes = kibibytes(value),
            Some(("PACKAGE LOCATION", value)) => {
                package.section = value.trim().rsplit('/').next().unwrap_or_default().into();
            }
            Some(("PACKAGE REQUIRED", value)) => {
                let one = |name: &str| Dependency { name: name.trim().into(), op: None, version: None };
                let wanted = value.split(',').filter(|name| !name.trim().is_empty());
                package.depends = wanted.map(|name| name.split('|').map(one).collect()).collect();
            }
            // `weir: weir (keeps the water back)`: the first line of the description.
            Some((name, value)) if name == package.name && package.summary.is_empty() => {
                let inside = value.split_once('(').map(|(_, inside)| inside.trim_end_matches(')'));
                package.summary = inside.unwrap_or(value).trim().into();
            }
            _ => {}
        }
    }
    here.into_iter().for_each(|package| read.push(&Offered::of(package)));
    read
}

fn folder(tree: &dyn Tree) -> Option<&'static str> {
    FOLDERS.iter().copied().find(|folder| tree.is_folder(folder))
}

/// The part behind the line `FILE LIST:`.
fn file_list(bytes: &[u8]) -> &[u8] {
    const HEAD: &[u8] = b"FILE LIST:\n";
    memchr::memmem::find(bytes, HEAD).map_or(&[], |at| &bytes[at + HEAD.len()..])
}

/// Name, version, architecture and build are in the name of the file, from the right; the text has the rest.
/// The package of a name such as `weir-4.0-x86_64-1`.
fn named(stem: &str) -> Option<Package> {
    let mut parts = stem.rsplitn(4, '-');
    let (build, arch, version, name) = (parts.next()?, parts.next()?, parts.next()?, parts.next()?);
    let mut package = Package::new(System::Slackware, name, format!("{version}-{build}"));
    package.upstream_version = version.into();
    package.arch = arch.into();
    Some(package)
}

fn read_one(tree: &dyn Tree, folder: &str, file: &str) -> Result<Package, Unread> {
    let path = format!("{folder}/{file}");
    let Some(mut package) = named(file) else {
        return Err(Unread::whole(path, "is not named like name-version-architecture-build"));
    };
    let bytes = tree.read(&path).map_err(|error| Unread::whole(path.as_str(), error.why.to_string()))?;
    let build = file.rsplit('-').next().unwrap_or_default();
    // Digits count builds; what follows them says who built it.
    let tag = build.trim_start_matches(|c: char| c.is_ascii_digit()).trim_start_matches('_');
    package.repository = (!tag.is_empty()).then(|| tag.into());
    let head = &bytes[..bytes.len() - file_list(&bytes).len()];
    for (_, line) in lines(head) {
        let line = text(line);
        let Some((key, value)) = line.split_once(':') else { continue };
        let value = value.trim();
        match key {
            "UNCOMPRESSED PACKAGE SIZE" => package.installed_bytes = size(value),
            "COMPRESSED PACKAGE SIZE" => package.download_bytes = size(value),
            // `.../slackware64/ap/inkcap-3.2.1-x86_64-1.txz`: the series is the folder.
            "PACKAGE LOCATION" => {
                package.section =
                    value.rsplit('/').nth(1).filter(|series| *series != ".").unwrap_or_default().into();
            }
            key if key == package.name && package.summary.is_empty() => {
                let inner =
                    value.split_once('(').and_then(|(_, rest)| rest.rsplit_once(')')).map(|(inner, _)| inner);
                package.summary = inner.unwrap_or(value).into();
            }
            _ => {}
        }
    }
    let changed = tree.node(Path::new(&path), true).map(|node| node.changed_at);
    package.installed_at = changed.ok().and_then(time_text);
    package.evidence = Evidence::file(path);
    Ok(package)
}

const REMOVED: &[&str] = &["var/lib/pkgtools/removed_packages", "var/log/removed_packages"];

/// What removed packages leave: `name-version-arch-build`, with `-upgraded-2026-05-04,09:46:40` where another version came.
/// When a package was removed without a successor nobody writes down; it was there since the time of its file.
fn removed(tree: &dyn Tree, packages: &[Package], clock: &Clock) -> SystemRecords {
    let Some(folder) = REMOVED.iter().find(|folder| tree.is_folder(folder)) else {
        return SystemRecords::default();
    };
    let mut upgraded: BTreeMap<Text, Vec<(i64, Text, Text)>> = BTreeMap::new();
    let mut events = Vec::new();
    for entry in tree.names(folder) {
        let file = name_text(&entry.name);
        let (package, when) = file
            .split_once("-upgraded-")
            .map_or((file.as_str(), None), |(package, when)| (package, Some(when)));
        let mut parts = package.rsplitn(4, '-');
        let (Some(build), Some(arch), Some(version), Some(name)) =
            (parts.next(), parts.next(), parts.next(), parts.next())
        else {
            continue;
        };
        let version = Text::from(format!("{version}-{build}"));
        let since = tree.node(Path::new(&format!("{folder}/{file}")), true).map_or(0, |node| node.changed_at);
        let event = |at, before: Option<Text>, after: Option<Text>| Event {
            at,
            system: System::Slackware,
            name: name.into(),
            arch: arch.into(),
            before,
            after,
        };
        match when.and_then(|when| clock.seconds(when.replace(',', " ").as_bytes())) {
            Some(at) => upgraded.entry(name.into()).or_default().push((at, arch.into(), version)),
            None => {
                events.push(event(since, None, Some(version.clone())));
                events.push(event(i64::MAX, Some(version), None));
            }
        }
    }
    for (name, mut versions) in upgraded {
        versions.sort();
        let last = packages
            .iter()
            .find(|package| package.system == System::Slackware && package.name == name)
            .map(|package| package.version.clone());
        let afters: Vec<Option<Text>> =
            versions.iter().skip(1).map(|(.., version)| Some(version.clone())).chain([last]).collect();
        for ((at, arch, version), after) in versions.into_iter().zip(afters) {
            let name = name.clone();
            events.push(Event { at, system: System::Slackware, name, arch, before: Some(version), after });
        }
    }
    events.sort_by_key(|event| event.at);
    SystemRecords { events, ..SystemRecords::default() }
}

/// `5.4M`, `5400 K`, `5400`: rounded, with a unit.
fn size(text: &str) -> Option<u64> {
    let end = text.find(|c: char| !c.is_ascii_digit() && c != '.').unwrap_or(text.len());
    let (number, unit) = text.split_at(end);
    let factor = match unit.trim().chars().next() {
        None => 1.0,
        Some('K' | 'k') => 1024.0,
        Some('M') => 1024.0 * 1024.0,
        Some('G') => 1024.0 * 1024.0 * 1024.0,
        Some(_) => return None,
    };
    let bytes = number.parse::<f64>().ok()? * factor;
    (bytes.is_finite() && bytes >= 0.0).then_some(bytes as u64)
}

#[cfg(test)]
mod tests {
    use super::*;
    use tally_trees::MemoryTree;

    #[test]
    fn names_from_the_right_sizes_and_files() {
        let tree = MemoryTree::new()
            .file(
                "var/lib/pkgtools/packages/inkcap-gtk-3.2.1-x86_64-2_SBo",
                "PACKAGE NAME:     inkcap-gtk-3.2.1-x86_64-2_SBo\nCOMPRESSED PACKAGE SIZE:     1.2M\nUNCOMPRESSED PACKAGE SIZE:     5400 K\nPACKAGE LOCATION: ./slackware64/ap/inkcap-gtk-3.2.1-x86_64-2_SBo.txz\nPACKAGE DESCRIPTION:\ninkcap-gtk: inkcap-gtk (a text editor)\ninkcap-gtk:\nFILE LIST:\n./\nusr/bin/\nusr/bin/inkcap\nusr/share/applications/inkcap.desktop\n",
            )
            .file("var/lib/pkgtools/packages/odd", "")
            .file("etc/slackpkg/mirrors", "# a list\n#https://off.example/\nhttps://mirror.saltmarsh.example/saltmarsh64-5.0/\n");
        let facts = Slackware.read(&tree);
        assert_eq!(facts.unread.len(), 1);
        let inkcap = &facts.packages[0];
        assert_eq!(
            (inkcap.name.as_str(), inkcap.version.as_str(), inkcap.arch.as_str()),
            ("inkcap-gtk", "3.2.1-2_SBo", "x86_64")
        );
        assert_eq!(
            (inkcap.summary.as_str(), inkcap.section.as_str(), inkcap.repository.as_deref()),
            ("a text editor", "ap", Some("SBo"))
        );
        assert_eq!((inkcap.installed_bytes, inkcap.download_bytes), (Some(5_529_600), Some(1_258_291)));
        let mut wanted = WantedPaths::new(false);
        wanted.add(b"usr/share/applications/inkcap.desktop");
        let owners = Slackware.scan_file_lists(&tree, &facts.packages, &wanted);
        assert_eq!(owners.of(&wanted, b"usr/share/applications/inkcap.desktop"), Some(0));
        assert_eq!(
            Slackware.repositories(&tree, &[], &Label::default()).repositories[0].name,
            "saltmarsh64-5.0"
        );
    }

    #[test]
    fn sizes_that_are_none_are_none() {
        assert_eq!((size("12"), size("1e9"), size(""), size("x")), (Some(12), None, None, None));
    }
}
