//! How an install looks: themes, icon sets, wallpapers, fonts, and which of them are set. See `docs/formats/looks.md`.

use crate::keyfile::KeyFile;
use crate::sessions;
use crate::text::name_text;
use crate::xml;
use std::path::{Component, Path, PathBuf};
use tally_core::model::{Evidence, Look, Looks, Text};
use tally_trees::{Entry, NodeKind, Tree};

const PICTURES: &[&str] =
    &["jpg", "jpeg", "png", "svg", "svgz", "webp", "jxl", "avif", "heic", "bmp", "tif", "tiff"];
const FONTS: &[&str] = &["ttf", "otf", "ttc", "pfa", "pfb", "t1", "otb", "bdf", "pcf", "woff", "woff2"];

/// Where themes lie: of widgets and window borders, and of the panels of desktops that have their own.
const THEMES: &[&str] = &["usr/share/themes", "usr/share/lxqt/themes"];

/// Where wallpapers lie.
const WALLPAPERS: &[&str] = &[
    "usr/share/backgrounds",
    "usr/share/wallpapers",
    "usr/share/lxqt/wallpapers",
    "usr/share/pixmaps/backgrounds",
];

/// How deep folders of pictures and fonts may nest.
const DEPTH: usize = 5;

/// Reads all of it; owners are filled later.
pub(crate) fn read(tree: &dyn Tree) -> Looks {
    let sessions = sessions::read(tree);
    let mut looks = Looks {
        default_session: default_session(tree, &sessions),
        sessions,
        themes: THEMES.iter().flat_map(|folder| themes(tree, folder)).collect(),
        icon_sets: icon_sets(tree),
        wallpapers: WALLPAPERS.iter().flat_map(|folder| packs(tree, folder)).collect(),
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

/// Every folder that holds more than key bindings; its `index.theme` describes it, where there is one.
fn themes(tree: &dyn Tree, place_of_all: &str) -> Vec<Look> {
    let theme = |entry: Entry| {
        let (name, folder) = place(place_of_all, &entry);
        let index = format!("{folder}/index.theme");
        if tree.exists(&index) {
            return Some(look(name, None, &index));
        }
        let inside = tree.names(&folder);
        let first = inside.iter().find(|entry| !is_of_keys(tree, &place(&folder, entry).1))?;
        Some(look(name, None, &place(&folder, first).1))
    };
    folders(tree, place_of_all).filter_map(theme).collect()
}

/// Whether a part of a theme only says what keys do: `gtk-2.0-key`, or a `gtk-keys.css` alone.
fn is_of_keys(tree: &dyn Tree, part: &str) -> bool {
    let inside = tree.names(part);
    part.ends_with("-key") || (!inside.is_empty() && inside.iter().all(|entry| entry.name == "gtk-keys.css"))
}

/// Every folder that is described.
fn icon_sets(tree: &dyn Tree) -> Vec<Look> {
    let set = |entry: Entry| {
        let (name, folder) = place("usr/share/icons", &entry);
        let index = format!("{folder}/index.theme");
        tree.exists(&index).then(|| look(name, None, &index))
    };
    folders(tree, "usr/share/icons").filter_map(set).collect()
}

/// Name and path of an entry.
fn place(folder: &str, entry: &Entry) -> (Text, String) {
    let name = name_text(&entry.name);
    let path = format!("{folder}/{name}");
    (name, path)
}

fn look(name: Text, count: Option<u32>, file: &str) -> Look {
    Look { name, count, package: None, evidence: Evidence::file(file) }
}

/// Packs of pictures: each folder at the top, and the pictures that lie beside the folders. A link to a folder is a pack as well,
/// unless it leads to one that is counted anyway.
fn packs(tree: &dyn Tree, path: &str) -> Vec<Look> {
    let mut packs: Vec<Look> = tree
        .names(path)
        .into_iter()
        .filter_map(|entry| {
            let (name, folder) = place(path, &entry);
            let found = match entry.kind {
                NodeKind::Folder => pictures(tree, &folder),
                NodeKind::Link if leads_elsewhere(tree, &folder) => {
                    // The link is what a package owns here.
                    let found = pictures(tree, &folder);
                    FilesFound { first: found.first.map(|_| folder), ..found }
                }
                _ => return None,
            };
            found.first.map(|first| look(name, Some(found.count), &first))
        })
        .collect();
    let beside = FilesFound::below(tree, path, PICTURES, 0);
    if let Some(first) = beside.first {
        // `usr/share/backgrounds` is called like itself, `usr/share/lxqt/wallpapers` like the desktop it belongs to.
        let mut parts = path.rsplit('/');
        let (last, above) = (parts.next().unwrap_or(path), parts.next().unwrap_or(path));
        let name = if matches!(above, "share" | "pixmaps") { last } else { above };
        packs.push(look(name.into(), Some(beside.count), &first));
    }
    packs
}

/// The pictures of a pack. One that is kept in many sizes (`contents/images/1920x1080.png`) is one picture.
fn pictures(tree: &dyn Tree, pack: &str) -> FilesFound {
    let sizes = FilesFound::below(tree, &format!("{pack}/contents/images"), PICTURES, 0);
    match sizes.first {
        Some(first) => FilesFound { count: 1, first: Some(first) },
        None => FilesFound::below(tree, pack, PICTURES, DEPTH),
    }
}

/// Whether a link leads to a folder that is not looked through by itself.
fn leads_elsewhere(tree: &dyn Tree, link: &str) -> bool {
    let Ok(target) = tree.read_link(Path::new(link)) else { return false };
    let mut place = PathBuf::new();
    for part in Path::new(link).parent().unwrap_or(Path::new("")).join(target).components() {
        match part {
            Component::Normal(name) => place.push(name),
            Component::ParentDir => _ = place.pop(),
            _ => {}
        }
    }
    !WALLPAPERS.iter().any(|folder| place.starts_with(folder)) && tree.is_folder(link)
}

/// Font folders: `usr/share/fonts/truetype/dejavu` is `dejavu`, and so is `usr/share/fonts/dejavu` where there are no classes.
fn fonts(tree: &dyn Tree) -> Vec<Look> {
    let mut fonts: Vec<Look> = Vec::new();
    for class in folders(tree, "usr/share/fonts") {
        let (name, class) = place("usr/share/fonts", &class);
        let own = FilesFound::below(tree, &class, FONTS, 0);
        fonts.extend(own.first.map(|first| look(name, Some(own.count), &first)));
        for family in folders(tree, &class) {
            let (name, folder) = place(&class, &family);
            let found = FilesFound::below(tree, &folder, FONTS, DEPTH);
            fonts.extend(found.first.map(|first| look(name, Some(found.count), &first)));
        }
    }
    fonts.sort_by(|a, b| a.name.cmp(&b.name));
    // One family may lie in several classes: `opentype/reed` and `type1/reed`.
    fonts.dedup_by(|second, first| {
        let same = first.name == second.name;
        if same {
            first.count = Some(first.count.unwrap_or(0) + second.count.unwrap_or(0));
        }
        same
    });
    fonts
}

/// Files of some endings below a folder.
#[derive(Default)]
struct FilesFound {
    count: u32,
    first: Option<String>,
}

impl FilesFound {
    fn below(tree: &dyn Tree, path: &str, endings: &[&str], depth: usize) -> Self {
        let fits = |(path, kind): &(PathBuf, NodeKind)| {
            *kind == NodeKind::File && path.file_name().is_some_and(|name| ends_in(name, endings))
        };
        let files: Vec<_> = tree.files_below(path, depth).into_iter().filter(fits).collect();
        let first = files.first().map(|(path, _)| path.to_string_lossy().into_owned());
        Self { count: u32::try_from(files.len()).unwrap_or(u32::MAX), first }
    }
}

fn ends_in(name: &std::ffi::OsStr, endings: &[&str]) -> bool {
    // Fonts of the X server are packed: `fixed.pcf.gz`.
    let name = Path::new(name);
    let inner = Path::new(name.file_stem().unwrap_or_default());
    let name = if name.extension().is_some_and(|ending| ending == "gz") { inner } else { name };
    let ending = name.extension().and_then(|ending| ending.to_str()).map(str::to_lowercase);
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
    asked.or(only).or_else(|| chosen_by_alternative(tree, sessions))
}

/// The session whose program an alternative names: what a display manager without a word of its own ends up with.
fn chosen_by_alternative(tree: &dyn Tree, sessions: &[tally_core::model::Session]) -> Option<Text> {
    let target = tree.read_link(Path::new("etc/alternatives/x-session-manager")).ok()?;
    let program = target.file_name()?.to_str()?;
    let runs = |session: &&tally_core::model::Session| {
        let file = session.evidence.file.as_str();
        let starts = tree
            .read(file)
            .ok()
            .and_then(|bytes| KeyFile::parse(file, &bytes).group("Desktop Entry")?.string("Exec"));
        starts.is_some_and(|line| {
            line.split_whitespace().next().and_then(|word| word.rsplit('/').next()) == Some(program)
        })
    };
    sessions.iter().find(runs).map(|session| session.id.clone())
}

/// Theme, icons, font and wallpaper from the files that set them for a new user; the first file that says so wins.
fn settings(tree: &dyn Tree, looks: &mut Looks) {
    dconf(tree, looks);
    let mut overrides: Vec<String> = tree
        .names("usr/share/glib-2.0/schemas")
        .iter()
        .map(|entry| format!("usr/share/glib-2.0/schemas/{}", name_text(&entry.name)))
        .filter(|path| path.ends_with(".gschema.override"))
        .collect();
    // Overrides are applied by name, so the last one wins.
    overrides.reverse();
    for file in overrides {
        from_any_group(tree, looks, &file);
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

/// Keys of the desktop's own settings, whatever group they stand in.
fn from_any_group(tree: &dyn Tree, looks: &mut Looks, file: &str) {
    let keys = [("gtk-theme", 0), ("icon-theme", 1), ("font-name", 2), ("picture-uri", 3)];
    let Ok(bytes) = tree.read(file) else { return };
    let parsed = KeyFile::parse(file, &bytes);
    for group in parsed.groups() {
        keys.iter().for_each(|(key, slot)| set(looks, *slot, group.get(key), file));
    }
}

/// Key files of the system databases that the user's profile names, in its order; within one the last file wins.
/// They stand before the overrides of the schemas, which only change what is said when no database says anything.
fn dconf(tree: &dyn Tree, looks: &mut Looks) {
    let profile = tree.read("etc/dconf/profile/user").unwrap_or_default();
    let profile = String::from_utf8_lossy(&profile);
    for database in profile.lines().filter_map(|line| line.trim().strip_prefix("system-db:")) {
        let folder = format!("etc/dconf/db/{}.d", database.trim());
        let files = tree.names(&folder);
        for entry in files.iter().rev().filter(|entry| entry.kind != NodeKind::Folder) {
            from_any_group(tree, looks, &place(&folder, entry).1);
        }
    }
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
        let end = xml::walk(&bytes, |step| {
            let xml::Step::Open { attributes, .. } = step else { return };
            let attribute =
                |name: &str| attributes.iter().find(|(key, _)| key == name).map(|(_, value)| value);
            let (Some(name), Some(value)) = (attribute("name"), attribute("value")) else { return };
            if let Some((_, slot)) = keys.iter().find(|(key, _)| *key == name.as_str()) {
                set(looks, *slot, Some(value), &file);
            }
        });
        if let Err(error) = end {
            tree.note(Path::new(&file), &format!("line {}: {}", error.line, error.why));
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
    use tally_trees::MemoryTree;

    #[test]
    fn xfconf_channels_and_lightdm_are_asked() {
        let folder = "etc/xdg/xfce4/xfconf/xfce-perchannel-xml";
        let tree = MemoryTree::new()
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
    fn databases_of_the_profile_stand_before_overrides() {
        let tree = MemoryTree::new()
            .file("etc/dconf/profile/user", "user-db:user\nsystem-db:marsh\nsystem-db:late\n")
            .file("etc/dconf/db/marsh.d/00-looks", "[org/x/interface]\ngtk-theme='Early'\n")
            .file("etc/dconf/db/marsh.d/50-looks", "[org/x/interface]\ngtk-theme='Reed'\n")
            .file("etc/dconf/db/late.d/00-looks", "[org/x/interface]\ngtk-theme='Late'\nfont-name='Late 9'\n")
            .file("etc/dconf/db/unused.d/00-looks", "[org/x/interface]\nicon-theme='Unused'\n")
            .file("usr/share/glib-2.0/schemas/10_marsh.gschema.override", "[org.x]\ngtk-theme='Schema'\n");
        let looks = read(&tree as &dyn Tree);
        assert_eq!(
            (looks.default_theme.as_deref(), looks.default_font.as_deref(), looks.default_icons),
            (Some("Reed"), Some("Late 9"), None)
        );
    }

    #[test]
    fn an_alternative_tells_the_session_where_nothing_else_does() {
        let tree = MemoryTree::new()
            .file("usr/share/xsessions/default.desktop", "[Desktop Entry]\nName=Default\nExec=default\n")
            .file(
                "usr/share/xsessions/weir.desktop",
                "[Desktop Entry]\nName=Weir\nExec=/usr/bin/weir-session --x\n",
            )
            .link("etc/alternatives/x-session-manager", "/usr/bin/weir-session");
        let default = |tree: &MemoryTree| read(tree as &dyn Tree).default_session;
        assert_eq!(default(&tree).as_deref(), Some("weir"));
        let tree = tree.file("etc/lightdm/lightdm.conf", "[Seat:*]\nuser-session=default\n");
        assert_eq!(default(&tree).as_deref(), Some("default"));
        let other = MemoryTree::new()
            .file("usr/share/xsessions/a.desktop", "[Desktop Entry]\nName=A\nExec=a\n")
            .file("usr/share/xsessions/b.desktop", "[Desktop Entry]\nName=B\nExec=b\n")
            .link("etc/alternatives/x-session-manager", "/usr/bin/none");
        assert_eq!(default(&other), None);
    }

    #[test]
    fn pictures_and_fonts_are_counted_by_pack() {
        let tree = MemoryTree::new()
            .file("usr/share/backgrounds/weir/a.jpg", "")
            .file("usr/share/backgrounds/weir/deep/b.PNG", "")
            .file("usr/share/backgrounds/weir/readme", "")
            .file("usr/share/backgrounds/one.svg", "")
            .file("usr/share/lxqt/wallpapers/fog.jpg", "")
            .file("usr/share/lxqt/themes/dark/lxqt-panel.qss", "")
            .file("usr/share/wallpapers/Tide/contents/images/1920x1080.png", "")
            .file("usr/share/wallpapers/Tide/contents/images/1280x800.png", "")
            .file("usr/share/wallpapers/Tide/contents/screenshot.png", "")
            .file("usr/share/marsh/fog/wallpaper/contents/images/a.svg", "")
            .link("usr/share/wallpapers/Fog", "/usr/share/marsh/fog/wallpaper")
            .link("usr/share/wallpapers/Tide2", "Tide")
            .link("usr/share/wallpapers/Weir", "../backgrounds/weir")
            .link("usr/share/wallpapers/None", "/usr/share/none")
            .file("usr/share/themes/Quill/gtk-3.0/gtk.css", "")
            .file("usr/share/themes/Quill/gtk-2.0-key/gtkrc", "")
            .file("usr/share/themes/Keys/gtk-2.0-key/gtkrc", "")
            .file("usr/share/themes/Keys/gtk-3.0/gtk-keys.css", "")
            .file("usr/share/fonts/truetype/reed/r.ttf", "")
            .file("usr/share/fonts/type1/reed/r.pfb", "")
            .file("usr/share/fonts/X11/misc/fixed.pcf.gz", "")
            .file("usr/share/fonts/sedge-fonts/Sedge.ttf", "")
            .file("usr/share/fonts/sedge-fonts/Sedge-Bold.ttf", "")
            .file("usr/share/fonts/sedge-fonts/fonts.dir", "")
            .file("usr/share/fonts/X11/encodings/ascii.enc.gz", "")
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
        let tide_and_fog = [("Fog", Some(1)), ("Tide", Some(1))];
        assert_eq!(packs[..2], [("weir", Some(2)), ("backgrounds", Some(1))]);
        assert_eq!((&packs[2..4], packs[4]), (&tide_and_fog[..], ("lxqt", Some(1))));
        assert_eq!(looks.wallpapers[2].evidence.file, "usr/share/wallpapers/Fog", "the link has an owner");
        let names = |looks: &[Look]| looks.iter().map(|look| look.name.to_string()).collect::<Vec<_>>();
        assert_eq!(names(&looks.themes), ["Quill", "dark"], "what keys do is no look");
        assert_eq!(
            (names(&looks.fonts), looks.fonts[1].count, looks.fonts[2].count),
            (vec!["misc".into(), "reed".into(), "sedge-fonts".into()], Some(2), Some(2))
        );
        assert_eq!(looks.icon_sets.len(), 1);
        assert_eq!(
            (looks.default_icons.as_deref(), looks.default_theme.as_deref()),
            (Some("Late"), Some("Reed"))
        );
    }
}
