//! The database of eopkg: a folder of XML for each package.

use super::item::{Item, items};
use super::{Root, lines};
use crate::world::Shipped;
use crate::{Install, WorldError};

pub(super) fn write(root: &Root<'_>, install: &Install, packages: &[Shipped<'_>]) -> Result<(), WorldError> {
    let items = items(root, install, packages, "usr/", &|_| None)?;
    for item in &items {
        let release = format!("{}{}", item.revision.len(), item.revision);
        let folder = format!("var/lib/eopkg/package/{}-{}-{release}", item.name(), item.upstream);
        root.file(&format!("{folder}/metadata.xml"), metadata(item, &release))?;
        let file = |path: &String| format!("<File><Path>{}</Path><Type>data</Type></File>", xml(path));
        let files: String = item.files.iter().map(file).collect();
        root.file(&format!("{folder}/files.xml"), format!("<Files>{files}</Files>"))?;
    }
    let followed = items.iter().filter(|item| item.followed).map(Item::name);
    root.file("var/lib/eopkg/info/automatic", lines(followed))?;
    root.file(
        "var/lib/eopkg/info/repos",
        "<REPOS><REPO><Name>Saltmarsh</Name><Status>active</Status><Media>remote</Media></REPO></REPOS>",
    )?;
    root.file("var/lib/eopkg/index/Saltmarsh/uri", "https://pkg.saltmarsh.example/stable/eopkg-index.xml.xz")
}

/// The list of the repository.
pub(super) fn lists(root: &Root<'_>, archive: &[Shipped<'_>]) -> Result<(), WorldError> {
    let element = |item: &Item<'_>| {
        let release = format!("{}{}", item.revision.len(), item.revision);
        let whole = metadata(item, &release);
        let (source, package) = whole.split_once("\n<Package>\n").unwrap_or((&whole, ""));
        let source = source.trim_start_matches("<PISI>\n");
        format!("<Package>{source}{}", package.trim_end_matches("</PISI>\n"))
    };
    let all: String = Item::offered(archive).iter().map(element).collect();
    root.file("var/lib/eopkg/index/Saltmarsh/eopkg-index.xml", format!("<PISI>\n{all}</PISI>\n"))
}

fn xml(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;")
}

fn metadata(item: &Item<'_>, release: &str) -> String {
    let need = |need: &super::item::Need| format!("<Dependency>{}</Dependency>", xml(&need.name));
    let needs: String = item.needs.iter().map(need).collect();
    let replaces: String =
        item.replaces.iter().map(|one| format!("<Package>{}</Package>", xml(&one.name))).collect();
    format!(
        "<PISI>\n<Source><Name>{}</Name><Homepage>https://saltmarsh.example/</Homepage></Source>\n<Package>\n<Name>{}</Name>\n\
         <Summary xml:lang=\"en\">{}</Summary>\n<PartOf>{}</PartOf>\n<License>MIT</License>\n<RuntimeDependencies>{needs}</RuntimeDependencies>\n\
         <Replaces>{replaces}</Replaces>\n<History><Update release=\"{release}\"><Date>{}</Date><Version>{}</Version></Update></History>\n\
         <Architecture>{}</Architecture>\n<InstalledSize>{}</InstalledSize>\n<PackageSize>{}</PackageSize>\n</Package>\n</PISI>\n",
        xml(item.source()),
        xml(item.name()),
        xml(item.shipped.summary),
        item.shipped.section,
        item.built("%Y-%m-%d"),
        item.upstream,
        item.arch("noarch"),
        item.bytes(),
        item.shipped.kib * 300,
    )
}
