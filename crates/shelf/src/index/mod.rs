//! An index beside the tallies, so that a question to all of them need not read them all.
//!
//! It is a cache and nothing more: one `SQLite` file that may be deleted at any time. Whoever opens it brings it up to date first, by
//! the size and the time of each tally's file; so no writer has to know of it, and a tally edited by hand is found out. What it says is
//! never taken for a tally's own word where more than names and versions are asked.

mod ask;
mod refresh;
mod rows;

use crate::ShelfError;
use crate::folder::Shelf;
use rusqlite::Connection;
use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::time::Duration;

/// Name of the index in the folder of the shelf.
const FILE: &str = ".index.sqlite";

/// Changes whenever the tables do; an index of another number is made anew.
const SCHEMA: i64 = 6;

const TABLES: &str = "
    CREATE TABLE install (id INTEGER PRIMARY KEY, handle TEXT NOT NULL UNIQUE, size INTEGER NOT NULL, changed INTEGER NOT NULL,
        label TEXT, taken_at TEXT, packages INTEGER, applications INTEGER, bytes INTEGER, problem TEXT, day TEXT);
    CREATE TABLE word (id INTEGER PRIMARY KEY, text TEXT NOT NULL UNIQUE);
    CREATE TABLE thing (key INTEGER, install INTEGER, sort INTEGER, number INTEGER, name INTEGER, version INTEGER, system INTEGER,
        source INTEGER, PRIMARY KEY (key, install, sort, number)) WITHOUT ROWID;
    CREATE TABLE picture (install INTEGER NOT NULL, kind TEXT NOT NULL, name TEXT NOT NULL, sha256 TEXT NOT NULL, likeness TEXT);
    CREATE TABLE releases (id INTEGER PRIMARY KEY, project TEXT NOT NULL, file TEXT NOT NULL, released TEXT NOT NULL,
        UNIQUE (project, file, released));
    CREATE TABLE releases_of (install INTEGER, releases INTEGER, PRIMARY KEY (releases, install)) WITHOUT ROWID;
    CREATE TABLE kin (family INTEGER, key INTEGER, PRIMARY KEY (family, key)) WITHOUT ROWID;
    CREATE TABLE claim (claimed INTEGER, claimant INTEGER, PRIMARY KEY (claimed, claimant)) WITHOUT ROWID;
";

/// An index that is up to date with its shelf.
#[derive(Debug)]
pub struct Index {
    /// Where it is, or would be.
    path: PathBuf,
    db: Connection,
}

impl Index {
    /// Opens the index of a shelf, made anew where it is missing, damaged or of another version, and brings it up to date.
    ///
    /// `progress` hears how many of how many tallies have been read, when any has to be. Where the folder can't be written the
    /// index is made in memory, and lost.
    ///
    /// # Errors
    /// When there is no place for a shelf, when the folder can't be read, or `SQLite` fails twice.
    pub fn open(shelf: &Shelf, progress: &mut dyn FnMut(usize, usize)) -> Result<Self, ShelfError> {
        shelf.is_somewhere()?;
        let path = shelf.folder().join(FILE);
        let first = Self::at(&path).and_then(|mut index| index.refresh(shelf, progress).map(|()| index));
        match first {
            Err(ShelfError::Index { .. }) => {
                // Whatever it is, it can be made again.
                _ = std::fs::remove_file(&path);
                let again =
                    Self::at(&path).and_then(|mut index| index.refresh(shelf, progress).map(|()| index));
                again.or_else(|_| {
                    let mut index = Self::in_memory(&path)?;
                    index.refresh(shelf, progress).map(|()| index)
                })
            }
            other => other,
        }
    }

    /// Removes the index of a shelf, so that the next one to open it makes it anew.
    ///
    /// # Errors
    /// When it is there and can't be removed.
    pub fn remove(shelf: &Shelf) -> Result<(), ShelfError> {
        let path = shelf.folder().join(FILE);
        match std::fs::remove_file(&path) {
            Err(error) if error.kind() != std::io::ErrorKind::NotFound => Err(ShelfError::io(path, error)),
            _ => Ok(()),
        }
    }

    fn at(path: &Path) -> Result<Self, ShelfError> {
        if !path.parent().is_some_and(Path::is_dir) {
            return Self::in_memory(path);
        }
        Self::prepared(Connection::open(path).map_err(|error| failed(path, error))?, path)
    }

    fn in_memory(path: &Path) -> Result<Self, ShelfError> {
        Self::prepared(Connection::open_in_memory().map_err(|error| failed(path, error))?, path)
    }

    fn prepared(db: Connection, path: &Path) -> Result<Self, ShelfError> {
        let prepare = || -> rusqlite::Result<()> {
            db.busy_timeout(Duration::from_secs(120))?;
            // A lost index costs a minute, and none is lost when a program is killed; the disk need not be waited for.
            db.execute_batch(
                "PRAGMA trusted_schema = OFF; PRAGMA synchronous = OFF; PRAGMA cache_size = -65536; PRAGMA temp_store = MEMORY;",
            )?;
            let schema: i64 = db.query_row("PRAGMA user_version", [], |row| row.get(0))?;
            if schema == SCHEMA {
                // What has our number and other tables is not ours: a view may be a question without end.
                return if has_just_our_tables(&db)? { Ok(()) } else { Err(rusqlite::Error::InvalidQuery) };
            }
            db.execute_batch("BEGIN IMMEDIATE")?;
            let schema: i64 = db.query_row("PRAGMA user_version", [], |row| row.get(0))?;
            if schema == 0 {
                db.execute_batch(TABLES)?;
                db.pragma_update(None, "user_version", SCHEMA)?;
            } else if schema != SCHEMA {
                return Err(rusqlite::Error::InvalidQuery);
            }
            db.execute_batch("COMMIT")
        };
        prepare().map_err(|error| failed(path, error))?;
        Ok(Self { db, path: path.into() })
    }
}

/// Whether an index consists of [`TABLES`], and of nothing else.
fn has_just_our_tables(db: &Connection) -> rusqlite::Result<bool> {
    let mut statement = db.prepare("SELECT sql FROM sqlite_master WHERE sql IS NOT NULL")?;
    let there: BTreeSet<String> =
        statement.query_map([], |row| row.get(0))?.collect::<rusqlite::Result<_>>()?;
    let ours = TABLES.split(';').map(str::trim).filter(|table| !table.is_empty());
    Ok(there == ours.map(str::to_owned).collect())
}

fn failed(path: &Path, source: rusqlite::Error) -> ShelfError {
    ShelfError::Index { path: PathBuf::from(path), source: Box::new(source) }
}
