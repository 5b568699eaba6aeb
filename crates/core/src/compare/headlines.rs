//! The few lines that matter most, by a scoring table that a reviewer can change.

use super::document::{
    ApplicationChange, ApplicationSort, Comparison, DefaultSort, Headline, ListSort, PartSort,
};
use crate::knowledge::{Agents, PartRules, Roles, Scores};
use crate::model::{Kind, Menu, System, Tally, Text};
use crate::version::Step;
use std::collections::BTreeMap;

/// At most so many.
const MOST: usize = 12;

/// Everything that headlines are made with besides the comparison itself.
#[derive(Debug, Clone, Copy)]
pub struct HeadlineRules<'a> {
    /// The scoring table.
    pub scores: &'a Scores,
    /// Roles, for their names.
    pub roles: &'a Roles,
    /// Parts, for their names.
    pub parts: &'a PartRules,
    /// Agents that report to somebody elsewhere.
    pub agents: &'a Agents,
}

/// The headlines of a comparison, best first; of equal scores the first by its words.
pub(super) fn headlines(
    comparison: &Comparison,
    old: &Tally,
    new: &Tally,
    rules: &HeadlineRules<'_>,
) -> Vec<Headline> {
    let mut work = Work { comparison, old, new, rules, found: Vec::new() };
    work.defaults();
    work.parts();
    work.applications();
    work.games();
    work.repositories_and_startup();
    work.weight();
    let mut found = work.found;
    found.sort_by(|a, b| b.score.cmp(&a.score).then_with(|| a.text.cmp(&b.text)));
    found.dedup_by(|a, b| a.text == b.text);
    found.truncate(MOST);
    found
}

/// A role, and whether the base made the same change of it.
type Asked<'a> = (&'a Text, Option<bool>);

/// Holders that one replaces, and the roles it took.
type Line<'a> = (Vec<&'a str>, Vec<Asked<'a>>);

struct Work<'a> {
    comparison: &'a Comparison,
    old: &'a Tally,
    new: &'a Tally,
    rules: &'a HeadlineRules<'a>,
    found: Vec<Headline>,
}

impl Work<'_> {
    fn add(&mut self, rule: &str, more: i32, inherited: Option<bool>, text: String, about: String) {
        let less = if inherited == Some(true) { self.rules.scores.of("inherited") } else { 0 };
        let score = self.rules.scores.of(rule) + more + less;
        if let Some(score) = u32::try_from(score).ok().filter(|score| *score > 0) {
            self.found.push(Headline { rule: rule.into(), score, text: text.into(), about: about.into() });
        }
    }

    fn application(tally: &Tally, id: &str) -> Text {
        tally.holder(id).0.into()
    }

    /// Changes of one holder to another are one line, named after the weightiest role.
    fn defaults(&mut self) {
        let mut pairs: BTreeMap<(DefaultSort, &str, &str), Line<'_>> = BTreeMap::new();
        for change in &self.comparison.defaults {
            let (old, new) = (change.old.as_deref().unwrap_or(""), change.new.as_deref().unwrap_or(""));
            // One that replaces several in the same role is one line too.
            let mut alike = self.comparison.defaults.iter().filter(|other| other.sort == change.sort);
            let first = alike.find(|other| other.new == change.new && other.role == change.role);
            let key = match first.and_then(|first| first.old.as_deref()) {
                Some(first) if change.sort == DefaultSort::Replaced => first,
                _ => old,
            };
            let (olds, roles) = pairs.entry((change.sort, key, new)).or_default();
            if !olds.contains(&old) {
                olds.push(old);
            }
            roles.push((&change.role, change.inherited));
        }
        let mut lines = Vec::new();
        for ((sort, _, new), (olds, mut roles)) in pairs {
            roles.sort_by_key(|(role, _)| (std::cmp::Reverse(self.rules.scores.role(role)), *role));
            roles.dedup_by_key(|(role, _)| *role);
            let Some((main, inherited)) = roles.first().copied() else { continue };
            let label = self.rules.roles.noun(main);
            let more = match roles.len() {
                1 => String::new(),
                2 => format!(", and as {}", self.rules.roles.noun(roles[1].0)),
                n => format!(", and for {} more jobs", n - 1),
            };
            let mut was: Vec<Text> = olds.iter().map(|old| Self::application(self.old, old)).collect();
            was.dedup();
            let (was, is) = (was.join(" and "), Self::application(self.new, new));
            let (rule, text) = match sort {
                DefaultSort::Replaced => {
                    ("default-replaced", format!("{is} replaces {was} as {label}{more}"))
                }
                DefaultSort::DefaultChanged => (
                    "default-changed",
                    format!("{is} is the {label} now{more}; {was} is still there, no longer the default"),
                ),
                DefaultSort::NowEmpty => {
                    ("default-lost", format!("Nothing is left as {label}{more}: {was} was"))
                }
                DefaultSort::NowUnsure => (
                    "default-lost",
                    if new.is_empty() {
                        format!("No {label} is set any more{more}; it was {was}, and several could do it")
                    } else {
                        format!("Several could be the {label} now{more}, and none is set; {is} comes first")
                    },
                ),
                DefaultSort::NowFilled => continue,
            };
            lines.push((rule, self.rules.scores.role(main), inherited, text, format!("role:{main}")));
        }
        for (rule, score, inherited, text, about) in lines {
            self.add(rule, score, inherited, text, about);
        }
    }

    fn parts(&mut self) {
        for change in &self.comparison.parts {
            let label = self.rules.parts.label(&change.part).to_owned();
            let score = self.rules.scores.part(&change.part);
            let about = format!("part:{}", change.part);
            let side = |name: &Option<Text>, version: &Option<Text>| -> String {
                [name.as_deref(), version.as_deref()].into_iter().flatten().collect::<Vec<_>>().join(" ")
            };
            let (was, is) =
                (side(&change.old_name, &change.old_version), side(&change.new_name, &change.new_version));
            match change.sort {
                PartSort::Replaced => {
                    let text = format!("{label}: {is} takes the place of {was}");
                    self.add("part-replaced", score, change.inherited, text, about);
                }
                PartSort::Upgraded if change.step == Some(Step::Major) && score > 0 => {
                    let name = change.new_name.clone().unwrap_or_default();
                    let version = |version: &Option<Text>| version.clone().unwrap_or_default();
                    let text = format!(
                        "{name} went from {} to {}",
                        version(&change.old_version),
                        version(&change.new_version)
                    );
                    self.add("part-major", score, change.inherited, text, about);
                }
                PartSort::Upgraded if change.step == Some(Step::Minor) && score > 0 => {
                    let text = format!(
                        "{label} went from {was} to {}",
                        change.new_version.clone().unwrap_or_default()
                    );
                    self.add("part-minor", score, change.inherited, text, about);
                }
                PartSort::Downgraded => {
                    let text = format!("{label} went back from {was} to {is}");
                    self.add("part-major", score, change.inherited, text, about);
                }
                _ => {}
            }
        }
    }

    /// Programs that came or went by one decision are one line.
    fn applications(&mut self) {
        let replaced: Vec<&str> = self
            .comparison
            .applications
            .iter()
            .filter(|change| change.sort == ApplicationSort::Replaced)
            .map(|change| change.id.as_str())
            .collect();
        let mut groups: BTreeMap<(ApplicationSort, Text), Vec<&ApplicationChange>> = BTreeMap::new();
        for change in &self.comparison.applications {
            let tally = if change.sort == ApplicationSort::Gone { self.old } else { self.new };
            let key = match change.sort {
                ApplicationSort::New | ApplicationSort::Gone if change.menu != Menu::Games => {
                    self.decision_of(tally, &change.id).unwrap_or_else(|| change.id.clone())
                }
                // Another family of the whole install is one line, not one for each program.
                ApplicationSort::MovedFormat => match another_family(change) {
                    Some((was, is)) => format!("{was} to {is}").into(),
                    None => change.id.clone(),
                },
                _ => continue,
            };
            // A mixer that came with another sound server is no news of its own.
            let told = self.comparison.decisions.iter().find(|decision| decision.id == key).is_some_and(
                |decision| {
                    let parts = self.comparison.parts.iter().filter(|part| part.sort == PartSort::Replaced);
                    parts
                        .filter_map(|part| part.package.as_ref())
                        .any(|package| decision.packages.contains(package))
                },
            );
            if !told && !replaced.contains(&change.id.as_str()) {
                groups.entry((change.sort, key)).or_default().push(change);
            }
        }
        for ((sort, key), changes) in groups {
            let names: Vec<&str> = changes.iter().map(|change| change.name.as_str()).collect();
            let inherited = self.comparison.decisions.iter().find(|d| d.id == key).and_then(|d| d.inherited);
            let weight = self.weight_of(&key);
            let about = format!("application:{}", changes[0].id);
            let said = listed(&names);
            // Heavy ones and whole suites are more of an event: a point a program, a point for each 20 MB, 20 at most.
            let megabytes = self.bytes_of(&key).unsigned_abs() / 1_000_000;
            let more = i32::try_from(changes.len().min(4) as u64 + (megabytes / 20).min(20)).unwrap_or(0);
            match sort {
                ApplicationSort::New => {
                    self.add("application-new", more, inherited, format!("{said} came{weight}"), about);
                }
                ApplicationSort::Gone => {
                    self.add("application-gone", more, inherited, format!("{said} went{weight}"), about);
                }
                _ => {
                    let change = changes[0];
                    let systems = |list: &[System]| {
                        list.iter().map(|system| system.name()).collect::<Vec<_>>().join(" and ")
                    };
                    let (was, is) = (systems(&change.old_systems), systems(&change.new_systems));
                    let text = if changes.len() > 3 {
                        format!("{} programs come as {is}; they were {was}", changes.len())
                    } else if change.new_systems.iter().any(|system| change.old_systems.contains(system)) {
                        format!("{said} comes as {is} now; it was {was} only")
                    } else {
                        format!("{said} moved from {was} to {is}")
                    };
                    self.add("format-moved", more, inherited, text, about);
                }
            }
        }
    }

    /// The decision that brought the first package of an application.
    fn decision_of(&self, tally: &Tally, application: &str) -> Option<Text> {
        let application = tally.applications.iter().find(|known| known.id == application)?;
        let delivery = application.delivered.first()?;
        let change = self.comparison.packages.iter().find(|change| {
            let side = change.new.as_ref().or(change.old.as_ref());
            change.system == delivery.system && side.is_some_and(|side| side.name == delivery.package)
        });
        change.and_then(|change| change.decision.clone())
    }

    fn bytes_of(&self, decision: &str) -> i64 {
        self.comparison
            .decisions
            .iter()
            .find(|known| known.id == decision)
            .map_or(0, |known| known.bytes_delta)
    }

    /// ` (7 packages, +412 MB)` for a decision with followers.
    fn weight_of(&self, decision: &str) -> String {
        let Some(decision) = self.comparison.decisions.iter().find(|known| known.id == decision) else {
            return String::new();
        };
        let megabytes = decision.bytes_delta / 1_000_000;
        match (decision.packages.len(), megabytes) {
            (0 | 1, 0) => String::new(),
            (0 | 1, megabytes) => format!(" ({megabytes:+} MB)"),
            (n, megabytes) => format!(" ({n} packages, {megabytes:+} MB)"),
        }
    }

    fn games(&mut self) {
        for (sort, word) in [(ApplicationSort::New, "came"), (ApplicationSort::Gone, "went")] {
            let games: Vec<&str> = self
                .comparison
                .applications
                .iter()
                .filter(|change| change.sort == sort && change.menu == Menu::Games)
                .map(|change| change.name.as_str())
                .collect();
            if let [first, ..] = games[..] {
                let noun =
                    if games.len() == 1 { "A game".to_owned() } else { format!("{} games", games.len()) };
                let text = format!("{noun} {word}: {}", listed(&games));
                let less = if games.len() == 1 { -15 } else { 0 };
                self.add("games", less, None, text, format!("application:{}", first.to_lowercase()));
            }
        }
    }

    fn repositories_and_startup(&mut self) {
        for change in self.comparison.repositories.iter().filter(|change| change.sort == ListSort::Added) {
            let text = format!("A repository is asked that was not: {}", change.name);
            self.add("repository-added", 0, change.inherited, text, format!("repository:{}", change.name));
        }
        let mut plain = Vec::new();
        for change in self.comparison.startup.iter().filter(|change| change.sort == ListSort::Added) {
            let stem = change.name.split(['.', ' ']).next().unwrap_or_default();
            match self.rules.agents.does(stem) {
                Some(does) => {
                    let text = format!("{stem} starts by itself now: it {does}");
                    self.add("agent-added", 0, change.inherited, text, format!("startup:{}", change.name));
                }
                None if change.inherited != Some(true) => plain.push(stem.trim_end_matches('@')),
                None => {}
            }
        }
        plain.sort_unstable();
        plain.dedup();
        if let [first, ..] = plain[..] {
            let how = if plain.len() == 1 { "starts by itself" } else { "start by themselves" };
            let text = format!("{} {how} now", listed(&plain));
            let about = format!("startup:{first}");
            self.add("startup-added", i32::try_from(plain.len().min(10)).unwrap_or(0), None, text, about);
        }
    }

    fn weight(&mut self) {
        let (old, new) = (self.comparison.totals.old_bytes, self.comparison.totals.new_bytes);
        if old == 0 || new == 0 || old.abs_diff(new) <= old / 10 {
            return;
        }
        let share = (u128::from(old.abs_diff(new)) * 100 / u128::from(old)).to_string();
        let word = if new > old { "more" } else { "less" };
        let languages =
            |tally: &Tally| tally.present().filter(|package| package.kind == Kind::Language).count();
        let more =
            if languages(self.new) > languages(self.old) + 20 { ", and many more languages" } else { "" };
        let text = format!("It weighs {share} % {word} on disk{more}");
        self.add("weight-changed", 0, None, text, "weight".into());
    }
}

/// `A`, `A and B`, `A, B and C`, `A, B and 4 more`.
fn listed(names: &[&str]) -> String {
    match names {
        [] => String::new(),
        [one] => (*one).to_owned(),
        [first @ .., last] if names.len() <= 4 => format!("{} and {last}", first.join(", ")),
        _ => format!("{} and {} more", names[..3].join(", "), names.len() - 3),
    }
}
/// The systems of an application that moved between two that each install whole systems.
fn another_family(change: &ApplicationChange) -> Option<(System, System)> {
    let native = |list: &[System]| -> Vec<System> {
        list.iter().copied().filter(|system| !system.is_sandbox()).collect()
    };
    match (&native(&change.old_systems)[..], &native(&change.new_systems)[..]) {
        ([was], [is]) if was != is => Some((*was, *is)),
        _ => None,
    }
}
