//! When an installed system was first started, by what is written at every start.

use crate::text::name_text;
use std::path::Path;
use tally_core::model::Evidence;
use tally_trees::Tree;
use tally_trees::num;

/// The folder of the journal: a folder for each machine, in it files that begin with `system`.
const JOURNAL: &str = "var/log/journal";
/// The record of logins and starts, as utmp(5) describes it for 64-bit machines.
const WTMP: &str = "var/log/wtmp";

/// Bytes that are read of the record of logins: 16 MiB.
const WTMP_LIMIT: u64 = 16 << 20;
/// Bytes of a record in it, where its time is, and the type of a start.
const RECORD: usize = 384;
const RECORD_TIME: usize = 340;
const BOOT_TIME: u16 = 2;

/// Times before the first year are those of machines without a clock.
const CLOCK_WAS_SET: i64 = 365 * 86_400;

/// Moments of first starts in seconds since 1970 UTC, each with the file that tells.
pub(super) fn read(tree: &dyn Tree) -> Vec<(i64, Evidence)> {
    let mut found: Vec<(i64, String)> = journals(tree);
    found.extend(logins(tree).map(|at| (at, WTMP.to_owned())));
    found.retain(|(at, _)| *at > CLOCK_WAS_SET);
    found.sort();
    found.into_iter().map(|(at, file)| (at, Evidence::file(file))).collect()
}

/// The time of the first entry of each journal, as its header has it (systemd's `JOURNAL_FILE_FORMAT`: `head_entry_realtime`,
/// microseconds, little-endian).
fn journals(tree: &dyn Tree) -> Vec<(i64, String)> {
    let mut found = Vec::new();
    for machine in tree.names(JOURNAL) {
        let folder = format!("{JOURNAL}/{}", name_text(&machine.name));
        for entry in tree.names(&folder) {
            let name = name_text(&entry.name);
            if !(name.starts_with("system") && name.ends_with(".journal")) {
                continue;
            }
            let file = format!("{folder}/{name}");
            let Ok(head) = tree.open(Path::new(&file)).and_then(|bytes| {
                bytes.exactly(0, 192).map_err(|error| tally_trees::TreeError::io(Path::new(&file), error))
            }) else {
                continue;
            };
            let time = num::le64(&head, 184);
            if head.starts_with(b"LPKSHHRH") && time > 0 {
                // The folder is called by the machine's id, and the file by more of that sort.
                found.push((i64::try_from(time / 1_000_000).unwrap_or(0), JOURNAL.to_owned()));
            }
        }
    }
    found
}

/// The first start that the record of logins tells of.
fn logins(tree: &dyn Tree) -> Option<i64> {
    let mut bytes = Vec::new();
    tree.read_into(Path::new(WTMP), WTMP_LIMIT, &mut bytes).ok()?;
    bytes.chunks_exact(RECORD).find_map(|record| {
        (num::le16(record, 0) == BOOT_TIME).then_some(i64::from(num::le32(record, RECORD_TIME)))
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use tally_trees::MemoryTree;

    fn journal(microseconds: u64) -> Vec<u8> {
        let mut head = b"LPKSHHRH".to_vec();
        head.resize(184, 0);
        head.extend(microseconds.to_le_bytes());
        head.resize(256, 0);
        head
    }

    fn login(kind: u16, at: u32) -> Vec<u8> {
        let mut record = kind.to_le_bytes().to_vec();
        record.resize(RECORD_TIME, 0);
        record.extend(at.to_le_bytes());
        record.resize(RECORD, 0);
        record
    }

    #[test]
    fn journals_and_the_record_of_logins_tell_of_the_first_start() {
        let tree = MemoryTree::new()
            .file("var/log/journal/abc/system.journal", journal(1_777_900_000_000_000))
            .file("var/log/journal/abc/system@1.journal", journal(1_777_890_000_999_999))
            .file("var/log/journal/abc/user-1000.journal", journal(1_000_000))
            .file("var/log/journal/abc/system@2.journal", journal(0))
            .file("var/log/journal/abc/system@3.journal", "cut off")
            .file(
                "var/log/wtmp",
                [login(7, 1_777_880_000), login(2, 1_777_895_000), login(2, 1_777_999_000)].concat(),
            );
        let told: Vec<(i64, String)> =
            read(&tree).into_iter().map(|(at, evidence)| (at, evidence.file.to_string())).collect();
        assert_eq!(
            told,
            [
                (1_777_890_000, JOURNAL.to_owned()),
                (1_777_895_000, "var/log/wtmp".to_owned()),
                (1_777_900_000, JOURNAL.to_owned()),
            ]
        );
        assert_eq!(read(&MemoryTree::new()), []);
    }
}
