//! How an install looks: themes, icon sets, wallpapers, fonts, and which of them are set. See `docs/formats/looks.md`.

use crate::keyfile::KeyFile;
use crate::sessions;
use crate::text::name_text;
use quick_xml::events::Event;
use std::path::Path;
use tally_core::model::{Evidence, Look, Looks, Text};
use tally_trees::{Entry, NodeKind, Tree};

const PICTURES: &[&str] =
    &["jpg", "jpeg", "png", "svg", "svgz", "webp", "jxl", "avif", "heic", "bmp", "tif", "tiff"];
const FONTS: &[&str] = &["ttf", "otf", "ttc", "pfb", "gz", "otb", "bdf", "pcf", "woff", "woff2"];

/// How deep folders of pictures and fonts may nest.
const DEPTH: usize = 5;

/// Reads all of it; owners are filled later.
pub(crate) fn read(tree: &dyn Tree) -> Looks {
    let sessions = sessions::read(tree);
    let mut looks = Looks {
        default_session: default_session(tree, &sessions),
        sessions,
        themes: named(tree, "usr/share/themes", |folder| !tree.names(folder).is_empty()),
        icon_sets: named(tree, "usr/share/icons", |folder| tree.exists(format!("{folder}/index.theme"))),
        wallpapers: [packs(tree, "usr/share/backgrounds"), packs(tree, "usr/share/wallpapers")].concat(),
        fonts: fonts(tree),
        ..Looks::default()
    };
    looks.icon_sets.retain(|set| set.name != "hicolor" && set.name != "default");
    settings(tree, &mut looks);
    looks
}

fn folders(tree: &dyn Tree, path: &str) -> impl Iterator<Item = Entry> {
    tree.names(path).into_iter().filter(|entry| entry.kind == NodeKind::Folder)
}

fn named(tree: &dyn Tree, path: &str, counts: impl Fn(&str) -> bool) -> Vec<Look> {
    let names = folders(tree, path).map(|entry| name_text(&entry.name));
    names
        .filter(|name| counts(&format!("{path}/{name}")))
        .map(|name| Look { name, count: None, package: None })
        .collect()
}

/// Packs of pictures: each folder at the top, and the pictures that lie beside the folders.
fn packs(tree: &dyn Tree, path: &str) -> Vec<Look> {
    let mut packs: Vec<Look> = folders(tree, path)
        .map(|entry| name_text(&entry.name))
        .map(|name| Look {
            count: Some(count(tree, &format!("{path}/{name}"), PICTURES, DEPTH)),
            name,
            package: None,
        })
        .collect();
    let beside = tree
        .names(path)
        .iter()
        .filter(|entry| entry.kind == NodeKind::File && ends_in(&entry.name, PICTURES))
        .count();
    if beside > 0 {
        packs.push(Look {
            name: path.rsplit('/').next().unwrap_or(path).into(),
            count: u32::try_from(beside).ok(),
            package: None,
        });
    }
    packs.retain(|pack| pack.count != Some(0));
    packs
}

/// Font folders: `usr/share/fonts/truetype/dejavu` is `dejavu`.
fn fonts(tree: &dyn Tree) -> Vec<Look> {
    let mut fonts = Vec::new();
    for class in folders(tree, "usr/share/fonts") {
        let class = format!("usr/share/fonts/{}", name_text(&class.name));
        for family in folders(tree, &class) {
            let name = name_text(&family.name);
            let count = count(tree, &format!("{class}/{name}"), FONTS, DEPTH);
            if count > 0 {
                fonts.push(Look { name, count: Some(count), package: None });
            }
        }
    }
    fonts.sort_by(|a, b| a.name.cmp(&b.name));
    fonts
}

fn count(tree: &dyn Tree, path: &str, endings: &[&str], depth: usize) -> u32 {
    let mut sum = 0;
    for entry in tree.names(path) {
        sum += match entry.kind {
            NodeKind::Folder if depth > 0 => {
                count(tree, &format!("{path}/{}", name_text(&entry.name)), endings, depth - 1)
            }
            NodeKind::File if ends_in(&entry.name, endings) => 1,
            _ => 0,
        };
    }
    sum
}

fn ends_in(name: &std::ffi::OsStr, endings: &[&str]) -> bool {
    let ending = Path::new(name).extension().and_then(|ending| ending.to_str()).map(str::to_lowercase);
    ending.is_some_and(|ending| endings.contains(&ending.as_str()))
}

/// The session of the display manager's configuration, else of the alternative, else the only one.
fn default_session(tree: &dyn Tree, sessions: &[tally_core::model::Session]) -> Option<Text> {
    let configured = |file: &str, group: &str, key: &str| {
        let bytes = tree.read(file).ok()?;
        let value = KeyFile::parse(file, &bytes).group(group)?.get(key)?.clone();
        Some(Text::from(value.rsplit('/').next()?.trim_end_matches(".desktop")))
    };
    let asked = configured("etc/lightdm/lightdm.conf", "Seat:*", "user-session")
        .or_else(|| configured("etc/sddm.conf", "Autologin", "Session"))
        .filter(|id| sessions.iter().any(|session| session.id == *id));
    let only = if let [only] = sessions { Some(only.id.clone()) } else { None };
    asked.or(only)
}

/// Theme, icons, font and wallpaper from the files that set them for a new user; the first file that says so wins.
fn settings(tree: &dyn Tree, looks: &mut Looks) {
    let mut overrides: Vec<String> = tree
        .names("usr/share/glib-2.0/schemas")
        .iter()
        .map(|entry| format!("usr/share/glib-2.0/schemas/{}", name_text(&entry.name)))
        .filter(|path| path.ends_with(".gschema.override"))
        .collect();
    // Overrides are applied by name, so the last one wins.
    overrides.reverse();
    for file in overrides {
        let keys = [("gtk-theme", 0), ("icon-theme", 1), ("font-name", 2), ("picture-uri", 3)];
        if let Ok(bytes) = tree.read(&file) {
            let parsed = KeyFile::parse(&file, &bytes);
            for group in parsed.groups() {
                keys.iter().for_each(|(key, slot)| set(looks, *slot, group.get(key), &file));
            }
        }
    }
    xfconf(tree, looks);
    for file in
        ["etc/gtk-3.0/settings.ini", "etc/xdg/gtk-3.0/settings.ini", "etc/skel/.config/gtk-3.0/settings.ini"]
    {
        let keys = [("gtk-theme-name", 0), ("gtk-icon-theme-name", 1), ("gtk-font-name", 2)];
        from_group(tree, looks, file, "Settings", &keys);
    }
    from_group(tree, looks, "etc/xdg/kdeglobals", "Icons", &[("Theme", 1)]);
    from_group(tree, looks, "etc/xdg/kdeglobals", "General", &[("ColorScheme", 0), ("font", 2)]);
    from_group(tree, looks, "etc/xdg/lxqt/lxqt.conf", "General", &[("theme", 0), ("icon_theme", 1)]);
    from_group(tree, looks, "usr/share/lxqt/lxqt.conf", "General", &[("theme", 0), ("icon_theme", 1)]);
}

/// Channels of xfconf as a new user gets them: nested `property` elements, each with a name and a value.
fn xfconf(tree: &dyn Tree, looks: &mut Looks) {
    const FOLDER: &str = "etc/xdg/xfce4/xfconf/xfce-perchannel-xml";
    let keys = [("ThemeName", 0), ("IconThemeName", 1), ("FontName", 2)];
    for (file, keys) in [
        (format!("{FOLDER}/xsettings.xml"), &keys[..]),
        (format!("{FOLDER}/xfce4-desktop.xml"), &[("last-image", 3)]),
    ] {
        let Ok(bytes) = tree.read(&file) else { continue };
        let mut reader = quick_xml::Reader::from_reader(&bytes[..]);
        loop {
            let tag = match reader.read_event() {
                Ok(Event::Start(tag) | Event::Empty(tag)) => tag,
                Ok(Event::Eof) | Err(_) => break,
                Ok(_) => continue,
            };
            let attribute = |name: &str| {
                let value = tag.try_get_attribute(name).ok().flatten()?;
                Some(Text::from(value.value.as_ref()))
            };
            let (Some(name), Some(value)) = (attribute("name"), attribute("value")) else { continue };
            if let Some((_, slot)) = keys.iter().find(|(key, _)| *key == name) {
                set(looks, *slot, Some(&value), &file);
            }
        }
    }
}

fn from_group(tree: &dyn Tree, looks: &mut Looks, file: &str, group: &str, keys: &[(&str, usize)]) {
    let Ok(bytes) = tree.read(file) else { return };
    let parsed = KeyFile::parse(file, &bytes);
    if let Some(group) = parsed.group(group) {
        keys.iter().for_each(|(key, slot)| set(looks, *slot, group.get(key), file));
    }
}

fn set(looks: &mut Looks, slot: usize, value: Option<&Text>, file: &str) {
    let Some(value) = value else { return };
    let plain = value.trim_matches(['\'', '"']);
    let slot = match slot {
        0 => &mut looks.default_theme,
        1 => &mut looks.default_icons,
        2 => &mut looks.default_font,
        _ => &mut looks.default_wallpaper,
    };
    if slot.is_none() && !plain.is_empty() {
        *slot = Some(plain.into());
        let evidence = Evidence::file(file);
        if !looks.evidence.contains(&evidence) {
            looks.evidence.push(evidence);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use tally_trees::Memory;

    #[test]
    fn xfconf_channels_and_lightdm_are_asked() {
        let folder = "etc/xdg/xfce4/xfconf/xfce-perchannel-xml";
        let tree = Memory::new()
            .file(
                format!("{folder}/xsettings.xml"),
                "<?xml version='1.0'?><channel name='xsettings'><property name='Net' type='empty'>\
                 <property name='ThemeName' type='string' value='Reed'/><property name='IconThemeName' type='empty'/>\
                 </property><property name='FontName' value='Reed Sans 10'/></channel>",
            )
            .file(format!("{folder}/xfce4-desktop.xml"), "<channel><property name='last-image' value='/usr/share/ba");
        let looks = read(&tree as &dyn Tree);
        assert_eq!(
            (looks.default_theme.as_deref(), looks.default_font.as_deref()),
            (Some("Reed"), Some("Reed Sans 10"))
        );
        assert_eq!((looks.default_icons, looks.default_wallpaper), (None, None), "a cut file tells nothing");
    }

    #[test]
    fn pictures_and_fonts_are_counted_by_pack() {
        let tree = Memory::new()
            .file("usr/share/backgrounds/weir/a.jpg", "")
            .file("usr/share/backgrounds/weir/deep/b.PNG", "")
            .file("usr/share/backgrounds/weir/readme", "")
            .file("usr/share/backgrounds/one.svg", "")
            .file("usr/share/fonts/truetype/reed/r.ttf", "")
            .file("usr/share/icons/Marsh/index.theme", "")
            .file("usr/share/icons/hicolor/index.theme", "")
            .file("usr/share/glib-2.0/schemas/10_marsh.gschema.override", "[org.x]\nicon-theme='Marsh'\n")
            .file(
                "usr/share/glib-2.0/schemas/90_late.gschema.override",
                "[org.x]\nicon-theme='Late'\ngtk-theme=\"Reed\"\n",
            );
        let looks = read(&tree as &dyn Tree);
        let packs: Vec<(&str, Option<u32>)> =
            looks.wallpapers.iter().map(|w| (w.name.as_str(), w.count)).collect();
        assert_eq!(packs, [("weir", Some(2)), ("backgrounds", Some(1))]);
        assert_eq!(looks.fonts[0].name, "reed");
        assert_eq!(looks.icon_sets.len(), 1);
        assert_eq!(
            (looks.default_icons.as_deref(), looks.default_theme.as_deref()),
            (Some("Late"), Some("Reed"))
        );
    }
}
