use crate::error::CommandError;
use crate::exit::Exit;
use crate::settings::Settings;
use crate::{install, output};
use tally_report::{ShowView, ShowWhat};

pub(crate) fn run(asked: &str, what: ShowWhat, settings: &Settings) -> Result<Exit, CommandError> {
    let (rules, roles) = (settings.own.parts()?, settings.own.roles()?);
    let tally = install::find(asked, settings, &rules)?;
    output::show(&ShowView { tally: &tally, what, rules: &rules, roles: &roles }, settings)?;
    Ok(Exit::Done)
}
