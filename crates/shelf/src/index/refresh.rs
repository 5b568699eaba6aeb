//! Brings the index up to date with the tallies' files.

use super::rows::{RowKind, Rows};
use super::{FILE, Index, failed};
use crate::folder::Shelf;
use crate::{ShelfError, read_tally};
use rayon::prelude::*;
use rusqlite::{OptionalExtension, TransactionBehavior, params};
use rustc_hash::{FxHashMap, FxHashSet};
use std::time::UNIX_EPOCH;
use tally_core::compare::stem;
use tally_core::history::as_shipped;

/// Tallies that are read, and put in, at a time.
const AT_ONCE: usize = 48;

/// A tally's file as it is on disk.
#[derive(Debug, Clone, PartialEq, Eq)]
struct OnDisk {
    handle: String,
    size: i64,
    changed: i64,
}

impl Index {
    /// Reads what is new or changed since, and forgets what is gone.
    pub(super) fn refresh(
        &mut self,
        shelf: &Shelf,
        progress: &mut dyn FnMut(usize, usize),
    ) -> Result<(), ShelfError> {
        let path = shelf.folder().join(FILE);
        let on_disk = on_disk(shelf)?;
        let fail = |error| failed(&path, error);
        let stale = self.stale(&on_disk).map_err(fail)?;
        let (gone, new) = stale;
        if gone.is_empty() && new.is_empty() {
            return Ok(());
        }
        let mut words: FxHashMap<String, i64> = FxHashMap::default();
        let many = new.len() > AT_ONCE;
        self.forget(&gone).map_err(fail)?;
        for (i, files) in new.chunks(AT_ONCE).enumerate() {
            if many {
                progress(i * AT_ONCE, new.len());
            }
            let rows: Vec<(OnDisk, Result<Rows, String>)> = files
                .par_iter()
                .map(|file| {
                    let read = read_tally(&shelf.file(&file.handle));
                    (
                        file.clone(),
                        read.map(|tally| Rows::of(&as_shipped(tally))).map_err(|error| error.to_string()),
                    )
                })
                .collect();
            self.put(rows, &mut words).map_err(fail)?;
        }
        if many {
            progress(new.len(), new.len());
        }
        self.sweep().map_err(fail)
    }

    /// Clears what is left of installs that are gone or were read anew, once it is more than what is there.
    fn sweep(&self) -> rusqlite::Result<()> {
        let count = |query: &str| self.db.query_row(query, [], |row| row.get::<_, i64>(0));
        let live = count("SELECT count(*) FROM install")?;
        if count("SELECT count(*) FROM thing WHERE key = 0")? > 2 * live + 64 {
            self.db.execute("DELETE FROM releases_of WHERE install NOT IN (SELECT id FROM install)", [])?;
            self.db.execute("DELETE FROM releases WHERE id NOT IN (SELECT releases FROM releases_of)", [])?;
            self.db.execute("DELETE FROM picture WHERE install NOT IN (SELECT id FROM install)", [])?;
            self.db.execute("DELETE FROM thing WHERE install NOT IN (SELECT id FROM install)", [])?;
        }
        Ok(())
    }

    /// Handles to forget, and files to read.
    fn stale(&self, on_disk: &[OnDisk]) -> rusqlite::Result<(Vec<String>, Vec<OnDisk>)> {
        let mut known = self.db.prepare_cached("SELECT handle, size, changed FROM install")?;
        let known: FxHashMap<String, (i64, i64)> = known
            .query_map([], |row| Ok((row.get(0)?, (row.get(1)?, row.get(2)?))))?
            .collect::<rusqlite::Result<_>>()?;
        let there: FxHashSet<&str> = on_disk.iter().map(|file| file.handle.as_str()).collect();
        let mut gone: Vec<String> =
            known.keys().filter(|handle| !there.contains(handle.as_str())).cloned().collect();
        gone.sort_unstable();
        let new = on_disk.iter().filter(|file| known.get(&file.handle) != Some(&(file.size, file.changed)));
        Ok((gone, new.cloned().collect()))
    }

    /// What was known of an install stays in the table of things until [`Self::sweep`]: finding it there costs more than
    /// leaving it.
    fn forget(&self, handles: &[String]) -> rusqlite::Result<()> {
        for handle in handles {
            self.db.execute("DELETE FROM install WHERE handle = ?1", [handle])?;
        }
        Ok(())
    }

    fn put(
        &mut self,
        tallies: Vec<(OnDisk, Result<Rows, String>)>,
        words: &mut FxHashMap<String, i64>,
    ) -> rusqlite::Result<()> {
        let transaction = self.db.transaction_with_behavior(TransactionBehavior::Immediate)?;
        {
            // An ID is never reused, so rows left over from an interrupted refresh match no install.
            let last: i64 = transaction.query_row(
                "SELECT max((SELECT ifnull(max(id), 0) FROM install), (SELECT ifnull(max(install), 0) FROM thing WHERE key = 0))",
                [],
                |row| row.get(0),
            )?;
            let mut install = last;
            let mut things: Vec<[i64; 8]> = Vec::new();
            let mut intern = Interner::of(&transaction, words)?;
            let mut kin: FxHashSet<(i64, i64)> = FxHashSet::default();
            let mut claims: FxHashSet<(i64, i64)> = FxHashSet::default();
            for (file, rows) in tallies {
                install += 1;
                transaction.execute("DELETE FROM install WHERE handle = ?1", [&file.handle])?;
                let summary = rows.as_ref().ok();
                transaction
                    .prepare_cached(
                        "INSERT INTO install VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, ?11)",
                    )?
                    .execute(params![
                        install,
                        file.handle,
                        file.size,
                        file.changed,
                        summary.map(|rows| rows.label.as_str()),
                        summary.map(|rows| rows.taken_at.as_str()),
                        summary.map(|rows| rows.packages),
                        summary.map(|rows| rows.applications),
                        summary.map(|rows| rows.bytes),
                        rows.as_ref().err(),
                        summary.map(|rows| rows.day.as_str()),
                    ])?;
                // Key 0 remembers the numbers that were given.
                things.push([0, install, 0, 0, 0, 0, 0, 0]);
                let Ok(rows) = rows else { continue };
                for picture in &rows.pictures {
                    transaction.prepare_cached("INSERT INTO picture VALUES (?1, ?2, ?3, ?4, ?5)")?.execute(
                        params![
                            install,
                            picture.kind.name(),
                            picture.name.as_str(),
                            picture.sha256.as_str(),
                            picture.likeness.as_deref()
                        ],
                    )?;
                }
                for (project, file, released) in &rows.releases {
                    // Most installs say the same of a project.
                    transaction
                        .prepare_cached("INSERT OR IGNORE INTO releases VALUES (NULL, ?1, ?2, ?3)")?
                        .execute([project, file, released])?;
                    transaction
                        .prepare_cached(
                            "INSERT OR IGNORE INTO releases_of SELECT ?4, id FROM releases WHERE project = ?1 AND file = ?2 AND released = ?3",
                        )?
                        .execute(params![project, file, released, install])?;
                }
                for (number, thing) in (0..).zip(&rows.things) {
                    let key = intern.id(&thing.key)?;
                    let name = if thing.name.is_empty() { 0 } else { intern.id(&thing.name)? };
                    let version = intern.id(&thing.version)?;
                    let source = if thing.source.is_empty() { 0 } else { intern.id(&thing.source)? };
                    things.push([
                        key,
                        install,
                        thing.sort as i64,
                        number,
                        name,
                        version,
                        thing.system,
                        source,
                    ]);
                    if thing.sort == RowKind::Package {
                        kin.insert((intern.id(&family(&thing.key))?, key));
                        for claimed in &thing.claims {
                            claims.insert((intern.id(claimed)?, key));
                        }
                    }
                }
            }
            // In the order of the table, so that its pages are filled one after the other.
            things.sort_unstable();
            let mut insert = transaction
                .prepare_cached("INSERT OR REPLACE INTO thing VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8)")?;
            for thing in &things {
                insert.execute(*thing)?;
            }
            #[allow(clippy::iter_over_hash_type, reason = "each pair goes to a place of its own")]
            for (table, pairs) in [("kin", kin), ("claim", claims)] {
                let mut insert =
                    transaction.prepare_cached(&format!("INSERT OR IGNORE INTO {table} VALUES (?1, ?2)"))?;
                for (a, b) in pairs {
                    insert.execute([a, b])?;
                }
            }
        }
        transaction.commit()
    }
}

/// What names of one series have in common.
fn family(key: &str) -> String {
    format!("#{}", stem(key))
}

/// Every tally's file, by handle.
fn on_disk(shelf: &Shelf) -> Result<Vec<OnDisk>, ShelfError> {
    let handles = shelf.handles()?;
    let read = |handle: &String| {
        let data = shelf.file(handle).metadata().ok()?;
        let changed = data.modified().ok()?.duration_since(UNIX_EPOCH).ok()?;
        Some(OnDisk {
            handle: handle.clone(),
            size: i64::try_from(data.len()).unwrap_or(i64::MAX),
            changed: i64::try_from(changed.as_nanos()).unwrap_or(i64::MAX),
        })
    };
    Ok(handles.iter().filter_map(read).collect())
}

/// Gives texts numbers, each once.
struct Interner<'a> {
    db: &'a rusqlite::Transaction<'a>,
    words: &'a mut FxHashMap<String, i64>,
    next: i64,
}

impl<'a> Interner<'a> {
    fn of(
        db: &'a rusqlite::Transaction<'a>,
        words: &'a mut FxHashMap<String, i64>,
    ) -> rusqlite::Result<Self> {
        let next: i64 = db.query_row("SELECT ifnull(max(id), 0) + 1 FROM word", [], |row| row.get(0))?;
        Ok(Self { db, words, next })
    }

    fn id(&mut self, text: &str) -> rusqlite::Result<i64> {
        if let Some(id) = self.words.get(text) {
            return Ok(*id);
        }
        let known: Option<i64> = self
            .db
            .prepare_cached("SELECT id FROM word WHERE text = ?1")?
            .query_row([text], |row| row.get(0))
            .optional()?;
        let id = match known {
            Some(id) => id,
            None => {
                let id = self.next;
                self.next += 1;
                self.db.prepare_cached("INSERT INTO word VALUES (?1, ?2)")?.execute(params![id, text])?;
                id
            }
        };
        self.words.insert(text.to_owned(), id);
        Ok(id)
    }
}
