//! The shelf: the tallies that are kept.

use super::words::OneOf;
use super::{NonEmpty, handles};
use clap::{Args, Subcommand};
use std::path::PathBuf;
use tally_report::DataForm;

/// Manage kept tallies: list, search, import, export, rename, remove
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  fresh-tally shelf
  fresh-tally shelf list --release bittern
  fresh-tally shelf find inkcap
  fresh-tally shelf rename saltmarsh-5.0-reedbed-full bittern
  fresh-tally shelf drop bittern")]
pub(crate) struct ShelfArgs {
    #[command(subcommand)]
    pub(crate) action: Option<ShelfAction>,
}

#[derive(Debug, Subcommand)]
pub(crate) enum ShelfAction {
    /// List what is on the shelf (the default)
    List(ShelfListArgs),
    /// Find which installs have a package, program or part, and in which version; or which had a picture first
    #[command(after_help = "\
Examples:
  fresh-tally shelf find inkcap
  fresh-tally shelf find --picture ~/dawn.jpg")]
    Find {
        /// Its name; if nothing has exactly that name, similar names are used
        #[arg(required_unless_present = "picture", value_name = "NAME", value_parser = NonEmpty::new())]
        words: Vec<String>,
        /// A picture: the installs that have it, or the same cut or compressed otherwise, the oldest release first
        #[arg(long, value_name = "FILE", conflicts_with = "words")]
        picture: Option<PathBuf>,
    },
    /// Add tallies from files, folders, archives or datasets
    ///
    /// Nothing that is here is lost: the same tally is kept once, with the notes of both shelves; another one gets a number behind its handle.
    #[command(after_help = "\
Examples:
  fresh-tally shelf import /mnt/backup
  fresh-tally shelf import laptop-shelf.tar.zst
  fresh-tally shelf import published --signed-by allowed_signers")]
    Import {
        /// Tally files, folders or archives (tar) of them, or datasets that were exported with --whole
        #[arg(required = true, value_name = "FILE")]
        files: Vec<PathBuf>,
        /// Import only what has a signed list of its files (NAME.sha256 with NAME.sha256.sig) by someone in this file of allowed signers
        #[arg(long, value_name = "KEYS")]
        signed_by: Option<PathBuf>,
    },
    /// Write all packages of tallies as one table, a dataset of many tables, or copy the tallies themselves
    ///
    /// The table is CSV, or JSON Lines if -o ends in `.jsonl` or --format is json.
    #[command(after_help = "\
Examples:
  fresh-tally shelf export -o packages.csv
  fresh-tally shelf export saltmarsh-5.0-reedbed-full saltmarsh-5.0-mudflat-full -o packages.jsonl
  fresh-tally shelf export --into /mnt/backup
  fresh-tally shelf export saltmarsh-5.0-reedbed-full --into published --sign ~/.ssh/id_ed25519
  fresh-tally shelf export --dataset csv -o tables
  fresh-tally shelf export --dataset csv --since 2026-11-01 -o tables")]
    Export {
        /// Their handles [default: all]
        #[arg(add = handles())]
        handles: Vec<String>,
        /// Copy the tallies into this folder instead
        #[arg(long, value_name = "DIR", conflicts_with_all = ["output", "format"])]
        into: Option<PathBuf>,
        /// Sign a list of each copy's files (NAME.sha256) with this key, by `ssh-keygen -Y sign`: a private key, or a public one whose
        /// private half an agent or a device holds
        #[arg(long, value_name = "KEY", requires = "into")]
        sign: Option<PathBuf>,
        /// Write a dataset into the folder of -o: all tables, partitioned by distribution, for engines of data
        #[arg(long, value_name = "FORM", value_parser = OneOf::<DataForm>::new(), conflicts_with_all = ["into", "format"], requires = "output")]
        dataset: Option<DataForm>,
        /// Add the whole tallies to the dataset, compressed, so that another shelf can import them
        #[arg(long, requires = "dataset")]
        whole: bool,
        /// Only tallies taken on or after this day, or after this moment: adds them to a dataset that is there
        #[arg(long, value_name = "DAY|MOMENT", requires = "dataset")]
        since: Option<String>,
    },
    /// Rebuild the index
    ///
    /// The index makes searches of the whole shelf fast. It is updated automatically and can be deleted at any time.
    Index,
    /// Change the handle of a tally
    Rename {
        /// Its handle
        #[arg(add = handles())]
        old: String,
        /// The new handle: lower-case letters, digits, dots, hyphens
        new: String,
    },
    /// Delete tallies from the shelf
    ///
    /// All of them, or none if one is not there. What you noted of them stays in a file beside the others until the next `shelf index`.
    Drop {
        /// Their handles
        #[arg(required = true, add = handles())]
        handles: Vec<String>,
        /// Only say what would be deleted
        #[arg(long)]
        dry_run: bool,
    },
}

/// Which installs to list.
#[derive(Debug, Args, Default)]
pub(crate) struct ShelfListArgs {
    /// Only this distribution, by name or identifier
    #[arg(long, value_name = "NAME")]
    pub(crate) distro: Option<String>,
    /// Only this release, by number or codename
    #[arg(long, value_name = "RELEASE")]
    pub(crate) release: Option<String>,
    /// Only this edition
    #[arg(long, value_name = "NAME")]
    pub(crate) edition: Option<String>,
    /// Only handles that match (`*` any characters, `?` one character)
    #[arg(long, value_name = "PATTERN")]
    pub(crate) handle: Option<String>,
}
