//! What query commands print as a record of lines for each package: `dpkg -s`, `pacman -Qi`, `rpm -qai`.
//!
//! They tell nearly as much as the databases they come from; `dpkg -s` prints what is in one.

use super::{FILE, Listing};
use crate::packages::PackageFacts;
use crate::packages::{dpkg, pacman, rpm};
use crate::text::{filled, lines, text};
use smallvec::smallvec;
use tally_core::model::{Dependency, MissingFact, Package, Reason, System, Text, Unread};
use tally_core::systems::upstream;

/// Whether a list may be one of records, by how it begins.
pub(super) fn begins(begin: &[u8]) -> bool {
    let first = begin.split(|byte| *byte == b'\n').next().unwrap_or_default();
    begin.starts_with(b"Package:") || (first.starts_with(b"Name ") && first.contains(&b':'))
}

/// Reads records, if that is what they are.
pub(super) fn read(bytes: &[u8]) -> Option<Listing> {
    let begin = bytes.trim_ascii_start();
    if begin.starts_with(b"Package:") {
        return of_dpkg(bytes);
    }
    // The first label is as wide as all of them.
    let first = begin.split(|byte| *byte == b'\n').next().unwrap_or_default();
    let width = first.starts_with(b"Name ").then(|| memchr::memchr(b':', first)).flatten()?;
    let records = records(bytes, width);
    let asks = |label| records.first().is_some_and(|record| record.has(label));
    if asks("Install Reason") {
        Some(listing("pacman -Qi", &[], &records, of_pacman))
    } else if asks("Release") {
        Some(listing("rpm -qai", &[MissingFact::Reasons, MissingFact::Dependencies], &records, of_rpm))
    } else {
        None
    }
}

/// The status file of dpkg, or what `dpkg -s` prints of it. The lists of repositories have stanzas too, but no states.
fn of_dpkg(bytes: &[u8]) -> Option<Listing> {
    let first = dpkg::stanzas(bytes, 1).next()?;
    if !first.fields().any(|field| field.name == Some(b"Status")) {
        return None;
    }
    let mut facts = PackageFacts::default();
    dpkg::read_status(FILE, bytes, &mut facts);
    Some(Listing {
        format: "dpkg -s".into(),
        packages: facts.packages,
        unread: facts.unread,
        missing: [&super::NEVER_TOLD[..], &[MissingFact::Reasons]].concat(),
        ..Listing::default()
    })
}

/// The lines of one package.
struct Record {
    line: u32,
    fields: Vec<Field>,
}

/// A label, and its value: a line and those that continue it.
struct Field {
    label: Text,
    lines: Vec<Text>,
}

impl Record {
    fn has(&self, label: &str) -> bool {
        self.fields.iter().any(|field| field.label == label)
    }

    fn lines(&self, label: &str) -> &[Text] {
        let field = self.fields.iter().find(|field| field.label == label);
        field.map_or(&[], |field| match &field.lines[..] {
            [none] if matches!(none.as_str(), "None" | "(none)") => &[],
            lines => lines,
        })
    }

    fn value(&self, label: &str) -> Text {
        self.lines(label).first().cloned().unwrap_or_default()
    }

    /// Words of all lines.
    fn words(&self, label: &str) -> impl Iterator<Item = &str> {
        self.lines(label).iter().flat_map(|line| line.split_whitespace())
    }
}

/// Cuts records whose labels end at a column; each begins with a name.
fn records(bytes: &[u8], width: usize) -> Vec<Record> {
    let mut records: Vec<Record> = Vec::new();
    for (number, line) in lines(bytes) {
        let field = (line.get(width) == Some(&b':') && line.first().is_some_and(u8::is_ascii_alphabetic))
            .then(|| Field { label: text(&line[..width]), lines: vec![text(&line[width + 1..])] });
        match (field, records.last_mut()) {
            (Some(field), _) if field.label == "Name" => {
                records.push(Record { line: number, fields: vec![field] });
            }
            (Some(field), Some(record)) => record.fields.push(field),
            (None, Some(Record { fields, .. })) => {
                if let Some(last) = fields.last_mut() {
                    last.lines.extend(filled(text(line)));
                }
            }
            (_, None) => {}
        }
    }
    records
}

/// A package for each record; those without a name and a version are named.
fn listing(
    command: &str,
    missing: &[MissingFact],
    records: &[Record],
    package: fn(&Record) -> Option<Package>,
) -> Listing {
    let mut listing = Listing {
        format: command.into(),
        missing: [&super::NEVER_TOLD[..], missing].concat(),
        ..Listing::default()
    };
    for record in records {
        match package(record) {
            Some(mut package) if !package.name.is_empty() && !package.version.is_empty() => {
                package.upstream_version = upstream(package.system, &package.version).into();
                package.arch = record.value("Architecture");
                package.homepage = record.value("URL");
                package.evidence.file = FILE.into();
                package.evidence.line = Some(record.line);
                listing.packages.push(package);
            }
            Some(_) => {
                listing.unread.push(Unread::at(FILE, record.line, "has no name and version"));
            }
            None => {}
        }
    }
    listing
}

fn of_pacman(record: &Record) -> Option<Package> {
    let relations = |label| -> Vec<Dependency> { record.words(label).filter_map(pacman::relation).collect() };
    let mut package = Package::new(System::Pacman, record.value("Name"), record.value("Version"));
    package.summary = record.value("Description");
    package.license = filled(record.words("Licenses").collect::<Vec<_>>().join(" AND ").into());
    package.section = record.words("Groups").next().unwrap_or_default().into();
    package.installed_bytes = bytes_of(&record.value("Installed Size"));
    package.reason = match record.value("Install Reason").as_str() {
        "Explicitly installed" => Reason::Explicit,
        "Installed as a dependency for another package" => Reason::Dependency,
        _ => Reason::Unknown,
    };
    package.depends = relations("Depends On").into_iter().map(|one| smallvec![one]).collect();
    let optional = record.lines("Optional Deps").iter().filter_map(|line| pacman::relation(line));
    package.suggests = optional.map(|one| smallvec![one]).collect();
    package.provides = relations("Provides");
    package.replaces = relations("Replaces");
    package.conflicts = relations("Conflicts With");
    Some(package)
}

/// `6.87 MiB`: bytes, as exact as that is.
fn bytes_of(size: &str) -> Option<u64> {
    let (number, unit) = size.split_once(' ')?;
    let power = ["B", "KiB", "MiB", "GiB", "TiB"].iter().position(|known| *known == unit)?;
    let bytes = number.parse::<f64>().ok()? * 1024_f64.powi(i32::try_from(power).ok()?);
    #[allow(
        clippy::cast_possible_truncation,
        clippy::cast_sign_loss,
        reason = "it is checked, and saturates"
    )]
    (bytes >= 0.0 && bytes.is_finite()).then(|| bytes.round() as u64)
}

/// Keys of signatures are kept among the packages, and are none.
fn of_rpm(record: &Record) -> Option<Package> {
    let name = record.value("Name");
    if name == "gpg-pubkey" {
        return None;
    }
    let parts = [record.value("Version"), record.value("Release")];
    let version =
        parts.iter().filter(|part| !part.is_empty()).map(Text::as_str).collect::<Vec<_>>().join("-");
    let epoch = record.value("Epoch");
    let version = if epoch.is_empty() { version } else { format!("{epoch}:{version}") };
    let mut package = Package::new(System::Rpm, name, version);
    package.summary = record.value("Summary");
    package.license = filled(record.value("License"));
    package.section =
        filled(record.value("Group")).filter(|group| group != "Unspecified").unwrap_or_default();
    package.installed_bytes = record.value("Size").parse().ok();
    package.source = rpm::source_name(&record.value("Source RPM")).filter(|source| *source != package.name);
    Some(package)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use tally_core::model::VersionOp;

    const PACMAN: &str = "\
Name            : inkcap
Version         : 1:3.2-1
Description     : A text editor: for ink
Architecture    : x86_64
URL             : https://inkcap.example
Licenses        : GPL-3.0-or-later  MIT
Groups          : None
Provides        : None
Depends On      : libweir>=4.0  sh
                  reed
Optional Deps   : frogleap: to play
                  booming: to boom [installed]
Conflicts With  : None
Installed Size  : 6.50 MiB
Install Reason  : Explicitly installed

Name            : libweir
Version         : 4.0-2
Provides        : libweir.so=4-64
Optional Deps   : None
Installed Size  : 512.00 B
Install Reason  : Installed as a dependency for another package

Name            : torn
Install Reason  : None
";

    const RPM: &str = "\
Name        : inkcap
Epoch       : 2
Version     : 3.2
Release     : 1.fc40
Architecture: x86_64
Install Date: Mon 04 May 2026 09:46:40 AM UTC
Group       : Unspecified
Size        : 4096
License     : GPLv3+
Source RPM  : marsh-tools-3.2-1.fc40.src.rpm
URL         : https://inkcap.example
Summary     : A text editor
Description :
Release notes: none.

Name Version and more.
Name        : gpg-pubkey
Version     : 1
Release     : 2
Name        : weir
Version     : 4.0
Release     : 2
Source RPM  : weir-4.0-2.src.rpm
Size        : many
";

    #[test]
    fn pacman_tells_reasons_needs_and_sizes() {
        let listing = read(PACMAN.as_bytes()).unwrap();
        assert_eq!((&*listing.format, listing.missing.len()), ("pacman -Qi", super::super::NEVER_TOLD.len()));
        let [inkcap, libweir] = &listing.packages[..] else { panic!("{:?}", listing.packages) };
        assert_eq!((&*inkcap.version, &*inkcap.upstream_version), ("1:3.2-1", "3.2"));
        assert_eq!(inkcap.summary, "A text editor: for ink", "only the first colon ends a label");
        assert_eq!(inkcap.license.as_deref(), Some("GPL-3.0-or-later AND MIT"));
        let needs: Vec<(&str, Option<VersionOp>)> =
            inkcap.depends.iter().map(|one| (&*one[0].name, one[0].op)).collect();
        assert_eq!(needs, [("libweir", Some(VersionOp::AtLeast)), ("sh", None), ("reed", None)]);
        let useful: Vec<&str> = inkcap.suggests.iter().map(|one| &*one[0].name).collect();
        assert_eq!(useful, ["frogleap", "booming"], "one in each line");
        assert_eq!((inkcap.installed_bytes, libweir.installed_bytes), (Some(6_815_744), Some(512)));
        assert_eq!((inkcap.reason, libweir.reason), (Reason::Explicit, Reason::Dependency));
        assert_eq!(libweir.provides[0].name, "libweir.so");
        assert_eq!((inkcap.evidence.line, libweir.evidence.line), (Some(1), Some(17)));
        assert!(libweir.suggests.is_empty() && inkcap.section.is_empty(), "`None` is nothing");
        assert_eq!(listing.unread, [Unread::at(FILE, 24, "has no name and version")]);
    }

    #[test]
    fn rpm_tells_epochs_sources_and_sizes() {
        let listing = read(RPM.as_bytes()).unwrap();
        assert_eq!(listing.format, "rpm -qai");
        assert!(listing.missing.contains(&MissingFact::Reasons));
        assert!(!listing.missing.contains(&MissingFact::Sizes));
        let told: Vec<_> = listing
            .packages
            .iter()
            .map(|p| (&*p.name, &*p.version, p.source.as_deref(), p.installed_bytes, p.evidence.line))
            .collect();
        assert_eq!(
            told,
            [
                ("inkcap", "2:3.2-1.fc40", Some("marsh-tools"), Some(4096), Some(1)),
                ("weir", "4.0-2", None, None, Some(20)),
            ]
        );
    }

    #[test]
    fn a_status_file_is_a_list_and_a_list_of_a_repository_is_none() {
        let status = "Package: inkcap\nStatus: install ok installed\nVersion: 3.2-1\nInstalled-Size: 4\nDepends: libweir\n\nPackage: old\nStatus: deinstall ok config-files\nVersion: 1\n";
        let listing = read(status.as_bytes()).unwrap();
        assert_eq!((&*listing.format, listing.packages.len()), ("dpkg -s", 2));
        assert_eq!(listing.packages[0].installed_bytes, Some(4096));
        assert!(!listing.missing.contains(&MissingFact::Dependencies));
        assert!(read(b"Package: inkcap\nVersion: 3.2-1\nFilename: pool/i.deb\n").is_none());
        assert!(read(b"Name: inkcap\nVersion: 3.2-1\n").is_none(), "a record of something else");
    }

    proptest! {
        #[test]
        fn records_that_are_cut_keep_what_was_whole(cut in 0_usize..1000) {
            for (whole, first_ends) in [(PACMAN, 550), (RPM, 90)] {
                let cut = &whole[..cut.min(whole.len())];
                let found = read(cut.as_bytes()).map_or(0, |listing| listing.packages.len());
                prop_assert!(found >= usize::from(cut.len() > first_ends), "{}", cut);
            }
        }

        #[test]
        fn any_lines_are_records_or_none(lines in prop::collection::vec(prop::sample::select(vec![
            "Name            : a", "Version         : 1", "Install Reason  :", "Name        : b", "Release     : 2", "Package: c",
            "Status: x", ":", "", "   more", "Installed Size  : -1 MiB", "Installed Size  : 1e400 TiB", "Size        : -1",
        ]), 0..12)) {
            if let Some(listing) = read(lines.join("\n").as_bytes()) {
                prop_assert!(listing.packages.iter().all(|package| !package.name.is_empty() && package.evidence.line.is_some()));
            }
        }
    }
}
