//! What `dpkg.log`, apt's history and the installer's `initial-status.gz` tell of the past.

use super::control::stanzas;
use crate::logs::{Clock, each_log, in_order, read_log};
use crate::text::{filled, lines, text};
use tally_core::history::{Event, Initial, Run, SystemRecords};
use tally_core::model::{Evidence, System, Text, Unread};
use tally_trees::Tree;

const INITIAL: &str = "var/log/installer/initial-status.gz";

pub(super) fn read(tree: &dyn Tree, clock: &Clock, unread: &mut Vec<Unread>) -> SystemRecords {
    let mut log = Log::default();
    each_log(tree, "var/log", "dpkg.log", unread, |_, bytes| log.dpkg(bytes, clock));
    // apt keeps its history apart: where it reaches further back, it tells of what apt did then.
    let mut apt = Log::default();
    each_log(tree, "var/log/apt", "history.log", unread, |file, bytes| apt.apt(bytes, file, clock));
    let asked = apt.asked;
    let runs = std::mem::take(&mut apt.runs);
    if let Some(since) = apt.since
        && log.since.is_none_or(|begin| since < begin)
    {
        apt.events.retain(|event| log.since.is_none_or(|begin| event.at < begin));
        apt.events.append(&mut log.events);
        log = Log { since: Some(since), events: apt.events, ..Log::default() };
    }
    let events = in_order(log.events);
    let since = log.since.map(|since| events.first().map_or(since, |event| event.at.min(since)));
    SystemRecords {
        events,
        since,
        initial: initial(tree, unread),
        first_asked: asked,
        first_seen: Vec::new(),
        runs,
    }
}

/// The status file as the installer left it.
fn initial(tree: &dyn Tree, unread: &mut Vec<Unread>) -> Option<Vec<Initial>> {
    if !tree.exists(INITIAL) {
        return None;
    }
    let bytes = read_log(tree, INITIAL, unread);
    let mut list = Vec::new();
    for stanza in stanzas(&bytes, 1) {
        let (mut name, mut arch, mut version, mut there) = (Text::default(), Text::default(), None, true);
        for field in stanza.fields() {
            let value = field.first_line();
            match field.name {
                Some(b"Package") => name = text(value),
                Some(b"Architecture") => arch = text(value),
                Some(b"Version") => version = Some(text(value)),
                Some(b"Status") => {
                    there = !value.ends_with(b"not-installed") && !value.ends_with(b"config-files");
                }
                _ => {}
            }
        }
        if there && !name.is_empty() {
            list.push(Initial { name, arch, version });
        }
    }
    (!list.is_empty()).then_some(list)
}

#[derive(Debug, Default)]
struct Log {
    since: Option<i64>,
    events: Vec<Event>,
    /// When the first run began that a person asked for.
    asked: Option<i64>,
    runs: Vec<Run>,
}

impl Log {
    /// `2026-05-04 09:46:40 upgrade inkcap:amd64 3.2.1-2 3.2.1-3`, by dpkg(1).
    fn dpkg(&mut self, bytes: &[u8], clock: &Clock) {
        for (_, line) in lines(bytes) {
            let Some((moment, rest)) = line.split_at_checked(19) else { continue };
            if self.since.is_none() {
                self.since = clock.seconds(moment);
            }
            let mut words = rest.split(|byte| *byte == b' ').filter(|word| !word.is_empty());
            let Some(action @ (b"install" | b"upgrade" | b"remove")) = words.next() else { continue };
            let (Some(package), Some(old), Some(new)) = (words.next(), words.next(), words.next()) else {
                continue;
            };
            let Some(at) = clock.seconds(moment) else { continue };
            let version = |word: &[u8]| (word != b"<none>").then(|| text(word));
            let (before, after) = match action {
                // What is named as old here is what the configuration that was left is of.
                b"install" => (None, version(new)),
                b"upgrade" => (version(old), version(new)),
                _ => (version(old), None),
            };
            self.add(at, package, before, after);
        }
    }

    /// Paragraphs of `Start-Date`, `Install`, `Upgrade`, `Downgrade`, `Remove`, `Purge`.
    fn apt(&mut self, bytes: &[u8], file: &str, clock: &Clock) {
        let mut at = None;
        for (number, line) in lines(bytes) {
            let Some(colon) = memchr::memchr(b':', line) else { continue };
            let (key, value) = (&line[..colon], line[colon + 1..].trim_ascii());
            if key == b"Start-Date" {
                at = clock.seconds(value);
                self.since = self.since.or(at);
                let evidence = Evidence::line(file, number);
                self.runs.extend(at.map(|began| Run { began, command: None, came: Vec::new(), evidence }));
            }
            let Some(at) = at else { continue };
            if key == b"Commandline"
                && let Some(run) = self.runs.last_mut()
            {
                run.command = filled(text(value));
            }
            if key == b"Requested-By" {
                self.asked = self.asked.or(Some(at));
            }
            if !matches!(key, b"Install" | b"Upgrade" | b"Downgrade" | b"Remove" | b"Purge") {
                continue;
            }
            // `name:arch (versions), name:arch (versions)`: commas stand between versions, too.
            let mut rest = value;
            while let Some(open) = memchr::memchr(b'(', rest) {
                let close = memchr::memchr(b')', rest).unwrap_or(rest.len()).max(open + 1);
                let package =
                    rest[..open].trim_ascii_start().strip_prefix(b",").unwrap_or(&rest[..open]).trim_ascii();
                let versions: Vec<Text> = rest[open + 1..close]
                    .split(|byte| *byte == b',')
                    .map(text)
                    .filter(|word| !word.is_empty() && word != "automatic")
                    .collect();
                match (key, &versions[..]) {
                    (b"Install", [new]) => {
                        self.add(at, package, None, Some(new.clone()));
                        if let (Some(run), Some(event)) = (self.runs.last_mut(), self.events.last()) {
                            run.came.push(event.name.clone());
                        }
                    }
                    (b"Upgrade" | b"Downgrade", [old, new]) => {
                        self.add(at, package, Some(old.clone()), Some(new.clone()));
                    }
                    (b"Remove" | b"Purge", [old]) => self.add(at, package, Some(old.clone()), None),
                    _ => {}
                }
                rest = rest.get(close + 1..).unwrap_or_default();
            }
        }
    }

    fn add(&mut self, at: i64, package: &[u8], before: Option<Text>, after: Option<Text>) {
        let cut = memchr::memchr(b':', package).unwrap_or(package.len());
        let (name, arch) = (text(&package[..cut]), text(package.get(cut + 1..).unwrap_or_default()));
        self.events.push(Event { at, system: System::Dpkg, name, arch, before, after });
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use tally_trees::MemoryTree;

    fn told(records: &SystemRecords) -> Vec<String> {
        let said = |version: &Option<Text>| version.clone().unwrap_or_else(|| "-".into());
        let line = |event: &Event| {
            format!(
                "{} {}:{} {} {}",
                event.at,
                event.name,
                event.arch,
                said(&event.before),
                said(&event.after)
            )
        };
        records.events.iter().map(line).collect()
    }

    #[test]
    fn a_log_and_its_rotations_are_one_and_purges_tell_nothing_new() {
        let tree = MemoryTree::new()
            .file("var/log/dpkg.log.1", "2026-05-04 09:46:40 startup archives unpack\n2026-05-04 09:46:41 install inkcap:amd64 <none> 3.2-1\n2026-05-04 09:46:42 status installed inkcap:amd64 3.2-1\n")
            .file("var/log/dpkg.log", "2026-06-01 10:00:00 upgrade inkcap:amd64 3.2-1 3.3-1\n2026-06-01 10:00:01 remove old:all 1 <none>\n2026-06-01 10:00:02 purge old:all 1 <none>\n2026-06-01 10:00:03 install back:amd64 1 2\n");
        let mut unread = Vec::new();
        let records = read(&tree, &Clock::utc(), &mut unread);
        assert_eq!(
            told(&records),
            [
                "1777888001 inkcap:amd64 - 3.2-1",
                "1780308000 inkcap:amd64 3.2-1 3.3-1",
                "1780308001 old:all 1 -",
                "1780308003 back:amd64 - 2",
            ]
        );
        assert_eq!((records.since, unread), (Some(1_777_888_000), vec![]));
    }

    #[test]
    fn the_history_of_apt_fills_in_what_was_rotated_away() {
        let tree = MemoryTree::new()
            .file("var/log/apt/history.log", "\nStart-Date: 2026-05-04  09:46:40\nCommandline: apt install inkcap\nRequested-By: reviewer (1000)\nInstall: inkcap:amd64 (3.2-1), libweir2:amd64 (2.1-1, automatic)\nUpgrade: base:all (1, 2)\nPurge: gone:amd64 (4), left:amd64 ()\nEnd-Date: 2026-05-04  09:46:50\n")
            .file("var/log/dpkg.log", "2026-06-01 10:00:00 upgrade inkcap:amd64 3.2-1 3.3-1\n");
        let records = read(&tree, &Clock::utc(), &mut Vec::new());
        assert_eq!(records.first_asked, Some(1_777_888_000));
        assert_eq!(
            told(&records),
            [
                "1777888000 inkcap:amd64 - 3.2-1",
                "1777888000 libweir2:amd64 - 2.1-1",
                "1777888000 base:all 1 2",
                "1777888000 gone:amd64 4 -",
                "1780308000 inkcap:amd64 3.2-1 3.3-1",
            ]
        );
    }

    #[test]
    fn lines_that_are_none_are_passed_over() {
        let tree = MemoryTree::new()
            .file("var/log/dpkg.log", "\n2026-05-04\nupgrade\n2026-05-04 09:46:40 upgrade inkcap\n2026-99-04 09:46:41 install a:b <none> 1\n\u{0}\u{1}")
            .file("var/log/apt/history.log", "Install: x (1\nStart-Date: never\nStart-Date: 2026-05-04  09:46:30\nInstall: x (1\n");
        let records = read(&tree, &Clock::utc(), &mut Vec::new());
        assert_eq!(told(&records), ["1777887990 x: - 1"]);
    }
}
