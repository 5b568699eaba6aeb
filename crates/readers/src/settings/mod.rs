//! Settings as a new user of the install has them: key files in the folders of configuration, GSettings, Xfce's channels.

mod collect;
mod dconf;
mod gsettings;
mod panels;
mod system;
mod xfconf;

pub(crate) use collect::read;
pub(crate) use gsettings::Gsettings;
pub(crate) use system::apt;
use xfconf::property;

use crate::keyfile::KeyFile;
use crate::sessions::config_folders_set_in;
use crate::text::{lines, name_text, text};
use crate::xml;
use std::path::{Component, Path, PathBuf};
use tally_core::knowledge::{Desktop, SettingPlace, desktops};
use tally_core::model::{Evidence, Session, Text};
use tally_trees::{LIMITS, Tree};

/// The home of a new user.
const HOME: &str = "etc/skel/.config";

/// A new user, in the session that starts.
pub(crate) struct NewUser<'t> {
    /// The install.
    pub(crate) tree: &'t dyn Tree,
    /// The values of `XDG_CURRENT_DESKTOP`.
    pub(crate) desktops: Vec<Text>,
    /// Folders of configuration, in order of precedence: the home, then `XDG_CONFIG_DIRS`.
    pub(crate) config: Vec<String>,
    /// GSettings.
    pub(crate) gsettings: Gsettings<'t>,
}

impl<'t> NewUser<'t> {
    /// Whoever logs in to that session.
    pub(crate) fn of(tree: &'t dyn Tree, session: Option<&Session>, scripts: &[Vec<u8>]) -> Self {
        let desktops = session.map(|session| session.desktops.clone()).unwrap_or_default();
        let config = config_folders(tree, session, scripts);
        Self { tree, gsettings: Gsettings::new(tree, &desktops), desktops, config }
    }

    /// A value of a key file in the folders of configuration, and the file that says it. The group `*` is any.
    pub(crate) fn config(&self, file: &str, group: &str, key: &str) -> Option<(Text, String)> {
        self.config.iter().find_map(|folder| {
            let path = format!("{folder}/{file}");
            let bytes = self.tree.read(&path).ok()?;
            let parsed = KeyFile::parse(&path, &bytes);
            let value = match group {
                "*" => parsed.groups().find_map(|group| group.string(key)),
                _ => parsed.group(group)?.string(key),
            };
            Some((value?, path))
        })
    }
}

impl NewUser<'_> {
    /// The desktop of the session.
    pub(crate) fn desktop(&self) -> Option<&'static Desktop> {
        self.desktops.iter().find_map(|name| desktops().named(name))
    }

    /// The window manager of the session: what is set, else the only known one that is installed, where the desktop lets choose.
    pub(crate) fn window_manager(&self) -> Option<Text> {
        let desktop = self.desktop()?;
        let Some(place) = &desktop.chooses_window_manager else { return desktop.window_manager.clone() };
        let known = desktops().window_managers();
        let set = self.value(place, None).and_then(|(command, _)| {
            let program = command.split_whitespace().next()?.rsplit('/').next()?.to_owned();
            known.iter().find(|one| one.program == program)
        });
        let is_there = |program: &str| {
            let folders = ["usr/bin", "usr/local/bin", "bin"];
            folders.iter().any(|folder| self.tree.exists(format!("{folder}/{program}")))
        };
        let mut there = known.iter().filter(|one| is_there(&one.program));
        let only = || there.next().filter(|_| there.next().is_none());
        set.or_else(only).map(|one| one.name.clone())
    }

    /// Whether systemd starts the programs of the session.
    pub(crate) fn is_run_by_systemd(&self) -> bool {
        let systemd = ["usr/lib/systemd/systemd", "lib/systemd/systemd"];
        self.desktop().is_some_and(|desktop| desktop.systemd_session)
            && systemd.iter().any(|program| self.tree.exists(program))
    }

    /// What a place says, and the file that says it; none where the program itself does. `theme` is the global theme of Plasma.
    pub(crate) fn value(&self, place: &SettingPlace, theme: Option<&str>) -> Option<(Text, Option<String>)> {
        match place.ways() {
            0 => place.otherwise.clone().map(|value| (value, None)),
            _ => {
                let said = self.said(place, theme)?;
                let value = plain(&said.value);
                (!value.is_empty()).then_some((value, Some(said.file)))
            }
        }
    }

    /// What a place says, whatever upstream does where it says nothing.
    pub(crate) fn said(&self, place: &SettingPlace, theme: Option<&str>) -> Option<Said> {
        let key = place.key.as_deref();
        if place.unless.as_ref().is_some_and(|file| self.tree.exists(file.as_str())) {
            return None;
        }
        if let Some(setting) = &place.gsettings {
            let (schema, key) = setting.split_once(' ')?;
            return self.gsettings.found(schema, key).map(Said::from).map(|said| said.keyed(key));
        }
        if let (Some(file), Some(key)) = (&place.config, key) {
            let group = place.group.as_deref().unwrap_or("*");
            let (value, file) = match file.strip_prefix('/') {
                Some(path) => system::key_file(self.tree, path, group, key)?,
                None => self.config(file, group, key)?,
            };
            return Some(Said { group: Some(group.to_owned()), ..Said::of(value, file) }.keyed(key));
        }
        if let Some(file) = &place.buttons {
            let group = place.group.as_deref().unwrap_or("*");
            let side = |key: &str| self.config(file, group, key);
            let (left, right) = (side("ButtonsOnLeft"), side("ButtonsOnRight"));
            // Each side by itself is upstream's where nothing is set.
            let (first, last) = place.otherwise.as_deref().unwrap_or_default().split_once(':')?;
            let path = left.as_ref().or(right.as_ref())?.1.clone();
            let text = |side: Option<(Text, String)>, otherwise: &str| {
                side.map_or_else(|| otherwise.into(), |side| side.0)
            };
            let value: Text = format!("{}:{}", text(left, first), text(right, last)).into();
            return Some(Said { group: Some(group.to_owned()), ..Said::of(value, path) });
        }
        if let (Some(channel), Some(key)) = (&place.xfconf, key) {
            let (value, file) = property(self, channel, key)?;
            return Some(Said::of(value, file).keyed(key.rsplit('/').next().unwrap_or(key)));
        }
        if let (Some(file), Some(path)) = (&place.xml, key) {
            return self
                .config
                .iter()
                .find_map(|folder| element(self.tree, format!("{folder}/{file}"), path));
        }
        if let Some(path) = &place.global_theme {
            let file = format!("usr/share/plasma/look-and-feel/{}/contents/defaults", theme?);
            let (groups, key) = path.rsplit_once('/')?;
            let group = groups.replace('/', "][");
            let bytes = self.tree.read(&file).ok()?;
            let value = KeyFile::parse(&file, &bytes).group(&group)?.string(key)?;
            return Some(Said { group: Some(group), ..Said::of(value, file) }.keyed(key));
        }
        if let (Some(file), Some(key)) = (&place.line, key) {
            let bytes = self.tree.read(file.as_str()).ok()?;
            let said = lines(&bytes).find_map(|(number, line)| {
                let line = text(line.trim_ascii());
                let rest = line.strip_prefix(key)?;
                let rest = rest.trim_start_matches([' ', '\t', '=']).trim();
                let one_word = key.contains(' ');
                let value = if one_word { rest.split_whitespace().next()? } else { rest };
                Some((number, Text::from(value.trim_matches(['"', '\'']))))
            });
            let (line, value) = said.filter(|(_, value)| !value.is_empty())?;
            return Some(Said { line: Some(line), ..Said::of(value, file.to_string()) });
        }
        if let (Some(file), Some(pointer)) = (&place.json, key) {
            return system::json(self.tree, file, pointer);
        }
        let tree = self.tree;
        if let Some(file) = place.first_file.iter().find(|file| tree.exists(file.as_str())) {
            let value = format!("/{file}").into();
            return Some(Said { by_upstream: true, ..Said::of(value, file.to_string()) });
        }
        let apt = place.apt.as_ref().and_then(|name| system::apt(tree, name));
        let new_users = || place.user_add.as_ref().and_then(|key| system::user_add(tree, key));
        apt.or_else(new_users).or_else(|| system::preference(tree, place.prefs.as_ref()?))
    }
}

/// The text of the first element of a path below an XML file's first element.
fn element(tree: &dyn Tree, file: String, path: &str) -> Option<Said> {
    let bytes = tree.read(&file).ok()?;
    let mut found = None;
    let end = xml::walk(&bytes, |step| {
        if let xml::Step::Close { path: at, text } = step
            && found.is_none()
            && at.iter().skip(1).map(Text::as_str).eq(path.split('/'))
        {
            found = Some(Text::from(text.trim()));
        }
    });
    if let Err(error) = end {
        tree.note(Path::new(&file), &format!("line {}: {}", error.line, error.why));
    }
    found.map(|value| Said::of(value, file))
}

/// What a place says of a setting, and where.
#[derive(Debug, Clone, Default)]
pub(crate) struct Said {
    /// The value as it is written.
    pub(crate) value: Text,
    /// The file; empty where a program does so by itself.
    pub(crate) file: String,
    /// The group of a key file, and the key: by them the line is found.
    group: Option<String>,
    key: Option<String>,
    line: Option<u32>,
    /// The default of a schema.
    pub(crate) upstream: Option<Text>,
    /// Whether upstream decided it.
    pub(crate) by_upstream: bool,
    /// Whether users can't change it.
    pub(crate) locked: bool,
}

impl Said {
    pub(crate) fn of(value: Text, file: String) -> Self {
        Self { value, file, ..Self::default() }
    }

    pub(crate) fn keyed(self, key: &str) -> Self {
        Self { key: Some(key.to_owned()), ..self }
    }

    /// The file, and the line that has the key, where one has.
    pub(crate) fn evidence(&self, user: &NewUser<'_>) -> Evidence {
        if self.file.is_empty() {
            return Evidence::default();
        }
        let line = self.line.or_else(|| {
            let bytes = user.tree.read(&self.file).ok()?;
            line_of(&bytes, self.group.as_deref(), self.key.as_deref()?, self.file.ends_with(".xml"))
        });
        Evidence { file: self.file.as_str().into(), line }
    }
}

impl From<gsettings::Found> for Said {
    fn from(found: gsettings::Found) -> Self {
        Self {
            value: found.value,
            file: found.file,
            group: found.schema,
            line: found.line,
            upstream: found.upstream,
            by_upstream: found.by_schema,
            locked: found.locked,
            ..Self::default()
        }
    }
}

/// The line of a key in its group; in XML the one that has its name between quotes.
fn line_of(bytes: &[u8], group: Option<&str>, key: &str, is_xml: bool) -> Option<u32> {
    let quoted = |line: &str, name: &str| {
        [format!("\"{name}\""), format!("'{name}'")].iter().any(|quoted| line.contains(quoted))
    };
    let mut here = group.is_none_or(|group| group == "*");
    lines(bytes).find_map(|(number, line)| {
        let line = text(line);
        if is_xml {
            here |= group.is_some_and(|group| quoted(&line, group));
            return (here && quoted(&line, key)).then_some(number);
        }
        if let Some(name) = line.strip_prefix('[') {
            here = group.is_none_or(|group| group == "*" || name.trim_end_matches(']') == group);
        }
        let own = line.split_once('=').is_some_and(|(known, _)| known.trim() == key);
        (here && own).then_some(number)
    })
}

/// A value of GVariant text without its type and its quotes; any other text as it is.
pub(crate) fn plain(value: &str) -> Text {
    let value = value.trim();
    let is_type = |word: &str| {
        word.starts_with('@')
            || matches!(
                word,
                "byte" | "int16" | "uint16" | "int32" | "uint32" | "int64" | "uint64" | "double"
            )
    };
    let value = match value.split_once(' ') {
        Some((kind, rest)) if is_type(kind) => rest.trim(),
        _ => value,
    };
    let quoted = |quote: char| value.strip_prefix(quote).and_then(|rest| rest.strip_suffix(quote));
    quoted('\'').or_else(|| quoted('"')).unwrap_or(value).into()
}

/// The items of a list: of GVariant text (`['a', 'b']`), or between commas.
pub(crate) fn list_items(value: &str) -> Vec<Text> {
    let value = plain(value);
    let inner = value.strip_prefix('[').and_then(|rest| rest.strip_suffix(']')).unwrap_or(&value);
    let (mut items, mut item, mut quote) = (Vec::new(), String::new(), None::<char>);
    for one in inner.chars() {
        match (quote, one) {
            (None, '\'' | '"') => quote = Some(one),
            (Some(open), _) if open == one => quote = None,
            (None, ',') => items.push(std::mem::take(&mut item)),
            _ => item.push(one),
        }
    }
    items.push(item);
    items.iter().map(|item| Text::from(item.trim())).filter(|item| !item.is_empty()).collect()
}

/// The home, what the session's scripts and the system's environment put before `etc/xdg`, that, and what they put behind it.
fn config_folders(tree: &dyn Tree, session: Option<&Session>, scripts: &[Vec<u8>]) -> Vec<String> {
    let mut folders = vec![HOME.to_owned()];
    folders.extend(session.map(|session| format!("etc/xdg/xdg-{}", session.id)));
    let mut texts: Vec<Vec<u8>> = scripts.to_vec();
    let plasma = session.is_some_and(|session| session.desktops.iter().any(|name| name == "KDE"));
    let environment = ["usr/lib/environment.d", "etc/environment.d"];
    let plasma_folders: &[&str] =
        if plasma { &["etc/xdg/plasma-workspace/env", "usr/share/plasma-workspace/env"] } else { &[] };
    for folder in environment.iter().chain(plasma_folders) {
        let names =
            tree.names(folder).into_iter().map(|entry| format!("{folder}/{}", name_text(&entry.name)));
        texts.extend(names.filter_map(|file| tree.read(file).ok()));
    }
    let (mut before, mut behind) = (Vec::new(), Vec::new());
    for text in &texts {
        let (first, last) = config_folders_set_in(text);
        before.extend(first);
        behind.extend(last);
    }
    folders.extend(before);
    folders.push("etc/xdg".into());
    folders.extend(behind);
    folders.extend(["usr/local/etc/xdg", "usr/etc/xdg"].map(String::from));
    let names = session.into_iter().flat_map(|session| &session.desktops);
    let own = names.filter_map(|name| desktops().named(name)).flat_map(|desktop| &desktop.config_folders);
    folders.extend(own.map(ToString::to_string));
    let mut seen: Vec<String> = Vec::new();
    folders.retain(|folder| {
        let new = !seen.contains(folder) && (folder == HOME || tree.is_folder(folder));
        seen.push(folder.clone());
        new
    });
    folders
}

/// Where a path leads when every link in it is followed; the path as far as it leads somewhere.
pub(crate) fn resolved(tree: &dyn Tree, path: &str) -> String {
    let mut left = LIMITS.links_followed;
    let mut done = PathBuf::new();
    let mut waiting: Vec<PathBuf> = vec![PathBuf::from(path)];
    while let Some(next) = waiting.pop() {
        let mut parts = next.components();
        let Some(part) = parts.next() else { continue };
        let rest = parts.as_path().to_owned();
        if rest != Path::new("") {
            waiting.push(rest);
        }
        match part {
            Component::RootDir => done.clear(),
            Component::ParentDir => _ = done.pop(),
            Component::Normal(name) => {
                done.push(name);
                if left > 0
                    && let Ok(target) = tree.read_link(&done)
                {
                    left -= 1;
                    done.pop();
                    waiting.push(target);
                }
            }
            _ => {}
        }
    }
    done.to_string_lossy().into_owned()
}

#[cfg(test)]
mod tests {
    use super::*;
    use tally_trees::MemoryTree;

    #[test]
    fn folders_of_configuration_stand_as_the_scripts_put_them() {
        let session = Session {
            id: "weir".into(),
            name: "Weir".into(),
            display: "x11".into(),
            desktops: vec!["KDE".into()],
            desktop: None,
            package: None,
            evidence: tally_core::model::Evidence::default(),
        };
        let tree = MemoryTree::new()
            .file("etc/xdg/a", "")
            .file("etc/xdg/xdg-weir/a", "")
            .file("usr/share/marsh/settings/krc", "[General]\nfont=Reed,10\n")
            .file("usr/share/late/krc", "[General]\nfont=Late\nother=1\n")
            .file("etc/xdg/plasma-workspace/env/marsh.sh", "export XDG_CONFIG_DIRS=/usr/share/marsh/settings:${XDG_CONFIG_DIRS:-/etc/xdg}:/usr/share/none\n");
        let script = b"XDG_CONFIG_DIRS=\"$XDG_CONFIG_DIRS:/usr/share/late\"\n".to_vec();
        let user = NewUser::of(&tree, Some(&session), &[script]);
        assert_eq!(
            user.config,
            ["etc/skel/.config", "etc/xdg/xdg-weir", "usr/share/marsh/settings", "etc/xdg", "usr/share/late"]
        );
        let value = |key: &str| user.config("krc", "General", key).map(|(value, _)| value.to_string());
        assert_eq!((value("font").as_deref(), value("other").as_deref()), (Some("Reed,10"), Some("1")));
        assert_eq!(
            user.config("krc", "*", "font").map(|(_, file)| file),
            Some("usr/share/marsh/settings/krc".into())
        );
    }

    #[test]
    fn plasma_tells_its_panel_and_what_stands_for_a_default_app() {
        let theme = "usr/share/plasma/look-and-feel/org.marsh.desktop/contents";
        let tree = MemoryTree::new()
            .file("etc/xdg/kdeglobals", "[KDE]\nLookAndFeelPackage=org.marsh.desktop\n")
            .file(format!("{theme}/defaults"), "[plasmarc][Theme]\nname=breeze-dark\n")
            .file(format!("{theme}/layouts/org.kde.plasma.desktop-layout.js"), "loadTemplate('org.marsh.panel')\n")
            .file(
                "usr/share/plasma/layout-templates/org.marsh.panel/contents/layout.js",
                "var panel = new Panel\npanel.location = 'bottom'\npanel.addWidget('org.kde.plasma.icontasks')\n",
            )
            .file(
                "usr/share/plasma/plasmoids/org.kde.plasma.icontasks/contents/config/main.xml",
                "<kcfg><group><entry name='launchers' type='StringList'>\
                 <default>applications:inkcap.desktop,preferred://filemanager,preferred://browser</default>\
                 </entry></group></kcfg>",
            );
        let mut user = NewUser::of(&tree, None, &[]);
        user.desktops = vec!["KDE".into()];
        let told = read(&user, tally_core::knowledge::settings());
        let value = |key: &str| told.iter().find(|one| one.key == key).map(|one| one.value.as_str());
        assert_eq!(value("shell-theme"), Some("Breeze Dark"));
        assert_eq!(value("dock-favourites"), Some("inkcap, File manager, Web browser"));
        let plain = NewUser { tree: &MemoryTree::new(), ..user };
        let told = read(&plain, tally_core::knowledge::settings());
        assert_eq!(told.iter().find(|one| one.key == "shell-theme").unwrap().value, "Breeze");
    }

    /// Settings of windows as a new user of a desktop finds them: their names and values.
    fn windows(tree: &MemoryTree, desktop: &str) -> Vec<(String, String)> {
        let mut user = NewUser::of(tree, None, &[]);
        user.desktops = vec![desktop.into()];
        let told = read(&user, tally_core::knowledge::settings());
        let ours = told.into_iter().filter(|one| one.area == tally_core::knowledge::SettingArea::Windows);
        ours.map(|one| (one.key.to_string(), one.value.to_string())).collect()
    }

    #[test]
    fn windows_are_as_the_window_manager_has_them_that_starts() {
        let rc = "<openbox_config><theme><font><name>Sans</name></font><titleLayout>NLIMC</titleLayout></theme><desktops>\
                  <number>3</number></desktops>";
        let tree = MemoryTree::new()
            .file("usr/share/xfwm4/defaults", "button_layout=O|HC\nworkspace_count=4\n")
            .file(
                "etc/xdg/xfce4/xfconf/xfce-perchannel-xml/xfwm4.xml",
                "<channel name='xfwm4'><property name='general' type='empty'>\
                  <property name='workspace_count' type='int' value='2'/></property></channel>",
            )
            .file("etc/xdg/openbox/rc.xml", format!("{rc}</openbox_config>"))
            .file("etc/xdg/openbox/LXDE/rc.xml", rc.replace('3', "1"))
            .file("usr/bin/xfwm4", "");
        let session: Session = serde_json::from_str(
            r#"{"id": "xfce", "name": "Xfce", "display": "x11", "desktops": ["XFCE"], "evidence": {"file": "x"}}"#,
        )
        .unwrap();
        let late = tree.clone().file("usr/share/desktop-base/profiles/xdg-config/a", "");
        let folders = NewUser::of(&late, Some(&session), &[]).config;
        assert_eq!(folders.last().map(String::as_str), Some("usr/share/desktop-base/profiles/xdg-config"));
        let workspaces = |tree: &MemoryTree, desktop: &str| {
            windows(tree, desktop).into_iter().find(|(key, _)| key == "workspaces").map(|(_, value)| value)
        };
        assert_eq!(workspaces(&tree, "XFCE").as_deref(), Some("2"));
        assert_eq!(workspaces(&tree, "LXQt").as_deref(), Some("2"), "the only one that is there");
        assert_eq!(
            workspaces(&tree, "LXDE").as_deref(),
            Some("1"),
            "a file that is cut off tells what it has"
        );
        let tree = tree.file("usr/bin/openbox", "");
        assert_eq!(windows(&tree, "LXQt"), [], "the first user chooses");
        let tree = tree
            .file("etc/xdg/lxqt/session.conf", "[General]\nwindow_manager=/usr/bin/openbox --startup x\n");
        assert_eq!(
            windows(&tree, "LXQt"),
            [
                ("window-buttons".into(), "left: menu; right: minimize, maximize, close".into()),
                ("workspaces".into(), "3".into())
            ]
        );
    }
}
