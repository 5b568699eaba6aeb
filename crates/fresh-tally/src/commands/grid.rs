use crate::args::{ALL, GridArgs, OnlyArg};
use crate::error::CommandError;
use crate::exit::Exit;
use crate::settings::Settings;
use crate::{install, output};
use rayon::prelude::*;
use tally_core::grid::{Grid, GridRules, Likeness, RowGroup, grid};
use tally_core::model::Tally;
use tally_report::{Format, GridView};

/// The most installs that a grid takes.
const MOST: usize = 50;

pub(crate) fn run(args: &GridArgs, settings: &Settings) -> Result<Exit, CommandError> {
    let grid = grid_of(&args.installs, &args.ask, args.likeness, settings)?;
    let command = format!("fresh-tally grid {}", args.installs.join(" "));
    let only_differing = args.only == Some(OnlyArg::Differing);
    let groups = groups(args, settings);
    output::show(&GridView { grid: &grid, only_differing, groups: &groups, command: &command }, settings)?;
    Ok(Exit::Done)
}

/// Installs side by side.
pub(crate) fn grid_of(
    installs: &[String],
    ask: &[String],
    likeness: Option<Likeness>,
    settings: &Settings,
) -> Result<Grid, CommandError> {
    if installs.len() > MOST {
        return Err(CommandError::Usage(format!(
            "a grid takes at most {MOST} installs, not {}",
            installs.len()
        )));
    }
    let (parts, roles) = (settings.own.parts()?, settings.own.roles()?);
    tally_trees::start_threads(None);
    let tallies: Vec<Tally> = installs
        .par_iter()
        .map(|asked| install::find_in_brief(asked, settings, &parts))
        .collect::<Result<_, _>>()?;
    let likeness = likeness.unwrap_or(Likeness::Applications);
    // What is asked for in words, else what the reviewer always asks for.
    let always: Vec<String> =
        settings.config.wanted.iter().chain(&settings.config.unwanted).cloned().collect();
    let asked = if ask.is_empty() { &always } else { ask };
    let rules = GridRules { parts: &parts, roles: &roles, asked, likeness };
    Ok(grid(&tallies.iter().collect::<Vec<_>>(), &rules))
}

/// The groups asked for; a page has room for all of them.
fn groups(args: &GridArgs, settings: &Settings) -> Vec<RowGroup> {
    let asked = |name: &str| args.rows.iter().any(|row| row == name);
    let all = asked(ALL) || (args.rows.is_empty() && settings.format() == Format::Html);
    RowGroup::ALL.iter().copied().filter(|group| all || asked(group.name())).collect()
}
