//! The dpkg database and apt's memory: `var/lib/dpkg`, `var/lib/apt/extended_states`.

use super::item::INSTALLED_AT;
use super::{Root, shape};
use crate::world::Shipped;
use crate::{Install, World, WorldError};
use std::collections::BTreeSet;
use std::fmt::Write;

pub(super) fn write(root: &Root<'_>, install: &Install, packages: &[Shipped<'_>]) -> Result<(), WorldError> {
    let mut status = String::new();
    let mut extended = String::new();
    let followed = followed(install, packages);
    let there: BTreeSet<&str> = packages.iter().map(|package| package.name).collect();
    for package in packages {
        let left = install.leftovers.iter().any(|name| name == package.name);
        status.push_str(&stanza(package, install, &there, left));
        if followed.contains(package.name) {
            _ = write!(extended, "Package: {}\nArchitecture: amd64\nAuto-Installed: 1\n\n", package.name);
        }
        if !left {
            files(root, package)?;
        }
    }
    root.file("var/lib/dpkg/status", status)?;
    root.file("var/lib/apt/extended_states", extended)?;
    let mut log = log_line(0, "startup", "archives unpack");
    for (second, package) in (1..).zip(packages) {
        log.push_str(&log_line(
            second,
            "install",
            &format!("{} <none> {}", qualified(package), package.version),
        ));
    }
    for package in packages.iter().filter(|package| install.leftovers.iter().any(|left| left == package.name))
    {
        log.push_str(&log_line(600, "remove", &format!("{} {} <none>", qualified(package), package.version)));
    }
    root.file("var/log/dpkg.log", log)?;
    // The installer is done an hour after it began.
    root.file_of("var/log/installer/summary", "Saltmarsh installer: all steps done.\n", INSTALLED_AT + 3600)
}

/// Seconds until an owner has changed something.
pub(super) const WEEK: u64 = 7 * 86_400;

/// A line of dpkg's log, so many seconds into the installation.
fn log_line(second: u64, action: &str, rest: &str) -> String {
    let of_day = 9 * 3600 + 46 * 60 + 40 + second % 86_400;
    let (day, of_day) = (4 + second / 86_400 + of_day / 86_400, of_day % 86_400);
    format!(
        "2026-05-{day:02} {:02}:{:02}:{:02} {action} {rest}\n",
        of_day / 3600,
        of_day / 60 % 60,
        of_day % 60
    )
}

/// `name:architecture`, as dpkg logs it.
fn qualified(package: &Shipped<'_>) -> String {
    format!("{}:{}", package.name, shape::arch(package.shape))
}

/// The same database a week later: files of what came, without those of what went, and a log that tells.
pub(super) fn write_later(
    root: &Root<'_>,
    later: &Install,
    before: &[Shipped<'_>],
    now: &[Shipped<'_>],
) -> Result<(), WorldError> {
    let find = |list: &[Shipped<'_>], name: &str| {
        list.iter().find(|one| one.name == name).map(|one| one.version.to_owned())
    };
    let mut log = String::new();
    for (second, package) in (WEEK..).zip(before) {
        if find(now, package.name).is_none() {
            shape::files(package).into_iter().try_for_each(|(path, _)| root.remove(&path))?;
            root.remove(&list_file(package))?;
            log.push_str(&log_line(
                second,
                "remove",
                &format!("{} {} <none>", qualified(package), package.version),
            ));
        }
    }
    for (second, package) in (WEEK + 600..).zip(now) {
        match find(before, package.name) {
            None => {
                files(root, package)?;
                log.push_str(&log_line(
                    second,
                    "install",
                    &format!("{} <none> {}", qualified(package), package.version),
                ));
            }
            Some(old) if old != package.version => {
                log.push_str(&log_line(
                    second,
                    "upgrade",
                    &format!("{} {old} {}", qualified(package), package.version),
                ));
            }
            Some(_) => {}
        }
    }
    let there: BTreeSet<&str> = now.iter().map(|package| package.name).collect();
    let status: String = now.iter().map(|package| stanza(package, later, &there, false)).collect();
    root.file("var/lib/dpkg/status", status)?;
    // The log of the first days was rotated away from the name that the newest has.
    let path = root.folder.join("var/log/dpkg.log");
    let first = std::fs::read(&path).map_err(|source| WorldError::Io { path, source })?;
    root.file("var/log/dpkg.log.1", first)?;
    root.file("var/log/dpkg.log", log)
}

fn list_file(package: &Shipped<'_>) -> String {
    let qualified = if package.shape == "lib" { ":amd64" } else { "" };
    format!("var/lib/dpkg/info/{}{qualified}.list", package.name)
}

/// What the chosen packages need or recommend, directly or not. All else was chosen by the installer, as real ones do with
/// the base system.
pub(super) fn followed<'w>(install: &Install, packages: &[Shipped<'w>]) -> BTreeSet<&'w str> {
    let names = |text: &str| -> Vec<String> {
        let alternatives =
            text.split([',', '|']).map(|one| one.split('(').next().unwrap_or_default().trim().to_owned());
        alternatives.collect()
    };
    let mut followed = BTreeSet::new();
    let mut queue: Vec<&str> = install.chosen.iter().map(String::as_str).collect();
    while let Some(name) = queue.pop() {
        let Some(package) = packages.iter().find(|package| package.name == name) else { continue };
        let recommends = package.relations.recommends.as_deref().unwrap_or_default();
        for need in names(&package.needs).into_iter().chain(names(recommends)) {
            if let Some(found) = packages.iter().find(|other| other.name == need)
                && followed.insert(found.name)
            {
                queue.push(found.name);
            }
        }
    }
    followed.retain(|name| !install.chosen.iter().any(|chosen| chosen == name));
    followed
}

/// Bytes to download of a package: less than a third of what it takes on disk.
pub(super) fn packed(package: &Shipped<'_>) -> u64 {
    package.kib * 300
}

/// What apt keeps of the archives: everything comes from the main one but the agent, which a shop of its own ships, and one
/// package that was built elsewhere and is in no archive. What came later lies in suites of its own.
pub(super) fn lists(root: &Root<'_>, world: &World, install: &Install) -> Result<(), WorldError> {
    let archive = world.archive(install);
    let suite = install.codename.to_lowercase();
    let (mut main, mut shop) = (String::new(), String::new());
    for package in archive.iter().filter(|package| package.name != "duckboard") {
        let list = if package.name == "tidewrack" { &mut shop } else { &mut main };
        list.push_str(&listed(package, package.version, None));
    }
    let file = |suite: &str| {
        format!("var/lib/apt/lists/archive.saltmarsh.example_os_dists_{suite}_main_binary-amd64_Packages")
    };
    root.file(&file(&suite), main)?;
    for part in ["updates", "security"] {
        let mut later = String::new();
        for update in world.updates(install).into_iter().filter(|update| update.suite == part) {
            if let Some(package) = archive.iter().find(|package| package.name == update.package) {
                later.push_str(&listed(package, &update.version, update.phased));
            }
        }
        root.file(&file(&format!("{suite}-{part}")), later)?;
    }
    if world.shipped(install).iter().any(|package| package.name == "tidewrack") {
        root.file(
            "var/lib/apt/lists/packages.tidewrack.example_apt_dists_stable_main_binary-amd64_Packages",
            shop,
        )?;
    }
    Ok(())
}

/// The stanza of a package in a list.
fn listed(package: &Shipped<'_>, version: &str, phased: Option<u8>) -> String {
    let Shipped { name, section, kib, summary, relations, .. } = package;
    let arch = shape::arch(package.shape);
    let priority = if relations.essential { "required" } else { "optional" };
    let mut stanza = format!(
        "Package: {name}\nPriority: {priority}\nSection: {section}\nInstalled-Size: {kib}\nArchitecture: {arch}\n"
    );
    for (key, value) in [
        ("Source", relations.source.as_deref()),
        ("Version", Some(version)),
        ("Replaces", relations.replaces.as_deref()),
        ("Provides", relations.provides.as_deref()),
        ("Depends", Some(package.needs.as_str())),
        ("Recommends", relations.recommends.as_deref()),
        ("Conflicts", relations.conflicts.as_deref()),
        ("Description", Some(*summary)),
    ] {
        if let Some(value) = value.filter(|value| !value.is_empty()) {
            _ = writeln!(stanza, "{key}: {value}");
        }
    }
    if let Some(phased) = phased {
        _ = writeln!(stanza, "Phased-Update-Percentage: {phased}");
    }
    _ = writeln!(stanza, "Size: {}\n", packed(package));
    stanza
}

/// What a package recommends. A metapackage is written anew for each release, and names only what that one has.
fn recommends(package: &Shipped<'_>, there: &BTreeSet<&str>) -> String {
    let stated = package.relations.recommends.as_deref().unwrap_or_default();
    let named = stated.split(", ").filter(|name| package.section != "metapackages" || there.contains(name));
    named.collect::<Vec<_>>().join(", ")
}

fn stanza(package: &Shipped<'_>, install: &Install, there: &BTreeSet<&str>, left: bool) -> String {
    let Shipped { name, version, section, kib, summary, relations, .. } = package;
    let status = match (left, install.half.iter().any(|half| half == name)) {
        (true, _) => "deinstall ok config-files",
        (_, true) => "install ok half-configured",
        _ => "install ok installed",
    };
    let mut stanza = format!("Package: {name}\n");
    if relations.essential {
        stanza.push_str("Essential: yes\n");
    }
    let priority = if relations.essential { "required" } else { "optional" };
    let arch = shape::arch(package.shape);
    _ = write!(
        stanza,
        "Status: {status}\nPriority: {priority}\nSection: {section}\nInstalled-Size: {kib}\n\
         Maintainer: Saltmarsh Makers <makers@saltmarsh.example>\nArchitecture: {arch}\n"
    );
    if package.shape == "lib" {
        stanza.push_str("Multi-Arch: same\n");
    }
    let field = |stanza: &mut String, name: &str, value: Option<&str>| {
        if let Some(value) = value.filter(|value| !value.is_empty()) {
            _ = writeln!(stanza, "{name}: {value}");
        }
    };
    field(&mut stanza, "Source", relations.source.as_deref());
    field(&mut stanza, "Version", Some(version));
    field(&mut stanza, "Replaces", relations.replaces.as_deref());
    field(&mut stanza, "Provides", relations.provides.as_deref());
    field(&mut stanza, "Depends", Some(&package.needs));
    field(&mut stanza, "Recommends", Some(&recommends(package, there)));
    field(&mut stanza, "Conflicts", relations.conflicts.as_deref());
    _ = write!(stanza, "Description: {summary}\n Part of Saltmarsh Linux, which is made up.\n\n");
    stanza
}

/// The changelog of a package, of which the first entry is all that is written.
fn changelog(package: &Shipped<'_>) -> Result<(String, Vec<u8>), WorldError> {
    let path = format!("usr/share/doc/{}/changelog.Debian.gz", package.name);
    let day = jiff::Timestamp::from_second(package.built.cast_signed()).unwrap_or_default();
    let text = format!(
        "{} ({}) stable; urgency=medium\n\n  * Made up.\n\n -- Saltmarsh Makers <makers@saltmarsh.example>  {}\n",
        package.name,
        package.version,
        day.strftime("%a, %d %b %Y %H:%M:%S +0000")
    );
    let packed = super::gzip(text.as_bytes())
        .map_err(|source| WorldError::Io { path: path.clone().into(), source })?;
    Ok((path, packed))
}

/// The files of a package, and the list that names them with the folders above.
fn files(root: &Root<'_>, package: &Shipped<'_>) -> Result<(), WorldError> {
    let mut list = vec!["/.".to_owned()];
    for (path, content) in shape::files(package).into_iter().chain([changelog(package)?]) {
        root.file(&path, content)?;
        let mut above = path.as_str();
        while let Some((parent, _)) = above.rsplit_once('/') {
            list.push(format!("/{parent}"));
            above = parent;
        }
        list.push(format!("/{path}"));
    }
    list.sort();
    list.dedup();
    root.file(&list_file(package), list.join("\n") + "\n")
}
