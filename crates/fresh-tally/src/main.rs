//! Fresh Tally: takes the tally of a fresh Linux install, and compares it with others.
//!
//! Data flows one way: arguments, settings, trees, facts, tally, result, document, bytes, exit code. This crate is the
//! only one that sees arguments, environment, terminal and clock; nothing past `settings` sees clap.

mod args;
#[cfg(feature = "browse")]
mod browse;
mod commands;
mod config;
mod diagnostics;
mod environment;
mod error;
mod exit;
mod install;
mod interrupt;
mod offers;
mod output;
mod progress;
mod settings;
mod signatures;

use clap::{CommandFactory, Parser};
use std::process::ExitCode;

/// Tallies are many small texts; this allocator halves the time of reading one.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

fn main() -> ExitCode {
    std::panic::set_hook(Box::new(exit::tell_of_a_bug));
    // A shell that completes a line asks by an environment variable, and gets its answer here.
    clap_complete::CompleteEnv::with_factory(args::Cli::command).var(args::COMPLETE).complete();
    let cli = args::Cli::parse();
    diagnostics::begin(cli.common.verbose);
    let again = cli.command.only_reads();
    let outcome = std::panic::catch_unwind(|| match run(cli) {
        // An index is damaged that was sound when it was opened: it is made anew, and asked once more.
        Err(error)
            if again && error.damaged_index().is_some_and(|index| std::fs::remove_file(index).is_ok()) =>
        {
            run(args::Cli::parse())
        }
        outcome => outcome,
    });
    interrupt::clear();
    ExitCode::from(match outcome {
        Ok(Ok(exit)) => exit,
        Ok(Err(error)) => error::report(&error),
        Err(_) => exit::Exit::Bug,
    })
}

fn run(cli: args::Cli) -> Result<exit::Exit, error::CommandError> {
    let settings = settings::Settings::from_args(&cli.common)?;
    if let (None, Some(endings)) = (cli.common.format, cli.command.endings()) {
        settings.check_ending(&endings)?;
    }
    if settings.output.is_some() || !cli.command.only_reads() {
        interrupt::prepare(&settings);
    }
    commands::run(cli.command, &settings)
}
