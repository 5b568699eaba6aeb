//! How old what is in an install was on the day of its release: by the days that packages were built, or last changed.
//!
//! Not the same as being behind: a program that nobody changes any more is old, and the newest there is.

use crate::model::{Evidence, Kind, Label, Package, System, Tally, Text, day_of};
use crate::vocabulary::Word;
use jiff::civil::Date;
use schemars::JsonSchema;
use serde::Serialize;
use std::collections::BTreeMap;

/// Schema number of an age document.
pub const AGE_SCHEMA: u32 = 1;

/// Years before the day that are told one by one; what is older is told by decades.
const YEARS: i16 = 10;

/// How old the packages of an install are.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct Age {
    /// Schema number of this document.
    pub schema_version: u32,
    /// The install.
    pub install: Label,
    /// The day from which ages are counted back, `YYYY-MM-DD`.
    pub day: Text,
    /// Whether that is the day of the release; else it is the day of the newest package, or was asked for.
    pub day_is_release: bool,
    /// The median age in days; `null` where no package has a day.
    pub median_days: Option<u32>,
    /// Packages whose day is not known.
    pub unknown: u32,
    /// Packages that are younger than the day.
    pub later: u32,
    /// Packages by the year or decade that they were built in, the newest first.
    pub spans: Vec<AgeSpan>,
    /// Packages by kind, the oldest kind first.
    pub kinds: Vec<AgeOfKind>,
    /// All packages whose day is known, the oldest first.
    pub packages: Vec<AgeItem>,
}

/// Packages that were built in one year or decade.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct AgeSpan {
    /// The first year.
    pub from: i16,
    /// The last one: the same, or nine more.
    pub to: i16,
    /// How many.
    pub packages: u32,
}

/// Packages of one kind.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct AgeOfKind {
    /// The kind.
    pub kind: Kind,
    /// How many have a day.
    pub packages: u32,
    /// Their median age in days.
    pub median_days: u32,
    /// The age of the oldest one in days.
    pub oldest_days: u32,
}

/// A package and its day.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct AgeItem {
    /// The package system.
    pub system: System,
    /// Its name.
    pub name: Text,
    /// Its version.
    pub version: Text,
    /// What it is.
    pub kind: Kind,
    /// The day that it was built, or last changed, `YYYY-MM-DD`.
    pub built: Text,
    /// Days from then to the day that counts; 0 where it is later.
    pub days: u32,
    /// Where the package was read.
    pub evidence: Evidence,
}

/// Tells how old the packages of an install were on a day.
pub fn age(tally: &Tally, day: Date) -> Age {
    let mut packages: Vec<(Date, AgeItem)> = tally
        .present()
        .filter_map(|package| Some(item(package, day_of(package.built.as_deref()?)?, day)))
        .collect();
    packages.sort_by(|(a, one), (b, other)| a.cmp(b).then_with(|| one.name.cmp(&other.name)));
    let mut spans: BTreeMap<(i16, i16), u32> = BTreeMap::new();
    for (built, _) in &packages {
        *spans.entry(span(built.year(), day.year())).or_default() += 1;
    }
    let days = |of: &dyn Fn(&AgeItem) -> bool| -> Vec<u32> {
        packages.iter().filter(|(_, one)| of(one)).map(|(_, one)| one.days).collect()
    };
    let kind = |kind: &Kind| {
        let days = days(&|one| one.kind == *kind);
        let (median_days, oldest_days) = (median(&days)?, *days.first()?);
        Some(AgeOfKind { kind: *kind, packages: count(days.len()), median_days, oldest_days })
    };
    let mut kinds: Vec<AgeOfKind> = <Kind as Word>::ALL.iter().filter_map(kind).collect();
    kinds.sort_by_key(|one| std::cmp::Reverse(one.median_days));
    Age {
        schema_version: AGE_SCHEMA,
        install: tally.label.clone(),
        day: day.to_string().into(),
        day_is_release: tally.label.release_date.as_deref().and_then(day_of) == Some(day),
        median_days: median(&days(&|_| true)),
        unknown: count(tally.present().count() - packages.len()),
        later: count(packages.iter().filter(|(built, _)| *built > day).count()),
        spans: spans.into_iter().rev().map(|((from, to), packages)| AgeSpan { from, to, packages }).collect(),
        kinds,
        packages: packages.into_iter().map(|(_, one)| one).collect(),
    }
}

/// The median age of the packages of an install on the day that counts for it, in days.
pub fn median_age(tally: &Tally) -> Option<u32> {
    let day = crate::lag::day_that_counts(tally)?;
    let built = tally.present().filter_map(|package| day_of(package.built.as_deref()?));
    let mut days: Vec<u32> = built.map(|built| before(built, day)).collect();
    days.sort_unstable_by(|a, b| b.cmp(a));
    median(&days)
}

fn item(package: &Package, built: Date, day: Date) -> (Date, AgeItem) {
    let item = AgeItem {
        system: package.system,
        name: package.name.clone(),
        version: package.version.clone(),
        kind: package.kind,
        built: built.to_string().into(),
        days: before(built, day),
        evidence: package.evidence.clone(),
    };
    (built, item)
}

fn before(built: Date, day: Date) -> u32 {
    day.since(built).ok().and_then(|span| u32::try_from(span.get_days()).ok()).unwrap_or(0)
}

/// The year, or the decade of what is long ago.
fn span(year: i16, now: i16) -> (i16, i16) {
    if year > now - YEARS {
        return (year, year);
    }
    let from = year.div_euclid(10) * 10;
    // A decade ends where the single years begin.
    (from, (from + 9).min(now - YEARS))
}

/// The middle of sorted numbers; of two the one between them, cut to a whole number.
fn median(sorted: &[u32]) -> Option<u32> {
    let (half, odd) = (sorted.len() / 2, sorted.len() % 2 == 1);
    match sorted.len() {
        0 => None,
        _ if odd => Some(sorted[half]),
        _ => Some(sorted[half - 1].midpoint(sorted[half])),
    }
}

fn count(number: usize) -> u32 {
    u32::try_from(number).unwrap_or(u32::MAX)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::samples;
    use proptest::prelude::*;

    fn built(days: &[&str]) -> Tally {
        let mut tally = samples::tally();
        tally.packages = days
            .iter()
            .enumerate()
            .map(|(at, day)| {
                let mut package = Package::new(System::Rpm, format!("p{at}"), "1");
                package.kind = if at % 2 == 0 { Kind::Library } else { Kind::Command };
                package.built = Some((*day).into()).filter(|day: &Text| !day.is_empty());
                package
            })
            .collect();
        tally
    }

    #[test]
    fn ages_are_counted_back_from_the_day() {
        let tally = built(&["2026-05-01", "2026-04-04", "2009-05-04", "", "2026-06-01", "2015-01-01"]);
        let age = age(&tally, Date::constant(2026, 5, 4));
        let told: Vec<(&str, u32)> = age.packages.iter().map(|one| (one.name.as_str(), one.days)).collect();
        assert_eq!(told, [("p2", 6209), ("p5", 4141), ("p1", 30), ("p0", 3), ("p4", 0)]);
        assert_eq!((age.median_days, age.unknown, age.later), (Some(30), 1, 1));
        let spans: Vec<(i16, i16, u32)> =
            age.spans.iter().map(|one| (one.from, one.to, one.packages)).collect();
        assert_eq!(spans, [(2026, 2026, 3), (2010, 2016, 1), (2000, 2009, 1)]);
        let kinds: Vec<(Kind, u32, u32)> =
            age.kinds.iter().map(|one| (one.kind, one.median_days, one.oldest_days)).collect();
        assert_eq!(kinds, [(Kind::Command, 2085, 4141), (Kind::Library, 3, 6209)]);
    }

    #[test]
    fn without_a_day_there_is_no_age() {
        let tally = built(&["", ""]);
        let age = age(&tally, Date::constant(2026, 5, 4));
        assert_eq!((age.median_days, age.unknown, age.packages.len()), (None, 2, 0));
        assert_eq!(median_age(&tally), None);
        assert_eq!(
            median_age(&built(&["2026-05-01", "2026-05-03"])),
            Some(1),
            "counted from the newest package"
        );
    }

    proptest! {
        #[test]
        fn every_package_is_in_one_span_and_the_median_halves_them(days in prop::collection::vec(0..9000_i32, 1..40)) {
            let day = Date::constant(2026, 5, 4);
            let texts: Vec<String> =
                days.iter().map(|before| day.saturating_sub(jiff::Span::new().days(*before)).to_string()).collect();
            let tally = built(&texts.iter().map(String::as_str).collect::<Vec<_>>());
            let age = age(&tally, day);
            prop_assert_eq!(age.spans.iter().map(|one| one.packages as usize).sum::<usize>(), days.len());
            prop_assert_eq!(age.kinds.iter().map(|one| one.packages as usize).sum::<usize>(), days.len());
            let median = age.median_days.unwrap();
            let older = age.packages.iter().filter(|one| one.days > median).count();
            let younger = age.packages.iter().filter(|one| one.days < median).count();
            prop_assert!(older <= days.len() / 2 && younger <= days.len() / 2);
            for pair in age.spans.windows(2) {
                prop_assert!(pair[0].from > pair[1].to);
            }
        }
    }
}
