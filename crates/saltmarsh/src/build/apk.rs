//! The database of apk, what was asked for, the repositories, and OpenRC, which starts things there.

use super::item::{Item, Need, items};
use super::{Root, gzip, lines};
use crate::world::Shipped;
use crate::{Install, WorldError};
use std::fmt::Write;

pub(super) fn write(root: &Root<'_>, install: &Install, packages: &[Shipped<'_>]) -> Result<(), WorldError> {
    let items = items(root, install, packages, "usr/", &script)?;
    root.file("usr/lib/apk/db/installed", items.iter().map(record).collect::<String>())?;
    let asked = items.iter().filter(|item| !item.followed).map(Item::name);
    root.file("etc/apk/world", lines(asked))?;
    root.file("etc/apk/arch", "x86_64\n")?;
    root.file(
        "etc/apk/repositories",
        "https://dl.saltmarsh.example/v5.0/main\n#https://dl.saltmarsh.example/v5.0/community\n@edge https://dl.saltmarsh.example/edge/testing\n",
    )?;
    for item in items.iter().filter(|item| item.is_service()) {
        let name = item.name();
        root.link(&format!("etc/runlevels/default/{name}"), &format!("/etc/init.d/{name}"))?;
    }
    Ok(())
}

/// The list of the repository: a packed archive with a description beside the records.
pub(super) fn lists(root: &Root<'_>, archive: &[Shipped<'_>]) -> Result<(), WorldError> {
    let fail = |source| WorldError::Io { path: "APKINDEX".into(), source };
    let records: String = Item::offered(archive).iter().map(record).collect();
    let mut list = tar::Builder::new(Vec::new());
    for (name, content) in [("DESCRIPTION", "main v5.0-42\n"), ("APKINDEX", records.as_str())] {
        let mut header = tar::Header::new_ustar();
        header.set_size(content.len() as u64);
        header.set_mode(0o644);
        list.append_data(&mut header, name, content.as_bytes()).map_err(fail)?;
    }
    let packed = gzip(&list.into_inner().map_err(fail)?).map_err(fail)?;
    root.file("var/cache/apk/APKINDEX.5a17ed00.tar.gz", packed)
}

fn script(package: &Shipped<'_>) -> Option<(String, String)> {
    let Shipped { name, summary, .. } = package;
    let script = format!("#!/sbin/openrc-run\ndescription=\"{summary}\"\ncommand=\"/usr/sbin/{name}\"\n");
    Some((format!("etc/init.d/{name}"), script))
}

fn record(item: &Item<'_>) -> String {
    let relation = |need: &Need| match &need.sign {
        Some((sign, version)) => format!("{}{sign}{version}", need.name),
        None => need.name.clone(),
    };
    let all = |needs: &[Need]| needs.iter().map(relation).collect::<Vec<_>>().join(" ");
    let Item { upstream, revision, .. } = item;
    let mut record = format!(
        "C:Q1AAAA=\nP:{}\nV:{upstream}-r{revision}\nA:{}\nS:{}\nI:{}\nT:{}\nU:https://saltmarsh.example/\nL:MIT\no:{}\nm:Saltmarsh Makers <makers@saltmarsh.example>\nt:{}\n",
        item.name(),
        item.arch("noarch"),
        item.shipped.kib * 300,
        item.bytes(),
        item.shipped.summary,
        item.source(),
        item.shipped.built,
    );
    for (key, needs) in [('D', &item.needs), ('p', &item.provides), ('r', &item.replaces)] {
        if !needs.is_empty() {
            _ = writeln!(record, "{key}:{}", all(needs));
        }
    }
    for (folder, names) in item.folders() {
        _ = writeln!(record, "F:{folder}");
        names.iter().for_each(|name| _ = writeln!(record, "R:{name}\na:0:0:644\nZ:Q1AAAA="));
    }
    record.push('\n');
    record
}
