//! All settings of a new user, by the table; native ones that the table does not know behind them.

use super::panels::Panels;
use super::xfconf::{channel_file, properties};
use super::{NewUser, Said, list_items, plain};
use crate::keyfile::KeyFile;
use crate::looks;
use crate::text::{lines, name_text, text};
use std::collections::{BTreeMap, BTreeSet};
use tally_core::knowledge::{
    SettingArea, SettingPlace, SettingRule, SettingRules, SettingShape, SettingUnit,
};
use tally_core::model::{Evidence, Reduced, Setting, SettingSource, Text};
use tally_trees::NodeKind;

/// Native settings that are kept, at most.
const NATIVE: usize = 2000;
/// Files of Plasma itself and of what a person meets in it first; other programs have files beside them.
const PLASMA: &[&str] = &[
    "kdeglobals",
    "kwinrc",
    "plasmarc",
    "plasmashellrc",
    "plasmanotifyrc",
    "plasma-localerc",
    "ksmserverrc",
    "ksplashrc",
    "kscreenlockerrc",
    "kcminputrc",
    "kxkbrc",
    "kglobalshortcutsrc",
    "krunnerrc",
    "powerdevilrc",
    "powermanagementprofilesrc",
    "dolphinrc",
    "konsolerc",
    "discoverrc",
    "PlasmaDiscoverUpdates",
    "PlasmaUserFeedback",
    "baloofilerc",
    "kwalletrc",
    "klaunchrc",
    "kded5rc",
    "kded6rc",
    "kickoffrc",
    "spectaclerc",
    "breezerc",
];
/// Shortcuts of the keyboard are too many to be told as settings.
const SHORTCUTS: &str = "xfce4-keyboard-shortcuts";
/// Bytes of a value that are kept.
const LONGEST: usize = 400;

/// Reads all of it; packages are filled in later, and with them whose a file is.
pub(crate) fn read(user: &NewUser<'_>, rules: &SettingRules) -> Vec<Setting> {
    let panels = Panels::of(user);
    let theme = user.config("kdeglobals", "KDE", "LookAndFeelPackage");
    let theme = theme.map_or_else(|| "org.kde.breeze.desktop".into(), |(name, _)| name);
    let window_manager = user.window_manager();
    let window_manager = window_manager.as_ref();
    let reader = Reader { user, panels: panels.as_ref(), theme: &theme, window_manager };
    let mut settings: Vec<Setting> = rules.setting.iter().filter_map(|rule| reader.setting(rule)).collect();
    settings.extend(reader.native(rules));
    settings
}

struct Reader<'a, 't> {
    user: &'a NewUser<'t>,
    panels: Option<&'a Panels>,
    /// The global theme of Plasma.
    theme: &'a str,
    window_manager: Option<&'a Text>,
}

impl Reader<'_, '_> {
    /// The first place that says something; else what upstream does.
    fn setting(&self, rule: &SettingRule) -> Option<Setting> {
        let places = rule.places_on(self.user.desktop(), self.window_manager);
        let upstream = places.clone().find_map(|place| Some((place, place.otherwise.as_ref()?)));
        let upstream = upstream.map(|(place, value)| told(rule, place, value));
        for place in places.clone().filter(|place| place.ways() > 0) {
            let Some(said) = self.said(place) else { continue };
            let raw = plain(&said.value);
            if !place.only.is_empty() && !place.only.contains(&raw) {
                continue;
            }
            let value = self.called(rule, place, &said.value);
            let schema = said.upstream.as_ref().map(|value| self.called(rule, place, value));
            if value.is_empty() {
                continue;
            }
            return Some(Setting {
                key: rule.key.clone(),
                area: rule.area,
                value: Reduced::value(&cut(&value)),
                upstream_value: schema.or(upstream).map(|value| Reduced::value(&cut(&value))),
                source: if said.by_upstream { SettingSource::Upstream } else { SettingSource::Set },
                native: native(place),
                locked: said.locked,
                set_by: None,
                evidence: said.evidence(self.user),
            });
        }
        let value = upstream?;
        let place = places.clone().find(|place| place.otherwise.is_some())?;
        Some(Setting {
            key: rule.key.clone(),
            area: rule.area,
            value: Reduced::value(&value),
            upstream_value: Some(Reduced::value(&value)),
            source: SettingSource::Upstream,
            native: native(place),
            locked: false,
            set_by: None,
            evidence: Evidence::default(),
        })
    }

    fn said(&self, place: &SettingPlace) -> Option<Said> {
        if let Some(fact) = place.panel {
            let panels = self.panels?;
            return Some(Said::of(panels.told(fact)?, panels.file.clone()));
        }
        self.user.said(place, Some(self.theme))
    }

    /// A native value as it is called on all desktops.
    fn called(&self, rule: &SettingRule, place: &SettingPlace, value: &str) -> Text {
        match rule.shape {
            Some(SettingShape::Picture) => {
                let path = plain(value);
                if path.is_empty() { path } else { looks::picture_name(self.user.tree, &path) }
            }
            _ => told(rule, place, value),
        }
    }

    /// What overrides, databases and files of configuration set beside it, under its native name.
    fn native(&self, rules: &SettingRules) -> Vec<Setting> {
        let places = |rule| SettingRule::places_on(rule, self.user.desktop(), self.window_manager);
        let known: BTreeSet<Text> = rules.setting.iter().flat_map(places).map(native).collect();
        let mut found = Vec::new();
        for (schema, key) in self.user.gsettings.set_keys() {
            let name = format!("{schema} {key}");
            if known.contains(name.as_str()) || found.len() >= NATIVE {
                continue;
            }
            if let Some(one) = self.user.gsettings.found(&schema, &key) {
                let upstream = one.upstream.clone();
                let said = Said::from(one).keyed(&key);
                found.push(self.unknown(name, &said, upstream.map(|value| plain(&value))));
            }
        }
        self.native_files(&known, &mut found);
        found.truncate(NATIVE);
        found
    }

    /// Key files and channels of the desktop, in the folders of configuration.
    fn native_files(&self, known: &BTreeSet<Text>, found: &mut Vec<Setting>) {
        let Some(desktop) = self.user.desktop() else { return };
        let (folders, endings): (&[&str], &[&str]) = match desktop.name.as_str() {
            "KDE Plasma" => (&[""], PLASMA),
            "LXQt" => (&["lxqt", "pcmanfm-qt/lxqt", "qterminal.org"], &[".conf", ".ini"]),
            "Xfce" => return self.native_channels(known, found),
            _ => return,
        };
        let mut seen = BTreeSet::new();
        for config in &self.user.config {
            for folder in folders {
                let place = if folder.is_empty() { config.clone() } else { format!("{config}/{folder}") };
                for entry in self.user.tree.names(&place) {
                    let name = name_text(&entry.name);
                    if entry.kind == NodeKind::Folder || !endings.iter().any(|ending| name.ends_with(ending))
                    {
                        continue;
                    }
                    let path = format!("{place}/{name}");
                    let Ok(bytes) = self.user.tree.read(&path) else { continue };
                    let file = if folder.is_empty() { name.to_string() } else { format!("{folder}/{name}") };
                    let parsed = KeyFile::parse(&path, &bytes);
                    for (group, entry) in
                        parsed.groups().flat_map(|group| group.entries().map(move |entry| (group, entry)))
                    {
                        let native = format!("{file} [{}] {}", group.name(), entry.key);
                        let new = !known.contains(native.as_str()) && seen.insert(native.clone());
                        if let Some(value) = group.string(&entry.key).filter(|_| new && found.len() < NATIVE)
                        {
                            let said = Said { line: Some(entry.line), ..Said::of(value, path.clone()) };
                            found.push(self.unknown(native, &said, None));
                        }
                    }
                }
            }
        }
    }

    fn native_channels(&self, known: &BTreeSet<Text>, found: &mut Vec<Setting>) {
        let mut seen = BTreeSet::new();
        for config in &self.user.config {
            let folder = channel_file(config, "");
            let folder = folder.trim_end_matches("/.xml");
            for entry in self.user.tree.names(folder) {
                let name = name_text(&entry.name);
                let Some(channel) =
                    name.strip_suffix(".xml").filter(|name| !["xfce4-panel", SHORTCUTS].contains(name))
                else {
                    continue;
                };
                let path = format!("{folder}/{name}");
                let Ok(bytes) = self.user.tree.read(&path) else { continue };
                let places = quoted_names(&bytes);
                for property in properties(&bytes).0 {
                    let native = format!("{channel} {}", property.path);
                    let ends = |known: &Text| {
                        known.strip_prefix(channel).and_then(|rest| rest.strip_prefix(' ')).is_some_and(
                            |rest| property.path == rest || property.path.ends_with(&format!("/{rest}")),
                        )
                    };
                    let new = !known.iter().any(ends) && seen.insert(native.clone());
                    if new && found.len() < NATIVE {
                        let line =
                            property.path.rsplit('/').next().and_then(|name| places.get(name).copied());
                        let said = Said { line, ..Said::of(property.values.join(", ").into(), path.clone()) };
                        found.push(self.unknown(native, &said, None));
                    }
                }
            }
        }
    }

    /// A setting that no table names: it may be anything, and its value is kept where a package brought it.
    fn unknown(&self, native: String, said: &Said, upstream: Option<Text>) -> Setting {
        let native = Text::from(native);
        let is_brought = said.file.starts_with("usr/");
        let value = cut(&plain(&said.value));
        Setting {
            key: native.clone(),
            area: SettingArea::Other,
            value: if is_brought { Reduced::value(&value) } else { Reduced::switch(&value) },
            upstream_value: upstream.map(|value| Reduced::value(&cut(&value))),
            source: SettingSource::Set,
            native,
            locked: said.locked,
            set_by: None,
            evidence: said.evidence(self.user),
        }
    }
}

/// The first line that has each name between quotes.
fn quoted_names(bytes: &[u8]) -> BTreeMap<String, u32> {
    let mut places = BTreeMap::new();
    for (number, line) in lines(bytes) {
        let line = text(line);
        for name in line.split(['"', '\'']).skip(1).step_by(2) {
            if !places.contains_key(name) {
                places.insert(name.to_owned(), number);
            }
        }
    }
    places
}

/// A value of at most [`LONGEST`] bytes.
fn cut(value: &str) -> Text {
    let mut end = value.len().min(LONGEST);
    while !value.is_char_boundary(end) {
        end -= 1;
    }
    if end == value.len() { value.into() } else { format!("{}…", &value[..end]).into() }
}

/// What a native value is called.
fn told(rule: &SettingRule, place: &SettingPlace, value: &str) -> Text {
    let raw = plain(value);
    if let Some(name) = place.values.get(&raw).or_else(|| rule.values.get(&raw)) {
        return name.clone();
    }
    match (rule.shape, place.unit.or(rule.unit)) {
        (Some(SettingShape::List), _) => {
            let items = list_items(value);
            let short = |item: &Text| {
                let name = item.strip_suffix(".desktop").unwrap_or(item);
                rule.values.get(name).cloned().unwrap_or_else(|| name.into())
            };
            items.iter().map(short).filter(|item| !item.is_empty()).collect::<Vec<_>>().join(", ").into()
        }
        (Some(SettingShape::Buttons), _) => buttons(&raw),
        (_, Some(unit)) => raw.parse::<f64>().map_or(raw, |number| duration(number, unit)),
        _ => match raw.as_str() {
            "true" => "on".into(),
            "false" => "off".into(),
            _ => looks::font_name(&raw),
        },
    }
}

/// `5 min`, `30 s`, `2 h`; what is not above zero is never.
fn duration(number: f64, unit: SettingUnit) -> Text {
    let seconds = match unit {
        SettingUnit::Seconds => number,
        SettingUnit::Minutes => number * 60.0,
        SettingUnit::Milliseconds => number / 1000.0,
    };
    if !seconds.is_finite() || seconds <= 0.0 {
        return "never".into();
    }
    if seconds % 3600.0 == 0.0 {
        format!("{} h", seconds / 3600.0).into()
    } else if seconds % 60.0 == 0.0 {
        format!("{} min", seconds / 60.0).into()
    } else {
        format!("{seconds} s").into()
    }
}

/// The buttons of a window, left and right: `menu | minimize, maximize, close`. Words of GNOME's relatives, letters of Xfce (`O|SHMC`),
/// of KDE (`MS:HIAX`) and of Openbox (`NLIMC`, the title being the `L`).
fn buttons(raw: &str) -> Text {
    let word = |word: &str| match word.trim() {
        "appmenu" => Some("app menu"),
        "menu" | "icon" => Some("menu"),
        "minimize" => Some("minimize"),
        "maximize" => Some("maximize"),
        "close" => Some("close"),
        _ => None,
    };
    let between = raw.find([':', '|']).or_else(|| raw.find('L')).and_then(|at| raw[at..].chars().next());
    let letter = |letter: char| match (between, letter) {
        (Some('|'), 'O') | (Some(':'), 'M') | (Some('L'), 'N') => Some("menu"),
        (Some('|'), 'H') | (Some(':' | 'L'), 'I') => Some("minimize"),
        (Some('|' | 'L'), 'M') | (Some(':'), 'A') => Some("maximize"),
        (Some('|' | 'L'), 'C') | (Some(':'), 'X') => Some("close"),
        (Some('|' | 'L'), 'S') | (Some(':'), 'L') => Some("roll up"),
        (Some('|'), 'T') | (Some(':'), 'S') | (Some('L'), 'D') => Some("sticky"),
        (Some(':'), 'H') => Some("help"),
        (Some(':'), 'F') => Some("keep above"),
        (Some(':'), 'B') => Some("keep below"),
        _ => None,
    };
    let side = |side: &str| -> Vec<&str> {
        let words: Vec<&str> = side.split(',').filter_map(word).collect();
        let is_letters = |side: &str| side.bytes().all(|byte| byte.is_ascii_uppercase() || byte == b'_');
        if words.is_empty() && is_letters(side) { side.chars().filter_map(letter).collect() } else { words }
    };
    let (left, right) = between.and_then(|mark| raw.split_once(mark)).unwrap_or((raw, ""));
    let (left, right) = (side(left).join(", "), side(right).join(", "));
    match (left.is_empty(), right.is_empty()) {
        (true, true) => "none".into(),
        (false, true) => format!("left: {left}").into(),
        (true, false) => format!("right: {right}").into(),
        (false, false) => format!("left: {left}; right: {right}").into(),
    }
}

/// The native name of a place.
fn native(place: &SettingPlace) -> Text {
    let key = place.key.as_deref().unwrap_or_default();
    let named = |file: &Text| Text::from(format!("{file} {key}"));
    if let Some(file) = &place.config {
        return format!("{file} [{}] {key}", place.group.as_deref().unwrap_or("*")).into();
    }
    if let Some(file) = &place.buttons {
        return format!("{file} [{}] ButtonsOnLeft, ButtonsOnRight", place.group.as_deref().unwrap_or("*"))
            .into();
    }
    let own = [&place.gsettings, &place.global_theme, &place.apt, &place.user_add, &place.prefs];
    let of_file = [&place.xfconf, &place.line, &place.json, &place.xml];
    own.into_iter()
        .flatten()
        .next()
        .cloned()
        .or_else(|| of_file.into_iter().flatten().next().map(named))
        .or_else(|| place.panel.map(|fact| format!("panel {fact}").into()))
        .unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn values_are_called_alike() {
        for (raw, told) in [
            ("appmenu:minimize,maximize,close", "left: app menu; right: minimize, maximize, close"),
            ("close,minimize,maximize:", "left: close, minimize, maximize"),
            (":close", "right: close"),
            ("O|SHMC", "left: menu; right: roll up, minimize, maximize, close"),
            ("MS:HIAX", "left: menu, sticky; right: help, minimize, maximize, close"),
            ("XIA:", "left: close, minimize, maximize"),
            ("NLIMC", "left: menu; right: minimize, maximize, close"),
            ("LX:", "left: roll up, close"),
            ("DSCL", "left: sticky, roll up, close"),
            (":", "none"),
        ] {
            assert_eq!(buttons(raw), told, "{raw}");
        }
        for (number, unit, told) in [
            (300.0, SettingUnit::Seconds, "5 min"),
            (90.0, SettingUnit::Seconds, "90 s"),
            (120.0, SettingUnit::Minutes, "2 h"),
            (0.0, SettingUnit::Minutes, "never"),
            (-1.0, SettingUnit::Seconds, "never"),
            (500.0, SettingUnit::Milliseconds, "0.5 s"),
            (f64::NAN, SettingUnit::Seconds, "never"),
        ] {
            assert_eq!(duration(number, unit), told);
        }
        assert_eq!(cut(&"ä".repeat(300)).chars().count(), 201);
    }
}
