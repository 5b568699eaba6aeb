use crate::args::WeighArgs;
use crate::error::CommandError;
use crate::exit::Exit;
use crate::settings::Settings;
use crate::{install, offers, output};
use tally_core::model::{MissingFact, System, Tally, bytes_of};
use tally_core::offer::{Catalog, CostAsked, cost};
use tally_core::weigh::weigh;
use tally_report::{CostView, WeighView};

pub(crate) fn run(args: &WeighArgs, settings: &Settings) -> Result<Exit, CommandError> {
    let tally = install::find(&args.install, settings, &settings.own.parts()?)?;
    if tally.lacks(MissingFact::Sizes) {
        return Err(CommandError::Weightless(args.install.clone()));
    }
    if !args.add.is_empty() {
        return add(args, tally, settings);
    }
    if !args.lists.lists.is_empty() {
        return Err(CommandError::Usage("--lists is for --add: without it nothing is looked up".to_owned()));
    }
    let weighing = weigh(&tally, args.limit.unwrap_or(u64::MAX), args.plus);
    let exit = if weighing.over_bytes > 0 { Exit::No } else { Exit::Done };
    output::show(&WeighView { label: tally.label, weighing }, settings)?;
    Ok(exit)
}

/// What an addition costs.
fn add(args: &WeighArgs, tally: Tally, settings: &Settings) -> Result<Exit, CommandError> {
    let Some(found) = offers::of(&args.install, &tally, &args.lists.lists, settings)? else {
        return Err(offers::none(&args.install));
    };
    let Some(catalog) = native(&found.catalogs) else { return Err(offers::none(&args.install)) };
    let asked = CostAsked {
        names: args.add.iter().map(|name| name.as_str().into()).collect(),
        recommends: !args.without_recommends && !catalog.policy.without_recommends,
        image_bytes: args.image.as_deref().map(image_bytes).transpose()?,
        plus_bytes: args.plus,
        limit_bytes: args.limit,
    };
    let cost = cost(&tally.packages, catalog, &asked);
    offers::warn_of_damaged(&found);
    let exit = if cost.over_bytes > 0 || !cost.plan.is_whole() { Exit::No } else { Exit::Done };
    output::show(&CostView { label: tally.label, cost }, settings)?;
    Ok(exit)
}

/// The catalogue of the system that packages are added by.
fn native(catalogs: &[Catalog]) -> Option<&Catalog> {
    let is_native = |system: System| !system.is_sandbox();
    catalogs.iter().find(|catalog| is_native(catalog.system))
}

/// A size, or the size of a file.
fn image_bytes(asked: &str) -> Result<u64, CommandError> {
    if let Ok(bytes) = bytes_of(asked) {
        return Ok(bytes);
    }
    match std::fs::metadata(asked) {
        Ok(found) if found.is_file() => Ok(found.len()),
        _ => {
            Err(CommandError::Usage(format!("--image: `{asked}` is neither a size such as 700MB nor a file")))
        }
    }
}
