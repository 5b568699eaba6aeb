use crate::args::LagArgs;
use crate::error::CommandError;
use crate::exit::Exit;
use crate::settings::Settings;
use crate::{install, output};
use jiff::civil::Date;
use std::path::Path;
use tally_core::history::Moment;
use tally_core::lag::{Against, Known, Lag, Upstream, day_that_counts, lag};
use tally_core::model::Tally;
use tally_report::chart::of_lag;
use tally_report::{LagChangeView, LagView};

pub(crate) fn run(args: &LagArgs, settings: &Settings) -> Result<Exit, CommandError> {
    if args.starter {
        output::answer(Upstream::starter().as_bytes(), settings)?;
        return Ok(Exit::Done);
    }
    let upstream = args.upstream.as_deref().map(read).transpose()?;
    let rules = settings.own.parts()?;
    let base = args.base.as_deref().map(|base| install::find(base, settings, &rules)).transpose()?;
    let tallies: Vec<Tally> =
        args.installs.iter().map(|asked| install::find(asked, settings, &rules)).collect::<Result<_, _>>()?;
    // Those that are asked for may not be on the shelf, and know of each other all the same.
    let mut of_all = Known::default();
    tallies.iter().chain(&base).for_each(|tally| of_all.merge(&Known::of(tally)));
    let held = |tally: &Tally| -> Result<Lag, CommandError> {
        let mut known = of_the_shelf(tally, settings)?;
        known.merge(&of_all);
        let against = Against { upstream: upstream.as_ref(), known, base: base.as_ref() };
        Ok(lag(tally, &against, day(args.day.as_deref(), tally)?))
    };
    match &tallies[..] {
        [old, new] => {
            let (old, new) = (held(old)?, held(new)?);
            output::show(&LagChangeView { old: &old, new: &new }, settings)?;
        }
        tallies => {
            for tally in tallies {
                let lag = held(tally)?;
                if let Some(form) = output::chart_form(settings) {
                    let none =
                        "-o: fewer than three programs and parts are known to be behind: there is no chart";
                    let chart = of_lag(&lag).ok_or_else(|| CommandError::Usage(none.into()))?;
                    output::chart(&chart, form, &args.chart, settings)?;
                } else {
                    output::show(&LagView { lag: &lag, by_file: upstream.is_some() }, settings)?;
                }
            }
        }
    }
    Ok(Exit::Done)
}

/// How far behind an install was, as far as the shelf knows; none where no day counts.
pub(crate) fn lag_of(tally: &Tally, settings: &Settings) -> Result<Option<Lag>, CommandError> {
    let Some(day) = day_that_counts(tally) else { return Ok(None) };
    let known = of_the_shelf(tally, settings)?;
    Ok(Some(lag(tally, &Against { known, ..Against::default() }, day)))
}

/// What the other installs on the shelf say and shipped; nothing where there is no shelf.
pub(super) fn of_the_shelf(tally: &Tally, settings: &Settings) -> Result<Known, CommandError> {
    if !settings.shelf.folder().is_dir() || settings.seen == Moment::Found {
        return Ok(Known::default());
    }
    Ok(super::shelf::index(settings)?.releases_for(tally)?)
}

/// CSV by its ending, else TOML.
fn read(path: &Path) -> Result<Upstream, CommandError> {
    let text = output::text(path)?;
    let is_csv = path.extension().is_some_and(|ending| ending.eq_ignore_ascii_case("csv"));
    let parsed = if is_csv { Upstream::parse_csv(&text) } else { Upstream::parse_toml(&text) };
    parsed.map_err(|source| CommandError::Upstream { path: path.into(), source })
}

/// The day that was asked for, else the one that counts for the install.
pub(super) fn day(asked: Option<&str>, tally: &Tally) -> Result<Date, CommandError> {
    if let Some(day) = asked {
        let is_none = |_| CommandError::Usage(format!("`{day}` is not a date such as 2026-05-04"));
        return day.parse().map_err(is_none);
    }
    day_that_counts(tally).ok_or_else(|| {
        CommandError::Usage(format!(
            "the release date of `{}` is not known, nor a day of any of its packages: use --day YYYY-MM-DD (or take it with \
             --release-date)",
            tally.label.handle
        ))
    })
}
