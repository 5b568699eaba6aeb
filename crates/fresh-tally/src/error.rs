use crate::exit::Exit;
use std::path::{Path, PathBuf};
use tally_readers::TakeError;
use tally_report::RenderError;
use tally_shelf::ShelfError;

/// Everything that can end a command early.
#[derive(Debug, thiserror::Error)]
pub(crate) enum Failure {
    /// Something given on the command line can't be meant.
    #[error("{0}")]
    Usage(String),
    /// A source can't be read.
    #[error("can't read `{}`: {why}", path.display())]
    Source {
        path: PathBuf,
        #[source]
        why: Box<dyn std::error::Error + Send + Sync>,
    },
    /// An install that can't be weighed.
    #[error("can't weigh `{0}`: its source does not tell how big packages are")]
    Weightless(String),
    /// A file holds no install that can be read.
    #[error("`{}` {source}", path.display())]
    Image { path: PathBuf, source: tally_trees::SourceError },
    /// A source can be read, but is no install.
    #[error("{} {source}", called(path))]
    NoInstall { path: PathBuf, source: TakeError },
    /// Neither on the shelf nor a path.
    #[error("no install `{asked}`: neither a handle on the shelf `{}` nor a path", shelf.display())]
    NoSuchInstall { asked: String, shelf: PathBuf, near: Vec<String> },
    /// An install has no such package.
    #[error("no package `{asked}` is in `{install}`")]
    NoSuchPackage { asked: String, install: String, near: Vec<String> },
    /// The shelf or a tally.
    #[error(transparent)]
    Shelf(#[from] ShelfError),
    /// An output can't be written.
    #[error("can't write {to}: {source}")]
    Output { to: String, source: std::io::Error },
    /// A view has no bytes in this format.
    #[error(transparent)]
    Render(#[from] RenderError),
    /// The made-up world can't be written.
    #[error(transparent)]
    World(#[from] saltmarsh::WorldError),
    /// A file of own rules can't be used.
    #[error("`{}`: {source}", path.display())]
    OwnRules { path: PathBuf, source: tally_core::knowledge::RulesError },
    /// A file of upstream releases can't be used.
    #[error("`{}`: {source}", path.display())]
    Upstream { path: PathBuf, source: tally_core::knowledge::RulesError },
    /// A checklist can't be used.
    #[error("`{}`: {source}", path.display())]
    Checklist { path: PathBuf, source: tally_core::knowledge::RulesError },
    /// A template can't be used.
    #[error("in `{}`: {source}", folder.display())]
    Template { folder: PathBuf, source: tally_report::publish::TemplateError },
    /// A picture can't be made.
    #[error("can't draw the chart: {0}")]
    Picture(String),
    /// A table of rules can't be used.
    #[error("the rules inside the program: {0}")]
    Rules(#[from] tally_core::knowledge::RulesError),
}

/// What a person calls the source that was given.
fn called(path: &Path) -> String {
    if path == Path::new("-") { "standard input".to_owned() } else { format!("`{}`", path.display()) }
}

impl Failure {
    /// The code that the program ends with.
    pub(crate) fn exit(&self) -> Exit {
        match self {
            Self::Usage(_) => Exit::Usage,
            Self::Shelf(ShelfError::BadHandle { .. } | ShelfError::InUse { .. }) => Exit::Usage,
            Self::Rules(_) => Exit::Bug,
            _ => Exit::Input,
        }
    }

    /// What to try.
    pub(crate) fn hint(&self) -> Option<String> {
        match self {
            Self::NoSuchInstall { near, .. } | Self::NoSuchPackage { near, .. } if !near.is_empty() => {
                Some(format!("did you mean {}?", quoted(near)))
            }
            Self::NoSuchInstall { .. } => {
                Some("`fresh-tally shelf` lists the handles; `fresh-tally take SOURCE` adds one".into())
            }
            Self::Shelf(ShelfError::Unknown { near, .. }) if !near.is_empty() => {
                Some(format!("did you mean {}?", quoted(near)))
            }
            Self::Shelf(ShelfError::Unknown { .. }) => Some("`fresh-tally shelf` lists the handles".into()),
            Self::OwnRules { .. } => Some(
                "`fresh-tally rules kinds`, `parts`, `roles` and `agents` show the forms that rules have"
                    .into(),
            ),
            Self::Checklist { .. } => Some(
                "`fresh-tally check --starter` shows every subject and what may be expected of it".into(),
            ),
            Self::Shelf(ShelfError::InUse { .. }) => {
                Some("choose another handle, or drop that one first".into())
            }
            Self::Shelf(ShelfError::OtherSchema { .. }) => {
                Some("a newer fresh-tally wrote it: update this one".into())
            }
            Self::Image { source: tally_trees::SourceError::Unsupported(_), .. } => Some(
                "`fresh-tally kit` prints a script that collects what is needed from inside the install".into(),
            ),
            Self::Template { .. } => Some(
                "`fresh-tally report INSTALL --format json` shows the data that templates see".into(),
            ),
            Self::NoInstall { source: TakeError::NoListing, .. } => Some(
                "what `dpkg -l`, `rpm -qa`, `pacman -Qi`, `apk info -v` and their like print in English can be read, manifests of images, CycloneDX and SPDX in JSON".into(),
            ),
            Self::NoInstall { source: TakeError::DatabaseUnread { .. }, .. } => Some(
                "read it with the rights of root, or collect it with `fresh-tally kit` from inside; a damaged disk is best copied first".into(),
            ),
            Self::NoInstall { .. } => Some(
                "point at the root of the install: the folder that holds its `etc`, `usr` and `var`".into(),
            ),
            _ => None,
        }
    }

    /// Whether whoever read our output has gone: no error at all.
    pub(crate) fn is_closed_pipe(&self) -> bool {
        matches!(self, Self::Output { source, .. } if source.kind() == std::io::ErrorKind::BrokenPipe)
    }
}

fn quoted(names: &[String]) -> String {
    names.iter().take(3).map(|name| format!("`{name}`")).collect::<Vec<_>>().join(" or ")
}
