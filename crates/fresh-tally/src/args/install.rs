//! Commands about one install.

use super::{NonEmpty, OneOf, READ_BY_HAND, handles};
use clap::Args;
use std::path::PathBuf;
use tally_core::model::{Kind, Reason, System, bytes_of};
use tally_report::chart::Size;
use tally_report::{Sbom, ShowWhat};

/// Read an install, print what was found, and put its tally on the shelf
///
/// Files that can't be read are named, and everything else is kept. With -o the tally goes to that file instead of the shelf
/// (and to both if --shelf is given as well).
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  fresh-tally take /mnt/fresh
  fresh-tally take /mnt/fresh --edition Mudflat --profile minimal
  fresh-tally take /mnt/fresh -o fresh.tally.json
  fresh-tally take / --installed 2031-05-02
  fresh-tally take /mnt/fresh --keep-offer
  fresh-tally take saltmarsh-5.0.iso
  fresh-tally take saltmarsh-5.0.iso --each-profile -o tallies
  fresh-tally take machine.qcow2 --profile minimal
  fresh-tally take machine.vmdk --list-roots
  fresh-tally take machine.vmdk --root 3
  fresh-tally take image.manifest --distro Saltmarsh --release 5.0
  rpm -qa | fresh-tally take - --distro Saltmarsh --release 5.0
  LC_ALL=C pacman -Qi | fresh-tally take - --distro Saltmarsh --release 5.0")]
pub(crate) struct TakeArgs {
    /// Root folder of an install, an archive of one, an image (ISO 9660, SquashFS, EROFS, of a container), a file system (ext4,
    /// btrfs, XFS) or a disk (raw, qcow2, VDI, VMDK, VHD, VHDX) that contains one; or a package list as a package system prints it,
    /// a manifest, or a bill of materials (CycloneDX or SPDX JSON); `-` is standard input
    pub(crate) source: PathBuf,
    #[command(flatten)]
    pub(crate) label: LabelArgs,
    /// Handle on the shelf [default: made of distribution, release, edition and profile]
    #[arg(long, value_name = "NAME")]
    pub(crate) handle: Option<String>,
    /// Put it in the place of the earlier tally of the same source, or of the one that has the --handle; without this another install
    /// gets a handle of its own
    #[arg(long)]
    pub(crate) replace: bool,
    /// It is a live session, not an installed system
    #[arg(long)]
    pub(crate) live: bool,
    /// When the installation ended, if the install's own records do not say; tells what was added later
    #[arg(long, value_name = "DAY|MOMENT", conflicts_with = "live")]
    pub(crate) installed: Option<String>,
    /// Take a tally of each profile that the medium can install; -o is a folder for them
    #[arg(long, conflicts_with_all = ["handle", "profile", "live", "installed"])]
    pub(crate) each_profile: bool,
    /// Of a disk with several installs take this one: the number or label of its partition, `vg/lv`, the path of its subvolume,
    /// or its deployment
    #[arg(long, value_name = "NAME", conflicts_with = "each_profile")]
    pub(crate) root: Option<String>,
    /// List the installs on a disk, by the names that --root takes, and take none
    #[arg(long, conflicts_with_all = ["each_profile", "root", "handle", "installed"])]
    pub(crate) list_roots: bool,
    /// Keep the lists of the repositories beside the tally, so that `offer` and `weigh --add` work without the install
    #[arg(long, conflicts_with_all = ["each_profile", "list_roots"])]
    pub(crate) keep_offer: bool,
    /// Read wallpapers, logos and icons as well: their sizes and hashes, and thumbnails in a folder beside the tally
    #[arg(long, conflicts_with_all = ["each_profile", "list_roots"])]
    pub(crate) pictures: bool,
    /// Read the day on which each package was last changed, not of programs and parts alone; on dpkg that takes a file for each
    #[arg(long, conflicts_with_all = ["each_profile", "list_roots"])]
    pub(crate) all_dates: bool,
    /// Record the SHA-256 of the file, which takes reading it once more
    #[arg(long)]
    pub(crate) sha256: bool,
    /// Take the file only if it has a signature (SOURCE.sig) by someone in this file of allowed signers, which ssh-keygen checks
    #[arg(long, value_name = "KEYS")]
    pub(crate) signed_by: Option<PathBuf>,
}

/// What the release files leave out or get wrong.
#[derive(Debug, Args, Default)]
#[command(next_help_heading = "Label")]
pub(crate) struct LabelArgs {
    /// Name of the distribution
    #[arg(long, value_name = "NAME")]
    pub(crate) distro: Option<String>,
    /// Release number
    #[arg(long, value_name = "NUMBER")]
    pub(crate) release: Option<String>,
    /// Codename of the release
    #[arg(long, value_name = "NAME")]
    pub(crate) codename: Option<String>,
    /// Edition, flavor or spin
    #[arg(long, value_name = "NAME")]
    pub(crate) edition: Option<String>,
    /// Choice made during installation: full, minimal
    #[arg(long, value_name = "NAME")]
    pub(crate) profile: Option<String>,
    /// Architecture
    #[arg(long, value_name = "NAME")]
    pub(crate) arch: Option<String>,
    /// Release date
    #[arg(long, value_name = "YYYY-MM-DD")]
    pub(crate) release_date: Option<String>,
}

/// Show one install
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  fresh-tally show saltmarsh-5.0-reedbed-full
  fresh-tally show saltmarsh-5.0-reedbed-full menu
  fresh-tally show saltmarsh-5.0-reedbed-full packages --kind game,font
  fresh-tally show / packages --format csv -o packages.csv")]
pub(crate) struct ShowArgs {
    /// Handle, tally file, or source
    #[arg(add = handles())]
    pub(crate) install: String,
    /// The view
    #[arg(default_value_t = ShowWhat::Overview, value_parser = OneOf::<ShowWhat>::new())]
    pub(crate) view: ShowWhat,
    /// With the view `settings`: also those that only have names of their own
    #[arg(long)]
    pub(crate) all: bool,
    #[command(flatten)]
    pub(crate) packages: PackageFilterArgs,
}

/// Which packages `show INSTALL packages` lists.
#[derive(Debug, Args, Default)]
#[command(next_help_heading = "Filters of the view `packages`")]
pub(crate) struct PackageFilterArgs {
    /// Only packages of these kinds: application, game, library ...
    #[arg(long, value_name = "KIND", value_delimiter = ',', value_parser = OneOf::<Kind>::new(), hide_possible_values = true)]
    pub(crate) kind: Vec<Kind>,
    /// Only packages that are there for these reasons
    #[arg(long, value_name = "REASON", value_delimiter = ',', value_parser = OneOf::<Reason>::new())]
    pub(crate) reason: Vec<Reason>,
    /// Only these package systems: dpkg, snap, flatpak ...
    #[arg(long, value_name = "SYSTEM", value_delimiter = ',', value_parser = OneOf::<System>::new(), hide_possible_values = true)]
    pub(crate) system: Vec<System>,
    /// Only names that match: `*` any characters, `?` one character, `#` digits and dots, `|` or
    #[arg(long, value_name = "PATTERN")]
    pub(crate) name: Option<String>,
}

/// Find packages, programs and commands by approximate name
///
/// Everyday words are answered first: `firewall`, `sound`, `office`, `games`, `telemetry`. Misspelt and partial names will do. The best
/// matches come first, each with the reason why it matched. If nothing is found,
/// the exit code is 1 and similar names are listed.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  fresh-tally find saltmarsh-5.0-reedbed-full text editor
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
    /// Which package this file belongs to
    #[arg(long, value_name = "PATH", conflicts_with_all = ["words", "program"], value_parser = NonEmpty::new())]
    pub(crate) file: Option<String>,
    /// Whether there is a command of this name, and which package it belongs to
    #[arg(long, value_name = "NAME", conflicts_with = "words", value_parser = NonEmpty::new())]
    pub(crate) program: Option<String>,
}

/// Add a note or a measured figure to a tally
///
/// Without a note it prints the existing ones. Notes are kept when the same install is taken again, and are never
/// overwritten. Figures: memory, swap, disk (bytes, or with kB, MB, GB, KiB, MiB, GiB); tasks, threads, load; boot, uptime
/// (seconds).
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  fresh-tally note saltmarsh-5.0-reedbed-full the printer was found at once
  fresh-tally note saltmarsh-5.0-reedbed-full --ask printer yes
  fresh-tally note saltmarsh-5.0-reedbed-full memory=512MiB --method 'system monitor' --when 'idle after boot'")]
pub(crate) struct NoteArgs {
    /// Handle or tally file
    #[arg(add = handles())]
    pub(crate) install: String,
    /// A note, or figures as NAME=VALUE
    pub(crate) words: Vec<String>,
    /// The question of a checklist that it answers
    #[arg(long, value_name = "NAME")]
    pub(crate) ask: Option<String>,
    /// How the figures were measured
    #[arg(long, value_name = "WORDS", default_value = READ_BY_HAND)]
    pub(crate) method: String,
    /// When they were measured, such as 'idle after boot'
    #[arg(long, value_name = "WORDS", default_value = "")]
    pub(crate) when: String,
    /// They were measured in a live session, not on the installed system
    #[arg(long)]
    pub(crate) live: bool,
    /// Memory of the machine
    #[arg(long, value_name = "SIZE", value_parser = bytes_of)]
    pub(crate) ram: Option<u64>,
}

/// Make a report to publish: a page, show notes, tables, data, charts
///
/// One install makes a report of what is in it, two installs make a report of what changed, and more (or --side-by-side) a
/// report of how they differ. With -o FOLDER everything is written there. The ending of -o FILE selects one form: `.html` a
/// self-contained page, `.md` show notes, `.csv`, `.json`, and `.svg` or `.png` a chart. Without -o the show notes are printed.
#[derive(Debug, Args, Default)]
#[command(after_help = "\
Examples:
  fresh-tally report saltmarsh-5.0-reedbed-full -o reedbed.html
  fresh-tally report saltmarsh-4.0-reedbed-full saltmarsh-5.0-reedbed-full -o report
  fresh-tally report saltmarsh-4.0-reedbed-full saltmarsh-5.0-reedbed-full --chart decisions --transparent -o decisions.png
  fresh-tally report saltmarsh-5.0-reedbed-full saltmarsh-5.0-mudflat-full --side-by-side -o editions.html
  fresh-tally report saltmarsh-4.0-reedbed-full saltmarsh-5.0-reedbed-full --short
  fresh-tally report --site -o site
  fresh-tally report saltmarsh-5.0-reedbed-full --template templates -o published
  fresh-tally report saltmarsh-5.0-reedbed-full --sbom cyclonedx -o reedbed.cdx.json")]
pub(crate) struct ReportArgs {
    /// Handles, tally files, or sources
    #[arg(required_unless_present = "site", value_name = "INSTALL", add = handles())]
    pub(crate) installs: Vec<String>,
    /// Write a site of the whole shelf to the folder given with -o: an index, a page for each install, each step from one release to the
    /// next, and the editions of each release; only what changed is written again
    #[arg(long, conflicts_with_all = ["installs", "chart", "template", "sbom", "side_by_side", "short", "timestamps"])]
    pub(crate) site: bool,
    /// Address at which the site will be, for its feed and its map (sitemap.xml)
    #[arg(long, value_name = "URL", value_parser = web_address)]
    pub(crate) url: Option<String>,
    /// Put two installs side by side instead of comparing them
    #[arg(long)]
    pub(crate) side_by_side: bool,
    /// Only this chart: choices of one install; decisions, steps, releases of two; apps, likeness, releases of more
    #[arg(long, value_name = "NAME")]
    pub(crate) chart: Option<String>,
    /// Size of chart files
    #[arg(long, value_name = "WIDTHxHEIGHT", default_value = "1920x1080")]
    pub(crate) size: Size,
    /// Show notes of under 1000 characters, for a video's description
    #[arg(long)]
    pub(crate) short: bool,
    /// Show notes with a place for the time at which a video comes to each section
    #[arg(long, conflicts_with = "short")]
    pub(crate) timestamps: bool,
    /// Charts with a transparent background, for video overlays
    #[arg(long)]
    pub(crate) transparent: bool,
    /// Charts with a dark background
    #[arg(long)]
    pub(crate) dark: bool,
    /// Folder with your own templates: each is filled in and written to the folder given with -o
    #[arg(long, value_name = "DIR", conflicts_with = "chart")]
    pub(crate) template: Option<PathBuf>,
    /// Write a bill of materials in this format instead
    #[arg(long, value_name = "STANDARD", value_parser = OneOf::<Sbom>::new(), conflicts_with_all = ["chart", "template", "side_by_side"])]
    pub(crate) sbom: Option<Sbom>,
}

/// Explain why a package is installed, and what removing it would remove
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  fresh-tally why saltmarsh-5.0-reedbed-full libmere5
  fresh-tally why saltmarsh-5.0-reedbed-full freshet --all")]
pub(crate) struct WhyArgs {
    /// Handle, tally file, or source
    #[arg(add = handles())]
    pub(crate) install: String,
    /// Name of a package; `system:name` where several systems have one of that name
    pub(crate) package: String,
    /// Show a path from each explicitly installed package
    #[arg(long)]
    pub(crate) all: bool,
}

/// Check whether an install fits a size limit, and what an addition costs
///
/// Without --add it proposes what to leave out to reach the limit. With --add it tells what would be installed along with some
/// packages, what that takes to download and on disk, and what else would fit or would have to go. Ends with exit code 1 when it is over
/// the limit, or when something can't be had.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  fresh-tally weigh saltmarsh-5.0-reedbed-full --limit 1.5GB
  fresh-tally weigh saltmarsh-5.0-reedbed-full --limit 4GiB --plus 500MB
  fresh-tally weigh saltmarsh-5.0-mudflat-full --add lapwing dunlin pondskate --image 700MB --limit 900MB
  fresh-tally weigh saltmarsh-5.0-mudflat-full --add dunlin --without-recommends --lists Packages.xz")]
pub(crate) struct WeighArgs {
    /// Handle, tally file, or source
    #[arg(add = handles())]
    pub(crate) install: String,
    /// The size limit: bytes, or with kB, MB, GB, KiB, MiB, GiB
    #[arg(long, value_name = "SIZE", value_parser = bytes_of, required_unless_present = "add")]
    pub(crate) limit: Option<u64>,
    /// Size of what will be added
    #[arg(long, value_name = "SIZE", value_parser = bytes_of, default_value = "0")]
    pub(crate) plus: u64,
    /// Packages, or groups of them, to add from the repositories
    #[arg(long, value_name = "NAME", num_args = 1.., value_parser = NonEmpty::new())]
    pub(crate) add: Vec<String>,
    /// Leave out what the packages recommend
    #[arg(long, requires = "add")]
    pub(crate) without_recommends: bool,
    /// Size of the medium that is downloaded first, or its file: the limit is then one of the whole download
    #[arg(long, value_name = "SIZE|FILE", requires = "add", value_parser = NonEmpty::new())]
    pub(crate) image: Option<String>,
    #[command(flatten)]
    pub(crate) lists: ListsArgs,
}

/// Lists of repositories that the install itself does not have.
#[derive(Debug, Args, Default)]
pub(crate) struct ListsArgs {
    /// Lists of the repositories, instead of those in the install: a file (Packages, Release, primary.xml, APKINDEX, a database of
    /// pacman or pkg, a catalogue of programs ..., packed or not) or a folder of them; can be repeated
    #[arg(long, value_name = "FILE|DIR")]
    pub(crate) lists: Vec<PathBuf>,
}

/// Show what the repositories of an install offer
///
/// Without names: how much each repository holds and how old its lists are, which kernels, desktops and drivers there are, and which
/// updates wait. With names: every place that each can be had from, native or as flatpak, with version and size; names of packages and
/// programs, approximately. Nothing is fetched: the lists are those in the install, those kept by `take --keep-offer`, or --lists.
/// If nothing offers any of the names, the exit code is 1.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  fresh-tally offer saltmarsh-5.0-reedbed-full
  fresh-tally offer saltmarsh-5.0-reedbed-full pondskate
  fresh-tally offer /mnt/fresh dunlin --lists downloads")]
pub(crate) struct OfferArgs {
    /// Handle, tally file, or source
    #[arg(add = handles())]
    pub(crate) install: String,
    /// What to look for
    #[arg(value_name = "NAME", value_parser = NonEmpty::new())]
    pub(crate) names: Vec<String>,
    #[command(flatten)]
    pub(crate) lists: ListsArgs,
}

/// Walk through installs on the full screen
///
/// Shows the shelf, an install, a comparison of two, or more side by side: all that `show`, `compare`, `grid`, `find`, `why`, `offer` and
/// `lag` tell, section by section. Enter opens what followed from a decision and goes to what a line is about; `/` finds as you type;
/// `?` lists all keys, `q` leaves. Needs a terminal; the other commands print the same.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  fresh-tally browse
  fresh-tally browse saltmarsh-5.0-reedbed-full
  fresh-tally browse saltmarsh-4.0-reedbed-full saltmarsh-5.0-reedbed-full
  fresh-tally browse saltmarsh-4.0-reedbed-full saltmarsh-5.0-reedbed-full --present")]
pub(crate) struct BrowseArgs {
    /// Handles, tally files, or sources [default: the shelf]
    #[arg(value_name = "INSTALL", value_parser = NonEmpty::new(), add = handles())]
    pub(crate) installs: Vec<String>,
    /// Begin with larger spacing and nothing beside the content, to be recorded; `p` turns it on and off
    #[arg(long)]
    pub(crate) present: bool,
}

/// Print a script that collects what `take` needs from another machine
///
/// The POSIX shell script runs on any Linux and on FreeBSD, as any user, and reports what it could not read. It never collects
/// passwords, keys, network credentials, machine IDs or personal files; `sh kit.sh --list` shows what it would collect.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  fresh-tally kit -o kit.sh
  sh kit.sh --list                                               (there) shows what it would collect
  sh kit.sh                                                      (there) writes tally-kit.tar.gz
  fresh-tally take tally-kit.tar.gz
  ssh host sh -s -- -o - < kit.sh | fresh-tally take -")]
pub(crate) struct KitArgs {}

/// An address of the web without a query.
fn web_address(text: &str) -> Result<String, String> {
    let rest = text.strip_prefix("https://").or_else(|| text.strip_prefix("http://"));
    let is_plain = |c: char| c.is_ascii_alphanumeric() || "-._~:/%[]@".contains(c);
    match rest {
        Some(rest) if !rest.is_empty() && rest.chars().all(is_plain) => Ok(text.to_owned()),
        _ => Err(format!("`{text}` is not an address such as https://marsh.example/installs")),
    }
}
