//! Stores of Nix and Guix: a folder for each package, a profile with links into them, and the database that says what refers to what.

use super::item::{Item, items};
use super::{Root, shape};
use crate::world::Shipped;
use crate::{Install, WorldError};

/// Where a store and its records are.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Store {
    folder: &'static str,
    database: &'static str,
    profile: &'static str,
    /// The link in the profile to what was asked for.
    asked_for: &'static str,
}

pub(super) const NIX: Store = Store {
    folder: "nix/store",
    database: "nix/var/nix/db/db.sqlite",
    profile: "nix/var/nix/profiles/system",
    asked_for: "sw",
};

pub(super) const GUIX: Store = Store {
    folder: "gnu/store",
    database: "var/guix/db/db.sqlite",
    profile: "var/guix/profiles/system",
    asked_for: "profile",
};

/// Numbers of the profile and of what was asked for among the paths; packages follow.
const SYSTEM: usize = 1;
const ASKED_FOR: usize = 2;

pub(super) fn write(
    root: &Root<'_>,
    install: &Install,
    packages: &[Shipped<'_>],
    store: Store,
) -> Result<(), WorldError> {
    let in_store = |number: usize, name: &str| format!("{}/{number:032}-{name}", store.folder);
    let (system, asked_for) = (in_store(SYSTEM, "system"), in_store(ASKED_FOR, "system-path"));
    let items = items(root, install, packages, &format!("{asked_for}/"), &|_| None)?;
    let paths: Vec<String> = items
        .iter()
        .enumerate()
        .map(|(at, item)| in_store(ASKED_FOR + 1 + at, &format!("{}-{}", stored(item.name()), item.upstream)))
        .collect();
    for (item, path) in items.iter().zip(&paths) {
        for (file, content) in shape::files(item.shipped) {
            let Some(rest) = file.strip_prefix("usr/") else { continue };
            let (own, shown) = (format!("{path}/{rest}"), format!("{asked_for}/{rest}"));
            root.file(&own, content)?;
            root.remove(&shown)?;
            root.link(&shown, &format!("/{own}"))?;
        }
    }
    root.link(&format!("{system}/{}", store.asked_for), &format!("/{asked_for}"))?;
    let last = store.profile.rsplit('/').next().unwrap_or_default();
    root.link(store.profile, &format!("{last}-1-link"))?;
    root.link(&format!("{}-1-link", store.profile), &format!("/{system}"))?;
    let path = root.at(store.database)?;
    database(&path, &items, &[vec![system, asked_for], paths].concat())
        .map_err(|source| WorldError::Database { path: path.clone(), source })?;
    if store == NIX {
        return root.file("root/.nix-channels", "https://channels.saltmarsh.example/5.0 saltmarsh\n");
    }
    root.file(
        "etc/guix/channels.scm",
        "(list (channel\n  (name 'saltmarsh)\n  (url \"https://git.saltmarsh.example/channel.git\")))\n",
    )
}

/// A name as the store may have it: a hyphen before a digit would begin the version.
fn stored(name: &str) -> String {
    let mut stored = String::new();
    for (at, letter) in name.char_indices() {
        let is_version = letter == '-' && name[at + 1..].starts_with(|next: char| next.is_ascii_digit());
        stored.push(if is_version { '_' } else { letter });
    }
    stored
}

fn database(path: &std::path::Path, items: &[Item<'_>], paths: &[String]) -> rusqlite::Result<()> {
    let connection = rusqlite::Connection::open(path)?;
    connection.execute_batch(
        "CREATE TABLE ValidPaths (id INTEGER PRIMARY KEY AUTOINCREMENT NOT NULL, path TEXT UNIQUE NOT NULL, hash TEXT NOT NULL,
            registrationTime INTEGER NOT NULL, deriver TEXT, narSize INTEGER, ultimate INTEGER, sigs TEXT, ca TEXT);
         CREATE TABLE Refs (referrer INTEGER NOT NULL, reference INTEGER NOT NULL, PRIMARY KEY (referrer, reference));
         BEGIN;",
    )?;
    for (number, path) in paths.iter().enumerate() {
        let bytes = number.checked_sub(ASKED_FOR).and_then(|at| Some(items.get(at)?.bytes())).unwrap_or(1);
        connection.execute(
            "INSERT INTO ValidPaths (path, hash, registrationTime, narSize) VALUES (?1, 'sha256:0', 1, ?2)",
            (format!("/{path}"), bytes.cast_signed()),
        )?;
    }
    let refer = |from: usize, to: usize| {
        let sql = "INSERT OR IGNORE INTO Refs VALUES (?1, ?2)";
        connection.execute(sql, (from.cast_signed() as i64, to.cast_signed() as i64)).map(|_| ())
    };
    refer(SYSTEM, ASKED_FOR)?;
    let number_of = |name: &str| {
        let is = |item: &Item<'_>| item.name() == name || item.provides.iter().any(|one| one.name == name);
        items.iter().position(is).map(|at| ASKED_FOR + 1 + at)
    };
    for (at, item) in items.iter().enumerate() {
        let own = ASKED_FOR + 1 + at;
        // What nobody asked for is part of the system all the same.
        refer(if item.followed { SYSTEM } else { ASKED_FOR }, own)?;
        for need in item.needs.iter().filter_map(|need| number_of(&need.name)) {
            refer(own, need)?;
        }
    }
    connection.execute_batch("COMMIT;")
}
