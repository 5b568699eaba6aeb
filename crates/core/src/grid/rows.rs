//! The rows of a grid, group by group.

use super::GridRules;
use super::document::{Cell, CellState, Field, GridRow, Remark, RowGroup, RowLabel};
use super::same::Same;
use crate::age::median_age;
use crate::ask::{AskFor, ask};
use crate::knowledge::{media as media_table, settings as settings_table};
use crate::model::{
    DefaultChoice, FindingName, Kind, Label, Look, MEASURES, MediaVerdict, Medium, MissingFact, Part,
    Reading, Reason, Scope, System, Tally, Text,
};
use std::collections::{BTreeMap, BTreeSet};

pub(super) fn rows(
    tallies: &[&Tally],
    installs: &[Label],
    rules: &GridRules<'_>,
    same: &Same<'_>,
) -> Vec<GridRow> {
    let mut table = Rows { tallies, installs, rows: Vec::new() };
    table.asked(rules.asked);
    table.label();
    table.parts(rules);
    table.defaults(rules);
    table.counts();
    table.sizes();
    table.programs(same);
    table.startup();
    table.repositories();
    table.looks();
    table.media();
    table.settings();
    table.readings();
    table.rows
}

struct Rows<'a> {
    tallies: &'a [&'a Tally],
    installs: &'a [Label],
    rows: Vec<GridRow>,
}

impl Rows<'_> {
    /// Adds a row; one that says "no" everywhere is left out, but for what was asked.
    fn add(&mut self, group: RowGroup, row: &str, label: RowLabel, unit: Option<&str>, mut cells: Vec<Cell>) {
        // That a list of packages does not name something is no proof that it isn't there.
        for (cell, tally) in cells.iter_mut().zip(self.tallies) {
            if tally.taken.medium == Medium::Listing && cell.is_no() {
                *cell = Cell::of(CellState::NotRecorded);
            }
        }
        if group != RowGroup::Asked && cells.iter().all(|cell| cell.is_no() || cell.is_not_recorded()) {
            return;
        }
        let same = cells.windows(2).all(|pair| pair[0].says_the_same(&pair[1]))
            && cells.iter().all(|cell| cell.not_comparable.is_none());
        let remark = self.remark(&cells);
        self.rows.push(GridRow {
            group,
            row: row.into(),
            label,
            unit: unit.map(Text::from),
            cells,
            same,
            remark,
        });
    }

    fn each(&mut self, group: RowGroup, row: &str, label: RowLabel, cell: impl Fn(&Tally) -> Cell) {
        let cells = self.tallies.iter().map(|tally| cell(tally)).collect();
        self.add(group, row, label, None, cells);
    }

    fn field(&mut self, group: RowGroup, field: Field, cell: impl Fn(&Tally) -> Cell) {
        self.each(group, field.name(), RowLabel::Field(field), cell);
    }

    fn count_of(&mut self, group: RowGroup, field: Field, number: impl Fn(&Tally) -> Option<u64>) {
        self.number(group, (field.name(), RowLabel::Field(field)), "count", number);
    }

    fn number(
        &mut self,
        group: RowGroup,
        (row, label): (&str, RowLabel),
        unit: &str,
        number: impl Fn(&Tally) -> Option<u64>,
    ) {
        let cells: Vec<Cell> = self.tallies.iter().map(|tally| counted(number(tally))).collect();
        if cells.iter().any(|cell| cell.number.is_some_and(|number| number > 0.0)) {
            self.add(group, row, label, Some(unit), cells);
        }
    }

    /// What stands out in a row: who alone has or lacks it; which figure can't be held against the others.
    fn remark(&self, cells: &[Cell]) -> Option<Remark> {
        if cells.iter().any(|cell| cell.not_comparable.is_some()) {
            let odd = cells.iter().zip(self.installs).filter_map(|(cell, install)| {
                cell.not_comparable.map(|why| (short(install, self.installs), why))
            });
            return Some(Remark::NotComparable(odd.collect()));
        }
        if cells.len() < 3 {
            return None;
        }
        let only = |wanted: bool| {
            let mut found = cells.iter().zip(self.installs).filter(|(cell, _)| cell.is_no() == wanted);
            let first = found.next()?;
            found.next().is_none().then(|| short(first.1, self.installs))
        };
        match (only(false), only(true)) {
            (Some(name), _) => Some(Remark::Only(name)),
            (None, Some(name)) => Some(Remark::AllBut(name)),
            _ => None,
        }
    }

    fn asked(&mut self, asked: &[String]) {
        for name in asked {
            let found: Vec<_> = self.tallies.iter().map(|tally| ask(tally, name, AskFor::Anything)).collect();
            // What another install has under that very name is no reason to take something merely like it here.
            let exact = found.iter().flatten().any(|answer| answer.instead.is_none());
            let cells = found
                .iter()
                .map(|answer| match answer {
                    Some(answer) if answer.instead.is_none() => {
                        Cell::value_or_yes(answer.version.clone()).from(&answer.evidence)
                    }
                    Some(answer) if !exact => {
                        let version = answer.version.as_deref().unwrap_or_default();
                        Cell::value(format!("{} {version}", answer.name).trim()).from(&answer.evidence)
                    }
                    _ => Cell::no(),
                })
                .collect();
            let taken: BTreeSet<&str> = found.iter().flatten().map(|answer| answer.name.as_str()).collect();
            let taken_as = if exact { Vec::new() } else { taken.into_iter().map(Text::from).collect() };
            let label = RowLabel::Asked { name: name.into(), taken_as };
            self.add(RowGroup::Asked, name, label, None, cells);
        }
    }

    fn label(&mut self) {
        type Value = fn(&Label) -> Option<Text>;
        let fields: [(Field, Value); 9] = [
            (Field::Distribution, |l| Some(l.distro.clone())),
            (Field::Release, |l| l.release.clone()),
            (Field::Codename, |l| l.codename.clone()),
            (Field::Edition, |l| l.edition.clone()),
            (Field::Profile, |l| l.profile.clone()),
            (Field::Architecture, |l| l.arch.clone()),
            (Field::Base, |l| Some(l.base_id.join(", ").into())),
            (Field::ReleaseDate, |l| l.release_date.clone()),
            (Field::SupportEnd, |l| l.support_end.clone()),
        ];
        for (field, value) in fields {
            self.field(RowGroup::Label, field, |tally| Cell::optional(value(&tally.label)));
        }
        self.field(RowGroup::Label, Field::Medium, |tally| Cell::value(tally.taken.medium.name()));
    }

    fn parts(&mut self, rules: &GridRules<'_>) {
        let mut names: Vec<&Text> = rules.parts.part.iter().map(|rule| &rule.part).collect();
        let unknown: BTreeSet<&Text> =
            self.tallies.iter().flat_map(|tally| &tally.parts).map(|part| &part.part).collect();
        names.extend(unknown.into_iter().filter(|part| !rules.parts.part.iter().any(|r| r.part == **part)));
        for name in names {
            let of = |tally: &Tally| tally.parts.iter().filter(|part| part.part == *name).cloned().collect();
            let filled: Vec<Vec<Part>> = self.tallies.iter().map(|tally| of(tally)).collect();
            let label = RowLabel::Name(rules.parts.label(name).into());
            if filled.iter().all(|parts| parts.len() <= 1) {
                let cells =
                    filled.iter().map(|parts| parts.first().map_or_else(Cell::no, part_cell)).collect();
                self.add(RowGroup::Parts, name, label, None, cells);
                continue;
            }
            // What several things fill has a row for each of them.
            let mut things: Vec<&Text> = Vec::new();
            for part in filled.iter().flatten() {
                if !things.contains(&&part.name) {
                    things.push(&part.name);
                }
            }
            for thing in things {
                let version = |part: &Part| Cell::value_or_yes(part.version.clone()).from(&part.evidence);
                let cell = |parts: &Vec<Part>| {
                    parts.iter().find(|part| part.name == *thing).map_or_else(Cell::no, version)
                };
                let cells = filled.iter().map(cell).collect();
                self.add(
                    RowGroup::Parts,
                    &format!("{name}:{thing}"),
                    RowLabel::Name(thing.clone()),
                    None,
                    cells,
                );
            }
        }
    }

    /// The answer to the first question of each role that has one.
    fn defaults(&mut self, rules: &GridRules<'_>) {
        for role in &rules.roles.role {
            let of_role = |choice: &DefaultChoice| choice.role == role.role && !choice.candidates.is_empty();
            if role.quiet && !self.tallies.iter().any(|tally| tally.defaults.iter().any(of_role)) {
                continue;
            }
            let label = RowLabel::Name(role.label.clone());
            self.each(RowGroup::Defaults, &role.role, label, |tally| {
                let choices = || {
                    let of_role = tally.defaults.iter().filter(|choice| choice.role == role.role);
                    of_role.filter(|choice| role.quiet || !choice.also)
                };
                if choices().next().is_none() && !tally.defaults.is_empty() {
                    return Cell::of(CellState::NotRecorded);
                }
                let holder = |choice: &'_ DefaultChoice| choice.holder(&tally.defaults).cloned();
                let Some((choice, id)) = choices().find_map(|choice| Some((choice, holder(choice)?))) else {
                    let unclear = |choice: &DefaultChoice| {
                        choice.application.is_none() && !choice.candidates.is_empty()
                            || choice.is_not_recorded()
                    };
                    return if choices().any(unclear) { Cell::of(CellState::Ambiguous) } else { Cell::no() };
                };
                let (name, version) = tally.holder(&id);
                let state = if choice.sure { CellState::Value } else { CellState::Unsure };
                Cell { state, ..Cell::value(format!("{name} {}", version.unwrap_or_default()).trim_end()) }
            });
        }
    }

    fn counts(&mut self) {
        let group = RowGroup::Counts;
        self.count_of(group, Field::Packages, |t| {
            Some(t.counts.packages.values().copied().map(u64::from).sum())
        });
        for system in System::ALL {
            let systems = |t: &&&Tally| t.counts.packages.contains_key(system);
            // The one system that all have is what the line above counts.
            if self.tallies.iter().any(|t| t.counts.packages.len() > 1 && systems(&t)) {
                let label = RowLabel::System(*system);
                self.number(group, (&format!("packages-{system}"), label), "count", |t| {
                    Some(u64::from(t.counts.packages.get(system).copied().unwrap_or(0)))
                });
            }
        }
        self.count_of(group, Field::Explicit, |t| {
            let chosen = t.present().filter(|package| package.reason == Reason::Explicit).count();
            (!t.lacks(MissingFact::Reasons)).then_some(chosen as u64)
        });
        self.count_of(group, Field::Applications, |t| {
            (!t.lacks(MissingFact::Launchers)).then_some(u64::from(t.counts.applications))
        });
        self.count_of(group, Field::MenuEntries, |t| {
            (!t.lacks(MissingFact::Launchers)).then_some(u64::from(t.counts.launchers_shown))
        });
        for kind in Kind::ALL {
            self.number(group, (&format!("kind-{kind}"), RowLabel::Kind(*kind)), "count", |t| {
                Some(u64::from(t.counts.by_kind.get(kind).copied().unwrap_or(0)))
            });
        }
        self.count_of(group, Field::Findings, |t| {
            let all_looked_for = FindingName::ALL.iter().all(|name| t.looks_for(*name));
            all_looked_for.then_some(t.findings.len() as u64)
        });
        let age = RowLabel::Field(Field::MedianAge);
        self.number(group, (Field::MedianAge.name(), age), "days", |t| median_age(t).map(u64::from));
        let known = |t: &Tally| !t.offers.is_empty();
        self.count_of(group, Field::OnOffer, |t| {
            known(t).then(|| t.offers.iter().map(|offer| u64::from(offer.packages)).sum())
        });
        self.count_of(group, Field::Updates, |t| {
            known(t).then(|| t.offers.iter().map(|offer| offer.updates.packages.len() as u64).sum())
        });
    }

    fn sizes(&mut self) {
        let group = RowGroup::Sizes;
        let known = |t: &Tally| !t.lacks(MissingFact::Sizes);
        let label = RowLabel::Field(Field::Packages);
        self.number(group, ("total", label), "bytes", |t| known(t).then(|| t.installed_bytes()));
        let sums: Vec<BTreeMap<Kind, u64>> = self.tallies.iter().map(|tally| by_kind(tally)).collect();
        for kind in Kind::ALL {
            let cells: Vec<Cell> = self
                .tallies
                .iter()
                .zip(&sums)
                .map(|(t, sum)| counted(known(t).then(|| sum.get(kind).copied().unwrap_or(0))))
                .collect();
            if cells.iter().any(|cell| cell.number.is_some_and(|number| number > 0.0)) {
                self.add(group, &format!("kind-{kind}"), RowLabel::Kind(*kind), Some("bytes"), cells);
            }
        }
    }

    /// A line for each program that any of them has: its version, `no`, or that a listing can't tell.
    fn programs(&mut self, same: &Same<'_>) {
        let mut named: BTreeMap<&Text, &Text> = BTreeMap::new();
        for (i, tally) in self.tallies.iter().enumerate() {
            for application in &tally.applications {
                named.entry(same.id(i, &application.id)).or_insert(&application.name);
            }
        }
        let mut all: BTreeMap<(String, &Text), Vec<Option<Cell>>> = BTreeMap::new();
        for (i, tally) in self.tallies.iter().enumerate() {
            for application in &tally.applications {
                let id = same.id(i, &application.id);
                let key = (named.get(id).map_or_else(String::new, |name| name.to_lowercase()), id);
                let cells = all.entry(key).or_insert_with(|| vec![None; self.tallies.len()]);
                let launcher = tally.launcher_of(application);
                let cell = Cell::value_or_yes(application.version.clone());
                cells[i] = Some(match launcher {
                    Some(launcher) => cell.from(&launcher.evidence),
                    None => cell,
                });
            }
        }
        let unknown: Vec<bool> = self.tallies.iter().map(|t| t.lacks(MissingFact::Launchers)).collect();
        for ((_, id), cells) in all {
            let cells = cells
                .into_iter()
                .zip(&unknown)
                .map(|(cell, unknown)| {
                    cell.unwrap_or_else(
                        || if *unknown { Cell::of(CellState::NotRecorded) } else { Cell::no() },
                    )
                })
                .collect();
            let name = named.get(id).map_or(id.as_str(), |name| name.as_str());
            self.add(RowGroup::Programs, id, RowLabel::Name(name.into()), None, cells);
        }
    }

    fn startup(&mut self) {
        let group = RowGroup::Startup;
        let on = |t: &Tally, scopes: &[Scope]| {
            Some(t.startup.iter().filter(|item| item.enabled && scopes.contains(&item.scope)).count() as u64)
        };
        self.count_of(group, Field::AtBoot, |t| on(t, &[Scope::System]));
        self.count_of(group, Field::AtLogin, |t| on(t, &[Scope::User, Scope::Session]));
        let names: BTreeSet<(Scope, &Text)> = self
            .tallies
            .iter()
            .flat_map(|tally| &tally.startup)
            .filter(|item| item.enabled)
            .map(|item| (item.scope, &item.name))
            .collect();
        for (scope, name) in names {
            self.each(group, &format!("{scope}:{name}"), RowLabel::Name(name.clone()), |tally| {
                let item = tally.startup.iter().find(|i| i.enabled && i.scope == scope && i.name == *name);
                item.map_or_else(Cell::no, |item| Cell::of(CellState::Yes).from(&item.evidence))
            });
        }
    }

    fn repositories(&mut self) {
        let names: BTreeSet<(System, &Text)> = self
            .tallies
            .iter()
            .flat_map(|tally| &tally.repositories)
            .filter(|repository| repository.enabled)
            .map(|repository| (repository.system, &repository.name))
            .collect();
        for (system, name) in names {
            let label = RowLabel::Name(name.clone());
            self.each(RowGroup::Repositories, &format!("{system}:{name}"), label, |tally| {
                let fits = |r: &&crate::model::Repository| r.enabled && r.system == system && r.name == *name;
                let found = tally.repositories.iter().find(fits);
                found.map_or_else(Cell::no, |repository| {
                    let suite = repository.suite.as_deref().unwrap_or_default();
                    let said = format!("{suite} {}", repository.components.join(" "));
                    let said = Some(Text::from(said.trim())).filter(|said| !said.is_empty());
                    Cell::value_or_yes(said).from(&repository.evidence)
                })
            });
        }
    }

    fn looks(&mut self) {
        let group = RowGroup::Looks;
        let sessions: BTreeSet<(&Text, &Text)> =
            self.tallies.iter().flat_map(|t| &t.looks.sessions).map(|s| (&s.name, &s.display)).collect();
        for (name, display) in sessions {
            self.each(
                group,
                &format!("session:{name}:{display}"),
                RowLabel::Session { name: name.clone(), display: display.clone() },
                |t| {
                    let found = t.looks.sessions.iter().find(|s| s.name == *name && s.display == *display);
                    found.map_or_else(Cell::no, |session| Cell::of(CellState::Yes).from(&session.evidence))
                },
            );
        }
        self.field(group, Field::DefaultSession, |t| set(t.looks.default_session.clone()));
        self.field(group, Field::Display, |t| set(t.looks.default_display.clone()));
        self.field(group, Field::DisplayManager, |t| set(t.looks.display_manager.clone()));
        self.field(group, Field::Theme, |t| set(t.looks.default_theme.clone()));
        self.field(group, Field::Icons, |t| set(t.looks.default_icons.clone()));
        self.field(group, Field::Pointer, |t| set(t.looks.default_pointer.clone()));
        self.field(group, Field::Colours, |t| set(t.looks.colour_scheme()));
        self.field(group, Field::Font, |t| set(t.looks.default_font.clone()));
        self.field(group, Field::Wallpaper, |t| {
            set(t.looks.default_wallpaper.as_deref().and_then(|w| w.rsplit('/').next()).map(Text::from))
        });
        let counted = |list: &[Look]| list.iter().filter_map(|look| look.count).map(u64::from).sum::<u64>();
        self.count_of(group, Field::Themes, |t| Some(t.looks.themes.len() as u64));
        self.count_of(group, Field::IconSets, |t| Some(t.looks.icon_sets.len() as u64));
        self.count_of(group, Field::Wallpapers, |t| Some(counted(&t.looks.wallpapers)));
        self.count_of(group, Field::FontFamilies, |t| Some(t.looks.fonts.len() as u64));
    }

    /// Whether it opens or plays; nothing is said where nothing tells.
    fn media(&mut self) {
        for rule in &media_table().media {
            self.each(RowGroup::Media, &rule.key, RowLabel::Media(rule.key.clone()), |tally| {
                let found = tally.media.iter().find(|answer| answer.key == rule.key);
                match found.map(|answer| (answer.verdict, answer.decoders.first())) {
                    Some((MediaVerdict::Yes, Some(decoder))) => {
                        Cell::of(CellState::Yes).from(&decoder.evidence)
                    }
                    Some((MediaVerdict::Yes, None)) => Cell::of(CellState::Yes),
                    Some((MediaVerdict::No | MediaVerdict::NoDecoder, _)) => Cell::no(),
                    Some((MediaVerdict::Unknown, _)) | None => Cell::of(CellState::NotRecorded),
                }
            });
        }
    }

    /// Settings that the table knows and the looks do not tell.
    fn settings(&mut self) {
        for rule in settings_table().setting.iter().filter(|rule| !rule.look) {
            let has = |tally: &&Tally| tally.settings.iter().any(|setting| setting.key == rule.key);
            if !self.tallies.iter().any(has) {
                continue;
            }
            self.each(RowGroup::Settings, &rule.key, RowLabel::Setting(rule.key.clone()), |tally| {
                if tally.settings.is_empty() {
                    return Cell::of(CellState::NotRecorded);
                }
                let found = tally.settings.iter().find(|setting| setting.key == rule.key);
                found.map_or_else(
                    || Cell::of(CellState::NotSet),
                    |setting| Cell::value(setting.value.text().clone()).from(&setting.evidence),
                )
            });
        }
    }

    /// Figures are held against those that most others can be held against.
    fn readings(&mut self) {
        for measure in MEASURES {
            let of = |tally: &Tally| tally.readings.iter().rev().find(|r| r.what == measure.what).cloned();
            let found: Vec<Option<Reading>> = self.tallies.iter().map(|tally| of(tally)).collect();
            let alike =
                |r: &Reading| found.iter().flatten().filter(|other| r.comparable(other).is_ok()).count();
            // Of equals the first counts.
            let standard = found
                .iter()
                .flatten()
                .reduce(|best, next| if alike(next) > alike(best) { next } else { best });
            let Some(standard) = standard else { continue };
            let cells = found
                .iter()
                .map(|reading| match reading {
                    None => Cell::of(CellState::NotMeasured),
                    Some(reading) => Cell {
                        number: Some(reading.value),
                        not_comparable: standard.comparable(reading).err(),
                        ..Cell::value(reading.value.to_string())
                    },
                })
                .collect();
            let label = RowLabel::Measure(measure.what.into());
            self.add(RowGroup::Readings, measure.what, label, Some(measure.unit), cells);
        }
    }
}

/// A number; where there is none the source does not record it.
fn counted(number: Option<u64>) -> Cell {
    number.map_or_else(|| Cell::of(CellState::NotRecorded), Cell::count)
}

/// What is set for new users; where no file says it the desktop's own code does, which is not known here.
fn set(value: Option<Text>) -> Cell {
    value.map_or_else(|| Cell::of(CellState::NotSet), Cell::value)
}

fn part_cell(part: &Part) -> Cell {
    Cell::value(format!("{} {}", part.name, part.version.as_deref().unwrap_or("")).trim())
        .from(&part.evidence)
}

fn by_kind(tally: &Tally) -> BTreeMap<Kind, u64> {
    let mut sums: BTreeMap<Kind, u64> = BTreeMap::new();
    for package in tally.present() {
        let sum = sums.entry(package.kind).or_default();
        *sum = sum.saturating_add(package.installed_bytes.unwrap_or(0));
    }
    sums
}

/// The shortest name that tells an install from the others: its edition, its release, else its handle.
pub(super) fn short(install: &Label, all: &[Label]) -> Text {
    type Field = fn(&Label) -> Option<String>;
    let fields: [Field; 5] = [
        |l| l.edition.as_ref().map(Text::to_string),
        |l| l.release.as_ref().map(Text::to_string),
        |l| Some(format!("{} {}", l.edition.as_ref()?, l.profile.as_ref()?)),
        |l| Some(format!("{} {}", l.edition.as_ref()?, l.release.as_ref()?)),
        |l| Some(format!("{} {}", l.distro, l.release.as_ref()?)),
    ];
    for field in fields {
        let names: Vec<Option<String>> = all.iter().map(field).collect();
        let distinct: BTreeSet<&String> = names.iter().flatten().collect();
        if distinct.len() == all.len() {
            return field(install).unwrap_or_default().into();
        }
    }
    install.handle.clone()
}
