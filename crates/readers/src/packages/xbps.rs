//! Packages of XBPS: one property list, and one for the files of each package. See `docs/formats/xbps.md`.

// Numbers of a database are a stranger's: each sum says what it does where it is too large.
#![cfg_attr(not(test), warn(clippy::arithmetic_side_effects))]

use super::files::{Files, survey_each};
use super::offers::{LINES, ListRead};
use super::{Owners, PackageFacts, PackageReader, RepositoryFacts, WantedPaths, native_arch};
use crate::text::{filled, lines, name_text, text};
use crate::xml::{Step, walk};
use smallvec::smallvec;
use std::io::Read;
use tally_core::model::{
    Dependency, Evidence, Label, Package, Reason, Reduced, Repository, State, System, Text, Unread, VersionOp,
};
use tally_core::offer::{Catalog, Offered, PackageList};
use tally_core::systems::upstream;
use tally_trees::{Tree, unpacking};

const FOLDER: &str = "var/db/xbps";
/// Folders of repositories: a file of the first hides one of the same name in the second.
const CONFIGURED: &[&str] = &["etc/xbps.d", "usr/share/xbps.d"];

/// The XBPS reader.
#[derive(Debug)]
pub struct Xbps;

impl PackageReader for Xbps {
    fn system(&self) -> System {
        System::Xbps
    }

    fn paths(&self) -> &'static [&'static str] {
        &["var/db/xbps *.plist"]
    }

    fn page(&self) -> &'static str {
        "xbps"
    }

    fn detect(&self, tree: &dyn Tree) -> bool {
        database(tree).is_some()
    }

    fn read(&self, tree: &dyn Tree) -> PackageFacts {
        let mut facts = PackageFacts::default();
        let Some(file) = database(tree) else { return facts };
        let bytes = match tree.read(&file) {
            Ok(bytes) => bytes,
            Err(error) => {
                facts.unread.push(Unread::whole(file, error.why.to_string()));
                return facts;
            }
        };
        let mut here: Option<Package> = None;
        let packages = &mut facts.packages;
        let unread = &mut facts.unread;
        let end = each_value(&bytes, |value| match value {
            Value::Begin(name) => here = Some(begin(name, &file)),
            Value::Of { key, text } => {
                if let Some(package) = &mut here {
                    field(package, key, text);
                }
            }
            Value::End => match here.take() {
                // Groups of alternatives stand among the packages.
                Some(package) if package.name.starts_with("_XBPS_") => {}
                Some(package) if package.version.is_empty() => {
                    unread.push(Unread::whole(
                        file.as_str(),
                        format!("package {} has no version", package.name),
                    ));
                }
                other => packages.extend(other),
            },
        });
        facts.unread.extend(end.err().map(|end| Unread::at(file.as_str(), end.line, end.why)));
        facts.native_arch = native_arch(&facts.packages, &["glibc", "musl", "xbps"]);
        facts
    }

    fn scan_file_lists(&self, tree: &dyn Tree, packages: &[Package], wanted: &WantedPaths) -> Owners {
        survey_each(packages, System::Xbps, |at, package| files_of(tree, at, package, wanted))
    }

    fn repositories(&self, tree: &dyn Tree, packages: &[Package], label: &Label) -> RepositoryFacts {
        let mut facts = RepositoryFacts::default();
        let mut seen: Vec<Text> = Vec::new();
        for folder in CONFIGURED {
            for entry in tree.names(folder) {
                let name = name_text(&entry.name);
                if !name.ends_with(".conf") || seen.contains(&name) {
                    continue;
                }
                let path = format!("{folder}/{name}");
                let Ok(bytes) = tree.read(&path) else { continue };
                facts.repositories.extend(repositories(&bytes, &path, label));
                seen.push(name);
            }
        }
        // Packages name the address they came from.
        let own = || packages.iter().filter(|package| package.system == System::Xbps);
        for repository in &mut facts.repositories {
            let from = own()
                .filter(|package| package.repository.as_ref().is_some_and(|from| repository.uri == *from))
                .count();
            repository.packages = u32::try_from(from).ok();
        }
        read_offer(tree, packages, &mut facts);
        facts
    }
}

/// The lists that XBPS keeps: a folder for each address, a file for each machine.
fn read_offer(tree: &dyn Tree, packages: &[Package], facts: &mut RepositoryFacts) {
    let arch = native_arch(packages, &["glibc", "musl", "xbps"]).unwrap_or_default();
    let mut catalog = Catalog::new(System::Xbps, arch.clone());
    for at in 0..facts.repositories.len() {
        let repository = &facts.repositories[at];
        let folder = repository.uri.replace(['/', ':', '.'], "_");
        let file = format!("{FOLDER}/{}/{arch}-repodata", folder.trim_end_matches('_'));
        let Ok(bytes) = tree.read(&file) else { continue };
        let list = PackageList {
            repository: repository.name.clone(),
            date: tree
                .node(file.as_ref(), true)
                .ok()
                .and_then(|node| crate::text::time_text(node.changed_at)),
            file: file.as_str().into(),
            // The first repository that has a package is asked for it.
            priority: i32::try_from(at).map_or(i32::MIN, i32::saturating_neg),
            ..PackageList::default()
        };
        match list_of(&bytes) {
            Ok(read) => facts.offer(&mut catalog, list, at, vec![read]),
            Err(error) => facts.unread.push(Unread::whole(file, error.to_string())),
        }
    }
    // Packages name where they came from themselves; lists add what is offered.
    facts.catalog = (!catalog.lists.is_empty()).then_some(catalog);
}

/// Bytes that a list may have once it is unpacked.
const LIST_LIMIT: u64 = 1 << 30;

/// Reads a list: a packed archive with `index.plist` in it.
pub(crate) fn list_of(bytes: &[u8]) -> std::io::Result<ListRead> {
    let mut read = ListRead::of(&LINES);
    let mut archive = tar::Archive::new(unpacking(bytes, LIST_LIMIT)?);
    for entry in archive.entries()? {
        let entry = entry?;
        if entry.path()?.as_ref() != std::path::Path::new("index.plist") {
            continue;
        }
        let mut content = Vec::new();
        entry.take(LIST_LIMIT).read_to_end(&mut content)?;
        let mut here: Option<Package> = None;
        // What stands before a mistake was read.
        let end = each_value(&content, |value| match value {
            Value::Begin(name) => here = Some(begin(name, "")),
            Value::Of { key, text } => {
                if let Some(package) = &mut here {
                    field(package, key, text);
                }
            }
            Value::End => here.take().into_iter().for_each(|package| read.push(&Offered::of(package))),
        });
        read.nameless = read.nameless.saturating_add(usize::from(end.is_err()));
    }
    Ok(read)
}

/// `pkgdb-0.38.plist`; should there be several, the last one is the newest.
fn database(tree: &dyn Tree) -> Option<String> {
    let names = tree.names(FOLDER).into_iter().map(|entry| name_text(&entry.name));
    let last = names.filter(|name| name.starts_with("pkgdb-") && name.ends_with(".plist")).max()?;
    Some(format!("{FOLDER}/{last}"))
}

/// A step through a dictionary of dictionaries.
enum Value<'a> {
    /// A dictionary of that name begins.
    Begin(&'a str),
    /// A value in it; those of an array come one by one, under its key.
    Of { key: &'a str, text: &'a str },
    /// It ends.
    End,
}

/// Goes through `plist/dict/(key, dict/(key, value))`.
fn each_value(bytes: &[u8], mut visit: impl FnMut(Value<'_>)) -> Result<(), crate::xml::XmlError> {
    const OUTER: usize = 3;
    const INNER: usize = 4;
    let (mut name, mut key) = (Text::default(), Text::default());
    walk(bytes, |step| match step {
        Step::Open { path, .. } if path.len() == OUTER && path[2] == "dict" => visit(Value::Begin(&name)),
        Step::Close { path, .. } if path.len() == OUTER && path[2] == "dict" => visit(Value::End),
        Step::Close { path, text } if path.len() == OUTER && path[2] == "key" => name = text.into(),
        Step::Close { path, text } if path.len() == INNER && path[3] == "key" => key = text.into(),
        Step::Close { path, text } if path.len() == INNER => {
            // `<true/>` has no text; arrays were told value by value.
            let text = if path[3] == "true" { "true" } else { text };
            if path[3] != "array" && path[3] != "dict" {
                visit(Value::Of { key: &key, text });
            }
        }
        Step::Close { path, text } if path.len() == INNER + 1 && path[3] == "array" => {
            visit(Value::Of { key: &key, text });
        }
        _ => {}
    })
}

fn begin(name: &str, file: &str) -> Package {
    let mut package = Package::new(System::Xbps, name, "");
    // Without a word on it, a package was asked for.
    package.reason = Reason::Explicit;
    package.evidence = Evidence::file(file);
    package
}

fn field(package: &mut Package, key: &str, value: &str) {
    match key {
        "pkgver" => {
            package.version = value.rsplit_once('-').map(|(_, version)| version).unwrap_or_default().into();
            package.upstream_version = upstream(System::Xbps, &package.version).into();
        }
        "architecture" => package.arch = value.into(),
        "short_desc" => package.summary = value.into(),
        "homepage" => package.homepage = value.into(),
        "license" => package.license = filled(value.into()),
        "installed_size" => package.installed_bytes = value.parse().ok(),
        "filename-size" => package.download_bytes = value.parse().ok(),
        "repository" => package.repository = filled(Reduced::address(value).into()),
        "sourcepkg" | "source-revisions" => {
            let source = value.split([':', ' ']).next().unwrap_or_default();
            let source = source
                .rsplit_once('-')
                .filter(|(_, v)| v.starts_with(|c: char| c.is_ascii_digit()))
                .map_or(source, |(name, _)| name);
            package.source = filled(source.into()).filter(|source| *source != package.name);
        }
        "automatic-install" if value == "true" => package.reason = Reason::Dependency,
        "state" if value != "installed" => package.state = State::Half,
        "install-date" => package.installed_at = moment(value),
        "build-date" => package.built = tally_core::model::day_of(value).map(|day| day.to_string().into()),
        "run_depends" => package.depends.extend(relation(value).map(|one| smallvec![one])),
        "provides" => package.provides.extend(relation(value)),
        "replaces" => package.replaces.extend(relation(value)),
        "conflicts" => package.conflicts.extend(relation(value)),
        _ => {}
    }
}

/// `2026-05-02 10:11 UTC`; the zone is the one of the machine that installed, and only UTC can be told for sure.
fn moment(value: &str) -> Option<Text> {
    let (plain, zone) = value.split_at_checked(16)?;
    if !matches!(zone.trim(), "" | "UTC" | "GMT") {
        return None;
    }
    let at = jiff::civil::DateTime::strptime("%Y-%m-%d %H:%M", plain).ok()?;
    Some(smol_str::format_smolstr!("{}Z", at))
}

/// `name>=1.2_1`, `name-1.2_1`, `name<3`, `name>=1<2`.
fn relation(value: &str) -> Option<Dependency> {
    let value = value.trim();
    let one = |name: &str, op: Option<VersionOp>, version: &str| {
        let version = filled(version.into());
        Some(Dependency { name: filled(name.into())?, op: op.filter(|_| version.is_some()), version })
    };
    if let Some(at) = value.find(['<', '>']) {
        let (name, rest) = value.split_at(at);
        let (op, version) = match rest.as_bytes() {
            [b'<', b'=', ..] => (VersionOp::AtMost, &rest[2..]),
            [b'>', b'=', ..] => (VersionOp::AtLeast, &rest[2..]),
            [b'<', ..] => (VersionOp::Less, &rest[1..]),
            _ => (VersionOp::More, &rest[1..]),
        };
        return one(name, Some(op), version.split(['<', '>']).next().unwrap_or_default());
    }
    match value.rsplit_once('-') {
        Some((name, version)) if version.starts_with(|c: char| c.is_ascii_digit()) => {
            one(name, Some(VersionOp::Exactly), version)
        }
        // `name-[0-9]*` is any version.
        Some((name, version)) if version.starts_with('[') => one(name, None, ""),
        _ => one(value, None, ""),
    }
}

/// Files, links and configuration files of a package; each has a path under the key `file`.
fn files_of(tree: &dyn Tree, at: usize, package: &Package, wanted: &WantedPaths) -> Owners {
    let mut files = Files::of(at, wanted);
    let file = format!("{FOLDER}/.{}-files.plist", package.name);
    let bytes = match tree.read(&file) {
        Ok(bytes) => bytes,
        // A package that only pulls in others has no files.
        Err(error) => {
            let mut owners = files.done();
            owners.unread.extend((!error.is_missing()).then(|| Unread::whole(file, error.why.to_string())));
            return owners;
        }
    };
    let (mut list, mut key) = (Text::default(), Text::default());
    let end = walk(&bytes, |step| {
        let Step::Close { path, text } = step else { return };
        match path.last().map(Text::as_str) {
            Some("key") if path.len() == 3 => list = text.into(),
            Some("key") => key = text.into(),
            Some("string") if key == "file" && list != "dirs" => files.path(text.as_bytes()),
            _ => {}
        }
    });
    let mut owners = files.done();
    owners.unread.extend(end.err().map(|end| Unread::at(file, end.line, end.why)));
    owners
}

/// `repository=address`, one or several a file.
fn repositories(bytes: &[u8], path: &str, label: &Label) -> Vec<Repository> {
    let mut repositories = Vec::new();
    for (number, line) in lines(bytes) {
        let line = text(line);
        let Some((key, uri)) = line.split_once('=') else { continue };
        if key.trim() != "repository" {
            continue;
        }
        let uri = uri.trim();
        let stem = path.rsplit('/').next().unwrap_or_default().trim_end_matches(".conf");
        let name = stem
            .split_once('-')
            .filter(|(order, _)| order.bytes().all(|b| b.is_ascii_digit()))
            .map_or(stem, |(_, name)| name);
        repositories.push(
            Repository::new(System::Xbps, name, Reduced::address(uri), Evidence::line(path, number))
                .owned_by(&label.distro_id),
        );
    }
    repositories
}

#[cfg(test)]
mod tests {
    use super::*;
    use tally_trees::MemoryTree;

    #[test]
    fn a_property_list_and_the_files_beside_it() {
        let plist = "<?xml version=\"1.0\"?>\n<!DOCTYPE plist PUBLIC \"-//Apple Computer//DTD PLIST 1.0//EN\" \"x\">\n<plist version=\"1.0\">\n<dict>\n\
<key>_XBPS_ALTERNATIVES_</key><dict><key>vi</key><array><string>nvi</string></array></dict>\n\
<key>inkcap</key>\n<dict>\n<key>alternatives</key><dict><key>x</key><array><string>pkgver</string></array></dict>\
<key>install-date</key><string>2026-05-02 10:11 UTC</string><key>installed_size</key><integer>4096</integer>\
<key>pkgver</key><string>inkcap-gtk-3.2.1_2</string><key>run_depends</key><array><string>libweir&gt;=4.0_1</string><string>reed-1.0_1</string></array>\
<key>architecture</key><string>x86_64</string><key>state</key><string>installed</string></dict>\n\
<key>libweir</key><dict><key>automatic-install</key><true/><key>pkgver</key><string>libweir-4.0_1</string></dict>\n\
<key>torn</key><dict><key>state</key><string>unpacked</string></dict>\n</dict></plist>";
        let tree = MemoryTree::new()
            .file("var/db/xbps/pkgdb-0.38.plist", plist)
            .file(
                "var/db/xbps/.inkcap-files.plist",
                "<plist><dict><key>files</key><array><dict><key>file</key><string>/usr/share/applications/inkcap.desktop</string><key>sha256</key><string>0</string></dict></array></dict></plist>",
            )
            .file("usr/share/xbps.d/00-repository-main.conf", "repository=https://repo.saltmarsh.example/current\n")
            .file("etc/xbps.d/00-repository-main.conf", "#x\nrepository=https://mirror.example/current\n");
        let facts = Xbps.read(&tree);
        let said: Vec<_> =
            facts.packages.iter().map(|p| (p.name.as_str(), p.version.as_str(), p.reason)).collect();
        assert_eq!(said, [("inkcap", "3.2.1_2", Reason::Explicit), ("libweir", "4.0_1", Reason::Dependency)]);
        let inkcap = &facts.packages[0];
        assert_eq!(
            (inkcap.upstream_version.as_str(), inkcap.installed_at.as_deref()),
            ("3.2.1", Some("2026-05-02T10:11:00Z"))
        );
        let needs: Vec<_> = inkcap.depends.iter().map(|any| (any[0].name.as_str(), any[0].op)).collect();
        assert_eq!(needs, [("libweir", Some(VersionOp::AtLeast)), ("reed", Some(VersionOp::Exactly))]);
        assert_eq!(facts.unread.len(), 1, "{:?}", facts.unread);
        let mut wanted = WantedPaths::new(false);
        wanted.add(b"usr/share/applications/inkcap.desktop");
        let owners = Xbps.scan_file_lists(&tree, &facts.packages, &wanted);
        assert_eq!(owners.of(&wanted, b"usr/share/applications/inkcap.desktop"), Some(0));
        let repositories = Xbps.repositories(&tree, &facts.packages, &Label::default()).repositories;
        assert_eq!(repositories.len(), 1, "a file below etc hides its namesake");
        assert_eq!(
            (repositories[0].name.as_str(), repositories[0].uri.as_str()),
            ("repository-main", "https://mirror.example/current")
        );
    }
}
