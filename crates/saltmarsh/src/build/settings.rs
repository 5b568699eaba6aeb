//! What is set for new users: the schemas that the desktops share, and what the editions set otherwise.

use crate::world::Shipped;
use std::fmt::Write;

const SCHEMAS: &str = "usr/share/glib-2.0/schemas";

/// A key, its type, and the default of upstream.
type Key = (&'static str, &'static str, &'static str);

/// Keys by schema.
const SHARED: &[(&str, &[Key])] = &[
    (
        "org.gnome.desktop.interface",
        &[
            ("color-scheme", "s", "'default'"),
            ("accent-color", "s", "'blue'"),
            ("gtk-theme", "s", "'Reedkit'"),
            ("icon-theme", "s", "'Reedkit'"),
            ("cursor-theme", "s", "'Reedkit'"),
            ("cursor-size", "i", "24"),
            ("font-name", "s", "'Sans 10'"),
            ("monospace-font-name", "s", "'Monospace 10'"),
            ("text-scaling-factor", "d", "1.0"),
            ("enable-animations", "b", "true"),
            ("enable-hot-corners", "b", "true"),
            ("clock-format", "s", "'24h'"),
            ("clock-show-weekday", "b", "false"),
        ],
    ),
    (
        "org.gnome.desktop.wm.preferences",
        &[
            ("button-layout", "s", "'menu:minimize,maximize,close'"),
            ("focus-mode", "s", "'click'"),
            ("action-double-click-titlebar", "s", "'toggle-maximize'"),
            ("num-workspaces", "i", "4"),
        ],
    ),
    ("org.gnome.desktop.background", &[("picture-uri", "s", "''"), ("picture-uri-dark", "s", "''")]),
    (
        "org.gnome.desktop.peripherals.touchpad",
        &[("tap-to-click", "b", "false"), ("natural-scroll", "b", "true")],
    ),
    ("org.gnome.desktop.session", &[("idle-delay", "u", "uint32 300")]),
    ("org.gnome.desktop.screensaver", &[("lock-enabled", "b", "true")]),
    (
        "org.gnome.desktop.privacy",
        &[
            ("send-software-usage-stats", "b", "false"),
            ("report-technical-problems", "b", "false"),
            ("remember-recent-files", "b", "true"),
        ],
    ),
    ("org.gnome.desktop.sound", &[("event-sounds", "b", "true")]),
    ("org.gnome.desktop.media-handling", &[("automount", "b", "true")]),
];

/// The files of a package about settings.
pub(super) fn files(package: &Shipped<'_>) -> Vec<(String, String)> {
    match package.name {
        // Each desktop brings the schemas of its settings.
        "weir-settings" | "eddyline-panel" => SHARED
            .iter()
            .map(|(schema, keys)| (format!("{SCHEMAS}/{schema}.gschema.xml"), declared(schema, keys)))
            .collect(),
        "reedbed-desktop" => {
            vec![overridden(package, if package.version.starts_with('4') { OLD } else { NEW })]
        }
        "mudflat-desktop" => vec![overridden(package, LIGHT)],
        _ => Vec::new(),
    }
}

/// Reedbed 4.0: light, and the buttons at the left.
const OLD: &str = "\
[org.gnome.desktop.interface]
gtk-theme='Saltmarsh'
icon-theme='Saltmarsh'
font-name='Reed Sans 10'

[org.gnome.desktop.wm.preferences]
button-layout='close,minimize,maximize:'

[org.gnome.desktop.background]
picture-uri='file:///usr/share/backgrounds/weir/shore-1.png'
";

/// Reedbed 5.0: dark with an accent, and the buttons at the right.
const NEW: &str = "\
[org.gnome.desktop.interface]
color-scheme='prefer-dark'
accent-color='teal'
gtk-theme='Saltmarsh'
icon-theme='Saltmarsh'
font-name='Reed Sans 11'
enable-hot-corners=false
clock-show-weekday=true

[org.gnome.desktop.wm.preferences]
button-layout='menu:minimize,maximize,close'

[org.gnome.desktop.background]
picture-uri='file:///usr/share/backgrounds/weir/dawn.png'
picture-uri-dark='file:///usr/share/backgrounds/weir/dusk.png'

[org.gnome.desktop.peripherals.touchpad]
tap-to-click=true

[org.gnome.desktop.privacy]
report-technical-problems=true

[org.saltmarsh.welcome]
show-at-start=true
";

/// Mudflat: what a small machine is spared. Nobody set the theme, and that of the schema is not there.
const LIGHT: &str = "\
[org.gnome.desktop.interface]
icon-theme='Saltmarsh'
font-name='Reed Sans 9'
enable-animations=false

[org.gnome.desktop.wm.preferences]
num-workspaces=2

[org.gnome.desktop.background]
picture-uri='file:///usr/share/backgrounds/eddyline/shore-1.png'

[org.gnome.desktop.session]
idle-delay=uint32 600
";

fn overridden(package: &Shipped<'_>, text: &str) -> (String, String) {
    (format!("{SCHEMAS}/10_{}.gschema.override", package.name), text.to_owned())
}

fn declared(schema: &str, keys: &[Key]) -> String {
    let path = schema.replace('.', "/");
    let mut text = format!("<schemalist>\n  <schema id=\"{schema}\" path=\"/{path}/\">\n");
    for (key, kind, default) in keys {
        _ = write!(
            text,
            "    <key name=\"{key}\" type=\"{kind}\">\n      <default>{default}</default>\n    </key>\n"
        );
    }
    text.push_str("  </schema>\n</schemalist>\n");
    text
}
