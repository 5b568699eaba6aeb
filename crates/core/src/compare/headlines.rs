//! The headlines of a comparison, by a scoring table that a reviewer can change.

use super::applications::told_apart;
use super::lists;
use super::{
    ApplicationChange, ApplicationChangeKind, Comparison, Decision, DefaultChangeKind, Filling, Headline,
    ListChange, ListChangeKind, ListItem, Named, News, PackageChange, PartChange, PartChangeKind,
    PictureChange, PictureChangeKind, Succession, Weight,
};
use crate::knowledge::{Agents, PartRules, Roles, Scores, settings as settings_table};
use crate::model::{AgentPurpose, Delivery, Kind, Menu, PackageRef, PictureKind, System, Tally, Text};
use crate::version::Step;
use rustc_hash::FxHashMap;
use std::collections::{BTreeMap, BTreeSet};

/// The most headlines that are shown.
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
    /// Agents that report to their makers.
    pub agents: &'a Agents,
}

/// The headlines of a comparison, the highest score first; of equal scores in the order of [`News`].
pub(super) fn headlines(
    comparison: &Comparison,
    old: &Tally,
    new: &Tally,
    rules: &HeadlineRules<'_>,
) -> Vec<Headline> {
    let mut builder = HeadlineBuilder {
        comparison,
        old,
        new,
        rules,
        decisions: comparison.decisions.iter().map(|decision| (decision.id.as_str(), decision)).collect(),
        told: BTreeSet::new(),
        found: Vec::new(),
    };
    builder.defaults();
    builder.parts();
    builder.versions();
    builder.looks();
    builder.settings();
    builder.pictures();
    builder.applications();
    builder.games();
    builder.heavy_decisions();
    builder.repositories_and_startup();
    builder.size();
    let mut found = builder.found;
    once(&mut found);
    found.sort_by(|a, b| b.score.cmp(&a.score).then_with(|| a.news.cmp(&b.news)));
    found.dedup_by(|a, b| a.news == b.news);
    found.truncate(MOST);
    found
}

/// That an application is gone and that its job has no other are one headline: the job's, with the weight of the application.
fn once(found: &mut Vec<Headline>) {
    let gone: Vec<(Text, Weight, u32)> = found
        .iter()
        .filter_map(|headline| match &headline.news {
            News::Applications { change: ApplicationChangeKind::Removed, names, weight, .. } => {
                match &names[..] {
                    [name] => Some((name.clone(), *weight, headline.score)),
                    _ => None,
                }
            }
            _ => None,
        })
        .collect();
    let mut told: Vec<Text> = Vec::new();
    for headline in found.iter_mut() {
        let News::Default { change: DefaultChangeKind::Lost, was, weight, .. } = &mut headline.news else {
            continue;
        };
        if let [name] = &was[..]
            && let Some((_, own, score)) = gone.iter().find(|(gone, ..)| gone == name)
        {
            *weight = *own;
            headline.score = headline.score.max(*score);
            told.push(name.clone());
        }
    }
    found.retain(|headline| match &headline.news {
        News::Applications { change: ApplicationChangeKind::Removed, names, .. } => {
            !matches!(&names[..], [name] if told.contains(name))
        }
        _ => true,
    });
}

/// A role, and whether the base made the same change of it.
type Asked<'a> = (&'a Text, Option<bool>);

/// Applications that were the default, and the roles that changed.
type Line<'a> = (Vec<&'a str>, Vec<Asked<'a>>);

struct HeadlineBuilder<'a> {
    comparison: &'a Comparison,
    old: &'a Tally,
    new: &'a Tally,
    rules: &'a HeadlineRules<'a>,
    decisions: FxHashMap<&'a str, &'a Decision>,
    /// Decisions that have a headline.
    told: BTreeSet<Text>,
    found: Vec<Headline>,
}

/// A decision has a headline if it adds or removes at least this many packages, or this share of all bytes on disk.
const HEAVY_PACKAGES: usize = 40;
const HEAVY_PER_CENT: u64 = 3;

impl<'a> HeadlineBuilder<'a> {
    /// Adds a headline by the score of `rule` and `more`; none if that is not above 0.
    fn add(&mut self, rule: &str, more: i32, inherited: Option<bool>, news: News, about: String) {
        let less = if inherited == Some(true) { self.rules.scores.of("inherited") } else { 0 };
        let score = self.rules.scores.of(rule) + more + less;
        if let Some(score) = u32::try_from(score).ok().filter(|score| *score > 0) {
            self.found.push(Headline { rule: rule.into(), score, news, about: about.into() });
        }
    }

    fn application(tally: &Tally, id: &str) -> Text {
        tally.holder(id).0.into()
    }

    /// One headline for each pair of applications, named after the most important role.
    fn defaults(&mut self) {
        let mut pairs: BTreeMap<(DefaultChangeKind, &str, &str), Line<'_>> = BTreeMap::new();
        // An application that replaces several in one role is one headline too.
        let mut firsts: FxHashMap<(&str, &Text), &str> = FxHashMap::default();
        for change in self.comparison.defaults.iter().filter(|change| !change.also) {
            let (old, new) = (change.old.as_deref().unwrap_or(""), change.new.as_deref().unwrap_or(""));
            let key = match change.change {
                DefaultChangeKind::Replaced => *firsts.entry((new, &change.role)).or_insert(old),
                _ => old,
            };
            let (olds, roles) = pairs.entry((change.change, key, new)).or_default();
            if !olds.contains(&old) {
                olds.push(old);
            }
            roles.push((&change.role, change.inherited));
        }
        let mut lines = Vec::new();
        let ids = |tally: &'a Tally| -> BTreeSet<&'a str> {
            tally.applications.iter().map(|one| one.id.as_str()).collect()
        };
        let in_menu = (ids(self.old), ids(self.new));
        let desktop = self.new_desktop();
        let mut follow: Vec<(i32, Succession)> = Vec::new();
        for ((change, _, new), (olds, mut roles)) in pairs {
            let rule = match change {
                DefaultChangeKind::Replaced => "default-replaced",
                DefaultChangeKind::Switched => "default-changed",
                DefaultChangeKind::Lost | DefaultChangeKind::Ambiguous => "default-lost",
                DefaultChangeKind::Filled => continue,
            };
            // Helpers that no menu shows change without anybody seeing it.
            if !in_menu.1.contains(new) && !olds.iter().any(|old| in_menu.0.contains(old)) {
                continue;
            }
            roles.sort_by_key(|(role, _)| (std::cmp::Reverse(self.rules.scores.role(role)), *role));
            roles.dedup_by_key(|(role, _)| *role);
            let Some((main, inherited)) = roles.first().copied() else { continue };
            let mut was: Vec<Text> = olds
                .iter()
                .filter(|old| !old.is_empty())
                .map(|old| Self::application(self.old, old))
                .collect();
            was.dedup();
            let mut is = (!new.is_empty()).then(|| Self::application(self.new, new));
            let package = |tally: &'a Tally, id: &str| delivered(tally, id).map(|delivery| &delivery.package);
            if let (DefaultChangeKind::Replaced | DefaultChangeKind::Switched, [one], Some(other)) =
                (change, &mut was[..], &mut is)
                && let Some(apart) =
                    told_apart((&*one, package(self.old, olds[0])), (&*other, package(self.new, new)))
            {
                (*one, *other) = apart;
            }
            let named = |role: &Text| Named { name: role.clone(), label: self.rules.roles.noun(role).into() };
            let follows = desktop.is_some()
                && change == DefaultChangeKind::Replaced
                && !self.rules.scores.is_chosen_apart(main);
            if let (true, Some(was), Some(is)) = (follows, was.first(), &is) {
                let job = Succession { role: named(main), was: was.clone(), is: is.clone() };
                follow.push((self.rules.scores.role(main), job));
                continue;
            }
            let weight = delivered(self.new, new)
                .and_then(|delivery| {
                    self.decision_of_package(delivery).filter(|decision| is_head(decision, delivery))
                })
                .map(weight_of)
                .unwrap_or_default();
            let news = News::Default {
                change,
                was,
                is,
                weight,
                roles: roles.iter().map(|(role, _)| named(role)).collect(),
            };
            lines.push((rule, self.rules.scores.role(main), inherited, news, format!("role:{main}")));
        }
        for (rule, score, inherited, news, about) in lines {
            self.add(rule, score, inherited, news, about);
        }
        if let (Some((was, is)), false) = (desktop, follow.is_empty()) {
            follow.sort_by(|a, b| b.0.cmp(&a.0).then_with(|| a.1.cmp(&b.1)));
            let jobs = follow.into_iter().map(|(_, job)| job).collect();
            self.add("desktop-apps", 0, None, News::DesktopApps { was, is, jobs }, "part:desktop".into());
        }
    }

    /// The desktop that was and the one that is, where it is another one.
    fn new_desktop(&self) -> Option<(Text, Text)> {
        let replaced = |part: &&PartChange| part.part == "desktop" && part.change == PartChangeKind::Replaced;
        let change = self.comparison.parts.iter().find(replaced)?;
        Some((change.old_name.clone()?, change.new_name.clone()?))
    }

    /// The decision that brought a package.
    fn decision_of_package(&self, delivery: &Delivery) -> Option<&'a Decision> {
        let of = |change: &&PackageChange| {
            change.system == delivery.system
                && change.new.as_ref().is_some_and(|side| side.name == delivery.package)
        };
        let change = self.comparison.packages.iter().find(of)?;
        self.decisions.get(change.decision.as_ref()?.as_str()).copied()
    }

    /// Applications that people know by their jobs, in a new major version. Key figures have their own block.
    fn versions(&mut self) {
        let mut told: BTreeSet<&str> = BTreeSet::new();
        let mut lines = Vec::new();
        for choice in self.new.defaults.iter().filter(|choice| !choice.also) {
            let score = self.rules.scores.role(&choice.role);
            let told_by_version = self.rules.scores.is_told_by_version(&choice.role);
            let holder = choice.holder(&self.new.defaults).filter(|_| told_by_version);
            let Some(id) = holder.map(Text::as_str) else { continue };
            let major = |change: &&ApplicationChange| {
                change.id == id
                    && change.change == ApplicationChangeKind::Updated
                    && change.step == Some(Step::Major)
            };
            if let Some(change) = self.comparison.applications.iter().find(major)
                && let (Some(was), Some(is)) = (&change.old_version, &change.new_version)
                && told.insert(id)
            {
                let role =
                    Named { name: choice.role.clone(), label: self.rules.roles.noun(&choice.role).into() };
                let news =
                    News::AppVersion { role, name: change.name.clone(), was: was.clone(), is: is.clone() };
                lines.push((score, news, format!("application:{id}")));
            }
        }
        for (score, news, about) in lines {
            self.add("app-major", score, None, news, about);
        }
    }

    /// The session that starts, and what new users see.
    fn looks(&mut self) {
        let desktop = self.new_desktop().is_some();
        for change in &self.comparison.looks {
            let colours = [&change.old, &change.new].map(Option::as_deref);
            let rule = match change.item {
                // That it can be dark now, and isn't, is nothing that a person sees.
                ListItem::DefaultColours
                    if matches!(colours, [None, Some("light")] | [Some("light"), None]) =>
                {
                    continue;
                }
                ListItem::DefaultDisplay => "session-changed",
                // With another desktop all of it is another one.
                ListItem::DefaultTheme
                | ListItem::DefaultIcons
                | ListItem::DefaultWallpaper
                | ListItem::DefaultColours
                    if !desktop =>
                {
                    "look-changed"
                }
                _ => continue,
            };
            let more = if change.item == ListItem::DefaultWallpaper { WALLPAPER } else { 0 };
            let news = News::Look { item: change.item, was: change.old.clone(), is: change.new.clone() };
            self.add(rule, more, change.inherited, news, format!("look:{}", change.item));
        }
    }

    /// How many wallpapers are new.
    fn pictures(&mut self) {
        let count = |change: PictureChangeKind| {
            let is_it = |one: &&PictureChange| one.kind == PictureKind::Wallpaper && one.change == change;
            self.comparison.pictures.iter().filter(is_it).count() as u64
        };
        let (new, kept) = (count(PictureChangeKind::New), count(PictureChangeKind::Kept));
        let (alike, gone) = (count(PictureChangeKind::Alike), count(PictureChangeKind::Gone));
        if new > 0 && self.new_desktop().is_none() {
            let news =
                News::Wallpapers { new, kept: kept + alike + count(PictureChangeKind::SameName), gone };
            self.add("wallpapers-new", 0, None, news, "look:wallpapers".into());
        }
    }

    /// What a person sees at once is set otherwise. With another desktop all of it is another one.
    fn settings(&mut self) {
        if self.new_desktop().is_some() {
            return;
        }
        for change in &self.comparison.settings {
            let Some(rule) = settings_table().of(&change.name).filter(|rule| rule.headline) else { continue };
            if change.change != ListChangeKind::Changed {
                continue;
            }
            let news = News::Setting {
                setting: Named { name: rule.key.clone(), label: rule.label.clone() },
                was: change.old.clone(),
                is: change.new.clone(),
            };
            self.add("setting-changed", 0, change.inherited, news, format!("setting:{}", change.name));
        }
    }

    fn parts(&mut self) {
        // Between distributions of different ages older versions are no news: the key figures tell them.
        let is_one_distro = self.old.label.distro_id == self.new.label.distro_id;
        for change in &self.comparison.parts {
            let score = self.rules.scores.part(&change.part);
            let rule = match (change.change, change.step) {
                (PartChangeKind::Replaced, _) => "part-replaced",
                (PartChangeKind::Downgraded, _) if is_one_distro => "part-downgraded",
                (PartChangeKind::Added, _) if score > 0 && self.is_alone(change) => "part-new",
                (PartChangeKind::Removed, _) if score > 0 && self.is_alone(change) => "part-gone",
                _ => continue,
            };
            let filling = |name: &Option<Text>, version: &Option<Text>| Filling {
                name: name.clone().unwrap_or_default(),
                version: version.clone(),
            };
            let label = self.rules.parts.label(&change.part).into();
            let news = News::Part {
                change: change.change,
                part: Named { name: change.part.clone(), label },
                step: change.step,
                was: filling(&change.old_name, &change.old_version),
                is: filling(&change.new_name, &change.new_version),
            };
            self.add(rule, score, change.inherited, news, format!("part:{}", change.part));
        }
    }

    /// What fills a part and is among the packages of a decision, as the desktop would say it: a toolkit, a framework.
    fn parts_in(&self, decision: &Decision) -> Vec<Text> {
        let is_in = |part: &&PartChange| {
            part.package.as_ref().is_some_and(|package| decision.packages.contains(package))
        };
        let changed =
            |part: &&PartChange| matches!(part.change, PartChangeKind::Added | PartChangeKind::Removed);
        let parts = self.comparison.parts.iter().filter(changed).filter(is_in);
        parts.filter_map(|part| part.new_name.clone().or_else(|| part.old_name.clone())).collect()
    }

    /// Whether nothing else fills the part on either side.
    fn is_alone(&self, change: &PartChange) -> bool {
        self.comparison.parts.iter().filter(|other| other.part == change.part).count() == 1
    }

    /// Programs that were added or removed by one decision are one headline.
    fn applications(&mut self) {
        let replaced: Vec<&str> = self
            .comparison
            .applications
            .iter()
            .filter(|change| change.change == ApplicationChangeKind::Replaced)
            .map(|change| change.id.as_str())
            .collect();
        let behind = self.decisions_of_packages();
        let decision_of = |tally: &Tally, id: &str| {
            let delivery = delivered(tally, id)?;
            behind.get(&(delivery.system, delivery.package.as_str())).map(|id| (*id).clone())
        };
        // What took over a role has its headline there.
        self.told.extend(replaced.iter().filter_map(|id| decision_of(self.new, id)));
        let mut groups: BTreeMap<(ApplicationChangeKind, Text), Vec<&ApplicationChange>> = BTreeMap::new();
        for change in &self.comparison.applications {
            let key = match change.change {
                ApplicationChangeKind::Added | ApplicationChangeKind::Removed
                    if change.menu != Menu::Games =>
                {
                    let is_gone = change.change == ApplicationChangeKind::Removed;
                    let tally = if is_gone { self.old } else { self.new };
                    decision_of(tally, &change.id).unwrap_or_else(|| change.id.clone())
                }
                // Another package system for the whole install is one headline, not one for each program.
                ApplicationChangeKind::FormatChanged => match another_family(change) {
                    Some((was, is)) => format!("{was} to {is}").into(),
                    None => change.id.clone(),
                },
                _ => continue,
            };
            // A mixer that was added with another sound server has no headline of its own.
            let told = self.decisions.get(key.as_str()).is_some_and(|decision| self.is_of_a_part(decision));
            if !told && !replaced.contains(&change.id.as_str()) {
                groups.entry((change.change, key)).or_default().push(change);
            }
        }
        for ((kind, key), changes) in groups {
            let inherited = self.decisions.get(key.as_str()).and_then(|decision| decision.inherited);
            let weight =
                self.decisions.get(key.as_str()).map(|decision| weight_of(decision)).unwrap_or_default();
            self.told.insert(key);
            let rule = match kind {
                ApplicationChangeKind::Added => "application-new",
                ApplicationChangeKind::Removed => "application-gone",
                _ => "format-moved",
            };
            // Heavy ones and whole suites are bigger news: a point a program (4 at most), a point for each 20 MB (20 at most).
            let megabytes = weight.bytes_delta.unsigned_abs() / 1_000_000;
            let more = match kind {
                ApplicationChangeKind::FormatChanged => 0,
                _ => i32::try_from(changes.len().min(4) as u64).unwrap_or(0) + of_megabytes(megabytes),
            };
            let news = News::Applications {
                change: kind,
                names: changes.iter().map(|change| change.name.clone()).collect(),
                weight,
                old_systems: changes[0].old_systems.clone(),
                new_systems: changes[0].new_systems.clone(),
            };
            self.add(rule, more, inherited, news, format!("application:{}", changes[0].id));
        }
    }

    /// Whether what replaced a part was added by this decision; the part has a headline of its own.
    fn is_of_a_part(&self, decision: &Decision) -> bool {
        let replaced = self.comparison.parts.iter().filter(|part| part.change == PartChangeKind::Replaced);
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

    /// Decisions with large consequences that no program stands for.
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
            // The application may be there in another format before or after.
            let system = decision.head.as_ref().and_then(|head| head.parts()).map(|(system, _)| system);
            let news = News::Decision {
                kind: decision.kind,
                names: decision.names.clone(),
                reason: decision.reason.clone(),
                weight: weight_of(decision),
                brings: self.parts_in(decision),
                system: system.filter(|system| system.is_sandbox()),
            };
            let more = of_megabytes(decision.bytes_delta.unsigned_abs() / 1_000_000);
            self.add("decision-heavy", more, decision.inherited, news, format!("decision:{}", decision.id));
        }
    }

    fn games(&mut self) {
        for kind in [ApplicationChangeKind::Added, ApplicationChangeKind::Removed] {
            let games = self
                .comparison
                .applications
                .iter()
                .filter(|change| change.change == kind && change.menu == Menu::Games);
            let games: Vec<&ApplicationChange> = games.collect();
            let names: Vec<Text> = games.iter().map(|change| change.name.clone()).collect();
            // What brought or took them is told with them.
            let tally = if kind == ApplicationChangeKind::Added { self.new } else { self.old };
            let behind = self.decisions_of_packages();
            let ids: BTreeSet<&Text> = games
                .iter()
                .filter_map(|change| delivered(tally, &change.id))
                .filter_map(|delivery| behind.get(&(delivery.system, delivery.package.as_str())).copied())
                .collect();
            let decided = ids.iter().filter_map(|id| self.decisions.get(id.as_str()));
            let weight =
                decided.map(|decision| weight_of(decision)).fold(Weight::default(), |sum, one| Weight {
                    packages: sum.packages.saturating_add(one.packages),
                    bytes_delta: sum.bytes_delta.saturating_add(one.bytes_delta),
                });
            self.told.extend(ids.into_iter().cloned());
            if let Some(first) = names.first() {
                let less = if names.len() == 1 { -15 } else { 0 };
                let about = format!("application:{}", first.to_lowercase());
                self.add("games", less, None, News::Games { change: kind, names, weight }, about);
            }
        }
    }

    fn repositories_and_startup(&mut self) {
        let added = |change: &&ListChange| change.change == ListChangeKind::Added;
        for change in self.comparison.repositories.iter().filter(added) {
            let news = News::RepositoryAdded { repository: change.name.clone() };
            self.add("repository-added", 0, change.inherited, news, format!("repository:{}", change.name));
        }
        let mut plain: Vec<Text> = Vec::new();
        // What one package starts for one purpose is one thing.
        type Agent<'c> = ((Option<PackageRef>, AgentPurpose), &'c ListChange, Vec<Text>);
        let mut agents: Vec<Agent<'_>> = Vec::new();
        for change in self.comparison.startup.iter().filter(added) {
            let stem = change.name.split(['.', ' ']).next().unwrap_or_default();
            match self.rules.agents.does(stem) {
                Some(purpose) => {
                    let started =
                        self.new.startup.iter().find(|item| lists::startup_name(item) == change.name);
                    let package = started.and_then(|item| item.package.clone());
                    let name = Text::from(stem.trim_end_matches('@'));
                    match agents
                        .iter_mut()
                        .find(|one| package.is_some() && one.0 == (package.clone(), purpose))
                    {
                        // Timers and sockets of one name stand for one program.
                        Some((_, _, names)) if names.contains(&name) => {}
                        Some((_, _, names)) => names.push(name),
                        None => agents.push(((package, purpose), change, vec![name])),
                    }
                }
                None if change.inherited != Some(true) => plain.push(stem.trim_end_matches('@').into()),
                None => {}
            }
        }
        for ((_, purpose), change, names) in agents {
            let news = News::AgentAdded { names, purpose };
            self.add("agent-added", 0, change.inherited, news, format!("startup:{}", change.name));
        }
        plain.sort_unstable();
        plain.dedup();
        if let Some(first) = plain.first() {
            let about = format!("startup:{first}");
            let more = i32::try_from(plain.len().min(10)).unwrap_or(0);
            self.add("startup-added", more, None, News::StartupAdded { names: plain }, about);
        }
    }

    fn size(&mut self) {
        let (old_bytes, new_bytes) = (self.comparison.totals.old_bytes, self.comparison.totals.new_bytes);
        if old_bytes == 0 || new_bytes == 0 || old_bytes.abs_diff(new_bytes) <= old_bytes / 10 {
            return;
        }
        let languages =
            |tally: &Tally| tally.present().filter(|package| package.kind == Kind::Language).count();
        let more_languages = languages(self.new) > languages(self.old) + MANY_LANGUAGES;
        self.add(
            "weight-changed",
            0,
            None,
            News::Size { old_bytes, new_bytes, more_languages },
            "weight".into(),
        );
    }
}

/// What a wallpaper adds: it is the first that everybody sees.
const WALLPAPER: i32 = 30;

/// Whether a decision is about just that package.
fn is_head(decision: &Decision, delivery: &Delivery) -> bool {
    decision
        .head
        .as_ref()
        .is_some_and(|head| head.parts() == Some((delivery.system, delivery.package.as_str())))
}

/// Added packages of kind `language` that make a headline.
const MANY_LANGUAGES: usize = 20;

/// A point for each 20 MB, 20 at most.
fn of_megabytes(megabytes: u64) -> i32 {
    i32::try_from((megabytes / 20).min(20)).unwrap_or(0)
}

fn weight_of(decision: &Decision) -> Weight {
    let packages = u32::try_from(decision.packages.len()).unwrap_or(u32::MAX);
    Weight { packages, bytes_delta: decision.bytes_delta }
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
