use crate::args::FindArgs;
use crate::error::Failure;
use crate::exit::Exit;
use crate::settings::Settings;
use crate::{install, output};
use tally_core::find::find;
use tally_core::knowledge::PartRules;
use tally_report::FindView;

pub(crate) fn run(args: &FindArgs, settings: &Settings) -> Result<Exit, Failure> {
    let tally = install::find(&args.install, settings, &PartRules::built_in()?)?;
    let findings = find(&tally, &args.words.join(" "));
    let exit = if findings.hits.is_empty() { Exit::No } else { Exit::Done };
    output::show(&FindView { label: tally.label, findings }, settings)?;
    Ok(exit)
}
