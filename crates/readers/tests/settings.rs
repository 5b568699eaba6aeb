//! Default settings of a whole install: who set them, what upstream has, and what only has a name of its own.
#![allow(clippy::unwrap_used, clippy::panic, reason = "tests may fail")]

mod common;

use common::taken;
use std::fmt::Write;
use tally_core::knowledge::SettingArea;
use tally_core::model::{Setting, SettingSource, Tally};
use tally_trees::MemoryTree;

/// Files of a package: paths and contents.
type Files<'a> = &'a [(&'a str, &'a str)];

/// An install of packages, each with its source and its files.
fn install(session: (&str, &str), packages: &[(&str, &str, Files<'_>)]) -> Tally {
    let mut status = String::new();
    let mut tree =
        MemoryTree::new().file("etc/os-release", "ID=marsh\nNAME=Marsh\n").file("usr/bin/session", "").file(
            format!("usr/share/wayland-sessions/{}.desktop", session.0),
            format!("[Desktop Entry]\nName={0}\nExec=session\nDesktopNames={0}\n", session.1),
        );
    for (name, source, files) in packages {
        _ = write!(
            status,
            "Package: {name}\nSource: {source}\nStatus: install ok installed\nVersion: 1\nArchitecture: all\nMaintainer: x\nDescription: x\n\n"
        );
        let list: String = files.iter().map(|(path, _)| format!("/{path}\n")).collect();
        tree = tree.file(format!("var/lib/dpkg/info/{name}.list"), list);
        for (path, content) in *files {
            tree = tree.file(*path, *content);
        }
    }
    taken(&tree.file("var/lib/dpkg/status", status), None)
}

fn setting<'a>(tally: &'a Tally, key: &str) -> &'a Setting {
    tally
        .settings
        .iter()
        .find(|one| one.key == key)
        .unwrap_or_else(|| panic!("no {key}: {:?}", tally.settings))
}

const SCHEMAS: &str = "<schemalist>\n<schema id='org.gnome.desktop.interface' path='/org/gnome/desktop/interface/'>\n<key name='font-name' type='s'>\n<default>'Sans 11'</default></key>\n\
    <key name='enable-hot-corners' type='b'><default>true</default></key>\n<key name='clock-format' type='s'><default>'24h'</default></key></schema>\n\
    <schema id='org.gnome.mutter' path='/org/gnome/mutter/'><key name='edge-tiling' type='b'><default>false</default></key></schema></schemalist>";

#[test]
fn the_project_its_packaging_and_the_distribution_are_told_apart() {
    let folder = "usr/share/glib-2.0/schemas";
    let schemas = format!("{folder}/org.gnome.desktop.interface.gschema.xml");
    let (own, packaging) = (
        format!("{folder}/00_org.gnome.shell.gschema.override"),
        format!("{folder}/10_gsettings-desktop-schemas.gschema.override"),
    );
    let (distribution, named) =
        (format!("{folder}/20_shore.gschema.override"), format!("{folder}/30_marsh-look.gschema.override"));
    let tally = install(
        ("gnome", "GNOME"),
        &[
            (
                "gsettings-desktop-schemas",
                "gsettings-desktop-schemas",
                &[
                    (&schemas, SCHEMAS),
                    (&packaging, "[org.gnome.desktop.interface]\nfont-name='Cantarell 11'\n"),
                ],
            ),
            (
                "gnome-shell-common",
                "gnome-shell",
                &[
                    (&own, "[org.gnome.mutter:GNOME]\nedge-tiling=true\n"),
                    (&named, "[org.gnome.desktop.interface]\nclock-format='12h'\n"),
                ],
            ),
            (
                "shore-settings",
                "shore-settings",
                &[(
                    &distribution,
                    "[org.gnome.desktop.interface]\nenable-hot-corners=false\n\n[org.shore.own]\nwelcome='yes'\n",
                )],
            ),
        ],
    );
    let of = |key: &str| {
        let one = setting(&tally, key);
        (one.value.to_string(), one.upstream_value.as_deref().map(str::to_owned), one.source, one.is_own())
    };
    let upstream = |value: &str| Some(value.to_owned());
    assert_eq!(
        of("font"),
        ("Cantarell 11".into(), upstream("Sans 11"), SettingSource::Set, true),
        "by the packaging"
    );
    assert_eq!(
        of("edge-tiling"),
        ("on".into(), upstream("off"), SettingSource::Desktop, false),
        "by the shell itself"
    );
    assert_eq!(of("hot-corner"), ("off".into(), upstream("on"), SettingSource::Set, true));
    assert_eq!(
        of("clock-format"),
        ("12 hours".into(), upstream("24 hours"), SettingSource::Set, true),
        "a file that bears the distribution's name"
    );
    assert_eq!(of("panel-position").2, SettingSource::Upstream);
    let corner = setting(&tally, "hot-corner");
    assert_eq!(corner.evidence.place(), format!("{distribution}:2"));
    assert_eq!(corner.set_by.as_ref().map(|package| package.name()), Some("shore-settings"));
    let native = setting(&tally, "org.shore.own welcome");
    assert_eq!(
        (native.area, native.value.as_str(), native.evidence.line),
        (SettingArea::Other, "yes", Some(5))
    );
}

#[test]
fn plasma_is_told_by_its_files_and_what_they_leave_out_by_the_program() {
    let tally = install(
        ("plasma", "KDE"),
        &[
            (
                "breeze",
                "breeze",
                &[(
                    "usr/share/plasma/look-and-feel/org.kde.breeze.desktop/contents/defaults",
                    "[kdeglobals][General]\nColorScheme=BreezeDark\n",
                )],
            ),
            (
                "marsh-plasma",
                "marsh-plasma",
                &[(
                    "etc/xdg/kwinrc",
                    "[org.kde.kdecoration2]\nButtonsOnLeft=XIA\nButtonsOnRight=\n[NightColor]\nActive=true\n[Plugins]\nwobblyEnabled=true\n",
                )],
            ),
        ],
    );
    assert_eq!(setting(&tally, "colour-scheme").value, "dark");
    assert_eq!(setting(&tally, "colour-scheme").upstream_value.as_deref(), Some("light"));
    assert_eq!(setting(&tally, "night-light").value, "on");
    assert_eq!(setting(&tally, "night-light").evidence.line, Some(5));
    assert!(setting(&tally, "window-buttons").value.starts_with("left: close, minimize, maximize"));
    assert_eq!(setting(&tally, "workspaces").source, SettingSource::Upstream);
    assert_eq!(setting(&tally, "kwinrc [Plugins] wobblyEnabled").value, "true");
}

#[test]
fn what_a_database_locks_is_locked() {
    let folder = "usr/share/glib-2.0/schemas";
    let schemas = format!("{folder}/org.gnome.desktop.interface.gschema.xml");
    let tally = install(
        ("gnome", "GNOME"),
        &[
            ("gsettings-desktop-schemas", "gsettings-desktop-schemas", &[(&schemas, SCHEMAS)]),
            (
                "shore-settings",
                "shore-settings",
                &[
                    ("etc/dconf/profile/user", "user-db:user\nsystem-db:local\n"),
                    (
                        "etc/dconf/db/local.d/00",
                        "[org/gnome/desktop/interface]\nfont-name='Reed 10'\nclock-format='12h'\n",
                    ),
                    ("etc/dconf/db/local.d/locks/font", "/org/gnome/desktop/interface/font-name\nnonsense\n"),
                ],
            ),
        ],
    );
    assert!(setting(&tally, "font").locked);
    assert!(!setting(&tally, "clock-format").locked);
    assert_eq!(setting(&tally, "font").evidence.place(), "etc/dconf/db/local.d/00:2");
}
