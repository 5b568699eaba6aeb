//! Fonts by family, as the name table of a font says (OpenType 1.9, `name`); by folder where a file says nothing.

use super::{ends_in, look};
use crate::text::name_text;
use rustc_hash::FxHashMap;
use std::collections::BTreeMap;
use std::path::Path;
use tally_core::model::{Look, Text};
use tally_trees::{NodeKind, ReadAt, Tree};
use ttf_parser::name::{Name, Table, name_id};

const FONTS: &[&str] =
    &["ttf", "otf", "ttc", "otc", "pfa", "pfb", "t1", "otb", "bdf", "pcf", "woff", "woff2"];
/// Folders of fonts.
const FOLDERS: &[&str] = &[
    "usr/share/fonts",
    "usr/local/share/fonts",
    "nix/var/nix/profiles/system/sw/share/X11/fonts",
    "nix/var/nix/profiles/system/sw/share/fonts",
    "var/guix/profiles/system/profile/share/fonts",
];
/// How deep they may nest.
const DEPTH: usize = 5;
/// Bytes at the start of a font, in which its list of tables is.
const HEAD: usize = 4096;
/// The largest table of names that is read.
const NAMES: u32 = 256 << 10;
/// Fonts of a collection that are looked at.
const COLLECTION: u32 = 64;

/// All families, by name, with the number of their files.
pub(super) fn read(tree: &dyn Tree) -> Vec<Look> {
    let mut families: BTreeMap<Text, (u32, String)> = BTreeMap::new();
    for top in FOLDERS {
        // Styles of a family lie beside each other: one of them is asked (`Reed-Bold.ttf`, `Reed-Regular.ttf`).
        let mut asked: FxHashMap<String, Vec<Text>> = FxHashMap::default();
        for (path, kind) in tree.files_below(top, DEPTH) {
            let font = path.file_name().is_some_and(|name| ends_in(name, FONTS));
            if kind != NodeKind::File || !font {
                continue;
            }
            let file = path.to_string_lossy().into_owned();
            let style = path.file_stem().map(name_text).unwrap_or_default();
            let family = style.split('-').next().unwrap_or(&style);
            let near = format!("{}/{family}", path.parent().unwrap_or(Path::new("")).display());
            let names = asked.entry(near).or_insert_with(|| families_of(tree, &path));
            let by_folder = || folder_name(top, &path).into_iter().collect();
            let names = if names.is_empty() { by_folder() } else { names.clone() };
            for name in names {
                let entry = families.entry(name).or_insert_with(|| (0, file.clone()));
                entry.0 = entry.0.saturating_add(1);
            }
        }
    }
    families.into_iter().map(|(name, (count, file))| look(name, Some(count), &file)).collect()
}

/// The folder that a font is in: `usr/share/fonts/truetype/dejavu` is `dejavu`, and so is `usr/share/fonts/dejavu`.
fn folder_name(top: &str, path: &Path) -> Option<Text> {
    let below = path.parent()?.strip_prefix(top).ok()?;
    let mut parts = below.components();
    let (first, second) = (parts.next()?, parts.next());
    // Bitmap fonts of the X server lie by their resolutions, which say nothing.
    if first.as_os_str() == "X11" && second.is_none_or(|one| one.as_os_str() != "Type1") {
        return Some("X11".into());
    }
    Some(name_text(second.unwrap_or(first).as_os_str()))
}

/// The families of a file: one, or those of a collection. None where it is no such font.
fn families_of(tree: &dyn Tree, path: &Path) -> Vec<Text> {
    let Ok(file) = tree.open(path) else { return Vec::new() };
    let mut head = vec![0; HEAD];
    let Ok(read) = file.read_at(0, &mut head) else { return Vec::new() };
    head.truncate(read);
    let number = |at: usize| {
        head.get(at..at + 4).map(|bytes| u32::from_be_bytes([bytes[0], bytes[1], bytes[2], bytes[3]]))
    };
    let starts: Vec<u32> = if head.starts_with(b"ttcf") {
        (0..number(8).unwrap_or(0).min(COLLECTION))
            .filter_map(|font| number(12 + 4 * font as usize))
            .collect()
    } else {
        vec![0]
    };
    let mut families: Vec<Text> = starts.iter().filter_map(|start| family(file.as_ref(), *start)).collect();
    families.sort_unstable();
    families.dedup();
    families
}

/// The family of the font that begins at an offset.
fn family(file: &dyn ReadAt, start: u32) -> Option<Text> {
    let start = u64::from(start);
    let head = file.exactly(start, 12).ok()?;
    let known = [&[0, 1, 0, 0][..], b"OTTO", b"true"];
    if !known.contains(&head.get(..4)?) {
        return None;
    }
    let tables = usize::from(u16::from_be_bytes([head[4], head[5]]));
    let records = file.exactly(start + 12, tables.min(64) * 16).ok()?;
    let record = records.chunks_exact(16).find(|record| record.starts_with(b"name"))?;
    let number = |at: usize| u32::from_be_bytes([record[at], record[at + 1], record[at + 2], record[at + 3]]);
    let length = number(12).min(NAMES);
    let bytes = file.exactly(u64::from(number(8)), usize::try_from(length).ok()?).ok()?;
    let names: Vec<Name<'_>> = Table::parse(&bytes)?.names.into_iter().collect();
    // The family of all its styles, else the one that old programs know; English before other languages.
    [name_id::TYPOGRAPHIC_FAMILY, name_id::FAMILY].iter().find_map(|id| {
        let of = |english: bool| {
            let mut fitting =
                names.iter().filter(|name| name.name_id == *id && (!english || is_english(name)));
            fitting.find_map(text_of)
        };
        of(true).or_else(|| of(false))
    })
}

fn is_english(name: &Name<'_>) -> bool {
    name.language_id == 0x409 || name.language_id == 0
}

/// The text of a name: UTF-16, or the first half of Mac Roman, which is ASCII.
fn text_of(name: &Name<'_>) -> Option<Text> {
    let unicode = name.to_string();
    let plain = || std::str::from_utf8(name.name).ok().filter(|text| text.is_ascii()).map(ToOwned::to_owned);
    let text = unicode.or_else(plain)?;
    let text = text.trim_matches(|c: char| c.is_control() || c.is_whitespace());
    (!text.is_empty()).then(|| text.into())
}
