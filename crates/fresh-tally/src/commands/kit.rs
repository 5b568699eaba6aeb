use crate::error::CommandError;
use crate::exit::Exit;
use crate::output;
use crate::settings::Settings;
use tally_readers::packages::REGISTRY;

/// The script that collects what is read of an install, but for the files of the package systems: `@LISTS@` is where those belong.
const TEMPLATE: &str = include_str!("../kit/kit.sh");

pub(crate) fn run(settings: &Settings) -> Result<Exit, CommandError> {
    output::answer(script().as_bytes(), settings)?;
    Ok(Exit::Done)
}

/// The script, with the files that the readers of package systems name.
fn script() -> String {
    let lines = REGISTRY.iter().flat_map(|reader| {
        reader.paths().iter().map(move |line| format!("all {} {line}", reader.system().name()))
    });
    TEMPLATE.replace("@LISTS@", &lines.collect::<Vec<_>>().join("\n"))
}
