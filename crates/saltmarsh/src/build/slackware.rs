//! The database of Slackware: a text for each package, and scripts that start things when they may be run.

use super::item::{Item, items};
use super::{Root, lines};
use crate::world::Shipped;
use crate::{Install, WorldError};

pub(super) fn write(root: &Root<'_>, install: &Install, packages: &[Shipped<'_>]) -> Result<(), WorldError> {
    for item in items(root, install, packages, "usr/", &script)? {
        // One package was built by whoever installed it.
        let tag = if item.name() == "duckboard" { "_own" } else { "" };
        let full =
            format!("{}-{}-{}-{}{tag}", item.name(), item.upstream, item.arch("noarch"), item.revision);
        root.file(&format!("var/lib/pkgtools/packages/{full}"), text(&item, &full))?;
        if item.is_service() {
            root.executable(&format!("etc/rc.d/rc.{}", item.name()))?;
        }
    }
    root.file("etc/slackpkg/mirrors", "# One line without a hash.\n#https://off.example/\nhttps://mirror.saltmarsh.example/saltmarsh64-5.0/\n")
}

/// The list of the mirror.
pub(super) fn lists(root: &Root<'_>, archive: &[Shipped<'_>]) -> Result<(), WorldError> {
    let block = |item: &Item<'_>| {
        let (name, section, kib) = (item.name(), item.shipped.section, item.shipped.kib);
        format!(
            "PACKAGE NAME:  {name}-{}-{}-{}.txz\nPACKAGE LOCATION:  ./saltmarsh64/{section}\nPACKAGE SIZE (compressed):  {} K\n\
             PACKAGE SIZE (uncompressed):  {kib} K\nPACKAGE DESCRIPTION:\n{name}: {name} ({})\n\n",
            item.upstream,
            item.arch("noarch"),
            item.revision,
            kib * 300 / 1024,
            item.shipped.summary,
        )
    };
    root.file("var/lib/slackpkg/PACKAGES.TXT", Item::offered(archive).iter().map(block).collect::<String>())
}

fn script(package: &Shipped<'_>) -> Option<(String, String)> {
    Some((format!("etc/rc.d/rc.{}", package.name), format!("#!/bin/sh\n# {}\n", package.summary)))
}

fn text(item: &Item<'_>, full: &str) -> String {
    let name = item.name();
    let kib = item.shipped.kib;
    let mut folders: Vec<String> = Vec::new();
    for path in &item.files {
        folders.extend(path.match_indices('/').map(|(at, _)| path[..=at].to_owned()));
    }
    folders.extend(item.files.iter().cloned());
    folders.sort();
    folders.dedup();
    format!(
        "PACKAGE NAME:     {full}\nCOMPRESSED PACKAGE SIZE:     {}K\nUNCOMPRESSED PACKAGE SIZE:     {kib}K\nPACKAGE LOCATION: ./saltmarsh64/{}/{full}.txz\n\
         PACKAGE DESCRIPTION:\n{name}: {name} ({})\n{name}:\nFILE LIST:\n./\n{}",
        kib * 300 / 1024,
        item.shipped.section,
        item.shipped.summary,
        lines(folders),
    )
}
