//! The few lines that matter most, by a scoring table that a reviewer can change.

use super::document::{
    ApplicationChange, ApplicationSort, Comparison, Decision, DecisionSort, DefaultSort, Headline, ListSort,
    PartSort,
};
use crate::knowledge::{Agents, PartRules, Roles, Scores};
use crate::model::{Delivery, Kind, Menu, System, Tally, Text, bytes_human};
use crate::version::Step;
use rustc_hash::FxHashMap;
use std::collections::{BTreeMap, BTreeSet};

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
    let mut work = Work {
        comparison,
        old,
        new,
        rules,
        decisions: comparison.decisions.iter().map(|decision| (decision.id.as_str(), decision)).collect(),
        told: BTreeSet::new(),
        found: Vec::new(),
    };
    work.defaults();
    work.parts();
    work.applications();
    work.heavy_decisions();
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
    decisions: FxHashMap<&'a str, &'a Decision>,
    /// Decisions of which a headline tells already.
    told: BTreeSet<Text>,
    found: Vec<Headline>,
}

/// A decision by which so many packages come or go is worth a headline, or one by which so many in a hundred bytes do.
const HEAVY_PACKAGES: usize = 40;
const HEAVY_PER_CENT: u64 = 3;

impl<'a> Work<'a> {
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
        // One that replaces several in the same role is one line too: with the first of them.
        let mut firsts: FxHashMap<(&str, &Text), &str> = FxHashMap::default();
        for change in &self.comparison.defaults {
            let (old, new) = (change.old.as_deref().unwrap_or(""), change.new.as_deref().unwrap_or(""));
            let key = match change.sort {
                DefaultSort::Replaced => *firsts.entry((new, &change.role)).or_insert(old),
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
        let behind = self.decisions_of_packages();
        let decision_of = |tally: &Tally, id: &str| {
            let delivery = delivered(tally, id)?;
            behind.get(&(delivery.system, delivery.package.as_str())).map(|id| (*id).clone())
        };
        // What took a role has its headline there.
        self.told.extend(replaced.iter().filter_map(|id| decision_of(self.new, id)));
        let mut groups: BTreeMap<(ApplicationSort, Text), Vec<&ApplicationChange>> = BTreeMap::new();
        for change in &self.comparison.applications {
            let tally = if change.sort == ApplicationSort::Gone { self.old } else { self.new };
            let key = match change.sort {
                ApplicationSort::New | ApplicationSort::Gone if change.menu != Menu::Games => {
                    decision_of(tally, &change.id).unwrap_or_else(|| change.id.clone())
                }
                // Another family of the whole install is one line, not one for each program.
                ApplicationSort::MovedFormat => match another_family(change) {
                    Some((was, is)) => format!("{was} to {is}").into(),
                    None => change.id.clone(),
                },
                _ => continue,
            };
            // A mixer that came with another sound server is no news of its own.
            let told = self.decisions.get(key.as_str()).is_some_and(|decision| self.is_of_a_part(decision));
            if !told && !replaced.contains(&change.id.as_str()) {
                groups.entry((change.sort, key)).or_default().push(change);
            }
        }
        for ((sort, key), changes) in groups {
            let names: Vec<&str> = changes.iter().map(|change| change.name.as_str()).collect();
            let inherited = self.decisions.get(key.as_str()).and_then(|decision| decision.inherited);
            self.told.insert(key.clone());
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

    /// Whether something that took the place of a part came by a decision; the part has a headline of its own.
    fn is_of_a_part(&self, decision: &Decision) -> bool {
        let replaced = self.comparison.parts.iter().filter(|part| part.sort == PartSort::Replaced);
        replaced.filter_map(|part| part.package.as_ref()).any(|package| decision.packages.contains(package))
    }

    /// The decision behind each changed package.
    fn decisions_of_packages(&self) -> FxHashMap<(System, &'a str), &'a Text> {
        let decided = self.comparison.packages.iter().filter_map(|change| {
            let side = change.new.as_ref().or(change.old.as_ref())?;
            Some(((change.system, side.name.as_str()), change.decision.as_ref()?))
        });
        decided.collect()
    }

    fn bytes_of(&self, decision: &str) -> i64 {
        self.decisions.get(decision).map_or(0, |known| known.bytes_delta)
    }

    /// ` (7 packages, +412 MB)` for a decision with followers.
    fn weight_of(&self, decision: &str) -> String {
        let Some(decision) = self.decisions.get(decision) else { return String::new() };
        match (decision.packages.len(), signed(decision.bytes_delta)) {
            (0 | 1, None) => String::new(),
            (n, None) => format!(" ({n} packages)"),
            (0 | 1, Some(weight)) => format!(" ({weight})"),
            (n, Some(weight)) => format!(" ({n} packages, {weight})"),
        }
    }

    /// Decisions of great weight that no program stands for: what a small need brings along is seldom seen.
    fn heavy_decisions(&mut self) {
        let all = self.comparison.totals.old_bytes.max(self.comparison.totals.new_bytes);
        let heavy = |decision: &&Decision| {
            let weighs = decision.bytes_delta.unsigned_abs().saturating_mul(100);
            decision.packages.len() >= HEAVY_PACKAGES
                || (all > 0 && weighs >= all.saturating_mul(HEAVY_PER_CENT))
        };
        for decision in self.comparison.decisions.iter().filter(heavy) {
            if self.told.contains(&decision.id) || self.is_of_a_part(decision) {
                continue;
            }
            let (what, number) = (&decision.what, decision.packages.len());
            let packages = if number == 1 { "1 package".to_owned() } else { format!("{number} packages") };
            let weight =
                signed(decision.bytes_delta).map_or_else(String::new, |weight| format!(" ({weight})"));
            // The application may be there in another format before or after.
            let system = decision.head.as_ref().and_then(|head| head.parts()).map(|(system, _)| system);
            let format = system.filter(|system| system.is_sandbox());
            let how = format.map_or_else(String::new, |system| format!(" as {}", system.name()));
            let text = match decision.sort {
                DecisionSort::PutIn => format!("{what} came{how}{}", self.weight_of(&decision.id)),
                DecisionSort::TakenOut => format!("{what} went{how}{}", self.weight_of(&decision.id)),
                DecisionSort::NewlyNeeded => {
                    format!("{packages} came{weight} for {what}: {}", decision.because)
                }
                DecisionSort::NoLongerNeeded => {
                    format!("{packages} went{weight} that {what} brought: {}", decision.because)
                }
                DecisionSort::SharedNew => format!("{packages} came{weight} that {what} share"),
                DecisionSort::SharedOld => format!("{packages} went{weight} that {what} shared"),
            };
            let more = (decision.bytes_delta.unsigned_abs() / 1_000_000 / 20).min(20);
            let about = format!("decision:{}", decision.id);
            self.add("decision-heavy", i32::try_from(more).unwrap_or(0), decision.inherited, text, about);
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

/// A change of weight with its sign; `None` for none.
fn signed(delta: i64) -> Option<String> {
    let sign = if delta > 0 { '+' } else { '-' };
    (delta != 0).then(|| format!("{sign}{}", bytes_human(delta.unsigned_abs())))
}

/// What an application was delivered in first.
fn delivered<'t>(tally: &'t Tally, application: &str) -> Option<&'t Delivery> {
    tally.applications.iter().find(|known| known.id == application)?.delivered.first()
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
