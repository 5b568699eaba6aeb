//! Pictures of an install: what they are for, what they measure, where they are from.

use crate::document::{Block, Cell, Column, Document, Role, Span, Table};
use crate::text::{bytes_human, count_of};
use crate::view::dim;
use crate::wire::CsvTable;
use crate::words;
use serde::Serialize;
use std::collections::BTreeSet;
use tally_core::model::{PackageRef, Picture, PictureKind, Tally};

pub(super) fn document(tally: &Tally) -> Document {
    let mut document = Document::default();
    document.title(tally.label.title(), words::seen(tally.label.seen_as()));
    if tally.pictures.is_empty() {
        document.paragraph("No pictures are recorded: `take --pictures` reads them.");
        return document;
    }
    document.paragraph(summary(tally));
    for kind in PictureKind::ALL {
        let of_kind: Vec<&Picture> = tally.pictures.iter().filter(|one| one.kind == *kind).collect();
        if !of_kind.is_empty() {
            document.heading(words::picture_kind(*kind));
            document.push(Block::Table(table(&of_kind)));
        }
    }
    document
}

/// `12 wallpapers of 3 packages, 96 MB; the default is dawn`.
pub(crate) fn summary(tally: &Tally) -> String {
    let wallpapers = || tally.pictures.iter().filter(|one| one.kind == PictureKind::Wallpaper);
    let bytes: u64 = wallpapers().map(|one| one.bytes).sum();
    let packages: BTreeSet<&PackageRef> = wallpapers().filter_map(|one| one.package.as_ref()).collect();
    let mut said = format!(
        "{} of {}, {}",
        count_of(wallpapers().count() as u64, "wallpaper"),
        count_of(packages.len() as u64, "package"),
        bytes_human(bytes)
    );
    if let Some(default) = wallpapers().find(|one| one.default) {
        said.push_str(&format!("; the default is {}", default.name));
    }
    said
}

fn table(list: &[&Picture]) -> Table {
    let mut table = Table::new(vec![
        Column::new("name").name(),
        Column::new("pixels").right(),
        Column::new("format").drops(2),
        Column::new("size").right().drops(3),
        Column::new("package").name(),
        Column::new("file").name().drops(1),
    ]);
    for picture in list {
        let name: Cell = if picture.default {
            Span::new(Role::Strong, format!("{} (default)", picture.name))
        } else {
            picture.name.as_str().into()
        };
        let pixels = match (picture.width, picture.height) {
            (Some(width), Some(height)) => format!("{width} × {height}"),
            _ => "not known".to_owned(),
        };
        let row: Vec<Cell> = vec![
            name,
            pixels.into(),
            words::picture_format(&picture.format).into(),
            bytes_human(picture.bytes).into(),
            dim(picture.package.as_ref().map_or("no package", PackageRef::name)),
            dim(picture.evidence.file.as_str()),
        ];
        table.row(row);
    }
    table
}

pub(super) fn csv(tally: &Tally) -> csv::Result<CsvTable> {
    #[derive(Serialize, Default)]
    struct Row<'a> {
        kind: &'a str,
        name: &'a str,
        default: bool,
        format: &'a str,
        width: Option<u32>,
        height: Option<u32>,
        bytes: u64,
        sha256: &'a str,
        likeness: Option<&'a str>,
        package: Option<&'a str>,
        file: &'a str,
    }
    CsvTable::of(tally.pictures.iter().map(|picture| Row {
        kind: picture.kind.name(),
        name: &picture.name,
        default: picture.default,
        format: &picture.format,
        width: picture.width,
        height: picture.height,
        bytes: picture.bytes,
        sha256: &picture.sha256,
        likeness: picture.likeness.as_deref(),
        package: picture.package.as_ref().map(PackageRef::as_str),
        file: &picture.evidence.file,
    }))
}
