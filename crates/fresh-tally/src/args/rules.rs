//! Commands about the program itself: rules, demo, completions.

use clap::{Args, Subcommand};
use std::path::PathBuf;

/// Show the built-in rules, settings and schema
#[derive(Debug, Args)]
pub(crate) struct RulesArgs {
    #[command(subcommand)]
    pub(crate) action: RulesAction,
}

#[derive(Debug, Subcommand)]
pub(crate) enum RulesAction {
    /// Compare two versions as a package system does
    ///
    /// Prints `<`, `=` or `>`. If A is `-`, it reads lines of two versions separated by a tab from standard input and prints
    /// each with the result in a third column.
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
    /// Print the rules that find parts (TOML)
    Parts,
    /// Print the rules that determine kinds of packages (TOML)
    Kinds,
    /// Print the roles of default apps (TOML)
    Roles,
    /// Print the packages that report to their makers (TOML)
    Agents,
    /// Print the default settings that are read, and where each desktop keeps them (TOML)
    Settings,
    /// Print the files that are tried, and what decodes them (TOML)
    Media,
    /// Check a file with your own rules, and summarize it
    #[command(after_help = "\
A file of rules is TOML with any of these tables, in the form that `rules kinds`, `parts`, `roles`, `agents` and `settings` print:
  [[kind]]   kind, name, section, summary ...   checked before the built-in rules
  [[part]]   part, label, ways                  its ways are tried first; a new part is listed last
  [[role]]   role, label, types ...             replaces a role of the same name
  [[agent]]  name, does                         added to the packages that report to their makers
  [[setting]] key, area, label, places          its places are asked first; a new setting is told last
  [headline] NAME = SCORE                       also [headline-role], [headline-part]: see `rules headlines`")]
    Check {
        /// The file
        file: PathBuf,
    },
    /// Print the scores of headlines (TOML)
    Headlines,
    /// Print the current settings, and where each comes from
    #[command(after_help = "\
Settings come from options, then the environment, then config.toml in the configuration folder: fresh-tally in
XDG_CONFIG_HOME, or in ~/.config.")]
    Config,
    /// Print the reference of all commands and options (Markdown)
    Reference,
    /// Print the JSON Schema of a tally
    Schema,
}

/// Walk through a complete review with made-up installs
///
/// Creates several installs of a made-up distribution, runs the commands on them, and writes a page. The folder is kept, so
/// that you can repeat every command.
#[derive(Debug, Args)]
pub(crate) struct DemoArgs {
    /// Folder for the installs and their shelf [default: a new temporary folder]
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
