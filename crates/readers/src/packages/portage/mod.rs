//! Packages merged by Portage: a folder each, with a file for each field. See `docs/formats/portage.md`.

// Numbers of a database are a stranger's: each sum says what it does where it is too large.
#![cfg_attr(not(test), warn(clippy::arithmetic_side_effects))]

mod needs;
mod offer;

use super::files::{Files, survey_each};
use super::{Owners, PackageFacts, PackageReader, RepositoryFacts, WantedPaths, native_arch};
use crate::keyfile::KeyFile;
use crate::logs::{Clock, Versions, read_log};
use crate::text::{day_text, filled, lines, name_text, text, time_text};
use rayon::prelude::*;
use rustc_hash::FxHashSet;
use std::path::Path;
use tally_core::history::SystemRecords;
use tally_core::model::{Evidence, Label, Package, Reason, Reduced, Repository, System, Text, Unread};
use tally_core::offer::{Catalog, PackageList};
use tally_core::systems::upstream;
use tally_trees::{Entry, NodeKind, Tree};

const DATABASE: &str = "var/db/pkg";
const WORLD: &str = "var/lib/portage/world";
const CONFIGURED: &[&str] = &["etc/portage/repos.conf", "usr/share/portage/config/repos.conf"];

/// The Portage reader.
#[derive(Debug)]
pub struct Portage;

impl PackageReader for Portage {
    fn system(&self) -> System {
        System::Portage
    }

    fn paths(&self) -> &'static [&'static str] {
        &["var/db/pkg */*/[A-Z]* */*/repository", "var/lib/portage world world_sets"]
    }

    fn page(&self) -> &'static str {
        "portage"
    }

    /// FreeBSD keeps its packages below the same folder, in one file: only folders in folders are of this system.
    fn detect(&self, tree: &dyn Tree) -> bool {
        tree.names(DATABASE).iter().any(|category| {
            is_category(category)
                && !tree.names(format!("{DATABASE}/{}", name_text(&category.name))).is_empty()
        })
    }

    fn read(&self, tree: &dyn Tree) -> PackageFacts {
        let mut facts = PackageFacts::default();
        let world = world(tree);
        let read: Vec<Result<Package, Unread>> =
            folders(tree).par_iter().map(|(category, folder)| read_one(tree, category, folder)).collect();
        for result in read {
            match result {
                Ok(mut package) => {
                    package.reason = match &world {
                        None => Reason::Unknown,
                        Some(names) if names.contains(&package.name) => Reason::Explicit,
                        Some(_) => Reason::Dependency,
                    };
                    facts.packages.push(package);
                }
                Err(problem) => facts.unread.push(problem),
            }
        }
        facts.native_arch = native_arch(&facts.packages, &["sys-libs/glibc", "sys-libs/musl"]);
        facts
    }

    fn scan_file_lists(&self, tree: &dyn Tree, packages: &[Package], wanted: &WantedPaths) -> Owners {
        survey_each(packages, System::Portage, |at, package| files_of(tree, at, package, wanted))
    }

    fn repositories(&self, tree: &dyn Tree, packages: &[Package], label: &Label) -> RepositoryFacts {
        let mut facts = RepositoryFacts::default();
        for place in CONFIGURED {
            let files: Vec<String> = if tree.is_folder(place) {
                tree.names(place).iter().map(|entry| format!("{place}/{}", name_text(&entry.name))).collect()
            } else {
                vec![(*place).to_owned()]
            };
            for file in files {
                let Ok(bytes) = tree.read(&file) else { continue };
                repositories(&bytes, &file, label, &mut facts.repositories);
            }
        }
        let own = || packages.iter().filter(|package| package.system == System::Portage);
        for repository in &mut facts.repositories {
            let from = own().filter(|package| package.repository.as_ref() == Some(&repository.name)).count();
            repository.packages = u32::try_from(from).ok();
        }
        read_offer(tree, packages, &mut facts);
        facts
    }

    fn history(&self, tree: &dyn Tree, _: &[Package], _: &Clock, unread: &mut Vec<Unread>) -> SystemRecords {
        history(&read_log(tree, LOG, unread))
    }
}

/// The caches of the trees, where a configuration says they are.
fn read_offer(tree: &dyn Tree, packages: &[Package], facts: &mut RepositoryFacts) {
    let arch = native_arch(packages, &["sys-libs/glibc", "sys-libs/musl"]).unwrap_or_default();
    let keywords = offer::keywords(tree, &arch);
    // Ebuilds are for every machine that their keywords name; those were looked at.
    let mut catalog = Catalog::new(System::Portage, "");
    for at in 0..facts.repositories.len() {
        let name = facts.repositories[at].name.clone();
        let places = [format!("var/db/repos/{name}"), "usr/portage".to_owned()];
        let Some((place, read)) = places.into_iter().find_map(|place| {
            Some((offer::list_of(tree, &place, &keywords)?, place)).map(|(read, place)| (place, read))
        }) else {
            continue;
        };
        let stamp = format!("{place}/metadata/timestamp.chk");
        let list = PackageList {
            repository: name,
            date: tree.node(Path::new(&stamp), true).ok().and_then(|node| time_text(node.changed_at)),
            file: format!("{place}/metadata/md5-cache").into(),
            ..PackageList::default()
        };
        facts.offer(&mut catalog, list, at, vec![read]);
    }
    facts.catalog = (!catalog.lists.is_empty()).then_some(catalog);
}

const LOG: &str = "var/log/emerge.log";

/// `var/log/emerge.log`: seconds, then what was done; a replaced version goes just before its successor is said to be in place.
fn history(bytes: &[u8]) -> SystemRecords {
    let mut versions = Versions::of(System::Portage);
    for (_, line) in lines(bytes) {
        let line = String::from_utf8_lossy(line);
        let Some((at, told)) = line.split_once(':') else { continue };
        let Ok(at) = at.trim().parse::<i64>() else { continue };
        let told = told.trim();
        let went = told.strip_prefix(">>> unmerge success: ");
        let came = told
            .strip_prefix("::: completed emerge (")
            .and_then(|rest| rest.split_once(") "))
            .and_then(|(_, rest)| rest.strip_suffix(" to /"));
        let Some((name, version)) = went.or(came).and_then(|atom| {
            let (category, rest) = atom.trim().split_once('/')?;
            let (name, version) = split(rest)?;
            Some((format!("{category}/{name}"), version))
        }) else {
            continue;
        };
        let (name, version) = (Text::from(name), Text::from(version));
        if went.is_some() {
            versions.went(at, name, Text::default(), version);
        } else {
            versions.came(at, name, Text::default(), version);
        }
    }
    versions.done()
}

/// FreeBSD keeps its database in the same folder, and one of repositories beside it.
fn is_category(entry: &Entry) -> bool {
    entry.kind == NodeKind::Folder && entry.name != "repos"
}

/// Categories and the folders in them, but those of a merge that did not end.
fn folders(tree: &dyn Tree) -> Vec<(Text, Text)> {
    let categories = tree.names(DATABASE).into_iter().filter(is_category);
    let all = categories.flat_map(|category| {
        let category = name_text(&category.name);
        let below = tree.names(format!("{DATABASE}/{category}"));
        let below = below.into_iter().filter(|entry| entry.kind == NodeKind::Folder);
        below.map(|entry| (category.clone(), name_text(&entry.name))).collect::<Vec<_>>()
    });
    all.filter(|(_, folder)| !folder.starts_with('-')).collect()
}

/// `category/name`, without slots. Nothing tells why packages are there where no such file was kept.
fn world(tree: &dyn Tree) -> Option<FxHashSet<Text>> {
    let bytes = tree.read(WORLD).ok()?;
    let names = lines(&bytes).map(|(_, line)| text(line)).filter(|line| !line.starts_with('#'));
    Some(names.filter_map(|line| filled(line.split([':', '[']).next().unwrap_or_default().into())).collect())
}

/// `name-1.2.3_rc1-r2`: the version begins behind the last hyphen that a digit follows, a revision aside.
pub(crate) fn split(folder: &str) -> Option<(&str, &str)> {
    let is_revision = |at: usize| {
        let digits = folder[at..].strip_prefix("-r");
        digits.is_some_and(|digits| !digits.is_empty() && digits.bytes().all(|b| b.is_ascii_digit()))
    };
    let end = folder.rfind('-').filter(|at| is_revision(*at)).unwrap_or(folder.len());
    let at = folder[..end].rfind('-')?;
    let (name, version) = (&folder[..at], folder[at..].strip_prefix('-')?);
    (!name.is_empty() && version.starts_with(|c: char| c.is_ascii_digit())).then_some((name, version))
}

fn read_one(tree: &dyn Tree, category: &str, folder: &str) -> Result<Package, Unread> {
    let place = format!("{DATABASE}/{category}/{folder}");
    let Some((name, version)) = split(folder) else {
        return Err(Unread::whole(place, "is not named like name-version"));
    };
    let get =
        |field: &str| tree.read(format!("{place}/{field}")).ok().map(|bytes| text(&bytes)).and_then(filled);
    let mut package = Package::new(System::Portage, format!("{category}/{name}"), version);
    package.upstream_version = upstream(System::Portage, version).into();
    package.section = category.into();
    package.summary = get("DESCRIPTION").unwrap_or_default();
    package.built = get("BUILD_TIME").and_then(|seconds| seconds.parse().ok()).and_then(day_text);
    package.homepage =
        get("HOMEPAGE").and_then(|all| all.split(' ').next().map(Text::from)).unwrap_or_default();
    package.license = get("LICENSE");
    package.repository = get("repository");
    package.installed_bytes = get("SIZE").and_then(|bytes| bytes.parse().ok());
    package.arch = get("CHOST").and_then(|host| host.split('-').next().map(Text::from)).unwrap_or_default();
    let switches = get("USE").unwrap_or_default();
    let switches: FxHashSet<&str> = switches.split_whitespace().collect();
    for field in ["RDEPEND", "PDEPEND"] {
        let stated = get(field).unwrap_or_default();
        let mut needs = needs::read(&stated, &switches);
        package.depends.append(&mut needs.all);
        package.conflicts.append(&mut needs.enemies);
    }
    // Everything that the profile calls the system; nothing in this database says more of it.
    let file = ["PF", "COUNTER", "CONTENTS"]
        .iter()
        .map(|field| format!("{place}/{field}"))
        .find(|file| tree.exists(file));
    let changed = tree.node(Path::new(file.as_deref().unwrap_or(&place)), true).map(|node| node.changed_at);
    package.installed_at = changed.ok().and_then(time_text);
    package.evidence = Evidence::file(file.unwrap_or(place));
    Ok(package)
}

/// `obj PATH MD5 TIME`, `sym PATH -> TARGET TIME`, `dir PATH`; a path may hold spaces.
fn files_of(tree: &dyn Tree, at: usize, package: &Package, wanted: &WantedPaths) -> Owners {
    let mut files = Files::of(at, wanted);
    let place = package.evidence.file.rsplit_once('/').map_or("", |(place, _)| place);
    let file = format!("{place}/CONTENTS");
    let bytes = match tree.read(&file) {
        Ok(bytes) => bytes,
        // A package without files, such as a virtual one, may have no list.
        Err(error) => {
            let mut owners = files.done();
            owners.unread.extend((!error.is_missing()).then(|| Unread::whole(file, error.why.to_string())));
            return owners;
        }
    };
    let mut list = Vec::with_capacity(bytes.len());
    for (_, line) in lines(&bytes) {
        let path = match line.split_at_checked(4) {
            Some((b"obj ", rest)) => rest.rsplitn(3, |byte| *byte == b' ').nth(2),
            Some((b"sym ", rest)) => memchr::memmem::find(rest, b" -> ").map(|end| &rest[..end]),
            _ => None,
        };
        if let Some(path) = path {
            list.extend_from_slice(path);
            list.push(b'\n');
        }
    }
    files.list(&list);
    files.done()
}

fn repositories(bytes: &[u8], file: &str, label: &Label, repositories: &mut Vec<Repository>) {
    let mut known: FxHashSet<String> = repositories.iter().map(|one| one.name.to_string()).collect();
    for group in KeyFile::parse(file, bytes).groups().filter(|group| group.name() != "DEFAULT") {
        if !known.insert(group.name().to_owned()) {
            continue;
        }
        let uri = group.get("sync-uri").cloned().unwrap_or_default();
        repositories.push(Repository {
            official: (!label.distro_id.is_empty() && group.name() == label.distro_id).then_some(true),
            signed_by: group.get("sync-openpgp-key-path").map(|key| Reduced::address(key)),
            ..Repository::new(System::Portage, group.name(), Reduced::address(&uri), Evidence::file(file))
        });
    }
}

#[cfg(test)]
mod tests {
    #[test]
    fn the_log_of_merges_tells_what_took_whose_place() {
        let records = super::history(
            b"1777888000:  >>> emerge (1 of 1) app-editors/inkcap-3.2 to /\n1777888100:  ::: completed emerge (1 of 1) app-editors/inkcap-3.2 to /\n1777974400:  === Unmerging... (app-editors/inkcap-3.2)\n1777974401:  >>> unmerge success: app-editors/inkcap-3.2\n1777974402:  ::: completed emerge (1 of 1) app-editors/inkcap-3.3-r1 to /\nodd\n",
        );
        let told: Vec<_> =
            records.events.iter().map(|e| (e.at, e.before.as_deref(), e.after.as_deref())).collect();
        assert_eq!(
            told,
            [
                (1_777_888_100, None, Some("3.2")),
                (1_777_974_401, Some("3.2"), None),
                (1_777_974_402, None, Some("3.3-r1")),
            ]
        );
        assert!(records.events.iter().all(|event| event.name == "app-editors/inkcap"));
    }

    use super::*;
    use tally_trees::MemoryTree;

    #[test]
    fn versions_begin_at_a_digit() {
        assert_eq!(split("inkcap-3.2.1"), Some(("inkcap", "3.2.1")));
        assert_eq!(split("gtk-4-compat-1.0_rc1-r2"), Some(("gtk-4-compat", "1.0_rc1-r2")));
        assert_eq!(split("inkcap-r2"), None);
        assert_eq!(split("inkcap"), None);
    }

    #[test]
    fn fields_reasons_needs_and_files() {
        let at = "var/db/pkg/app-editors/inkcap-3.2.1-r2";
        let tree = MemoryTree::new()
            .file(format!("{at}/PF"), "inkcap-3.2.1-r2\n")
            .file(format!("{at}/DESCRIPTION"), "A text editor\n")
            .file(format!("{at}/SIZE"), "4096\n")
            .file(format!("{at}/CHOST"), "x86_64-pc-linux-gnu\n")
            .file(format!("{at}/USE"), "gtk amd64\n")
            .file(format!("{at}/RDEPEND"), ">=dev-libs/weir-4:0= gtk? ( x11-libs/reed ) qt? ( x11-libs/other )\n")
            .file(format!("{at}/repository"), "marsh\n")
            .file(
                format!("{at}/CONTENTS"),
                "dir /usr\nobj /usr/share/applications/ink cap.desktop 0a 1777888000\nsym /usr/bin/ink -> inkcap 1777888000\n",
            )
            .file("var/db/pkg/app-editors/-MERGING-x-1/PF", "x-1")
            .file("var/lib/portage/world", "app-editors/inkcap:0\n")
            .file("etc/portage/repos.conf/marsh.conf", "[DEFAULT]\nmain-repo = marsh\n[marsh]\nsync-uri = rsync://rsync.saltmarsh.example/marsh\n");
        let facts = Portage.read(&tree);
        assert_eq!(facts.packages.len(), 1);
        let inkcap = &facts.packages[0];
        assert_eq!(
            (inkcap.name.as_str(), inkcap.version.as_str(), inkcap.upstream_version.as_str()),
            ("app-editors/inkcap", "3.2.1-r2", "3.2.1")
        );
        assert_eq!((inkcap.reason, inkcap.arch.as_str()), (Reason::Explicit, "x86_64"));
        let needs: Vec<&str> = inkcap.depends.iter().map(|any| any[0].name.as_str()).collect();
        assert_eq!(needs, ["dev-libs/weir", "x11-libs/reed"]);
        let mut wanted = WantedPaths::new(false);
        wanted.add(b"usr/share/applications/ink cap.desktop");
        let owners = Portage.scan_file_lists(&tree, &facts.packages, &wanted);
        assert_eq!(owners.of(&wanted, b"usr/share/applications/ink cap.desktop"), Some(0));
        let repositories = Portage.repositories(&tree, &facts.packages, &Label::default()).repositories;
        assert_eq!((repositories.len(), repositories[0].packages), (1, Some(1)));
    }
}
