//! What the arguments, the configuration file and the environment mean together.

use crate::args::Common;
use crate::config::{Applied, Config};
use crate::error::CommandError;
use crate::{environment, output};
use clap::{ColorChoice, ValueEnum};
use std::io::IsTerminal;
use std::path::{Path, PathBuf};
use tally_core::history::Moment;
use tally_core::knowledge::OwnRules;
use tally_core::model::Word;
use tally_report::{Format, Palette, RenderOptions};
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
    pub(crate) options: RenderOptions,
    /// The reviewer's own rules: `--rules`, else `rules.toml` in the configuration folder.
    pub(crate) own: OwnRules,
    /// What of an install is shown.
    pub(crate) seen: Moment,
    /// What the configuration file says.
    pub(crate) config: Config,
    /// Which value each setting has, and from where.
    pub(crate) applied: Vec<Applied>,
    /// No status lines.
    pub(crate) quiet: bool,
    /// The moment that tallies are taken at, RFC 3339 UTC; `SOURCE_DATE_EPOCH` wins over the clock.
    pub(crate) now: String,
}

impl Settings {
    /// Puts arguments and environment together.
    pub(crate) fn from_args(common: &Common) -> Result<Self, CommandError> {
        let output = common.output.clone().filter(|path| path != Path::new("-"));
        let config =
            Config::read(environment::configuration_folder().as_deref(), environment::home().as_deref())?;
        let configured: Option<Format> = word("format", config.format.as_deref(), &config)?;
        let color =
            common.color.or(color("color", config.color.as_deref(), &config)?).unwrap_or(ColorChoice::Auto);
        let seen = common.seen.or(word("as", config.seen.as_deref(), &config)?).unwrap_or(Moment::Shipped);
        let to_terminal = output.is_none() && std::io::stdout().is_terminal();
        Ok(Self {
            shelf: shelf_folder(common, &config)
                .map_or_else(Shelf::nowhere, Shelf::new)
                .packing(config.compress),
            shelf_given: common.shelf.is_some(),
            format: common.format.or_else(|| match output.as_deref() {
                Some(path) => path.extension().and_then(|ending| Format::of_ending(ending.to_str()?)),
                None => configured,
            }),
            options: RenderOptions {
                width: width(common, &config, to_terminal),
                palette: palette(color, to_terminal),
                ascii: !environment::speaks_utf8(),
            },
            output,
            own: own_rules(common, &config)?,
            applied: applied(common, &config),
            config,
            seen,
            quiet: common.quiet,
            now: environment::now(),
        })
    }

    /// The same, with installs seen otherwise.
    #[cfg(feature = "browse")]
    pub(crate) fn seen_as(&self, seen: Moment) -> Self {
        Self {
            shelf: self.shelf.clone(),
            own: self.own.clone(),
            config: self.config.clone(),
            now: self.now.clone(),
            output: self.output.clone(),
            applied: Vec::new(),
            seen,
            ..*self
        }
    }

    /// Refuses a file of `-o` whose ending is none of these. A name without an ending may be anything.
    pub(crate) fn check_ending(&self, known: &[&str]) -> Result<(), CommandError> {
        let Some(path) = self.output.as_deref().filter(|path| !path.starts_with("/dev")) else {
            return Ok(());
        };
        let Some(ending) = path.extension().map(|ending| ending.to_string_lossy().into_owned()) else {
            return Ok(());
        };
        // A folder may be called anything, and a handle has dots.
        if known.contains(&ending.as_str()) || path.is_dir() {
            return Ok(());
        }
        let shown = path.display();
        Err(CommandError::Usage(if known.is_empty() {
            format!("-o: `{shown}` has the ending of a file, and a folder is written")
        } else {
            format!(
                "-o: `{shown}` can't be written here as `.{ending}`; valid endings are .{}",
                known.join(", .")
            )
        }))
    }

    /// The form of the answer.
    pub(crate) fn format(&self) -> Format {
        self.format.unwrap_or_default()
    }
}

/// Files given with `--rules`; without any, the one in the configuration folder, if it is there.
fn own_rules(common: &Common, config: &Config) -> Result<OwnRules, CommandError> {
    let mut own = OwnRules::default();
    let given = if common.rules.is_empty() { &config.rules } else { &common.rules };
    if given.is_empty() {
        let file = environment::configuration_folder().map(|folder| folder.join("rules.toml"));
        if let Some(file) = file.filter(|file| file.exists()) {
            own = read_rules(&file)?;
        }
    }
    for file in given {
        own.append(read_rules(file)?);
    }
    Ok(own)
}

/// Reads a file of own rules.
pub(crate) fn read_rules(file: &Path) -> Result<OwnRules, CommandError> {
    let text = output::text(file)?;
    OwnRules::parse(&text).map_err(|source| CommandError::OwnRules { path: file.into(), source })
}

/// Where the shelf is; `None` without a home folder, where nothing else names one.
fn shelf_folder(common: &Common, config: &Config) -> Option<PathBuf> {
    let by_hand = common.shelf.clone().or_else(environment::shelf);
    by_hand.or_else(|| config.shelf.clone()).or_else(environment::default_shelf_folder)
}

/// A word of the configuration file, as the option of the same name would read it.
fn word<T: Word>(key: &str, value: Option<&str>, config: &Config) -> Result<Option<T>, CommandError> {
    let Some(value) = value else { return Ok(None) };
    let known = T::from_name(value);
    known.map(Some).ok_or_else(|| {
        let names: Vec<&str> = T::ALL.iter().map(|word| word.name()).collect();
        no_word(config, key, value, &names)
    })
}

/// The same of `color`, whose words are the argument parser's.
fn color(key: &str, value: Option<&str>, config: &Config) -> Result<Option<ColorChoice>, CommandError> {
    let Some(value) = value else { return Ok(None) };
    let known = ColorChoice::from_str(value, false);
    known.map(Some).map_err(|_| no_word(config, key, value, &["auto", "always", "never"]))
}

fn no_word(config: &Config, key: &str, value: &str, known: &[&str]) -> CommandError {
    let path = config.file.clone().unwrap_or_default();
    let why = format!("{key} = \"{value}\" is not valid; valid values are {}", known.join(", "));
    CommandError::Source { path, why: why.into() }
}

/// Which value each setting has, and where it comes from: an option, the environment, the file, or nothing of those.
fn applied(common: &Common, config: &Config) -> Vec<Applied> {
    let file = config.file.as_deref().map(|file| file.display().to_string()).unwrap_or_default();
    let paths = |paths: &[PathBuf]| {
        paths.iter().map(|path| path.display().to_string()).collect::<Vec<_>>().join(", ")
    };
    let optional = |path: &Option<PathBuf>| path.as_ref().map(|path| path.display().to_string());
    let named = |value: Option<&dyn ToString>| value.map(ToString::to_string);
    let mut list = Vec::new();
    let mut add = |key,
                   option: Option<String>,
                   environment: Option<(String, &str)>,
                   configured: Option<String>,
                   default: &str| {
        let (value, from) = match (option, environment, configured) {
            (Some(value), ..) => (value, format!("--{key}")),
            (None, Some((value, name)), _) => (value, name.to_owned()),
            (None, None, Some(value)) => (value, file.clone()),
            (None, None, None) => (default.to_owned(), "default".to_owned()),
        };
        list.push(Applied { key, value, from });
    };
    let shelf =
        shelf_folder(common, config).map_or_else(|| "none".to_owned(), |folder| folder.display().to_string());
    let of_environment = environment::shelf().map(|path| (path.display().to_string(), "FRESH_TALLY_SHELF"));
    add("shelf", optional(&common.shelf), of_environment, optional(&config.shelf), &shelf);
    add("compress", None, None, config.compress.then(|| "true".into()), "false");
    add("format", common.format.map(|word| word.to_string()), None, config.format.clone(), "table");
    let no_color = environment::refuses_color().then(|| ("never".to_owned(), "NO_COLOR"));
    add("color", common.color.map(|word| word.to_string()), no_color, config.color.clone(), "auto");
    add(
        "width",
        named(common.width.as_ref().map(|w| w as &dyn ToString)),
        None,
        named(config.width.as_ref().map(|w| w as &dyn ToString)),
        "the terminal's",
    );
    add("as", common.seen.map(|word| word.to_string()), None, config.seen.clone(), "shipped");
    let given = (!common.rules.is_empty()).then(|| paths(&common.rules));
    add(
        "rules",
        given,
        None,
        (!config.rules.is_empty()).then(|| paths(&config.rules)),
        "rules.toml in the configuration folder, if it is there",
    );
    let words = |words: &[String]| (!words.is_empty()).then(|| words.join(", "));
    add("wanted", None, None, words(&config.wanted), "none");
    add("unwanted", None, None, words(&config.unwanted), "none");
    add("checklists", None, None, optional(&config.checklists), "none");
    add("templates", None, None, optional(&config.templates), "none");
    list
}

fn width(common: &Common, config: &Config, to_terminal: bool) -> Option<usize> {
    let asked = common.width.or(config.width).map(usize::from);
    asked.or_else(|| {
        to_terminal.then(|| terminal_size::terminal_size().map_or(80, |(width, _)| usize::from(width.0)))
    })
}

fn palette(color: ColorChoice, to_terminal: bool) -> Palette {
    match color {
        ColorChoice::Always => Palette::Coloured,
        ColorChoice::Auto
            if to_terminal && !environment::refuses_color() && !environment::is_dumb_terminal() =>
        {
            Palette::Coloured
        }
        ColorChoice::Auto | ColorChoice::Never => Palette::Plain,
    }
}
