use std::path::PathBuf;

/// Why the world can't be written.
#[derive(Debug, thiserror::Error)]
pub enum WorldError {
    /// A file could not be written.
    #[error("can't write `{}`: {source}", path.display())]
    Io {
        /// The file.
        path: PathBuf,
        /// What the system said.
        source: std::io::Error,
    },
    /// A database could not be written.
    #[error("can't write `{}`: {source}", path.display())]
    Database {
        /// The file.
        path: PathBuf,
        /// What the database said.
        source: rusqlite::Error,
    },
    /// The tables of the world do not fit together; its own test finds this.
    #[error("the made-up world is broken: {0}")]
    Broken(String),
}
