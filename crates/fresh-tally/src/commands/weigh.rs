use crate::args::WeighArgs;
use crate::error::CommandError;
use crate::exit::Exit;
use crate::settings::Settings;
use crate::{install, output};
use tally_core::model::MissingFact;
use tally_core::weigh::weigh;
use tally_report::WeighView;

pub(crate) fn run(args: &WeighArgs, settings: &Settings) -> Result<Exit, CommandError> {
    let tally = install::find(&args.install, settings, &settings.own.parts()?)?;
    if tally.lacks(MissingFact::Sizes) {
        return Err(CommandError::Weightless(args.install.clone()));
    }
    let weighing = weigh(&tally, args.limit, args.plus);
    let exit = if weighing.over_bytes > 0 { Exit::No } else { Exit::Done };
    output::show(&WeighView { label: tally.label, weighing }, settings)?;
    Ok(exit)
}
