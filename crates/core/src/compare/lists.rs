//! Changes of defaults, repositories, startup items, looks and readings: lists compared by key.

use super::{DefaultChange, DefaultChangeKind, ListChange, ListChangeKind, ListItem, ReadingChange};
use crate::knowledge::{SettingArea, settings as settings_table};
use crate::model::{
    DecidedBy, DefaultChoice, Label, Looks, MediaAnswer, MediaVerdict, Reading, Repository, Setting,
    StartupItem, Text,
};
use rustc_hash::{FxHashMap, FxHashSet};
use std::collections::BTreeMap;

/// Default apps that differ. `stays` tells whether an application of the old side is on the new one.
pub(super) fn defaults(
    old: &[DefaultChoice],
    new: &[DefaultChoice],
    stays: impl Fn(&str) -> bool,
    renamed: &FxHashMap<&str, &str>,
) -> Vec<DefaultChange> {
    let same = |old: &Text, new: &Text| old == new || renamed.get(old.as_str()) == Some(&new.as_str());
    let before: BTreeMap<(&str, &str), &DefaultChoice> =
        old.iter().map(|choice| ((choice.role.as_str(), choice.asked.as_str()), choice)).collect();
    let mut changes = Vec::new();
    for choice in new {
        let Some(earlier) = before.get(&(choice.role.as_str(), choice.asked.as_str())) else { continue };
        if earlier.is_not_recorded() || choice.is_not_recorded() {
            continue;
        }
        let (was, is) = (earlier.holder(old), choice.holder(new));
        let change = match (was, is) {
            (None, None) => continue,
            (Some(a), Some(b)) if same(a, b) && earlier.sure && !choice.sure => DefaultChangeKind::Ambiguous,
            (Some(a), Some(b)) if same(a, b) => continue,
            (None, Some(_)) => DefaultChangeKind::Filled,
            (Some(_), None) if choice.application.is_none() && !choice.candidates.is_empty() => {
                DefaultChangeKind::Ambiguous
            }
            (Some(_), None) => DefaultChangeKind::Lost,
            (Some(holder), Some(_)) if !stays(holder) => DefaultChangeKind::Replaced,
            _ => DefaultChangeKind::Switched,
        };
        changes.push(DefaultChange {
            change,
            role: choice.role.clone(),
            asked: choice.asked.clone(),
            also: choice.also,
            old: was.cloned(),
            new: is.cloned(),
            sure: choice.sure,
            decided: choice.decided.clone(),
            inherited: None,
        });
    }
    // What changed in the role as a whole is not told again for each further type.
    let of = |change: &DefaultChange| (change.role.clone(), change.old.clone(), change.new.clone());
    let told: FxHashSet<_> = changes.iter().filter(|change| !change.also).map(of).collect();
    // What opens a further type as it opens any text or archive is no news either.
    let by_parent = |change: &DefaultChange| matches!(change.decided.by, DecidedBy::ParentType { .. });
    changes.retain(|change| !change.also || !(by_parent(change) || told.contains(&of(change))));
    changes
}

/// One thing of a list: what it is compared by, and what may change.
type Things = BTreeMap<(ListItem, Text), Text>;

fn differences(old: &Things, new: &Things) -> Vec<ListChange> {
    let change = |kind, (item, name): &(ListItem, Text), old: Option<&Text>, new: Option<&Text>| ListChange {
        change: kind,
        item: *item,
        name: name.clone(),
        old: old.cloned().filter(|text| !text.is_empty()),
        new: new.cloned().filter(|text| !text.is_empty()),
        inherited: None,
    };
    let mut changes: Vec<ListChange> = Vec::new();
    for (name, text) in new {
        match old.get(name) {
            None => changes.push(change(ListChangeKind::Added, name, None, Some(text))),
            Some(before) if before != text => {
                changes.push(change(ListChangeKind::Changed, name, Some(before), Some(text)));
            }
            Some(_) => {}
        }
    }
    let gone = old.iter().filter(|(name, _)| !new.contains_key(*name));
    changes.extend(gone.map(|(name, text)| change(ListChangeKind::Removed, name, Some(text), None)));
    changes.sort_by(|a, b| (a.change, a.item, &a.name).cmp(&(b.change, b.item, &b.name)));
    changes
}

/// How a suite is told that is called like the release's code name.
const CODENAME: &str = "<codename>";

/// Repositories by address; a suite that is called like the release's code name is the same one under another release. What only
/// one of the two has is told as it is there.
pub(super) fn repositories(old: (&[Repository], &Label), new: (&[Repository], &Label)) -> Vec<ListChange> {
    let codename = |label: &Label| label.codename.as_deref().map(str::to_lowercase).unwrap_or_default();
    let things = |(list, label): (&[Repository], &Label)| -> Things {
        let codename = codename(label);
        let mut things = Things::new();
        for repository in list.iter().filter(|repository| repository.enabled) {
            let suite = repository.suite.as_deref().unwrap_or_default();
            let kept =
                if codename.is_empty() { suite.to_owned() } else { suite.replace(&codename, CODENAME) };
            let name = if repository.uri.is_empty() {
                format!("{} {}", repository.system, repository.name)
            } else {
                format!("{} {kept}", repository.uri).trim().to_owned()
            };
            things.insert((ListItem::Repository, name.into()), repository.components.join(" ").into());
        }
        things
    };
    let mut changes = differences(&things(old), &things(new));
    for change in &mut changes {
        // What both have is told as the new one has it.
        let label = if change.change == ListChangeKind::Removed { old.1 } else { new.1 };
        change.name = change.name.replace(CODENAME, &codename(label)).into();
    }
    changes
}

/// What a startup item is compared by: its name and when it starts.
pub(super) fn startup_name(item: &StartupItem) -> Text {
    format!("{} ({})", item.name, item.scope).into()
}

/// Startup items that are switched on, by scope and name.
pub(super) fn startup(old: &[StartupItem], new: &[StartupItem]) -> Vec<ListChange> {
    let things = |list: &[StartupItem]| -> Things {
        list.iter()
            .filter(|item| item.enabled)
            .map(|item| ((ListItem::Startup, startup_name(item)), Text::default()))
            .collect()
    };
    differences(&things(old), &things(new))
}

/// Sessions, themes, icon sets, wallpapers and fonts, and which of them are set.
pub(super) fn looks(old: &Looks, new: &Looks) -> Vec<ListChange> {
    let things = |looks: &Looks| -> Things {
        let mut things = Things::new();
        for session in &looks.sessions {
            things.insert((ListItem::Session, session.name.clone()), Text::default());
        }
        for (what, list) in [
            (ListItem::Theme, &looks.themes),
            (ListItem::IconSet, &looks.icon_sets),
            (ListItem::Wallpapers, &looks.wallpapers),
            (ListItem::Font, &looks.fonts),
        ] {
            for look in list {
                let count = look.count.map(|count| count.to_string()).unwrap_or_default();
                // A font folder or a pack is the same one with more in it; only pictures are worth counting.
                let said = if what == ListItem::Wallpapers { count } else { String::new() };
                things.insert((what, look.name.clone()), said.into());
            }
        }
        let colours = looks.colour_scheme();
        for (what, set) in [
            (ListItem::DefaultSession, &looks.default_session),
            (ListItem::DefaultDisplay, &looks.default_display),
            (ListItem::DisplayManager, &looks.display_manager),
            (ListItem::DefaultPointer, &looks.default_pointer),
            (ListItem::DefaultColours, &colours),
            (ListItem::DefaultTheme, &looks.default_theme),
            (ListItem::DefaultIcons, &looks.default_icons),
            (ListItem::DefaultFont, &looks.default_font),
            (ListItem::DefaultWallpaper, &looks.default_wallpaper),
        ] {
            if let Some(set) = set {
                things.insert((what, Text::default()), set.clone());
            }
        }
        things
    };
    differences(&things(old), &things(new))
}

/// What can be opened and played on one side alone; nothing where one side does not record it.
pub(super) fn media(old: &[MediaAnswer], new: &[MediaAnswer]) -> Vec<ListChange> {
    if old.is_empty() || new.is_empty() {
        return Vec::new();
    }
    // What one side does not tell has not changed.
    let is_told = |list: &[MediaAnswer], key: &Text| {
        list.iter().any(|answer| answer.key == *key && answer.verdict != MediaVerdict::Unknown)
    };
    let things = |list: &[MediaAnswer]| -> Things {
        let verdict = |answer: &MediaAnswer| Text::from(answer.verdict.name());
        let told = list.iter().filter(|answer| is_told(old, &answer.key) && is_told(new, &answer.key));
        told.map(|answer| ((ListItem::Media, answer.key.clone()), verdict(answer))).collect()
    };
    differences(&things(old), &things(new))
}

/// Settings that the table knows and the looks do not tell; nothing where one side records none.
pub(super) fn settings(old: &[Setting], new: &[Setting]) -> Vec<ListChange> {
    if old.is_empty() || new.is_empty() {
        return Vec::new();
    }
    let things = |list: &[Setting]| -> Things {
        list.iter()
            .filter(|setting| setting.area != SettingArea::Other)
            .filter(|setting| settings_table().of(&setting.key).is_none_or(|rule| !rule.look))
            .map(|setting| ((ListItem::Setting, setting.key.clone()), setting.value.text().clone()))
            .collect()
    };
    differences(&things(old), &things(new))
}

/// Readings of one name, the first of each side that compare; where none do, why not.
pub(super) fn readings(old: &[Reading], new: &[Reading]) -> Vec<ReadingChange> {
    let mut changes = Vec::new();
    let mut done: Vec<&Text> = Vec::new();
    for reading in new {
        if done.contains(&&reading.what) {
            continue;
        }
        let same: Vec<&Reading> = old.iter().filter(|earlier| earlier.what == reading.what).collect();
        let Some(first) = same.first() else { continue };
        done.push(&reading.what);
        let of_name = || new.iter().filter(|later| later.what == reading.what);
        let pair = of_name().find_map(|later| {
            same.iter().find(|earlier| earlier.comparable(later).is_ok()).map(|earlier| (*earlier, later))
        });
        let (old_reading, new_reading, why) = match pair {
            Some((earlier, later)) => (earlier, later, None),
            None => (*first, reading, first.comparable(reading).err()),
        };
        changes.push(ReadingChange {
            what: reading.what.clone(),
            unit: reading.unit.clone(),
            old: old_reading.value,
            new: new_reading.value,
            difference: why.is_none().then_some(new_reading.value - old_reading.value),
            not_comparable: why,
        });
    }
    changes
}
