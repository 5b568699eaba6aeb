use super::lag::day;
use crate::args::AgeArgs;
use crate::error::CommandError;
use crate::exit::Exit;
use crate::settings::Settings;
use crate::{install, output};
use tally_core::age::age;
use tally_report::AgeView;
use tally_report::chart::of_age;

pub(crate) fn run(args: &AgeArgs, settings: &Settings) -> Result<Exit, CommandError> {
    let tally = install::find_with_dates(&args.install, settings, &settings.own.parts()?)?;
    let told = age(&tally, day(args.day.as_deref(), &tally)?);
    if let Some(form) = output::chart_form(settings) {
        let chart = of_age(&told).ok_or_else(|| {
            CommandError::Usage(
                "-o: too few days are known on which packages were built: there is no chart".into(),
            )
        })?;
        output::chart(&chart, form, &args.chart, settings)?;
    } else {
        output::show(&AgeView { age: &told, all: args.all }, settings)?;
    }
    Ok(if told.packages.is_empty() { Exit::No } else { Exit::Done })
}
