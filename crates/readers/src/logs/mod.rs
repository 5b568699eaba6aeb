//! Logs: rotated and compressed files, local times, what they say of packages.

mod clock;

pub use clock::Clock;

use crate::text::name_text;
use rustc_hash::FxHashMap;
use tally_core::history::{Event, SystemRecords};
use tally_core::model::{System, Text, Unread};
use tally_trees::{LIMITS, Tree};

/// Reads the files of a log that is rotated, the oldest first; together they hold no more than one may. What is beyond that is told.
pub(crate) fn each_log(
    tree: &dyn Tree,
    folder: &str,
    name: &str,
    unread: &mut Vec<Unread>,
    mut visit: impl FnMut(&str, &[u8]),
) {
    let mut left = LOG_LIMIT;
    let mut files = rotated(tree, folder, name).into_iter();
    while left > 0
        && let Some(file) = files.next()
    {
        let (bytes, work) = read_within(tree, &file, left, unread);
        left = left.saturating_sub(work);
        visit(&file, &bytes);
    }
    let more = files.count();
    if more > 0 {
        unread.push(Unread::whole(
            format!("{folder}/{name}"),
            format!("its {more} latest files: logs before them fill {LOG_LIMIT} bytes"),
        ));
    }
}

/// The files of a log that is rotated, the oldest first: `x.log.12.gz`, ..., `x.log.1`, `x.log`.
fn rotated(tree: &dyn Tree, folder: &str, name: &str) -> Vec<String> {
    let mut files: Vec<(u32, Text)> = Vec::new();
    for entry in tree.names(folder) {
        let file = name_text(&entry.name);
        let Some(rest) = file.strip_prefix(name) else { continue };
        let number = rest.strip_prefix('.').map(|rest| rest.split('.').next().unwrap_or_default());
        match (rest, number.and_then(|number| number.parse().ok())) {
            ("", _) => files.push((0, file)),
            (_, Some(number)) => files.push((number, file)),
            // `x.log-20260504.gz`: the date says which is older.
            _ => {
                let digits: String = rest
                    .strip_prefix('-')
                    .unwrap_or_default()
                    .chars()
                    .take_while(char::is_ascii_digit)
                    .collect();
                if let Ok(date) = digits.parse::<u32>() {
                    files.push((u32::MAX - date, file));
                }
            }
        }
    }
    files.sort_by(|a, b| b.cmp(a));
    files.into_iter().map(|(_, file)| format!("{folder}/{file}")).collect()
}

/// Bytes that a log may hold when unpacked, all its files together: 256 MiB.
const LOG_LIMIT: u64 = 256 << 20;

/// Reads a log, unpacked where it is packed.
pub(crate) fn read_log(tree: &dyn Tree, file: &str, unread: &mut Vec<Unread>) -> Vec<u8> {
    read_within(tree, file, LOG_LIMIT, unread).0
}

/// A log of so many bytes at most, and how many were unpacked for it: of one that can't be read, as many as it may have been.
fn read_within(tree: &dyn Tree, file: &str, limit: u64, unread: &mut Vec<Unread>) -> (Vec<u8>, u64) {
    let bytes = match tree.read(file) {
        Ok(bytes) => bytes,
        Err(error) if error.is_missing() => return (Vec::new(), 0),
        Err(error) => {
            unread.push(Unread::whole(file, error.why.to_string()));
            return (Vec::new(), 0);
        }
    };
    let most = (bytes.len() as u64).saturating_mul(LIMITS.unpacked_ratio).min(limit);
    match tally_trees::unpack_file(bytes, limit) {
        Ok(log) => {
            let work = log.len() as u64;
            (log, work)
        }
        Err(error) => {
            unread.push(Unread::whole(file, error.to_string()));
            (Vec::new(), most)
        }
    }
}

/// Puts events in order: in a log, what is before happened before, whatever the clock said.
pub(crate) fn in_order(mut events: Vec<Event>) -> Vec<Event> {
    let mut next = i64::MAX;
    for event in events.iter_mut().rev() {
        next = next.min(event.at);
        event.at = next;
    }
    events
}

/// Versions as a log without "before" tells them: what was there of a name is what came last.
#[derive(Debug)]
pub(crate) struct Versions {
    system: System,
    there: FxHashMap<(Text, Text), Text>,
    pub(crate) events: Vec<Event>,
}

impl Versions {
    pub(crate) fn of(system: System) -> Self {
        Self { system, there: FxHashMap::default(), events: Vec::new() }
    }

    /// A version came, in the place of the one before.
    pub(crate) fn came(&mut self, at: i64, name: Text, arch: Text, version: Text) {
        let before = self.there.insert((name.clone(), arch.clone()), version.clone());
        self.events.push(Event { at, system: self.system, name, arch, before, after: Some(version) });
    }

    /// A version went.
    pub(crate) fn went(&mut self, at: i64, name: Text, arch: Text, version: Text) {
        let key = (name, arch);
        if self.there.get(&key) == Some(&version) {
            self.there.remove(&key);
        }
        let (name, arch) = key;
        self.events.push(Event { at, system: self.system, name, arch, before: Some(version), after: None });
    }

    /// All events as the records of a system, which tell since the first of them.
    pub(crate) fn done(self) -> SystemRecords {
        let events = in_order(self.events);
        SystemRecords { since: events.first().map(|event| event.at), events, ..SystemRecords::default() }
    }
}
