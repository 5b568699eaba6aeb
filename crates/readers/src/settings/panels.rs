//! The panels of a desktop, as its own layout for new users has them.

use super::NewUser;
use super::xfconf::{Property, channel_file, properties};
use crate::keyfile::KeyFile;
use crate::text::text;
use crate::xml;
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

/// The channel of the panel, or the layout that a new user is offered.
fn xfce(user: &NewUser<'_>) -> Option<Panels> {
    let channels = user.config.iter().map(|folder| channel_file(folder, "xfce4-panel"));
    let layouts = user.config.iter().map(|folder| format!("{folder}/xfce4/panel/default.xml"));
    channels.chain(layouts).find_map(|file| {
        let all = properties(&user.tree.read(&file).ok()?).0;
        let mut panels = Panels { file, ..Panels::default() };
        for property in &all {
            let path: Vec<&str> = property.path.split('/').collect();
            match path[..] {
                ["panels", panel, "position"] => {
                    panels.positions.extend(xfce_edge(&all, panel, property.values.first()?));
                }
                ["panels", _, "size"] if panels.size.is_none() => {
                    panels.size = property.values.first().cloned();
                }
                ["panels", _, "plugin-ids"] => {
                    for id in &property.values {
                        xfce_plugin(&all, id, &mut panels);
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
fn xfce_edge(all: &[Property], panel: &str, position: &str) -> Option<Text> {
    let place = position.split(';').find_map(|part| part.strip_prefix("p="))?;
    let mode = format!("panels/{panel}/mode");
    let stands = all.iter().any(|one| one.path == mode && one.values.first().is_some_and(|mode| mode != "0"));
    let edge = match (place, stands) {
        ("2" | "6" | "9" | "11", false) => "top",
        ("4" | "8" | "10" | "12", false) => "bottom",
        ("1" | "2" | "3" | "4", true) => "right",
        ("5" | "6" | "7" | "8", true) => "left",
        _ => "anywhere",
    };
    Some(edge.into())
}

fn xfce_plugin(all: &[Property], id: &str, panels: &mut Panels) {
    let own = format!("plugins/plugin-{id}");
    let Some(plugin) = all.iter().find(|one| one.path == own).and_then(|one| one.values.first()) else {
        return;
    };
    if plugin == "launcher" {
        let items = all.iter().find(|one| one.path == format!("{own}/items"));
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

fn lxqt(user: &NewUser<'_>) -> Option<Panels> {
    let file = first_file(user, "lxqt/panel.conf", &["usr/share/lxqt/panel.conf"])?;
    let parsed = KeyFile::parse(&file, &user.tree.read(&file).ok()?);
    let mut panels = Panels { file, ..Panels::default() };
    let names = parsed.group("General").and_then(|group| group.get("panels").cloned()).unwrap_or_default();
    for name in names.split(',').map(str::trim).filter(|name| !name.is_empty()) {
        let Some(group) = parsed.group(name) else { continue };
        panels.positions.extend(group.get("position").map(|edge| Text::from(edge.to_lowercase())));
        panels.size = panels.size.take().or_else(|| group.get("panelSize").cloned());
        for plugin in group.get("plugins").cloned().unwrap_or_default().split(',').map(str::trim) {
            let Some(own) = parsed.group(plugin) else { continue };
            let kind = own.get("type").cloned().unwrap_or_else(|| plugin.into());
            if kind == "quicklaunch" {
                let apps = own.keys().filter(|key| key.starts_with("apps\\") && key.ends_with("\\desktop"));
                panels.favourites.extend(apps.filter_map(|key| Some(launcher(own.get(key)?).into())));
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
