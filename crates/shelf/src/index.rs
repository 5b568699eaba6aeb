//! An index beside the tallies, so that a question to all of them need not read them all.
//!
//! It is a cache and nothing more: one `SQLite` file that may be deleted at any time. Whoever opens it brings it up to date first, by
//! the size and the time of each tally's file; so no writer has to know of it, and a tally edited by hand is found out. What it says is
//! never taken for a tally's own word where more than names and versions are asked.

use crate::folder::Shelf;
use crate::index_rows::{Rows, Sort, Thing};
use crate::{ShelfError, read_tally};
use rayon::prelude::*;
use rusqlite::{Connection, OptionalExtension, TransactionBehavior, params};
use rustc_hash::{FxHashMap, FxHashSet};
use std::path::{Path, PathBuf};
use std::time::{Duration, UNIX_EPOCH};
use tally_core::compare::stem;
use tally_core::find::{MATCH, NameScore};
use tally_core::model::{
    Application, Delivery, Dependency, Evidence, Label, Medium, Menu, Package, PackageRef, Part, System,
    Taken, Tally, Text,
};

/// Name of the index in the folder of the shelf.
const FILE: &str = ".index.sqlite";

/// Changes whenever the tables do; an index of another number is made anew.
const SCHEMA: i64 = 1;

/// Tallies that are read, and put in, at a time.
const AT_ONCE: usize = 48;

/// Names told when nothing matches.
const NEAREST: usize = 5;

const TABLES: &str = "
    CREATE TABLE install (id INTEGER PRIMARY KEY, handle TEXT NOT NULL UNIQUE, size INTEGER NOT NULL, changed INTEGER NOT NULL,
        label TEXT, taken_at TEXT, packages INTEGER, applications INTEGER, bytes INTEGER, problem TEXT);
    CREATE TABLE word (id INTEGER PRIMARY KEY, text TEXT NOT NULL UNIQUE);
    CREATE TABLE thing (key INTEGER, install INTEGER, sort INTEGER, number INTEGER, name INTEGER, version INTEGER, system INTEGER,
        source INTEGER, PRIMARY KEY (key, install, sort, number)) WITHOUT ROWID;
    CREATE TABLE kin (family INTEGER, key INTEGER, PRIMARY KEY (family, key)) WITHOUT ROWID;
    CREATE TABLE claim (claimed INTEGER, claimant INTEGER, PRIMARY KEY (claimed, claimant)) WITHOUT ROWID;
";

/// An index that is up to date with its shelf.
#[derive(Debug)]
pub struct Index {
    db: Connection,
}

/// One install, in short; or a file that can't be read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Indexed {
    /// Its handle.
    pub handle: String,
    /// Its label; `None` for a file that can't be read.
    pub label: Option<Label>,
    /// When it was taken.
    pub taken_at: Option<String>,
    /// Packages that are there.
    pub packages: u64,
    /// Applications.
    pub applications: u64,
    /// Bytes on disk.
    pub installed_bytes: u64,
    /// Why it can't be read.
    pub problem: Option<String>,
}

/// One thing in one install.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Sighting {
    /// The install's handle.
    pub handle: String,
    /// Its label.
    pub label: Label,
    /// `application`, `part` or `package`.
    pub what: &'static str,
    /// What it is called there.
    pub name: Text,
    /// Its version, where it has one.
    pub version: Option<Text>,
    /// The package system that delivers it.
    pub system: Option<System>,
}

/// What the shelf knows of a name.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Sightings {
    /// Names that were taken for the one asked: itself, else those that match it, best first.
    pub names: Vec<Text>,
    /// Where they are, by name, then handle.
    pub found: Vec<Sighting>,
    /// When nothing matches: the names that come nearest.
    pub nearest: Vec<Text>,
}

/// Names of packages, and those whose place each takes.
type Claims = FxHashMap<String, Vec<String>>;

/// A tally's file as it is on disk.
#[derive(Debug, Clone, PartialEq, Eq)]
struct OnDisk {
    handle: String,
    size: i64,
    changed: i64,
}

impl Index {
    /// Opens the index of a shelf, made anew where it is missing, damaged or of another version, and brings it up to date.
    ///
    /// `progress` hears how many of how many tallies have been read, when any has to be. Where the folder can't be written the
    /// index is made in memory, and lost.
    ///
    /// # Errors
    /// When the folder can't be read, or `SQLite` fails twice.
    pub fn open(shelf: &Shelf, progress: &mut dyn FnMut(usize, usize)) -> Result<Self, ShelfError> {
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
                "PRAGMA synchronous = OFF; PRAGMA cache_size = -65536; PRAGMA temp_store = MEMORY;",
            )?;
            let schema: i64 = db.query_row("PRAGMA user_version", [], |row| row.get(0))?;
            if schema == SCHEMA {
                return Ok(());
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
        Ok(Self { db })
    }

    /// Reads what is new or changed since, and forgets what is gone.
    fn refresh(&mut self, shelf: &Shelf, progress: &mut dyn FnMut(usize, usize)) -> Result<(), ShelfError> {
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
                    (file.clone(), read.map(|tally| Rows::of(&tally)).map_err(|error| error.to_string()))
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
            // Numbers are never given twice, so that what is left of an earlier state belongs to nothing.
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
                    .prepare_cached("INSERT INTO install VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10)")?
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
                    ])?;
                // Key 0 remembers the numbers that were given.
                things.push([0, install, 0, 0, 0, 0, 0, 0]);
                let Ok(rows) = rows else { continue };
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
                    if thing.sort == Sort::Package {
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

    /// Every install, by handle.
    ///
    /// # Errors
    /// When the index can't be read.
    pub fn installs(&self) -> Result<Vec<Indexed>, ShelfError> {
        let query = || -> rusqlite::Result<Vec<Indexed>> {
            let mut rows = self.db.prepare_cached(
                "SELECT handle, label, taken_at, packages, applications, bytes, problem FROM install ORDER BY handle",
            )?;
            let rows = rows.query_map([], |row| {
                let number = |i: usize| row.get::<_, Option<i64>>(i).map(|n| n.map_or(0, i64::unsigned_abs));
                Ok(Indexed {
                    handle: row.get(0)?,
                    label: row.get::<_, Option<String>>(1)?.and_then(|text| serde_json::from_str(&text).ok()),
                    taken_at: row.get(2)?,
                    packages: number(3)?,
                    applications: number(4)?,
                    installed_bytes: number(5)?,
                    problem: row.get(6)?,
                })
            })?;
            rows.collect()
        };
        query().map_err(|error| failed(Path::new(FILE), error))
    }

    /// Where a name is: in which installs, in which version. The name itself, letters' case aside; else names that match it.
    ///
    /// # Errors
    /// When the index can't be read.
    pub fn find(&self, asked: &str) -> Result<Sightings, ShelfError> {
        self.sightings(asked).map_err(|error| failed(Path::new(FILE), error))
    }

    fn sightings(&self, asked: &str) -> rusqlite::Result<Sightings> {
        let installs = self.labels()?;
        let mut found = Sightings::default();
        let exact = self.word(&asked.trim().to_lowercase())?;
        if let Some(key) = exact {
            self.things_of(key, &installs, &mut found.found)?;
        }
        if found.found.is_empty() {
            let scored = self.scored(asked)?;
            for (score, text, key) in &scored {
                if *score < MATCH || found.names.len() >= NEAREST {
                    break;
                }
                let before = found.found.len();
                self.things_of(*key, &installs, &mut found.found)?;
                if found.found.len() > before {
                    found.names.push(text.into());
                }
            }
            if found.found.is_empty() {
                found.nearest = scored.into_iter().take(NEAREST).map(|(_, text, _)| text.into()).collect();
            }
        } else {
            found.names.push(asked.trim().to_lowercase().into());
        }
        let place = |name: &Text| found.names.iter().position(|known| *known == name.to_lowercase());
        found.found.sort_by_cached_key(|s| (place(&s.name), s.name.clone(), s.handle.clone(), s.what));
        Ok(found)
    }

    /// Names that things have, likest first.
    fn scored(&self, asked: &str) -> rusqlite::Result<Vec<(f64, String, i64)>> {
        let score = NameScore::of(asked);
        let mut words = self.db.prepare_cached(
            "SELECT id, text FROM word WHERE EXISTS (SELECT 1 FROM thing JOIN install ON install.id = thing.install WHERE key = word.id)",
        )?;
        let rows = words.query_map([], |row| Ok((row.get::<_, i64>(0)?, row.get::<_, String>(1)?)))?;
        let mut scored: Vec<(f64, String, i64)> = Vec::new();
        for row in rows {
            let (id, text) = row?;
            let score = score.of_name(&text);
            if score > 0.2 {
                scored.push((score, text, id));
            }
        }
        scored.sort_by(|a, b| b.0.total_cmp(&a.0).then_with(|| a.1.cmp(&b.1)));
        Ok(scored)
    }

    fn word(&self, text: &str) -> rusqlite::Result<Option<i64>> {
        let mut word = self.db.prepare_cached("SELECT id FROM word WHERE text = ?1")?;
        word.query_row([text], |row| row.get(0)).optional()
    }

    /// Handles and labels by number.
    fn labels(&self) -> rusqlite::Result<FxHashMap<i64, (String, Label)>> {
        let mut rows =
            self.db.prepare_cached("SELECT id, handle, label FROM install WHERE label IS NOT NULL")?;
        let rows = rows.query_map([], |row| {
            let label: String = row.get(2)?;
            Ok((row.get(0)?, (row.get(1)?, serde_json::from_str(&label).unwrap_or_default())))
        })?;
        rows.collect()
    }

    /// Every thing of a key, one of each sort and version in an install.
    fn things_of(
        &self,
        key: i64,
        installs: &FxHashMap<i64, (String, Label)>,
        found: &mut Vec<Sighting>,
    ) -> rusqlite::Result<()> {
        self.each(&[key], |install, thing| {
            let Some((handle, label)) = installs.get(&install) else { return };
            let sighting = Sighting {
                handle: handle.clone(),
                label: label.clone(),
                what: thing.sort.what(),
                name: if thing.name.is_empty() { thing.key.into() } else { thing.name.into() },
                version: Some(Text::from(thing.version)).filter(|version| !version.is_empty()),
                system: usize::try_from(thing.system).ok().and_then(|at| System::ALL.get(at)).copied(),
            };
            if found.last() != Some(&sighting) {
                found.push(sighting);
            }
        })
    }

    /// Calls for each thing of some keys, by key and install.
    fn each(&self, keys: &[i64], mut call: impl FnMut(i64, Thing)) -> rusqlite::Result<()> {
        let mut rows = self.db.prepare_cached(
            "SELECT install, sort, system, k.text, n.text, v.text, s.text FROM thing
             JOIN word k ON k.id = thing.key LEFT JOIN word n ON n.id = thing.name
             LEFT JOIN word v ON v.id = thing.version LEFT JOIN word s ON s.id = thing.source
             WHERE key = ?1 ORDER BY install, sort, number",
        )?;
        for key in keys {
            let mut rows = rows.query([key])?;
            while let Some(row) = rows.next()? {
                let text = |i: usize| row.get::<_, Option<String>>(i).map(Option::unwrap_or_default);
                let Some(sort) = Sort::from_number(row.get(1)?) else { continue };
                let thing = Thing {
                    sort,
                    system: row.get(2)?,
                    key: text(3)?,
                    name: text(4)?,
                    version: text(5)?,
                    source: text(6)?,
                    claims: Vec::new(),
                };
                call(row.get(0)?, thing);
            }
        }
        Ok(())
    }

    /// A tally of every install that holds no more than its label and what bears on a name: parts and applications of that name;
    /// packages of that name, of the same but for series numbers, and those that take their place or whose place they take.
    ///
    /// # Errors
    /// When the index can't be read.
    pub fn around(&self, asked: &str) -> Result<Vec<Tally>, ShelfError> {
        self.thin(asked).map_err(|error| failed(Path::new(FILE), error))
    }

    fn thin(&self, asked: &str) -> rusqlite::Result<Vec<Tally>> {
        let mut tallies: FxHashMap<i64, Tally> = FxHashMap::default();
        #[allow(clippy::iter_over_hash_type, reason = "each label goes to a place of its own")]
        for (id, (handle, mut label)) in self.labels()? {
            label.handle = handle.as_str().into();
            tallies.insert(id, Tally::new("index", taken(), label));
        }
        if let Some(key) = self.word(&asked.trim().to_lowercase())? {
            let (keys, claims) = self.family_of(key)?;
            self.each(&keys, |install, thing| {
                if let Some(tally) = tallies.get_mut(&install) {
                    add(tally, thing, &claims);
                }
            })?;
        }
        let mut tallies: Vec<Tally> = tallies.into_values().collect();
        tallies.sort_by(|a, b| a.label.handle.cmp(&b.label.handle));
        Ok(tallies)
    }

    /// Keys that bear on one: itself, the same but for series numbers, and for all of those who claims whose place.
    fn family_of(&self, key: i64) -> rusqlite::Result<(Vec<i64>, Claims)> {
        let numbers = |query: &str, key: i64| -> rusqlite::Result<Vec<i64>> {
            self.db.prepare_cached(query)?.query_map([key], |row| row.get(0))?.collect()
        };
        let kin = "SELECT b.key FROM kin a JOIN kin b ON b.family = a.family WHERE a.key = ?1";
        let mut keys: Vec<i64> = vec![key];
        keys.extend(numbers(kin, key)?);
        for direction in
            ["SELECT claimant FROM claim WHERE claimed = ?1", "SELECT claimed FROM claim WHERE claimant = ?1"]
        {
            keys.extend(numbers(direction, key)?);
        }
        keys.sort_unstable();
        keys.dedup();
        let mut claims = Claims::default();
        let mut query = self.db.prepare_cached(
            "SELECT w.text, c.text FROM claim JOIN word w ON w.id = claimant JOIN word c ON c.id = claimed WHERE claimant = ?1",
        )?;
        for key in &keys {
            let rows =
                query.query_map([key], |row| Ok((row.get::<_, String>(0)?, row.get::<_, String>(1)?)))?;
            for row in rows {
                let (claimant, claimed) = row?;
                claims.entry(claimant).or_default().push(claimed);
            }
        }
        Ok((keys, claims))
    }
}

/// Puts a thing back into a tally, as far as the index knows it.
fn add(tally: &mut Tally, thing: Thing, claims: &Claims) {
    let system = usize::try_from(thing.system).ok().and_then(|at| System::ALL.get(at)).copied();
    let version = Some(Text::from(thing.version.as_str())).filter(|version| !version.is_empty());
    let name = if thing.name.is_empty() { thing.key.clone() } else { thing.name };
    match (thing.sort, system) {
        (Sort::Package, Some(system)) => {
            let mut package = Package::new(system, name.as_str(), thing.version.as_str());
            package.upstream_version = thing.version.as_str().into();
            package.made_from = Some(thing.source).filter(|source| !source.is_empty()).map(Text::from);
            let claimed = claims.get(&thing.key).into_iter().flatten();
            let claimed: Vec<Dependency> = claimed
                .map(|name| Dependency { name: name.as_str().into(), op: None, version: None })
                .collect();
            (package.replaces, package.provides) = (claimed.clone(), claimed);
            tally.packages.push(package);
        }
        (Sort::Application | Sort::ApplicationName, Some(system)) => {
            let id = if thing.sort == Sort::Application { &thing.key } else { &thing.source };
            let delivery = Delivery {
                system,
                package: Text::default(),
                version: thing.version.as_str().into(),
                bytes: None,
            };
            match tally.applications.iter_mut().find(|known| known.id == *id) {
                Some(known) if known.delivered.contains(&delivery) => {}
                Some(known) => known.delivered.push(delivery),
                None => tally.applications.push(Application {
                    id: id.as_str().into(),
                    name: name.into(),
                    version,
                    menu: Menu::Other,
                    roles: Vec::new(),
                    delivered: vec![delivery],
                    launchers: Vec::new(),
                    bytes: None,
                }),
            }
        }
        (Sort::Part | Sort::PartName, system) => {
            let part = if thing.sort == Sort::Part { &thing.key } else { &thing.source };
            let known = tally.parts.iter().any(|known| known.part == *part && known.name == name);
            if !known {
                tally.parts.push(Part {
                    part: part.as_str().into(),
                    package: system.map(|system| PackageRef::new(system, &name)),
                    name: name.into(),
                    version,
                    others: Vec::new(),
                    evidence: Evidence::default(),
                });
            }
        }
        _ => {}
    }
}

fn taken() -> Taken {
    Taken { at: Text::default(), from: "index".into(), medium: Medium::Installed, layer: None, sha256: None }
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

fn failed(path: &Path, source: rusqlite::Error) -> ShelfError {
    ShelfError::Index { path: PathBuf::from(path), source: Box::new(source) }
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
