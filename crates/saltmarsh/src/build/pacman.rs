//! The database of pacman: `var/lib/pacman/local`, and the list of the repository it came from.

use super::{Root, dpkg, shape};
use crate::world::Shipped;
use crate::{Install, WorldError};
use std::fmt::Write;

pub(super) fn write(root: &Root<'_>, install: &Install, packages: &[Shipped<'_>]) -> Result<(), WorldError> {
    let followed = dpkg::followed(install, packages);
    root.file("var/lib/pacman/local/ALPM_DB_VERSION", "9\n")?;
    for package in packages {
        let version = revised(package.version);
        let folder = format!("{}-{version}", package.name);
        let desc = desc(package, &version, followed.contains(package.name));
        root.file(&format!("var/lib/pacman/local/{folder}/desc"), &desc)?;
        let mut files = vec!["%FILES%".to_owned()];
        let mut paths: Vec<String> = Vec::new();
        for (path, content) in shape::files(package) {
            root.file(&path, content)?;
            let folders = path.match_indices('/').map(|(at, _)| path[..=at].to_owned());
            paths.extend(folders);
            paths.push(path);
        }
        paths.sort();
        paths.dedup();
        files.append(&mut paths);
        root.file(&format!("var/lib/pacman/local/{folder}/files"), files.join("\n") + "\n\n")?;
    }
    root.file("etc/pacman.d/mirrorlist", "Server = https://mirror.saltmarsh.example/$repo/os/$arch\n")?;
    root.file(
        "etc/pacman.conf",
        "[options]\nHoldPkg = pacman glibc\n\n[marsh]\nInclude = /etc/pacman.d/mirrorlist\n",
    )
}

/// The list of the repository. One package was built by whoever installed it, and is in none.
pub(super) fn lists(root: &Root<'_>, archive: &[Shipped<'_>]) -> Result<(), WorldError> {
    let fail = |source| WorldError::Io { path: "marsh.db".into(), source };
    let mut list = tar::Builder::new(Vec::new());
    for package in archive.iter().filter(|package| package.name != "duckboard") {
        let version = revised(package.version);
        let described = desc(package, &version, false)
            .replace("%INSTALLDATE%\n1777888000\n\n", "")
            .replace("%SIZE%", "%ISIZE%");
        let listed = format!("{described}%CSIZE%\n{}\n\n", dpkg::packed(package));
        let mut header = tar::Header::new_ustar();
        header.set_size(listed.len() as u64);
        header.set_mode(0o644);
        list.append_data(&mut header, format!("{}-{version}/desc", package.name), listed.as_bytes())
            .map_err(fail)?;
    }
    root.file("var/lib/pacman/sync/marsh.db", list.into_inner().map_err(fail)?)
}

/// A version always has a revision here, and no other hyphen.
fn revised(version: &str) -> String {
    match version.rsplit_once('-') {
        Some((upstream, revision)) => format!("{}-{revision}", upstream.replace('-', "_")),
        None => format!("{version}-1"),
    }
}

fn desc(package: &Shipped<'_>, version: &str, followed: bool) -> String {
    let mut desc = String::new();
    let mut field = |key: &str, values: Vec<String>| {
        if !values.is_empty() {
            _ = write!(desc, "%{key}%\n{}\n\n", values.join("\n"));
        }
    };
    let relations = &package.relations;
    let plain = |text: &str| -> Vec<String> {
        let one = |name: &str| name.replace(" (", "").replace([')', ' '], "");
        // Of alternatives the first is needed; there is no "or" here.
        let first = |group: &str| one(group.split('|').next().unwrap_or_default().trim());
        text.split(", ").map(first).filter(|name| !name.is_empty()).collect()
    };
    let optional = |text: &Option<String>| plain(text.as_deref().unwrap_or_default());
    field("NAME", vec![package.name.to_owned()]);
    field("VERSION", vec![version.to_owned()]);
    field("BASE", vec![relations.source.clone().unwrap_or_else(|| package.name.to_owned())]);
    field("DESC", vec![package.summary.to_owned()]);
    field("ARCH", vec![if shape::arch(package.shape) == "all" { "any".into() } else { "x86_64".into() }]);
    field("BUILDDATE", vec![package.built.to_string()]);
    field("INSTALLDATE", vec!["1777888000".into()]);
    field("SIZE", vec![(package.kib * 1024).to_string()]);
    if followed {
        field("REASON", vec!["1".into()]);
    }
    field("DEPENDS", plain(&package.needs));
    field("OPTDEPENDS", optional(&relations.recommends));
    field("PROVIDES", optional(&relations.provides));
    field("REPLACES", optional(&relations.replaces));
    field("CONFLICTS", optional(&relations.conflicts));
    desc
}
