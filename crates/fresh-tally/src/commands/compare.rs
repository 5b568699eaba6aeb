use crate::args::{CompareArgs, CompareWhatArg};
use crate::error::Failure;
use crate::exit::Exit;
use crate::settings::Settings;
use crate::{install, output};
use tally_core::compare::{
    ApplicationSort, Base, Comparison, DecisionSort, DefaultSort, HeadlineRules, ListSort, PackageSort,
    PartSort, compare, compare_in_full,
};
use tally_core::knowledge::{PartRules, Roles};
use tally_core::model::{Kind, Menu, System, Tally};
use tally_report::{CompareView, CompareWhat, Filter};

pub(crate) fn run(args: &CompareArgs, settings: &Settings) -> Result<Exit, Failure> {
    let filter = filter(args)?;
    let Compared { old, new, mut comparison, parts, roles } =
        compared(&args.old, &args.new, &args.base, settings, install::find_in_brief)?;
    let differs = args.exit_code && !comparison.is_empty();
    filter.apply(&mut comparison);
    let command = format!("fresh-tally compare {} {}", args.old, args.new);
    let view = CompareView {
        comparison: &comparison,
        rules: &parts,
        roles: &roles,
        what: what(args.view),
        filtered: !filter.is_empty(),
        command: &command,
    };
    output::show(&view, settings)?;
    // Taking a large tally apart piece by piece only to end is time nobody gets back.
    std::mem::forget((old, new, comparison));
    Ok(if differs { Exit::No } else { Exit::Done })
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
    find: fn(&str, &Settings, &PartRules) -> Result<Tally, Failure>,
) -> Result<Compared, Failure> {
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

fn what(view: CompareWhatArg) -> CompareWhat {
    match view {
        CompareWhatArg::Headlines => CompareWhat::Headlines,
        CompareWhatArg::Parts => CompareWhat::Parts,
        CompareWhatArg::Applications => CompareWhat::Applications,
        CompareWhatArg::Defaults => CompareWhat::Defaults,
        CompareWhatArg::Packages => CompareWhat::Packages,
        CompareWhatArg::Decisions => CompareWhat::Decisions,
        CompareWhatArg::Repositories => CompareWhat::Repositories,
        CompareWhatArg::Startup => CompareWhat::Startup,
        CompareWhatArg::Looks => CompareWhat::Looks,
        CompareWhatArg::Weight => CompareWhat::Weight,
        CompareWhatArg::Readings => CompareWhat::Readings,
        CompareWhatArg::All => CompareWhat::All,
    }
}

fn filter(args: &CompareArgs) -> Result<Filter, Failure> {
    let sorts: Vec<&str> = sorts();
    if let Some(unknown) = args.sort.iter().find(|sort| !sorts.contains(&sort.as_str())) {
        return Err(Failure::Usage(format!("--sort: no sort `{unknown}`; known: {}", sorts.join(", "))));
    }
    Ok(Filter {
        kinds: named("--kind", &args.kind, Kind::from_name, &names(Kind::ALL, Kind::name))?,
        systems: named("--system", &args.system, System::from_name, &names(System::ALL, System::name))?,
        menus: named("--menu", &args.menu, Menu::from_name, &names(Menu::ALL, Menu::name))?,
        sorts: args.sort.clone(),
        name: args.name.clone(),
    })
}

fn names<T: Copy>(all: &[T], name: impl Fn(T) -> &'static str) -> Vec<&'static str> {
    all.iter().map(|one| name(*one)).collect()
}

fn named<T>(
    option: &str,
    asked: &[String],
    from_name: impl Fn(&str) -> Option<T>,
    known: &[&str],
) -> Result<Vec<T>, Failure> {
    let one = |name: &String| {
        from_name(name)
            .ok_or_else(|| Failure::Usage(format!("{option}: no `{name}`; known: {}", known.join(", "))))
    };
    asked.iter().map(one).collect()
}

/// Every sort of every list, each once.
fn sorts() -> Vec<&'static str> {
    let mut sorts: Vec<&'static str> = names(PackageSort::ALL, PackageSort::name);
    sorts.extend(names(ApplicationSort::ALL, ApplicationSort::name));
    sorts.extend(names(DefaultSort::ALL, DefaultSort::name));
    sorts.extend(names(PartSort::ALL, PartSort::name));
    sorts.extend(names(ListSort::ALL, ListSort::name));
    sorts.extend(names(DecisionSort::ALL, DecisionSort::name));
    sorts.sort_unstable();
    sorts.dedup();
    sorts
}
