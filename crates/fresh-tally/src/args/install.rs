//! Commands about one install.

use super::{NonEmpty, READ_BY_HAND, handles};
use clap::{Args, ValueEnum};
use std::path::PathBuf;
use tally_core::model::bytes_of;
use tally_report::chart::Size;

/// Read an install, say what was found, and put its tally on the shelf
///
/// What can't be read is named, file and line, and the rest is kept. With -o the tally goes to that file instead of the
/// shelf (and to both when --shelf is given as well).
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  fresh-tally take /mnt/fresh
  fresh-tally take /mnt/fresh --edition Mudflat --profile minimal
  fresh-tally take /mnt/fresh -o fresh.tally.json
  fresh-tally take / --installed 2031-05-02
  fresh-tally take saltmarsh-5.0.iso
  fresh-tally take saltmarsh-5.0.iso --each-profile -o tallies
  fresh-tally take machine.qcow2 --profile minimal
  fresh-tally take image.manifest --distro Saltmarsh --release 5.0
  rpm -qa | fresh-tally take - --distro Saltmarsh --release 5.0
  LC_ALL=C pacman -Qi | fresh-tally take - --distro Saltmarsh --release 5.0")]
pub(crate) struct TakeArgs {
    /// Root folder of an install; an archive of one; an image (ISO 9660, SquashFS, ext4) or a disk (raw, qcow2, VDI) with
    /// one in it; or a list of packages as a package system prints it, a manifest, a bill of materials (CycloneDX or SPDX
    /// JSON); `-` is standard input
    pub(crate) source: PathBuf,
    #[command(flatten)]
    pub(crate) label: LabelArgs,
    /// Handle on the shelf [default: made from the label]
    #[arg(long, value_name = "NAME")]
    pub(crate) handle: Option<String>,
    /// Mark it as read from a live session
    #[arg(long)]
    pub(crate) live: bool,
    /// When the installation ended, where the install's own records do not tell: what came later is told apart
    #[arg(long, value_name = "DAY|MOMENT", conflicts_with = "live")]
    pub(crate) installed: Option<String>,
    /// Take a tally of each profile that the medium can install; -o names a folder for them
    #[arg(long, conflicts_with_all = ["handle", "profile", "live", "installed"])]
    pub(crate) each_profile: bool,
    /// Read the whole file once more, and write its SHA-256 into the tally
    #[arg(long)]
    pub(crate) sha256: bool,
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

/// Publish: show notes, a page, tables, data, charts
///
/// One install makes a report of what is in it, two a report of what changed, more (or --side-by-side) one of what tells
/// them apart. With -o FOLDER all of it is written there; the ending of -o FILE chooses one form: `.html` a page that
/// needs nothing else, `.md` show notes, `.csv`, `.json`, `.svg` and `.png` a chart. Without -o the show notes are printed.
#[derive(Debug, Args, Default)]
#[command(after_help = "\
Examples:
  fresh-tally report saltmarsh-5.0-reedbed -o reedbed.html
  fresh-tally report saltmarsh-4.0-reedbed saltmarsh-5.0-reedbed -o report
  fresh-tally report saltmarsh-4.0-reedbed saltmarsh-5.0-reedbed --chart decisions --transparent -o decisions.png
  fresh-tally report saltmarsh-5.0-reedbed saltmarsh-5.0-mudflat --side-by-side -o editions.html
  fresh-tally report saltmarsh-5.0-reedbed --template templates -o published
  fresh-tally report saltmarsh-5.0-reedbed --sbom cyclonedx -o reedbed.cdx.json")]
pub(crate) struct ReportArgs {
    /// Handles, tally files, or sources
    #[arg(required = true, value_name = "INSTALL", add = handles())]
    pub(crate) installs: Vec<String>,
    /// Put two installs side by side instead of comparing them
    #[arg(long)]
    pub(crate) side_by_side: bool,
    /// Only this chart: kinds, menu, weight of one install; changes, decisions, releases of two; likeness, releases of more
    #[arg(long, value_name = "NAME")]
    pub(crate) chart: Option<String>,
    /// Size of charts that are files
    #[arg(long, value_name = "WIDTHxHEIGHT", default_value = "1920x1080")]
    pub(crate) size: Size,
    /// No ground under charts, to lay them over a video
    #[arg(long)]
    pub(crate) transparent: bool,
    /// Light on dark charts
    #[arg(long)]
    pub(crate) dark: bool,
    /// Folder of own templates: each file in it is written into the folder of -o
    #[arg(long, value_name = "DIR", conflicts_with = "chart")]
    pub(crate) template: Option<PathBuf>,
    /// A bill of materials instead, by this standard
    #[arg(long, value_enum, value_name = "STANDARD", conflicts_with_all = ["chart", "template", "side_by_side"])]
    pub(crate) sbom: Option<SbomArg>,
}

#[derive(Debug, Clone, Copy, ValueEnum)]
pub(crate) enum SbomArg {
    /// CycloneDX 1.5, JSON
    Cyclonedx,
    /// SPDX 2.3, JSON
    Spdx,
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

/// Print a script that collects what `take` needs of an install elsewhere
///
/// The script is POSIX shell and runs on any Linux and on FreeBSD, as anybody; it says what it could not read. It never
/// takes passwords, keys, network credentials, machine ids or personal files; `sh kit.sh --list` shows what it would take.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  fresh-tally kit -o kit.sh
  sh kit.sh --list                                               (there) what it would take
  sh kit.sh                                                      (there) writes tally-kit.tar.gz
  fresh-tally take tally-kit.tar.gz
  ssh host sh -s -- -o - < kit.sh | fresh-tally take -")]
pub(crate) struct KitArgs {}
