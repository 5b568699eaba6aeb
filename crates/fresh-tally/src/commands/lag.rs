use crate::args::LagArgs;
use crate::error::CommandError;
use crate::exit::Exit;
use crate::settings::Settings;
use crate::{install, output};
use jiff::civil::Date;
use std::path::Path;
use tally_core::lag::{Upstream, lag};
use tally_core::model::Label;
use tally_report::LagView;

pub(crate) fn run(args: &LagArgs, settings: &Settings) -> Result<Exit, CommandError> {
    let (Some(asked), Some(path)) = (&args.install, &args.upstream) else {
        output::answer(Upstream::starter().as_bytes(), settings)?;
        return Ok(Exit::Done);
    };
    let upstream = read(path)?;
    let tally = install::find(asked, settings, &settings.own.parts()?)?;
    let day = day(args.day.as_deref(), &tally.label)?;
    output::show(&LagView { lag: &lag(&tally, &upstream, day) }, settings)?;
    Ok(Exit::Done)
}

/// CSV by its ending, else TOML.
fn read(path: &Path) -> Result<Upstream, CommandError> {
    let text = output::text(path)?;
    let is_csv = path.extension().is_some_and(|ending| ending.eq_ignore_ascii_case("csv"));
    let parsed = if is_csv { Upstream::parse_csv(&text) } else { Upstream::parse_toml(&text) };
    parsed.map_err(|source| CommandError::Upstream { path: path.into(), source })
}

fn day(asked: Option<&str>, label: &Label) -> Result<Date, CommandError> {
    let no_day = |day: &str| CommandError::Usage(format!("`{day}` is not a date such as 2026-05-04"));
    match (asked, label.release_date.as_deref()) {
        (Some(day), _) => day.parse().map_err(|_| no_day(day)),
        (None, Some(day)) => day.parse().map_err(|_| no_day(day)),
        (None, None) => Err(CommandError::Usage(format!(
            "the release date of `{}` is not known: use --day YYYY-MM-DD (or take it with --release-date)",
            label.handle
        ))),
    }
}
