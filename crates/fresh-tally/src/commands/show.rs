use crate::args::ShowArgs;
use crate::error::CommandError;
use crate::exit::Exit;
use crate::settings::Settings;
use crate::{install, output};
use tally_report::{PackageFilter, ShowView, ShowWhat};

pub(crate) fn run(args: &ShowArgs, settings: &Settings) -> Result<Exit, CommandError> {
    let asked = &args.packages;
    let filter = PackageFilter {
        kinds: asked.kind.clone(),
        systems: asked.system.clone(),
        reasons: asked.reason.clone(),
        name: asked.name.clone(),
    };
    if !filter.is_empty() && args.view != ShowWhat::Packages {
        let install = &args.install;
        let why = format!(
            "--kind, --reason, --system and --name filter packages: fresh-tally show {install} packages"
        );
        return Err(CommandError::Usage(why));
    }
    if args.all && args.view != ShowWhat::Settings {
        let install = &args.install;
        let why = format!("--all lists all settings: fresh-tally show {install} settings --all");
        return Err(CommandError::Usage(why));
    }
    view(&args.install, (args.view, args.all), &filter, settings)
}

/// Shows one install under a question, and whether all of it.
pub(crate) fn view(
    asked: &str,
    (what, all): (ShowWhat, bool),
    filter: &PackageFilter,
    settings: &Settings,
) -> Result<Exit, CommandError> {
    let (rules, roles) = (settings.own.parts()?, settings.own.roles()?);
    let mut tally = install::find(asked, settings, &rules)?;
    filter.apply(&mut tally);
    output::show(&ShowView { tally: &tally, what, rules: &rules, roles: &roles, all }, settings)?;
    Ok(Exit::Done)
}
