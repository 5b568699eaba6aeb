//! Packages of FreeBSD: one SQLite database. See `docs/formats/freebsd-pkg.md`.

// Numbers of a database are a stranger's: each sum says what it does where it is too large.
#![cfg_attr(not(test), warn(clippy::arithmetic_side_effects))]

use super::files::Files;
use super::offers::{LINES, ListRead};
use super::{Origin, Owners, PackageFacts, PackageReader, RepositoryFacts, WantedPaths, native_arch};
use crate::database::{Database, DatabaseError};
use crate::text::{filled, lines, name_text, text, time_text};
use rusqlite::Row;
use rusqlite::types::ValueRef;
use rustc_hash::FxHashMap;
use smallvec::smallvec;
use std::cell::RefCell;
use tally_core::model::{
    Dependency, Evidence, Label, MissingFact, Package, Reason, Reduced, Repository, System, Text, Unread,
    VersionOp, day_of,
};
use tally_core::offer::{Catalog, Offered, PackageList};
use tally_core::systems::upstream;
use tally_trees::Tree;

const DATABASE: &str = "var/db/pkg/local.sqlite";
/// Where repositories are described; a later file changes what an earlier one said of the same name.
const FOLDERS: &[&str] = &["etc/pkg", "usr/local/etc/pkg/repos"];

/// The reader of FreeBSD's packages.
#[derive(Debug)]
pub struct FreebsdPkg;

impl PackageReader for FreebsdPkg {
    fn system(&self) -> System {
        System::FreebsdPkg
    }

    fn paths(&self) -> &'static [&'static str] {
        &["var/db/pkg local.sqlite*"]
    }

    fn page(&self) -> &'static str {
        "freebsd-pkg"
    }

    fn detect(&self, tree: &dyn Tree) -> bool {
        tree.exists(DATABASE)
    }

    fn read(&self, tree: &dyn Tree) -> PackageFacts {
        let mut facts = PackageFacts::default();
        if !tree.exists(DATABASE) {
            return facts;
        }
        if let Err(error) = Database::open(tree, DATABASE).and_then(|database| read(&database, &mut facts)) {
            facts.unread.push(Unread::whole(DATABASE, error.to_string()));
        }
        facts.native_arch = native_arch(&facts.packages, &["pkg"]);
        facts
    }

    fn scan_file_lists(&self, tree: &dyn Tree, packages: &[Package], wanted: &WantedPaths) -> Owners {
        let mut all = Owners::default();
        let own = packages.iter().enumerate().filter(|(_, package)| package.system == System::FreebsdPkg);
        let by_name: FxHashMap<&str, usize> = own.map(|(at, package)| (package.name.as_str(), at)).collect();
        let mut here: Option<(usize, Files<'_>)> = None;
        let sql =
            "SELECT p.name, f.path FROM packages p JOIN files f ON f.package_id = p.id ORDER BY p.id, f.path";
        // What is wrong with the database was said when it was read.
        let read = Database::open(tree, DATABASE).and_then(|database| {
            database.each(sql, |row| {
                let at = row
                    .get_ref(0)?
                    .as_bytes()
                    .ok()
                    .and_then(|name| by_name.get(text(name).as_str()).copied());
                let (Some(at), Ok(path)) = (at, row.get_ref(1)?.as_bytes()) else { return Ok(()) };
                if here.as_ref().is_none_or(|(known, _)| *known != at) {
                    let done = here.replace((at, Files::of(at, wanted)));
                    done.into_iter().for_each(|(_, files)| all.absorb(files.done()));
                }
                if let Some((_, files)) = &mut here {
                    files.path(path);
                }
                Ok(())
            })
        });
        drop(read);
        here.into_iter().for_each(|(_, files)| all.absorb(files.done()));
        all
    }

    fn repositories(&self, tree: &dyn Tree, packages: &[Package], label: &Label) -> RepositoryFacts {
        let mut facts =
            RepositoryFacts { repositories: repositories(tree, label), ..RepositoryFacts::default() };
        let own = packages.iter().enumerate().filter(|(_, package)| package.system == System::FreebsdPkg);
        let origins: Vec<(usize, Origin)> = own
            .map(|(at, package)| {
                let name = package.repository.as_deref();
                let repository = facts.repositories.iter().position(|one| Some(one.name.as_str()) == name);
                // A port that was built here has no repository.
                (at, Origin { known: name.is_some(), exact: repository.map(|at| (at, None)), section: None })
            })
            .collect();
        if origins.iter().any(|(_, origin)| origin.known) {
            facts.origins = origins;
        }
        read_offer(tree, packages, &mut facts);
        facts
    }
}

/// The lists that pkg keeps: a database for each repository.
fn read_offer(tree: &dyn Tree, packages: &[Package], facts: &mut RepositoryFacts) {
    let mut catalog = Catalog::new(System::FreebsdPkg, native_arch(packages, &["pkg"]).unwrap_or_default());
    for at in 0..facts.repositories.len() {
        let repository = &facts.repositories[at];
        let name = &repository.name;
        let files = [format!("var/db/pkg/repos/{name}/db"), format!("var/db/pkg/repo-{name}.sqlite")];
        let Some(file) = files.into_iter().find(|file| repository.enabled && tree.exists(file)) else {
            continue;
        };
        let list = PackageList {
            repository: name.clone(),
            date: tree.node(file.as_ref(), true).ok().and_then(|node| time_text(node.changed_at)),
            file: file.as_str().into(),
            ..PackageList::default()
        };
        match list_of(tree, &file) {
            Ok(read) => facts.offer(&mut catalog, list, at, vec![read]),
            Err(why) => facts.unread.push(Unread::whole(file, why)),
        }
    }
    facts.catalog = (!catalog.lists.is_empty()).then_some(catalog);
}

/// Reads the database of a repository.
pub(crate) fn list_of(tree: &dyn Tree, file: &str) -> Result<ListRead, String> {
    let mut facts = PackageFacts::default();
    let mut sizes: FxHashMap<Text, u64> = FxHashMap::default();
    let mut all = |database: &Database| {
        read(database, &mut facts)?;
        if !database.columns("packages").iter().any(|column| column == "pkgsize") {
            return Ok(());
        }
        database.each("SELECT name, pkgsize FROM packages", |row| {
            let bytes = row.get_ref(1)?.as_i64().ok().and_then(|bytes| u64::try_from(bytes).ok());
            sizes.extend(bytes.map(|bytes| (column(row, 0).unwrap_or_default(), bytes)));
            Ok(())
        })
    };
    Database::open(tree, file)
        .and_then(|database| all(&database))
        .map_err(|error: DatabaseError| error.to_string())?;
    let mut read = ListRead::of(&LINES);
    read.nameless = facts.unread.len();
    for mut package in facts.packages {
        package.download_bytes = sizes.get(&package.name).copied();
        read.push(&Offered::of(package));
    }
    Ok(read)
}

/// All packages with what other tables say of them.
fn read(database: &Database, facts: &mut PackageFacts) -> Result<(), DatabaseError> {
    let columns = database.columns("packages");
    let or_null = |name: &str| {
        if columns.iter().any(|column| column == name) { format!("p.{name}") } else { "NULL".to_owned() }
    };
    let wanted =
        ["name", "version", "origin", "comment", "arch", "www", "flatsize", "automatic", "time", "vital"];
    let sql = format!("SELECT p.id, {} FROM packages p ORDER BY p.id", wanted.map(or_null).join(", "));
    let mut by_id: FxHashMap<i64, usize> = FxHashMap::default();
    database.each(&sql, |row| {
        let id = row.get::<_, i64>(0)?;
        match package(row)? {
            Some(package) => {
                by_id.insert(id, facts.packages.len());
                facts.packages.push(package);
            }
            None => {
                facts.unread.push(Unread::whole(DATABASE, format!("package {id} has no name and version")));
            }
        }
        Ok(())
    })?;
    let licenses: RefCell<FxHashMap<Text, Vec<Text>>> = RefCell::default();
    let packages = &mut facts.packages;
    let mut side =
        |table: &str, sql: &str, write: &dyn Fn(&mut Package, Text, Text)| -> Result<(), DatabaseError> {
            if !database.has_table(table) {
                return Ok(());
            }
            database.each(sql, |row| {
                if let Some(at) = by_id.get(&row.get::<_, i64>(0)?) {
                    write(&mut packages[*at], column(row, 1)?, column(row, 2)?);
                }
                Ok(())
            })
        };
    side(
        "deps",
        "SELECT package_id, name, version FROM deps ORDER BY package_id, name",
        &|package, name, version| {
            let version = filled(version);
            let op = version.as_ref().map(|_| VersionOp::AtLeast);
            package.depends.push(smallvec![Dependency { name, op, version }]);
        },
    )?;
    side(
        "pkg_licenses",
        "SELECT l.package_id, n.name, '' FROM pkg_licenses l JOIN licenses n ON n.id = l.license_id ORDER BY 1, 2",
        &|package, name, _| licenses.borrow_mut().entry(package.name.clone()).or_default().push(name),
    )?;
    side(
        "pkg_provides",
        "SELECT l.package_id, n.provide, '' FROM pkg_provides l JOIN provides n ON n.id = l.provide_id ORDER BY 1, 2",
        &|package, name, _| {
            package.provides.push(Dependency { name, op: None, version: None });
        },
    )?;
    side(
        "pkg_annotation",
        "SELECT l.package_id, k.annotation, v.annotation FROM pkg_annotation l JOIN annotation k ON k.annotation_id = l.tag_id JOIN annotation v ON v.annotation_id = l.value_id ORDER BY 1, 2",
        &|package, key, value| match key.as_str() {
            "repository" => package.repository = filled(value),
            "build_timestamp" => package.built = day_of(&value).map(|day| day.to_string().into()),
            _ => {}
        },
    )?;
    let licenses = licenses.into_inner();
    for package in &mut facts.packages {
        package.license = licenses.get(&package.name).map(|names| names.join(" AND ").into());
    }
    if !columns.iter().any(|column| column == "automatic") {
        facts.missing.push(MissingFact::Reasons);
    }
    Ok(())
}

fn column(row: &Row<'_>, at: usize) -> rusqlite::Result<Text> {
    Ok(match row.get_ref(at)? {
        ValueRef::Text(bytes) | ValueRef::Blob(bytes) => text(bytes),
        ValueRef::Integer(number) => smol_str::format_smolstr!("{number}"),
        _ => Text::default(),
    })
}

fn package(row: &Row<'_>) -> rusqlite::Result<Option<Package>> {
    let number = |at: usize| row.get_ref(at).ok().and_then(|value| value.as_i64().ok());
    let (Some(name), Some(version)) = (filled(column(row, 1)?), filled(column(row, 2)?)) else {
        return Ok(None);
    };
    let mut package = Package::new(System::FreebsdPkg, name, version);
    package.upstream_version = upstream(System::FreebsdPkg, &package.version).into();
    let origin = column(row, 3)?;
    // `editors/inkcap`: the category of the tree of ports, and the port that it was made from.
    if let Some((category, port)) = origin.split_once('/') {
        package.section = category.into();
        package.source = filled(port.into()).filter(|port| *port != package.name);
    } else {
        package.section = origin;
    }
    package.summary = column(row, 4)?;
    // `FreeBSD:14:amd64`, or the same in small letters.
    package.arch = column(row, 5)?.rsplit(':').next().unwrap_or_default().into();
    package.homepage = column(row, 6)?;
    package.installed_bytes = number(7).and_then(|bytes| u64::try_from(bytes).ok());
    package.reason = match number(8) {
        Some(0) => Reason::Explicit,
        Some(_) => Reason::Dependency,
        None => Reason::Unknown,
    };
    package.installed_at = number(9).and_then(time_text);
    package.essential = number(10).is_some_and(|vital| vital != 0);
    package.evidence = Evidence::file(DATABASE);
    Ok(Some(package))
}

/// Repositories by name: `Name: { url: "...", enabled: yes }`, in the Universal Configuration Language.
fn repositories(tree: &dyn Tree, label: &Label) -> Vec<Repository> {
    let mut repositories: Vec<Repository> = Vec::new();
    let mut places = FxHashMap::default();
    for folder in FOLDERS {
        for entry in tree.names(folder) {
            let name = name_text(&entry.name);
            let path = format!("{folder}/{name}");
            let Ok(bytes) = tree.read(&path) else { continue };
            if name.ends_with(".conf") {
                settings(&bytes, &path, label, (&mut repositories, &mut places));
            }
        }
    }
    repositories
}

/// Reads the settings of repositories, each into the one of its name, by the places that names have in the list.
fn settings(
    bytes: &[u8],
    path: &str,
    label: &Label,
    (repositories, places): (&mut Vec<Repository>, &mut FxHashMap<String, usize>),
) {
    let mut here: Option<usize> = None;
    for (number, line) in lines(bytes) {
        let line = text(line);
        let line = line.split('#').next().unwrap_or_default().trim();
        // A brace inside quotes is a variable of an address.
        let head = line.split_once('{').filter(|(head, _)| !head.contains('"'));
        if let Some((head, _)) = head {
            let name = head.trim().trim_end_matches([':', '=']).trim();
            here = Some(*places.entry(name.to_owned()).or_insert_with(|| {
                let at = repositories.len();
                repositories.push(Repository::new(
                    System::FreebsdPkg,
                    name,
                    Reduced::default(),
                    Evidence::line(path, number),
                ));
                at
            }));
        }
        let Some(repository) = here.and_then(|at| repositories.get_mut(at)) else { continue };
        let inner = head.map_or(line, |(_, rest)| rest);
        for setting in inner.trim_end_matches('}').split([',', ';']) {
            let Some((key, value)) = setting.split_once([':', '=']) else { continue };
            let value = value.trim().trim_matches(['"', '\'', '}', ' ']);
            match key.trim().trim_matches('"') {
                "url" => {
                    repository.uri = Reduced::address(value.strip_prefix("pkg+").unwrap_or(value));
                    *repository = repository.clone().owned_by(&label.distro_id);
                }
                "enabled" => repository.enabled = matches!(value, "yes" | "true" | "on" | "1"),
                "fingerprints" | "pubkey" => {
                    repository.signed_by = filled(value.into()).map(|key| Reduced::address(&key));
                }
                _ => {}
            }
        }
        if line.ends_with('}') {
            here = None;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn repositories_and_what_a_later_file_changes() {
        let tree = tally_trees::MemoryTree::new()
            .file(
                "etc/pkg/Marsh.conf",
                "# comment {\nMarsh: {\n  url: \"pkg+https://pkg.saltmarsh.example/${ABI}/quarterly\",\n  mirror_type: \"srv\",\n  fingerprints: \"/usr/share/keys/pkg\",\n  enabled: yes\n}\nMarsh-kmods: { url: \"https://x.example\", enabled: no }\n",
            )
            .file("usr/local/etc/pkg/repos/Marsh.conf", "Marsh: { enabled: no }\n");
        let label = Label { distro_id: "saltmarsh".into(), ..Label::default() };
        let said: Vec<_> = repositories(&tree, &label)
            .into_iter()
            .map(|one| (one.name, one.uri, one.enabled, one.official, one.signed_by))
            .collect();
        let uri = "https://pkg.saltmarsh.example/${ABI}/quarterly";
        assert_eq!(
            said,
            [
                ("Marsh".into(), uri.into(), false, Some(true), Some("/usr/share/keys/pkg".into())),
                ("Marsh-kmods".into(), "https://x.example".into(), false, None, None),
            ]
        );
    }
}
