//! What the user may type. Nothing here does anything.

use crate::settings;
use clap::builder::NonEmptyStringValueParser as NonEmpty;
use clap::{Args, Parser, Subcommand, ValueEnum};
use clap_complete::engine::{ArgValueCompleter, CompletionCandidate, PathCompleter, ValueCompleter};
use std::ffi::OsStr;
use std::path::PathBuf;
use tally_core::model::bytes_of;

/// The method of a figure that a person noted without saying more.
pub(crate) const READ_BY_HAND: &str = "read by hand";

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

INSTALL is a handle on the shelf, a tally file, or anything that `take` can read.
Exit codes: 0 done; 1 done, and the answer is no; 2 the command line is wrong;
3 an input can't be read or written; 4 a bug.";

/// Takes the tally of a fresh Linux install: what came in the box, and what changed on purpose
///
/// Reads the package databases, launchers and release files of an install, from its files alone: nothing of it is run,
/// nothing is written to it, and no network is asked.
#[derive(Debug, Parser)]
#[command(name = "fresh-tally", version, after_help = EXAMPLES, after_long_help = EXAMPLES, max_term_width = 100)]
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
    /// When to colour: auto asks the terminal and NO_COLOR
    #[arg(long, global = true, value_enum, default_value_t = ColorArg::Auto, value_name = "WHEN")]
    pub(crate) color: ColorArg,
    /// Lay tables out for this many columns [default: the terminal's; without limit when piped]
    #[arg(long, global = true, value_name = "COLUMNS", value_parser = clap::value_parser!(u16).range(20..))]
    pub(crate) width: Option<u16>,
    /// Say nothing but the answer and errors
    #[arg(long, short, global = true)]
    pub(crate) quiet: bool,
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
    Shelf(ShelfArgs),
    Rules(RulesArgs),
    Demo(DemoArgs),
    Completions(CompletionsArgs),
    /// Print the manual page, in roff
    Man,
}

/// Read an install, say what was found, and put its tally on the shelf
///
/// What can't be read is named, file and line, and the rest is kept. With -o the tally goes to that file instead of the
/// shelf (and to both when --shelf is given as well).
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  fresh-tally take /mnt/fresh
  fresh-tally take /mnt/fresh --edition Mudflat --profile minimal
  fresh-tally take /mnt/fresh -o fresh.tally.json")]
pub(crate) struct TakeArgs {
    /// Root folder of an install
    pub(crate) source: PathBuf,
    #[command(flatten)]
    pub(crate) label: LabelArgs,
    /// Handle on the shelf [default: made from the label]
    #[arg(long, value_name = "NAME")]
    pub(crate) handle: Option<String>,
    /// Mark it as read from a live session
    #[arg(long)]
    pub(crate) live: bool,
}

/// What the release files do not say, or say wrong.
#[derive(Debug, Args, Default)]
#[command(next_help_heading = "Label")]
pub(crate) struct LabelArgs {
    /// Name of the distribution
    #[arg(long, value_name = "NAME")]
    pub(crate) distro: Option<String>,
    /// Release number
    #[arg(long, value_name = "NUMBER")]
    pub(crate) release: Option<String>,
    /// Code name of the release
    #[arg(long, value_name = "NAME")]
    pub(crate) codename: Option<String>,
    /// Edition, flavor or spin
    #[arg(long, value_name = "NAME")]
    pub(crate) edition: Option<String>,
    /// Choice made at install time: full, minimal
    #[arg(long, value_name = "NAME")]
    pub(crate) profile: Option<String>,
    /// Architecture
    #[arg(long, value_name = "NAME")]
    pub(crate) arch: Option<String>,
    /// Day of the release
    #[arg(long, value_name = "YYYY-MM-DD")]
    pub(crate) release_date: Option<String>,
}

/// Look at one install
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  fresh-tally show saltmarsh-5.0-reedbed
  fresh-tally show saltmarsh-5.0-reedbed menu
  fresh-tally show / packages --format csv -o packages.csv")]
pub(crate) struct ShowArgs {
    /// Handle, tally file, or source
    #[arg(add = handles())]
    pub(crate) install: String,
    /// What to look at
    #[arg(value_enum, default_value_t = ShowWhatArg::Overview)]
    pub(crate) view: ShowWhatArg,
}

#[derive(Debug, Clone, Copy, ValueEnum)]
pub(crate) enum ShowWhatArg {
    /// One screen about everything
    Overview,
    /// What lies underneath, with versions and the file each was read from
    Parts,
    /// What stands in the menu, by category, with version, package, format and size
    Menu,
    /// What opens what, and which file says so
    Defaults,
    /// Every package
    Packages,
    /// Where packages come from
    Repositories,
    /// What starts by itself
    Startup,
    /// Sessions, themes, icon sets, wallpapers, fonts
    Looks,
    /// Where the weight is
    Weight,
    /// Figures measured on the running install, and notes
    Readings,
    /// What deserves a second look
    Odd,
}

/// Find packages, programs and commands by approximate name
///
/// A name heard, misspelt or in part will do; best matches come first and say why they matched. Ends with exit code 1 when
/// it is not there, and names what comes nearest.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  fresh-tally find saltmarsh-5.0-reedbed text editor
  fresh-tally find / inkcpa --format json
  fresh-tally find /mnt/fresh --file /usr/bin/inkcap
  fresh-tally find /mnt/fresh --program inkcap")]
pub(crate) struct FindArgs {
    /// Handle, tally file, or source
    #[arg(add = handles())]
    pub(crate) install: String,
    /// What to look for
    #[arg(required_unless_present_any = ["file", "program"])]
    pub(crate) words: Vec<String>,
    /// Tell which package a file belongs to
    #[arg(long, value_name = "PATH", conflicts_with_all = ["words", "program"], value_parser = NonEmpty::new())]
    pub(crate) file: Option<String>,
    /// Tell whether there is a command of this name, and whose it is
    #[arg(long, value_name = "NAME", conflicts_with = "words", value_parser = NonEmpty::new())]
    pub(crate) program: Option<String>,
}

/// Write a remark or a measured figure into a tally
///
/// Without words it shows what was written. Remarks stay when the same install is taken again, and none is ever
/// overwritten. Figures: memory, swap, disk (bytes, or with kB, MB, GB, KiB, MiB, GiB); tasks, threads, load; boot, uptime
/// (seconds).
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  fresh-tally note saltmarsh-5.0-reedbed the printer was found at once
  fresh-tally note saltmarsh-5.0-reedbed --ask printer yes
  fresh-tally note saltmarsh-5.0-reedbed memory=512MiB --method 'system monitor' --when 'idle after boot'")]
pub(crate) struct NoteArgs {
    /// Handle or tally file
    #[arg(add = handles())]
    pub(crate) install: String,
    /// A remark, or figures as NAME=VALUE
    pub(crate) words: Vec<String>,
    /// The question of a checklist that this answers
    #[arg(long, value_name = "NAME")]
    pub(crate) ask: Option<String>,
    /// How the figures were measured
    #[arg(long, value_name = "WORDS", default_value = READ_BY_HAND)]
    pub(crate) method: String,
    /// At which moment
    #[arg(long, value_name = "WORDS", default_value = "")]
    pub(crate) when: String,
    /// On a live session, not on the installed system
    #[arg(long)]
    pub(crate) live: bool,
    /// Memory of the machine
    #[arg(long, value_name = "SIZE", value_parser = bytes_of)]
    pub(crate) ram: Option<u64>,
}

/// Tell what brought a package in, and what would leave with it
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  fresh-tally why saltmarsh-5.0-reedbed libmere5
  fresh-tally why saltmarsh-5.0-reedbed freshet --all")]
pub(crate) struct WhyArgs {
    /// Handle, tally file, or source
    #[arg(add = handles())]
    pub(crate) install: String,
    /// Name of a package, with its system before a colon where names meet
    pub(crate) package: String,
    /// Show a path from each chosen package that leads there
    #[arg(long)]
    pub(crate) all: bool,
}

/// Say whether an install fits a size, and what would have to go
///
/// Ends with exit code 1 when it is over the limit.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  fresh-tally weigh saltmarsh-5.0-reedbed --limit 1.5GB
  fresh-tally weigh saltmarsh-5.0-reedbed --limit 4GiB --plus 500MB")]
pub(crate) struct WeighArgs {
    /// Handle, tally file, or source
    #[arg(add = handles())]
    pub(crate) install: String,
    /// The size that it must fit: bytes, or with kB, MB, GB, KiB, MiB, GiB
    #[arg(long, value_name = "SIZE", value_parser = bytes_of)]
    pub(crate) limit: u64,
    /// What comes on top
    #[arg(long, value_name = "SIZE", value_parser = bytes_of, default_value = "0")]
    pub(crate) plus: u64,
}

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
    #[arg(long, value_enum, value_delimiter = ',', value_name = "GROUP")]
    pub(crate) rows: Vec<RowsArg>,
    /// What likeness is measured by
    #[arg(long, value_enum, default_value_t = LikenessArg::Applications, value_name = "WHAT")]
    pub(crate) likeness: LikenessArg,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum OnlyArg {
    /// Show only rows whose answers are not all the same
    Differing,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum RowsArg {
    /// What was asked for by --ask
    Asked,
    /// Distribution, release, edition and the like
    Label,
    /// Kernel, desktop, sound server and other parts
    Parts,
    /// What opens what
    Defaults,
    /// Numbers of packages, by kind too
    Counts,
    /// Bytes on disk, by kind
    Weight,
    /// Programs that not all of them have, or not in one version
    Programs,
    /// What starts by itself
    Startup,
    /// Where packages come from
    Repositories,
    /// Sessions, themes, wallpapers, fonts
    Looks,
    /// Figures measured on the running installs
    Readings,
    /// All of that
    All,
}

#[derive(Debug, Clone, Copy, ValueEnum, Default)]
pub(crate) enum LikenessArg {
    /// Programs that both have
    #[default]
    Applications,
    /// Packages that both have
    Packages,
    /// Packages, the heavier the more
    Weight,
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

/// Keep tallies: list, rename, drop
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  fresh-tally shelf
  fresh-tally shelf list --release bittern
  fresh-tally shelf find inkcap
  fresh-tally shelf rename saltmarsh-5.0-reedbed bittern
  fresh-tally shelf drop bittern")]
pub(crate) struct ShelfArgs {
    #[command(subcommand)]
    pub(crate) action: Option<ShelfAction>,
}

#[derive(Debug, Subcommand)]
pub(crate) enum ShelfAction {
    /// List what is on the shelf (the default)
    List(ShelfListArgs),
    /// Tell which installs have a package, program or part, and in which version
    Find {
        /// Its name; where none is called so, names that match it
        #[arg(required = true, value_name = "NAME", value_parser = NonEmpty::new())]
        words: Vec<String>,
    },
    /// Put tallies from files or folders on the shelf
    Import {
        /// Tally files, or folders of them
        #[arg(required = true, value_name = "FILE")]
        files: Vec<PathBuf>,
    },
    /// Write all packages of tallies as one table, a row each; or copy the tallies themselves
    ///
    /// The table is CSV, or JSON Lines where -o ends in `.jsonl` or --format is json.
    #[command(after_help = "\
Examples:
  fresh-tally shelf export -o packages.csv
  fresh-tally shelf export saltmarsh-5.0-reedbed saltmarsh-5.0-mudflat -o packages.jsonl
  fresh-tally shelf export --into /mnt/backup")]
    Export {
        /// Their handles [default: all]
        #[arg(add = handles())]
        handles: Vec<String>,
        /// Copy the tallies into this folder instead
        #[arg(long, value_name = "DIR", conflicts_with_all = ["output", "format"])]
        into: Option<PathBuf>,
    },
    /// Make the index anew
    ///
    /// The index makes questions to the whole shelf quick. It keeps itself up to date and may be deleted at any time.
    Index,
    /// Give a tally another handle
    Rename {
        /// Its handle
        #[arg(add = handles())]
        old: String,
        /// The new one: lower-case letters, digits, dots, hyphens
        new: String,
    },
    /// Take tallies off the shelf for good
    Drop {
        /// Their handles
        #[arg(required = true, add = handles())]
        handles: Vec<String>,
    },
}

/// Which installs to list.
#[derive(Debug, Args, Default)]
pub(crate) struct ShelfListArgs {
    /// Only this distribution, by name or identifier
    #[arg(long, value_name = "NAME")]
    pub(crate) distro: Option<String>,
    /// Only this release, by number or code name
    #[arg(long, value_name = "RELEASE")]
    pub(crate) release: Option<String>,
    /// Only this edition
    #[arg(long, value_name = "NAME")]
    pub(crate) edition: Option<String>,
    /// Only handles that fit this pattern (`*` any run, `?` one character)
    #[arg(long, value_name = "PATTERN")]
    pub(crate) handle: Option<String>,
}

/// Ask the built-in knowledge
#[derive(Debug, Args)]
pub(crate) struct RulesArgs {
    #[command(subcommand)]
    pub(crate) action: RulesAction,
}

#[derive(Debug, Subcommand)]
pub(crate) enum RulesAction {
    /// Compare two versions by a package system's own order
    ///
    /// Prints `<`, `=` or `>`. With `-` for A, reads lines of two versions divided by a tab from standard input, and
    /// prints each with its order behind another tab.
    #[command(after_help = "\
Examples:
  fresh-tally rules order dpkg 1.0~rc1 1.0
  printf '1.0\\t1.0-0\\n' | fresh-tally rules order dpkg -")]
    Order {
        /// Package system
        system: String,
        /// A version, or `-`
        #[arg(allow_hyphen_values = true)]
        a: String,
        /// Another version
        #[arg(allow_hyphen_values = true)]
        b: Option<String>,
    },
    /// Print the rules that find parts, as TOML
    Parts,
    /// Print the rules that tell kinds of packages, as TOML
    Kinds,
    /// Print the roles of default applications, as TOML
    Roles,
    /// Print the agents that report to somebody elsewhere, as TOML
    Agents,
    /// Check a file of own rules, and say what is in it
    #[command(after_help = "\
A file of own rules is TOML with any of these tables, in the forms that `rules kinds`, `parts`, `roles` and `agents` show:
  [[kind]]   kind, name, section, summary ...   asked before the built-in rules
  [[part]]   part, label, ways                  its ways are tried first; a new part is listed last
  [[role]]   role, label, types ...             takes the place of a role of the same name
  [[agent]]  name, does                         added to the agents that are called odd
  [headline] NAME = SCORE                       also [headline-role], [headline-part]: see `rules headlines`")]
    Check {
        /// The file
        file: PathBuf,
    },
    /// Print the scores of headlines, as TOML
    Headlines,
    /// Print the JSON Schema of a tally
    Schema,
}

/// Walk through take, show and compare on made-up installs
///
/// Writes two releases of a made-up distribution as real root folders, and runs each command on them. The folder is
/// kept, so that every command can be repeated.
#[derive(Debug, Args)]
pub(crate) struct DemoArgs {
    /// Folder for the made-up installs and their shelf [default: a new temporary folder]
    #[arg(long, value_name = "DIR")]
    pub(crate) into: Option<PathBuf>,
}

/// Print a completion script for a shell
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  fresh-tally completions bash > ~/.local/share/bash-completion/completions/fresh-tally
  fresh-tally completions zsh > ~/.zfunc/_fresh-tally")]
pub(crate) struct CompletionsArgs {
    /// Shell
    pub(crate) shell: clap_complete::Shell,
}
