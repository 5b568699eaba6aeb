//! The program about itself: its knowledge, its demo, its completions.

use clap::{Args, Subcommand};
use std::path::PathBuf;

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
    /// Print the settings that apply, and where each comes from
    #[command(after_help = "\
Settings come from options, from the environment, from config.toml in the configuration folder (fresh-tally below
XDG_CONFIG_HOME, else below ~/.config), in this order.")]
    Config,
    /// Print what all commands and options are, as Markdown
    Reference,
    /// Print the JSON Schema of a tally
    Schema,
}

/// Walk through a whole review on made-up installs
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
