//! Catalogues of programs (AppStream): that of the archive, and that of the flatpak remote.

use super::{Root, gzip};
use crate::{Install, World, WorldError};

pub(super) fn write(root: &Root<'_>, world: &World, install: &Install) -> Result<(), WorldError> {
    let fail = |source| WorldError::Io { path: "appstream.xml.gz".into(), source };
    let mut native = String::new();
    for package in world.archive(install) {
        for launcher in
            package.launchers.iter().filter(|launcher| !launcher.content().contains("NoDisplay=true"))
        {
            let name = launcher.name();
            let id: String = name.chars().filter(char::is_ascii_alphanumeric).collect();
            native.push_str(&format!(
                "<component type=\"desktop-application\"><id>org.marsh.{id}</id><pkgname>{}</pkgname><name>{name}</name><summary>{}</summary></component>\n",
                package.name, package.summary,
            ));
        }
    }
    let packed = gzip(whole("saltmarsh", &native).as_bytes()).map_err(fail)?;
    root.file("var/lib/swcatalog/xml/saltmarsh.xml.gz", packed)?;
    if world.flatpaks(install).is_empty() {
        return Ok(());
    }
    let remote: String = world
        .remote()
        .iter()
        .map(|row| {
            format!(
                "<component type=\"desktop-application\"><id>{0}</id><name>{1}</name><summary>{2}</summary><bundle type=\"flatpak\" runtime=\"org.marsh.Platform/x86_64/31.04\">app/{0}/x86_64/stable</bundle><releases><release version=\"{3}\"/></releases></component>\n",
                row.id, row.name, row.summary, row.version
            )
        })
        .collect();
    let packed = gzip(whole("flatpak", &remote).as_bytes()).map_err(fail)?;
    root.file("var/lib/flatpak/appstream/tidal-flats/x86_64/active/appstream.xml.gz", packed)
}

fn whole(origin: &str, components: &str) -> String {
    format!(
        "<?xml version=\"1.0\"?>\n<components version=\"1.0\" origin=\"{origin}\">\n{components}</components>\n"
    )
}
