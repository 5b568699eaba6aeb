//! What the arguments and the environment mean together. The environment is read here and nowhere else.

use crate::args::{AsArg, ColorArg, Common, FormatArg};
use crate::error::Failure;
use std::io::IsTerminal;
use std::path::{Path, PathBuf};
use tally_core::knowledge::OwnRules;
use tally_report::{Canvas, Format, Palette};
use tally_shelf::Shelf;

/// Decided once, before any command runs.
#[derive(Debug)]
pub(crate) struct Settings {
    /// The shelf.
    pub(crate) shelf: Shelf,
    /// Whether `--shelf` was given.
    pub(crate) shelf_given: bool,
    /// The form of the answer, where one was asked for.
    pub(crate) format: Option<Format>,
    /// Where the answer goes; `None` is standard output.
    pub(crate) output: Option<PathBuf>,
    /// Width and colours.
    pub(crate) canvas: Canvas,
    /// The reviewer's own rules: `--rules`, else `rules.toml` in the configuration folder.
    pub(crate) own: OwnRules,
    /// What of an install is shown.
    pub(crate) seen: AsArg,
    /// No status lines.
    pub(crate) quiet: bool,
    /// The moment that tallies are taken at, RFC 3339 UTC; `SOURCE_DATE_EPOCH` wins over the clock.
    pub(crate) now: String,
}

impl Settings {
    /// Puts arguments and environment together.
    pub(crate) fn from_args(common: &Common) -> Result<Self, Failure> {
        let output = common.output.clone().filter(|path| path != Path::new("-"));
        let asked = common.format.map(|format| match format {
            FormatArg::Table => Format::Table,
            FormatArg::Markdown => Format::Markdown,
            FormatArg::Html => Format::Html,
            FormatArg::Csv => Format::Csv,
            FormatArg::Json => Format::Json,
        });
        let to_terminal = output.is_none() && std::io::stdout().is_terminal();
        Ok(Self {
            shelf: Shelf::new(shelf_folder(common)?),
            shelf_given: common.shelf.is_some(),
            format: asked.or_else(|| output.as_deref().and_then(format_of_ending)),
            canvas: Canvas { width: width(common, to_terminal), palette: palette(common.color, to_terminal) },
            output,
            own: own_rules(common)?,
            seen: common.seen,
            quiet: common.quiet,
            now: now(),
        })
    }

    /// The form of the answer.
    pub(crate) fn format(&self) -> Format {
        self.format.unwrap_or_default()
    }
}

/// Files given with `--rules`; without any, the one in the configuration folder, if it is there.
fn own_rules(common: &Common) -> Result<OwnRules, Failure> {
    let mut own = OwnRules::default();
    if common.rules.is_empty() {
        let file = configuration_folder().map(|folder| folder.join("rules.toml"));
        if let Some(file) = file.filter(|file| file.exists()) {
            own = read_rules(&file)?;
        }
    }
    for file in &common.rules {
        own.append(read_rules(file)?);
    }
    Ok(own)
}

/// Reads a file of own rules.
pub(crate) fn read_rules(file: &Path) -> Result<OwnRules, Failure> {
    let text = std::fs::read_to_string(file)
        .map_err(|error| Failure::Source { path: file.into(), why: error.to_string() })?;
    OwnRules::parse(&text).map_err(|source| Failure::OwnRules { path: file.into(), source })
}

/// Where the reviewer's configuration lies.
fn configuration_folder() -> Option<PathBuf> {
    let set = |name: &str| std::env::var_os(name).filter(|value| !value.is_empty()).map(PathBuf::from);
    let folder = set("XDG_CONFIG_HOME").or_else(|| set("HOME").map(|home| home.join(".config")))?;
    Some(folder.join("fresh-tally"))
}

fn format_of_ending(path: &Path) -> Option<Format> {
    match path.extension()?.to_str()? {
        "md" | "markdown" => Some(Format::Markdown),
        "html" | "htm" => Some(Format::Html),
        "csv" => Some(Format::Csv),
        "json" => Some(Format::Json),
        "txt" => Some(Format::Table),
        _ => None,
    }
}

fn shelf_folder(common: &Common) -> Result<PathBuf, Failure> {
    common.shelf.clone().or_else(default_shelf_folder).ok_or_else(|| {
        Failure::Usage("no home folder to keep the shelf in: give one with --shelf DIR".into())
    })
}

/// Where the shelf is when no option says: by the environment, else in the data folder.
fn default_shelf_folder() -> Option<PathBuf> {
    let set = |name: &str| std::env::var_os(name).filter(|value| !value.is_empty()).map(PathBuf::from);
    let data = || set("XDG_DATA_HOME").or_else(|| set("HOME").map(|home| home.join(".local/share")));
    set("FRESH_TALLY_SHELF").or_else(|| data().map(|data| data.join("fresh-tally/shelf")))
}

/// The shelf that a shell completes handles from; none has any where there is no home.
pub(crate) fn default_shelf() -> Shelf {
    Shelf::new(default_shelf_folder().unwrap_or_default())
}

fn width(common: &Common, to_terminal: bool) -> Option<usize> {
    let asked = common.width.map(usize::from);
    asked.or_else(|| {
        to_terminal.then(|| terminal_size::terminal_size().map_or(80, |(width, _)| usize::from(width.0)))
    })
}

fn palette(color: ColorArg, to_terminal: bool) -> Palette {
    let refused = || std::env::var_os("NO_COLOR").is_some_and(|value| !value.is_empty());
    let dumb = || std::env::var_os("TERM").is_some_and(|term| term == "dumb");
    match color {
        ColorArg::Always => Palette::Coloured,
        ColorArg::Auto if to_terminal && !refused() && !dumb() => Palette::Coloured,
        ColorArg::Auto | ColorArg::Never => Palette::Plain,
    }
}

fn now() -> String {
    let epoch = std::env::var("SOURCE_DATE_EPOCH").ok().and_then(|seconds| seconds.parse::<i64>().ok());
    let moment = epoch
        .and_then(|seconds| jiff::Timestamp::from_second(seconds).ok())
        .unwrap_or_else(jiff::Timestamp::now);
    moment.strftime("%Y-%m-%dT%H:%M:%SZ").to_string()
}
