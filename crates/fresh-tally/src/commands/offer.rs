use crate::args::OfferArgs;
use crate::error::CommandError;
use crate::exit::Exit;
use crate::settings::Settings;
use crate::{install, offers, output};
use tally_core::offer::{OfferSummary, answer, parts_on_offer, summary};
use tally_report::{OfferView, SourcesView, touched};

pub(crate) fn run(args: &OfferArgs, settings: &Settings) -> Result<Exit, CommandError> {
    let rules = settings.own.parts()?;
    let tally = install::find(&args.install, settings, &rules)?;
    let found = offers::of(&args.install, &tally, &args.lists.lists, settings)?;
    if !args.names.is_empty() {
        let Some(found) = found else { return Err(offers::none(&args.install)) };
        let ask = |name: &String| answer(&tally.packages, &found.catalogs, &found.programs, name);
        let answers: Vec<_> = args.names.iter().map(ask).collect();
        offers::warn_of_damaged(&found);
        let exit = if answers.iter().all(|answer| answer.sources.is_empty()) { Exit::No } else { Exit::Done };
        output::show(&SourcesView { schema_version: 1, label: tally.label, answers }, settings)?;
        return Ok(exit);
    }
    let (offers, parts, programs) = match &found {
        Some(found) => {
            let offers: Vec<OfferSummary> =
                found.catalogs.iter().map(|catalog| summary(&tally.packages, catalog)).collect();
            let parts =
                found.catalogs.iter().flat_map(|catalog| parts_on_offer(&tally.packages, catalog, &rules));
            let programs = u32::try_from(found.programs.len()).unwrap_or(u32::MAX);
            (offers, parts.collect(), (programs > 0).then_some(programs))
        }
        None if tally.offers.is_empty() => return Err(offers::none(&args.install)),
        None => {
            let said = "Only the figures of the offer are kept here; `--lists`, or `take` with `--keep-offer`, tells the rest.";
            output::status(settings, said);
            (tally.offers.clone(), Vec::new(), None)
        }
    };
    found.iter().for_each(offers::warn_of_damaged);
    let touched = touched(&tally, &offers);
    let view = OfferView { touched, offers, programs, parts, ..OfferView::kept(&tally, &rules) };
    output::show(&view, settings)?;
    Ok(Exit::Done)
}
