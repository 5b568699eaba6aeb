use crate::args::{CompareArgs, CompareWhatArg};
use crate::error::Failure;
use crate::exit::Exit;
use crate::settings::Settings;
use crate::{install, output};
use tally_core::compare::compare;
use tally_report::{CompareView, CompareWhat};

pub(crate) fn run(args: &CompareArgs, settings: &Settings) -> Result<Exit, Failure> {
    let rules = settings.own.parts()?;
    // One thread more is enough, and cheaper to start than a pool of them.
    let (old, new) = std::thread::scope(|scope| {
        let old = scope.spawn(|| install::find(&args.old, settings, &rules));
        let new = install::find(&args.new, settings, &rules);
        (old.join().unwrap_or_else(|panic| std::panic::resume_unwind(panic)), new)
    });
    let (old, new) = (old?, new?);
    let comparison = compare(&old, &new);
    let what = match args.view {
        CompareWhatArg::Headlines => CompareWhat::Headlines,
        CompareWhatArg::Parts => CompareWhat::Parts,
        CompareWhatArg::Applications => CompareWhat::Applications,
        CompareWhatArg::Packages => CompareWhat::Packages,
        CompareWhatArg::All => CompareWhat::All,
    };
    let command = format!("fresh-tally compare {} {}", args.old, args.new);
    output::show(&CompareView { comparison: &comparison, rules: &rules, what, command: &command }, settings)?;
    let differs = args.exit_code && !comparison.is_empty();
    // Taking a large tally apart piece by piece only to end is time nobody gets back.
    std::mem::forget((old, new, comparison));
    Ok(if differs { Exit::No } else { Exit::Done })
}
