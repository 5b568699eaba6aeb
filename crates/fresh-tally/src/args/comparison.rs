//! Commands that compare installs with each other, with a checklist, or with upstream releases.

use super::{ALL, NonEmpty, OneOf, handles, one_of_words};
use clap::{Args, ValueEnum};
use std::path::PathBuf;
use tally_core::grid::{Likeness, RowGroup};
use tally_core::model::{Kind, Menu, System};
use tally_report::CompareWhat;
use tally_report::chart::Size;

/// Compare two installs: what changed, and what was done on purpose
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  fresh-tally compare saltmarsh-4.0-reedbed-full saltmarsh-5.0-reedbed-full
  fresh-tally compare old.tally.json /mnt/fresh --view decisions
  fresh-tally compare OLD NEW --base OLD_BASE NEW_BASE
  fresh-tally compare OLD NEW --view packages --kind game,application --change added,removed
  fresh-tally compare OLD NEW --format markdown -o notes.md")]
pub(crate) struct CompareArgs {
    /// The old install: handle, tally file, or source
    #[arg(add = handles())]
    pub(crate) old: String,
    /// The new install
    #[arg(add = handles())]
    pub(crate) new: String,
    /// The view
    #[arg(long, default_value_t = CompareWhat::Headlines, value_parser = OneOf::<CompareWhat>::new())]
    pub(crate) view: CompareWhat,
    /// The old and the new install of the base, to tell which changes were inherited; or only the new one
    #[arg(long, num_args = 1..=2, value_names = ["OLD_BASE", "NEW_BASE"], add = handles())]
    pub(crate) base: Vec<String>,
    /// Only these changes: added, removed, upgraded, replaced, added-on-purpose ...
    #[arg(long, alias = "sort", value_name = "CHANGE", value_delimiter = ',', help_heading = "Filters")]
    pub(crate) change: Vec<String>,
    /// Only packages of these kinds: application, game, library ...
    #[arg(long, value_name = "KIND", value_delimiter = ',', help_heading = "Filters", value_parser = OneOf::<Kind>::new(), hide_possible_values = true)]
    pub(crate) kind: Vec<Kind>,
    /// Only these package systems: dpkg, snap, flatpak ...
    #[arg(long, value_name = "SYSTEM", value_delimiter = ',', help_heading = "Filters", value_parser = OneOf::<System>::new(), hide_possible_values = true)]
    pub(crate) system: Vec<System>,
    /// Only programs of these menus: internet, games ...
    #[arg(long, value_name = "MENU", value_delimiter = ',', help_heading = "Filters", value_parser = OneOf::<Menu>::new(), hide_possible_values = true)]
    pub(crate) menu: Vec<Menu>,
    /// Only names that match: `*` any characters, `?` one character, `#` digits and dots, `|` or
    #[arg(long, value_name = "PATTERN", help_heading = "Filters")]
    pub(crate) name: Option<String>,
    /// Exit with code 1 if anything differs
    #[arg(long)]
    pub(crate) exit_code: bool,
}

/// Put installs side by side in one table
///
/// Ends with what all of them have in common, what only one has or lacks, and how alike they are. Figures that were measured with
/// another method or under other conditions are marked. A table too wide for the screen continues below.
#[derive(Debug, Args, Default)]
#[command(after_help = "\
Examples:
  fresh-tally grid saltmarsh-5.0-reedbed-full saltmarsh-5.0-mudflat-full saltmarsh-5.0-tideway-full
  fresh-tally grid A B C --only differing
  fresh-tally grid A B C --ask Inkcap --ask 'process viewer' -o editions.html")]
pub(crate) struct GridArgs {
    /// Two to 50 installs
    #[arg(required = true, num_args = 2.., value_name = "INSTALL", value_parser = NonEmpty::new(), add = handles())]
    pub(crate) installs: Vec<String>,
    /// Also look for this package or program; can be repeated. If only a similar name is found, the table says so
    #[arg(long, value_name = "NAME", value_parser = NonEmpty::new())]
    pub(crate) ask: Vec<String>,
    /// Leave out rows
    #[arg(long, value_enum, value_name = "WHICH")]
    pub(crate) only: Option<OnlyArg>,
    /// Show only these groups of rows, in full [default: a summary of each; html, csv and json contain everything]
    #[arg(long, value_delimiter = ',', value_name = "GROUP", value_parser = one_of_words(RowGroup::ALL.iter().map(|g| g.name()).chain([ALL])))]
    pub(crate) rows: Vec<String>,
    /// What likeness is measured by [default: applications]
    #[arg(long, value_name = "WHAT", value_parser = OneOf::<Likeness>::new())]
    pub(crate) likeness: Option<Likeness>,
}

impl CompareArgs {
    /// Two installs, and no option.
    pub(crate) fn of(old: &str, new: &str) -> Self {
        Self {
            old: old.into(),
            new: new.into(),
            view: CompareWhat::Headlines,
            base: Vec::new(),
            change: Vec::new(),
            kind: Vec::new(),
            system: Vec::new(),
            menu: Vec::new(),
            name: None,
            exit_code: false,
        }
    }
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum OnlyArg {
    /// Only rows that differ
    Differing,
}

/// Answer the questions of a checklist from the files of installs
///
/// Questions that only you can answer stay open until `fresh-tally note INSTALL --ask NAME ...` answers them. The exit code is 1
/// if any question that is not optional has the answer no.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  fresh-tally check --starter -o questions.toml
  fresh-tally check questions.toml saltmarsh-5.0-reedbed-full
  fresh-tally check questions.toml saltmarsh-5.0-reedbed-full saltmarsh-5.0-mudflat-full -o answers.html
  fresh-tally note saltmarsh-5.0-reedbed-full --ask printer-found yes, at once")]
pub(crate) struct CheckArgs {
    /// The checklist (TOML); `--starter` prints an example
    #[arg(required_unless_present = "starter")]
    pub(crate) checklist: Option<PathBuf>,
    /// One or more installs
    #[arg(required_unless_present = "starter", value_name = "INSTALL", value_parser = NonEmpty::new(), add = handles())]
    pub(crate) installs: Vec<String>,
    /// Print an example checklist
    #[arg(long, conflicts_with_all = ["checklist", "installs"])]
    pub(crate) starter: bool,
}

/// Tell how far parts and programs were behind upstream on the release day
///
/// Nothing is looked up online. What is known comes from what programs say of their own releases (AppStream), here and in the other
/// installs on the shelf; from what those shipped by then; and from your own file of upstream releases (TOML or CSV), which wins. The
/// first two do not know all releases, so they tell how far behind it was at least. What is not known is listed.
/// With two installs it tells which gaps grew and which shrank.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  fresh-tally lag saltmarsh-5.0-reedbed-full
  fresh-tally lag saltmarsh-4.0-reedbed-full saltmarsh-5.0-reedbed-full
  fresh-tally lag --starter -o upstream.toml
  fresh-tally lag saltmarsh-5.0-reedbed-full --upstream upstream.toml --day 2026-05-04
  fresh-tally lag my-derivative --base saltmarsh-5.0-reedbed-full --format csv")]
pub(crate) struct LagArgs {
    /// Handle, tally file, or source; a second one is held against the first
    #[arg(required_unless_present = "starter", value_name = "INSTALL", num_args = 1..=2, value_parser = NonEmpty::new(), add = handles())]
    pub(crate) installs: Vec<String>,
    /// A file of upstream releases
    #[arg(long, value_name = "FILE")]
    pub(crate) upstream: Option<PathBuf>,
    /// The day to compare with [default: the release date of the install, else the day of its newest package]
    #[arg(long, value_name = "YYYY-MM-DD")]
    pub(crate) day: Option<String>,
    /// The distribution it is made from: tell whether that has the same version, or a newer one
    #[arg(long, value_name = "INSTALL", value_parser = NonEmpty::new(), add = handles())]
    pub(crate) base: Option<String>,
    /// Print an example file of releases
    #[arg(long, conflicts_with_all = ["installs", "upstream", "day", "base"])]
    pub(crate) starter: bool,
    #[command(flatten)]
    pub(crate) chart: ChartArgs,
}

/// How a chart is drawn.
#[derive(Debug, Clone, Args)]
pub(crate) struct ChartArgs {
    /// Size of the chart, which an -o that ends with .svg or .png asks for
    #[arg(long, value_name = "WIDTHxHEIGHT", default_value = "1920x1080")]
    pub(crate) size: Size,
    /// A chart with a transparent background
    #[arg(long)]
    pub(crate) transparent: bool,
    /// A chart with a dark background
    #[arg(long)]
    pub(crate) dark: bool,
}

impl Default for ChartArgs {
    fn default() -> Self {
        Self { size: Size::VIDEO, transparent: false, dark: false }
    }
}

impl LagArgs {
    /// All that is known of an install.
    pub(crate) fn of(install: &str) -> Self {
        Self {
            installs: vec![install.to_owned()],
            upstream: None,
            day: None,
            base: None,
            starter: false,
            chart: ChartArgs::default(),
        }
    }
}

impl AgeArgs {
    /// The ages of an install, on the day that counts.
    pub(crate) fn of(install: &str) -> Self {
        Self { install: install.to_owned(), day: None, all: false, chart: ChartArgs::default() }
    }
}

/// Tell how old packages were on the release day
///
/// By the day that each package was built, as its package system records it; on dpkg by its changelog, of programs and parts (of all
/// packages where it was taken with --all-dates, or is read now). Old is not the same as behind: `lag` tells that.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  fresh-tally age saltmarsh-5.0-reedbed-full
  fresh-tally age /mnt/fresh --all
  fresh-tally age saltmarsh-5.0-reedbed-full -o age.png")]
pub(crate) struct AgeArgs {
    /// Handle, tally file, or source
    #[arg(value_parser = NonEmpty::new(), add = handles())]
    pub(crate) install: String,
    /// The day from which ages are counted [default: the release date of the install, else the day of its newest package]
    #[arg(long, value_name = "YYYY-MM-DD")]
    pub(crate) day: Option<String>,
    /// List all packages, not the oldest alone
    #[arg(long)]
    pub(crate) all: bool,
    #[command(flatten)]
    pub(crate) chart: ChartArgs,
}

/// Follow one part, program or package through releases
///
/// Each distribution and edition has its own list, ordered by release. A package that was renamed or moved to a new series is
/// followed under the names it had.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  fresh-tally trail kernel
  fresh-tally trail Inkcap --format csv
  fresh-tally trail kernel -o kernel.png
  fresh-tally trail libreedkit3 saltmarsh-4.0-reedbed-full saltmarsh-5.0-reedbed-full")]
pub(crate) struct TrailArgs {
    /// A part (`kernel`, `sound-server`), a program, or a package
    pub(crate) name: String,
    /// Handles, tally files, or sources [default: everything on the shelf]
    #[arg(add = handles())]
    pub(crate) installs: Vec<String>,
    #[command(flatten)]
    pub(crate) chart: ChartArgs,
}
