//! Icons of applications, as the Icon Theme Specification 0.13 looks them up: in the theme that is set, in those that it inherits from, in
//! `hicolor`, and beside them.

use super::Found;
use crate::keyfile::KeyFile;
use crate::text::name_text;
use std::collections::{BTreeMap, BTreeSet};
use tally_core::model::{PictureKind, Tally, Text};
use tally_trees::Tree;

/// The size that is wanted.
const SIZE: u32 = 64;
/// Themes that may inherit from one another.
const THEMES: usize = 12;
/// Where themes are.
const ICONS: &[&str] = &["usr/share/icons", "usr/local/share/icons"];

/// A folder of a theme, and how far its size is from the one that is wanted.
struct Folder {
    path: String,
    off: u32,
}

struct Icons<'t> {
    tree: &'t dyn Tree,
    /// Folders by theme in the order of the look-up, the best size first.
    folders: Vec<Folder>,
    names: BTreeMap<String, BTreeSet<Text>>,
}

/// The icon of each application that a menu shows.
pub(super) fn found(tree: &dyn Tree, tally: &Tally) -> Vec<Found> {
    let mut icons = Icons { tree, folders: Vec::new(), names: BTreeMap::new() };
    let first = tally.looks.default_icons.clone().unwrap_or_else(|| "hicolor".into());
    for theme in chain(tree, &first) {
        icons.add(&theme);
    }
    let mut found = Vec::new();
    for application in &tally.applications {
        let launchers = tally.launchers.iter().filter(|one| application.launchers.contains(&one.id));
        let icon = launchers.filter_map(|launcher| {
            let file = launcher.evidence.file.as_str();
            KeyFile::parse(file, &tree.read(file).ok()?).group("Desktop Entry")?.string("Icon")
        });
        if let Some(path) = icon.filter_map(|name| icons.path(&name)).next() {
            found.push(Found { kind: PictureKind::Icon, name: application.id.clone(), path });
        }
    }
    found
}

/// A theme and those that it inherits from, each once; `hicolor` last.
fn chain(tree: &dyn Tree, first: &str) -> Vec<Text> {
    let (mut themes, mut waiting) = (Vec::<Text>::new(), vec![Text::from(first)]);
    while !waiting.is_empty() && themes.len() < THEMES {
        let theme = waiting.remove(0);
        if theme == "hicolor" || theme.contains('/') || themes.contains(&theme) {
            continue;
        }
        let index = index(tree, &theme);
        let inherits = index.and_then(|(_, index)| index.group("Icon Theme")?.string("Inherits"));
        waiting
            .extend(inherits.iter().flat_map(|names| names.split(',')).map(|name| Text::from(name.trim())));
        themes.push(theme);
    }
    themes.push("hicolor".into());
    themes
}

fn index(tree: &dyn Tree, theme: &str) -> Option<(&'static str, KeyFile)> {
    ICONS.iter().find_map(|icons| {
        let file = format!("{icons}/{theme}/index.theme");
        Some((*icons, KeyFile::parse(&file, &tree.read(&file).ok()?)))
    })
}

impl Icons<'_> {
    fn add(&mut self, theme: &str) {
        let Some((icons, index)) = index(self.tree, theme) else { return };
        let mut own: Vec<Folder> = index
            .groups()
            .filter_map(|group| {
                let size: u32 = group.get("Size")?.parse().ok()?;
                let scale: u32 = group.get("Scale").and_then(|scale| scale.parse().ok()).unwrap_or(1);
                let is_scalable = group.get("Type").is_some_and(|kind| kind == "Scalable");
                let off = if is_scalable { 1 } else { (size.saturating_mul(scale)).abs_diff(SIZE) };
                let path = format!("{icons}/{theme}/{}", group.name());
                (!group.name().contains("..")).then_some(Folder { path, off })
            })
            .collect();
        own.sort_by_key(|folder| folder.off);
        self.folders.append(&mut own);
    }

    fn has(&mut self, folder: &str, name: &str) -> bool {
        let list = || self.tree.names(folder).iter().map(|entry| name_text(&entry.name)).collect();
        self.names.entry(folder.to_owned()).or_insert_with(list).contains(name)
    }

    /// The file of an icon: a path as it is, a name by the themes.
    fn path(&mut self, icon: &str) -> Option<String> {
        if let Some(path) = icon.strip_prefix('/') {
            return self.tree.exists(path).then(|| path.to_owned());
        }
        if icon.is_empty() || icon.contains('/') {
            return None;
        }
        let stem = icon.strip_suffix(".png").or_else(|| icon.strip_suffix(".svg")).unwrap_or(icon);
        let folders: Vec<String> = self.folders.iter().map(|folder| folder.path.clone()).collect();
        for folder in folders.iter().map(String::as_str).chain(["usr/share/pixmaps"]) {
            for ending in ["png", "svg"] {
                let name = format!("{stem}.{ending}");
                if self.has(folder, &name) {
                    return Some(format!("{folder}/{name}"));
                }
            }
        }
        None
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use tally_trees::MemoryTree;

    #[test]
    fn the_theme_then_those_it_inherits_from_then_hicolor_then_beside_them() {
        let theme = |inherits: &str| {
            format!(
                "[Icon Theme]\nInherits={inherits}\n[48x48/apps]\nSize=48\n[96x96/apps]\nSize=96\n[scalable/apps]\nSize=16\nType=Scalable\n"
            )
        };
        let tree = MemoryTree::new()
            .file("usr/share/icons/Marsh/index.theme", theme("Reed,Marsh"))
            .file("usr/share/icons/Reed/index.theme", theme("Marsh,hicolor"))
            .file("usr/share/icons/hicolor/index.theme", theme(""))
            .file("usr/share/icons/Marsh/48x48/apps/a.png", "")
            .file("usr/share/icons/Reed/scalable/apps/a.svg", "")
            .file("usr/share/icons/Reed/48x48/apps/b.png", "")
            .file("usr/share/icons/Reed/scalable/apps/b.svg", "")
            .file("usr/share/icons/hicolor/96x96/apps/c.png", "")
            .file("usr/share/pixmaps/d.png", "")
            .file("opt/e.svg", "");
        assert_eq!(chain(&tree, "Marsh"), ["Marsh", "Reed", "hicolor"]);
        let mut icons = Icons { tree: &tree, folders: Vec::new(), names: BTreeMap::new() };
        chain(&tree, "Marsh").iter().for_each(|theme| icons.add(theme));
        let mut path = |name: &str| icons.path(name);
        assert_eq!(path("a").as_deref(), Some("usr/share/icons/Marsh/48x48/apps/a.png"));
        assert_eq!(path("b").as_deref(), Some("usr/share/icons/Reed/scalable/apps/b.svg"));
        assert_eq!(path("c").as_deref(), Some("usr/share/icons/hicolor/96x96/apps/c.png"));
        assert_eq!(path("d.png").as_deref(), Some("usr/share/pixmaps/d.png"));
        assert_eq!(path("/opt/e.svg").as_deref(), Some("opt/e.svg"));
        assert_eq!((path("none"), path("../../etc/x"), path("")), (None, None, None));
    }
}
