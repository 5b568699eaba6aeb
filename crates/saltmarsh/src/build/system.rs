//! What belongs to no package: the merged `/usr`, os-release, the chosen display manager.

use super::Root;
use crate::world::{RELEASED, Shipped};
use crate::{Install, WorldError};

pub(super) fn write(root: &Root<'_>, install: &Install, packages: &[Shipped<'_>]) -> Result<(), WorldError> {
    let has = |name: &str| packages.iter().any(|package| package.name == name);
    for folder in ["bin", "sbin", "lib"] {
        root.file(&format!("usr/{folder}/.keep"), "")?;
        root.link(folder, &format!("usr/{folder}"))?;
    }
    root.link("etc/os-release", "../usr/lib/os-release")?;
    root.file("usr/lib/os-release", os_release(install))?;
    root.link("usr/bin/sh", "dash")?;
    root.file("usr/share/metainfo/org.saltmarsh.os.metainfo.xml", own_component(install))?;
    root.file("usr/bin/env", "")?;
    root.file("usr/bin/xdg-open", "")?;
    if has("lockgate") {
        let unit = "/usr/lib/systemd/system/lockgate.service";
        root.link("etc/systemd/system/display-manager.service", unit)?;
        root.file("etc/X11/default-display-manager", "/usr/sbin/lockgate\n")?;
    }
    root.file("etc/fstab", "UUID=5a17 / btrfs defaults 0 1\n/swapfile none swap sw 0 0\n")?;
    root.link("etc/alternatives/x-terminal-emulator", "/usr/bin/mudline")?;
    let older = install.version_id.starts_with('4');
    if has("weir-session") {
        defaults(root, older)?;
    }
    startup(root, older, has)
}

/// What opens what. In 4.0 music is opened by two programs; in 5.0 the office suite has taken PDF, since nothing says otherwise.
fn defaults(root: &Root<'_>, older: bool) -> Result<(), WorldError> {
    let browser = if older { "marshlight" } else { "lapwing" };
    let mut list = format!(
        "[Default Applications]\nx-scheme-handler/https={browser}.desktop\nx-scheme-handler/http={browser}.desktop\ntext/html={browser}.desktop\n"
    );
    list.push_str("inode/directory=org.marsh.Towpath.desktop\ntext/plain=org.marsh.Inkcap.desktop\nimage/png=stillpool.desktop\n");
    list.push_str("audio/mpeg=booming.desktop\naudio/ogg=booming.desktop\n");
    if older {
        list.push_str("application/pdf=leafmere.desktop\n");
    }
    root.file("usr/share/applications/weir-mimeapps.list", list)
}

/// Units that the installer switched on, and one that no package owns.
fn startup(root: &Root<'_>, older: bool, has: impl Fn(&str) -> bool) -> Result<(), WorldError> {
    let mut units = vec!["network-manager", "bluez", "cups", "cron", "apparmor"];
    units.push(if older { "rsyslog" } else { "tidewrack" });
    for unit in units.into_iter().filter(|unit| has(unit)) {
        let link = format!("etc/systemd/system/multi-user.target.wants/{unit}.service");
        root.link(&link, &format!("/usr/lib/systemd/system/{unit}.service"))?;
    }
    for sound in ["ebbtone", "freshet"].into_iter().filter(|sound| has(sound)) {
        root.link(
            &format!("etc/systemd/user/default.target.wants/{sound}.service"),
            &format!("/usr/lib/systemd/user/{sound}.service"),
        )?;
    }
    if !has("weir-session") {
        return Ok(());
    }
    if !older {
        root.file(
            "etc/systemd/system/marsh-firstboot.service",
            "[Unit]\nDescription=Finish the installation\n[Service]\nExecStart=/usr/bin/env true\n",
        )?;
        root.link(
            "etc/systemd/system/multi-user.target.wants/marsh-firstboot.service",
            "../marsh-firstboot.service",
        )?;
    }
    root.file(
        "etc/xdg/autostart/tide-reminder.desktop",
        "[Desktop Entry]\nType=Application\nName=Tide reminder\nExec=tidetable --remind\nOnlyShowIn=Weir;\n",
    )
}

/// The archive of the distribution; 5.0 also asks another vendor's repository.
pub(super) fn repositories(
    root: &Root<'_>,
    install: &Install,
    packages: &[Shipped<'_>],
) -> Result<(), WorldError> {
    let shop = packages.iter().any(|package| package.name == "tidewrack");
    let suite = install.codename.to_lowercase();
    root.file("etc/apt/sources.list.d/saltmarsh.sources", format!("Types: deb\nURIs: https://archive.saltmarsh.example/os\nSuites: {suite} {suite}-updates {suite}-security\nComponents: main\nSigned-By: /usr/share/keyrings/saltmarsh.gpg\n"))?;
    // The lists are a day older than the install; those of updates may be used for a week.
    for part in [suite.clone(), format!("{suite}-updates"), format!("{suite}-security")] {
        let until = if part == suite { "" } else { "Valid-Until: Sun, 10 May 2026 08:00:00 UTC\n" };
        root.file(
            &format!("var/lib/apt/lists/archive.saltmarsh.example_os_dists_{part}_InRelease"),
            format!("Origin: Saltmarsh\nSuite: {part}\nDate: Sun, 03 May 2026 08:00:00 UTC\n{until}"),
        )?;
    }
    if !shop {
        return Ok(());
    }
    root.file("etc/apt/sources.list.d/tidewrack.list", "deb [signed-by=/etc/apt/keyrings/tidewrack.gpg] https://packages.tidewrack.example/apt stable main\n")?;
    root.file(
        "var/lib/apt/lists/packages.tidewrack.example_apt_dists_stable_InRelease",
        "Origin: Tidewrack\nSuite: stable\n",
    )
}

/// What the distribution says of its own releases.
fn own_component(install: &Install) -> String {
    let day = jiff::Timestamp::from_second(RELEASED[install.column].cast_signed()).unwrap_or_default();
    format!(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<component type=\"operating-system\">\n  <id>example.saltmarsh.os</id>\n  \
         <name>Saltmarsh Linux</name>\n  <releases>\n    <release version=\"{}\" date=\"{}\" date_eol=\"{}\"/>\n  </releases>\n</component>\n",
        install.version_id,
        day.strftime("%Y-%m-%d"),
        install.support_end
    )
}

fn os_release(install: &Install) -> String {
    let Install { version_id, codename, variant, support_end, .. } = install;
    let lower = codename.to_lowercase();
    format!(
        "PRETTY_NAME=\"Saltmarsh Linux {version_id} ({codename})\"\nNAME=\"Saltmarsh Linux\"\nID=saltmarsh\nID_LIKE=fenland\n\
         VERSION_ID=\"{version_id}\"\nVERSION=\"{version_id} ({codename})\"\nVERSION_CODENAME={lower}\nVARIANT=\"{variant}\"\n\
         SUPPORT_END={support_end}\nHOME_URL=\"https://saltmarsh.example/\"\n"
    )
}
