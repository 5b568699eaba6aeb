use crate::args::{ReportArgs, SbomArg};
use crate::error::Failure;
use crate::exit::Exit;
use crate::settings::Settings;
use crate::{install, output};
use tally_report::Sbom;

pub(crate) fn run(args: &ReportArgs, settings: &Settings) -> Result<Exit, Failure> {
    let tally = install::find(&args.install, settings, &settings.own.parts()?)?;
    let sbom = match args.sbom {
        SbomArg::Cyclonedx => Sbom::CycloneDx,
        SbomArg::Spdx => Sbom::Spdx,
    };
    output::answer(&sbom.of(&tally)?, settings)?;
    Ok(Exit::Done)
}
