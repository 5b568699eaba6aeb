//! Commands that hold installs against each other, against a checklist, or against what makers released.

use super::{ALL, NonEmpty, handles, one_of};
use clap::{Args, ValueEnum};
use std::path::PathBuf;
use tally_core::grid::{Likeness, RowGroup};

/// Tell what changed from one install to another
#[derive(Debug, Args, Default)]
#[command(after_help = "\
Examples:
  fresh-tally compare saltmarsh-4.0-reedbed saltmarsh-5.0-reedbed
  fresh-tally compare old.tally.json /mnt/fresh --view decisions
  fresh-tally compare OLD NEW --base OLD_BASE NEW_BASE
  fresh-tally compare OLD NEW --view packages --kind game,application --sort added,removed
  fresh-tally compare OLD NEW --format markdown -o notes.md")]
pub(crate) struct CompareArgs {
    /// The old install: handle, tally file, or source
    #[arg(add = handles())]
    pub(crate) old: String,
    /// The new one
    #[arg(add = handles())]
    pub(crate) new: String,
    /// What to look at
    #[arg(long, value_enum, default_value_t = CompareWhatArg::Headlines)]
    pub(crate) view: CompareWhatArg,
    /// The base's old and new install, to tell what was inherited; or the new one alone
    #[arg(long, num_args = 1..=2, value_names = ["OLD_BASE", "NEW_BASE"], add = handles())]
    pub(crate) base: Vec<String>,
    /// Only these sorts of change: added, removed, upgraded, replaced, put-in ...
    #[arg(long, value_name = "SORT", value_delimiter = ',', help_heading = "Filters")]
    pub(crate) sort: Vec<String>,
    /// Only packages of these kinds: application, game, library ...
    #[arg(long, value_name = "KIND", value_delimiter = ',', help_heading = "Filters")]
    pub(crate) kind: Vec<String>,
    /// Only these package systems: dpkg, snap, flatpak ...
    #[arg(long, value_name = "SYSTEM", value_delimiter = ',', help_heading = "Filters")]
    pub(crate) system: Vec<String>,
    /// Only programs of these menus: internet, games ...
    #[arg(long, value_name = "MENU", value_delimiter = ',', help_heading = "Filters")]
    pub(crate) menu: Vec<String>,
    /// Only names like this: `*` any run, `?` one character, `#` digits and dots, `|` or
    #[arg(long, value_name = "PATTERN", help_heading = "Filters")]
    pub(crate) name: Option<String>,
    /// End with exit code 1 when anything differs
    #[arg(long)]
    pub(crate) exit_code: bool,
}

#[derive(Debug, Clone, Copy, ValueEnum, Default)]
pub(crate) enum CompareWhatArg {
    #[default]
    /// Headlines, parts, programs, and the weightiest decisions
    Headlines,
    /// All parts, unchanged ones too
    Parts,
    /// All programs that changed
    Applications,
    /// What opens what, where that changed
    Defaults,
    /// All packages that changed
    Packages,
    /// All decisions, with what followed from each
    Decisions,
    /// Repositories that came, went, or changed
    Repositories,
    /// What starts by itself, where that changed
    Startup,
    /// Sessions, themes, wallpapers and fonts that changed
    Looks,
    /// Weight by kind
    Weight,
    /// Figures measured on both sides
    Readings,
    /// All of that
    All,
}

/// Lay installs side by side: the same questions as rows, the installs as columns
///
/// Ends with what all of them share, what one alone has or lacks, and how alike they are. A figure that was measured by another
/// method or under other conditions is marked. A grid too wide for the screen goes on below.
#[derive(Debug, Args, Default)]
#[command(after_help = "\
Examples:
  fresh-tally grid saltmarsh-5.0-reedbed saltmarsh-5.0-mudflat saltmarsh-5.0-tideway
  fresh-tally grid A B C --only differing
  fresh-tally grid A B C --ask Inkcap --ask 'process viewer' -o editions.html")]
pub(crate) struct GridArgs {
    /// Two installs or more, 50 at the most
    #[arg(required = true, num_args = 2.., value_name = "INSTALL", value_parser = NonEmpty::new(), add = handles())]
    pub(crate) installs: Vec<String>,
    /// Also ask for this package, program or application; may be given again. A name that is merely like it is said
    #[arg(long, value_name = "NAME", value_parser = NonEmpty::new())]
    pub(crate) ask: Vec<String>,
    /// Leave out rows
    #[arg(long, value_enum, value_name = "WHICH")]
    pub(crate) only: Option<OnlyArg>,
    /// Show these groups of rows in full, and no others [default: a summary of each; html, csv and json hold all]
    #[arg(long, value_delimiter = ',', value_name = "GROUP", value_parser = one_of(RowGroup::ALL.iter().map(|g| g.name()).chain([ALL])))]
    pub(crate) rows: Vec<String>,
    /// What likeness is measured by: programs that both have, packages, or packages the heavier the more [default:
    /// applications]
    #[arg(long, value_name = "WHAT", value_parser = one_of(Likeness::ALL.iter().map(|l| l.name())))]
    pub(crate) likeness: Option<String>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum OnlyArg {
    /// Show only rows whose answers are not all the same
    Differing,
}

/// Put a checklist's questions to installs, and answer them by evidence
///
/// What only a person can answer stays open until `fresh-tally note INSTALL --ask NAME ...` answers it. Ends with 1 when a question
/// that is no mere wish has the answer no.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  fresh-tally check --starter -o questions.toml
  fresh-tally check questions.toml saltmarsh-5.0-reedbed
  fresh-tally check questions.toml saltmarsh-5.0-reedbed saltmarsh-5.0-mudflat -o answers.html
  fresh-tally note saltmarsh-5.0-reedbed --ask printer-found yes, at once")]
pub(crate) struct CheckArgs {
    /// A checklist: TOML, as `--starter` prints one
    #[arg(required_unless_present = "starter")]
    pub(crate) checklist: Option<PathBuf>,
    /// One install or more
    #[arg(required_unless_present = "starter", value_name = "INSTALL", value_parser = NonEmpty::new(), add = handles())]
    pub(crate) installs: Vec<String>,
    /// Print a checklist to begin with
    #[arg(long, conflicts_with_all = ["checklist", "installs"])]
    pub(crate) starter: bool,
}

/// Tell how far parts and programs were behind their makers on the day of the release
///
/// What the makers had released by then stands in a file of yours (TOML, or CSV by its ending); nothing is looked up. A project
/// that the file does not know is listed, not guessed.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  fresh-tally lag --starter -o upstream.toml
  fresh-tally lag saltmarsh-5.0-reedbed --upstream upstream.toml --day 2026-05-04
  fresh-tally lag saltmarsh-5.0-reedbed --upstream releases.csv --format csv")]
pub(crate) struct LagArgs {
    /// Handle, tally file, or source
    #[arg(required_unless_present = "starter", value_parser = NonEmpty::new(), add = handles())]
    pub(crate) install: Option<String>,
    /// The makers' releases
    #[arg(long, value_name = "FILE", required_unless_present = "starter")]
    pub(crate) upstream: Option<PathBuf>,
    /// The day that counts [default: the day of the release, as the label has it]
    #[arg(long, value_name = "YYYY-MM-DD")]
    pub(crate) day: Option<String>,
    /// Print a file of releases to begin with
    #[arg(long, conflicts_with_all = ["install", "upstream", "day"])]
    pub(crate) starter: bool,
}

/// Follow one part, program or package through the releases on the shelf
///
/// Each distribution and edition has its own trail, by release. A package that was renumbered or renamed is followed under
/// the names it had.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  fresh-tally trail kernel
  fresh-tally trail Inkcap --format csv
  fresh-tally trail libreedkit3 saltmarsh-4.0-reedbed saltmarsh-5.0-reedbed")]
pub(crate) struct TrailArgs {
    /// A part (`kernel`, `sound-server`), a program, or a package
    pub(crate) name: String,
    /// Handles, tally files or sources [default: everything on the shelf]
    #[arg(add = handles())]
    pub(crate) installs: Vec<String>,
}
