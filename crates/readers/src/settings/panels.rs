//! The panels of a desktop, as its own layout for new users has them.

use super::NewUser;
use super::xfconf::{Property, channel_file, properties};
use crate::keyfile::KeyFile;
use crate::text::text;
use crate::xml;
use rustc_hash::FxHashMap;
use tally_core::knowledge::PanelFact;
use tally_core::model::Text;

/// What is told of the panels, and the file that says so.
#[derive(Debug, Default)]
pub(crate) struct Panels {
    /// Edges of the screen, one for each panel.
    positions: Vec<Text>,
    size: Option<Text>,
    applets: Vec<Text>,
    favourites: Vec<Text>,
    pub(crate) file: String,
}

impl Panels {
    /// The panels of the session that starts; none where nothing is known of its desktop.
    pub(crate) fn of(user: &NewUser<'_>) -> Option<Self> {
        match user.desktop()?.name.as_str() {
            "Xfce" => xfce(user),
            "LXQt" => lxqt(user),
            "LXDE" => lxde(user),
            "MATE" => mate(user),
            "Cinnamon" => cinnamon(user),
            "Budgie" => budgie(user),
            "KDE Plasma" => plasma(user),
            _ => None,
        }
    }

    /// What is asked, names of a list with `, ` between them.
    pub(crate) fn told(&self, fact: PanelFact) -> Option<Text> {
        let list = match fact {
            PanelFact::Size => return self.size.clone(),
            PanelFact::Position => &self.positions,
            PanelFact::Applets => &self.applets,
            PanelFact::Favourites => &self.favourites,
        };
        (!list.is_empty()).then(|| list.join(", ").into())
    }
}

/// The first property of each path.
type ByPath<'a> = FxHashMap<&'a str, &'a Property>;

/// The channel of the panel, or the layout that a new user is offered.
fn xfce(user: &NewUser<'_>) -> Option<Panels> {
    let channels = user.config.iter().map(|folder| channel_file(folder, "xfce4-panel"));
    let layouts = user.config.iter().map(|folder| format!("{folder}/xfce4/panel/default.xml"));
    channels.chain(layouts).find_map(|file| {
        let all = properties(&user.tree.read(&file).ok()?).0;
        let mut by_path = ByPath::default();
        for property in &all {
            by_path.entry(property.path.as_str()).or_insert(property);
        }
        let mut panels = Panels { file, ..Panels::default() };
        for property in &all {
            let path: Vec<&str> = property.path.split('/').collect();
            match path[..] {
                ["panels", panel, "position"] => {
                    panels.positions.extend(xfce_edge(&by_path, panel, property.values.first()?));
                }
                ["panels", _, "size"] if panels.size.is_none() => {
                    panels.size = property.values.first().cloned();
                }
                ["panels", _, "plugin-ids"] => {
                    for id in &property.values {
                        xfce_plugin(&by_path, id, &mut panels);
                    }
                }
                _ => {}
            }
        }
        (!panels.positions.is_empty()).then_some(panels)
    })
}

/// Where a panel is: its place by number (1 to 4 at the right, 5 to 8 at the left, 9 and 11 at the top, 10 and 12 at the bottom), and whether
/// it lies or stands.
fn xfce_edge(all: &ByPath<'_>, panel: &str, position: &str) -> Option<Text> {
    let place = position.split(';').find_map(|part| part.strip_prefix("p="))?;
    let mode = format!("panels/{panel}/mode");
    let stands = all.get(mode.as_str()).and_then(|one| one.values.first()).is_some_and(|mode| mode != "0");
    let edge = match (place, stands) {
        ("2" | "6" | "9" | "11", false) => "top",
        ("4" | "8" | "10" | "12", false) => "bottom",
        ("1" | "2" | "3" | "4", true) => "right",
        ("5" | "6" | "7" | "8", true) => "left",
        _ => "anywhere",
    };
    Some(edge.into())
}

fn xfce_plugin(all: &ByPath<'_>, id: &str, panels: &mut Panels) {
    let own = format!("plugins/plugin-{id}");
    let Some(plugin) = all.get(own.as_str()).and_then(|one| one.values.first()) else {
        return;
    };
    if plugin == "launcher" {
        let items = all.get(format!("{own}/items").as_str());
        let items = items.map(|one| one.values.as_slice()).unwrap_or_default();
        panels.favourites.extend(items.iter().map(|item| Text::from(launcher(item))));
    } else if plugin != "separator" {
        panels.applets.push(plugin.clone());
    }
}

/// `org.example.Editor` of `applications:org.example.Editor.desktop`, and of a path.
fn launcher(text: &str) -> &str {
    let last = text.rsplit(['/', ':']).next().unwrap_or(text);
    last.strip_suffix(".desktop").unwrap_or(last)
}

/// The files of all folders of configuration: each key counts where it is found first.
fn lxqt(user: &NewUser<'_>) -> Option<Panels> {
    const FILE: &str = "lxqt/panel.conf";
    let folders = user.config.iter().map(String::as_str).chain(["usr/share"]);
    let files: Vec<(String, KeyFile)> = folders
        .filter_map(|folder| {
            let path = format!("{folder}/{FILE}");
            let parsed = KeyFile::parse(&path, &user.tree.read(&path).ok()?);
            Some((path, parsed))
        })
        .collect();
    let of = |group: &str, key: &str| files.iter().find_map(|(_, file)| file.group(group)?.get(key).cloned());
    let mut panels = Panels { file: files.first()?.0.clone(), ..Panels::default() };
    let names = of("General", "panels").unwrap_or_else(|| "panel1".into());
    for name in names.split(',').map(str::trim).filter(|name| !name.is_empty()) {
        panels.positions.extend(of(name, "position").map(|edge| Text::from(edge.to_lowercase())));
        panels.size = panels.size.take().or_else(|| of(name, "panelSize"));
        for plugin in of(name, "plugins").unwrap_or_default().split(',').map(str::trim) {
            let Some(kind) = of(plugin, "type").or_else(|| (!plugin.is_empty()).then(|| plugin.into()))
            else {
                continue;
            };
            if kind == "quicklaunch" {
                let group = files.iter().find_map(|(_, file)| file.group(plugin));
                let apps = group.into_iter().flat_map(|own| own.keys().map(move |key| (own, key)));
                let apps = apps.filter(|(_, key)| key.starts_with("apps\\") && key.ends_with("\\desktop"));
                panels.favourites.extend(apps.filter_map(|(own, key)| Some(launcher(own.get(key)?).into())));
            } else if kind != "spacer" {
                panels.applets.push(kind);
            }
        }
    }
    (!panels.positions.is_empty()).then_some(panels)
}

/// Blocks of `key=value` lines: `Global { ... }` and one `Plugin { ... }` for each applet.
fn lxde(user: &NewUser<'_>) -> Option<Panels> {
    let elsewhere =
        ["usr/share/lxpanel/profile/LXDE/panels/panel", "usr/share/lxpanel/profile/default/panels/panel"];
    let file = first_file(user, "lxpanel/LXDE/panels/panel", &elsewhere)?;
    let bytes = user.tree.read(&file).ok()?;
    let mut panels = Panels { file, ..Panels::default() };
    let mut kind = Text::default();
    for line in bytes.split(|byte| *byte == b'\n') {
        let line = text(line);
        match line.split_once('=').map(|(key, value)| (key.trim(), value.trim())) {
            Some(("edge", edge)) => panels.positions.push(edge.into()),
            Some(("height", size)) if panels.size.is_none() => panels.size = Some(size.into()),
            Some(("type", name)) => {
                kind = name.into();
                if !matches!(name, "space" | "separator" | "launchbar") {
                    panels.applets.push(name.into());
                }
            }
            Some(("id", id)) if matches!(kind.as_str(), "launchbar" | "launchtaskbar") => {
                panels.favourites.push(launcher(id).into());
            }
            _ => {}
        }
    }
    (!panels.positions.is_empty()).then_some(panels)
}

/// The layout that the settings name: `[Toplevel NAME]` and `[Object NAME]`.
fn mate(user: &NewUser<'_>) -> Option<Panels> {
    let layout = user.gsettings.get("org.mate.panel", "default-layout");
    let layout = layout.map_or_else(|| "default".into(), |(name, _)| name);
    let file = format!("usr/share/mate-panel/layouts/{layout}.layout");
    let parsed = KeyFile::parse(&file, &user.tree.read(&file).ok()?);
    let mut panels = Panels { file, ..Panels::default() };
    for group in parsed.groups() {
        let of = |key: &str| group.get(key).cloned();
        if group.name().starts_with("Toplevel ") {
            panels.positions.push(of("orientation").unwrap_or_else(|| "top".into()));
            panels.size = panels.size.take().or_else(|| of("size"));
        } else if group.name().starts_with("Object ") {
            match (of("object-type").as_deref(), of("applet-iid"), of("launcher-location")) {
                (Some("launcher"), _, Some(location)) => panels.favourites.push(launcher(&location).into()),
                (Some("separator"), ..) => {}
                (Some("applet"), Some(id), _) => {
                    panels.applets.push(id.rsplit(':').next().unwrap_or(&id).into());
                }
                (Some(kind), ..) => panels.applets.push(kind.into()),
                _ => {}
            }
        }
    }
    (!panels.positions.is_empty()).then_some(panels)
}

/// `['1:0:bottom']`, and applets as `panel1:left:0:menu@cinnamon.org:0`.
fn cinnamon(user: &NewUser<'_>) -> Option<Panels> {
    let enabled = user.gsettings.found("org.cinnamon", "panels-enabled")?;
    let mut panels = Panels { file: enabled.file, ..Panels::default() };
    let last = |text: &Text| text.rsplit(':').next().map(Text::from);
    panels.positions = super::list_items(&enabled.value).iter().filter_map(last).collect();
    let sizes = user.gsettings.found("org.cinnamon", "panels-height");
    panels.size = sizes.and_then(|found| super::list_items(&found.value).first().and_then(last));
    let applets = user.gsettings.found("org.cinnamon", "enabled-applets");
    let applets = applets.map(|found| super::list_items(&found.value)).unwrap_or_default();
    panels.applets = applets
        .iter()
        .filter_map(|applet| Some(applet.split(':').nth(3)?.split('@').next()?.into()))
        .filter(|name: &Text| name != "separator")
        .collect();
    (!panels.positions.is_empty()).then_some(panels)
}

fn budgie(user: &NewUser<'_>) -> Option<Panels> {
    let layout = user.gsettings.get("com.solus-project.budgie-panel", "layout");
    let layout = layout.map_or_else(|| "default".into(), |(name, _)| name);
    let elsewhere = [
        "etc/budgie-desktop/panel.ini".to_owned(),
        format!("usr/share/budgie-desktop/layouts/{layout}.layout"),
        "usr/share/budgie-desktop/panel.ini".to_owned(),
    ];
    let elsewhere: Vec<&str> = elsewhere.iter().map(String::as_str).collect();
    let file = first_file(user, "budgie-desktop/panel.ini", &elsewhere)?;
    let parsed = KeyFile::parse(&file, &user.tree.read(&file).ok()?);
    let mut panels = Panels { file, ..Panels::default() };
    let all = parsed.group("Panels")?.get("Panels")?.clone();
    for name in all.split([';', ',']).map(str::trim).filter(|name| !name.is_empty()) {
        let Some(group) = parsed.group(name) else { continue };
        let edge = group.get("Position").map_or_else(|| "bottom".to_owned(), |edge| edge.to_lowercase());
        panels.positions.push(edge.into());
        panels.size = panels.size.take().or_else(|| group.get("Size").cloned());
        for child in group.get("Children").cloned().unwrap_or_default().split([';', ',']).map(str::trim) {
            let id = parsed.group(child).and_then(|applet| applet.get("ID").cloned());
            let id = id.unwrap_or_else(|| child.into());
            if !matches!(id.as_str(), "Spacer" | "Separator" | "") {
                panels.applets.push(id);
            }
        }
    }
    (!panels.positions.is_empty()).then_some(panels)
}

/// The layout of the global theme, and the template of a panel that it loads: scripts, of which assignments and calls with plain words
/// are read.
fn plasma(user: &NewUser<'_>) -> Option<Panels> {
    let theme = user.config("kdeglobals", "KDE", "LookAndFeelPackage");
    let theme = theme.map_or_else(|| "org.kde.breeze.desktop".into(), |(name, _)| name);
    let file =
        format!("usr/share/plasma/look-and-feel/{theme}/contents/layouts/org.kde.plasma.desktop-layout.js");
    let layout = String::from_utf8_lossy(&user.tree.read(&file).ok()?).into_owned();
    let mut panels = Panels { file: file.clone(), ..Panels::default() };
    let mut scripts = vec![(file, layout.clone())];
    for template in called(&layout, "loadTemplate(") {
        let file = format!("usr/share/plasma/layout-templates/{template}/contents/layout.js");
        if let Ok(bytes) = user.tree.read(&file) {
            scripts.push((file, String::from_utf8_lossy(&bytes).into_owned()));
        }
    }
    for (file, script) in scripts {
        let is_panel = script.contains("new Panel") || script.contains("Panel(");
        if !is_panel {
            continue;
        }
        let edge = assigned(&script, ".location").unwrap_or_else(|| "bottom".into());
        panels.positions.push(edge);
        panels.size = panels.size.take().or_else(|| {
            assigned(&script, ".height").filter(|size| size.bytes().all(|byte| byte.is_ascii_digit()))
        });
        let short = |name: &str| name.rsplit('.').next().map(Text::from);
        let applets = called(&script, "addWidget(");
        panels
            .applets
            .extend(applets.iter().filter(|name| !name.contains("separator")).filter_map(|name| short(name)));
        panels.file = file;
    }
    // Pinned programs are the default of the task manager.
    let tasks = ["org.kde.plasma.icontasks", "org.kde.plasma.taskmanager"];
    panels.favourites = tasks
        .iter()
        .find_map(|tasks| {
            let file = format!("usr/share/plasma/plasmoids/{tasks}/contents/config/main.xml");
            let list = entry_default(&user.tree.read(file).ok()?, "launchers")?;
            Some(
                list.split(',')
                    .map(|one| launcher(one.trim()).into())
                    .filter(|one: &Text| !one.is_empty())
                    .collect(),
            )
        })
        .unwrap_or_default();
    (!panels.positions.is_empty()).then_some(panels)
}

/// The default of an entry in KDE's description of a configuration (kcfg).
fn entry_default(bytes: &[u8], name: &str) -> Option<Text> {
    let (mut here, mut found) = (false, None);
    _ = xml::walk(bytes, |step| match step {
        xml::Step::Open { path, attributes } if path.last().is_some_and(|last| last == "entry") => {
            here = attributes.iter().any(|(key, value)| key == "name" && value == name);
        }
        xml::Step::Close { path, text } if here && path.last().is_some_and(|last| last == "default") => {
            found.get_or_insert_with(|| Text::from(text.trim()));
        }
        _ => {}
    });
    found
}

/// The first words between quotes behind a call.
fn called(script: &str, call: &str) -> Vec<Text> {
    let quoted = |rest: &str| {
        let quote = rest.trim_start().chars().next().filter(|one| matches!(one, '"' | '\''))?;
        rest.trim_start()[1..].split(quote).next().map(Text::from)
    };
    code(script).filter_map(|line| quoted(line.split_once(call)?.1)).collect()
}

/// What is assigned to a field, quotes taken off.
fn assigned(script: &str, field: &str) -> Option<Text> {
    code(script).find_map(|line| {
        let rest = line.split_once(field)?.1.trim_start().strip_prefix('=')?;
        let value = rest.trim_start_matches('=').trim().trim_end_matches(';').trim();
        let plain = value.trim_matches(['"', '\'']);
        (!plain.is_empty() && !plain.contains(['(', ' '])).then(|| plain.into())
    })
}

/// The lines of a script that are no comments.
fn code(script: &str) -> impl Iterator<Item = &str> {
    script.lines().map(str::trim).filter(|line| !line.starts_with("//") && !line.starts_with('*'))
}

/// A file in the folders of configuration, or elsewhere.
fn first_file(user: &NewUser<'_>, name: &str, elsewhere: &[&str]) -> Option<String> {
    let own = user.config.iter().map(|folder| format!("{folder}/{name}"));
    own.chain(elsewhere.iter().map(ToString::to_string)).find(|file| user.tree.exists(file))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::settings::Gsettings;
    use tally_trees::MemoryTree;

    /// Position, size, applets and favourites of a desktop's panels.
    fn told(tree: &MemoryTree, desktop: &str) -> [String; 4] {
        let mut user = NewUser::of(tree, None, &[]);
        user.desktops = vec![desktop.into()];
        user.gsettings = Gsettings::new(tree, &user.desktops);
        let panels = Panels::of(&user);
        let of = |fact| panels.as_ref().and_then(|panels| panels.told(fact)).unwrap_or_default().to_string();
        [PanelFact::Position, PanelFact::Size, PanelFact::Applets, PanelFact::Favourites].map(of)
    }

    #[test]
    fn each_desktop_has_its_own_layout() {
        let tree = MemoryTree::new()
            .file("etc/xdg/xfce4/panel/default.xml", "<channel name='xfce4-panel'><property name='panels' type='array'><value type='int' value='1'/>\
                <property name='panel-1'><property name='position' value='p=6;x=0;y=0'/><property name='size' value='26'/><property name='plugin-ids' type='array'><value value='1'/><value value='2'/><value value='3'/></property></property></property>\
                <property name='plugins'><property name='plugin-1' value='applicationsmenu'/><property name='plugin-2' value='separator'/><property name='plugin-3' value='launcher'><property name='items' type='array'><value value='inkcap.desktop'/></property></property></property></channel>")
            .file("etc/xdg/lxqt/panel.conf", "[panel1]\nplugins=menu, quick\n[quick]\ntype=quicklaunch\napps\\1\\desktop=/usr/share/applications/inkcap.desktop\n")
            .file("usr/share/lxqt/panel.conf", "panels=panel1\n[panel1]\nposition=Bottom\npanelSize=32\nplugins=other\n[menu]\ntype=fancymenu\n")
            .file("etc/xdg/lxpanel/LXDE/panels/panel", "Global {\n  edge=bottom\n  height=26\n}\nPlugin {\n  type=launchbar\n  Config {\n    Button {\n      id=inkcap.desktop\n    }\n  }\n}\nPlugin {\n  type=tray\n}\n")
            .file("usr/share/mate-panel/layouts/default.layout", "[Toplevel top]\norientation=top\nsize=24\n[Toplevel low]\norientation=bottom\n[Object m]\nobject-type=menu-bar\n[Object i]\nobject-type=launcher\nlauncher-location=/usr/share/applications/inkcap.desktop\n[Object a]\nobject-type=applet\napplet-iid=F::WindowListApplet\n")
            .file("usr/share/glib-2.0/schemas/org.cinnamon.gschema.xml", "<schemalist><schema id='org.cinnamon' path='/org/cinnamon/'><key name='panels-enabled'><default>['1:0:bottom']</default></key><key name='panels-height'><default>['1:40']</default></key>\
                <key name='enabled-applets'><default>['panel1:left:0:menu@cinnamon.org:0', 'panel1:left:1:separator@cinnamon.org:1']</default></key></schema></schemalist>")
            .file("usr/share/budgie-desktop/panel.ini", "[Panels]\nPanels=Main\n[Main]\nPosition=Top\nChildren=Menu;Space;Clock\n[Menu]\nID=Budgie Menu\n[Space]\nID=Spacer\n[Clock]\nID=Clock\n")
            .file("usr/share/plasma/look-and-feel/org.kde.breeze.desktop/contents/layouts/org.kde.plasma.desktop-layout.js", "loadTemplate(\"org.kde.plasma.desktop.defaultPanel\")\n")
            .file("usr/share/plasma/layout-templates/org.kde.plasma.desktop.defaultPanel/contents/layout.js", "var panel = new Panel\n// panel.location = \"left\";\npanel.height = 2 * Math.ceil(gridUnit * 2.5 / 2)\npanel.addWidget(\"org.kde.plasma.kickoff\")\npanel.addWidget('org.kde.plasma.marginsseparator')\n")
            .file("usr/share/plasma/plasmoids/org.kde.plasma.icontasks/contents/config/main.xml", "<kcfg><group><entry name='launchers' type='StringList'><default>applications:inkcap.desktop,preferred://browser</default></entry></group></kcfg>");
        for (desktop, expected) in [
            ("XFCE", ["top", "26", "applicationsmenu", "inkcap"]),
            ("LXQt", ["bottom", "32", "fancymenu", "inkcap"]),
            ("LXDE", ["bottom", "26", "tray", "inkcap"]),
            ("MATE", ["top, bottom", "24", "menu-bar, WindowListApplet", "inkcap"]),
            ("X-Cinnamon", ["bottom", "40", "menu", ""]),
            ("Budgie", ["top", "", "Budgie Menu, Clock", ""]),
            ("KDE", ["bottom", "", "kickoff", "inkcap, browser"]),
            ("GNOME", ["", "", "", ""]),
        ] {
            assert_eq!(told(&tree, desktop), expected, "{desktop}");
        }
    }

    #[test]
    fn layouts_that_are_cut_or_nonsense_tell_nothing() {
        for (desktop, file, text) in [
            (
                "XFCE",
                "etc/xdg/xfce4/panel/default.xml",
                "<channel><property name='panels'><property name='panel-1'><property name='position' value='x",
            ),
            ("LXQt", "etc/xdg/lxqt/panel.conf", "[panel1]\nplugins=,,\n"),
            ("LXDE", "etc/xdg/lxpanel/LXDE/panels/panel", "Plugin {{{ = = ="),
            ("MATE", "usr/share/mate-panel/layouts/default.layout", "[Toplevel"),
            ("Budgie", "usr/share/budgie-desktop/panel.ini", "[Panels]\nPanels=None;;\n"),
        ] {
            assert_eq!(told(&MemoryTree::new().file(file, text), desktop), ["", "", "", ""], "{desktop}");
        }
    }
}
