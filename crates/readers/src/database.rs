//! SQLite databases of an install, read from a private copy: the install is never written to, and a write-ahead log that
//! is beside a database is part of it.

use rusqlite::{Connection, limits::Limit};
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

/// A private copy of a database, gone when it is dropped.
pub(crate) struct Database {
    connection: Connection,
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
    NoTable(&'static str),
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
        connection.execute_batch("PRAGMA trusted_schema = OFF; PRAGMA cache_size = -2000;")?;
        let mut left = PATIENCE;
        connection.progress_handler(
            1000,
            Some(move || {
                left = left.saturating_sub(1);
                left == 0
            }),
        )?;
        Ok(Self { connection, _copies: copies, _folder: folder })
    }

    /// Whether it has a table of that name.
    pub(crate) fn has_table(&self, name: &str) -> bool {
        let sql = "SELECT 1 FROM sqlite_master WHERE type = 'table' AND name = ?1";
        self.connection.query_row(sql, [name], |_| Ok(())).is_ok()
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

    /// Calls `visit` with each row of an answer.
    pub(crate) fn each(
        &self,
        sql: &str,
        mut visit: impl FnMut(&rusqlite::Row<'_>) -> rusqlite::Result<()>,
    ) -> Result<(), DatabaseError> {
        let mut statement = self.connection.prepare(sql)?;
        let mut rows = statement.query([])?;
        while let Some(row) = rows.next()? {
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
