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
