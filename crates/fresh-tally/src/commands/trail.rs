use crate::args::TrailArgs;
use crate::error::CommandError;
use crate::exit::Exit;
use crate::settings::Settings;
use crate::{install, output};
use std::collections::BTreeMap;
use tally_core::history::Moment;
use tally_core::model::{Tally, Text};
use tally_core::trail::follow;
use tally_core::version::compare_plain;
use tally_report::TrailView;
use tally_report::chart::of_trail;

pub(crate) fn run(args: &TrailArgs, settings: &Settings) -> Result<Exit, CommandError> {
    let tallies = tallies(args, settings)?;
    let mut editions: BTreeMap<[Option<&Text>; 4], Vec<&Tally>> = BTreeMap::new();
    for tally in &tallies {
        let label = &tally.label;
        let key =
            [Some(&label.distro_id), label.edition.as_ref(), label.profile.as_ref(), label.arch.as_ref()];
        editions.entry(key).or_default().push(tally);
    }
    let trails: Vec<_> = editions
        .into_values()
        .filter_map(|mut releases| {
            releases.sort_by(|a, b| {
                let release = |tally: &Tally| tally.label.release.clone().unwrap_or_default();
                compare_plain(&release(a), &release(b)).then_with(|| a.taken.at.cmp(&b.taken.at))
            });
            follow(&args.name, &releases)
        })
        .collect();
    let exit = if trails.is_empty() { Exit::No } else { Exit::Done };
    if let Some(form) = output::chart_form(settings) {
        if trails.is_empty() {
            output::status(settings, &format!("No install has `{}`: there is no chart of it.", args.name));
            return Ok(exit);
        }
        let chart = of_trail(&trails).ok_or_else(|| {
            CommandError::Usage(format!(
                "-o: `{}` is in fewer than two releases: there is no chart of it",
                args.name
            ))
        })?;
        output::chart(&chart, form, &args.chart, settings)?;
        return Ok(exit);
    }
    output::show(&TrailView { schema_version: 2, asked: args.name.clone(), trails }, settings)?;
    Ok(exit)
}

/// Those asked for; else what the index of the shelf knows around the name, files that can't be read named.
fn tallies(args: &TrailArgs, settings: &Settings) -> Result<Vec<Tally>, CommandError> {
    if !args.installs.is_empty() {
        let parts = settings.own.parts()?;
        return args.installs.iter().map(|asked| install::find_in_brief(asked, settings, &parts)).collect();
    }
    if settings.seen == Moment::Found {
        let parts = settings.own.parts()?;
        let handles = settings.shelf.handles()?;
        return handles.iter().map(|handle| install::find_in_brief(handle, settings, &parts)).collect();
    }
    let index = super::shelf::index(settings)?;
    for install in index.installs()? {
        if let Some(problem) = install.problem {
            output::status(settings, &format!("Skipped `{}`: {problem}.", install.handle));
        }
    }
    Ok(index.around(&args.name)?)
}
