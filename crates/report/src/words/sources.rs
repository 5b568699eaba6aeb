use super::listed;
use crate::text::{count_of, thousands};
use tally_core::compare::{NotRecorded, Section};
use tally_core::find::{Matched, MatchedBy};
use tally_core::model::{
    Doubt, EMBEDDED_KEY, HiddenBecause, HiddenBy, MissingFact, NotComparable, RootReason, Seen,
};

/// What of an install is shown.
pub const fn seen(seen: Seen) -> &'static str {
    match seen {
        Seen::AsFound => "as found",
        Seen::AsShipped => "as shipped",
        Seen::MostlyAsShipped => "as shipped, as far as its files tell",
        Seen::AsListed => "as listed",
    }
}

/// A fact that a source does not record.
pub const fn missing_fact(fact: MissingFact) -> &'static str {
    match fact {
        MissingFact::Reasons => "why packages are installed",
        MissingFact::Dependencies => "dependencies",
        MissingFact::Sizes => "sizes",
        MissingFact::Launchers => "menu entries",
        MissingFact::Owners => "owners of files",
        MissingFact::Programs => "whether programs are installed",
        MissingFact::Repositories => "repositories",
        MissingFact::History => "logs of the past",
        MissingFact::Settings => "settings in etc",
        MissingFact::Autostart => "what sessions start by entries in etc",
    }
}

/// What speaks against a statement about the time since installation.
pub fn doubt(doubt: &Doubt) -> String {
    match doubt {
        Doubt::InstallDayGuessed => "the install day is a guess".to_owned(),
        Doubt::NoHistory { system } => format!("{system} has neither logs nor times"),
        Doubt::LogsBeginLater { system, days } => {
            format!("the logs of {system} begin {} after the installation", count_of(u64::from(*days), "day"))
        }
        Doubt::LogsDisagree { system, times } => {
            let times = if *times == 1 { "once".to_owned() } else { format!("{times} times") };
            format!("the logs of {system} and its database disagree {times}")
        }
        Doubt::OnlyTimes { system, packages } => {
            let packages = thousands(u64::from(*packages));
            format!("of {packages} {system} packages only times are known, not the versions before")
        }
        Doubt::Legacy { legacy } => legacy.to_string(),
    }
}

/// Why two readings can't be compared.
pub const fn not_comparable(why: NotComparable) -> &'static str {
    match why {
        NotComparable::Unit => "different units",
        NotComparable::Method => "different methods",
        NotComparable::Moment => "different moments",
        NotComparable::LiveSession => "one is from a live session",
        NotComparable::Memory => "the machines have different amounts of memory",
        NotComparable::VirtualMachine => "one machine is virtual",
    }
}

/// A section that a comparison leaves out.
pub const fn section(section: Section) -> &'static str {
    match section {
        Section::Programs => "programs",
        Section::Sizes => "sizes",
        Section::Decisions => "decisions",
        Section::Repositories => "repositories",
        Section::Startup => "startup",
        Section::Looks => "looks",
        Section::Readings => "readings",
    }
}

/// What a comparison does not know; empty if it knows everything.
pub fn not_recorded(missing: &NotRecorded) -> String {
    let mut said = Vec::new();
    if !missing.sections.is_empty() {
        let names: Vec<&str> = missing.sections.iter().map(|one| section(*one)).collect();
        said.push(format!("Not recorded in one of the two sources: {}.", listed(&names, names.len())));
    }
    if !missing.menu_entries_of.is_empty() {
        let names = listed(&missing.menu_entries_of, 5);
        said.push(format!("Shipped, removed later: {names}; the menu entries are not known."));
    }
    said.join(" ")
}

/// The key that a repository is signed with.
pub fn key(signed_by: &str) -> &str {
    if signed_by == EMBEDDED_KEY { "a key in the same file" } else { signed_by }
}

/// Why a menu does not show a launcher.
pub fn hidden(because: &HiddenBecause) -> String {
    let value = because.value.as_deref().unwrap_or_default();
    match because.by {
        HiddenBy::Type => format!("Type={value}"),
        HiddenBy::Hidden => format!("Hidden={value}"),
        HiddenBy::NoDisplay => format!("NoDisplay={value}"),
        HiddenBy::OnlyShowIn => format!("OnlyShowIn={value}"),
        HiddenBy::NotShowIn => format!("NotShowIn={value}"),
        HiddenBy::TryExec => format!("TryExec={value} (not installed)"),
        HiddenBy::ReservedCategory => format!("Categories={value} (a reserved category)"),
        HiddenBy::DuplicateId => "another file with the same ID comes first".to_owned(),
        HiddenBy::Legacy => value.to_owned(),
    }
}

/// Why a search found something.
pub fn matched(matched: &Matched) -> String {
    let text = &matched.matched_text;
    match matched.matched_by {
        MatchedBy::Name => format!("name {text}"),
        MatchedBy::Id => format!("ID {text}"),
        MatchedBy::MenuEntry => format!("menu entry {text}"),
        MatchedBy::GenericName => format!("described as {text}"),
        MatchedBy::Command => format!("runs {text}"),
        MatchedBy::Summary => format!("summary \"{text}\""),
    }
}

/// Why a root of a disk was taken: behind its name and a colon.
pub const fn root_reason(reason: RootReason) -> &'static str {
    match reason {
        RootReason::Asked => "asked for",
        RootReason::Only => "the only one",
        RootReason::BootEntry => "started by the boot loader's first entry",
        RootReason::DefaultSubvolume => "the default subvolume",
        RootReason::OwnTable => "named by its own etc/fstab",
        RootReason::UsualName => "called as root subvolumes are",
    }
}
