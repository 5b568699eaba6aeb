//! The database of Portage: a folder of small files for each package.

use super::item::{INSTALLED_AT, Item, Need, items};
use super::{Root, lines};
use crate::world::Shipped;
use crate::{Install, WorldError};

pub(super) fn write(root: &Root<'_>, install: &Install, packages: &[Shipped<'_>]) -> Result<(), WorldError> {
    let items = items(root, install, packages, "usr/", &|_| None)?;
    let category = |name: &str| {
        items.iter().find(|item| item.name() == name).map_or("virtual", |item| category(item.shipped.section))
    };
    for item in &items {
        let folder_name = format!("{}-{}-r{}", item.name(), item.upstream, item.revision);
        let folder = format!("var/db/pkg/{}/{folder_name}", self::category(item.shipped.section));
        let atom = |need: &Need| match &need.sign {
            Some((sign, version)) => format!("{sign}{}/{}-{version}", category(&need.name), need.name),
            None => format!("{}/{}", category(&need.name), need.name),
        };
        let needs: Vec<String> = item.needs.iter().map(atom).collect();
        let needs = format!("{} absent? ( app-misc/never )", needs.join(" "));
        let contents = item.files.iter().map(|path| format!("obj /{path} 0a1b {INSTALLED_AT}"));
        for (field, value) in [
            ("PF", folder_name.clone()),
            ("DESCRIPTION", item.shipped.summary.to_owned()),
            ("HOMEPAGE", "https://saltmarsh.example/".to_owned()),
            ("LICENSE", "MIT".to_owned()),
            ("BUILD_TIME", item.shipped.built.to_string()),
            ("SLOT", "0".to_owned()),
            ("SIZE", item.bytes().to_string()),
            ("CHOST", "x86_64-pc-linux-gnu".to_owned()),
            ("USE", "amd64 gtk".to_owned()),
            ("RDEPEND", needs),
            ("repository", if item.name() == "duckboard" { "crossdev" } else { "saltmarsh" }.to_owned()),
        ] {
            root.file(&format!("{folder}/{field}"), format!("{value}\n"))?;
        }
        root.file(&format!("{folder}/CONTENTS"), lines(contents))?;
    }
    let asked = items.iter().filter(|item| !item.followed);
    let asked = asked.map(|item| format!("{}/{}", self::category(item.shipped.section), item.name()));
    root.file("var/lib/portage/world", lines(asked))?;
    root.file(
        "etc/portage/repos.conf/saltmarsh.conf",
        "[DEFAULT]\nmain-repo = saltmarsh\n\n[saltmarsh]\nlocation = /var/db/repos/saltmarsh\nsync-uri = rsync://rsync.saltmarsh.example/portage\n",
    )
}

/// The cache of the tree of ebuilds: a file of keys for each version.
pub(super) fn lists(root: &Root<'_>, archive: &[Shipped<'_>]) -> Result<(), WorldError> {
    let items = Item::offered(archive);
    let category_of = |name: &str| {
        items.iter().find(|item| item.name() == name).map_or("virtual", |item| category(item.shipped.section))
    };
    for item in &items {
        let needs: Vec<String> =
            item.needs.iter().map(|need| format!("{}/{}", category_of(&need.name), need.name)).collect();
        let file = format!(
            "{}/{}-{}-r{}",
            category(item.shipped.section),
            item.name(),
            item.upstream,
            item.revision
        );
        root.file(
            &format!("var/db/repos/saltmarsh/metadata/md5-cache/{file}"),
            format!(
                "DESCRIPTION={}\nEAPI=8\nIUSE=+gtk absent\nKEYWORDS=amd64 ~arm64\nLICENSE=MIT\nRDEPEND={} absent? ( app-misc/never )\nSLOT=0\n_md5_=0a1b\n",
                item.shipped.summary,
                needs.join(" "),
            ),
        )?;
    }
    Ok(())
}

/// Categories have two words here.
fn category(section: &str) -> &'static str {
    match section {
        "libs" | "oldlibs" => "dev-libs",
        "kernel" => "sys-kernel",
        "admin" | "utils" | "shells" => "sys-apps",
        "net" | "web" | "mail" => "net-misc",
        "games" => "games-misc",
        "fonts" => "media-fonts",
        "sound" | "video" | "graphics" => "media-misc",
        "x11" | "gnome" => "x11-misc",
        _ => "app-misc",
    }
}
