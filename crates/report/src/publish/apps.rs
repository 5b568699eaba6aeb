//! The programs of the menu as cards.

use crate::document::{Card, CardGroup, Line, Role, Span};
use crate::text::{count_of, shorten};
use crate::view::{capital, dim, sides};
use crate::words;
use std::collections::{BTreeMap, HashMap};
use tally_core::compare::{ApplicationChange, ApplicationChangeKind, Comparison};
use tally_core::knowledge::Roles;
use tally_core::model::{Application, Menu, System, Tally};

/// Columns that a name or a version takes on a card at most.
const LONGEST: usize = 60;

/// Addresses of icons by application.
type Icons = BTreeMap<String, String>;

/// Systems that are beside the one that makes up an install.
const fn is_beside(system: System) -> bool {
    matches!(system, System::Snap | System::Flatpak | System::Appimage)
}

/// Jobs that an application has by default, by the application's ID.
fn jobs<'t>(tally: &'t Tally, roles: &'t Roles) -> HashMap<&'t str, Vec<&'t str>> {
    let mut jobs: HashMap<&str, Vec<&str>> = HashMap::new();
    for choice in tally.defaults.iter().filter(|choice| choice.sure && !choice.also) {
        let Some(id) = choice.holder(&tally.defaults) else { continue };
        let (held, label) = (jobs.entry(id).or_default(), roles.label(&choice.role));
        if !held.contains(&label) {
            held.push(label);
        }
    }
    jobs
}

/// What a program does by default, and how it came where that is not as usual.
fn said(application: &Application, jobs: &HashMap<&str, Vec<&str>>) -> Line {
    let mut said: Vec<String> = Vec::new();
    let beside: Vec<System> =
        application.delivered.iter().map(|one| one.system).filter(|system| is_beside(*system)).collect();
    if !beside.is_empty() {
        said.push(format!("as {}", words::systems(&beside)));
    }
    if let Some(held) = jobs.get(application.id.as_str()) {
        let held: Vec<String> = held.iter().map(|label| label.to_lowercase()).collect();
        said.push(format!("default for {}", words::listed(&held, 2)));
    }
    match said.is_empty() {
        true => Line::default(),
        false => dim(said.join("; ")).into(),
    }
}

fn name(text: &str) -> Span {
    shorten(text, LONGEST).into()
}

fn version(text: Option<&str>) -> Line {
    text.map_or_else(|| dim("version unknown").into(), |text| Line::from(shorten(text, LONGEST)))
}

fn grouped(cards: BTreeMap<Menu, Vec<(u8, Card)>>) -> Vec<CardGroup> {
    let group = |(menu, mut cards): (Menu, Vec<(u8, Card)>)| {
        cards.sort_by_cached_key(|(order, card)| (*order, card.name.text.to_lowercase()));
        let count = dim(format!("  {}", cards.len()));
        let cards = cards.into_iter().map(|(_, card)| card).collect();
        CardGroup { title: Line::from(capital(menu.name())).and(count), cards }
    };
    cards.into_iter().map(group).collect()
}

/// The programs of one install, by menu.
pub(super) fn of_install(tally: &Tally, roles: &Roles, icons: &Icons) -> Vec<CardGroup> {
    let jobs = jobs(tally, roles);
    let mut cards: BTreeMap<Menu, Vec<(u8, Card)>> = BTreeMap::new();
    for application in &tally.applications {
        let card = Card {
            name: name(&application.name),
            value: version(application.version.as_deref()),
            badge: Span::default(),
            aside: said(application, &jobs),
            icon: icons.get(application.id.as_str()).cloned().unwrap_or_default(),
        };
        cards.entry(application.menu).or_default().push((0, card));
    }
    grouped(cards)
}

/// The programs of both sides, by menu: what changed first, what is gone last.
pub(super) fn of_comparison(
    comparison: &Comparison,
    new: &Tally,
    roles: &Roles,
    icons: &Icons,
) -> Vec<CardGroup> {
    let jobs = jobs(new, roles);
    let changes: HashMap<&str, &ApplicationChange> =
        comparison.applications.iter().map(|change| (change.id.as_str(), change)).collect();
    let mut cards: BTreeMap<Menu, Vec<(u8, Card)>> = BTreeMap::new();
    let there: Vec<&str> = new.applications.iter().map(|application| application.id.as_str()).collect();
    for application in &new.applications {
        let change = changes.get(application.id.as_str()).copied();
        let aside = said(application, &jobs);
        let icon = icons.get(application.id.as_str()).cloned().unwrap_or_default();
        let (order, card) = match change {
            Some(change) => changed(change, aside),
            None => {
                let value = version(application.version.as_deref());
                (
                    3,
                    Card {
                        name: name(&application.name),
                        value,
                        badge: Span::default(),
                        aside,
                        icon: String::new(),
                    },
                )
            }
        };
        cards.entry(application.menu).or_default().push((order, Card { icon, ..card }));
    }
    for change in &comparison.applications {
        if !there.contains(&change.id.as_str()) {
            let (order, card) = changed(change, Line::default());
            let icon = icons.get(change.id.as_str()).cloned().unwrap_or_default();
            cards.entry(change.menu).or_default().push((order, Card { icon, ..card }));
        }
    }
    grouped(cards)
}

/// A program that changed: its place among the others, and its card.
fn changed(change: &ApplicationChange, aside: Line) -> (u8, Card) {
    let (role, word) = words::application_change(change.change);
    let (was, is) = sides(change);
    let order = match change.change {
        ApplicationChangeKind::Added | ApplicationChangeKind::Shown => 0,
        ApplicationChangeKind::Replaced
        | ApplicationChangeKind::FormatChanged
        | ApplicationChangeKind::MenuChanged => 1,
        ApplicationChangeKind::Updated => 2,
        ApplicationChangeKind::Removed | ApplicationChangeKind::Hidden => 4,
    };
    let replaces = change.change == ApplicationChangeKind::Replaced;
    let value = match (was.as_str(), is.as_str()) {
        ("", "") => dim("version unknown").into(),
        ("", is) => Line::from(shorten(is, LONGEST)),
        (was, "") => Line::from(dim(shorten(was, LONGEST))),
        (_, is) if replaces => Line::from(shorten(is, LONGEST)),
        (was, is) if was == is => Line::from(shorten(is, LONGEST)),
        (was, is) => Line::from(dim(shorten(was, LONGEST)))
            .and(dim(" → "))
            .and(Span::new(Role::Strong, shorten(is, LONGEST))),
    };
    // What is new as a flatpak is new first of all; the systems stand beside it.
    let badge = match change.change {
        ApplicationChangeKind::Replaced => Span::new(role, format!("replaces {}", shorten(&was, LONGEST))),
        _ => Span::new(role, word),
    };
    (order, Card { name: name(&change.name), value, badge, aside, icon: String::new() })
}

/// How many programs there are, and how many changed.
pub(super) fn count(comparison: &Comparison) -> String {
    let changed = comparison.applications.len() as u64;
    format!("{} changed, {} unchanged", count_of(changed, "program"), comparison.totals.same_applications)
}
