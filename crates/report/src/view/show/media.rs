//! What can be opened and played, and what that rests on.

use crate::document::{Block, Cell, Column, Document, Role, Span, Table};
use crate::view::dim;
use crate::wire::CsvTable;
use crate::words;
use serde::Serialize;
use tally_core::knowledge::{MediaFamily, media};
use tally_core::model::{MediaAnswer, MediaVerdict, PackageRef, Tally};

pub(super) fn document(tally: &Tally) -> Document {
    let mut document = Document::default();
    document.title(tally.label.title(), words::seen(tally.label.seen_as()));
    if tally.media.is_empty() {
        document.paragraph("What can be opened and played is not recorded: the tally is older than that.");
        return document;
    }
    document.paragraph(summary(tally));
    for family in MediaFamily::ALL {
        let of_family: Vec<&MediaAnswer> = tally.media.iter().filter(|one| one.family == *family).collect();
        if !of_family.is_empty() {
            document.heading(words::media_family(*family));
            document.push(Block::Table(table(tally, *family, &of_family)));
        }
    }
    let unknown = |answer: &MediaAnswer| answer.verdict == MediaVerdict::Unknown;
    if tally.media.iter().any(|answer| unknown(answer) && answer.mime.is_some()) {
        document.paragraph(dim("? the app says that it opens it; what it is built on is not known."));
    }
    if tally.media.iter().any(|answer| unknown(answer) && answer.mime.is_none()) {
        document.paragraph(dim("? for a drive: no kernel is here that could be asked."));
    }
    document
}

fn summary(tally: &Tally) -> String {
    let of =
        |verdict: MediaVerdict| tally.media.iter().filter(move |one| one.verdict == verdict).count() as u64;
    let files = tally.media.iter().filter(|one| one.mime.is_some()).count() as u64;
    let open =
        tally.media.iter().filter(|one| one.mime.is_some() && one.verdict == MediaVerdict::Yes).count();
    let mut said = format!("{open} of {files} kinds of file open or play");
    if of(MediaVerdict::NoDecoder) > 0 {
        said.push_str(&format!("; {} open in an app that can't decode them", of(MediaVerdict::NoDecoder)));
    }
    said
}

fn table(tally: &Tally, family: MediaFamily, list: &[&MediaAnswer]) -> Table {
    let devices = family == MediaFamily::Devices;
    let mut columns = vec![Column::new(if devices { "device" } else { "file" }).name(), Column::new("works")];
    if !devices {
        columns.push(Column::new("opens with").name());
    }
    columns.push(Column::new("by").name().drops(2));
    columns.push(Column::new("proven by").name().drops(1));
    let mut table = Table::new(columns);
    for answer in list {
        let (role, word) = words::media_verdict(answer.verdict);
        let mut row: Vec<Cell> = vec![media().label(&answer.key).into(), Span::new(role, word)];
        if !devices {
            row.push(
                answer.application.as_deref().map_or_else(|| dim("nothing"), |id| tally.holder(id).0.into()),
            );
        }
        row.push(by(answer));
        let files: Vec<&str> = answer.decoders.iter().map(|decoder| decoder.evidence.file.as_str()).collect();
        row.push(dim(files.last().copied().unwrap_or_default()));
        table.row(row);
    }
    table.without_empty_columns();
    table
}

/// The framework with the packages that decode, or what is missing and what would bring it.
fn by(answer: &MediaAnswer) -> Cell {
    if answer.verdict == MediaVerdict::NoDecoder
        || answer.verdict == MediaVerdict::No && !answer.would_help.is_empty()
    {
        let framework = answer.framework.as_deref().map(|name| format!("{name}: ")).unwrap_or_default();
        let missing = if answer.mime.is_some() {
            format!("no {}", words::listed(&answer.missing, 3))
        } else {
            String::new()
        };
        let offered = match &answer.would_help[..] {
            [] => String::new(),
            some => format!("on offer: {}", words::listed(some, 3)),
        };
        let parts: Vec<String> = [missing, offered].into_iter().filter(|part| !part.is_empty()).collect();
        return Span::new(Role::LookTwice, format!("{framework}{}", parts.join("; ")));
    }
    if answer.verdict == MediaVerdict::No && answer.application.is_some() {
        return dim("opens it as an archive only");
    }
    let mut packages: Vec<&str> =
        answer.decoders.iter().filter_map(|decoder| Some(decoder.package.as_ref()?.name())).collect();
    packages.sort_unstable();
    packages.dedup();
    let packages = words::listed(&packages, 3);
    match &answer.framework {
        Some(framework) if packages.is_empty() => dim(framework.as_str()),
        Some(framework) => dim(format!("{framework}: {packages}")),
        None => dim(packages),
    }
}

pub(super) fn csv(tally: &Tally) -> csv::Result<CsvTable> {
    #[derive(Serialize, Default)]
    struct Row<'a> {
        family: &'a str,
        key: &'a str,
        mime: Option<&'a str>,
        works: &'a str,
        application: Option<&'a str>,
        framework: Option<&'a str>,
        packages: String,
        missing: String,
        would_help: String,
        files: String,
    }
    CsvTable::of(tally.media.iter().map(|answer| {
        let decoders = || answer.decoders.iter();
        Row {
            family: answer.family.name(),
            key: &answer.key,
            mime: answer.mime.as_deref(),
            works: answer.verdict.name(),
            application: answer.application.as_deref(),
            framework: answer.framework.as_deref(),
            packages: decoders()
                .filter_map(|one| one.package.as_ref().map(PackageRef::name))
                .collect::<Vec<_>>()
                .join("; "),
            missing: answer.missing.join("; "),
            would_help: answer.would_help.join("; "),
            files: decoders().map(|one| one.evidence.place()).collect::<Vec<_>>().join("; "),
        }
    }))
}
