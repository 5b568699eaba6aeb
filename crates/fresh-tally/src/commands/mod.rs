//! One file per command: settings in, exit code out.

mod age;
mod browse;
mod check;
mod compare;
mod dataset;
mod demo;
mod exchange;
mod find;
mod grid;
mod kit;
mod lag;
mod note;
mod offer;
mod report;
mod rules;
mod scripts;
mod shelf;
mod show;
mod site;
mod take;
mod trail;
mod weigh;
mod why;

#[cfg(feature = "browse")]
pub(crate) use {
    compare::compared, compare::offered_by_both, grid::grid_of, lag::lag_of, shelf::index, why::why_of,
};

use crate::args::Command;
use crate::error::CommandError;
use crate::exit::Exit;
use crate::settings::Settings;

/// Runs a command.
pub(crate) fn run(command: Command, settings: &Settings) -> Result<Exit, CommandError> {
    match command {
        Command::Take(args) => take::run(args, settings),
        Command::Kit(_) => kit::run(settings),
        Command::Show(args) => show::run(&args, settings),
        Command::Find(args) => find::run(&args, settings),
        Command::Why(args) => why::run(&args, settings),
        Command::Weigh(args) => weigh::run(&args, settings),
        Command::Offer(args) => offer::run(&args, settings),
        Command::Note(args) => note::run(&args, settings),
        Command::Compare(args) => compare::run(&args, settings),
        Command::Browse(args) => browse::run(&args, settings),
        Command::Check(args) => check::run(&args, settings),
        Command::Age(args) => age::run(&args, settings),
        Command::Lag(args) => lag::run(&args, settings),
        Command::Grid(args) => grid::run(&args, settings),
        Command::Report(args) => report::run(&args, settings),
        Command::Trail(args) => trail::run(&args, settings),
        Command::Shelf(args) => shelf::run(args.action, settings),
        Command::Rules(args) => rules::run(args.action, settings),
        Command::Demo(args) => demo::run(args.into, settings),
        Command::Completions(args) => scripts::completions(args.shell, settings),
        Command::Man => scripts::man(settings),
    }
}
