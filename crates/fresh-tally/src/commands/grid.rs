use crate::args::{GridArgs, LikenessArg, OnlyArg, RowsArg};
use crate::error::Failure;
use crate::exit::Exit;
use crate::settings::Settings;
use crate::{install, output};
use clap::ValueEnum;
use rayon::prelude::*;
use tally_core::grid::{GridRules, Likeness, RowGroup, grid};
use tally_core::model::Tally;
use tally_report::{Format, GridView};

/// More installs than anybody reads side by side.
const MOST: usize = 50;

pub(crate) fn run(args: &GridArgs, settings: &Settings) -> Result<Exit, Failure> {
    if args.installs.len() > MOST {
        return Err(Failure::Usage(format!(
            "a grid takes {MOST} installs at the most, not {}",
            args.installs.len()
        )));
    }
    let (parts, roles) = (settings.own.parts()?, settings.own.roles()?);
    let tallies: Vec<Tally> = args
        .installs
        .par_iter()
        .map(|asked| install::find(asked, settings, &parts))
        .collect::<Result<_, _>>()?;
    let likeness = match args.likeness {
        LikenessArg::Applications => Likeness::Applications,
        LikenessArg::Packages => Likeness::Packages,
        LikenessArg::Weight => Likeness::Weight,
    };
    let rules = GridRules { parts: &parts, roles: &roles, asked: &args.ask, likeness };
    let grid = grid(&tallies.iter().collect::<Vec<_>>(), &rules);
    let command = format!("fresh-tally grid {}", args.installs.join(" "));
    let only_differing = args.only == Some(OnlyArg::Differing);
    let groups = groups(args, settings);
    output::show(&GridView { grid: &grid, only_differing, groups: &groups, command: &command }, settings)?;
    std::mem::forget((tallies, grid));
    Ok(Exit::Done)
}

/// The groups asked for, by the names that both sides share; a page has room for all of them.
fn groups(args: &GridArgs, settings: &Settings) -> Vec<RowGroup> {
    let all =
        args.rows.contains(&RowsArg::All) || (args.rows.is_empty() && settings.format() == Format::Html);
    let named = |group: &&RowGroup| {
        let name =
            |row: &RowsArg| row.to_possible_value().is_some_and(|value| value.get_name() == group.name());
        all || args.rows.iter().any(name)
    };
    RowGroup::ALL.iter().filter(named).copied().collect()
}
