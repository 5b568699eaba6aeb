//! SQLite databases of an install, read from a private copy: the install is never written to, and a write-ahead log that
//! is beside a database is part of it.

use rusqlite::types::ValueRef;
use rusqlite::{Connection, limits::Limit};
use std::cell::Cell;
use std::fs::File;
use std::io;
use std::path::{Path, PathBuf};
use tally_trees::{ReadAt, Spool, Tree};

/// Bytes that a database may have: 4 GiB.
const DATABASE_LIMIT: u64 = 4 << 30;
/// Bytes that one value may have: 64 MiB.
const VALUE_LIMIT: i32 = 64 << 20;
/// Instructions of the database engine for one question, counted in thousands. An install is not trusted: what looks like
/// a table may be a question without end.
const PATIENCE: u32 = 200_000;

/// Bytes that all answers together may have beyond what the file has, four times: pages of a damaged database may belong to many values.
const ANSWERED: u64 = 64 << 20;

/// A private copy of a database, gone when it is dropped.
pub(crate) struct Database {
    connection: Connection,
    /// Bytes that answers may still have.
    left: Cell<u64>,
    // What is on disk for it counts as long as it is there.
    _copies: Vec<Box<dyn ReadAt>>,
    _folder: tempfile::TempDir,
}

/// Why a database can't be read.
#[derive(Debug, thiserror::Error)]
pub(crate) enum DatabaseError {
    /// Its file can't be read from the tree.
    #[error("{0}")]
    Tree(#[from] tally_trees::TreeError),
    /// It can't be copied.
    #[error("can't be copied to be read: {0}")]
    Copy(#[from] io::Error),
    /// It lacks what makes it one of its kind.
    #[error("has no table `{0}`")]
    NoTable(String),
    /// Something of it is worked out and not stored, so that nothing says how long that takes.
    #[error("computes what a database of its kind stores: `{0}`")]
    Computed(String),
    /// Its answers have more bytes than a file of its size can hold.
    #[error("answers with more bytes than it can hold")]
    TooMuch,
    /// It is no database, or a damaged one.
    #[error("{0}")]
    Sqlite(#[from] rusqlite::Error),
}

impl Database {
    /// Copies a database and the log beside it, and opens the copy.
    pub(crate) fn open(tree: &dyn Tree, path: &str) -> Result<Self, DatabaseError> {
        let folder = tempfile::tempdir()?;
        let copy = folder.path().join("copy.sqlite");
        let mut copies = vec![copy_file(tree, Path::new(path), &copy)?];
        let log = PathBuf::from(format!("{path}-wal"));
        if tree.exists(&log) {
            copies.push(copy_file(tree, &log, &folder.path().join("copy.sqlite-wal"))?);
        }
        let mut connection = Connection::open(&copy)?;
        connection.set_limit(Limit::SQLITE_LIMIT_LENGTH, VALUE_LIMIT)?;
        connection.execute_batch(
            "PRAGMA trusted_schema = OFF; PRAGMA query_only = ON; PRAGMA cache_size = -2000;",
        )?;
        let mut left = PATIENCE;
        connection.progress_handler(
            1000,
            Some(move || {
                left = left.saturating_sub(1);
                left == 0
            }),
        )?;
        let held: u64 = copies.iter().map(|copy| copy.len()).sum();
        let left = Cell::new(held.saturating_mul(4).saturating_add(ANSWERED));
        Ok(Self { connection, left, _copies: copies, _folder: folder })
    }

    /// Whether it has a table of that name.
    pub(crate) fn has_table(&self, name: &str) -> bool {
        let sql = "SELECT 1 FROM sqlite_master WHERE type = 'table' AND name = ?1";
        self.connection.query_row(sql, [name], |_| Ok(())).is_ok()
    }

    /// Whether all of a table is stored. A view, or a column that is generated, may be work without end.
    fn is_stored(&self, table: &str) -> Result<(), DatabaseError> {
        if !self.has_table(table) {
            return Err(DatabaseError::NoTable(table.to_owned()));
        }
        let mut is_computed = false;
        self.connection.pragma(None, "table_xinfo", table, |row| {
            // 2 and 3 are columns that are generated, when read or when written.
            is_computed |= matches!(row.get::<_, i64>("hidden")?, 2 | 3);
            Ok(())
        })?;
        if is_computed { Err(DatabaseError::Computed(table.to_owned())) } else { Ok(()) }
    }

    /// The columns of a table.
    pub(crate) fn columns(&self, table: &str) -> Vec<String> {
        let mut columns = Vec::new();
        let collected = self.connection.pragma(None, "table_info", table, |row| {
            columns.push(row.get::<_, String>("name")?);
            Ok(())
        });
        if collected.is_err() {
            columns.clear();
        }
        columns
    }

    /// Calls `visit` with each row of an answer. The tables that are asked stand behind `FROM` and `JOIN`.
    pub(crate) fn each(
        &self,
        sql: &str,
        mut visit: impl FnMut(&rusqlite::Row<'_>) -> rusqlite::Result<()>,
    ) -> Result<(), DatabaseError> {
        let words: Vec<&str> = sql.split_whitespace().collect();
        for pair in words.windows(2) {
            if let ["FROM" | "JOIN", table] = pair {
                self.is_stored(table)?;
            }
        }
        let mut statement = self.connection.prepare(sql)?;
        let mut rows = statement.query([])?;
        let columns = rows.as_ref().map_or(0, rusqlite::Statement::column_count);
        while let Some(row) = rows.next()? {
            let mut bytes = 0;
            for column in 0..columns {
                bytes += match row.get_ref(column)? {
                    ValueRef::Text(bytes) | ValueRef::Blob(bytes) => bytes.len() as u64,
                    _ => 8,
                };
            }
            let left = self.left.get().checked_sub(bytes).ok_or(DatabaseError::TooMuch)?;
            self.left.set(left);
            visit(row)?;
        }
        Ok(())
    }
}

fn copy_file(tree: &dyn Tree, path: &Path, to: &Path) -> Result<Box<dyn ReadAt>, DatabaseError> {
    let source = tree.open(path)?;
    if source.len() > DATABASE_LIMIT {
        return Err(io::Error::other(format!("is larger than {DATABASE_LIMIT} bytes")).into());
    }
    let mut copy = Spool::into(File::create(to)?);
    copy.add_all(source.as_ref())?;
    Ok(Box::new(copy.finish()?))
}
