//! One question put to one install.

use super::document::{Answer, Verdict};
use super::{Asked, Bound, Expect, LookAsked, Subject, Total};
use crate::ask::{AskFor, ask};
use crate::knowledge::matches;
use crate::model::{
    DefaultChoice, Evidence, Kind, Look, Medium, MissingFact, OddityName, Package, Part, Reading, Reason,
    Tally, Text, VersionOp, bytes_human,
};
use crate::version::compare_plain;
use std::cmp::Ordering;

/// What is found of a question that the source can't answer.
const UNTOLD: &str = "can't be told from this source";

/// What is found of a question that waits for a person.
pub const NOT_ANSWERED: &str = "not answered yet";

/// Names of a list that an answer tells, and places that it points at.
const TOLD: usize = 4;

pub(super) fn answer(asked: &Asked, tally: &Tally) -> Answer {
    let expect = &asked.expect;
    match &asked.subject {
        Subject::Anything(name) => thing(tally, name, AskFor::Anything, expect),
        Subject::Application(name) => {
            untold_without(tally, MissingFact::Launchers, || thing(tally, name, AskFor::Application, expect))
        }
        Subject::Program(name) => thing(tally, name, AskFor::Program, expect),
        Subject::Package(pattern) => packages(tally, pattern, expect),
        Subject::Role(role) => opener(tally, expect, |choice| choice.role == *role),
        Subject::Opens(asked) => opener(tally, expect, |choice| choice.asked == *asked),
        Subject::Part(part) => of_part(tally, part, expect),
        Subject::Kind(kind) => of_kind(tally, *kind, asked),
        Subject::Total(total) => of_total(tally, *total, expect),
        // A list of packages says nothing of these, and that is not that there are none.
        Subject::Repository(_) | Subject::Startup(_) | Subject::Session(_) | Subject::Look(_)
            if is_list(tally) =>
        {
            untold(UNTOLD)
        }
        Subject::Repository(pattern) => {
            let fits = |text: &str| matches(pattern, text);
            let list = tally.repositories.iter().filter(|r| r.enabled && (fits(&r.name) || fits(&r.uri)));
            list_of(&list.map(|r| (r.name.clone(), &r.evidence)).collect::<Vec<_>>(), expect)
        }
        Subject::Startup(pattern) => {
            let list = tally.startup.iter().filter(|item| item.enabled && fits_unit(pattern, &item.name));
            list_of(&list.map(|item| (item.name.clone(), &item.evidence)).collect::<Vec<_>>(), expect)
        }
        Subject::Session(pattern) => {
            let fits = |text: &str| matches(pattern, text);
            let list =
                tally.looks.sessions.iter().filter(|s| fits(&s.id) || fits(&s.name) || fits(&s.display));
            list_of(&list.map(|s| (s.name.clone(), &s.evidence)).collect::<Vec<_>>(), expect)
        }
        Subject::Look(look) => of_look(tally, *look, expect),
        Subject::Reading(what) => of_reading(tally, what, expect),
        Subject::Oddity(name) => {
            let list = tally.oddities.iter().filter(|oddity| oddity.oddity == *name);
            let list: Vec<_> = list.map(|oddity| (oddity.why.clone(), &oddity.evidence)).collect();
            if list.is_empty() && !tally.looks_for(*name) { untold(UNTOLD) } else { list_of(&list, expect) }
        }
        Subject::Person => of_person(tally, &asked.name),
    }
}

fn is_list(tally: &Tally) -> bool {
    tally.taken.medium == Medium::Listing
}

fn said(holds: bool, found: impl Into<Text>, evidence: &[&Evidence]) -> Answer {
    let verdict = if holds { Verdict::Yes } else { Verdict::No };
    let places = evidence.iter().filter(|place| !place.file.is_empty()).take(TOLD);
    Answer { verdict, found: found.into(), evidence: places.map(|place| (*place).clone()).collect() }
}

fn untold(why: &str) -> Answer {
    Answer { verdict: Verdict::Untold, found: why.into(), evidence: Vec::new() }
}

fn untold_without(tally: &Tally, fact: MissingFact, answer: impl FnOnce() -> Answer) -> Answer {
    if tally.lacks(fact) { untold(UNTOLD) } else { answer() }
}

impl<T> Bound<T> {
    fn holds(&self, order: Ordering) -> bool {
        match self.op {
            VersionOp::Less => order.is_lt(),
            VersionOp::AtMost => order.is_le(),
            VersionOp::Exactly => order.is_eq(),
            VersionOp::AtLeast => order.is_ge(),
            VersionOp::More => order.is_gt(),
        }
    }
}

/// Whether a number is within its limit; without a limit it is.
fn within(expect: &Expect, number: f64) -> bool {
    expect.number.as_ref().is_none_or(|bound| bound.holds(number.total_cmp(&bound.value)))
}

fn version_holds(expect: &Expect, version: Option<&str>) -> bool {
    match (&expect.version, version) {
        (None, _) => true,
        (Some(bound), Some(version)) => bound.holds(compare_plain(version, &bound.value)),
        (Some(_), None) => false,
    }
}

/// Something by name: there or not, at which version.
fn thing(tally: &Tally, name: &str, what: AskFor, expect: &Expect) -> Answer {
    match ask(tally, name, what) {
        // A name that is merely like the one asked for is no proof of anything.
        Some(found) if found.instead.is_none() => {
            let version = found.version.as_deref();
            let holds = !expect.absent && version_holds(expect, version);
            said(holds, joined(&found.name, version), &[&found.evidence])
        }
        // That no package is called so is not that no program is.
        _ if tally.lacks(MissingFact::Launchers) => {
            untold("no package of that name; programs can't be told from this source")
        }
        near => {
            let near = near.map(|near| format!("not there; nearest: {}", near.name));
            said(expect.absent, near.unwrap_or_else(|| "not there".into()), &[])
        }
    }
}

fn packages(tally: &Tally, pattern: &str, expect: &Expect) -> Answer {
    let found: Vec<&Package> = tally.present().filter(|package| matches(pattern, &package.name)).collect();
    let list: Vec<_> =
        found.iter().map(|p| (joined(&p.name, Some(p.version.as_str())), &p.evidence)).collect();
    let mut answer = list_of(&list, expect);
    if expect.version.is_some() {
        let holds = found.iter().any(|package| version_holds(expect, Some(&package.upstream_version)));
        answer.verdict = if holds { Verdict::Yes } else { Verdict::No };
    }
    answer
}

/// A list that has to be there, not to be there, or to be so long.
fn list_of(list: &[(Text, &Evidence)], expect: &Expect) -> Answer {
    let number = as_number(list.len() as u64);
    let holds = match &expect.number {
        Some(_) => within(expect, number),
        None => list.is_empty() == expect.absent,
    };
    let names: Vec<&str> = list.iter().take(TOLD).map(|(name, _)| name.as_str()).collect();
    let found = match list.len() {
        0 => "none".to_owned(),
        n if n > TOLD => format!("{n}: {} and {} more", names.join(", "), n - TOLD),
        1 => names[0].to_owned(),
        n => format!("{n}: {}", names.join(", ")),
    };
    let places: Vec<&Evidence> = list.iter().map(|(_, evidence)| *evidence).collect();
    said(holds, found, &places)
}

/// What opens something: the first question of a role that has an answer.
fn opener(tally: &Tally, expect: &Expect, asked: impl Fn(&DefaultChoice) -> bool) -> Answer {
    if tally.lacks(MissingFact::Launchers) {
        return untold(UNTOLD);
    }
    let choices: Vec<&DefaultChoice> = tally.defaults.iter().filter(|choice| asked(choice)).collect();
    let Some(choice) = choices.iter().find(|choice| choice.application.is_some()).or(choices.first()) else {
        return untold("this tally was taken without asking for it");
    };
    let evidence = Evidence::file(choice.how.clone());
    // What decided is either a file or a sentence.
    let place = choice.how.contains('/').then_some(&evidence);
    let Some(id) = &choice.application else {
        let several = choice.candidates.join(", ");
        let found =
            if several.is_empty() { "nothing".to_owned() } else { format!("not told among {several}") };
        if choice.is_untold() {
            return Answer { verdict: Verdict::Untold, found: choice.how.clone(), evidence: Vec::new() };
        }
        return said(expect.absent && choice.candidates.is_empty(), found, &[]);
    };
    let (name, version) = tally.holder(id);
    let holds = match &expect.is {
        Some(pattern) => [id.as_str(), name].iter().any(|text| fits(pattern, text)),
        None => !expect.absent,
    };
    let mut found = joined(name, version).to_string();
    if !choice.sure {
        found.push_str(", though no file chooses it");
    }
    said(holds, found, &place.into_iter().collect::<Vec<_>>())
}

fn of_part(tally: &Tally, part: &str, expect: &Expect) -> Answer {
    let parts: Vec<&Part> = tally.parts.iter().filter(|known| known.part == part).collect();
    if parts.is_empty() {
        return said(expect.absent, "none", &[]);
    }
    let holds = |part: &&&Part| {
        expect.is.as_ref().is_none_or(|pattern| fits(pattern, &part.name))
            && version_holds(expect, part.version.as_deref())
    };
    let told = |part: &Part| joined(&part.name, part.version.as_deref());
    match parts.iter().find(holds) {
        Some(part) if !expect.absent => said(true, told(part), &[&part.evidence]),
        _ => {
            let found: Vec<Text> = parts.iter().map(|part| told(part)).collect();
            let absent = expect.absent && expect.is.is_some() && !parts.iter().any(|part| holds(&part));
            said(absent, found.join(", "), &parts.iter().map(|part| &part.evidence).collect::<Vec<_>>())
        }
    }
}

fn of_kind(tally: &Tally, kind: Kind, asked: &Asked) -> Answer {
    // In a list many are of no known kind, and any of them may be of this one.
    if is_list(tally) && !asked.expect.bytes {
        let count = |kind| as_number(tally.present().filter(|package| package.kind == kind).count() as u64);
        let (least, most) = (count(kind), count(kind) + count(Kind::Unknown));
        if within(&asked.expect, least) != within(&asked.expect, most) {
            return untold(UNTOLD);
        }
    }
    let list: Vec<&Package> = tally.present().filter(|package| package.kind == kind).collect();
    let places: Vec<&Evidence> = list.iter().map(|package| &package.evidence).collect();
    let names: Vec<&str> = list.iter().take(TOLD).map(|package| package.name.as_str()).collect();
    let named = if list.is_empty() {
        String::new()
    } else {
        let more = if list.len() > TOLD { " ..." } else { "" };
        format!(": {}{more}", names.join(", "))
    };
    if asked.expect.bytes {
        return untold_without(tally, MissingFact::Sizes, || {
            let bytes = list.iter().filter_map(|p| p.installed_bytes).fold(0, u64::saturating_add);
            said(within(&asked.expect, as_number(bytes)), format!("{}{named}", bytes_human(bytes)), &places)
        });
    }
    said(within(&asked.expect, as_number(list.len() as u64)), format!("{}{named}", list.len()), &places)
}

fn of_total(tally: &Tally, total: Total, expect: &Expect) -> Answer {
    let counted = |number: u64| said(within(expect, as_number(number)), number.to_string(), &[]);
    let unless = |fact, number: &dyn Fn() -> u64| untold_without(tally, fact, || counted(number()));
    match total {
        Total::Packages => counted(tally.present().count() as u64),
        Total::Chosen => unless(MissingFact::Reasons, &|| {
            tally.present().filter(|package| package.reason == Reason::Chosen).count() as u64
        }),
        Total::Programs => unless(MissingFact::Launchers, &|| tally.applications.len() as u64),
        Total::Entries => unless(MissingFact::Launchers, &|| {
            tally.launchers.iter().filter(|launcher| launcher.shown).count() as u64
        }),
        Total::Oddities if OddityName::ALL.iter().any(|name| !tally.looks_for(*name)) => untold(UNTOLD),
        Total::Oddities => counted(tally.oddities.len() as u64),
        Total::Weight => untold_without(tally, MissingFact::Sizes, || {
            let bytes = tally.installed_bytes();
            said(within(expect, as_number(bytes)), bytes_human(bytes), &[])
        }),
    }
}

fn of_look(tally: &Tally, look: LookAsked, expect: &Expect) -> Answer {
    let looks = &tally.looks;
    let places: Vec<&Evidence> = looks.evidence.iter().collect();
    let set = |value: &Option<Text>| match value {
        None => said(expect.absent, "nothing sets it", &[]),
        Some(value) => {
            let last = value.rsplit('/').next().unwrap_or(value);
            let fits = |pattern: &Text| fits(pattern, value) || fits(pattern, last);
            said(expect.is.as_ref().map_or(!expect.absent, fits), value.clone(), &places)
        }
    };
    let counted = |number: u64, list: &[Look]| {
        let places: Vec<&Evidence> = list.iter().map(|look| &look.evidence).collect();
        said(within(expect, as_number(number)), number.to_string(), &places)
    };
    let pictures = || looks.wallpapers.iter().filter_map(|pack| pack.count).map(u64::from).sum();
    match look {
        LookAsked::Theme => set(&looks.default_theme),
        LookAsked::Icons => set(&looks.default_icons),
        LookAsked::Font => set(&looks.default_font),
        LookAsked::Wallpaper => set(&looks.default_wallpaper),
        LookAsked::Session => set(&looks.default_session),
        LookAsked::Themes => counted(looks.themes.len() as u64, &looks.themes),
        LookAsked::IconSets => counted(looks.icon_sets.len() as u64, &looks.icon_sets),
        LookAsked::Wallpapers => counted(pictures(), &looks.wallpapers),
        LookAsked::FontFamilies => counted(looks.fonts.len() as u64, &looks.fonts),
    }
}

/// The latest figure counts; one of a live session says nothing of the installed system.
fn of_reading(tally: &Tally, what: &str, expect: &Expect) -> Answer {
    let Some(reading) = tally.readings.iter().rev().find(|reading| reading.what == what) else {
        return Answer { verdict: Verdict::Open, found: "not measured yet".into(), evidence: Vec::new() };
    };
    if reading.conditions.medium.as_deref() == Some("live") && tally.taken.medium != Medium::Live {
        return untold(&format!("{} on a live session, which is not the install", figure(reading)));
    }
    let found = format!("{} ({})", figure(reading), reading.method);
    said(within(expect, reading.value), found, &[])
}

#[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "figures are told rounded")]
fn figure(reading: &Reading) -> String {
    match reading.unit.as_str() {
        "bytes" => bytes_human(reading.value as u64),
        "seconds" => format!("{} s", reading.value),
        _ => reading.value.to_string(),
    }
}

/// The latest note that answers the question.
fn of_person(tally: &Tally, name: &str) -> Answer {
    let Some(note) = tally.notes.iter().rev().find(|note| note.ask.as_deref() == Some(name)) else {
        return Answer { verdict: Verdict::Open, found: NOT_ANSWERED.into(), evidence: Vec::new() };
    };
    let first = note.text.split([' ', ',', ';', ':', '.']).next().unwrap_or_default().to_lowercase();
    let verdict = match first.as_str() {
        "yes" => Verdict::Yes,
        "no" => Verdict::No,
        _ => Verdict::Noted,
    };
    Answer { verdict, found: note.text.clone(), evidence: Vec::new() }
}

/// A pattern holds whatever the letters' case.
fn fits(pattern: &str, text: &str) -> bool {
    matches(&pattern.to_lowercase(), &text.to_lowercase())
}

/// A unit may be named without its ending.
fn fits_unit(pattern: &str, name: &str) -> bool {
    matches(pattern, name) || name.rsplit_once('.').is_some_and(|(stem, _)| matches(pattern, stem))
}

fn joined(name: &str, version: Option<&str>) -> Text {
    version.map_or_else(|| name.into(), |version| format!("{name} {version}").into())
}

#[allow(clippy::cast_precision_loss, reason = "counts and bytes of an install are far below 2^53")]
fn as_number(number: u64) -> f64 {
    number as f64
}
