//! `var/log/pacman.log`: what `[ALPM]` lines tell.

use crate::logs::{Clock, in_order, read_log};
use crate::text::{filled, lines, text};
use tally_core::history::{Event, Run, SystemRecords};
use tally_core::model::{Evidence, System, Text, Unread};
use tally_trees::Tree;

const LOG: &str = "var/log/pacman.log";

/// `[2026-05-04T09:46:40+0000] [ALPM] upgraded inkcap (3.2.1-2 -> 3.2.1-3)`; long ago times had no seconds and no zone.
pub(super) fn read(tree: &dyn Tree, clock: &Clock, unread: &mut Vec<Unread>) -> SystemRecords {
    let bytes = read_log(tree, LOG, unread);
    let (mut events, mut since, mut runs) = (Vec::new(), None, Vec::<Run>::new());
    for (number, line) in lines(&bytes) {
        let Some((moment, rest)) = line.strip_prefix(b"[").and_then(|line| split(line, b"] ")) else {
            continue;
        };
        if let Some(command) = rest.strip_prefix(b"[PACMAN] Running '") {
            let (command, evidence) =
                (command.strip_suffix(b"'").unwrap_or(command), Evidence::line(LOG, number));
            let run = |began| Run { began, command: filled(text(command)), came: Vec::new(), evidence };
            runs.extend(clock.seconds(moment).map(run));
        }
        let Some(told) = rest.strip_prefix(b"[ALPM] ") else { continue };
        if since.is_none() {
            since = clock.seconds(moment);
        }
        let mut words = told.splitn(3, |byte| *byte == b' ');
        let (Some(action), Some(name), Some(versions)) = (words.next(), words.next(), words.next()) else {
            continue;
        };
        let Some(versions) = versions.strip_prefix(b"(").and_then(|rest| rest.strip_suffix(b")")) else {
            continue;
        };
        let (before, after): (Option<Text>, Option<Text>) = match (action, split(versions, b" -> ")) {
            (b"installed", None) => (None, Some(text(versions))),
            (b"removed", None) => (Some(text(versions)), None),
            (b"upgraded" | b"downgraded", Some((old, new))) => (Some(text(old)), Some(text(new))),
            _ => continue,
        };
        let Some(at) = clock.seconds(moment) else { continue };
        if let (Some(run), None) = (runs.last_mut(), &before) {
            run.came.push(text(name));
        }
        events.push(Event {
            at,
            system: System::Pacman,
            name: text(name),
            arch: Text::default(),
            before,
            after,
        });
    }
    let events = in_order(events);
    let since = since.map(|since| events.first().map_or(since, |event| event.at.min(since)));
    SystemRecords { events, since, runs, ..SystemRecords::default() }
}

fn split<'a>(bytes: &'a [u8], mark: &[u8]) -> Option<(&'a [u8], &'a [u8])> {
    let at = memchr::memmem::find(bytes, mark)?;
    Some((&bytes[..at], &bytes[at + mark.len()..]))
}

#[cfg(test)]
mod tests {
    use super::*;
    use tally_trees::MemoryTree;

    #[test]
    fn lines_of_the_library_are_events_and_others_are_not() {
        let tree = MemoryTree::new().file(
            LOG,
            "[2026-05-04T09:46:40+0000] [PACMAN] Running 'pacman -S inkcap'\n[2026-05-04T09:46:41+0000] [ALPM] installed inkcap (1:3.2-1)\n[2026-05-04T09:46:42+0000] [ALPM-SCRIPTLET] removed cache (1)\n[2026-05-05 10:00] [ALPM] upgraded inkcap (1:3.2-1 -> 1:3.3-1)\n[2026-05-06T10:00:00+0200] [ALPM] removed marsh (2)\n[] [ALPM] installed\nodd\n[2026-05-06T10:00:00+0200] [ALPM] reinstalled marsh (2)\n",
        );
        let mut unread = Vec::new();
        let records = read(&tree, &Clock::utc(), &mut unread);
        let told: Vec<(i64, &str, Option<&str>, Option<&str>)> = records
            .events
            .iter()
            .map(|event| (event.at, event.name.as_str(), event.before.as_deref(), event.after.as_deref()))
            .collect();
        assert_eq!(
            told,
            [
                (1_777_888_001, "inkcap", None, Some("1:3.2-1")),
                (1_777_975_200, "inkcap", Some("1:3.2-1"), Some("1:3.3-1")),
                (1_778_054_400, "marsh", Some("2"), None),
            ]
        );
        assert_eq!((records.since, unread), (Some(1_777_888_001), vec![]));
    }
}
