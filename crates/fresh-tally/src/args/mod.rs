//! What the user may type. Nothing here does anything.

mod comparison;
mod complete;
mod install;
mod rules;
mod shelf;
mod words;

pub(crate) use comparison::{
    AgeArgs, ChartArgs, CheckArgs, CompareArgs, GridArgs, LagArgs, OnlyArg, TrailArgs,
};
pub(crate) use complete::handles;
pub(crate) use install::{
    BrowseArgs, FindArgs, KitArgs, LabelArgs, ListsArgs, NoteArgs, OfferArgs, ReportArgs, ShowArgs, TakeArgs,
    WeighArgs, WhyArgs,
};
pub(crate) use rules::{CompletionsArgs, DemoArgs, RulesAction, RulesArgs};
pub(crate) use shelf::{ShelfAction, ShelfArgs, ShelfListArgs};

use clap::builder::NonEmptyStringValueParser as NonEmpty;
use clap::{Args, ColorChoice, Parser, Subcommand};
use std::path::PathBuf;
use tally_core::history::Moment;
use tally_report::Format;
use tally_report::chart::ChartForm;
use words::{OneOf, one_of_words};

/// The method of a figure that a person noted without saying more.
pub(crate) const READ_BY_HAND: &str = tally_core::model::Method::ByHand.name();

/// The word for every group of rows.
pub(crate) const ALL: &str = "all";

/// The variable by which a shell asks for completions.
pub(crate) const COMPLETE: &str = "FRESH_TALLY_COMPLETE";

const EXAMPLES: &str = "\
Examples:
  fresh-tally demo                               try everything on made-up installs
  fresh-tally take /mnt/fresh                    read the install that is mounted there
  fresh-tally take / --edition Reedbed           read the running system and name its edition
  fresh-tally show saltmarsh-5.0-reedbed-full menu    list the programs in the menu with their versions
  fresh-tally compare OLD NEW                    tell what changed between two installs

INSTALL is a handle on the shelf, a tally file, or anything that `take` can read. Add @shipped to see it as it was on its
install day, or @found to see it as it is now.
Exit codes: 0 done; 1 done, and the answer is no; 2 wrong command line; 3 an input or output failed; 4 a bug.";

/// What `--version` says: the program, the documents that it reads and writes, and what of it may be left out and is here.
fn long_version() -> String {
    const SAID: &str = concat!(
        env!("CARGO_PKG_VERSION"),
        "\nreads tallies of schemas 1 and 2; writes all documents in the newest\ncharts use the font DejaVu Sans\nbuilt with"
    );
    match (cfg!(feature = "browse"), cfg!(feature = "pictures")) {
        (true, true) => format!("{SAID} browse, pictures"),
        (true, false) => format!("{SAID} browse; without pictures"),
        (false, true) => format!("{SAID} pictures; without browse"),
        (false, false) => format!("{SAID}out browse and pictures"),
    }
}

/// Inventory a fresh Linux install: what ships with it, and what changed on purpose
///
/// Reads the package databases, launchers and release files of an install. It only reads files: it runs nothing of the
/// install, writes nothing to it, and uses no network.
#[derive(Debug, Parser)]
#[command(name = "fresh-tally", version, long_version = long_version(), after_help = EXAMPLES, after_long_help = EXAMPLES, max_term_width = 100)]
pub(crate) struct Cli {
    #[command(flatten)]
    pub(crate) common: Common,
    #[command(subcommand)]
    pub(crate) command: Command,
}

/// Options that every command takes.
#[derive(Debug, Args)]
pub(crate) struct Common {
    /// Folder of tallies [default: FRESH_TALLY_SHELF, or fresh-tally/shelf in the data folder]
    #[arg(long, global = true, value_name = "DIR")]
    pub(crate) shelf: Option<PathBuf>,
    /// Output format [default: by the ending of -o, otherwise table]
    #[arg(long, short, global = true, value_name = "FORMAT", value_parser = OneOf::<Format>::new())]
    pub(crate) format: Option<Format>,
    /// Write the output to a file, completely or not at all; `-` is standard output
    #[arg(long, short, global = true, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
    /// File with your own rules, which come before the built-in ones; can be repeated [default: fresh-tally/rules.toml in
    /// the configuration folder]
    #[arg(long, global = true, value_name = "FILE")]
    pub(crate) rules: Vec<PathBuf>,
    /// Show installs as they shipped or as they are now [default: shipped]; `INSTALL@found` does it for a single one
    #[arg(long = "as", global = true, value_name = "MOMENT", value_parser = OneOf::<Moment>::new())]
    pub(crate) seen: Option<Moment>,
    /// When to use colors [default: auto, which checks the terminal and NO_COLOR]
    #[arg(long, global = true, value_enum, value_name = "WHEN")]
    pub(crate) color: Option<ColorChoice>,
    /// Lay out tables for this many columns [default: the terminal's width; no limit in a pipe]
    #[arg(long, global = true, value_name = "COLUMNS", value_parser = clap::value_parser!(u16).range(20..))]
    pub(crate) width: Option<u16>,
    /// Print only the answer and errors
    #[arg(long, short, global = true)]
    pub(crate) quiet: bool,
    /// Report on standard error which readers ran, how long each took and which limits were reached; twice: also every file
    /// that was read
    #[arg(long, short, global = true, action = clap::ArgAction::Count, conflicts_with = "quiet")]
    pub(crate) verbose: u8,
}

#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    Take(TakeArgs),
    Kit(KitArgs),
    Show(ShowArgs),
    Browse(BrowseArgs),
    Find(FindArgs),
    Why(WhyArgs),
    Weigh(WeighArgs),
    Offer(OfferArgs),
    Note(NoteArgs),
    Compare(CompareArgs),
    Grid(GridArgs),
    Check(CheckArgs),
    Lag(LagArgs),
    Age(AgeArgs),
    Trail(TrailArgs),
    Report(ReportArgs),
    Shelf(ShelfArgs),
    Rules(RulesArgs),
    Demo(DemoArgs),
    Completions(CompletionsArgs),
    /// Print the manual page (roff); with -o DIR/ one page for each command
    Man,
}

impl Command {
    /// The endings that a file of `-o` may have where no format is named; `None` where the command says so itself.
    pub(crate) fn endings(&self) -> Option<Vec<&'static str>> {
        let view = || Format::ALL.iter().flat_map(|format| format.endings()).copied();
        Some(match self {
            Self::Check(args) if args.starter => vec!["toml"],
            Self::Lag(args) if args.starter => vec!["toml"],
            Self::Take(args) if !args.each_profile && !args.list_roots => vec!["json", "zst"],
            Self::Kit(_) => vec!["sh"],
            Self::Report(args) if args.sbom.is_some() => vec!["json"],
            // A folder is written.
            Self::Report(args) if args.site => Vec::new(),
            Self::Lag(args) if args.installs.len() > 1 => view().collect(),
            Self::Lag(_) | Self::Age(_) | Self::Trail(_) => {
                view().chain(ChartForm::ALL.iter().map(|form| form.ending())).collect()
            }
            Self::Note(_) => view().collect(),
            asked if asked.answers() => view().collect(),
            _ => return None,
        })
    }

    /// Whether it answers a question about installs, with a view.
    fn answers(&self) -> bool {
        matches!(
            self,
            Self::Show(_)
                | Self::Find(_)
                | Self::Why(_)
                | Self::Weigh(_)
                | Self::Offer(_)
                | Self::Compare(_)
                | Self::Grid(_)
                | Self::Check(_)
                | Self::Lag(_)
                | Self::Age(_)
                | Self::Trail(_)
        )
    }

    /// Whether it only reads tallies and writes its answer (apart from a source that is read on the fly).
    pub(crate) fn only_reads(&self) -> bool {
        self.answers() || matches!(self, Self::Rules(_) | Self::Completions(_)) || self.lists_the_shelf()
    }

    /// Whether it tells what is on the shelf, and changes nothing of it.
    fn lists_the_shelf(&self) -> bool {
        let Self::Shelf(args) = self else { return false };
        matches!(args.action, None | Some(ShelfAction::List(_) | ShelfAction::Find { .. }))
    }
}
