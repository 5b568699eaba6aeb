//! What an install's files tell of its past: logs of package systems, records of installers. See `docs/formats/history.md`.

mod installer;
mod starts;

use crate::logs::Clock;
use crate::packages::PackageReader;
use tally_core::history::Records;
use tally_core::model::{Package, Unread};
use tally_trees::Tree;

/// Reads all of it.
pub(crate) fn read(
    tree: &dyn Tree,
    systems: &[&'static dyn PackageReader],
    packages: &[Package],
    given: Option<i64>,
) -> (Records, Vec<Unread>) {
    let mut records =
        Records { systems: Vec::new(), installer: installer::read(tree), starts: starts::read(tree), given };
    let mut unread = Vec::new();
    let local = Clock::of(tree);
    for system in systems {
        let mut of = system.history(tree, packages, &local, &mut unread);
        // Some installers write the logs of the day in UTC, whatever the zone.
        if let (Some((_, ended, _)), Some(since)) = (&records.installer, of.since)
            && since > *ended
        {
            let universal = system.history(tree, packages, &Clock::utc(), &mut Vec::new());
            if universal.since.is_some_and(|since| since <= *ended) {
                of = universal;
            }
        }
        records.systems.push((system.system(), of));
    }
    (records, unread)
}
