use crate::exit::Exit;
use crate::output::message;
use std::path::{Path, PathBuf};
use tally_readers::TakeError;
use tally_report::RenderError;
use tally_shelf::ShelfError;

/// Everything that can end a command early.
#[derive(Debug, thiserror::Error)]
pub(crate) enum CommandError {
    /// The command line makes no sense.
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
    #[error("can't weigh `{0}`: its source does not record sizes")]
    Weightless(String),
    /// Nothing tells what the repositories of an install offer.
    #[error("`{0}` has no lists of its repositories")]
    NoLists(String),
    /// A file holds no install that can be read.
    #[error("`{}` {source}", path.display())]
    Image { path: PathBuf, source: tally_trees::SourceError },
    /// A source can be read, but is no install.
    #[error("{} {source}", called(path))]
    NoInstall { path: PathBuf, source: TakeError },
    /// Neither on the shelf nor a path.
    #[error("there is no install `{asked}`: it is neither a handle on the shelf `{}` nor a path", shelf.display())]
    NoSuchInstall { asked: String, shelf: PathBuf, near: Vec<String> },
    /// An install has no such package.
    #[error("`{install}` has no package `{asked}`")]
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
    #[error("templates in `{}`: {source}", folder.display())]
    Template { folder: PathBuf, source: tally_report::publish::TemplateError },
    /// A file of keys can't be used.
    #[error("`{}` {why}", path.display())]
    Key { path: PathBuf, why: String },
    /// The program that signs, and checks signatures, can't be run.
    #[error("can't run `{program}`, which makes and checks signatures: {source}")]
    NoSigner { program: &'static str, source: std::io::Error },
    /// A file isn't signed as it must be.
    #[error("the signature of `{shown}` is not accepted: {why}")]
    Signature { shown: String, why: String },
    /// A picture can't be made.
    #[error("can't draw the chart: {0}")]
    Picture(String),
    /// A table of rules can't be used.
    #[error("the built-in rules: {0}")]
    Rules(#[from] tally_core::knowledge::RulesError),
}

/// What a person calls the source that was given.
fn called(path: &Path) -> String {
    if path == Path::new("-") { "standard input".to_owned() } else { format!("`{}`", path.display()) }
}

impl CommandError {
    /// The code that the program ends with.
    pub(crate) fn exit(&self) -> Exit {
        match self {
            Self::Usage(_) => Exit::Usage,
            Self::Shelf(ShelfError::BadHandle { .. } | ShelfError::InUse { .. } | ShelfError::Nowhere) => {
                Exit::Usage
            }
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
            Self::NoLists(_) => {
                Some("name files of them with --lists, or take the install again with --keep-offer".into())
            }
            Self::OwnRules { .. } => Some(
                "`fresh-tally rules kinds`, `parts`, `roles` and `agents` show what rules look like"
                    .into(),
            ),
            Self::Checklist { .. } => Some(
                "`fresh-tally check --starter` shows every subject and what can be expected of it".into(),
            ),
            Self::Shelf(ShelfError::InUse { .. }) => {
                Some("choose another handle, or delete that one first".into())
            }
            Self::Shelf(ShelfError::OtherSchema { .. }) => {
                Some("update fresh-tally, or take the install again with this version".into())
            }
            Self::Image { source: tally_trees::SourceError::Unsupported(_), .. } => Some(
                "run the script that `fresh-tally kit` prints inside the install, and take its archive".into(),
            ),
            Self::Image {
                source: tally_trees::SourceError::Ambiguous(_) | tally_trees::SourceError::NoSuchRoot { .. },
                ..
            } => Some("`--root NAME` of `fresh-tally take` chooses one; `--list-roots` shows them".into()),
            Self::NoSigner { .. } => Some("install OpenSSH's client, so that it is on the PATH".into()),
            Self::Template { .. } => Some(
                "`fresh-tally report INSTALL --format json` shows the data that templates see".into(),
            ),
            Self::NoInstall { source: TakeError::NoListing, .. } => Some(
                "it reads the English output of `dpkg -l`, `rpm -qa`, `pacman -Qi`, `apk info -v` and similar commands, manifests of images, and CycloneDX and SPDX in JSON".into(),
            ),
            Self::NoInstall { source: TakeError::DatabaseUnread { .. }, .. } => Some(
                "read it as root, or collect it from inside with `fresh-tally kit`; copy a damaged disk first".into(),
            ),
            Self::NoInstall { .. } => Some(
                "name the root of the install: the folder that contains its `etc`, `usr` and `var`".into(),
            ),
            _ => None,
        }
    }

    /// The index of a shelf that can't be asked, where that is what went wrong.
    pub(crate) fn damaged_index(&self) -> Option<&Path> {
        let Self::Shelf(error) = self else { return None };
        error.damaged_index()
    }

    /// Whether whoever read our output has gone: no error at all.
    pub(crate) fn is_closed_pipe(&self) -> bool {
        matches!(self, Self::Output { source, .. } if source.kind() == std::io::ErrorKind::BrokenPipe)
    }
}

fn quoted(names: &[String]) -> String {
    names.iter().take(3).map(|name| format!("`{name}`")).collect::<Vec<_>>().join(" or ")
}

/// Says what went wrong on standard error: one line, and a hint where one helps.
pub(crate) fn report(failure: &CommandError) -> Exit {
    if failure.is_closed_pipe() {
        return Exit::Done;
    }
    message(&format!("error: {failure}"));
    if tracing::enabled!(tracing::Level::INFO) {
        causes(failure);
    }
    if let Some(hint) = failure.hint() {
        message(&format!("hint: {hint}"));
    }
    failure.exit()
}

/// Says what led to an error, cause by cause, where more was asked for with `-v`.
fn causes(failure: &CommandError) {
    let mut cause = std::error::Error::source(failure);
    while let Some(error) = cause {
        message(&format!("because: {error}"));
        cause = error.source();
    }
}
