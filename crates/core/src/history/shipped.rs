//! A tally as found made into the tally of the install day.

use crate::derive::{derive_findings, join_applications, mark_roles};
use crate::knowledge::{Agents, Roles};
use crate::model::{
    Counts, Finding, FindingName, Look, Medium, Package, PackageRef, Phase, Seen, Tally, Text,
};
use crate::vocabulary;
use rustc_hash::{FxHashMap, FxHashSet};

vocabulary! {
    /// The moment that an install is shown as of.
    pub enum Moment {
        /// The install day: without what was added later, and with what was removed or updated later.
        Shipped = "shipped",
        /// Now: everything that is installed.
        Found = "found",
    }
}

impl Moment {
    /// The tally as of this moment.
    pub fn of(self, tally: Tally) -> Tally {
        match self {
            Self::Shipped => as_shipped(tally),
            Self::Found => as_found(tally),
        }
    }
}

/// Whether all that a tally holds was shipped, and all that was shipped is in it.
pub fn is_shipped(tally: &Tally) -> bool {
    tally.packages.iter().all(|package| package.phase == Phase::Shipped)
        && tally.launchers.iter().all(|launcher| launcher.phase == Phase::Shipped)
        && tally.startup.iter().all(|item| item.phase == Phase::Shipped)
        && tally.repositories.iter().all(|repository| repository.phase == Phase::Shipped)
        && tally.shipped_parts.is_none()
        && tally.defaults.iter().all(|choice| choice.shipped.is_none())
}

/// The same tally, said to be as found.
pub fn as_found(tally: Tally) -> Tally {
    let said = if tally.taken.medium == Medium::Listing { Seen::AsListed } else { Seen::AsFound };
    say(tally, said)
}

fn say(mut tally: Tally, said: Seen) -> Tally {
    tally.label.seen = Some(said);
    tally
}

/// What was shipped: without what came later, with what was removed later, in the versions of the install day.
///
/// Of packages that were removed later only names and versions are known. Readings, notes and the disk stay as they were found.
pub fn as_shipped(mut tally: Tally) -> Tally {
    let said = match (tally.taken.medium, &tally.since_install) {
        (Medium::Listing, _) => Seen::AsListed,
        (Medium::Image, _) => Seen::AsShipped,
        (_, Some(since)) if since.sure => Seen::AsShipped,
        (_, Some(_)) => Seen::MostlyAsShipped,
        (_, None) => Seen::AsFound,
    };
    tally = say(tally, said);
    if is_shipped(&tally) {
        return tally;
    }
    let distro_id = tally.label.distro_id.clone();
    let before: FxHashSet<PackageRef> = tally.present().map(Package::reference).collect();
    tally.packages = tally.packages.iter().filter_map(Package::as_shipped).collect();
    for package in tally.packages.iter_mut().filter(|package| !package.phase.is_shipped()) {
        package.purl = package.make_purl(&distro_id);
    }
    let versions: FxHashMap<PackageRef, Text> =
        tally.present().map(|package| (package.reference(), package.upstream_version.clone())).collect();
    let is_gone = |package: Option<&PackageRef>| {
        package.is_some_and(|package| before.contains(package) && !versions.contains_key(package))
    };
    tally.launchers.retain(|launcher| !came_later(launcher.phase) && !is_gone(launcher.package.as_ref()));
    for launcher in &mut tally.launchers {
        if let Some(version) = launcher.package.as_ref().and_then(|package| versions.get(package)) {
            launcher.version = Some(version.clone());
        }
    }
    tally.startup.retain(|item| !came_later(item.phase) && !is_gone(item.package.as_ref()));
    tally.repositories.retain(|repository| !came_later(repository.phase));
    let looks = &mut tally.looks;
    looks.sessions.retain(|session| !is_gone(session.package.as_ref()));
    let lists: [&mut Vec<Look>; 4] =
        [&mut looks.themes, &mut looks.icon_sets, &mut looks.wallpapers, &mut looks.fonts];
    for list in lists {
        list.retain(|look| !is_gone(look.package.as_ref()));
    }
    tally.applications = join_applications(&tally.launchers, &tally.packages);
    for choice in &mut tally.defaults {
        if let Some(shipped) = choice.shipped.take() {
            choice.application = shipped.application;
            choice.launcher = shipped.launcher;
            choice.decided = shipped.decided;
            choice.candidates = shipped.candidates;
            choice.sure = shipped.sure;
            choice.shipped_application = None;
        }
    }
    mark_roles(&mut tally.applications, &tally.defaults);
    if let Some(parts) = tally.shipped_parts.take() {
        tally.parts = parts;
    }
    tally.findings = findings(&tally, &before);
    tally.counts = Counts::of(&tally.packages, &tally.launchers, &tally.applications);
    tally.sort();
    tally
}

/// Whether something was not there on the install day, or is on the live medium alone.
fn came_later(phase: Phase) -> bool {
    matches!(phase, Phase::AddedLater | Phase::LiveOnly)
}

/// Rules that look at several facts at once are asked anew; of the others, what is about something that was there.
fn findings(tally: &Tally, before: &FxHashSet<PackageRef>) -> Vec<Finding> {
    const ASKED_ANEW: &[FindingName] = &[
        FindingName::TwoLaunchers,
        FindingName::TwoFormats,
        FindingName::NoDefault,
        FindingName::MixedDefaults,
        FindingName::UnlikelyDefault,
        FindingName::Games,
    ];
    let mut known: FxHashSet<Text> =
        tally.present().map(|package| Text::new(package.reference().as_str())).collect();
    known.extend(tally.launchers.iter().map(|launcher| Text::from(format!("launcher:{}", launcher.id))));
    known.extend(tally.startup.iter().map(|item| Text::from(format!("startup:{}", item.name))));
    known.extend(tally.repositories.iter().map(|one| Text::from(format!("repository:{}", one.name))));
    let were: FxHashSet<&str> = before.iter().map(PackageRef::as_str).collect();
    // What names a package that was never found in full, or something of another sort, is left as it was.
    let still = |about: &Text| {
        let checked = ["launcher:", "startup:", "repository:"].iter().any(|sort| about.starts_with(sort))
            || were.contains(about.as_str());
        !checked || known.contains(about)
    };
    let leftovers: FxHashSet<&str> = tally
        .packages
        .iter()
        .filter(|package| package.phase == Phase::RemovedLater)
        .map(|package| package.name.as_str())
        .collect();
    let was_left = |finding: &Finding| {
        finding.name() == FindingName::RemovedLeftovers
            && finding
                .about
                .iter()
                .any(|about| about.split_once(':').is_some_and(|(_, name)| leftovers.contains(name)))
    };
    let mut found: Vec<_> = tally
        .findings
        .iter()
        .filter(|finding| !ASKED_ANEW.contains(&finding.name()) && !was_left(finding))
        .filter(|finding| finding.about.iter().all(still))
        .cloned()
        .collect();
    let anew = derive_findings(tally, &Agents::default(), &Roles::default());
    found.extend(anew.into_iter().filter(|finding| ASKED_ANEW.contains(&finding.name())));
    found.sort_by(Finding::order);
    found
}
