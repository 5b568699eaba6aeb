//! What the lists of pacman offer: a packed archive of `NAME-VERSION/desc`, and `depends` beside it in old ones.

use super::desc::{Record, text_of};
use super::described;
use crate::packages::offers::{LINES, ListRead};
use crate::text::name_text;
use std::io::Read;
use tally_core::model::{Package, System, Text};
use tally_core::offer::Offered;
use tally_core::systems::upstream;
use tally_trees::unpack_file;

/// Bytes that a list may have once it is unpacked, and one record in it.
const LIST_LIMIT: u64 = 1 << 30;
const RECORD_LIMIT: u64 = 1 << 20;

/// Reads a list, packed or not.
pub(crate) fn list_of(bytes: Vec<u8>) -> std::io::Result<ListRead> {
    let bytes = unpack_file(bytes, LIST_LIMIT)?;
    let mut archive = tar::Archive::new(&bytes[..]);
    let mut read = ListRead::of(&LINES);
    let mut last: Option<(std::path::PathBuf, Offered, Vec<Text>)> = None;
    for entry in archive.entries()? {
        let entry = entry?;
        let path = entry.path()?.into_owned();
        let is_record =
            path.file_name().map(name_text).is_some_and(|name| name == "desc" || name == "depends");
        let Some(folder) = path.parent().filter(|_| is_record).map(std::path::Path::to_path_buf) else {
            continue;
        };
        let mut record = Vec::new();
        entry.take(RECORD_LIMIT).read_to_end(&mut record)?;
        if last.as_ref().is_none_or(|(known, ..)| *known != folder) {
            push(&mut read, last.take());
        }
        let (_, offered, groups) = last
            .get_or_insert_with(|| (folder, Offered::of(Package::new(System::Pacman, "", "")), Vec::new()));
        describe(&record, offered, groups);
    }
    push(&mut read, last);
    Ok(read)
}

fn push(read: &mut ListRead, last: Option<(std::path::PathBuf, Offered, Vec<Text>)>) {
    let Some((_, mut offered, groups)) = last else { return };
    let package = &mut offered.package;
    package.upstream_version = upstream(System::Pacman, &package.version).into();
    let Package { source, name, .. } = package;
    source.take_if(|base| base == name);
    read.push(&offered);
    read.groups.extend(groups.into_iter().map(|group| (group, offered.package.name.clone())));
}

fn describe(bytes: &[u8], offered: &mut Offered, groups: &mut Vec<Text>) {
    let text = text_of(bytes);
    let mut record = Record::of(&text);
    while let Some((key, _)) = record.next_key() {
        match key {
            "CSIZE" => offered.package.download_bytes = record.number(),
            "ISIZE" => offered.package.installed_bytes = record.number(),
            "GROUPS" => {
                groups.extend(record.values().map(Text::from));
                offered.package.section = groups.first().cloned().unwrap_or_default();
            }
            _ => described(key, &mut record, &mut offered.package),
        }
    }
}
