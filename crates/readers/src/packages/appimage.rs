//! `AppImage` files: a program that carries its own file system. See `docs/formats/appimage.md`.

// Numbers of a database are a stranger's: each sum says what it does where it is too large.
#![cfg_attr(not(test), warn(clippy::arithmetic_side_effects))]

use super::{Embedded, Owners, PackageFacts, PackageReader, RepositoryFacts, WantedPaths};
use crate::keyfile::KeyFile;
use crate::text::{name_text, time_text};
use std::path::Path;
use std::sync::Arc;
use tally_core::knowledge::{Trait, Traits};
use tally_core::model::{Evidence, Label, Package, Reason, System, Text, Unread};
use tally_trees::{NodeKind, ReadAt, Squashfs, Tree, Window, shielded};

/// Folders in which every file is looked at, and how deep.
const FOLDERS: &[(&str, usize)] = &[
    ("opt", 2),
    ("Applications", 1),
    ("usr/local/bin", 0),
    ("usr/local/share/applications", 0),
    ("etc/skel", 2),
];

/// Folders of a home in which every file is looked at.
const HOME_FOLDERS: &[&str] = &["Applications", ".local/bin", "bin", "Desktop", "Downloads"];

/// Folders with many other programs, in which the name must tell.
const BY_NAME: &[&str] = &["usr/bin", "usr/games"];

const SMALL_FILE: u64 = 1 << 20;

/// The AppImage reader.
#[derive(Debug)]
pub struct Appimage;

impl PackageReader for Appimage {
    fn system(&self) -> System {
        System::Appimage
    }

    fn paths(&self) -> &'static [&'static str] {
        // Names are all that is asked of them elsewhere.
        &[]
    }

    fn page(&self) -> &'static str {
        "appimage"
    }

    fn detect(&self, tree: &dyn Tree) -> bool {
        files(tree).iter().any(|file| sort_of(tree, file).is_some())
    }

    fn read(&self, tree: &dyn Tree) -> PackageFacts {
        let mut facts = PackageFacts::default();
        for file in files(tree) {
            if let Some((image, sort)) = sort_of(tree, &file) {
                read_one(tree, &file, image, sort, &mut facts);
            }
        }
        facts
    }

    fn scan_file_lists(&self, _: &dyn Tree, packages: &[Package], _: &WantedPaths) -> Owners {
        let mut owners = Owners::default();
        for (at, _) in packages.iter().enumerate().filter(|(_, p)| p.system == System::Appimage) {
            owners.shows(at, Traits::default().with(Trait::Programs));
        }
        owners
    }

    /// There are none: each file came from wherever someone fetched it.
    fn repositories(&self, _: &dyn Tree, _: &[Package], _: &Label) -> RepositoryFacts {
        RepositoryFacts::default()
    }
}

/// Files that may be AppImages.
fn files(tree: &dyn Tree) -> Vec<String> {
    let mut found = Vec::new();
    for (folder, depth) in FOLDERS {
        collect(tree, folder, *depth, &|_| true, &mut found);
    }
    let named = |name: &str| name.to_ascii_lowercase().ends_with(".appimage");
    for folder in BY_NAME {
        collect(tree, folder, 0, &named, &mut found);
    }
    for home in tree.names("home").into_iter().filter(|entry| entry.kind == NodeKind::Folder) {
        let home = format!("home/{}", name_text(&home.name));
        collect(tree, &home, 0, &named, &mut found);
        for folder in HOME_FOLDERS {
            collect(tree, &format!("{home}/{folder}"), 0, &|_| true, &mut found);
        }
    }
    found
}

fn collect(
    tree: &dyn Tree,
    folder: &str,
    depth: usize,
    wanted: &dyn Fn(&str) -> bool,
    found: &mut Vec<String>,
) {
    for (path, kind) in tree.files_below(folder, depth) {
        if kind == NodeKind::File && path.file_name().is_some_and(|name| wanted(&name.to_string_lossy())) {
            match path.to_str() {
                Some(path) => found.push(path.to_owned()),
                None => tree.note(&path, "has a name that is not UTF-8"),
            }
        }
    }
}

/// The open file and its type, 1 or 2, if it is an ELF program marked as an AppImage.
fn sort_of(tree: &dyn Tree, file: &str) -> Option<(Box<dyn ReadAt>, u8)> {
    let image = tree.open(Path::new(file)).ok()?;
    let mut head = [0; 11];
    let read = image.read_at(0, &mut head).ok()?;
    let marked = read == head.len() && head.starts_with(b"\x7fELF") && &head[8..10] == b"AI";
    (marked && matches!(head[10], 1 | 2)).then_some((image, head[10]))
}

fn read_one(tree: &dyn Tree, file: &str, image: Box<dyn ReadAt>, sort: u8, facts: &mut PackageFacts) {
    let stem = file.rsplit('/').next().unwrap_or(file);
    let stem =
        stem.rsplit_once('.').filter(|(_, e)| e.eq_ignore_ascii_case("appimage")).map_or(stem, |(s, _)| s);
    let mut package = Package::new(System::Appimage, stem, "");
    package.installed_bytes = Some(image.len());
    package.installed_at = tree.node(Path::new(file), true).ok().and_then(|node| time_text(node.changed_at));
    package.evidence = Evidence::file(file);
    package.reason = Reason::Explicit;
    package.section = format!("type {sort}").into();
    match shielded(|| entry_of(image, sort)).flatten() {
        Ok((name, bytes)) => {
            let place = format!("{file}//{name}");
            let parsed = KeyFile::parse(&place, &bytes);
            let entry = parsed.group("Desktop Entry");
            let get = |key: &str| entry.and_then(|entry| entry.string(key));
            package.version = get("X-AppImage-Version").unwrap_or_default();
            package.summary = get("Comment").unwrap_or_default();
            package.arch = get("X-AppImage-Arch").unwrap_or_default();
            // The file's name has the version in it; the launcher's stays the same from release to release.
            package.name = name.strip_suffix(".desktop").unwrap_or(&name).into();
            facts.embedded.push(Embedded {
                id: name.as_str().into(),
                file: place,
                bytes,
                owner: package.name.clone(),
                system: System::Appimage,
            });
        }
        Err(why) => facts.unread.push(Unread::whole(file, why)),
    }
    package.upstream_version = package.version.clone();
    facts.packages.push(package);
}

/// The launcher at the top of the image: its name and content.
fn entry_of(image: Box<dyn ReadAt>, sort: u8) -> Result<(Text, Vec<u8>), String> {
    let inside = file_system(image, sort)?;
    let inside = inside.as_ref();
    let names = inside.list(Path::new("")).map_err(|error| error.why.to_string())?;
    let name = names
        .iter()
        .map(|entry| name_text(&entry.name))
        .find(|name| name.ends_with(".desktop"))
        .ok_or("has no launcher at its top")?;
    let mut bytes = Vec::new();
    inside
        .read_into(Path::new(name.as_str()), SMALL_FILE, &mut bytes)
        .map_err(|error| error.why.to_string())?;
    Ok((name, bytes))
}

/// What an AppImage carries: of type 1 it is an ISO 9660 image as a whole, whose first sectors are the program.
fn file_system(image: Box<dyn ReadAt>, sort: u8) -> Result<Box<dyn Tree>, String> {
    if sort == 1 {
        return tally_trees::iso(Arc::from(image)).map_err(|error| error.to_string());
    }
    let start = behind_the_program(&*image).ok_or("its program header is damaged")?;
    let image = Window::from(image, start).map_err(|_| "is cut off before its file system".to_owned())?;
    Ok(Box::new(Squashfs::open(Box::new(image)).map_err(|error| error.to_string())?))
}

/// Where an ELF file ends by its own account: behind the table of section headers.
fn behind_the_program(image: &dyn ReadAt) -> Option<u64> {
    let head = image.exactly(0, 64).ok()?;
    let little = head[5] == 1;
    let number = |at: usize, length: usize| -> u64 {
        let bytes = head.iter().skip(at).take(length);
        let add = |sum: u64, byte: &u8| sum << 8 | u64::from(*byte);
        if little { bytes.rev().fold(0, add) } else { bytes.fold(0, add) }
    };
    let (start, size, count) = match head[4] {
        1 => (number(32, 4), number(46, 2), number(48, 2)),
        2 => (number(40, 8), number(58, 2), number(60, 2)),
        _ => return None,
    };
    start.checked_add(size.checked_mul(count)?)
}

#[cfg(test)]
mod tests {
    use super::*;
    use tally_trees::MemoryTree;

    fn program(sort: u8, length: usize) -> Vec<u8> {
        let mut bytes = vec![0; length.max(64)];
        bytes[..11].copy_from_slice(&[0x7f, b'E', b'L', b'F', 2, 1, 1, 0, b'A', b'I', sort]);
        bytes[40] = 64;
        bytes.truncate(length);
        bytes
    }

    #[test]
    fn type_1_is_an_optical_image_that_begins_with_a_program() {
        let packed = include_bytes!("../../tests/fixtures/whimbrel.AppImage.zst").to_vec();
        let image = tally_trees::unpack_file(packed, 4 << 20).unwrap();
        let facts = Appimage.read(&MemoryTree::new().file("opt/Whimbrel-0.9.AppImage", image) as &dyn Tree);
        assert_eq!(facts.unread, []);
        let [package] = &facts.packages[..] else { panic!("{:?}", facts.packages) };
        let told = [&package.name, &package.version, &package.section, &package.summary];
        assert_eq!(told, ["whimbrel", "0.9", "type 1", "Draws tide tables"]);
        assert_eq!(facts.embedded[0].file, "opt/Whimbrel-0.9.AppImage//whimbrel.desktop");
    }

    #[test]
    fn what_has_no_readable_inside_is_counted_and_says_why() {
        let tree = MemoryTree::new()
            .file("opt/reed/Old-1.0.AppImage", program(1, 200))
            .file("opt/reed/Cut.AppImage", program(2, 70))
            .file("opt/reed/notes.txt", "no program")
            .file("usr/bin/Curlew.appimage", program(2, 40))
            .file("usr/bin/other", program(2, 400));
        let facts = Appimage.read(&tree as &dyn Tree);
        let names: Vec<&str> = facts.packages.iter().map(|package| &*package.name).collect();
        assert_eq!(names, ["Cut", "Old-1.0", "Curlew"], "in usr/bin only the name tells");
        let whys: Vec<&str> = facts.unread.iter().map(|unread| &*unread.why).collect();
        assert_eq!(
            whys,
            [
                "damaged SquashFS: it is shorter than its first block",
                "damaged ISO 9660: its descriptors are cut off",
                "its program header is damaged"
            ]
        );
    }
}
