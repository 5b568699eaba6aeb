//! The database of FreeBSD's packages, the base system's own version, its repositories, and what `rc` starts.

use super::Root;
use super::item::{INSTALLED_AT, Item, items};
use crate::world::Shipped;
use crate::{Install, WorldError};
use std::fmt::Write;

pub(super) fn write(root: &Root<'_>, install: &Install, packages: &[Shipped<'_>]) -> Result<(), WorldError> {
    let items = items(root, install, packages, "usr/local/", &script)?;
    let path = root.at("var/db/pkg/local.sqlite")?;
    database(&path, &items).map_err(|source| WorldError::Database { path: path.clone(), source })?;
    root.file("bin/freebsd-version", "#!/bin/sh\nUSERLAND_VERSION=\"14.1-RELEASE-p3\"\n")?;
    root.file(
        "etc/pkg/Saltmarsh.conf",
        "Saltmarsh: {\n  url: \"pkg+https://pkg.saltmarsh.example/${ABI}/quarterly\",\n  fingerprints: \"/usr/share/keys/pkg\",\n  enabled: yes\n}\n",
    )?;
    let mut switches = "hostname=\"marsh\"\n".to_owned();
    for item in items.iter().filter(|item| item.is_service()) {
        let name = item.name();
        _ = writeln!(switches, "{}_enable=\"YES\"", name.replace('-', "_"));
    }
    root.file("etc/rc.conf", switches)
}

/// The list of the repository: a database of the same kind, with what is to be downloaded.
pub(super) fn lists(root: &Root<'_>, archive: &[Shipped<'_>]) -> Result<(), WorldError> {
    let path = root.at("var/db/pkg/repos/Saltmarsh/db")?;
    let items = Item::offered(archive);
    let write = || -> rusqlite::Result<()> {
        database(&path, &items)?;
        let connection = rusqlite::Connection::open(&path)?;
        connection.execute_batch("ALTER TABLE packages ADD COLUMN pkgsize INTEGER; BEGIN;")?;
        for item in &items {
            let bytes = super::dpkg::packed(item.shipped).cast_signed();
            connection.execute("UPDATE packages SET pkgsize = ?1 WHERE name = ?2", (bytes, item.name()))?;
        }
        connection.execute_batch("COMMIT;")
    };
    write().map_err(|source| WorldError::Database { path: path.clone(), source })
}

fn script(package: &Shipped<'_>) -> Option<(String, String)> {
    let name = package.name;
    let script =
        format!("#!/bin/sh\n# PROVIDE: {name}\nname=\"{name}\"\ncommand=\"/usr/local/sbin/{name}\"\n");
    Some((format!("usr/local/etc/rc.d/{name}"), script))
}

fn database(path: &std::path::Path, items: &[Item<'_>]) -> rusqlite::Result<()> {
    let connection = rusqlite::Connection::open(path)?;
    connection.execute_batch(
        "CREATE TABLE packages (id INTEGER PRIMARY KEY, origin TEXT NOT NULL, name TEXT NOT NULL, version TEXT NOT NULL, comment TEXT NOT NULL,
            desc TEXT NOT NULL, arch TEXT NOT NULL, maintainer TEXT NOT NULL, www TEXT, prefix TEXT NOT NULL, flatsize INTEGER NOT NULL,
            automatic INTEGER NOT NULL, locked INTEGER NOT NULL DEFAULT 0, time INTEGER, vital INTEGER NOT NULL DEFAULT 0);
         CREATE TABLE files (path TEXT PRIMARY KEY, sha256 TEXT, package_id INTEGER);
         CREATE TABLE deps (origin TEXT NOT NULL, name TEXT NOT NULL, version TEXT NOT NULL, package_id INTEGER);
         CREATE TABLE licenses (id INTEGER PRIMARY KEY, name TEXT NOT NULL);
         CREATE TABLE pkg_licenses (package_id INTEGER, license_id INTEGER);
         CREATE TABLE provides (id INTEGER PRIMARY KEY, provide TEXT UNIQUE NOT NULL);
         CREATE TABLE pkg_provides (package_id INTEGER, provide_id INTEGER);
         CREATE TABLE annotation (annotation_id INTEGER PRIMARY KEY, annotation TEXT NOT NULL);
         CREATE TABLE pkg_annotation (package_id INTEGER, tag_id INTEGER, value_id INTEGER);
         INSERT INTO licenses VALUES (1, 'MIT');
         INSERT INTO annotation VALUES (1, 'repository'), (2, 'Saltmarsh');
         BEGIN;",
    )?;
    for (number, item) in (1_i64..).zip(items) {
        let version = version(item);
        let origin = format!("{}/{}", item.shipped.section, item.source());
        let arch = item.arch("*");
        connection.execute(
            "INSERT INTO packages (id, origin, name, version, comment, desc, arch, maintainer, www, prefix, flatsize, automatic, time)
             VALUES (?1, ?2, ?3, ?4, ?5, ?5, ?6, 'makers@saltmarsh.example', 'https://saltmarsh.example/', '/usr/local', ?7, ?8, ?9)",
            (number, origin, item.name(), version, item.shipped.summary, format!("FreeBSD:14:{arch}"), item.bytes().cast_signed(), item.followed, INSTALLED_AT.cast_signed()),
        )?;
        for path in &item.files {
            connection
                .execute("INSERT OR IGNORE INTO files VALUES (?1, '', ?2)", (format!("/{path}"), number))?;
        }
        for need in &item.needs {
            let known = items.iter().find(|other| other.name() == need.name);
            let version = known.map(self::version).unwrap_or_default();
            connection
                .execute("INSERT INTO deps VALUES ('x/y', ?1, ?2, ?3)", (&need.name, version, number))?;
        }
        for provided in &item.provides {
            connection.execute("INSERT OR IGNORE INTO provides (provide) VALUES (?1)", [&provided.name])?;
            connection.execute(
                "INSERT INTO pkg_provides SELECT ?1, id FROM provides WHERE provide = ?2",
                (number, &provided.name),
            )?;
        }
        connection.execute("INSERT INTO pkg_licenses VALUES (?1, 1)", [number])?;
        // One package was built by whoever installed it.
        if item.name() != "duckboard" {
            connection.execute("INSERT INTO pkg_annotation VALUES (?1, 1, 2)", [number])?;
        }
    }
    connection.execute_batch("COMMIT;")
}

fn version(item: &Item<'_>) -> String {
    let revision = if item.revision == "0" { String::new() } else { format!("_{}", item.revision) };
    let epoch = item.epoch.as_ref().map_or(String::new(), |epoch| format!(",{epoch}"));
    format!("{}{revision}{epoch}", item.upstream)
}
