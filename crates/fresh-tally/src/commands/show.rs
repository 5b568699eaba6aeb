use crate::args::ShowWhatArg;
use crate::error::Failure;
use crate::exit::Exit;
use crate::settings::Settings;
use crate::{install, output};
use tally_report::{ShowView, ShowWhat};

pub(crate) fn what(arg: ShowWhatArg) -> ShowWhat {
    match arg {
        ShowWhatArg::Overview => ShowWhat::Overview,
        ShowWhatArg::Parts => ShowWhat::Parts,
        ShowWhatArg::Menu => ShowWhat::Menu,
        ShowWhatArg::Defaults => ShowWhat::Defaults,
        ShowWhatArg::Packages => ShowWhat::Packages,
        ShowWhatArg::Repositories => ShowWhat::Repositories,
        ShowWhatArg::Startup => ShowWhat::Startup,
        ShowWhatArg::Looks => ShowWhat::Looks,
        ShowWhatArg::Weight => ShowWhat::Weight,
        ShowWhatArg::Readings => ShowWhat::Readings,
        ShowWhatArg::Odd => ShowWhat::Odd,
    }
}

pub(crate) fn run(asked: &str, what: ShowWhat, settings: &Settings) -> Result<Exit, Failure> {
    let (rules, roles) = (settings.own.parts()?, settings.own.roles()?);
    let tally = install::find(asked, settings, &rules)?;
    output::show(&ShowView { tally: &tally, what, rules: &rules, roles: &roles }, settings)?;
    Ok(Exit::Done)
}
