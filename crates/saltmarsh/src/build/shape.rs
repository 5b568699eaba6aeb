//! Which files a package of each shape brings.

use crate::world::{ComponentRow, Shipped};

/// Multiarch folder of libraries.
const LIBRARIES: &str = "usr/lib/x86_64-linux-gnu";

/// What a component says of itself, with its releases up to the version that is shipped, the newest first.
fn metainfo(component: &ComponentRow, version: &str) -> String {
    let ComponentRow { id, launcher, releases, .. } = component;
    let shipped = version.split(['-', '+']).next().unwrap_or_default();
    let last = releases.iter().position(|[version, _]| version == shipped).unwrap_or(0);
    let releases: String = releases[..=last]
        .iter()
        .rev()
        .map(|[version, day]| format!("    <release version=\"{version}\" date=\"{day}\"/>\n"))
        .collect();
    format!(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<component type=\"desktop-application\">\n  <id>{id}</id>\n  <name>{}</name>\n  \
         <launchable type=\"desktop-id\">{launcher}.desktop</launchable>\n  <releases>\n{releases}  </releases>\n</component>\n",
        id.rsplit('.').next().unwrap_or(id)
    )
}

/// Files with their content, by path; launchers come on top.
pub(super) fn files(package: &Shipped<'_>) -> Vec<(String, Vec<u8>)> {
    let name = package.name;
    let mut files =
        vec![(format!("usr/share/doc/{name}/copyright"), format!("{name}: made up, free to share\n"))];
    let mut add = |path: String, content: &str| files.push((path, content.to_owned()));
    match package.shape {
        "lib" => add(format!("{LIBRARIES}/{name}.so"), ""),
        // Formats that anybody may decode; what is patented somewhere is in another package.
        "media" => ["isomp4", "matroska", "avi", "ogg", "vorbis", "opus", "vpx", "flac", "mpg123"]
            .iter()
            .for_each(|plugin| add(format!("{LIBRARIES}/gstreamer-1.0/libgst{plugin}.so"), "")),
        "prog" => add(format!("usr/bin/{name}"), ""),
        "sbin" => add(format!("usr/sbin/{name}"), ""),
        "runtime" => add(format!("usr/lib/{name}/program/brackwater.bin"), ""),
        "service" | "agent" => {
            add(format!("usr/sbin/{name}"), "");
            add(format!("usr/lib/systemd/system/{name}.service"), &unit(package, "multi-user.target"));
        }
        "dm" => {
            add(format!("usr/sbin/{name}"), "");
            add(format!("usr/lib/systemd/system/{name}.service"), &unit(package, "graphical.target"));
        }
        "userservice" => {
            add(format!("usr/bin/{name}"), "");
            add(format!("usr/lib/systemd/user/{name}.service"), &unit(package, "default.target"));
        }
        "session" => {
            add(format!("usr/bin/{name}"), "");
            let desktop = name.strip_suffix("-session").unwrap_or(name);
            let shown = format!("{}{}", desktop[..1].to_uppercase(), &desktop[1..]);
            add(format!("usr/share/xsessions/{desktop}.desktop"), &session(&shown, name));
        }
        "kernel" => {
            let release = name.trim_start_matches("linux-image-");
            add(format!("usr/lib/modules/{release}/modules.order"), "");
            add(format!("boot/vmlinuz-{release}"), "");
        }
        "firmware" => add(format!("usr/lib/firmware/{name}.bin"), ""),
        "font" => add(format!("usr/share/fonts/truetype/{name}/{name}.ttf"), ""),
        "icons" => add("usr/share/icons/Saltmarsh/index.theme".into(), "[Icon Theme]\nName=Saltmarsh\n"),
        "themes" => add("usr/share/themes/Saltmarsh/index.theme".into(), "[Desktop Entry]\nName=Saltmarsh\n"),
        "wallpapers" => {
            return super::draw::wallpapers(name, package.version).into_iter().chain(bytes(files)).collect();
        }
        "locale" => add(format!("usr/share/locale/en/LC_MESSAGES/{name}.mo"), ""),
        "dictionary" => add(format!("usr/share/hunspell/{name}.dic"), ""),
        "data" => add(format!("usr/share/{name}/data"), ""),
        // Programs come with their launchers; metapackages bring nothing.
        _ => {}
    }
    for launcher in &package.launchers {
        files.push((launcher.file(), launcher.content()));
        files.extend(launcher.program().map(|program| (format!("usr/bin/{program}"), String::new())));
    }
    files.extend(package.component.map(|component| {
        (format!("usr/share/metainfo/{}.metainfo.xml", component.id), metainfo(component, package.version))
    }));
    let icons = package.launchers.iter().filter(|launcher| launcher.program().is_some());
    let icons: Vec<(String, Vec<u8>)> = icons
        .map(|launcher| {
            let file = format!("usr/share/icons/hicolor/64x64/apps/{}.png", launcher.icon());
            (file, super::draw::icon(&launcher.icon()))
        })
        .collect();
    if name == "base-files" {
        let folder = "[64x64/apps]\nSize=64\n";
        files.push((
            "usr/share/icons/hicolor/index.theme".into(),
            format!("[Icon Theme]\nName=Hicolor\nDirectories=64x64/apps\n\n{folder}"),
        ));
    }
    files.extend(super::settings::files(package));
    let mut files = bytes(files);
    files.extend(icons);
    files.sort();
    files.dedup_by(|a, b| a.0 == b.0);
    files
}

fn bytes(files: Vec<(String, String)>) -> Vec<(String, Vec<u8>)> {
    files.into_iter().map(|(path, content)| (path, content.into_bytes())).collect()
}

/// Packages that hold nothing that a processor runs.
pub(super) fn arch(shape: &str) -> &'static str {
    match shape {
        "data" | "font" | "icons" | "themes" | "wallpapers" | "locale" | "dictionary" | "meta"
        | "transitional" | "firmware" | "agent" => "all",
        _ => "amd64",
    }
}

fn unit(package: &Shipped<'_>, target: &str) -> String {
    let Shipped { name, summary, .. } = package;
    format!(
        "[Unit]\nDescription={summary}\n\n[Service]\nExecStart=/usr/sbin/{name}\n\n[Install]\nWantedBy={target}\n"
    )
}

fn session(name: &str, program: &str) -> String {
    format!("[Desktop Entry]\nType=Application\nName={name}\nExec={program}\nDesktopNames={name}\n")
}
