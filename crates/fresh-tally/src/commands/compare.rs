use crate::args::CompareArgs;
use crate::error::CommandError;
use crate::exit::Exit;
use crate::settings::Settings;
use crate::{install, offers, output};
use std::collections::BTreeSet;
use tally_core::compare::{
    ApplicationChangeKind, Base, Comparison, DecisionKind, DefaultChangeKind, HeadlineRules, ListChangeKind,
    PackageChangeKind, PartChangeKind, compare, compare_in_full,
};
use tally_core::knowledge::{PartRules, Roles};
use tally_core::model::{Tally, Word};
use tally_core::offer::offer_changes;
use tally_report::{CompareView, CompareWhat, Filter, OfferChangeView};

pub(crate) fn run(args: &CompareArgs, settings: &Settings) -> Result<Exit, CommandError> {
    let filter = filter(args)?;
    if args.view == CompareWhat::Offer {
        if !filter.is_empty() || !args.base.is_empty() {
            let why = "--kind, --system, --menu, --change, --name and --base are about what is installed, not about the view `offer`";
            return Err(CommandError::Usage(why.to_owned()));
        }
        return offer(args, settings);
    }
    let Compared { mut comparison, parts, roles, .. } =
        compared(&args.old, &args.new, &args.base, settings, install::find_in_brief)?;
    let differs = args.exit_code && !comparison.is_empty();
    filter.apply(&mut comparison);
    let command = format!("fresh-tally compare {} {}", args.old, args.new);
    let view = CompareView {
        comparison: &comparison,
        rules: &parts,
        roles: &roles,
        what: args.view,
        filtered: !filter.is_empty(),
        sums: true,
        command: &command,
    };
    output::show(&view, settings)?;
    Ok(if differs { Exit::No } else { Exit::Done })
}

fn offer(args: &CompareArgs, settings: &Settings) -> Result<Exit, CommandError> {
    let view = offered_by_both(&args.old, &args.new, settings)?;
    let differs = args.exit_code && !(view.changes.came.is_empty() && view.changes.went.is_empty());
    output::show(&view, settings)?;
    Ok(if differs { Exit::No } else { Exit::Done })
}

/// What the repositories of both offer.
pub(crate) fn offered_by_both(
    old: &str,
    new: &str,
    settings: &Settings,
) -> Result<OfferChangeView, CommandError> {
    let parts = settings.own.parts()?;
    let find = |asked: &str| {
        let tally = install::find(asked, settings, &parts)?;
        let found = offers::of(asked, &tally, &[], settings)?.ok_or_else(|| offers::none(asked))?;
        Ok::<_, CommandError>((tally.label, found))
    };
    let ((old, was), (new, is)) = (find(old)?, find(new)?);
    let changes = offer_changes((&was.catalogs, &was.programs), (&is.catalogs, &is.programs));
    Ok(OfferChangeView { schema_version: 1, old, new, changes })
}

/// Two installs, what differs, and the rules by which it was told.
pub(crate) struct Compared {
    pub(crate) old: Tally,
    pub(crate) new: Tally,
    pub(crate) comparison: Comparison,
    pub(crate) parts: PartRules,
    pub(crate) roles: Roles,
}

/// Finds two installs by `find` and compares them, with what the base did where one is given.
pub(crate) fn compared(
    old: &str,
    new: &str,
    base: &[String],
    settings: &Settings,
    find: fn(&str, &Settings, &PartRules) -> Result<Tally, CommandError>,
) -> Result<Compared, CommandError> {
    let parts = settings.own.parts()?;
    let find = |asked: &str| find(asked, settings, &parts);
    // Two tallies are read and compared by two threads; more would only take time to start.
    let kept = [old, new].into_iter().all(|asked| install::is_kept(asked, settings));
    tally_trees::start_threads(kept.then_some(2));
    let (old, new) = rayon::join(|| find(old), || find(new));
    let (old, new) = (old?, new?);
    let bases: Vec<Tally> = base.iter().map(|asked| find(asked)).collect::<Result<_, _>>()?;
    let base_changes = if let [old, new] = &bases[..] { Some(compare(old, new)) } else { None };
    let base = match (&base_changes, &bases[..]) {
        (Some(changes), _) => Some(Base::Both { changes }),
        (None, [one]) => Some(Base::One(one)),
        _ => None,
    };
    let (roles, scores, agents) = (settings.own.roles()?, settings.own.scores()?, settings.own.agents()?);
    let rules = HeadlineRules { scores: &scores, roles: &roles, parts: &parts, agents: &agents };
    let comparison = compare_in_full(&old, &new, base, &rules);
    Ok(Compared { old, new, comparison, parts, roles })
}

fn filter(args: &CompareArgs) -> Result<Filter, CommandError> {
    let changes = changes();
    if let Some(unknown) = args.change.iter().find(|change| !changes.contains(&change.as_str())) {
        return Err(CommandError::Usage(format!(
            "--change: there is no change `{unknown}`; valid are {}",
            changes.join(", ")
        )));
    }
    Ok(Filter {
        kinds: args.kind.clone(),
        systems: args.system.clone(),
        menus: args.menu.clone(),
        changes: args.change.clone(),
        name: args.name.clone(),
    })
}

/// The changes of every list, each once.
fn changes() -> Vec<&'static str> {
    fn names<T: Word>() -> impl Iterator<Item = &'static str> {
        T::ALL.iter().map(|word| word.name())
    }
    let all: BTreeSet<&'static str> = names::<PackageChangeKind>()
        .chain(names::<ApplicationChangeKind>())
        .chain(names::<DefaultChangeKind>())
        .chain(names::<PartChangeKind>())
        .chain(names::<ListChangeKind>())
        .chain(names::<DecisionKind>())
        .collect();
    all.into_iter().collect()
}
