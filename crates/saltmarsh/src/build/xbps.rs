//! The database of XBPS: a property list, and one for the files of each package; and runit, which starts things there.

use super::item::{Item, Need, items};
use super::{Root, gzip};
use crate::world::Shipped;
use crate::{Install, WorldError};
use std::fmt::Write;

const HEAD: &str = "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<!DOCTYPE plist PUBLIC \"-//Apple Computer//DTD PLIST 1.0//EN\" \"http://www.apple.com/DTDs/PropertyList-1.0.dtd\">\n<plist version=\"1.0\">\n";

pub(super) fn write(root: &Root<'_>, install: &Install, packages: &[Shipped<'_>]) -> Result<(), WorldError> {
    let items = items(root, install, packages, "usr/", &script)?;
    let mut list = format!(
        "{HEAD}<dict>\n<key>_XBPS_ALTERNATIVES_</key>\n<dict>\n<key>sh</key>\n<array><string>dash</string></array>\n</dict>\n"
    );
    for item in &items {
        list.push_str(&entry(item));
        let file = |path: &String| {
            format!(
                "<dict><key>file</key><string>/{}</string><key>sha256</key><string>0a</string></dict>\n",
                xml(path)
            )
        };
        let files: String = item.files.iter().map(file).collect();
        root.file(
            &format!("var/db/xbps/.{}-files.plist", item.name()),
            format!("{HEAD}<dict>\n<key>files</key>\n<array>\n{files}</array>\n</dict>\n</plist>\n"),
        )?;
    }
    root.file("var/db/xbps/pkgdb-0.38.plist", list + "</dict>\n</plist>\n")?;
    root.file(
        "usr/share/xbps.d/00-repository-main.conf",
        "repository=https://repo.saltmarsh.example/current\n",
    )?;
    for item in items.iter().filter(|item| item.is_service()) {
        let name = item.name();
        root.link(&format!("etc/runit/runsvdir/default/{name}"), &format!("/etc/sv/{name}"))?;
    }
    Ok(())
}

/// The list of the repository: an archive with a property list in it.
pub(super) fn lists(root: &Root<'_>, archive: &[Shipped<'_>]) -> Result<(), WorldError> {
    let fail = |source| WorldError::Io { path: "x86_64-repodata".into(), source };
    let all: String = Item::offered(archive).iter().map(entry).collect();
    let list = format!("{HEAD}<dict>\n{all}</dict>\n</plist>\n");
    let mut packed = tar::Builder::new(Vec::new());
    let mut header = tar::Header::new_ustar();
    header.set_size(list.len() as u64);
    header.set_mode(0o644);
    packed.append_data(&mut header, "index.plist", list.as_bytes()).map_err(fail)?;
    let packed = gzip(&packed.into_inner().map_err(fail)?).map_err(fail)?;
    root.file("var/db/xbps/https___repo_saltmarsh_example_current/x86_64-repodata", packed)
}

fn script(package: &Shipped<'_>) -> Option<(String, String)> {
    let name = package.name;
    Some((format!("etc/sv/{name}/run"), format!("#!/bin/sh\nexec /usr/sbin/{name}\n")))
}

fn xml(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;")
}

fn entry(item: &Item<'_>) -> String {
    let name = item.name();
    let version = format!("{}_{}", item.upstream, item.revision);
    let mut entry = format!("<key>{}</key>\n<dict>\n", xml(name));
    let mut text =
        |key: &str, value: &str| _ = writeln!(entry, "<key>{key}</key>\n<string>{}</string>", xml(value));
    text("architecture", item.arch("noarch"));
    text("build-date", &format!("{} UTC", item.built("%Y-%m-%d %H:%M")));
    text("homepage", "https://saltmarsh.example/");
    text("install-date", "2026-05-04 09:46 UTC");
    text("license", "MIT");
    text("pkgver", &format!("{name}-{version}"));
    // One package was built by whoever installed it.
    text(
        "repository",
        if name == "duckboard" { "/home/reed/binpkgs" } else { "https://repo.saltmarsh.example/current" },
    );
    text("short_desc", item.shipped.summary);
    text("sourcepkg", item.source());
    text("state", "installed");
    _ = writeln!(entry, "<key>installed_size</key>\n<integer>{}</integer>", item.bytes());
    _ = writeln!(entry, "<key>filename-size</key>\n<integer>{}</integer>", super::dpkg::packed(item.shipped));
    if item.followed {
        entry.push_str("<key>automatic-install</key>\n<true/>\n");
    }
    let relation = |need: &Need| match &need.sign {
        Some(("=", version)) => format!("{}-{version}_1", need.name),
        Some((sign, version)) => format!("{}{sign}{version}_1", need.name),
        None => format!("{}>=0", need.name),
    };
    for (key, needs) in
        [("run_depends", &item.needs), ("provides", &item.provides), ("replaces", &item.replaces)]
    {
        if !needs.is_empty() {
            let all: String =
                needs.iter().map(|need| format!("<string>{}</string>\n", xml(&relation(need)))).collect();
            _ = writeln!(entry, "<key>{key}</key>\n<array>\n{all}</array>");
        }
    }
    entry + "</dict>\n"
}
