//! The shelf and what may be done with it.

use super::{NonEmpty, handles};
use clap::{Args, Subcommand};
use std::path::PathBuf;

/// Keep tallies: list, find a name in all of them, import, export, rename, drop
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
