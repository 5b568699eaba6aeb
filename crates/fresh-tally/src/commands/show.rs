use crate::args::ShowWhatArg;
use crate::error::Failure;
use crate::exit::Exit;
use crate::settings::Settings;
use crate::{install, output};
use tally_core::knowledge::PartRules;
use tally_report::{ShowView, ShowWhat};

pub(crate) fn what(arg: ShowWhatArg) -> ShowWhat {
    match arg {
        ShowWhatArg::Overview => ShowWhat::Overview,
        ShowWhatArg::Menu => ShowWhat::Menu,
        ShowWhatArg::Packages => ShowWhat::Packages,
    }
}

pub(crate) fn run(asked: &str, what: ShowWhat, settings: &Settings) -> Result<Exit, Failure> {
    let tally = install::find(asked, settings, &PartRules::built_in()?)?;
    output::show(&ShowView { tally: &tally, what }, settings)?;
    Ok(Exit::Done)
}
