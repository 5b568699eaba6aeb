//! Icons of applications, as the Icon Theme Specification 0.13 looks them up: in the theme that is set, in those that it inherits from, in
//! `hicolor`, and beside them.

use super::Found;
use crate::keyfile::KeyFile;
use crate::text::name_text;
use rustc_hash::FxHashMap;
use std::sync::Arc;
use tally_core::model::{Launcher, PictureKind, Tally, Text};
use tally_trees::Tree;

/// The size that is wanted.
const SIZE: u32 = 64;
/// Themes that may inherit from one another.
const THEMES: usize = 12;
/// Where themes are.
const ICONS: &[&str] = &["usr/share/icons", "usr/local/share/icons"];

/// Folders of all themes that are looked into.
const FOLDERS: usize = 2000;
/// Where icons of no theme are.
const BESIDE: &str = "usr/share/pixmaps";

/// A folder of a theme, and how far its size is from the one that is wanted.
struct Folder {
    path: String,
    off: u32,
}

/// The files of all folders in the order of the look-up: by name the number of the first folder that has it, and that folder.
struct Icons<'t> {
    tree: &'t dyn Tree,
    places: FxHashMap<Text, (usize, Arc<str>)>,
}

/// The icon of each application that a menu shows.
pub(super) fn found(tree: &dyn Tree, tally: &Tally) -> Vec<Found> {
    let first = tally.looks.default_icons.clone().unwrap_or_else(|| "hicolor".into());
    let folders = chain(tree, &first).into_iter().flat_map(|theme| folders_of(tree, &theme));
    let icons = Icons::of(tree, folders.take(FOLDERS).chain([BESIDE.to_owned()]));
    let launchers: FxHashMap<&str, &Launcher> =
        tally.launchers.iter().rev().map(|launcher| (launcher.id.as_str(), launcher)).collect();
    let mut found = Vec::new();
    for application in &tally.applications {
        let own = application.launchers.iter().filter_map(|id| launchers.get(id.as_str()));
        let icon = own.filter_map(|launcher| {
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

/// The folders of a theme, the best size first.
fn folders_of(tree: &dyn Tree, theme: &str) -> Vec<String> {
    let Some((icons, index)) = index(tree, theme) else { return Vec::new() };
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
    own.into_iter().map(|folder| folder.path).collect()
}

impl<'t> Icons<'t> {
    fn of(tree: &'t dyn Tree, folders: impl Iterator<Item = String>) -> Self {
        let mut places = FxHashMap::default();
        for (number, folder) in folders.enumerate() {
            let path: Arc<str> = folder.as_str().into();
            for entry in tree.names(&folder) {
                places.entry(name_text(&entry.name)).or_insert_with(|| (number, Arc::clone(&path)));
            }
        }
        Self { tree, places }
    }

    /// The file of an icon: a path as it is, a name by the themes.
    fn path(&self, icon: &str) -> Option<String> {
        if let Some(path) = icon.strip_prefix('/') {
            return self.tree.exists(path).then(|| path.to_owned());
        }
        if icon.is_empty() || icon.contains('/') {
            return None;
        }
        let stem = icon.strip_suffix(".png").or_else(|| icon.strip_suffix(".svg")).unwrap_or(icon);
        // In one folder a PNG goes first.
        let place = |ending: &str| {
            let name = Text::from(format!("{stem}.{ending}"));
            self.places.get(&name).map(|(number, folder)| (*number, format!("{folder}/{name}")))
        };
        let (png, svg) = (place("png"), place("svg"));
        [png, svg].into_iter().flatten().min_by_key(|(number, _)| *number).map(|(_, path)| path)
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
        let folders = chain(&tree, "Marsh").into_iter().flat_map(|theme| folders_of(&tree, &theme));
        let icons = Icons::of(&tree, folders.chain([BESIDE.to_owned()]));
        let path = |name: &str| icons.path(name);
        assert_eq!(path("a").as_deref(), Some("usr/share/icons/Marsh/48x48/apps/a.png"));
        assert_eq!(path("b").as_deref(), Some("usr/share/icons/Reed/scalable/apps/b.svg"));
        assert_eq!(path("c").as_deref(), Some("usr/share/icons/hicolor/96x96/apps/c.png"));
        assert_eq!(path("d.png").as_deref(), Some("usr/share/pixmaps/d.png"));
        assert_eq!(path("/opt/e.svg").as_deref(), Some("opt/e.svg"));
        assert_eq!((path("none"), path("../../etc/x"), path("")), (None, None, None));
    }
}
