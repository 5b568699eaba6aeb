//! The reviewer's configuration: `config.toml` in the configuration folder. See `docs/formats/configuration.md`.

use crate::environment;
use crate::error::CommandError;
use crate::output;
use serde::Deserialize;
use std::path::{Path, PathBuf};
use tally_shelf::Shelf;

/// Name of the file in the configuration folder.
pub(crate) const FILE: &str = "config.toml";

/// What the file may say; paths begin at its folder.
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(default, deny_unknown_fields)]
pub(crate) struct Config {
    /// Folder of tallies.
    pub(crate) shelf: Option<PathBuf>,
    /// Whether tallies are compressed as they are put on the shelf.
    pub(crate) compress: bool,
    /// Form of answers: `table`, `markdown`, `html`, `csv`, `json`.
    pub(crate) format: Option<String>,
    /// When to colour: `auto`, `always`, `never`.
    pub(crate) color: Option<String>,
    /// Columns of tables.
    pub(crate) width: Option<u16>,
    /// What is shown of an install: `shipped`, `found`.
    #[serde(rename = "as")]
    pub(crate) seen: Option<String>,
    /// Files of own rules.
    pub(crate) rules: Vec<PathBuf>,
    /// Programs or packages that every edition is asked for: rows of each grid.
    pub(crate) wanted: Vec<String>,
    /// The same, of what should not be there.
    pub(crate) unwanted: Vec<String>,
    /// Folder in which `check NAME` finds a checklist.
    pub(crate) checklists: Option<PathBuf>,
    /// Folder in which `report --template NAME` finds a folder of templates.
    pub(crate) templates: Option<PathBuf>,
    /// The file, where there is one.
    #[serde(skip)]
    pub(crate) file: Option<PathBuf>,
}

impl Config {
    /// Reads the file of a configuration folder; none is fine. `~/` in paths is the home folder.
    pub(crate) fn read(folder: Option<&Path>, home: Option<&Path>) -> Result<Self, CommandError> {
        let Some(file) = folder.map(|folder| folder.join(FILE)).filter(|file| file.exists()) else {
            return Ok(Self::default());
        };
        let text = output::text(&file)?;
        let mut config: Self = toml::from_str(&text).map_err(|error| {
            let line = error.span().map_or(1, |span| text[..span.start].matches('\n').count() + 1);
            CommandError::Source {
                path: file.clone(),
                why: format!("line {line}: {}", error.message()).into(),
            }
        })?;
        let above = folder.unwrap_or(Path::new(""));
        let from_here = |path: &mut PathBuf| *path = above.join(expanded(path, home));
        let paths = [&mut config.shelf, &mut config.checklists, &mut config.templates];
        paths.into_iter().flatten().for_each(from_here);
        config.rules.iter_mut().for_each(from_here);
        config.file = Some(file);
        Ok(config)
    }
}

/// The shelf that a shell completes handles from; none has any where there is no home.
pub(crate) fn default_shelf() -> Shelf {
    let config =
        || Config::read(environment::configuration_folder().as_deref(), environment::home().as_deref());
    let configured = || config().ok().and_then(|config| config.shelf);
    Shelf::new(
        environment::shelf()
            .or_else(configured)
            .or_else(environment::default_shelf_folder)
            .unwrap_or_default(),
    )
}

/// A path without `~/` at its beginning.
fn expanded(path: &Path, home: Option<&Path>) -> PathBuf {
    match (path.strip_prefix("~"), home) {
        (Ok(rest), Some(home)) => home.join(rest),
        _ => path.to_owned(),
    }
}

/// A value that applies, and where it is from.
#[derive(Debug, Clone)]
pub(crate) struct Applied {
    pub(crate) key: &'static str,
    pub(crate) value: String,
    pub(crate) from: String,
}
