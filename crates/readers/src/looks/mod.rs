//! How an install looks: themes, icon sets, wallpapers, fonts, and which of them are set. See `docs/formats/looks.md`.

mod fonts;
mod wallpaper;

pub(crate) use wallpaper::name as picture_name;

use crate::settings::{NewUser, resolved};
use crate::text::name_text;
use std::path::{Path, PathBuf};
use tally_core::knowledge::{LookName, SettingPlace, desktops};
use tally_core::model::{Evidence, Look, Looks, Text};
use tally_trees::{Entry, NodeKind, Tree};

const PICTURES: &[&str] =
    &["jpg", "jpeg", "png", "svg", "svgz", "webp", "jxl", "avif", "heic", "bmp", "tif", "tiff"];

/// Where themes are: of widgets and window borders, and of the panels of desktops that have their own.
const THEMES: &[&str] = &["usr/share/themes", "usr/share/lxqt/themes"];

/// Where wallpapers are.
pub(crate) const WALLPAPERS: &[&str] = &[
    "usr/share/backgrounds",
    "usr/share/wallpapers",
    "usr/share/lxqt/wallpapers",
    "usr/share/pixmaps/backgrounds",
];

/// How deep folders of pictures and fonts may nest.
pub(crate) const DEPTH: usize = 5;

/// Reads all of it; owners are filled later.
pub(crate) fn read(tree: &dyn Tree) -> Looks {
    let mut looks = Looks {
        themes: THEMES.iter().flat_map(|folder| themes(tree, folder)).collect(),
        icon_sets: icon_sets(tree),
        wallpapers: WALLPAPERS.iter().flat_map(|folder| packs(tree, folder)).collect(),
        fonts: fonts::read(tree),
        ..Looks::default()
    };
    looks.icon_sets.retain(|set| set.name != "hicolor" && set.name != "default");
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

/// Packs of pictures: each folder at the top, and the pictures that are beside the folders. A link to a folder is a pack as well,
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
    let place = resolved(tree, link);
    !WALLPAPERS.iter().any(|folder| Path::new(&place).starts_with(folder)) && tree.is_folder(link)
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

/// How the session that starts looks to a new user, each look from the first place of its desktop that sets it.
pub(crate) fn set(tree: &dyn Tree, user: &NewUser<'_>, looks: &mut Looks) {
    let desktop = user.desktop();
    // Programs of no known desktop go by the settings that all toolkits share.
    let desktop = desktop.or_else(|| desktops().named("GNOME"));
    let places: Vec<&SettingPlace> =
        desktop.into_iter().flat_map(|desktop| desktops().looks(desktop)).collect();
    let mut evidence = Vec::new();
    for name in LookName::ALL {
        let mut own = places.iter().filter(|place| place.look == Some(*name));
        let by_toolkit = || {
            if places.iter().any(|place| place.look == Some(*name) && place.gsettings.is_none()) {
                None
            } else {
                of_toolkit(user, *name)
            }
        };
        let theme = looks.default_theme.clone();
        let Some((value, file)) =
            own.find_map(|place| user.value(place, theme.as_deref())).or_else(by_toolkit)
        else {
            continue;
        };
        let value = match name {
            LookName::Wallpaper => wallpaper::name(tree, &value),
            // Qt writes a family, a size, and what else a font has.
            LookName::Font => font_name(&value),
            _ => value,
        };
        *slot(looks, *name) = Some(value);
        evidence.extend(file.map(Evidence::file));
    }
    for one in evidence {
        if !looks.evidence.contains(&one) {
            looks.evidence.push(one);
        }
    }
}

fn slot(looks: &mut Looks, name: LookName) -> &mut Option<Text> {
    match name {
        LookName::Theme => &mut looks.default_theme,
        LookName::Icons => &mut looks.default_icons,
        LookName::Pointer => &mut looks.default_pointer,
        LookName::Font => &mut looks.default_font,
        LookName::Wallpaper => &mut looks.default_wallpaper,
        LookName::Colours => &mut looks.default_colours,
    }
}

/// What the settings file of GTK says, for desktops without a place of their own.
fn of_toolkit(user: &NewUser<'_>, name: LookName) -> Option<(Text, Option<String>)> {
    let key = match name {
        LookName::Theme => "gtk-theme-name",
        LookName::Icons => "gtk-icon-theme-name",
        LookName::Pointer => "gtk-cursor-theme-name",
        LookName::Font => "gtk-font-name",
        LookName::Wallpaper | LookName::Colours => return None,
    };
    let files = ["gtk-3.0/settings.ini", "gtk-4.0/settings.ini"];
    files.iter().find_map(|file| user.config(file, "Settings", key)).map(|(value, file)| (value, Some(file)))
}

/// `Noto Sans 10` of `Noto Sans,10,-1,5,50,0,0,0,0,0`.
pub(crate) fn font_name(value: &str) -> Text {
    let plain = value.trim_matches('"').trim_start_matches("pango:");
    let mut parts = plain.split(',');
    match (parts.next(), parts.next().map(str::trim)) {
        (Some(family), Some(size)) if size.parse::<f32>().is_ok() => {
            format!("{} {size}", family.trim()).into()
        }
        _ => plain.into(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::settings::Gsettings;
    use tally_trees::MemoryTree;

    /// What is set for a new user of a desktop.
    fn set_for(tree: &MemoryTree, desktop: &str) -> Looks {
        let mut user = NewUser::of(tree, None, &[]);
        user.desktops = vec![desktop.into()];
        user.gsettings = Gsettings::new(tree, &user.desktops);
        let mut looks = Looks::default();
        set(tree, &user, &mut looks);
        looks
    }

    #[test]
    fn a_desktop_is_asked_for_its_own_settings_and_never_for_those_of_another() {
        let folder = "etc/xdg/xfce4/xfconf/xfce-perchannel-xml";
        let tree = MemoryTree::new()
            .file(
                format!("{folder}/xsettings.xml"),
                "<?xml version='1.0'?><channel name='xsettings'><property name='Net' type='empty'>\
                 <property name='ThemeName' type='string' value='Reed'/><property name='IconThemeName' type='empty'/>\
                 </property><property name='FontName' value='Reed Sans 10'/></channel>",
            )
            .file(format!("{folder}/xfce4-desktop.xml"), "<channel><property name='last-image' value='/usr/share/ba")
            .file("usr/share/glib-2.0/schemas/10_a.gschema.override", "[org.gnome.desktop.interface]\nfont-name='Other 11'\nicon-theme='Other'\n")
            .file("etc/xdg/gtk-3.0/settings.ini", "[Settings]\ngtk-theme-name=Toolkit\n")
            .file("etc/xdg/kdeglobals", "[KDE]\nLookAndFeelPackage=marsh\n[General]\nfont=Sedge,9,-1,5,50\n")
            .file("usr/share/plasma/look-and-feel/marsh/contents/defaults", "[kdeglobals][Icons]\nTheme=sedge\n[Wallpaper]\nImage=Tide\n")
            .file("usr/share/wallpapers/Tide/contents/images/1920x1080.png", "")
            .file("etc/sway/config", "output * bg /usr/share/backgrounds/marsh/fog.png fill\nfont pango:Reed 8\n");
        let xfce = set_for(&tree, "XFCE");
        assert_eq!(
            (xfce.default_theme.as_deref(), xfce.default_font.as_deref()),
            (Some("Reed"), Some("Reed Sans 10"))
        );
        assert_eq!((xfce.default_icons, xfce.default_wallpaper), (None, None), "a cut file tells nothing");
        // xfdesktop's own picture where nothing is set; before 4.20 one for a screen was taken over.
        let wallpaper = |tree: &MemoryTree| set_for(tree, "XFCE").default_wallpaper;
        let own = tree.clone().file("usr/share/backgrounds/xfce/xfce-shapes.svg", "");
        assert_eq!(wallpaper(&own).as_deref(), Some("xfce-shapes"));
        let set = |screen: &str| {
            format!(
                "<channel><property name='backdrop'><property name='monitor0'>{screen}\
                 <property name='last-image' value='/usr/share/backgrounds/marsh/tide.jpg'/></property></property></channel>"
            )
        };
        let old = own.file(format!("{folder}/xfce4-desktop.xml"), set(""));
        assert_eq!(wallpaper(&old).as_deref(), Some("tide"));
        let new = old.file("usr/share/backgrounds/xfce/xfce-x.svg", "");
        assert_eq!(wallpaper(&new).as_deref(), Some("xfce-x"));
        let of_workspace =
            set("<property name='workspace0'>").replace("/></property>", "/></property></property>");
        let new = new.file(format!("{folder}/xfce4-desktop.xml"), of_workspace);
        assert_eq!(wallpaper(&new).as_deref(), Some("tide"));
        let plasma = set_for(&tree, "KDE");
        assert_eq!(
            (plasma.default_theme.as_deref(), plasma.default_icons.as_deref()),
            (Some("marsh"), Some("sedge"))
        );
        assert_eq!(
            (plasma.default_font.as_deref(), plasma.default_wallpaper.as_deref()),
            (Some("Sedge 9"), Some("Tide"))
        );
        assert_eq!(
            plasma.default_pointer.as_deref(),
            Some("breeze_cursors"),
            "what Plasma does where nothing is set"
        );
        let sway = set_for(&tree, "sway");
        assert_eq!(
            (sway.default_wallpaper.as_deref(), sway.default_font.as_deref()),
            (Some("fog"), Some("Reed 8"))
        );
        assert_eq!(sway.default_theme.as_deref(), Some("Toolkit"));
        let gnome = set_for(&tree, "GNOME");
        assert_eq!(
            (gnome.default_font.as_deref(), gnome.default_icons.as_deref()),
            (Some("Other 11"), Some("Other"))
        );
    }

    #[test]
    fn a_wallpaper_is_followed_to_the_picture_and_its_name() {
        let tree = MemoryTree::new()
            .link("usr/share/images/base/desktop.xml", "/etc/alternatives/desktop.xml")
            .link("etc/alternatives/desktop.xml", "/usr/share/base/active/wallpaper/list.xml")
            .link("usr/share/base/active", "fog-theme")
            .file("usr/share/base/fog-theme/wallpaper/list.xml", "<background><static><file><size>/usr/share/base/active/wallpaper/contents/images/1x1.svg</size></file></static></background>")
            .file("usr/share/base/fog-theme/wallpaper/contents/images/1x1.svg", "")
            .file("usr/share/backgrounds/marsh/tide.jpg", "")
            .link("usr/share/backgrounds/loop", "loop");
        let name = |setting: &str| wallpaper::name(&tree, setting).to_string();
        assert_eq!(name("file:///usr/share/images/base/desktop.xml"), "fog");
        assert_eq!(name("/usr/share/backgrounds/marsh/tide.jpg"), "tide");
        assert_eq!(name("/usr/share/backgrounds/loop"), "loop");
        assert_eq!(name("file:///usr/share/none/dawn%20chorus.png"), "dawn chorus");
        let tree = tree
            .file("usr/share/base/fog-theme/wallpaper/metadata.json", "{\"KPlugin\": {\"Name\": \"Fog\"}}");
        assert_eq!(wallpaper::name(&tree, "/usr/share/images/base/desktop.xml"), "Fog");
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
            .file("usr/share/icons/hicolor/index.theme", "");
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
            (vec!["X11".into(), "reed".into(), "sedge-fonts".into()], Some(2), Some(2))
        );
        assert_eq!(looks.icon_sets.len(), 1);
    }
}
