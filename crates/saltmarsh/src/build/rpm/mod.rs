//! The database of rpm in any of its formats, what the resolvers remember, and the repositories.

mod header;
mod stores;

use super::item::{Item, Need, items};
use super::{Root, gzip, lines};
use crate::world::Shipped;
use crate::{Install, WorldError};
use std::fmt::Write;

/// The format of the database.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RpmStore {
    /// `rpmdb.sqlite`, below `usr/lib/sysimage`; dnf5 remembers why packages are there.
    Sqlite,
    /// `Packages.db`, below `usr/lib/sysimage`; zypp remembers.
    Ndb,
    /// `Packages` in the order of bytes of a small machine, below `var/lib`; dnf remembers.
    Berkeley,
    /// `Packages` in the order of bytes of a big machine, below `usr/share`, as image-based systems have it; nobody
    /// remembers.
    BerkeleyBigEndian,
}

pub(super) fn write(
    root: &Root<'_>,
    install: &Install,
    packages: &[Shipped<'_>],
    store: RpmStore,
) -> Result<(), WorldError> {
    let items = items(root, install, packages, "usr/", &|_| None)?;
    let mut blobs: Vec<Vec<u8>> = items.iter().map(header::blob).collect();
    blobs.push(header::key());
    match store {
        RpmStore::Sqlite => {
            stores::sqlite(&root.at("usr/lib/sysimage/rpm/rpmdb.sqlite")?, &blobs)?;
            dnf5(root, &items)?;
        }
        RpmStore::Ndb => {
            root.file("usr/lib/sysimage/rpm/Packages.db", stores::ndb(&blobs))?;
            zypp(root, &items)?;
        }
        RpmStore::Berkeley => {
            root.file("var/lib/rpm/Packages", stores::berkeley(&blobs, false))?;
            dnf(root, &items)?;
        }
        RpmStore::BerkeleyBigEndian => root.file("usr/share/rpm/Packages", stores::berkeley(&blobs, true))?,
    }
    root.file(
        "etc/yum.repos.d/marsh.repo",
        "[marsh]\nname=Saltmarsh\nbaseurl=https://pkg.saltmarsh.example/$releasever/$basearch/\ngpgkey=file:///etc/pki/marsh\n\n[marsh-debug]\nname=Debug\nmetalink=https://mirrors.saltmarsh.example/debug\nenabled=0\n",
    )
}

/// The list of the repository, where the resolver of the store keeps it, as createrepo writes it.
pub(in crate::build) fn lists(
    root: &Root<'_>,
    archive: &[Shipped<'_>],
    store: RpmStore,
) -> Result<(), WorldError> {
    let folder = match store {
        RpmStore::Sqlite => "var/cache/libdnf5/marsh-5a17ed005a17ed00",
        RpmStore::Ndb => "var/cache/zypp/raw/marsh",
        RpmStore::Berkeley => "var/cache/dnf/marsh-5a17ed005a17ed00",
        // Whoever runs from an image keeps no lists.
        RpmStore::BerkeleyBigEndian => return Ok(()),
    };
    let mut list = String::from(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<metadata xmlns=\"http://linux.duke.edu/metadata/common\" xmlns:rpm=\"http://linux.duke.edu/metadata/rpm\">\n",
    );
    Item::offered(archive).iter().for_each(|item| list.push_str(&element(item)));
    list.push_str("</metadata>\n");
    let fail = |source| WorldError::Io { path: "primary.xml.gz".into(), source };
    root.file(&format!("{folder}/repodata/5a17-primary.xml.gz"), gzip(list.as_bytes()).map_err(fail)?)?;
    root.file(&format!("{folder}/repodata/repomd.xml"), "<repomd><revision>1777795200</revision></repomd>\n")
}

/// A package of the list.
fn element(item: &Item<'_>) -> String {
    let Item { shipped, epoch, upstream, revision, .. } = item;
    let entry = |need: &Need| {
        let version = need.sign.as_ref().map(|(sign, version)| {
            let flags = match *sign {
                "<" => "LT",
                "<=" => "LE",
                ">" => "GT",
                ">=" => "GE",
                _ => "EQ",
            };
            format!(" flags=\"{flags}\" epoch=\"0\" ver=\"{version}\"")
        });
        format!("<rpm:entry name=\"{}\"{}/>", need.name, version.unwrap_or_default())
    };
    let list = |name: &str, needs: &[Need]| match needs {
        [] => String::new(),
        needs => format!("<rpm:{name}>{}</rpm:{name}>", needs.iter().map(entry).collect::<String>()),
    };
    let own = Need { name: item.name().to_owned(), sign: Some(("=", upstream.clone())) };
    let provides: Vec<Need> = std::iter::once(own).chain(item.provides.iter().cloned()).collect();
    format!(
        "<package type=\"rpm\"><name>{}</name><arch>{}</arch><version epoch=\"{}\" ver=\"{upstream}\" rel=\"{revision}.sm\"/><summary>{}</summary><size package=\"{}\" installed=\"{}\" archive=\"0\"/><format><rpm:license>MIT</rpm:license><rpm:sourcerpm>{}-{upstream}-{revision}.sm.src.rpm</rpm:sourcerpm>{}{}{}{}</format></package>\n",
        item.name(),
        item.arch("noarch"),
        epoch.as_deref().unwrap_or("0"),
        shipped.summary,
        crate::build::dpkg::packed(shipped),
        item.bytes(),
        item.source(),
        list("provides", &provides),
        list("requires", &item.needs),
        list("recommends", &item.recommends),
        list("obsoletes", &item.replaces),
    )
}

/// What one package came from; one was built by whoever installed it.
fn from(item: &Item<'_>) -> &'static str {
    if item.name() == "duckboard" { "@commandline" } else { "marsh" }
}

fn dnf5(root: &Root<'_>, items: &[Item<'_>]) -> Result<(), WorldError> {
    let (mut packages, mut origins) =
        ("version = \"1.0\"\n[packages]\n".to_owned(), "version = \"1.0\"\n[nevras]\n".to_owned());
    for item in items {
        let (name, arch) = (item.name(), item.arch("noarch"));
        let reason = if item.followed { "Dependency" } else { "User" };
        _ = writeln!(packages, "\"{name}.{arch}\" = {{reason = \"{reason}\"}}");
        let epoch = item.epoch.as_deref().unwrap_or("0");
        let (upstream, revision) = (&item.upstream, &item.revision);
        _ = writeln!(
            origins,
            "\"{name}-{epoch}:{upstream}-{revision}.sm.{arch}\" = {{from_repo = \"{}\"}}",
            from(item)
        );
    }
    root.file("usr/lib/sysimage/libdnf5/packages.toml", packages)?;
    root.file("usr/lib/sysimage/libdnf5/nevras.toml", origins)
}

fn zypp(root: &Root<'_>, items: &[Item<'_>]) -> Result<(), WorldError> {
    let followed = items.iter().filter(|item| item.followed).map(Item::name);
    root.file("var/lib/zypp/AutoInstalled", format!("# names\n\n{}", lines(followed)))?;
    let log = items.iter().filter(|item| from(item) == "marsh").map(|item| {
        let Item { upstream, revision, .. } = item;
        let (name, arch) = (item.name(), item.arch("noarch"));
        format!("2026-05-04 09:46:40|install|{name}|{upstream}-{revision}.sm|{arch}|root@marsh|marsh|0a1b|")
    });
    root.file("var/log/zypp/history", lines(log))?;
    root.file("etc/zypp/repos.d/extra.repo", "[extra]\nenabled=0\nbaseurl=dir:/srv/extra\n")
}

/// The history of dnf before 5: a transaction, its items, where they came from.
fn dnf(root: &Root<'_>, items: &[Item<'_>]) -> Result<(), WorldError> {
    let path = root.at("var/lib/dnf/history.sqlite")?;
    let write = || -> rusqlite::Result<()> {
        let connection = rusqlite::Connection::open(&path)?;
        connection.execute_batch(
            "CREATE TABLE trans (id INTEGER PRIMARY KEY, dt_begin INTEGER, state INTEGER);
             CREATE TABLE repo (id INTEGER PRIMARY KEY, repoid TEXT);
             CREATE TABLE rpm (item_id INTEGER PRIMARY KEY, name TEXT, epoch INTEGER, version TEXT, release TEXT, arch TEXT);
             CREATE TABLE trans_item (id INTEGER PRIMARY KEY, trans_id INTEGER, item_id INTEGER, repo_id INTEGER, action INTEGER, reason INTEGER, state INTEGER);
             INSERT INTO trans VALUES (1, 1777888000, 1);
             INSERT INTO repo VALUES (1, 'marsh'), (2, '@commandline');
             BEGIN;",
        )?;
        for (number, item) in (1..).zip(items) {
            let arch = item.arch("noarch");
            let epoch: u32 = item.epoch.as_ref().and_then(|epoch| epoch.parse().ok()).unwrap_or(0);
            connection.execute(
                "INSERT INTO rpm VALUES (?1, ?2, ?3, ?4, ?5, ?6)",
                (number, item.name(), epoch, &item.upstream, &item.revision, arch),
            )?;
            let (repository, reason) = (1 + i32::from(from(item) != "marsh"), 2 - i32::from(item.followed));
            connection.execute(
                "INSERT INTO trans_item VALUES (?1, 1, ?1, ?2, 1, ?3, 1)",
                (number, repository, reason),
            )?;
        }
        connection.execute_batch("COMMIT;")
    };
    write().map_err(|source| WorldError::Database { path: path.clone(), source })
}
