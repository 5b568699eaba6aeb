use crate::LIMITS;
use std::path::{Path, PathBuf};

/// Something in a tree could not be read.
#[derive(Debug, thiserror::Error)]
#[error("`{}`: {why}", path.display())]
pub struct TreeError {
    /// The path inside the tree.
    pub path: PathBuf,
    /// What stood in the way.
    #[source]
    pub why: TreeErrorKind,
}

/// What stood in the way of reading a path.
#[derive(Debug, thiserror::Error)]
pub enum TreeErrorKind {
    /// There is nothing there.
    #[error("does not exist")]
    Missing,
    /// A folder was asked for.
    #[error("is not a folder")]
    NotAFolder,
    /// A file was asked for; a device, a pipe or a socket is none either.
    #[error("is not a regular file")]
    NotAFile,
    /// A link was asked for.
    #[error("is not a link")]
    NotALink,
    /// Links lead round in circles, or through too many steps.
    #[error("leads through too many links")]
    TooManyLinks,
    /// The file is larger than the caller wants to read.
    #[error("is larger than the limit of {limit} bytes")]
    TooLarge {
        /// The limit, bytes.
        limit: u64,
    },
    /// Something about it is more than any input may have: see [`Limits`](crate::Limits).
    #[error("{0}")]
    Beyond(String),
    /// The system said no.
    #[error("{0}")]
    Io(#[from] std::io::Error),
}

impl TreeError {
    /// An error about a path.
    pub fn new(path: &Path, why: TreeErrorKind) -> Self {
        Self { path: path.to_owned(), why }
    }

    /// An error about a path of which something is more than a limit.
    pub(crate) fn beyond(path: &Path, what: &str, limit: impl std::fmt::Display) -> Self {
        tracing::info!(?path, %limit, "limit met: {what}");
        Self::new(path, TreeErrorKind::Beyond(format!("{what}: the limit is {limit}")))
    }

    /// The same of a path that whoever asked calls otherwise.
    pub(crate) fn at(self, path: &Path) -> Self {
        Self { path: path.to_owned(), ..self }
    }

    /// An error about a path, from what the system said.
    pub fn io(path: &Path, error: std::io::Error) -> Self {
        use rustix::io::Errno;
        let why = match Errno::from_io_error(&error) {
            Some(Errno::NOENT) => TreeErrorKind::Missing,
            Some(Errno::NOTDIR) => TreeErrorKind::NotAFolder,
            Some(Errno::LOOP) => TreeErrorKind::TooManyLinks,
            Some(Errno::NAMETOOLONG) => TreeErrorKind::Beyond(format!(
                "has too long a path: the limit is {} bytes",
                LIMITS.path_bytes
            )),
            _ => TreeErrorKind::Io(error),
        };
        Self::new(path, why)
    }

    /// Whether the path simply isn't there, as against being unreadable.
    pub fn is_missing(&self) -> bool {
        matches!(self.why, TreeErrorKind::Missing | TreeErrorKind::NotAFolder)
    }
}
