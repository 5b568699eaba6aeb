use crate::args::CheckArgs;
use crate::error::CommandError;
use crate::exit::Exit;
use crate::settings::Settings;
use crate::{install, offers, output};
use rayon::prelude::*;
use std::path::{Path, PathBuf};
use tally_core::check::{Beside, Checklist, check};
use tally_core::knowledge::{PartRules, Roles};
use tally_core::lag::Known;
use tally_core::model::Tally;
use tally_report::CheckView;

pub(crate) fn run(args: &CheckArgs, settings: &Settings) -> Result<Exit, CommandError> {
    let Some(path) = args.checklist.as_deref().filter(|_| !args.starter) else {
        output::answer(Checklist::starter().as_bytes(), settings)?;
        return Ok(Exit::Done);
    };
    let (parts, roles) = (settings.own.parts()?, settings.own.roles()?);
    let checklist = read(&place(path, settings), &parts, &roles)?;
    tally_trees::start_threads(None);
    let tallies: Vec<Tally> = args
        .installs
        .par_iter()
        .map(|asked| install::find(asked, settings, &parts))
        .collect::<Result<_, _>>()?;
    let mut beside = Vec::new();
    for (asked, tally) in args.installs.iter().zip(&tallies) {
        let mut known = Beside::default();
        if checklist.asks_for_offers() {
            known.offers = offers::of(asked, tally, &[], settings)?.map(|found| found.catalogs);
        }
        if checklist.asks_for_releases() {
            known.known = super::lag::of_the_shelf(tally, settings)?;
            tallies.iter().for_each(|other| known.known.merge(&Known::of(other)));
        }
        beside.push(known);
    }
    let answers = check(&checklist, &tallies.iter().collect::<Vec<_>>(), &beside);
    let exit = if answers.totals.iter().any(|totals| totals.fails()) { Exit::No } else { Exit::Done };
    output::show(&CheckView { check: &answers }, settings)?;
    Ok(exit)
}

/// The file of that name, else the one in the folder of checklists.
fn place(path: &Path, settings: &Settings) -> PathBuf {
    let configured = settings.config.checklists.as_ref().filter(|_| !path.exists());
    let named =
        configured.map(|folder| folder.join(path).with_extension("toml")).filter(|file| file.exists());
    named.unwrap_or_else(|| path.to_owned())
}

fn read(path: &Path, parts: &PartRules, roles: &Roles) -> Result<Checklist, CommandError> {
    let text = output::text(path)?;
    let mut checklist = Checklist::parse(&text, parts, roles)
        .map_err(|source| CommandError::Checklist { path: path.into(), source })?;
    if checklist.name.is_empty() {
        checklist.name =
            path.file_stem().map(|stem| stem.to_string_lossy().as_ref().into()).unwrap_or_default();
    }
    Ok(checklist)
}
