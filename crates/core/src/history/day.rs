//! When an install was made.

use super::{Records, Run};
use crate::graph::is_collection;
use crate::knowledge::matches;
use crate::model::{Evidence, InstallDayHow, InstallDaySign, Package, System, Text};
use rustc_hash::FxHashSet;

/// A pause after which what comes is no longer the installation: an hour.
const PAUSE: i64 = 3600;

/// A pause that leaves no doubt: a day.
const LONG_PAUSE: i64 = 86_400;

/// Packages of a run that is more than someone's wish: so many come when a system or a desktop is put together.
const MANY: usize = 100;

/// Names of packages that stand for a whole task or desktop, where sections do not tell.
const WHOLE: &str = "task-*|*-desktop|*-desktop-environment|*-desktop-full|*-meta|*-minimal|*-standard";

/// When an install was made, in seconds since 1970 UTC.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Day {
    /// First moment.
    pub began: i64,
    /// Last moment.
    pub ended: i64,
    /// How it was found.
    pub how: InstallDayHow,
    /// Whether a record of the installer, or someone who knows, says so.
    pub sure: bool,
    /// Where the file is that says so, if one does.
    pub evidence: Evidence,
    /// Moments at which the installation may have ended, where nothing says so, the earliest first; one of them is `ended`.
    pub candidates: Vec<Candidate>,
}

/// A moment at which the installation may have ended.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Candidate {
    /// Seconds since 1970 UTC: what came up to it would be part of the install.
    pub ended: i64,
    /// What speaks for it.
    pub sign: InstallDaySign,
    /// What was typed then, where a log keeps it.
    pub command: Option<Text>,
    /// Where that was read.
    pub evidence: Evidence,
    /// Packages that came, changed or went after it.
    pub later: u32,
}

/// Finds the install day: by the installer's own records, or as someone gave it. Else it is a guess, and never sure: the first
/// start of the installed system, what a person asked for, what was typed after the last task or desktop, or a pause of an hour,
/// whichever came first in this order.
///
/// `installed_at` gives a package's time in seconds. `None` if not recorded.
pub fn install_day(
    records: &Records,
    packages: &[Package],
    installed_at: impl Fn(&Package) -> Option<i64>,
) -> Option<Day> {
    let own = packages.iter().filter(|package| !package.system.is_sandbox());
    let mut all: Vec<(i64, &Text)> = own.filter_map(|one| Some((installed_at(one)?, &one.name))).collect();
    let events = records.systems.iter().flat_map(|(_, of)| &of.events);
    all.extend(events.map(|event| (event.at, &event.name)));
    all.sort_unstable();
    let mut times: Vec<i64> = all.iter().map(|(at, _)| *at).collect();
    times.dedup();
    let sure =
        |began, ended, how, evidence| Day { began, ended, how, sure: true, evidence, candidates: Vec::new() };
    if let Some(ended) = records.given {
        let began = times.first().copied().filter(|first| *first <= ended).unwrap_or(ended);
        return Some(sure(began, ended, InstallDayHow::ByHand, Evidence::default()));
    }
    if let Some((began, ended, file)) = &records.installer {
        // Packages come while the installer runs, or have come with the image before.
        let first = times.iter().copied().find(|at| *at > began - LONG_PAUSE && at <= ended);
        let began = first.map_or(*began, |first| first.min(*began));
        let ended = ended + during_the_last_steps(&times, *ended);
        return Some(sure(began, ended, InstallDayHow::InstallerLog, file.clone()));
    }
    let began = *times.first()?;
    let mut candidates = candidates(records, packages, &times);
    for candidate in &mut candidates {
        let before = all.partition_point(|(at, _)| *at <= candidate.ended);
        // A package of which a log and the database tell the time is one.
        let later: FxHashSet<&Text> = all[before..].iter().map(|(_, name)| *name).collect();
        candidate.later = u32::try_from(later.len()).unwrap_or(u32::MAX);
    }
    candidates.retain(|candidate| candidate.later > 0);
    // Of signs of one sort the first counts; of the sorts the one that says most.
    let chosen = candidates.iter().min_by_key(|candidate| (candidate.sign, candidate.ended));
    let (ended, how) = match chosen {
        Some(candidate) => (candidate.ended, candidate.sign.how()),
        None => (*times.last()?, InstallDayHow::FirstPackage),
    };
    let evidence = chosen.map(|candidate| candidate.evidence.clone()).unwrap_or_default();
    candidates.sort_by_key(|candidate| (candidate.ended, candidate.sign));
    Some(Day { began, ended, how, sure: false, evidence, candidates })
}

/// The moments at which the installation may have ended, by each sort of sign the first.
fn candidates(records: &Records, packages: &[Package], times: &[i64]) -> Vec<Candidate> {
    let mut found = Vec::new();
    // The last change before a moment at which the system was there already.
    let mut before = |at: i64, sign, command: Option<&Text>, evidence: &Evidence| {
        let ended = times[..times.partition_point(|time| *time < at)].last();
        if let Some(ended) = ended {
            let (command, evidence) = (command.cloned(), evidence.clone());
            found.push(Candidate { ended: *ended, sign, command, evidence, later: 0 });
        }
    };
    if let Some((at, evidence)) = records.starts.iter().min_by_key(|(at, _)| *at) {
        before(*at, InstallDaySign::FirstStart, None, evidence);
    }
    let asked = records.systems.iter().filter_map(|(_, of)| of.first_asked).min();
    if let Some(asked) = asked {
        let run = records.systems.iter().flat_map(|(_, of)| &of.runs).find(|run| run.began == asked);
        let evidence = run.map(|run| run.evidence.clone()).unwrap_or_default();
        before(asked, InstallDaySign::Asked, run.and_then(|run| run.command.as_ref()), &evidence);
    }
    for (system, of) in &records.systems {
        if let Some(run) = after_the_last_whole(&of.runs, *system, packages) {
            before(run.began, InstallDaySign::AfterLastTask, run.command.as_ref(), &run.evidence);
        }
    }
    if let Some(pause) = times.windows(2).find(|pair| pair[1] - pair[0] > PAUSE) {
        before(pause[1], InstallDaySign::Pause, None, &Evidence::default());
    }
    found
}

/// The first run after the last one that put a task, a desktop or much else in place, or filled another root.
fn after_the_last_whole<'r>(runs: &'r [Run], system: System, packages: &[Package]) -> Option<&'r Run> {
    let collections: FxHashSet<&str> = packages
        .iter()
        .filter(|package| package.system == system && is_collection(package))
        .map(|package| package.name.as_str())
        .collect();
    let is_whole = |run: &Run| {
        let of_another_root = run.command.as_ref().is_some_and(|command| {
            command
                .split_whitespace()
                .any(|word| matches!(word, "-r" | "--root" | "--sysroot" | "--installroot"))
        });
        let stands_for_more = |name: &Text| collections.contains(name.as_str()) || matches(WHOLE, name);
        of_another_root || run.came.len() >= MANY || run.came.iter().any(stands_for_more)
    };
    let last = runs.iter().rposition(is_whole)?;
    runs.get(last + 1)
}

/// Installers close their log a little before the last package is in place: seconds that still belong to the day.
fn during_the_last_steps(times: &[i64], ended: i64) -> i64 {
    const STEP: i64 = 60;
    let mut last = ended;
    for at in times.iter().skip_while(|at| **at <= ended) {
        if at - last > STEP {
            break;
        }
        last = *at;
    }
    last - ended
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::history::SystemRecords;
    use crate::model::{Evidence, System};

    fn packages(times: &[i64]) -> Vec<Package> {
        times
            .iter()
            .map(|at| Package {
                download_bytes: Some(at.unsigned_abs()),
                ..Package::new(System::Rpm, format!("at-{at}"), "1")
            })
            .collect()
    }

    fn day(records: &Records, times: &[i64]) -> Option<Day> {
        install_day(records, &packages(times), |p| p.download_bytes.and_then(|at| i64::try_from(at).ok()))
    }

    fn evidence() -> Evidence {
        Evidence::file("var/log/apt/history.log")
    }

    #[test]
    fn without_a_record_of_the_installer_nothing_is_sure() {
        let found = day(&Records::default(), &[1000, 1500, 4000, 4000 + 2 * 86_400]).unwrap();
        assert_eq!(
            (found.began, found.ended, found.how, found.sure),
            (1000, 4000, InstallDayHow::FirstPackage, false)
        );
        assert_eq!((found.candidates[0].sign, found.candidates[0].later), (InstallDaySign::Pause, 1));
        let all_at_once = day(&Records::default(), &[1000, 1500]).unwrap();
        assert_eq!((all_at_once.ended, all_at_once.sure, all_at_once.candidates.len()), (1500, false, 0));
        assert_eq!(day(&Records::default(), &[]), None);
    }

    #[test]
    fn what_was_typed_after_the_last_task_came_later() {
        let run = |began, command: &str, came: &[&str]| Run {
            began,
            command: Some(command.into()),
            came: came.iter().map(|name| (*name).into()).collect(),
            evidence: evidence(),
        };
        let runs = vec![
            run(1000, "apt-get install base-files", &["base-files"]),
            run(1200, "apt-get install task-marsh-desktop", &["task-marsh-desktop", "inkcap"]),
            run(1440, "apt install tide-top", &["tide-top"]),
            run(1500, "apt install reed-fetch", &["reed-fetch"]),
        ];
        let of = SystemRecords { runs, ..SystemRecords::default() };
        let records = Records { systems: vec![(System::Dpkg, of)], ..Records::default() };
        let found = day(&records, &[1000, 1200, 1300, 1440, 1500]).unwrap();
        assert_eq!((found.ended, found.how, found.sure), (1300, InstallDayHow::History, false));
        let [candidate] = &found.candidates[..] else { unreachable!("{:?}", found.candidates) };
        assert_eq!(candidate.command.as_deref(), Some("apt install tide-top"));
        assert_eq!((candidate.sign, candidate.later), (InstallDaySign::AfterLastTask, 2));
        // Whoever filled the root from outside was installing it.
        let runs = vec![
            run(1000, "pacman -r /mnt -Sy base", &["base"]),
            run(1100, "pacman -r /mnt -S inkcap", &["inkcap"]),
            run(1200, "pacman -S tide-top", &["tide-top"]),
        ];
        let of = SystemRecords { runs, ..SystemRecords::default() };
        let records = Records { systems: vec![(System::Pacman, of)], ..Records::default() };
        assert_eq!(day(&records, &[1000, 1100, 1200]).unwrap().ended, 1100);
    }

    #[test]
    fn the_first_start_comes_before_all_other_signs() {
        let asked = SystemRecords { first_asked: Some(1400), ..SystemRecords::default() };
        let records = Records {
            systems: vec![(System::Rpm, asked)],
            starts: vec![(1350, Evidence::file("var/log/journal/1/system.journal"))],
            ..Records::default()
        };
        let found = day(&records, &[1000, 1300, 1360, 1400, 1500, 9000]).unwrap();
        assert_eq!((found.ended, found.how, found.sure), (1300, InstallDayHow::FirstStart, false));
        assert_eq!(found.evidence.file, "var/log/journal/1/system.journal");
        let signs: Vec<_> = found.candidates.iter().map(|one| (one.ended, one.sign, one.later)).collect();
        assert_eq!(
            signs,
            [
                (1300, InstallDaySign::FirstStart, 4),
                (1360, InstallDaySign::Asked, 3),
                (1500, InstallDaySign::Pause, 1),
            ]
        );
    }

    #[test]
    fn who_gives_a_moment_is_believed() {
        let asked = SystemRecords { first_asked: Some(1400), ..SystemRecords::default() };
        let records = Records { systems: vec![(System::Rpm, asked)], ..Records::default() };
        let found = day(&records, &[1000, 1300, 1400, 1500]).unwrap();
        assert_eq!((found.ended, found.how, found.sure), (1300, InstallDayHow::Asked, false));
        let records = Records { given: Some(1450), ..records };
        let found = day(&records, &[1000, 1300, 1400, 1500]).unwrap();
        assert_eq!(
            (found.began, found.ended, found.how, found.sure),
            (1000, 1450, InstallDayHow::ByHand, true)
        );
    }

    #[test]
    fn the_installer_knows_better_and_its_last_steps_count() {
        let records = Records { installer: Some((900, 2000, Evidence::file("log"))), ..Records::default() };
        let found = day(&records, &[100, 1900, 2030, 2200, 90_000]).unwrap();
        assert_eq!(
            (found.began, found.ended, found.how, found.sure),
            (100, 2030, InstallDayHow::InstallerLog, true)
        );
        assert_eq!(found.evidence.file, "log");
    }
}
