use crate::args::BrowseArgs;
use crate::error::CommandError;
use crate::exit::Exit;
use crate::settings::Settings;
use std::io::IsTerminal;

pub(crate) fn run(args: &BrowseArgs, settings: &Settings) -> Result<Exit, CommandError> {
    if !(std::io::stdin().is_terminal() && std::io::stdout().is_terminal()) {
        let instead = match &args.installs[..] {
            [] => "`shelf`".to_owned(),
            [install] => format!("`show {install}`"),
            [old, new] => format!("`compare {old} {new}`"),
            installs => format!("`grid {}`", installs.join(" ")),
        };
        return Err(CommandError::Usage(format!("`browse` needs a terminal; {instead} prints the same")));
    }
    open(args, settings)
}

#[cfg(feature = "browse")]
fn open(args: &BrowseArgs, settings: &Settings) -> Result<Exit, CommandError> {
    use crate::browse::Place;
    let place = match &args.installs[..] {
        [] => Place::Shelf,
        [install] => Place::Install(install.clone()),
        [old, new] => Place::Comparison(old.clone(), new.clone()),
        installs => Place::Grid(installs.to_vec()),
    };
    crate::browse::run(place, args.present, settings)
}

#[cfg(not(feature = "browse"))]
fn open(_: &BrowseArgs, _: &Settings) -> Result<Exit, CommandError> {
    let why = "built without `browse`; `cargo install --path crates/fresh-tally --features browse` builds it";
    Err(CommandError::Usage(why.into()))
}
