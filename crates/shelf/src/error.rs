use std::path::PathBuf;

/// Why a shelf or a tally can't be used.
#[derive(Debug, thiserror::Error)]
pub enum ShelfError {
    /// There is no home folder, and nothing names a shelf.
    #[error("there is no home folder for the shelf: name one with --shelf DIR")]
    Nowhere,
    /// Nothing of that handle is on the shelf.
    #[error("there is no install `{handle}` on the shelf")]
    Unknown {
        /// The handle asked for.
        handle: String,
        /// Handles that look like it.
        near: Vec<String>,
    },
    /// The handle is in use.
    #[error("the handle `{handle}` is already in use")]
    InUse {
        /// The handle.
        handle: String,
    },
    /// The handle could not be a file name.
    #[error("`{handle}` is not a valid handle: use lower-case letters, digits, dots and hyphens")]
    BadHandle {
        /// What was given.
        handle: String,
    },
    /// A file is no tally.
    #[error("`{}` is not a tally: {why}", path.display())]
    NoTally {
        /// The file.
        path: PathBuf,
        /// What is wrong, with line and column where they help.
        why: String,
    },
    /// A tally of a later schema.
    #[error(
        "`{}` is a tally of schema {found}, written by {}; this version reads schemas 1 to {known}",
        path.display(),
        if program.is_empty() { "an unnamed program" } else { program }
    )]
    OtherSchema {
        /// The file.
        path: PathBuf,
        /// Its schema number.
        found: u64,
        /// The program that wrote it, with its version.
        program: String,
        /// The latest schema that is read.
        known: u32,
    },
    /// The index can't be used, and could not be made anew.
    #[error("`{}`: {source}", path.display())]
    Index {
        /// The index.
        path: PathBuf,
        /// What `SQLite` said.
        source: Box<rusqlite::Error>,
    },
    /// The system said no.
    #[error("`{}`: {source}", path.display())]
    Io {
        /// The file or folder.
        path: PathBuf,
        /// What the system said.
        source: std::io::Error,
    },
}

impl ShelfError {
    pub(crate) fn io(path: impl Into<PathBuf>, source: std::io::Error) -> Self {
        Self::Io { path: path.into(), source }
    }

    /// The index of a shelf that is damaged; one that another program holds is not.
    pub fn damaged_index(&self) -> Option<&std::path::Path> {
        let Self::Index { path, source } = self else { return None };
        let held = [rusqlite::ErrorCode::DatabaseBusy, rusqlite::ErrorCode::DatabaseLocked];
        source.sqlite_error_code().is_none_or(|code| !held.contains(&code)).then_some(path)
    }
}
