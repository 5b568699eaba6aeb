//! What is known of releases without a file of the reviewer's: what programs say of themselves, and what other installs shipped.

use super::Release;
use crate::model::{Application, Evidence, Package, Part, Tally, Text, day_of};
use crate::version::compare_plain;
use crate::vocabulary;
use jiff::civil::Date;
use rustc_hash::FxHashMap;
use schemars::JsonSchema;
use serde::Serialize;

vocabulary! {
    /// What tells that a release was made.
    pub enum KnownBy {
        /// The reviewer's own file.
        UpstreamFile = "upstream-file",
        /// The project's own list of its releases (AppStream), in an install.
        Metainfo = "metainfo",
        /// An install that has it: it was out by then at the latest.
        Shipped = "shipped",
    }
}

/// Who says that a release was made.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct ReleaseSource {
    /// What tells it.
    pub by: KnownBy,
    /// The handle of the install; `null` where it is the reviewer's file.
    pub install: Option<Text>,
    /// Where it was read, in that install; the line of the reviewer's file.
    pub evidence: Evidence,
}

impl ReleaseSource {
    /// A line of the reviewer's file.
    pub(super) fn file(line: u32) -> Self {
        let evidence = Evidence { file: Text::default(), line: Some(line) };
        Self { by: KnownBy::UpstreamFile, install: None, evidence }
    }
}

/// Releases by the keys that [`keys_of_application`] and [`key_of_part`] give.
#[derive(Debug, Clone, Default)]
pub struct Known {
    releases: FxHashMap<String, Vec<Release>>,
}

impl Known {
    /// What an install says of the releases of its own programs.
    pub fn of(tally: &Tally) -> Self {
        let mut known = Self::default();
        for history in &tally.releases {
            for (version, day) in &history.released {
                known.add_stated(&history.project, version, day, &tally.label.handle, &history.evidence);
            }
        }
        known
    }

    /// Adds what a project says of a release of its own; what is no version or no day is left out.
    pub fn add_stated(&mut self, project: &str, version: &str, day: &str, install: &Text, at: &Evidence) {
        let source =
            ReleaseSource { by: KnownBy::Metainfo, install: Some(install.clone()), evidence: at.clone() };
        self.add(project.to_lowercase(), version, day_of(day), source);
    }

    /// Adds that an install had a version on a day.
    pub fn add_shipped(&mut self, key: &str, version: &str, day: &str, install: &Text) {
        let source = ReleaseSource {
            by: KnownBy::Shipped,
            install: Some(install.clone()),
            evidence: Evidence::default(),
        };
        self.add(key.to_owned(), version, day_of(day), source);
    }

    fn add(&mut self, key: String, version: &str, day: Option<Date>, source: ReleaseSource) {
        if let (Some(version), Some(date)) = (released(version), day) {
            self.releases.entry(key).or_default().push(Release { version, date, series: None, source });
        }
    }

    /// Adds all of another.
    pub fn merge(&mut self, other: &Self) {
        #[allow(clippy::iter_over_hash_type, reason = "each goes to a place of its own")]
        for (key, releases) in &other.releases {
            self.releases.entry(key.clone()).or_default().extend(releases.iter().cloned());
        }
    }

    /// The releases under any of some keys that may be compared with a version: each version once, by who says most of it, and on the
    /// earliest day that is told.
    pub(super) fn of_keys(&self, keys: &[String], beside: &str) -> Vec<Release> {
        let found = keys.iter().filter_map(|key| self.releases.get(key)).flatten();
        let mut found: Vec<&Release> =
            found.filter(|release| same_scheme(&release.version, beside)).collect();
        let order = |release: &&Release| (release.source.by, release.date, release.source.install.clone());
        found.sort_by(|a, b| compare_plain(&a.version, &b.version).then_with(|| order(a).cmp(&order(b))));
        found.dedup_by(|next, first| compare_plain(&next.version, &first.version).is_eq());
        found.into_iter().cloned().collect()
    }
}

/// The names that an application may be known by: its ID, those of its launchers and of their components, in small letters.
pub fn keys_of_application(tally: &Tally, application: &Application) -> Vec<String> {
    let of_launcher = |id: &Text| {
        let launcher = tally.launchers.iter().find(|launcher| launcher.id == *id);
        let components = launcher.map(|launcher| launcher.appstream.clone()).unwrap_or_default();
        std::iter::once(id.clone()).chain(components)
    };
    let names = std::iter::once(application.id.clone())
        .chain(application.launchers.iter().flat_map(of_launcher))
        .map(|name| name.to_lowercase())
        // Components were called like their launcher before, and some still are.
        .flat_map(|name| {
            let plain = name.strip_suffix(".desktop").map(ToOwned::to_owned);
            std::iter::once(name).chain(plain)
        });
    let mut keys: Vec<String> = Vec::new();
    names.for_each(|name| {
        if !keys.contains(&name) {
            keys.push(name);
        }
    });
    keys
}

/// The key of a part: what it is, and what fills it.
pub fn key_of_part(part: &Part) -> String {
    format!("{} = {}", part.part, part.name).to_lowercase()
}

/// The names that a part may be known by: its own key, and, where it is an application as well, those of that.
pub fn keys_of_part(tally: &Tally, part: &Part) -> Vec<String> {
    let same = |application: &&Application| application.name == part.name;
    let application = tally.applications.iter().find(same);
    std::iter::once(key_of_part(part))
        .chain(application.into_iter().flat_map(|one| keys_of_application(tally, one)))
        .collect()
}

/// A version as its project called it: without what packagers add (`+dfsg`); none for what is no release, and for words.
pub fn released(version: &str) -> Option<Text> {
    const UNDONE: &[&str] = &["alpha", "beta", "rc", "pre", "dev", "git", "svn", "snapshot"];
    let plain = version.trim().trim_start_matches(['v', 'V']);
    let plain = plain.split(['+', ' ']).next().unwrap_or_default();
    let small = plain.to_lowercase();
    let is_release = plain.starts_with(|c: char| c.is_ascii_digit())
        && !plain.contains('~')
        && !UNDONE.iter().any(|word| small.contains(word));
    is_release.then(|| plain.into())
}

/// Days from the newest release of a program's own list to the day that its package was built, where that release is in the package.
/// Packagers may have it before its day.
const FROM_LIST_TO_PACKAGE: std::ops::RangeInclusive<i32> = -14..=120;

/// The version of an application that releases are held against, and whether it is its own list's and not the package's.
///
/// Programs of a suite are packaged by the number of the suite, which is a year and a month (22.12.3), and count for themselves (5.22.3).
/// What such a program's list has last, shortly before the package was built, is what is in the package. `None` for what is no release.
pub fn counted_version(tally: &Tally, application: &Application) -> Option<(Text, bool)> {
    let own = released(application.version.as_deref()?)?;
    let by_list = || {
        let delivery = application.delivered.first()?;
        let is_it = |package: &&Package| package.reference() == delivery.reference();
        let built = day_of(tally.packages.iter().find(is_it)?.built.as_deref()?)?;
        let number = |version: &str| version.split(|c: char| !c.is_ascii_digit()).next()?.parse::<i16>().ok();
        let year = number(&own).filter(|number| (built.year() % 100 - number).abs() <= 1)?;
        let keys = keys_of_application(tally, application);
        let lists = tally.releases.iter().filter(|list| keys.contains(&list.project.to_lowercase()));
        let told = lists.flat_map(|list| &list.released);
        let told = told.filter_map(|(version, day)| Some((released(version)?, day_of(day)?)));
        let (newest, day) = told.max_by(|(a, _), (b, _)| compare_plain(a, b))?;
        let days = built.since(day).ok()?.get_days();
        let is_far = number(&newest).is_some_and(|number| number + 10 < year);
        (is_far && FROM_LIST_TO_PACKAGE.contains(&days)).then_some(newest)
    };
    Some(by_list().map_or_else(|| (own.clone(), false), |listed| (listed, true)))
}

/// Whether a version begins with a year: 2026.1, 20260401. Such a one and a plain number say nothing of one another.
pub fn is_dated(version: &str) -> bool {
    let first = version.split(|c: char| !c.is_ascii_digit()).next().unwrap_or_default();
    first.parse::<u64>().map_or(first.len() > 3, |number| number >= 1900)
}

/// Whether two versions count alike.
fn same_scheme(one: &str, other: &str) -> bool {
    is_dated(one) == is_dated(other)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn packagers_additions_go_and_what_is_in_the_making_is_no_release() {
        let told = |version| released(version).map(|text: Text| text.to_string());
        assert_eq!(told("3.22.4+dfsg1").as_deref(), Some("3.22.4"));
        assert_eq!(told("v1.2").as_deref(), Some("1.2"));
        for version in ["49.beta", "1.0~rc1", "2.0-RC1", "Bittern", "", "6.1git20250101"] {
            assert_eq!(told(version), None, "{version}");
        }
        assert_eq!(told("128.5.0esr").as_deref(), Some("128.5.0esr"));
    }

    #[test]
    fn a_version_is_told_once_by_who_says_most_of_it() {
        let mut known = Known::default();
        known.add_shipped("org.ink", "3.2", "2026-01-01", &"fenland-3".into());
        known.add_shipped("org.ink", "2026.1", "2026-01-01", &"fenland-4".into());
        known.add_stated("org.Ink", "3.2", "2025-12-24", &"marsh-5".into(), &Evidence::file("a"));
        known.add_stated("org.Ink", "3.1", "soon", &"marsh-5".into(), &Evidence::file("a"));
        let found = known.of_keys(&["none".into(), "org.ink".into()], "3.0");
        assert_eq!(found.len(), 1);
        assert_eq!(
            (found[0].source.by, found[0].date.to_string().as_str()),
            (KnownBy::Metainfo, "2025-12-24")
        );
    }

    proptest! {
        #[test]
        fn any_version_is_a_release_or_none(version in "[a-zA-Z0-9.+~ -]{0,12}", other in "[0-9.]{0,9}") {
            if let Some(plain) = released(&version) {
                prop_assert!(plain.starts_with(|c: char| c.is_ascii_digit()));
                let again = released(&plain);
                prop_assert_eq!(again, Some(plain));
            }
            prop_assert_eq!(same_scheme(&version, &other), same_scheme(&other, &version));
        }
    }
}
