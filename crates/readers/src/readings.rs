//! Figures of the running system, from proc(5): memory, swap, tasks, threads, load, uptime, with their conditions.

use crate::text::{lines, text};
use std::path::Path;
use tally_core::model::{Conditions, MeasuredWhen, Medium, Method, Reading, Text};
use tally_trees::{NodeKind, Tree};

/// Reads the figures, if the tree is that of a running system; the moment is for the caller to name.
pub fn read(tree: &dyn Tree, medium: Medium, when: MeasuredWhen) -> Vec<Reading> {
    let Some(uptime) = first_number(tree, "proc/uptime") else { return Vec::new() };
    let memory = MemInfo::read(tree);
    let live = medium == Medium::Live || is_live(tree);
    #[allow(
        clippy::cast_possible_truncation,
        clippy::cast_sign_loss,
        reason = "a count of seconds since boot"
    )]
    let conditions = Conditions {
        ram_bytes: memory.get("MemTotal"),
        virtual_: is_virtual(tree),
        medium: Some(if live { "live" } else { "installed" }.into()),
        uptime_s: Some(uptime as u64),
    };
    let mut readings = Vec::new();
    let mut add = |what: &str, unit: &str, method: Method, value: Option<f64>| {
        readings.extend(value.map(|value| Reading {
            what: what.into(),
            value,
            unit: unit.into(),
            method: method.name().into(),
            when: when.name().into(),
            conditions: conditions.clone(),
            by: "kit".into(),
        }));
    };
    let difference = |total: &str, rest: &str| {
        #[allow(clippy::cast_precision_loss, reason = "memory is far below 2^53 bytes")]
        Some(memory.get(total)?.saturating_sub(memory.get(rest)?) as f64)
    };
    add("memory-used", "bytes", Method::TotalMinusAvailable, difference("MemTotal", "MemAvailable"));
    add("swap-used", "bytes", Method::TotalMinusFree, difference("SwapTotal", "SwapFree"));
    let (tasks, threads) = tasks(tree);
    add("tasks", "count", Method::Processes, tasks);
    add("threads", "count", Method::ProcessThreads, threads);
    add("load", "count", Method::LoadAverage, first_number(tree, "proc/loadavg"));
    add("boot-time", "seconds", Method::RunLevelRecord, boot_time(tree));
    add("uptime", "seconds", Method::KernelUptime, Some(uptime));
    readings
}

/// Files of `/proc` state no size: what they hold is small, and read by the tree until it ends.
fn first_number(tree: &dyn Tree, file: &str) -> Option<f64> {
    let bytes = tree.read(file).ok()?;
    text(&bytes).split_ascii_whitespace().next()?.parse().ok()
}

struct MemInfo(Vec<(Text, u64)>);

impl MemInfo {
    fn read(tree: &dyn Tree) -> Self {
        let bytes = tree.read("proc/meminfo").unwrap_or_default();
        let one = |line: &[u8]| {
            let line = text(line);
            let (name, rest) = line.split_once(':')?;
            let kib: u64 = rest.split_ascii_whitespace().next()?.parse().ok()?;
            Some((name.into(), kib.checked_mul(1024)?))
        };
        Self(lines(&bytes).filter_map(|(_, line)| one(line)).collect())
    }

    fn get(&self, name: &str) -> Option<u64> {
        self.0.iter().find(|(known, _)| known == name).map(|(_, bytes)| *bytes)
    }
}

/// Tasks and threads; a task that ended while we looked counts for neither.
fn tasks(tree: &dyn Tree) -> (Option<f64>, Option<f64>) {
    let numbered = |entry: &tally_trees::Entry| {
        entry.kind == NodeKind::Folder
            && entry.name.to_str().is_some_and(|n| n.bytes().all(|b| b.is_ascii_digit()))
    };
    let (mut tasks, mut threads) = (0_u32, 0_u32);
    // The kit notes a line for each task, without its number or name.
    for (_, line) in lines(&tree.read("proc/kit-tasks").unwrap_or_default()) {
        let own = line.strip_prefix(b"Threads:").and_then(|own| text(own).parse::<u32>().ok());
        tasks += u32::from(own.is_some());
        threads = threads.saturating_add(own.unwrap_or(0));
    }
    for entry in tree.names("proc").iter().filter(|entry| numbered(entry)) {
        let Ok(bytes) = tree.read(Path::new("proc").join(&entry.name).join("status")) else { continue };
        let own = lines(&bytes).find_map(|(_, line)| line.strip_prefix(b"Threads:").map(text));
        tasks += 1;
        threads += own.and_then(|own| own.parse::<u32>().ok()).unwrap_or(1);
    }
    let known = |count: u32| (count > 0).then(|| f64::from(count));
    (known(tasks), known(threads))
}

/// Seconds from the start of the machine until it was up: two records of utmp(5), where the system keeps one.
fn boot_time(tree: &dyn Tree) -> Option<f64> {
    /// Bytes of a record, and where in it the seconds are.
    const RECORD: usize = 384;
    const SECONDS: std::ops::Range<usize> = 340..344;
    const RUN_LEVEL: i16 = 1;
    const BOOT: i16 = 2;
    let bytes = tree.read("run/utmp").ok()?;
    let moment = |sort: i16| {
        let record =
            bytes.chunks_exact(RECORD).find(|record| i16::from_le_bytes([record[0], record[1]]) == sort)?;
        Some(i32::from_le_bytes(record[SECONDS].try_into().ok()?))
    };
    let seconds = i64::from(moment(RUN_LEVEL)?) - i64::from(moment(BOOT)?);
    // A clock that was set meanwhile makes nonsense of it.
    u16::try_from(seconds).ok().map(f64::from)
}

/// The processor says so itself when a hypervisor is below it.
fn is_virtual(tree: &dyn Tree) -> Option<bool> {
    let bytes = tree.read("proc/cpuinfo").ok()?;
    let flags = lines(&bytes).map(|(_, line)| line).find(|line| line.starts_with(b"flags"))?;
    Some(flags.split(u8::is_ascii_whitespace).any(|flag| flag == b"hypervisor"))
}

/// Live systems are told to be so on the kernel's command line.
fn is_live(tree: &dyn Tree) -> bool {
    let words = text(&tree.read("proc/cmdline").unwrap_or_default());
    let says = |word: &str| {
        matches!(word, "boot=live" | "boot=casper" | "rd.live.image") || word.starts_with("archisobasedir=")
    };
    words.split_ascii_whitespace().any(says)
}

#[cfg(test)]
mod tests {
    use super::*;
    use tally_trees::MemoryTree as Held;

    #[test]
    fn the_time_to_boot_is_between_two_records() {
        let record = |sort: i16, seconds: i32| {
            let mut record = vec![0_u8; 384];
            record[..2].copy_from_slice(&sort.to_le_bytes());
            record[340..344].copy_from_slice(&seconds.to_le_bytes());
            record
        };
        let time = |utmp: Vec<u8>| boot_time(&Held::new().file("run/utmp", utmp) as &dyn Tree);
        assert_eq!(time([record(2, 1000), record(1, 1014), record(7, 2000)].concat()), Some(14.0));
        assert_eq!(time([record(2, 1000), record(1, 900)].concat()), None, "the clock was set back");
        assert_eq!(time(record(2, 1000)), None);
        assert_eq!(time(record(2, 1000)[..100].to_vec()), None);
        assert_eq!(boot_time(&Held::new() as &dyn Tree), None);
    }

    #[test]
    fn figures_come_with_their_conditions() {
        let tree = Held::new()
            .file("proc/uptime", "140.22 200.0\n")
            .file("proc/loadavg", "0.52 0.40 0.10 1/300 999\n")
            .file(
                "proc/meminfo",
                "MemTotal:  4000 kB\nMemAvailable: 3000 kB\nnonsense\nSwapTotal: 0 kB\nSwapFree: 0 kB\n",
            )
            .file("proc/cpuinfo", "processor: 0\nflags : fpu hypervisor sse\n")
            .file("proc/cmdline", "quiet boot=live\n")
            .file("proc/1/status", "Name: init\nThreads:\t3\n")
            .file("proc/77/status", "Name: x\n")
            .file("proc/sys/x", "");
        let readings = read(&tree as &dyn Tree, Medium::Installed, MeasuredWhen::TallyTaken);
        let said: Vec<(&str, f64)> = readings.iter().map(|r| (r.what.as_str(), r.value)).collect();
        assert_eq!(
            said,
            [
                ("memory-used", 1_024_000.0),
                ("swap-used", 0.0),
                ("tasks", 2.0),
                ("threads", 4.0),
                ("load", 0.52),
                ("uptime", 140.22)
            ]
        );
        let conditions = &readings[0].conditions;
        assert_eq!((conditions.ram_bytes, conditions.virtual_), (Some(4_096_000), Some(true)));
        assert_eq!((conditions.medium.as_deref(), conditions.uptime_s), (Some("live"), Some(140)));
    }

    #[test]
    fn an_install_that_does_not_run_has_no_figures() {
        assert!(read(&Held::new() as &dyn Tree, Medium::Installed, MeasuredWhen::TallyTaken).is_empty());
    }
}
