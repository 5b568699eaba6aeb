//! Settings as a new user of the install has them: key files in the folders of configuration, GSettings, Xfce's channels.

mod dconf;
mod gsettings;
mod xfconf;

pub(crate) use gsettings::Gsettings;
use xfconf::property;

use crate::keyfile::KeyFile;
use crate::sessions::config_folders_set_in;
use crate::text::{lines, name_text, text};
use std::path::{Component, Path, PathBuf};
use tally_core::knowledge::{Desktop, SettingPlace, desktops};
use tally_core::model::{Session, Text};
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

    /// Whether systemd starts the programs of the session.
    pub(crate) fn is_run_by_systemd(&self) -> bool {
        let systemd = ["usr/lib/systemd/systemd", "lib/systemd/systemd"];
        self.desktop().is_some_and(|desktop| desktop.systemd_session)
            && systemd.iter().any(|program| self.tree.exists(program))
    }

    /// What a place says, and the file that says it; none where the program itself does. `theme` is the global theme of Plasma.
    pub(crate) fn value(&self, place: &SettingPlace, theme: Option<&str>) -> Option<(Text, Option<String>)> {
        let found = |(value, file): (Text, String)| (value, Some(file));
        if let Some(setting) = &place.gsettings {
            let (schema, key) = setting.split_once(' ')?;
            return self.gsettings.get(schema, key).map(found);
        }
        if let (Some(file), Some(key)) = (&place.config, &place.key) {
            return self.config(file, place.group.as_deref().unwrap_or("*"), key).map(found);
        }
        if let (Some(channel), Some(key)) = (&place.xfconf, &place.key) {
            return property(self, channel, key).map(found);
        }
        if let Some(path) = &place.global_theme {
            let file = format!("usr/share/plasma/look-and-feel/{}/contents/defaults", theme?);
            let (groups, key) = path.rsplit_once('/')?;
            let bytes = self.tree.read(&file).ok()?;
            let value = KeyFile::parse(&file, &bytes).group(&groups.replace('/', "]["))?.string(key)?;
            return Some((value, Some(file)));
        }
        if let (Some(file), Some(key)) = (&place.line, &place.key) {
            let bytes = self.tree.read(file.as_str()).ok()?;
            let said = lines(&bytes).find_map(|(_, line)| {
                let line = text(line.trim_ascii());
                let rest = line.strip_prefix(key.as_str())?;
                let rest = rest.trim_start_matches([' ', '\t', '=']).trim();
                let one_word = key.contains(' ');
                let value = if one_word { rest.split_whitespace().next()? } else { rest };
                Some(Text::from(value.trim_matches(['"', '\''])))
            });
            return Some((said.filter(|value| !value.is_empty())?, Some(file.to_string())));
        }
        place.otherwise.clone().map(|value| (value, None))
    }
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
}
