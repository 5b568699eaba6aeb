//! The past of one install: its day, what came since, and what is gone.

use super::{Candidate, Records, install_day, mark};
use crate::model::{InstallDay, InstallDayCandidate, Package, Reduced, SinceInstall, Text};
use rustc_hash::FxHashMap;

/// What records tell of the past of an install.
#[derive(Debug, Default)]
pub struct Past {
    /// The install day.
    pub day: InstallDay,
    /// Last moment of the install day, seconds since 1970 UTC.
    pub ended: Option<i64>,
    /// What happened since; `None` if the install day is not known.
    pub since: Option<SinceInstall>,
    /// Packages that were shipped, and of which nothing is left.
    pub removed: Vec<Package>,
}

impl Past {
    /// Finds the install day and gives the packages their phases.
    pub fn of(records: &Records, packages: &mut [Package]) -> Self {
        let at = |package: &Package| seconds(package.installed_at.as_deref()?);
        let Some(day) = install_day(records, packages, at) else { return Self::default() };
        let is_recorded = day.sure || records.systems.iter().any(|(_, of)| of.initial.is_some());
        if !is_recorded {
            // All is shown as it was found, with the moments that are likely.
            let candidates = day.candidates.into_iter().filter_map(candidate).collect();
            let day = InstallDay { began: time_text(day.began), candidates, ..InstallDay::default() };
            return Self { day, ..Self::default() };
        }
        let marked = mark(packages, records, &day, at);
        Self {
            day: InstallDay {
                began: time_text(day.began),
                ended: time_text(day.ended),
                how: day.how,
                sure: day.sure,
                evidence: day.evidence,
                candidates: day.candidates.into_iter().filter_map(candidate).collect(),
            },
            ended: Some(day.ended),
            since: Some(marked.since),
            removed: marked.removed,
        }
    }
}

fn candidate(of: Candidate) -> Option<InstallDayCandidate> {
    let Candidate { ended, sign, command, evidence, later } = of;
    let command = command.map(|typed| Reduced::request(&typed));
    Some(InstallDayCandidate { ended: time_text(ended)?, sign, command, evidence, later })
}

fn seconds(time: &str) -> Option<i64> {
    time.parse::<jiff::Timestamp>().ok().map(jiff::Timestamp::as_second)
}

/// Seconds since 1970 as RFC 3339 UTC; none for the first year, which stands for times that nobody set.
pub fn time_text(seconds: i64) -> Option<Text> {
    let time = jiff::Timestamp::from_second(seconds).ok().filter(|_| seconds > 365 * 86_400)?;
    Some(smol_str::format_smolstr!("{time}"))
}

/// Gives packages whose database keeps no times the time of the last event that made them what they are.
pub fn fill_times(records: &Records, packages: &mut [Package]) {
    for (system, of) in &records.systems {
        let mut last: FxHashMap<(&str, &str), i64> = FxHashMap::default();
        for event in &of.events {
            if let Some(after) = &event.after {
                last.insert((&event.name, after), event.at);
            }
        }
        let own = packages.iter_mut().filter(|package| package.system == *system);
        for package in own.filter(|package| package.installed_at.is_none()) {
            let at = last.get(&(package.name.as_str(), package.version.as_str()));
            package.installed_at = at.and_then(|at| time_text(*at));
        }
    }
}
