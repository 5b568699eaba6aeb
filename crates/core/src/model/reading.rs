use super::{Text, Word};
use crate::vocabulary;
use schemars::JsonSchema;
use serde::{Deserialize, Deserializer, Serialize};

/// The conditions that a reading was taken under; two readings compare only when these match.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default)]
pub struct Conditions {
    /// Memory of the machine, bytes.
    pub ram_bytes: Option<u64>,
    /// Whether the machine is virtual.
    #[serde(rename = "virtual")]
    pub virtual_: Option<bool>,
    /// `installed` or `live`.
    pub medium: Option<Text>,
    /// Seconds since boot.
    pub uptime_s: Option<u64>,
}

vocabulary! {
    /// How the program itself computes a figure.
    pub enum Method {
        /// All memory but what is available.
        TotalMinusAvailable = "total-minus-available" was "MemTotal - MemAvailable",
        /// All swap but what is free.
        TotalMinusFree = "total-minus-free" was "SwapTotal - SwapFree",
        /// Processes that the kernel lists.
        Processes = "processes" was "numbered folders of /proc",
        /// Threads of all processes.
        ProcessThreads = "process-threads" was "Threads of each task's status",
        /// The load average of one minute.
        LoadAverage = "load-average" was "first figure of /proc/loadavg",
        /// From the start of the kernel to the run level, by the records of logins.
        RunLevelRecord = "run-level-record" was "from boot to run level, by utmp",
        /// The kernel's own count.
        KernelUptime = "kernel-uptime" was "first figure of /proc/uptime",
        /// Blocks of the root file system that are not free.
        UsedBlocks = "used-blocks" was "blocks of the root file system that are not free",
        /// A person read it off something.
        ByHand = "by-hand" was "read by hand",
    }
}

vocabulary! {
    /// When the program itself measures.
    pub enum MeasuredWhen {
        /// While the tally was taken.
        TallyTaken = "tally-taken" was "when the tally was taken",
        /// While the kit ran.
        KitRun = "kit-run" was "when the kit was run",
    }
}

/// A name of a vocabulary by its current spelling, whatever schema it is from; other words as they are.
fn current<'de, T: Word, D: Deserializer<'de>>(from: D) -> Result<Text, D::Error> {
    let words = Text::deserialize(from)?;
    let known = T::ALL.iter().find(|word| word.old_name() == Some(words.as_str()));
    Ok(known.map_or(words, |word| word.name().into()))
}

/// A figure measured on the running install.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Reading {
    /// What was measured: `memory-used`, `tasks`.
    pub what: Text,
    /// The figure.
    pub value: f64,
    /// Its unit: `bytes`, `count`, `seconds`.
    pub unit: Text,
    /// How it was computed: a name of [`Method`], or the reviewer's own words.
    #[serde(deserialize_with = "current::<Method, _>")]
    pub method: Text,
    /// In which moment: a name of [`MeasuredWhen`], or the reviewer's own words (`idle after boot`).
    #[serde(default, deserialize_with = "current::<MeasuredWhen, _>")]
    pub when: Text,
    /// Under which conditions.
    #[serde(default)]
    pub conditions: Conditions,
    /// `kit` or `hand`.
    #[serde(default)]
    pub by: Text,
}

/// A thing that is measured: what it is called in a tally, what a person types, and its unit.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Measure {
    /// As readings name it.
    pub what: &'static str,
    /// As it may be typed.
    pub short: &'static str,
    /// `bytes`, `count` or `seconds`.
    pub unit: &'static str,
}

/// Everything that can be measured, in the order that it is shown in.
pub const MEASURES: &[Measure] = &[
    Measure { what: "memory-used", short: "memory", unit: "bytes" },
    Measure { what: "swap-used", short: "swap", unit: "bytes" },
    Measure { what: "disk-used", short: "disk", unit: "bytes" },
    Measure { what: "tasks", short: "tasks", unit: "count" },
    Measure { what: "threads", short: "threads", unit: "count" },
    Measure { what: "load", short: "load", unit: "count" },
    Measure { what: "boot-time", short: "boot", unit: "seconds" },
    Measure { what: "uptime", short: "uptime", unit: "seconds" },
];

impl Measure {
    /// The measure of a name, long or short.
    pub fn named(name: &str) -> Option<&'static Self> {
        MEASURES.iter().find(|measure| measure.what == name || measure.short == name)
    }
}

vocabulary! {
    /// Why two readings can't be compared.
    pub enum NotComparable {
        /// They have different units.
        Unit = "unit",
        /// They were measured with different methods.
        Method = "method",
        /// They were measured at different moments.
        Moment = "moment",
        /// One was measured in a live session.
        LiveSession = "live-session",
        /// The machines have different amounts of memory.
        Memory = "memory",
        /// One machine is virtual.
        VirtualMachine = "virtual-machine",
    }
}

impl Reading {
    /// Whether two readings measure alike, so that their difference means something; else why not.
    ///
    /// # Errors
    /// The first thing that differs: unit, method, moment, medium, memory, or the kind of machine.
    pub fn comparable(&self, other: &Self) -> Result<(), NotComparable> {
        let (a, b) = (&self.conditions, &other.conditions);
        if self.unit != other.unit {
            return Err(NotComparable::Unit);
        }
        if self.method != other.method {
            return Err(NotComparable::Method);
        }
        if self.when != other.when {
            return Err(NotComparable::Moment);
        }
        if a.medium != b.medium {
            return Err(NotComparable::LiveSession);
        }
        if a.ram_bytes.zip(b.ram_bytes).is_some_and(|(a, b)| a.abs_diff(b) > a / 20) {
            return Err(NotComparable::Memory);
        }
        if a.virtual_.is_some() && b.virtual_.is_some() && a.virtual_ != b.virtual_ {
            return Err(NotComparable::VirtualMachine);
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn how_and_when_schema_1_measured_are_names_now_and_a_persons_words_stay() {
        let read = |method: &str, when: &str| -> Reading {
            let json = serde_json::json!({"what": "memory-used", "value": 1.0, "unit": "bytes", "method": method, "when": when});
            serde_json::from_value(json).unwrap()
        };
        let (old, new) = (
            read("MemTotal - MemAvailable", "when the kit was run"),
            read("total-minus-available", "kit-run"),
        );
        assert_eq!((&old, old.comparable(&new)), (&new, Ok(())));
        assert_eq!(Method::from_name(&new.method), Some(Method::TotalMinusAvailable));
        let own = read("system monitor", "idle after boot");
        assert_eq!((own.method.as_str(), own.when.as_str()), ("system monitor", "idle after boot"));
        assert_eq!(own.comparable(&new), Err(NotComparable::Method));
    }
}
