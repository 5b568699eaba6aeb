//! What the resolvers above rpm recorded of their transactions: dnf, dnf5, zypp.

use crate::database::{Database, DatabaseError};
use crate::logs::{Clock, Versions, in_order, read_log};
use crate::text::{lines, text};
use std::collections::BTreeMap;
use tally_core::history::{Event, SystemRecords};
use tally_core::model::{System, Text, Unread};
use tally_trees::Tree;

const DNF: &[&str] = &["var/lib/dnf/history.sqlite", "usr/lib/sysimage/dnf/history.sqlite"];
const DNF5: &[&str] =
    &["usr/lib/sysimage/libdnf5/transaction_history.sqlite", "var/lib/dnf/transaction_history.sqlite"];
const ZYPP: &str = "var/log/zypp/history";

/// Of several histories the one that tells more.
pub(super) fn read(tree: &dyn Tree, clock: &Clock, unread: &mut Vec<Unread>) -> SystemRecords {
    let mut all = vec![zypp(&read_log(tree, ZYPP, unread), clock)];
    let databases = [(DNF, DNF_SQL), (DNF5, DNF5_SQL)];
    for (paths, sql) in databases {
        for path in paths.iter().filter(|path| tree.exists(path)) {
            match transactions(tree, path, sql) {
                Ok(records) => all.push(records),
                Err(error) => unread.push(Unread::whole(*path, error.to_string())),
            }
        }
    }
    all.into_iter().max_by_key(|records| records.events.len()).unwrap_or_default()
}

/// Time, name, architecture, epoch, version, release, and what was done: 1 came, -1 went.
const DNF_SQL: &str = "SELECT t.dt_begin, r.name, r.arch, r.epoch, r.version, r.release, \
    CASE WHEN i.action IN (1, 2, 4, 6, 9) THEN 1 WHEN i.action IN (3, 5, 7, 8, 10) THEN -1 ELSE 0 END, t.id \
    FROM trans_item i JOIN rpm r ON r.item_id = i.item_id JOIN trans t ON t.id = i.trans_id ORDER BY t.id, i.id";
const DNF5_SQL: &str = "SELECT t.dt_begin, n.name, a.name, r.epoch, r.version, r.release, \
    CASE WHEN w.name IN ('Install', 'Upgrade', 'Downgrade', 'Reinstall') THEN 1 \
    WHEN w.name IN ('Remove', 'Replaced') THEN -1 ELSE 0 END, t.id \
    FROM trans_item i JOIN rpm r ON r.item_id = i.item_id JOIN trans t ON t.id = i.trans_id \
    JOIN pkg_name n ON n.id = r.name_id JOIN arch a ON a.id = r.arch_id \
    JOIN trans_item_action w ON w.id = i.action_id ORDER BY t.id, i.id";

/// Versions that came and went, by name and architecture.
type Moves = BTreeMap<(Text, Text), (Vec<Text>, Vec<Text>)>;

fn transactions(tree: &dyn Tree, path: &str, sql: &str) -> Result<SystemRecords, DatabaseError> {
    let database = Database::open(tree, path)?;
    let mut events = Vec::new();
    let mut current: Option<(i64, i64, Moves)> = None;
    database.each(sql, |row| {
        let (at, transaction): (i64, i64) = (row.get(0)?, row.get(7)?);
        if current.as_ref().is_none_or(|(id, ..)| *id != transaction)
            && let Some((_, at, moves)) = current.replace((transaction, at, Moves::new()))
        {
            close(at, moves, &mut events);
        }
        let get = |at: usize| {
            row.get_ref(at).ok().and_then(|value| value.as_bytes().ok()).map(text).unwrap_or_default()
        };
        let epoch = row.get::<_, i64>(3).unwrap_or(0);
        let version = match epoch {
            0 => format!("{}-{}", get(4), get(5)),
            epoch => format!("{epoch}:{}-{}", get(4), get(5)),
        };
        if let Some((_, _, moves)) = &mut current {
            let (went, came) = moves.entry((get(1), get(2))).or_default();
            match row.get::<_, i64>(6)? {
                1 => came.push(version.into()),
                -1 => went.push(version.into()),
                _ => {}
            }
        }
        Ok(())
    })?;
    if let Some((_, at, moves)) = current {
        close(at, moves, &mut events);
    }
    let events = in_order(events);
    Ok(SystemRecords { since: events.first().map(|event| event.at), events, ..SystemRecords::default() })
}

/// What a transaction did to each package: a version that went and one that came are one change.
fn close(at: i64, moves: Moves, events: &mut Vec<Event>) {
    for ((name, arch), (went, came)) in moves {
        let (mut went, mut came) = (went.into_iter(), came.into_iter());
        loop {
            let (before, after) = (went.next(), came.next());
            if before.is_none() && after.is_none() {
                break;
            }
            events.push(Event {
                at,
                system: System::Rpm,
                name: name.clone(),
                arch: arch.clone(),
                before,
                after,
            });
        }
    }
}

/// `2026-05-04 09:46:40|install|inkcap|3.2-1|x86_64|...` and `...|remove |inkcap|3.2-1|x86_64|...`.
fn zypp(bytes: &[u8], clock: &Clock) -> SystemRecords {
    let mut versions = Versions::of(System::Rpm);
    for (_, line) in lines(bytes).filter(|(_, line)| !line.starts_with(b"#")) {
        let fields: Vec<&[u8]> = line.split(|byte| *byte == b'|').map(<[u8]>::trim_ascii).collect();
        let [moment, action, name, version, arch, ..] = fields[..] else { continue };
        let Some(at) = clock.seconds(moment) else { continue };
        match action {
            b"install" => versions.came(at, text(name), text(arch), text(version)),
            b"remove" => versions.went(at, text(name), text(arch), text(version)),
            _ => {}
        }
    }
    versions.done()
}

#[cfg(test)]
mod tests {
    use super::*;

    type Told = (i64, Text, Option<Text>, Option<Text>);

    fn told(records: &SystemRecords) -> Vec<Told> {
        let one = |e: &Event| (e.at, e.name.clone(), e.before.clone(), e.after.clone());
        records.events.iter().map(one).collect()
    }

    fn event(at: i64, name: &str, before: Option<&str>, after: Option<&str>) -> Told {
        (at, name.into(), before.map(Text::from), after.map(Text::from))
    }

    #[test]
    fn zypp_tells_what_came_and_what_was_there_follows() {
        let log = b"# made by libzypp\n2026-05-04 09:46:40|command|root@here|'zypper' 'in'|\n2026-05-04 09:46:40|install|inkcap|3.2-1|x86_64|root@here|marsh|abc|\n2026-05-05 09:46:40|install|inkcap|3.3-1|x86_64||marsh|abc|\n2026-05-06 09:46:40|remove |inkcap|3.3-1|x86_64|root@here|\n";
        assert_eq!(
            told(&zypp(log, &Clock::utc())),
            [
                event(1_777_888_000, "inkcap", None, Some("3.2-1")),
                event(1_777_974_400, "inkcap", Some("3.2-1"), Some("3.3-1")),
                event(1_778_060_800, "inkcap", Some("3.3-1"), None),
            ]
        );
    }

    fn database(sql: &str) -> Vec<u8> {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("history.sqlite");
        let connection = rusqlite::Connection::open(&path).unwrap();
        connection.execute_batch(sql).unwrap();
        drop(connection);
        std::fs::read(path).unwrap()
    }

    const EXPECTED: [(i64, &str, Option<&str>, Option<&str>); 3] = [
        (100, "inkcap", None, Some("1:3.2-1")),
        (200, "inkcap", Some("1:3.2-1"), Some("1:3.3-1")),
        (200, "marsh", Some("2-1"), None),
    ];

    #[test]
    fn a_transaction_joins_what_went_with_what_came() {
        let dnf = database(
            "CREATE TABLE trans(id INTEGER, dt_begin INTEGER);
             CREATE TABLE rpm(item_id INTEGER, name TEXT, epoch INTEGER, version TEXT, release TEXT, arch TEXT);
             CREATE TABLE trans_item(id INTEGER, trans_id INTEGER, item_id INTEGER, action INTEGER);
             INSERT INTO trans VALUES (1, 100), (2, 200);
             INSERT INTO rpm VALUES (1, 'inkcap', 1, '3.2', '1', 'x86_64'), (2, 'inkcap', 1, '3.3', '1', 'x86_64'), (3, 'marsh', 0, '2', '1', 'noarch');
             INSERT INTO trans_item VALUES (1, 1, 1, 1), (2, 2, 2, 6), (3, 2, 1, 7), (4, 2, 3, 8), (5, 2, 2, 11);",
        );
        let dnf5 = database(
            "CREATE TABLE trans(id INTEGER, dt_begin INTEGER);
             CREATE TABLE pkg_name(id INTEGER, name TEXT); CREATE TABLE arch(id INTEGER, name TEXT);
             CREATE TABLE trans_item_action(id INTEGER, name TEXT);
             CREATE TABLE rpm(item_id INTEGER, name_id INTEGER, epoch INTEGER, version TEXT, release TEXT, arch_id INTEGER);
             CREATE TABLE trans_item(id INTEGER, trans_id INTEGER, item_id INTEGER, action_id INTEGER);
             INSERT INTO trans VALUES (1, 100), (2, 200);
             INSERT INTO pkg_name VALUES (1, 'inkcap'), (2, 'marsh'); INSERT INTO arch VALUES (1, 'x86_64');
             INSERT INTO trans_item_action VALUES (1, 'Install'), (2, 'Upgrade'), (5, 'Remove'), (6, 'Replaced'), (7, 'Reason Change');
             INSERT INTO rpm VALUES (1, 1, 1, '3.2', '1', 1), (2, 1, 1, '3.3', '1', 1), (3, 2, 0, '2', '1', 1);
             INSERT INTO trans_item VALUES (1, 1, 1, 1), (2, 2, 2, 2), (3, 2, 1, 6), (4, 2, 3, 5), (5, 2, 2, 7);",
        );
        for (path, bytes) in [(DNF[0], dnf), (DNF5[0], dnf5)] {
            let tree = tally_trees::MemoryTree::new().file(path, bytes);
            let mut unread = Vec::new();
            let records = read(&tree, &Clock::utc(), &mut unread);
            assert_eq!(unread, []);
            assert_eq!(
                told(&records),
                EXPECTED.map(|(at, name, old, new)| event(at, name, old, new)),
                "{path}"
            );
        }
    }
}
