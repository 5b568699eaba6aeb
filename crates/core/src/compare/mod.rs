//! Two tallies in, one comparison out: pure computation, one step a module.

mod align;
mod applications;
mod changes;
mod comparable;
mod decisions;
mod document;
mod figures;
mod headlines;
mod inherited;
mod lists;
mod news;
mod packages;
pub(crate) mod pairing;
mod parts;
mod pictures;
mod stem;

pub use align::{Alignment, Match, Pair, Sides, align};
pub use changes::{
    ApplicationChange, ApplicationChangeKind, DefaultChange, DefaultChangeKind, ListChange, ListChangeKind,
    ListItem, NameAndVersion, PackageChange, PackageChangeKind, PartChange, PartChangeKind, PictureChange,
    PictureChangeKind, ReadingChange,
};
pub use document::{
    COMPARISON_SCHEMA, Comparison, Decision, DecisionKind, DecisionReason, NotRecorded, Section, Totals,
};
pub use headlines::HeadlineRules;
pub use inherited::Base;
pub use news::{Filling, Headline, KeyFigure, Named, News, Succession, Weight};
pub use stem::{family_name, stem};

pub(crate) use applications::Menus;

use crate::model::{Application, Package, Phase, System, Tally, Text};
use rustc_hash::{FxHashMap, FxHashSet};

/// Compares an older install with a newer one (or any two).
///
/// Every package of both sides is accounted for: unchanged pairs in the totals, all others as changes; every package
/// that came or went has a decision, or is counted as unexplained. Packages of which only configuration files are
/// left count as absent. What one of the two sources does not record is no change: the comparison names it, and leaves it out.
pub fn compare(old: &Tally, new: &Tally) -> Comparison {
    let (old, new, not_recorded) = comparable::restrict_to_comparable(old, new);
    compare_alike(&old, &new, with_removed(&old, &new, not_recorded))
}

/// Adds the packages that were removed since the install day: their menu entries went with them, and are neither there nor gone.
fn with_removed(old: &Tally, new: &Tally, mut not_recorded: NotRecorded) -> NotRecorded {
    for side in [old, new] {
        let removed = side
            .present()
            .filter(|package| package.phase == Phase::RemovedLater && package.kind.may_have_programs());
        not_recorded.menu_entries_of.extend(removed.map(|package| package.name.clone()));
    }
    not_recorded
}

/// The packages that were shipped and removed later.
fn removed_programs(tally: &Tally) -> FxHashSet<&str> {
    let removed = tally.packages.iter().filter(|package| package.phase == Phase::RemovedLater);
    removed.map(|package| package.name.as_str()).collect()
}

/// Whether an application came with one of these packages.
fn is_of(applications: &[Application], id: &Text, packages: &FxHashSet<&str>) -> bool {
    let of_id = applications.iter().filter(|application| application.id == *id);
    of_id.flat_map(|application| &application.delivered).any(|one| packages.contains(one.package.as_str()))
}

/// What a tally tells of as removed after its install day.
fn removed_later(tally: &Tally) -> FxHashSet<(System, &str)> {
    let removed =
        tally.packages.iter().filter(|package| package.phase == Phase::RemovedLater && !package.is_present());
    removed.map(|package| (package.system, package.name.as_str())).collect()
}

/// Compares two tallies that tell alike.
fn compare_alike(old: &Tally, new: &Tally, not_recorded: NotRecorded) -> Comparison {
    let old_packages: Vec<&Package> = old.present().collect();
    let new_packages: Vec<&Package> = new.present().collect();
    let sides = Sides {
        old: &old_packages,
        new: &new_packages,
        old_applications: &old.applications,
        new_applications: &new.applications,
    };
    let (alignment, beside) = rayon::join(|| align(&sides), || Beside::of(old, new));
    let (came, went) = explainable(&sides, &alignment, new);
    // Neither side's decisions need the other's, nor the list of changes.
    let (mut packages, (came, went)) = rayon::join(
        || packages::changes(&old_packages, &new_packages, &alignment),
        || rayon::join(|| decisions::explain(&came), || decisions::explain(&went)),
    );
    let (mut decisions, mut unexplained) =
        number(came, went, &alignment, &new_packages, &old_packages, &mut packages);
    if not_recorded.has(Section::Decisions) {
        (decisions, unexplained) = (Vec::new(), 0);
        packages.iter_mut().for_each(|change| change.decision = None);
    }
    let mut totals = Totals::of(old, new, &alignment, &packages, &beside.applications);
    totals.decisions = u32::try_from(decisions.len()).unwrap_or(u32::MAX);
    totals.unexplained = unexplained;
    let Beside {
        applications,
        defaults,
        parts,
        repositories,
        startup,
        looks,
        settings,
        media,
        pictures,
        readings,
    } = beside;
    Comparison {
        schema_version: COMPARISON_SCHEMA,
        old: old.label.clone(),
        new: new.label.clone(),
        key_figures: Vec::new(),
        headlines: Vec::new(),
        parts,
        applications,
        defaults,
        packages,
        decisions,
        repositories,
        startup,
        looks,
        settings,
        media,
        pictures,
        readings,
        held_back: Vec::new(),
        totals,
        not_recorded,
    }
}

/// What changed beside the packages.
struct Beside {
    applications: Vec<ApplicationChange>,
    defaults: Vec<DefaultChange>,
    parts: Vec<PartChange>,
    repositories: Vec<ListChange>,
    startup: Vec<ListChange>,
    looks: Vec<ListChange>,
    settings: Vec<ListChange>,
    media: Vec<ListChange>,
    pictures: Vec<PictureChange>,
    readings: Vec<ReadingChange>,
}

impl Beside {
    fn of(old: &Tally, new: &Tally) -> Self {
        let menus = (Menus::of(old), Menus::of(new));
        let partners = pairing::pair(menus.0, menus.1);
        let mut applications = applications::changes(menus.0, menus.1, &partners);
        // What shipped and was removed later has no menu entry any more, and is neither gone nor new.
        let (was_removed, is_removed) = (removed_programs(old), removed_programs(new));
        applications.retain(|change| match change.change {
            ApplicationChangeKind::Removed => !is_of(&old.applications, &change.id, &is_removed),
            ApplicationChangeKind::Added => !is_of(&new.applications, &change.id, &was_removed),
            _ => true,
        });
        let renamed = applications::renamed(menus.0, menus.1, &partners);
        let there: FxHashSet<&str> =
            new.applications.iter().map(|application| application.id.as_str()).collect();
        let defaults = lists::defaults(&old.defaults, &new.defaults, |id| there.contains(id), &renamed);
        applications::join_replaced(&mut applications, &defaults, menus);
        Self {
            applications,
            defaults,
            parts: parts::changes(&old.parts, &new.parts),
            repositories: lists::repositories(
                (&old.repositories, &old.label),
                (&new.repositories, &new.label),
            ),
            startup: lists::startup(&old.startup, &new.startup),
            looks: lists::looks(&old.looks, &new.looks),
            settings: lists::settings(&old.settings, &new.settings),
            media: lists::media(&old.media, &new.media),
            pictures: pictures::changes(&old.pictures, &new.pictures),
            readings: lists::readings(&old.readings, &new.readings),
        }
    }
}

/// What came and what went, as far as decisions are concerned.
fn explainable<'a>(
    sides: &Sides<'a>,
    alignment: &Alignment,
    new: &'a Tally,
) -> (decisions::ComparedSide<'a>, decisions::ComparedSide<'a>) {
    let (mut new_partners, mut old_partners) = (vec![None; sides.new.len()], vec![None; sides.old.len()]);
    for pair in &alignment.pairs {
        new_partners[pair.new] = Some(sides.old[pair.old]);
        old_partners[pair.old] = Some(sides.new[pair.new]);
    }
    let replaced = alignment
        .pairs
        .iter()
        .filter(|pair| pair.how == Match::Declared)
        .filter(|pair| sides.old[pair.old].source() != sides.new[pair.new].source())
        .map(|pair| pair.old)
        .collect();
    let came = decisions::ComparedSide {
        packages: sides.new,
        partners: new_partners,
        changed: alignment.added.clone(),
        replaced: Vec::new(),
        removed_since: FxHashSet::default(),
        applications: sides.new_applications,
        came: true,
    };
    let went = decisions::ComparedSide {
        packages: sides.old,
        partners: old_partners,
        changed: alignment.removed.clone(),
        replaced,
        removed_since: removed_later(new),
        applications: sides.old_applications,
        came: false,
    };
    (came, went)
}

/// Compares, marks what the base did as well, and finds the headlines.
pub fn compare_in_full(
    old: &Tally,
    new: &Tally,
    base: Option<Base<'_>>,
    rules: &HeadlineRules<'_>,
) -> Comparison {
    let (old, new, not_recorded) = comparable::restrict_to_comparable(old, new);
    let (old, new) = (&*old, &*new);
    let mut comparison = compare_alike(old, new, with_removed(old, new, not_recorded));
    if let Some(base) = base {
        inherited::mark(&mut comparison, old, new, base);
    }
    comparison.key_figures = figures::figures(&comparison, old, new, rules);
    comparison.headlines = headlines::headlines(&comparison, old, new, rules);
    comparison
}

/// Decisions of one side, and for each changed package the position of its decision.
type Explained = (Vec<Decision>, Vec<Option<usize>>);

/// Puts the decisions of both sides in order, the largest consequence first; numbers them, and writes each into the changes
/// that it is behind. Returns the decisions, and how many changed packages none of them explains.
fn number(
    came: Explained,
    went: Explained,
    alignment: &Alignment,
    new: &[&Package],
    old: &[&Package],
    changes: &mut [PackageChange],
) -> (Vec<Decision>, u32) {
    let cut = came.0.len();
    let mut order: Vec<(usize, Decision)> = came.0.into_iter().chain(went.0).enumerate().collect();
    order.sort_by(|(_, a), (_, b)| {
        let weight = |d: &Decision| (d.bytes_delta.unsigned_abs(), d.packages.len());
        weight(b)
            .cmp(&weight(a))
            .then_with(|| (a.kind, &a.names, &a.packages).cmp(&(b.kind, &b.names, &b.packages)))
    });
    let mut ids: Vec<Text> = vec![Text::default(); order.len()];
    for (number, (at, decision)) in (1..).zip(&mut order) {
        decision.id = format!("d{number}").into();
        ids[*at] = decision.id.clone();
    }
    let mut unexplained = 0;
    let mut behind: FxHashMap<ChangeKey<'_>, &Text> = FxHashMap::default();
    let sides = [
        (PackageChangeKind::Added, &alignment.added, &came.1, new, 0),
        (PackageChangeKind::Removed, &alignment.removed, &went.1, old, cut),
    ];
    for (sort, changed, of, packages, offset) in sides {
        for (at, decision) in changed.iter().zip(of) {
            let package = packages[*at];
            match decision {
                Some(decision) => {
                    let key = (sort, package.system, package.name.as_str(), package.version.as_str());
                    behind.insert(key, &ids[decision + offset]);
                }
                None => unexplained += 1,
            }
        }
    }
    for change in changes {
        if let Some(side) = change.new.as_ref().or(change.old.as_ref()) {
            let key = (change.change, change.system, side.name.as_str(), side.version.as_str());
            change.decision = behind.get(&key).map(|id| (*id).clone());
        }
    }
    (order.into_iter().map(|(_, decision)| decision).collect(), unexplained)
}

/// What tells one change from another: sort, system, name and version.
type ChangeKey<'a> = (PackageChangeKind, System, &'a str, &'a str);
