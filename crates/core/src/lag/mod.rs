//! How far parts and applications were behind their makers on the day of the release.
//!
//! What the makers had released by then is in a file of the reviewer's (`docs/formats/upstream.md`): nothing is looked up, and
//! a project that the file does not know is listed, not guessed.

mod upstream;

pub use upstream::{Project, Release, Upstream};

use crate::model::{Delivery, Evidence, Label, PackageRef, Tally, Text};
use crate::version::{Step, compare_plain, step};
use jiff::civil::Date;
use rustc_hash::FxHashMap;
use schemars::JsonSchema;
use serde::Serialize;

/// Schema number of a lag document.
pub const LAG_SCHEMA: u32 = 2;

/// An install held against what its makers had released.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct Lag {
    /// Schema number of this document.
    pub schema_version: u32,
    /// The install.
    pub install: Label,
    /// The day that counts, `YYYY-MM-DD`.
    pub day: Text,
    /// Parts and applications whose project is known, those furthest behind first.
    pub items: Vec<LagItem>,
    /// Names of those whose project the file does not know, or no release of it by that day, sorted.
    pub unknown: Vec<Text>,
}

/// A part or an application, and its place among the releases of its project.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct LagItem {
    /// `part` or `application`.
    pub what: &'static str,
    /// Its name.
    pub name: Text,
    /// The project in the file.
    pub project: Text,
    /// The version that is there.
    pub version: Text,
    /// The series that it belongs to, where the file names one.
    pub series: Option<Text>,
    /// Against all releases.
    pub newest: Behind,
    /// Against the releases of its own series; `null` without a series.
    pub in_series: Option<Behind>,
    /// Where the version was read.
    pub evidence: Evidence,
}

/// How far behind.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Behind {
    /// The newest version by that day; the item's own where there is no newer one.
    pub version: Text,
    /// The day of its release, `YYYY-MM-DD`; `null` when the item is newer than all that the file knows.
    pub released: Option<Text>,
    /// Releases that are newer than the item's and were out by that day.
    pub releases: u32,
    /// Days since the first of those came out; 0 when there is none.
    pub days: u32,
    /// Step from the item's version to the newest; `null` when there is no newer one.
    pub step: Option<Step>,
}

/// Holds an install against the releases that were out on a day.
pub fn lag(tally: &Tally, upstream: &Upstream, day: Date) -> Lag {
    let mut work = LagFinder {
        index: upstream.index(),
        sources: sources(tally),
        day,
        items: Vec::new(),
        unknown: Vec::new(),
    };
    for part in &tally.parts {
        let package = part.package.as_ref();
        let keys = work.keys(&[&part.name, &part.part], package);
        work.add("part", &part.name, part.version.as_ref(), &keys, &part.evidence);
    }
    for application in &tally.applications {
        let delivery = application.delivered.first();
        let package = delivery.map(Delivery::reference);
        let keys = work.keys(&[&application.name, &application.id], package.as_ref());
        let launcher = tally.launcher_of(application);
        let evidence = launcher.map(|launcher| launcher.evidence.clone()).unwrap_or_default();
        work.add("application", &application.name, application.version.as_ref(), &keys, &evidence);
    }
    let LagFinder { mut items, mut unknown, .. } = work;
    items.sort_by(|a, b| {
        let far = |item: &LagItem| (item.newest.releases, item.newest.days);
        far(b).cmp(&far(a)).then_with(|| (a.what, &a.name).cmp(&(b.what, &b.name)))
    });
    unknown.sort_unstable();
    unknown.dedup();
    Lag {
        schema_version: LAG_SCHEMA,
        install: tally.label.clone(),
        day: day.to_string().into(),
        items,
        unknown,
    }
}

/// The source of each package, by its reference.
fn sources(tally: &Tally) -> FxHashMap<PackageRef, Text> {
    tally.present().map(|package| (package.reference(), package.source().into())).collect()
}

struct LagFinder<'a> {
    index: FxHashMap<String, &'a Project>,
    sources: FxHashMap<PackageRef, Text>,
    day: Date,
    items: Vec<LagItem>,
    unknown: Vec<Text>,
}

impl LagFinder<'_> {
    /// Every name that a project may be known by, the most telling first.
    fn keys(&self, names: &[&Text], package: Option<&PackageRef>) -> Vec<String> {
        let mut keys: Vec<String> = names.iter().map(|name| name.to_lowercase()).collect();
        if let Some(package) = package {
            keys.push(package.name().to_lowercase());
            keys.extend(self.sources.get(package).map(|source| source.to_lowercase()));
        }
        keys
    }

    fn add(
        &mut self,
        what: &'static str,
        name: &Text,
        version: Option<&Text>,
        keys: &[String],
        evidence: &Evidence,
    ) {
        // What has no version of its own is behind nothing.
        let Some(version) = version else { return };
        let Some(project) = keys.iter().find_map(|key| self.index.get(key)).copied() else {
            self.unknown.push(name.clone());
            return;
        };
        // Programs of one suite, or a part that is an application as well, are told once, a suite by its own name.
        let alike = |item: &&mut LagItem| item.project == project.name && item.version == *version;
        if let Some(item) = self.items.iter_mut().find(alike) {
            if item.what == "application" && item.name != *name {
                item.name = project.name.clone();
            }
            return;
        }
        // Before its first release that the file knows, nobody can tell what was newest.
        if project.releases.iter().all(|release| release.date > self.day) {
            self.unknown.push(name.clone());
            return;
        }
        let series = project.series_of(version);
        self.items.push(LagItem {
            what,
            name: name.clone(),
            project: project.name.clone(),
            version: version.clone(),
            newest: behind(project.releases.iter(), version, self.day),
            in_series: series.as_ref().map(|series| {
                behind(
                    project.releases.iter().filter(|r| r.series.as_ref() == Some(series)),
                    version,
                    self.day,
                )
            }),
            series,
            evidence: evidence.clone(),
        });
    }
}

fn behind<'r>(releases: impl Iterator<Item = &'r Release>, version: &str, day: Date) -> Behind {
    let out: Vec<&Release> = releases.filter(|release| release.date <= day).collect();
    let newer = || out.iter().filter(|release| compare_plain(&release.version, version).is_gt());
    let newest = newer().max_by(|a, b| compare_plain(&a.version, &b.version));
    let first = newer().map(|release| release.date).min();
    let days = first.and_then(|first| day.since(first).ok()).map_or(0, |span| span.get_days());
    let own = out.iter().find(|release| compare_plain(&release.version, version).is_eq());
    let shown = newest.or(own);
    Behind {
        version: newest.map_or_else(|| version.into(), |release| release.version.clone()),
        released: shown.map(|release| release.date.to_string().into()),
        releases: u32::try_from(newer().count()).unwrap_or(u32::MAX),
        days: u32::try_from(days).unwrap_or(0),
        step: newest.and_then(|newest| step(version, &newest.version)),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::knowledge::RulesError;
    use crate::model::{Package, Part, System, samples};
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
        let lag = lag(&tally(), &upstream, "2026-05-04".parse().unwrap());
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
        let early = lag(&tally(), &upstream, "2025-12-01".parse().unwrap());
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
        let day = "2026-05-04".parse().unwrap();
        let lag = lag(&tally(), &upstream, day);
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
        let lag = lag(&tally(), &Upstream::parse_toml(file).unwrap(), "2026-05-04".parse().unwrap());
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
        let lag = lag(&install, &Upstream::parse_toml(FILE).unwrap(), "2026-05-04".parse().unwrap());
        let told: Vec<(&str, &str)> = lag.items.iter().map(|item| (item.what, item.name.as_str())).collect();
        assert_eq!(told, [("application", "inkcap")]);
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
                .map(|(version, date)| Release { version: text(*version).into(), date: *date, series: None })
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
