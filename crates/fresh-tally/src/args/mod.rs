//! What the user may type. Nothing here does anything.

mod comparison;
mod install;
mod rules;
mod shelf;

pub(crate) use comparison::{CheckArgs, CompareArgs, CompareWhatArg, GridArgs, LagArgs, OnlyArg, TrailArgs};
pub(crate) use install::{
    FindArgs, KitArgs, LabelArgs, NoteArgs, ReportArgs, SbomArg, ShowArgs, ShowWhatArg, TakeArgs, WeighArgs,
    WhyArgs,
};
pub(crate) use rules::{CompletionsArgs, DemoArgs, RulesAction, RulesArgs};
pub(crate) use shelf::{ShelfAction, ShelfArgs, ShelfListArgs};

use crate::settings;
use clap::builder::{NonEmptyStringValueParser as NonEmpty, PossibleValuesParser};
use clap::{Args, Parser, Subcommand, ValueEnum};
use clap_complete::engine::{ArgValueCompleter, CompletionCandidate, PathCompleter, ValueCompleter};
use std::ffi::OsStr;
use std::path::PathBuf;

/// The method of a figure that a person noted without saying more.
pub(crate) const READ_BY_HAND: &str = "read by hand";

/// The word for every group of rows.
pub(crate) const ALL: &str = "all";

/// One of a closed set of words.
fn one_of(words: impl Iterator<Item = &'static str>) -> PossibleValuesParser {
    PossibleValuesParser::new(words.collect::<Vec<_>>())
}

/// The variable by which a shell asks for completions.
pub(crate) const COMPLETE: &str = "FRESH_TALLY_COMPLETE";

/// Completes an install: handles on the shelf first, then paths.
fn handles() -> ArgValueCompleter {
    ArgValueCompleter::new(|typed: &OsStr| -> Vec<CompletionCandidate> {
        let begins = typed.to_string_lossy();
        let shelf = settings::default_shelf().handles().unwrap_or_default();
        let mut candidates: Vec<CompletionCandidate> = shelf
            .into_iter()
            .filter(|handle| handle.starts_with(&*begins))
            .map(CompletionCandidate::new)
            .collect();
        candidates.extend(PathCompleter::any().complete(typed));
        candidates
    })
}

const EXAMPLES: &str = "\
Examples:
  fresh-tally demo                               see it all on made-up installs
  fresh-tally take /mnt/fresh                    read the install whose root is mounted there
  fresh-tally take / --edition Reedbed           read the running system, and name its edition
  fresh-tally show saltmarsh-5.0-reedbed menu    what stands in the menu, with versions
  fresh-tally compare OLD NEW                    what changed between two installs

INSTALL is a handle on the shelf, a tally file, or anything that `take` can read; with @shipped or @found behind it,
as it was on its install day or as it stands.
Exit codes: 0 done; 1 done, and the answer is no; 2 the command line is wrong;
3 an input can't be read or written; 4 a bug.";

/// What `--version` says: the program, and the documents that it reads and writes.
const LONG_VERSION: &str = concat!(
    env!("CARGO_PKG_VERSION"),
    "\nreads and writes tallies of schema 1; writes comparisons, grids, checks, reports of schema 1\nthe font of charts is DejaVu Sans"
);

/// Takes the tally of a fresh Linux install: what came in the box, and what changed on purpose
///
/// Reads the package databases, launchers and release files of an install, from its files alone: nothing of it is run,
/// nothing is written to it, and no network is asked.
#[derive(Debug, Parser)]
#[command(name = "fresh-tally", version, long_version = LONG_VERSION, after_help = EXAMPLES, after_long_help = EXAMPLES, max_term_width = 100)]
pub(crate) struct Cli {
    #[command(flatten)]
    pub(crate) common: Common,
    #[command(subcommand)]
    pub(crate) command: Command,
}

/// Options that every command takes.
#[derive(Debug, Args)]
pub(crate) struct Common {
    /// Folder of tallies [default: FRESH_TALLY_SHELF, else fresh-tally/shelf in the data folder]
    #[arg(long, global = true, value_name = "DIR")]
    pub(crate) shelf: Option<PathBuf>,
    /// Form of the answer [default: by the ending of -o, else table]
    #[arg(long, short, global = true, value_enum, value_name = "FORMAT")]
    pub(crate) format: Option<FormatArg>,
    /// Write the answer to a file, as a whole or not at all; `-` is standard output
    #[arg(long, short, global = true, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
    /// File of own rules, before the built-in ones; may be given again [default: fresh-tally/rules.toml in the
    /// configuration folder]
    #[arg(long, global = true, value_name = "FILE")]
    pub(crate) rules: Vec<PathBuf>,
    /// What of an install to show: as it was on its install day, or as it stands [default: shipped]; `INSTALL@found` says it
    /// for one
    #[arg(long = "as", global = true, value_enum, value_name = "MOMENT")]
    pub(crate) seen: Option<AsArg>,
    /// When to colour [default: auto, which asks the terminal and NO_COLOR]
    #[arg(long, global = true, value_enum, value_name = "WHEN")]
    pub(crate) color: Option<ColorArg>,
    /// Lay tables out for this many columns [default: the terminal's; without limit when piped]
    #[arg(long, global = true, value_name = "COLUMNS", value_parser = clap::value_parser!(u16).range(20..))]
    pub(crate) width: Option<u16>,
    /// Say nothing but the answer and errors
    #[arg(long, short, global = true)]
    pub(crate) quiet: bool,
    /// Say on standard error which readers ran, how long each took, and which limits were met; twice: every file that was read
    #[arg(long, short, global = true, action = clap::ArgAction::Count, conflicts_with = "quiet")]
    pub(crate) verbose: u8,
}

#[derive(Debug, Clone, Copy, ValueEnum)]
pub(crate) enum FormatArg {
    /// Aligned columns
    Table,
    /// Markdown, to be pasted as it is
    Markdown,
    /// One page of HTML that needs nothing else
    Html,
    /// Comma-separated values
    Csv,
    /// JSON
    Json,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum AsArg {
    /// Without what was added after the install day, and with what was removed, in the versions of that day
    Shipped,
    /// Everything that is there
    Found,
}

#[derive(Debug, Clone, Copy, ValueEnum)]
pub(crate) enum ColorArg {
    /// When the answer goes to a terminal
    Auto,
    /// Always
    Always,
    /// Never
    Never,
}

#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    Take(TakeArgs),
    Kit(KitArgs),
    Show(ShowArgs),
    Find(FindArgs),
    Why(WhyArgs),
    Weigh(WeighArgs),
    Note(NoteArgs),
    Compare(CompareArgs),
    Grid(GridArgs),
    Check(CheckArgs),
    Lag(LagArgs),
    Trail(TrailArgs),
    Report(ReportArgs),
    Shelf(ShelfArgs),
    Rules(RulesArgs),
    Demo(DemoArgs),
    Completions(CompletionsArgs),
    /// Print the manual, in roff; with -o DIR/ a page for each command
    Man,
}

impl Command {
    /// Whether it writes nothing but its answer, and of installs looks into tallies only (a source read on the fly apart).
    pub(crate) fn only_reads(&self) -> bool {
        matches!(
            self,
            Self::Show(_)
                | Self::Find(_)
                | Self::Why(_)
                | Self::Weigh(_)
                | Self::Compare(_)
                | Self::Grid(_)
                | Self::Check(_)
                | Self::Trail(_)
                | Self::Rules(_)
                | Self::Completions(_)
        )
    }
}
