//! When an install was made.

use super::Records;
use crate::model::{InstallDayHow, Package};

/// A pause after which what comes is no longer the installation: an hour.
const PAUSE: i64 = 3600;

/// A pause that leaves no doubt: a day.
const LONG_PAUSE: i64 = 86_400;

/// When an install was made, in seconds since 1970 UTC.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Day {
    /// First moment.
    pub began: i64,
    /// Last moment.
    pub ended: i64,
    /// How it was found.
    pub how: InstallDayHow,
    /// Whether nothing speaks against it.
    pub sure: bool,
}

/// Finds the install day: by the installer's own records, else by the first packages, up to a pause of an hour.
///
/// `installed_at` gives a package's time in seconds. `None` when nothing tells.
pub fn install_day(
    records: &Records,
    packages: &[Package],
    installed_at: impl Fn(&Package) -> Option<i64>,
) -> Option<Day> {
    let mut times: Vec<i64> =
        packages.iter().filter(|p| !p.system.is_sandbox()).filter_map(installed_at).collect();
    times.extend(records.systems.iter().flat_map(|(_, of)| of.events.iter().map(|event| event.at)));
    times.sort_unstable();
    times.dedup();
    if let Some(ended) = records.given {
        let began = times.first().copied().filter(|first| *first <= ended).unwrap_or(ended);
        return Some(Day { began, ended, how: InstallDayHow::ByHand, sure: true });
    }
    if let Some((began, ended, _)) = records.installer {
        // Packages come while the installer runs, or have come with the image before.
        let first = times.iter().copied().find(|at| *at > began - LONG_PAUSE && *at <= ended);
        return Some(Day {
            began: first.map_or(began, |first| first.min(began)),
            ended: ended + during_the_last_steps(&times, ended),
            how: InstallDayHow::InstallerLog,
            sure: true,
        });
    }
    let began = *times.first()?;
    // Nobody asks before the system is there.
    let asked = records.systems.iter().filter_map(|(_, of)| of.first_asked).min();
    let is_asked = |at: i64| asked.is_some_and(|asked| at >= asked);
    let end = times.windows(2).position(|pair| pair[1] - pair[0] > PAUSE || is_asked(pair[1]));
    let end = end.unwrap_or(times.len() - 1);
    let ended = times[end];
    let sure = times.get(end + 1).is_none_or(|next| is_asked(*next) || next - ended > LONG_PAUSE);
    Some(Day { began, ended, how: InstallDayHow::FirstPackage, sure })
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
                ..Package::new(System::Rpm, "a", "1")
            })
            .collect()
    }

    fn day(records: &Records, times: &[i64]) -> Option<Day> {
        install_day(records, &packages(times), |p| p.download_bytes.and_then(|at| i64::try_from(at).ok()))
    }

    #[test]
    fn the_first_packages_up_to_a_pause_are_the_install() {
        let found = day(&Records::default(), &[1000, 1500, 4000, 4000 + 2 * 86_400]).unwrap();
        assert_eq!((found.began, found.ended, found.sure), (1000, 4000, true));
        let soon = day(&Records::default(), &[1000, 1500, 9000]).unwrap();
        assert_eq!((soon.ended, soon.sure), (1500, false));
        assert_eq!(day(&Records::default(), &[]), None);
    }

    #[test]
    fn who_asks_for_packages_has_an_install_already_and_who_gives_a_moment_is_believed() {
        let asked = SystemRecords { first_asked: Some(1400), ..SystemRecords::default() };
        let records = Records { systems: vec![(System::Rpm, asked)], ..Records::default() };
        let found = day(&records, &[1000, 1300, 1400, 1500]).unwrap();
        assert_eq!((found.ended, found.sure), (1300, true));
        let records = Records { given: Some(1450), ..records };
        let found = day(&records, &[1000, 1300, 1400, 1500]).unwrap();
        assert_eq!((found.began, found.ended, found.how), (1000, 1450, InstallDayHow::ByHand));
    }

    #[test]
    fn the_installer_knows_better_and_its_last_steps_count() {
        let records = Records { installer: Some((900, 2000, Evidence::file("log"))), ..Records::default() };
        let found = day(&records, &[100, 1900, 2030, 2200, 90_000]).unwrap();
        assert_eq!((found.began, found.ended, found.how), (100, 2030, InstallDayHow::InstallerLog));
    }
}
