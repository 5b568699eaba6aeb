//! How far parts and applications were behind their makers on the day of the release.
//!
//! Nothing is looked up. What the makers had released by then is in three places: in a file of the reviewer's
//! (`docs/formats/upstream.md`), which wins; in what programs say of themselves (AppStream), in this install and in others; and in
//! what other installs shipped by then. What none of them knows is listed, not guessed. The last two know not all releases, so they
//! tell how far behind an install was at least.

mod known;
mod upstream;

pub use known::{
    Known, KnownBy, ReleaseSource, counted_version, is_dated, key_of_part, keys_of_application, keys_of_part,
    released,
};
pub use upstream::{Project, Release, Upstream};

use crate::model::{Application, Delivery, Evidence, Label, PackageRef, Part, Tally, Text, day_of};
use crate::version::{Step, compare_plain, step};
use crate::vocabulary;
use jiff::civil::Date;
use rustc_hash::FxHashMap;
use schemars::JsonSchema;
use serde::Serialize;

/// Schema number of a lag document.
pub const LAG_SCHEMA: u32 = 3;

vocabulary! {
    /// What keeps a version back.
    pub enum HeldBy {
        /// The base has the same version.
        Base = "base",
        /// The base has a newer one.
        Makers = "makers",
    }
}

/// An install held against what its makers had released.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct Lag {
    /// Schema number of this document.
    pub schema_version: u32,
    /// The install.
    pub install: Label,
    /// The day that counts, `YYYY-MM-DD`.
    pub day: Text,
    /// Parts and applications of whose project something is known, those furthest behind first.
    pub items: Vec<LagItem>,
    /// Names of those of which nothing is known by that day, sorted.
    pub unknown: Vec<Text>,
    /// The base that it was held against, if any.
    pub base: Option<Text>,
}

/// A part or an application, and its place among the releases of its project.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct LagItem {
    /// `part` or `application`.
    pub what: &'static str,
    /// Its name.
    pub name: Text,
    /// The project in the reviewer's file; else its stable name.
    pub project: Text,
    /// The version that is there.
    pub version: Text,
    /// What the program's own list calls that version, where its package counts otherwise: releases are held against this one.
    pub counted_as: Option<Text>,
    /// The day that this version came out, `YYYY-MM-DD`, where that is known; by who ships it, it was out by then.
    pub released: Option<Text>,
    /// Who says so.
    pub released_by: Option<ReleaseSource>,
    /// Days from then to the day that counts.
    pub age_days: Option<u32>,
    /// Where its own day is not known: the newest release before it of which it is; the version that is there came later.
    pub after: Option<FirstNewer>,
    /// Whether it may be further behind than is told: not all releases are known.
    pub at_least: bool,
    /// The series that it belongs to, where the file names one, or where the version lets guess one.
    pub series: Option<Text>,
    /// Whether the series is guessed by the version.
    pub series_guessed: bool,
    /// Against all releases.
    pub newest: Behind,
    /// Against the releases of its own series; `null` without a series.
    pub in_series: Option<Behind>,
    /// Whether makers or base hold it back; `null` where it is not behind, without a base, or where the base has none.
    pub held_by: Option<HeldBy>,
    /// Where the version was read.
    pub evidence: Evidence,
}

/// How far behind.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Behind {
    /// The newest version by that day; the item's own where there is no newer one.
    pub version: Text,
    /// The day of its release, `YYYY-MM-DD`; `null` when the item is newer than all that is known.
    pub released: Option<Text>,
    /// Releases that are newer than the item's and were out by that day.
    pub releases: u32,
    /// Days since the first of those came out; 0 when there is none.
    pub days: u32,
    /// Step from the item's version to the newest; `null` when there is no newer one.
    pub step: Option<Step>,
    /// The first newer release, from which days are counted; `null` when there is none.
    pub first: Option<FirstNewer>,
}

/// A release that was newer, or older, and who says so.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct FirstNewer {
    /// Its version.
    pub version: Text,
    /// The day that it came out, `YYYY-MM-DD`, or was out at the latest.
    pub released: Text,
    /// Who says so.
    pub source: ReleaseSource,
}

/// What an install is held against.
#[derive(Debug, Default)]
pub struct Against<'a> {
    /// The reviewer's file.
    pub upstream: Option<&'a Upstream>,
    /// What other installs say and shipped.
    pub known: Known,
    /// The distribution that it is made from.
    pub base: Option<&'a Tally>,
}

/// Holds an install against the releases that were out on a day.
pub fn lag(tally: &Tally, against: &Against<'_>, day: Date) -> Lag {
    let mut known = Known::of(tally);
    known.merge(&against.known);
    let mut work = LagFinder {
        index: against.upstream.map(Upstream::index).unwrap_or_default(),
        sources: sources(tally),
        known,
        base: against.base.map(versions).unwrap_or_default(),
        day,
        items: Vec::new(),
        unknown: Vec::new(),
    };
    for part in &tally.parts {
        work.part(tally, part);
    }
    for application in &tally.applications {
        work.application(tally, application);
    }
    let LagFinder { mut items, mut unknown, .. } = work;
    items.sort_by(|a, b| {
        let far = |item: &LagItem| (item.newest.releases > 0, item.newest.days, item.newest.releases);
        let old = |item: &LagItem| item.age_days;
        far(b)
            .cmp(&far(a))
            .then_with(|| old(b).cmp(&old(a)))
            .then_with(|| (a.what, &a.name).cmp(&(b.what, &b.name)))
    });
    unknown.sort_unstable();
    unknown.dedup();
    Lag {
        schema_version: LAG_SCHEMA,
        install: tally.label.clone(),
        day: day.to_string().into(),
        items,
        unknown,
        base: against.base.map(|base| base.label.handle.clone()),
    }
}

/// The day that counts where nobody names one: that of the release, if someone who knows it said so. Else what the install says of it,
/// or the day of the newest package that came with it: a medium that was made anew has what was updated since the release.
pub fn day_that_counts(tally: &Tally) -> Option<Date> {
    let released = tally.label.release_date.as_deref().and_then(day_of);
    if released.is_some() && tally.label.release_date_from.is_none() {
        return released;
    }
    released.max(newest_package(tally))
}

/// The day by which all that an install has was out, at the latest.
pub fn day_of_proof(tally: &Tally) -> Option<Date> {
    let by_hand = tally.label.release_date.is_some() && tally.label.release_date_from.is_none();
    // Where no package has a day it may have been updated since it was released.
    let known = by_hand || newest_package(tally).is_some();
    day_that_counts(tally).filter(|_| known).or_else(|| day_of(&tally.taken.at))
}

fn newest_package(tally: &Tally) -> Option<Date> {
    tally.present().filter_map(|package| day_of(package.built.as_deref()?)).max()
}

/// The source of each package, by its reference.
fn sources(tally: &Tally) -> FxHashMap<PackageRef, Text> {
    tally.present().map(|package| (package.reference(), package.source().into())).collect()
}

/// The versions of an install, by the keys of its parts and applications.
fn versions(tally: &Tally) -> FxHashMap<String, Text> {
    let parts = tally.parts.iter().filter_map(|part| Some((key_of_part(part), part.version.clone()?)));
    let applications = tally.applications.iter().flat_map(|application| {
        let version = application.version.clone();
        keys_of_application(tally, application)
            .into_iter()
            .filter_map(move |key| Some((key, version.clone()?)))
    });
    parts.chain(applications).collect()
}

struct LagFinder<'a> {
    index: FxHashMap<String, &'a Project>,
    sources: FxHashMap<PackageRef, Text>,
    known: Known,
    base: FxHashMap<String, Text>,
    day: Date,
    items: Vec<LagItem>,
    unknown: Vec<Text>,
}

/// What is held against its releases.
struct Held<'a> {
    what: &'static str,
    name: &'a Text,
    version: &'a Text,
    /// Names that the reviewer's file may call it by, the most telling first.
    names: Vec<String>,
    /// Names that other installs know it by, the most telling first.
    keys: Vec<String>,
    /// What its own list calls its version, where that is another number.
    counted_as: Option<Text>,
    evidence: Evidence,
}

impl LagFinder<'_> {
    fn part(&mut self, tally: &Tally, part: &Part) {
        let Some(version) = &part.version else { return };
        let keys = keys_of_part(tally, part);
        let names = self.names(&[&part.name, &part.part], part.package.as_ref());
        self.add(&Held {
            what: "part",
            name: &part.name,
            version,
            names,
            keys,
            counted_as: None,
            evidence: part.evidence.clone(),
        });
    }

    fn application(&mut self, tally: &Tally, application: &Application) {
        // What has no version of its own is behind nothing.
        let Some(version) = &application.version else { return };
        let package = application.delivered.first().map(Delivery::reference);
        let launcher = tally.launcher_of(application);
        self.add(&Held {
            what: "application",
            name: &application.name,
            version,
            names: self.names(&[&application.name, &application.id], package.as_ref()),
            keys: keys_of_application(tally, application),
            counted_as: counted_version(tally, application)
                .filter(|(_, by_list)| *by_list)
                .map(|(own, _)| own),
            evidence: launcher.map(|launcher| launcher.evidence.clone()).unwrap_or_default(),
        });
    }

    /// Every name that a project may be known by in the reviewer's file.
    fn names(&self, names: &[&Text], package: Option<&PackageRef>) -> Vec<String> {
        let mut keys: Vec<String> = names.iter().map(|name| name.to_lowercase()).collect();
        if let Some(package) = package {
            keys.push(package.name().to_lowercase());
            keys.extend(self.sources.get(package).map(|source| source.to_lowercase()));
        }
        keys
    }

    fn add(&mut self, held: &Held<'_>) {
        let project = held.names.iter().find_map(|name| self.index.get(name)).copied();
        // Before its first release that the file knows, nobody can tell what was newest.
        let project = project.filter(|project| project.releases.iter().any(|one| one.date <= self.day));
        let item = match project {
            Some(project) => self.by_file(held, project),
            None => self.by_others(held),
        };
        let Some(item) = item else {
            let told = self.items.iter().any(|item| item.name == *held.name && item.version == *held.version);
            if !told {
                self.unknown.push(held.name.clone());
            }
            return;
        };
        // Programs of one suite, or a part that is an application as well, are told once, a suite by its own name.
        let alike = |known: &&mut LagItem| {
            known.version == item.version && (known.project == item.project || known.name == item.name)
        };
        if let Some(known) = self.items.iter_mut().find(alike) {
            if known.what == "application" && known.name != item.name {
                known.name = item.project;
            }
            return;
        }
        self.items.push(item);
    }

    fn by_file(&self, held: &Held<'_>, project: &Project) -> Option<LagItem> {
        let series = project.series_of(held.version);
        let of_series = |series: &Text| {
            behind(
                project.releases.iter().filter(|one| one.series.as_ref() == Some(series)),
                held.version,
                self.day,
            )
        };
        let in_series = series.as_ref().map(of_series);
        Some(self.item(
            held,
            project.name.clone(),
            &project.releases,
            held.version,
            (series, in_series),
            false,
        ))
    }

    fn by_others(&self, held: &Held<'_>) -> Option<LagItem> {
        let own = held.counted_as.clone().or_else(|| released(held.version))?;
        let mut releases = self.known.of_keys(&held.keys, &own);
        // Other installs shipped it under the number of its package.
        releases.retain(|one| held.counted_as.is_none() || one.source.by == KnownBy::Metainfo);
        let project = held.keys.first().map(Text::from).unwrap_or_default();
        // Where a newer release is outside what is guessed to be the series, it is worth telling what the series had.
        let series = series_of(&own);
        let inside =
            |release: &&Release| series.as_deref().is_some_and(|series| is_in(&release.version, series));
        let in_series = behind(releases.iter().filter(inside), &own, self.day);
        let all = behind(releases.iter(), &own, self.day);
        let differs = all.releases > in_series.releases;
        let told = series.filter(|_| differs).map_or((None, None), |series| (Some(series), Some(in_series)));
        let item = self.item(held, project, &releases, &own, told, true);
        let is_known = item.newest.releases > 0 || item.released.is_some() || item.after.is_some();
        is_known.then_some(item)
    }

    fn item(
        &self,
        held: &Held<'_>,
        project: Text,
        releases: &[Release],
        own: &str,
        (series, in_series): (Option<Text>, Option<Behind>),
        at_least: bool,
    ) -> LagItem {
        let newest = behind(releases.iter(), own, self.day);
        // That another install of the same day has it tells nothing.
        let tells = |one: &Release| one.date < self.day || one.source.by != KnownBy::Shipped;
        let is_own =
            |one: &&Release| one.date <= self.day && tells(one) && compare_plain(&one.version, own).is_eq();
        let itself = releases.iter().find(is_own);
        let is_told = releases.iter().any(|one| compare_plain(&one.version, own).is_eq());
        // A number that is far from all others counts something else.
        let near =
            |one: &str| first_number(own).zip(first_number(one)).is_some_and(|(own, one)| own <= one + 3);
        let older = releases.iter().filter(|one| one.date <= self.day && one.source.by != KnownBy::Shipped);
        let before = older
            .filter(|one| compare_plain(&one.version, own).is_lt() && near(&one.version))
            .max_by(|a, b| compare_plain(&a.version, &b.version));
        let base = held.keys.iter().find_map(|key| self.base.get(key));
        let held_by = base.filter(|_| newest.releases > 0).and_then(|base| {
            let base = released(base)?;
            match compare_plain(&base, &released(held.version)?) {
                std::cmp::Ordering::Equal => Some(HeldBy::Base),
                std::cmp::Ordering::Greater => Some(HeldBy::Makers),
                std::cmp::Ordering::Less => None,
            }
        });
        LagItem {
            what: held.what,
            name: held.name.clone(),
            project,
            version: held.version.clone(),
            counted_as: held.counted_as.clone().filter(|_| at_least),
            released: itself.map(|one| one.date.to_string().into()),
            released_by: itself.map(|one| one.source.clone()),
            after: before.filter(|_| at_least && !is_told).map(told),
            age_days: itself.map(|one| days_between(one.date, self.day)),
            at_least,
            series_guessed: at_least && series.is_some(),
            series,
            newest,
            in_series,
            held_by,
            evidence: held.evidence.clone(),
        }
    }
}

/// The series that a version lets guess: all but its last number, `6.12` of 6.12.57 and `48` of 48.7.
fn series_of(version: &str) -> Option<Text> {
    let numbers = version.split(|c: char| !c.is_ascii_digit() && c != '.').next().unwrap_or_default();
    numbers.rsplit_once('.').map(|(series, _)| series.into()).filter(|series: &Text| !series.is_empty())
}

fn is_in(version: &str, series: &str) -> bool {
    version.strip_prefix(series).is_some_and(|rest| rest.is_empty() || rest.starts_with('.'))
}

fn days_between(from: Date, to: Date) -> u32 {
    to.since(from).ok().and_then(|span| u32::try_from(span.get_days()).ok()).unwrap_or(0)
}

fn behind<'r>(releases: impl Iterator<Item = &'r Release>, version: &str, day: Date) -> Behind {
    let out: Vec<&Release> = releases.filter(|release| release.date <= day).collect();
    let newer = || out.iter().filter(|release| compare_plain(&release.version, version).is_gt());
    let newest = newer().max_by(|a, b| compare_plain(&a.version, &b.version));
    let first =
        newer().min_by(|a, b| a.date.cmp(&b.date).then_with(|| compare_plain(&a.version, &b.version)));
    let own = out.iter().find(|release| compare_plain(&release.version, version).is_eq());
    let shown = newest.or(own);
    Behind {
        version: newest.map_or_else(|| version.into(), |release| release.version.clone()),
        released: shown.map(|release| release.date.to_string().into()),
        releases: u32::try_from(newer().count()).unwrap_or(u32::MAX),
        days: first.map_or(0, |first| days_between(first.date, day)),
        step: newest.and_then(|newest| step(version, &newest.version)),
        first: first.copied().map(told),
    }
}

fn told(release: &Release) -> FirstNewer {
    FirstNewer {
        version: release.version.clone(),
        released: release.date.to_string().into(),
        source: release.source.clone(),
    }
}

fn first_number(version: &str) -> Option<u64> {
    version.split(|c: char| !c.is_ascii_digit()).next()?.parse().ok()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::knowledge::RulesError;
    use crate::model::{Package, Part, ReleaseHistory, System, samples};
    use proptest::prelude::*;

    const FILE: &str = "\
[[project]]
name = 'inkcap'
releases = [
  { version = '3.2.0', date = '2026-01-10' },
  { version = '3.2.1', date = '2026-02-01' },
  { version = '3.3.0', date = '2026-04-20' },
  { version = '4.0.0', date = '2026-04-28' },
  { version = '4.1.0', date = '2026-06-01' },
]
[[project]]
name = 'linux'
also = ['Kernel']
releases = [
  { version = '6.6.1', date = '2025-11-01', series = '6.6' },
  { version = '6.6.9', date = '2026-04-01', series = '6.6' },
  { version = '6.9', date = '2026-03-01' },
]
";

    fn held(tally: &Tally, upstream: &Upstream, day: &str) -> Lag {
        lag(tally, &Against { upstream: Some(upstream), ..Against::default() }, day.parse().unwrap())
    }

    fn tally() -> Tally {
        let mut tally = samples::tally();
        let part = |part: &str, name: &str, version: &str| Part {
            part: part.into(),
            name: name.into(),
            version: Some(version.into()),
            package: None,
            others: Vec::new(),
            evidence: Evidence::file("somewhere"),
        };
        tally.parts = vec![part("kernel", "Linux", "6.6.3"), part("shell", "Reedsh", "1.0")];
        tally.packages.push(Package::new(System::Dpkg, "inkcap", "3.2.1-2"));
        tally.parts.push(part("editor", "Inkcap", "3.2.1"));
        tally
    }

    #[test]
    fn releases_after_the_day_do_not_count_and_series_are_told_apart() {
        let upstream = Upstream::parse_toml(FILE).unwrap();
        let lag = held(&tally(), &upstream, "2026-05-04");
        let inkcap = lag.items.iter().find(|item| item.project == "inkcap").unwrap();
        assert_eq!((inkcap.newest.releases, inkcap.newest.days), (2, 14));
        assert_eq!((inkcap.newest.version.as_str(), inkcap.newest.step), ("4.0.0", Some(Step::Major)));
        let linux = lag.items.iter().find(|item| item.project == "linux").unwrap();
        assert_eq!(linux.series.as_deref(), Some("6.6"));
        let own = linux.in_series.as_ref().unwrap();
        assert_eq!((own.releases, own.days, own.version.as_str()), (1, 33, "6.6.9"));
        assert_eq!((linux.newest.releases, linux.newest.version.as_str()), (2, "6.9"));
        assert_eq!(lag.unknown, ["Reedsh"]);
    }

    #[test]
    fn before_the_first_known_release_nothing_is_claimed() {
        let upstream = Upstream::parse_toml(FILE).unwrap();
        let early = held(&tally(), &upstream, "2025-12-01");
        assert_eq!(early.unknown, ["Inkcap", "Reedsh"]);
        let linux = &early.items[0];
        assert_eq!(
            (linux.newest.releases, &linux.newest.released),
            (0, &None),
            "later than all that is known"
        );
    }

    #[test]
    fn csv_says_the_same_as_toml() {
        let csv = "project,version,date,series\ninkcap,3.2.1,2026-02-01,\ninkcap,3.3.0,2026-04-20,\nlinux,6.6.9,2026-04-01,6.6\n";
        let upstream = Upstream::parse_csv(csv).unwrap();
        let lag = held(&tally(), &upstream, "2026-05-04");
        assert_eq!(lag.items.iter().map(|item| item.newest.releases).collect::<Vec<_>>(), [1, 1]);
    }

    #[test]
    fn what_is_wrong_is_named_with_its_line() {
        let error = |result: Result<Upstream, RulesError>| result.unwrap_err().to_string();
        let said = [
            error(Upstream::parse_csv("project,version\na,1\n")),
            error(Upstream::parse_csv("project,version,date\na,1,2026-13-01\n")),
            error(Upstream::parse_csv("project,version,date\na,1,2026-01-01\n,2,2026-01-01\n")),
            error(Upstream::parse_toml("[[project]]\nname='a'\nreleases=[{version='1', date='soon'}]\n")),
            error(Upstream::parse_toml("[[project]]\nname='a'\nrelease=[]\n")),
            error(Upstream::parse_toml("")),
        ];
        insta::assert_snapshot!(said.join("\n"), @"
        line 1: there is no column `date`
        line 2: `2026-13-01` is not a date such as 2026-05-04
        line 3: `project` is empty
        line 3: `soon` is not a date such as 2026-05-04
        line 3: unknown field `release`, expected one of `name`, `also`, `releases`
        it contains no project
        ");
    }

    #[test]
    fn of_two_series_the_one_that_tells_more_counts() {
        let file = "\
[[project]]
name = 'linux'
releases = [
  { version = '6.1', date = '2025-01-01', series = '6' },
  { version = '6.6.1', date = '2025-11-01', series = '6.6' },
  { version = '6.61.0', date = '2026-01-01', series = '6.61' },
]
";
        let lag = held(&tally(), &Upstream::parse_toml(file).unwrap(), "2026-05-04");
        assert_eq!(lag.items[0].series.as_deref(), Some("6.6"), "6.6.3 is no 6.61, and more than a 6");
        let own = lag.items[0].in_series.as_ref().unwrap();
        assert_eq!((own.releases, own.released.as_deref()), (0, None));
        assert_eq!((lag.items[0].newest.releases, lag.items[0].newest.days), (1, 123));
    }

    #[test]
    fn programs_of_one_suite_are_told_once_by_the_name_of_the_suite() {
        let mut install = tally();
        install.parts.clear();
        install.packages[0].source = Some("inkcap".into());
        for name in ["Inkcap Writer", "Inkcap Sheets"] {
            let told = serde_json::json!({"id": name, "name": name, "version": "3.2.1", "menu": "office",
                "delivered": [{"system": "dpkg", "package": "inkcap", "version": "3.2.1-2"}]});
            let application = serde_json::from_value(told).unwrap();
            install.applications.push(application);
        }
        let lag = held(&install, &Upstream::parse_toml(FILE).unwrap(), "2026-05-04");
        let told: Vec<(&str, &str)> = lag.items.iter().map(|item| (item.what, item.name.as_str())).collect();
        assert_eq!(told, [("application", "inkcap")]);
    }

    /// An install with one application, of which something is known.
    fn with_application(version: &str, released: &[(&str, &str)]) -> Tally {
        let mut install = samples::tally();
        let told = serde_json::json!({"id": "inkcap", "name": "Inkcap", "version": version, "menu": "office",
            "launchers": ["org.marsh.Inkcap.desktop"]});
        install.applications = vec![serde_json::from_value(told).unwrap()];
        install.parts.clear();
        let released = released.iter().map(|(version, day)| ((*version).into(), (*day).into())).collect();
        install.releases = vec![ReleaseHistory {
            project: "org.marsh.Inkcap".into(),
            name: "Inkcap".into(),
            released,
            evidence: Evidence::file("usr/share/metainfo/org.marsh.Inkcap.metainfo.xml"),
        }];
        install
    }

    #[test]
    fn a_program_of_a_suite_is_held_against_what_its_own_list_calls_it() {
        let of = |version: &str, built: &str| {
            let mut install =
                with_application(version, &[("5.22.2", "2023-02-02"), ("5.22.3", "2023-03-02")]);
            let mut package = Package::new(System::Dpkg, "inkcap", version);
            package.built = Some(built.into());
            install.applications[0].delivered = vec![
                serde_json::from_value(
                    serde_json::json!({"system": "dpkg", "package": "inkcap", "version": version}),
                )
                .unwrap(),
            ];
            install.packages.push(package);
            install
        };
        let mut known = Known::default();
        let (other, at) = ("fenland-14".into(), Evidence::file("a"));
        known.add_stated("org.marsh.inkcap", "5.23.0", "2023-04-20", &other, &at);
        known.add_shipped("inkcap", "23.04.0", "2023-05-01", &other);
        let lag = without_a_file(&of("22.12.3", "2023-03-05"), known.clone(), "2023-06-10");
        let item = &lag.items[0];
        assert_eq!((item.version.as_str(), item.counted_as.as_deref()), ("22.12.3", Some("5.22.3")));
        assert_eq!(item.released.as_deref(), Some("2023-03-02"));
        assert_eq!((item.newest.releases, item.newest.version.as_str(), item.newest.days), (1, "5.23.0", 51));
        // A list that ended long before, and a number that is no year, say nothing of what is there.
        for (version, built) in [("22.12.3", "2023-12-05"), ("115.0", "2023-03-05"), ("6.22.3", "2023-03-05")]
        {
            let lag = without_a_file(&of(version, built), Known::default(), "2024-06-10");
            assert!(lag.items.iter().all(|item| item.counted_as.is_none()), "{version}");
        }
    }

    fn without_a_file(tally: &Tally, known: Known, day: &str) -> Lag {
        lag(tally, &Against { known, ..Against::default() }, day.parse().unwrap())
    }

    #[test]
    fn without_a_file_a_program_tells_the_day_of_its_own_version() {
        let install = with_application("3.2+dfsg", &[("3.1", "2025-01-01"), ("3.2", "2026-04-04")]);
        let told = without_a_file(&install, Known::default(), "2026-05-04");
        let item = &told.items[0];
        assert_eq!((item.age_days, item.newest.releases, item.at_least), (Some(30), 0, true));
        assert_eq!(item.released_by.as_ref().unwrap().by, KnownBy::Metainfo);
        // A day that is later than the one that counts proves nothing.
        let early = without_a_file(&install, Known::default(), "2026-03-01");
        assert_eq!((early.items.len(), &early.unknown[..]), (0, &["Inkcap".into()][..]));
    }

    #[test]
    fn what_another_install_says_or_shipped_tells_how_far_behind_at_least() {
        let install = with_application("48.2", &[("48.2", "2026-01-01")]);
        let newer = with_application(
            "49.1",
            &[("48.3", "2026-02-01"), ("49.0", "2026-04-01"), ("49.1", "2026-06-01")],
        );
        let mut known = Known::of(&newer);
        known.add_shipped("org.marsh.inkcap", "49.0.1", "2026-04-26", &"fenland-13".into());
        let told = without_a_file(&install, known, "2026-05-04");
        let item = &told.items[0];
        assert_eq!((item.newest.releases, item.newest.days, item.newest.version.as_str()), (3, 92, "49.0.1"));
        assert_eq!(item.newest.first.as_ref().unwrap().version, "48.3");
        assert_eq!((item.series.as_deref(), item.series_guessed), (Some("48"), true));
        let own = item.in_series.as_ref().unwrap();
        assert_eq!((own.releases, own.version.as_str()), (1, "48.3"));
    }

    #[test]
    fn a_version_that_its_list_lacks_came_after_the_one_before_it() {
        let of = |version: &str| {
            let install = with_application(version, &[("48.5", "2026-01-01"), ("48.6", "2026-02-01")]);
            without_a_file(&install, Known::default(), "2026-05-04").items.first().cloned()
        };
        let item = of("48.7").unwrap();
        assert_eq!((item.released, item.newest.releases), (None, 0));
        let after = item.after.unwrap();
        assert_eq!((after.version.as_str(), after.released.as_str()), ("48.6", "2026-02-01"));
        assert_eq!(of("96.1"), None, "that counts something else");
        assert_eq!(of("48.6").unwrap().after, None, "its own day is known");
    }

    #[test]
    fn makers_or_base_hold_a_version_back() {
        let install = with_application("48.2", &[]);
        let mut known = Known::default();
        known.add_shipped("inkcap", "50", "2026-01-01", &"fenland-13".into());
        let held_by = |version: &str| {
            let base = with_application(version, &[]);
            let against = Against { upstream: None, known: known.clone(), base: Some(&base) };
            lag(&install, &against, "2026-05-04".parse().unwrap()).items[0].held_by
        };
        assert_eq!(held_by("48.2"), Some(HeldBy::Base));
        assert_eq!(held_by("49.1"), Some(HeldBy::Makers));
        assert_eq!(held_by("47"), None);
    }

    #[test]
    fn the_day_that_counts_is_the_releases_else_that_of_the_newest_package() {
        let mut install = with_application("1", &[]);
        install.packages.clear();
        assert_eq!(day_that_counts(&install), None);
        for day in ["2026-02-01", "2026-03-01"] {
            let mut package = Package::new(System::Dpkg, day, "1");
            package.built = Some(day.into());
            install.packages.push(package);
        }
        assert_eq!(day_that_counts(&install), Some(Date::constant(2026, 3, 1)));
        install.label.release_date = Some("2026-01-04".into());
        assert_eq!(day_that_counts(&install), Some(Date::constant(2026, 1, 4)), "someone said so");
        install.label.release_date_from = Some(Evidence::file("usr/share/distro-info/marsh.csv"));
        assert_eq!(day_that_counts(&install), Some(Date::constant(2026, 3, 1)), "it was made anew since");
        assert_eq!(day_of_proof(&install), Some(Date::constant(2026, 3, 1)));
        install.packages.clear();
        install.taken.at = "2026-07-01T10:00:00Z".into();
        assert_eq!(
            day_of_proof(&install),
            Some(Date::constant(2026, 7, 1)),
            "nothing tells what was updated"
        );
    }

    proptest! {
        #[test]
        fn behind_is_what_was_out_by_the_day_and_is_newer(
            releases in prop::collection::vec((0..4_u8, 0..4_u8, 1..29_i8), 1..12), own in (0..4_u8, 0..4_u8), day in 1..29_i8,
        ) {
            let releases: Vec<((u8, u8), Date)> =
                releases.into_iter().map(|(major, minor, day)| ((major, minor), Date::constant(2031, 5, day))).collect();
            let day = Date::constant(2031, 5, day);
            let text = |(major, minor): (u8, u8)| format!("{major}.{minor}");
            let project: Vec<Release> = releases
                .iter()
                .map(|(version, date)| Release {
                    version: text(*version).into(),
                    date: *date,
                    series: None,
                    source: ReleaseSource::file(1),
                })
                .collect();
            let told = behind(project.iter(), &text(own), day);
            let newer: Vec<_> = releases.iter().filter(|(version, date)| *version > own && *date <= day).collect();
            prop_assert_eq!(told.releases as usize, newer.len());
            let newest = newer.iter().map(|(version, _)| *version).max();
            prop_assert_eq!(told.version.as_str(), text(newest.unwrap_or(own)));
            let first = newer.iter().map(|(_, date)| date.day()).min();
            prop_assert_eq!(i64::from(told.days), first.map_or(0, |first| i64::from(day.day() - first)));
            prop_assert_eq!(told.step.is_some(), newest.is_some());
            if let Some(newest) = newest {
                let same = if newest.0 == own.0 { Step::Minor } else { Step::Major };
                prop_assert_eq!(told.step, Some(same));
            }
        }

        #[test]
        fn any_bytes_are_a_list_or_an_error(text in "[a-z0-9,\"\n.-]{0,80}") {
            _ = Upstream::parse_csv(&format!("project,version,date,series\n{text}"));
            _ = Upstream::parse_toml(&text);
        }
    }
}
