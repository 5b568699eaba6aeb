//! Lists that a reviewer hands over: told by their content, whatever their names.

use super::{ListRead, add, kept, programs};
use crate::packages::{apk, dpkg, eopkg, freebsd_pkg, pacman, rpm, slackware, xbps};
use std::collections::BTreeMap;
use std::io::Read;
use tally_core::model::{System, Text, Unread};
use tally_core::offer::{Catalog, PackageList, Program};
use tally_trees::{LIMITS, MemoryTree, unpack_file, unpacking};

/// What lists that were handed over hold.
#[derive(Debug, Default)]
pub struct FromFiles {
    /// A catalogue for each package system that has any.
    pub catalogs: Vec<Catalog>,
    /// Programs that catalogues among them describe.
    pub programs: Vec<Program>,
    /// Files that are no lists, or can't be read.
    pub unread: Vec<Unread>,
}

/// What a file is, by its first bytes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Sort {
    Stanzas,
    Release,
    Primary,
    Repomd,
    Comps,
    Errata,
    Eopkg,
    Tar,
    Slackware,
    Sqlite,
    Kept,
    Components,
    Dep11,
}

/// Bytes by which a file is told.
const HEAD: u64 = 64 << 10;

fn sort_of(bytes: &[u8]) -> Option<Sort> {
    let mut head = Vec::new();
    unpacking(bytes, HEAD.saturating_mul(2)).ok()?.take(HEAD).read_to_end(&mut head).ok()?;
    let has = |part: &str| memchr::memmem::find(&head, part.as_bytes()).is_some();
    let begins = |part: &str| head.trim_ascii_start().starts_with(part.as_bytes());
    Some(if begins(kept::MAGIC) {
        Sort::Kept
    } else if begins("SQLite") {
        Sort::Sqlite
    } else if head.get(257..262) == Some(b"ustar") {
        Sort::Tar
    } else if begins("<") {
        match () {
            () if has("<metadata") => Sort::Primary,
            () if has("<repomd") => Sort::Repomd,
            () if has("<comps") => Sort::Comps,
            () if has("<updates") => Sort::Errata,
            () if has("<PISI") => Sort::Eopkg,
            () if has("<components") => Sort::Components,
            () => return None,
        }
    } else if has("File: DEP-11") {
        Sort::Dep11
    } else if has("PACKAGE NAME:") {
        Sort::Slackware
    } else if (begins("Package:") || has("\nPackage:")) && has("\nVersion:") {
        Sort::Stanzas
    } else if (has("Suite:") || has("Codename:")) && has("Date:") {
        Sort::Release
    } else {
        return None;
    })
}

/// Reads files by name and content, in the order that they were given; `arch` is the machine of the install.
pub fn from_files(files: Vec<(String, Vec<u8>)>, arch: &str) -> FromFiles {
    let mut found = FromFiles::default();
    let mut catalogs: BTreeMap<System, Catalog> = BTreeMap::new();
    let mut releases: Vec<(String, Vec<u8>)> = Vec::new();
    let mut dates: Vec<(String, i64)> = Vec::new();
    let mut groups: Vec<(Text, Text)> = Vec::new();
    let mut fixes: Vec<(Text, Text)> = Vec::new();
    for (name, bytes) in files {
        let read = match sort_of(&bytes) {
            None => Err("is no list of packages in any format that is known".to_owned()),
            Some(Sort::Release) => {
                releases.push((name, bytes));
                continue;
            }
            Some(Sort::Repomd) => {
                dates.extend(rpm::revision(&bytes).map(|date| (folder_of(&name).to_owned(), date)));
                continue;
            }
            Some(Sort::Comps) => {
                groups.extend(rpm::groups_of_list(bytes));
                continue;
            }
            Some(Sort::Dep11) => match unpack_file(bytes, LIMITS.file_bytes) {
                Ok(bytes) => {
                    programs::yaml(&bytes, System::Dpkg, &mut found.programs);
                    continue;
                }
                Err(error) => Err(error.to_string()),
            },
            Some(Sort::Components) => {
                // What names a package belongs to the system whose lists are beside it.
                let native = catalogs.keys().next().copied().unwrap_or(System::Dpkg);
                match programs::xml(bytes.as_slice(), native, &repository_of(&name), &mut found.programs) {
                    Ok(()) => continue,
                    Err(why) => Err(why),
                }
            }
            Some(Sort::Errata) => {
                fixes.extend(rpm::fixes_of_list(bytes.as_slice()));
                continue;
            }
            Some(Sort::Kept) => match kept::kept(bytes) {
                Ok((kept, mut programs)) => {
                    found.programs.append(&mut programs);
                    catalogs.extend(kept.into_iter().map(|catalog| (catalog.system, catalog)));
                    continue;
                }
                Err(why) => Err(why),
            },
            Some(sort) => read_as(sort, bytes),
        };
        match read {
            Ok((system, read)) => {
                let catalog = catalogs.entry(system).or_insert_with(|| Catalog::new(system, arch));
                let order = i32::try_from(catalog.lists.len()).unwrap_or(i32::MAX);
                let list = PackageList {
                    repository: repository_of(&name),
                    file: name.into(),
                    // Where order decides, the first that was given counts most.
                    priority: if system == System::Dpkg { 500 } else { order.saturating_neg() },
                    ..PackageList::default()
                };
                add(catalog, list, read);
            }
            Err(why) => found.unread.push(Unread::whole(name, why)),
        }
    }
    for catalog in catalogs.values_mut() {
        for list in &mut catalog.lists {
            let release = releases
                .iter()
                .filter(|(name, _)| is_beside(name, &list.file))
                .max_by_key(|(name, _)| name.len());
            if let Some((_, bytes)) = release {
                dpkg::read_release(bytes, list);
                let name = if list.suite.is_empty() { &list.codename } else { &list.suite };
                if !name.is_empty() {
                    list.repository = name.clone();
                }
            }
            if catalog.system == System::Rpm {
                let date = dates.iter().find(|(folder, _)| folder == folder_of(&list.file));
                list.date = date.and_then(|(_, date)| crate::text::time_text(*date));
                // No order was configured for these: the newest version counts.
                list.priority = 0;
            }
        }
        if catalog.system == System::Rpm {
            catalog.fixes.extend(fixes.drain(..));
            for (group, package) in groups.drain(..) {
                catalog.groups.entry(group).or_default().push(package);
            }
        }
    }
    found.catalogs = catalogs.into_values().collect();
    found
}

fn folder_of(name: &str) -> &str {
    name.rsplit_once('/').map_or("", |(folder, _)| folder)
}

/// Whether a release file is about a list: named like it as apt names them, or in a folder above it.
fn is_beside(release: &str, list: &str) -> bool {
    let stem = ["InRelease", "Release"].iter().find_map(|end| release.strip_suffix(end)).unwrap_or(release);
    list.starts_with(stem)
}

/// A name for the repository of a list, where nothing says it: its file without what such files are called anyway.
fn repository_of(file: &str) -> Text {
    let name = file.rsplit('/').next().unwrap_or(file);
    let plain = name.split_once("_dists_").map_or(name, |(_, rest)| rest);
    let end = plain.find(".db").or_else(|| plain.find(".xml")).or_else(|| plain.find(".tar"));
    let plain = &plain[..end.unwrap_or(plain.len())];
    let plain = plain.split("_binary-").next().unwrap_or(plain);
    plain.replace('_', " ").into()
}

fn read_as(sort: Sort, bytes: Vec<u8>) -> Result<(System, Vec<ListRead>), String> {
    let unpacked = |bytes: Vec<u8>| unpack_file(bytes, LIMITS.file_bytes).map_err(|error| error.to_string());
    let one = |system: System, read: ListRead| (system, vec![read]);
    Ok(match sort {
        Sort::Stanzas => (System::Dpkg, dpkg::stanzas_of_list(unpacked(bytes)?)),
        Sort::Primary => one(System::Rpm, rpm::read_list(bytes.as_slice())?),
        Sort::Eopkg => one(System::Eopkg, eopkg::read_list(bytes.as_slice())?),
        Sort::Slackware => one(System::Slackware, slackware::list_of(&unpacked(bytes)?)),
        Sort::Sqlite => {
            let tree = MemoryTree::new().file("db", unpacked(bytes)?);
            one(System::FreebsdPkg, freebsd_pkg::list_of(&tree, "db")?)
        }
        Sort::Tar => archive(bytes)?,
        Sort::Release
        | Sort::Repomd
        | Sort::Comps
        | Sort::Errata
        | Sort::Kept
        | Sort::Components
        | Sort::Dep11 => {
            return Err("is read elsewhere".to_owned());
        }
    })
}

/// An archive: whose it is, is told by the name of its first files.
fn archive(bytes: Vec<u8>) -> Result<(System, Vec<ListRead>), String> {
    let why = |error: std::io::Error| error.to_string();
    let system = {
        let mut archive = tar::Archive::new(unpacking(bytes.as_slice(), LIMITS.unpacked_bytes).map_err(why)?);
        archive.set_ignore_zeros(true);
        let mut system = None;
        for entry in archive.entries().map_err(why)?.take(4) {
            let name = entry.map_err(why)?.path().map_err(why)?.to_string_lossy().into_owned();
            system = match name.as_str() {
                "index.plist" => Some(System::Xbps),
                "APKINDEX" | "DESCRIPTION" => Some(System::Apk),
                name if name.ends_with("/desc") => Some(System::Pacman),
                _ => continue,
            };
            break;
        }
        system
    };
    match system {
        Some(System::Xbps) => Ok((System::Xbps, vec![xbps::list_of(&bytes).map_err(why)?])),
        Some(System::Apk) => Ok((System::Apk, vec![apk::list_of(&bytes).map_err(why)?.0])),
        Some(System::Pacman) => Ok((System::Pacman, vec![pacman::list_of(bytes).map_err(why)?])),
        _ => Err("is an archive without a list of packages".to_owned()),
    }
}
