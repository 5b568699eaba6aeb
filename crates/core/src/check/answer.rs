//! One question put to one install.

use super::document::{Answer, Answered, Verdict};
use super::{Asked, Beside, Bound, Expect, LookAsked, Subject, Total};
use crate::age::median_age;
use crate::ask::{AskFor, ask};
use crate::knowledge::{matches, media};
use crate::lag::Lag;
use crate::model::{
    DecidedBy, DefaultChoice, Evidence, Finding, FindingName, Kind, Look, MediaVerdict, Medium, MissingFact,
    Package, Part, Reason, Tally, Text, VersionOp,
};
use crate::offer::Catalog;
use crate::version::compare_plain;
use std::cmp::Ordering;

/// Names of a list that an answer shows, and places that it points at.
const SHOWN: usize = 4;

pub(super) fn answer(asked: &Asked, tally: &Tally, beside: &Beside, lag: Option<&Lag>) -> Answer {
    let offers = beside.offers.as_deref().unwrap_or_default();
    let expect = &asked.expect;
    match &asked.subject {
        Subject::Anything(name) => thing(tally, name, AskFor::Anything, expect),
        Subject::Application(name) => {
            unless_lacking(tally, MissingFact::Launchers, || thing(tally, name, AskFor::Application, expect))
        }
        Subject::Program(name) => thing(tally, name, AskFor::Program, expect),
        Subject::Package(pattern) => packages(tally, pattern, expect),
        Subject::Role(role) => {
            let held = |choice: &DefaultChoice| choice.holder(&tally.defaults).is_some();
            let is_held = tally.defaults.iter().any(|choice| choice.role == *role && held(choice));
            opener(tally, expect, |choice| choice.role == *role && (!is_held || held(choice)))
        }
        Subject::Opens(asked) => opener(tally, expect, |choice| choice.asked == *asked),
        Subject::Part(part) => of_part(tally, part, expect),
        Subject::Kind(kind) => of_kind(tally, *kind, asked),
        Subject::Total(total) => of_total(tally, *total, expect),
        // A list of packages says nothing of these, and that is not that there are none.
        Subject::Repository(_)
        | Subject::Startup(_)
        | Subject::Session(_)
        | Subject::Look(_)
        | Subject::Setting(_)
            if is_list(tally) =>
        {
            not_recorded(Answered::NotRecorded)
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
        Subject::Plays(key) => plays(tally, key, expect),
        Subject::Setting(key) => of_setting(tally, key, expect),
        Subject::Reading(what) => of_reading(tally, what, expect),
        Subject::Finding(name) => {
            let list: Vec<&Finding> = tally.findings.iter().filter(|one| one.name() == *name).collect();
            if list.is_empty() && !tally.looks_for(*name) {
                return not_recorded(Answered::NotRecorded);
            }
            let findings = list.iter().take(SHOWN).map(|one| one.details.clone()).collect();
            let found = match list.len() as u64 {
                0 => Answered::NotThere { nearest: None },
                count => Answered::Findings { count, findings },
            };
            let places: Vec<&Evidence> = list.iter().map(|one| &one.evidence).collect();
            said(is_expected(list.len(), expect), found, &places)
        }
        Subject::Offered(name) => offered(tally, offers, name, expect),
        Subject::Updates(pattern) => updates(tally, pattern, expect),
        Subject::Behind(name) => behind(lag, name, expect),
        Subject::AddedCost(names) => added_cost(tally, offers, names, expect),
        Subject::Person => of_person(tally, &asked.name),
    }
}

/// Whether repositories have something, and in which version.
fn offered(tally: &Tally, offers: &[Catalog], name: &str, expect: &Expect) -> Answer {
    if offers.is_empty() {
        return not_recorded(Answered::NotRecorded);
    }
    let found = crate::offer::answer(&tally.packages, offers, &[], name);
    let Some(source) = found.sources.into_iter().find(|source| source.package == name) else {
        return said(expect.absent, Answered::NotThere { nearest: found.near.into_iter().next() }, &[]);
    };
    let holds = !expect.absent && version_holds(expect, source.version.as_deref());
    said(holds, Answered::Thing { name: source.package, version: source.version }, &[])
}

/// Days that something was behind on the day that counts, as far as is known.
fn behind(lag: Option<&Lag>, name: &str, expect: &Expect) -> Answer {
    let Some(told) = lag else { return not_recorded(Answered::NotRecorded) };
    let same = |other: &Text| other.to_lowercase() == name.to_lowercase();
    match told.items.iter().find(|item| same(&item.name) || same(&item.project)) {
        Some(item) => {
            let days = item.newest.days;
            let newest = (item.newest.releases > 0).then(|| item.newest.version.clone());
            said(within(expect, f64::from(days)), Answered::Behind { days, newest }, &[&item.evidence])
        }
        None => not_recorded(Answered::NotRecorded),
    }
}

/// How many updates wait.
fn updates(tally: &Tally, pattern: &str, expect: &Expect) -> Answer {
    if tally.offers.is_empty() {
        return not_recorded(Answered::NotRecorded);
    }
    let all = tally.offers.iter().flat_map(|offer| &offer.updates.packages);
    let asked: Vec<Text> =
        all.filter(|update| {
            if pattern == "security" { update.security } else { matches(pattern, update.package.name()) }
        })
        .map(|update| update.package.name().into())
        .collect();
    let count = asked.len() as u64;
    #[allow(clippy::cast_precision_loss, reason = "no install has so many packages")]
    let holds = match &expect.number {
        Some(_) => within(expect, count as f64),
        None => (count > 0) != expect.absent,
    };
    said(holds, Answered::Count { count, names: asked.into_iter().take(SHOWN).collect() }, &[])
}

/// What packages cost to add: bytes to download, with what they bring along.
fn added_cost(tally: &Tally, offers: &[Catalog], names: &[Text], expect: &Expect) -> Answer {
    let Some(catalog) = offers.iter().find(|catalog| !catalog.system.is_sandbox()) else {
        return not_recorded(Answered::NotRecorded);
    };
    let recommends = !catalog.policy.without_recommends;
    let plan = crate::offer::plan(&tally.packages, catalog, names, crate::offer::PlanOptions { recommends });
    if !plan.is_whole() {
        return said(false, Answered::NotThere { nearest: None }, &[]);
    }
    #[allow(clippy::cast_precision_loss, reason = "a limit is no more exact")]
    let holds = within(expect, plan.download_bytes as f64);
    let names = plan.added.iter().take(SHOWN).map(|added| added.package.name().into()).collect();
    said(holds, Answered::Bytes { bytes: plan.download_bytes, names }, &[])
}

fn is_list(tally: &Tally) -> bool {
    tally.taken.medium == Medium::Listing
}

fn said(holds: bool, found: Answered, evidence: &[&Evidence]) -> Answer {
    let verdict = if holds { Verdict::Yes } else { Verdict::No };
    let places = evidence.iter().filter(|place| !place.file.is_empty()).take(SHOWN);
    Answer { verdict, found, evidence: places.map(|place| (*place).clone()).collect() }
}

fn not_recorded(found: Answered) -> Answer {
    Answer { verdict: Verdict::NotRecorded, found, evidence: Vec::new() }
}

fn unless_lacking(tally: &Tally, fact: MissingFact, answer: impl FnOnce() -> Answer) -> Answer {
    if tally.lacks(fact) { not_recorded(Answered::NotRecorded) } else { answer() }
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
            said(holds, thing_of(&found.name, version), &[&found.evidence])
        }
        // That no package is called so is not that no program is.
        _ if tally.lacks(MissingFact::Launchers) => not_recorded(Answered::ProgramsNotRecorded),
        near => said(expect.absent, Answered::NotThere { nearest: near.map(|near| near.name) }, &[]),
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
    let names: Vec<Text> = list.iter().take(SHOWN).map(|(name, _)| name.clone()).collect();
    let found = match list.len() as u64 {
        0 => Answered::NotThere { nearest: None },
        count => Answered::Things { count, names },
    };
    let places: Vec<&Evidence> = list.iter().map(|(_, evidence)| *evidence).collect();
    said(is_expected(list.len(), expect), found, &places)
}

/// Whether a list is as long as it has to be: within a limit, or there, or not there.
fn is_expected(length: usize, expect: &Expect) -> bool {
    match &expect.number {
        Some(_) => within(expect, as_number(length as u64)),
        None => (length == 0) == expect.absent,
    }
}

/// What opens something: the first question of a role that has an answer.
fn opener(tally: &Tally, expect: &Expect, asked: impl Fn(&DefaultChoice) -> bool) -> Answer {
    if tally.lacks(MissingFact::Launchers) {
        return not_recorded(Answered::NotRecorded);
    }
    let choices: Vec<&DefaultChoice> = tally.defaults.iter().filter(|choice| asked(choice)).collect();
    let Some(choice) = choices.iter().find(|choice| choice.application.is_some()).or(choices.first()) else {
        return not_recorded(Answered::NotAsked);
    };
    let place = choice.decided.file.clone().map(Evidence::file);
    let Some(id) = &choice.application else {
        if choice.is_not_recorded() {
            let packages = match &choice.decided.by {
                DecidedBy::RemovedSince { packages } => packages.clone(),
                _ => Vec::new(),
            };
            return not_recorded(Answered::RemovedSince { packages });
        }
        let found = match &choice.candidates[..] {
            [] => Answered::NotThere { nearest: None },
            several => Answered::NoDefault { candidates: several.to_vec() },
        };
        return said(expect.absent && choice.candidates.is_empty(), found, &[]);
    };
    let (name, version) = tally.holder(id);
    let holds = match &expect.is {
        Some(pattern) => [id.as_str(), name].iter().any(|text| fits(pattern, text)),
        None => !expect.absent,
    };
    let found = Answered::Default { name: name.into(), version: version.map(Text::from), sure: choice.sure };
    said(holds, found, &place.iter().collect::<Vec<_>>())
}

fn of_part(tally: &Tally, part: &str, expect: &Expect) -> Answer {
    let parts: Vec<&Part> = tally.parts.iter().filter(|known| known.part == part).collect();
    if parts.is_empty() {
        return said(expect.absent, Answered::NotThere { nearest: None }, &[]);
    }
    let holds = |part: &&&Part| {
        expect.is.as_ref().is_none_or(|pattern| fits(pattern, &part.name))
            && version_holds(expect, part.version.as_deref())
    };
    match parts.iter().find(holds) {
        Some(part) if !expect.absent => {
            said(true, thing_of(&part.name, part.version.as_deref()), &[&part.evidence])
        }
        _ => {
            let absent = expect.absent && expect.is.is_some() && !parts.iter().any(|part| holds(&part));
            let found = match &parts[..] {
                [only] => thing_of(&only.name, only.version.as_deref()),
                several => Answered::Things {
                    count: several.len() as u64,
                    names: several.iter().map(|part| joined(&part.name, part.version.as_deref())).collect(),
                },
            };
            said(absent, found, &parts.iter().map(|part| &part.evidence).collect::<Vec<_>>())
        }
    }
}

fn of_kind(tally: &Tally, kind: Kind, asked: &Asked) -> Answer {
    // In a list many are of no known kind, and any of them may be of this one.
    if is_list(tally) && !asked.expect.bytes {
        let count = |kind| as_number(tally.present().filter(|package| package.kind == kind).count() as u64);
        let (least, most) = (count(kind), count(kind) + count(Kind::Unknown));
        if within(&asked.expect, least) != within(&asked.expect, most) {
            return not_recorded(Answered::NotRecorded);
        }
    }
    let list: Vec<&Package> = tally.present().filter(|package| package.kind == kind).collect();
    let places: Vec<&Evidence> = list.iter().map(|package| &package.evidence).collect();
    let names: Vec<Text> = list.iter().take(SHOWN).map(|package| package.name.clone()).collect();
    if asked.expect.bytes {
        return unless_lacking(tally, MissingFact::Sizes, || {
            let bytes = list.iter().filter_map(|p| p.installed_bytes).fold(0, u64::saturating_add);
            said(within(&asked.expect, as_number(bytes)), Answered::Bytes { bytes, names }, &places)
        });
    }
    let count = list.len() as u64;
    said(within(&asked.expect, as_number(count)), Answered::Count { count, names }, &places)
}

fn of_total(tally: &Tally, total: Total, expect: &Expect) -> Answer {
    let counted = |number: u64| counted(number, expect, &[]);
    let unless = |fact, number: &dyn Fn() -> u64| unless_lacking(tally, fact, || counted(number()));
    match total {
        Total::Packages => counted(tally.present().count() as u64),
        Total::Explicit => unless(MissingFact::Reasons, &|| {
            tally.present().filter(|package| package.reason == Reason::Explicit).count() as u64
        }),
        Total::Programs => unless(MissingFact::Launchers, &|| tally.applications.len() as u64),
        Total::Entries => unless(MissingFact::Launchers, &|| {
            tally.launchers.iter().filter(|launcher| launcher.shown).count() as u64
        }),
        Total::Findings if FindingName::ALL.iter().any(|name| !tally.looks_for(*name)) => {
            not_recorded(Answered::NotRecorded)
        }
        Total::Findings => counted(tally.findings.len() as u64),
        Total::Age => match median_age(tally) {
            Some(days) => said(within(expect, f64::from(days)), Answered::Age { days }, &[]),
            None => not_recorded(Answered::NotRecorded),
        },
        Total::Weight => unless_lacking(tally, MissingFact::Sizes, || {
            let bytes = tally.installed_bytes();
            said(within(expect, as_number(bytes)), Answered::Bytes { bytes, names: Vec::new() }, &[])
        }),
    }
}

/// Whether a medium can be opened or played, and by which app.
fn plays(tally: &Tally, key: &str, expect: &Expect) -> Answer {
    let Some(found) = tally.media.iter().find(|answer| answer.key == key) else {
        return not_recorded(Answered::NotRecorded);
    };
    let places: Vec<&Evidence> = found.decoders.iter().map(|decoder| &decoder.evidence).take(SHOWN).collect();
    let by = found.application.as_ref().map(|id| Text::from(tally.holder(id).0));
    match found.verdict {
        MediaVerdict::Unknown => not_recorded(Answered::NotRecorded),
        MediaVerdict::Yes => {
            let name = by.unwrap_or_else(|| media().label(key).into());
            said(!expect.absent, Answered::Thing { name, version: None }, &places)
        }
        MediaVerdict::No | MediaVerdict::NoDecoder => {
            said(expect.absent, Answered::NotThere { nearest: None }, &places)
        }
    }
}

/// A setting; a tally that was taken before settings were read says nothing of them.
fn of_setting(tally: &Tally, key: &str, expect: &Expect) -> Answer {
    if tally.settings.is_empty() {
        return not_recorded(Answered::NotRecorded);
    }
    match tally.settings.iter().find(|setting| setting.key == key) {
        None => said(expect.absent, Answered::NotSet, &[]),
        Some(setting) => {
            let value = &setting.value;
            let holds = expect.is.as_ref().map_or(!expect.absent, |pattern| fits(pattern, value));
            said(holds, Answered::Value { value: value.clone().into() }, &[&setting.evidence])
        }
    }
}

fn of_look(tally: &Tally, look: LookAsked, expect: &Expect) -> Answer {
    let looks = &tally.looks;
    let places: Vec<&Evidence> = looks.evidence.iter().collect();
    let set = |value: &Option<Text>| match value {
        None => said(expect.absent, Answered::NotSet, &[]),
        Some(value) => {
            let last = value.rsplit('/').next().unwrap_or(value);
            let fits = |pattern: &Text| fits(pattern, value) || fits(pattern, last);
            let holds = expect.is.as_ref().map_or(!expect.absent, fits);
            said(holds, Answered::Value { value: value.clone() }, &places)
        }
    };
    let counted = |number: u64, list: &[Look]| {
        counted(number, expect, &list.iter().map(|look| &look.evidence).collect::<Vec<_>>())
    };
    let pictures = || looks.wallpapers.iter().filter_map(|pack| pack.count).map(u64::from).sum();
    match look {
        LookAsked::Theme => set(&looks.default_theme),
        LookAsked::Icons => set(&looks.default_icons),
        LookAsked::Font => set(&looks.default_font),
        LookAsked::Wallpaper => set(&looks.default_wallpaper),
        LookAsked::Session => set(&looks.default_session),
        LookAsked::Display => set(&looks.default_display),
        LookAsked::DisplayManager => set(&looks.display_manager),
        LookAsked::Pointer => set(&looks.default_pointer),
        LookAsked::Colours => set(&looks.colour_scheme()),
        LookAsked::Themes => counted(looks.themes.len() as u64, &looks.themes),
        LookAsked::IconSets => counted(looks.icon_sets.len() as u64, &looks.icon_sets),
        LookAsked::Wallpapers => counted(pictures(), &looks.wallpapers),
        LookAsked::FontFamilies => counted(looks.fonts.len() as u64, &looks.fonts),
    }
}

/// The latest figure counts; one of a live session says nothing of the installed system.
fn of_reading(tally: &Tally, what: &str, expect: &Expect) -> Answer {
    let Some(reading) = tally.readings.iter().rev().find(|reading| reading.what == what) else {
        return Answer { verdict: Verdict::Open, found: Answered::NotMeasured, evidence: Vec::new() };
    };
    if reading.conditions.medium.as_deref() == Some("live") && tally.taken.medium != Medium::Live {
        return not_recorded(Answered::LiveReading { value: reading.value, unit: reading.unit.clone() });
    }
    let found = Answered::Reading {
        value: reading.value,
        unit: reading.unit.clone(),
        method: reading.method.clone(),
    };
    said(within(expect, reading.value), found, &[])
}

/// The latest note that answers the question.
fn of_person(tally: &Tally, name: &str) -> Answer {
    let Some(note) = tally.notes.iter().rev().find(|note| note.ask.as_deref() == Some(name)) else {
        return Answer { verdict: Verdict::Open, found: Answered::NotAnswered, evidence: Vec::new() };
    };
    let first = note.text.split([' ', ',', ';', ':', '.']).next().unwrap_or_default().to_lowercase();
    let verdict = match first.as_str() {
        "yes" => Verdict::Yes,
        "no" => Verdict::No,
        _ => Verdict::Noted,
    };
    Answer { verdict, found: Answered::Note { note: note.text.clone() }, evidence: Vec::new() }
}

/// A pattern matches ignoring case.
fn fits(pattern: &str, text: &str) -> bool {
    matches(&pattern.to_lowercase(), &text.to_lowercase())
}

/// A unit may be named without its ending.
fn fits_unit(pattern: &str, name: &str) -> bool {
    matches(pattern, name) || name.rsplit_once('.').is_some_and(|(stem, _)| matches(pattern, stem))
}

/// A number that has to be within a limit.
fn counted(count: u64, expect: &Expect, evidence: &[&Evidence]) -> Answer {
    said(within(expect, as_number(count)), Answered::Count { count, names: Vec::new() }, evidence)
}

fn thing_of(name: &str, version: Option<&str>) -> Answered {
    Answered::Thing { name: name.into(), version: version.map(Text::from) }
}

fn joined(name: &str, version: Option<&str>) -> Text {
    version.map_or_else(|| name.into(), |version| format!("{name} {version}").into())
}

#[allow(clippy::cast_precision_loss, reason = "counts and bytes of an install are far below 2^53")]
fn as_number(number: u64) -> f64 {
    number as f64
}
