//! The status file: one stanza a package.

use super::control::{Field, Stanza, stanzas};
use super::relations;
use crate::packages::PackageFacts;
use crate::text::{filled, text};
use rayon::prelude::*;
use tally_core::model::{Evidence, Package, State, System, Unread};
use tally_core::systems;

/// Pieces smaller than this are not worth a thread.
const PIECE: usize = 256 << 10;

/// Adds all packages of a status file. Large files are cut at empty lines and read in parallel.
pub(crate) fn read(file: &str, bytes: &[u8], facts: &mut PackageFacts) {
    let pieces = pieces(bytes, PIECE);
    let read: Vec<(Vec<Package>, Vec<Unread>)> =
        pieces.into_par_iter().map(|(line, piece)| read_piece(file, piece, line)).collect();
    facts.packages.reserve(read.iter().map(|(packages, _)| packages.len()).sum());
    for (packages, unread) in read {
        facts.packages.extend(packages);
        facts.unread.extend(unread);
    }
}

/// Cuts at empty lines; each piece with the number of its first line.
fn pieces(bytes: &[u8], size: usize) -> Vec<(u32, &[u8])> {
    let mut pieces = Vec::new();
    let (mut rest, mut line) = (bytes, 1_u32);
    while !rest.is_empty() {
        let end = if rest.len() <= size {
            rest.len()
        } else {
            memchr::memmem::find(&rest[size..], b"\n\n").map_or(rest.len(), |at| size + at + 2)
        };
        let (piece, tail) = rest.split_at(end);
        pieces.push((line, piece));
        let lines = memchr::memchr_iter(b'\n', piece).count();
        line = line.saturating_add(u32::try_from(lines).unwrap_or(u32::MAX));
        rest = tail;
    }
    pieces
}

fn read_piece(file: &str, bytes: &[u8], first_line: u32) -> (Vec<Package>, Vec<Unread>) {
    let mut packages = Vec::with_capacity(bytes.len() / 1024);
    let mut unread = Vec::new();
    for stanza in stanzas(bytes, first_line) {
        match package(file, &stanza, &mut unread) {
            Ok(package) => packages.extend(package),
            Err(why) => unread.push(Unread::at(file, stanza.line, why)),
        }
    }
    (packages, unread)
}

/// The package of a stanza; `None` for one that is not installed at all.
fn package(file: &str, stanza: &Stanza<'_>, unread: &mut Vec<Unread>) -> Result<Option<Package>, String> {
    let mut package = Package::new(System::Dpkg, "", "");
    let mut state = Some(State::Installed);
    let mut config_version = None;
    for field in stanza.fields() {
        let Some(name) = field.name else {
            unread.push(Unread::at(file, field.line, "is not a `Field: value` line"));
            continue;
        };
        match name {
            b"Status" => {
                state = state_of(field.first_line());
                package.held = field.first_line().starts_with(b"hold ");
            }
            b"Config-Version" => config_version = filled(text(field.first_line())),
            b"Priority" => package.kept = field.first_line() == b"required",
            b"Installed-Size" => match kibibytes(field.first_line()) {
                Some(bytes) => package.installed_bytes = Some(bytes),
                None => unread.push(Unread::at(file, field.line, "`Installed-Size` is not a number of KiB")),
            },
            b"Depends" | b"Pre-Depends" => package.depends.extend(relations::groups(field.value)),
            _ => described(name, &field, &mut package),
        }
    }
    let Some(state) = state else { return Ok(None) };
    if package.name.is_empty() {
        return Err("stanza has no `Package` field".into());
    }
    if package.version.is_empty() {
        match config_version {
            Some(version) => package.version = version,
            None => return Err(format!("stanza of `{}` has no `Version` field", package.name)),
        }
    }
    package.state = state;
    package.upstream_version = systems::upstream(System::Dpkg, &package.version).into();
    if package.source.is_none() {
        package.source = Some(package.name.clone());
    }
    package.evidence = Evidence::line(file, stanza.line);
    Ok(Some(package))
}

/// Takes what a stanza of the database and one of a list have in common.
pub(super) fn described(name: &[u8], field: &Field<'_>, package: &mut Package) {
    let line = || text(field.first_line());
    match name {
        b"Package" => package.name = line(),
        b"Version" => package.version = line(),
        b"Architecture" => package.arch = line(),
        b"Multi-Arch" => package.beside_itself = field.first_line() == b"same",
        b"Section" => package.section = line(),
        b"Homepage" => package.homepage = line(),
        b"Description" => package.summary = line(),
        b"Source" => package.source = source(field.first_line()),
        b"Essential" | b"Protected" | b"Important" => package.essential |= field.first_line() == b"yes",
        b"Recommends" => package.recommends = relations::groups(field.value),
        b"Suggests" => package.suggests = relations::groups(field.value),
        b"Provides" => package.provides = relations::list(field.value),
        b"Replaces" => package.replaces = relations::list(field.value),
        b"Conflicts" | b"Breaks" => package.conflicts.extend(relations::enemies(field.value)),
        _ => {}
    }
}

/// `Source: name (version)`: the name.
fn source(value: &[u8]) -> Option<smol_str::SmolStr> {
    filled(text(value.split(|b| *b == b' ' || *b == b'(').next().unwrap_or_default()))
}

pub(super) fn kibibytes(value: &[u8]) -> Option<u64> {
    std::str::from_utf8(value).ok()?.parse::<u64>().ok()?.checked_mul(1024)
}

/// The last of the three words of `Status`; `None` when nothing of the package is there.
fn state_of(status: &[u8]) -> Option<State> {
    match status.rsplit(|b| *b == b' ').next().unwrap_or_default() {
        b"not-installed" => None,
        b"config-files" => Some(State::RemovedConfig),
        b"half-installed" | b"half-configured" | b"unpacked" => Some(State::Half),
        _ => Some(State::Installed),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn facts(bytes: &[u8]) -> PackageFacts {
        let mut facts = PackageFacts::default();
        read("s", bytes, &mut facts);
        facts
    }

    #[test]
    fn a_broken_stanza_loses_only_itself() {
        let file =
            b"Package: a\nStatus: install ok installed\nVersion: 1:2-3\n\nVersion: 1\n\nPackage: b\n\n\
            Package: c\nVersion: 1\nInstalled-Size: many\njunk\nDescription: caf\xe9\n more\n";
        let facts = facts(file);
        let names: Vec<&str> = facts.packages.iter().map(|p| p.name.as_str()).collect();
        assert_eq!(names, ["a", "c"]);
        assert_eq!(facts.packages[0].upstream_version, "2");
        assert_eq!(facts.packages[1].summary, "caf\u{fffd}");
        assert_eq!(facts.packages[1].evidence, Evidence::line("s", 9));
        let problems: Vec<(Option<u32>, &str)> =
            facts.unread.iter().map(|u| (u.line, u.why.as_str())).collect();
        assert_eq!(
            problems,
            [
                (Some(5), "stanza has no `Package` field"),
                (Some(7), "stanza of `b` has no `Version` field"),
                (Some(11), "`Installed-Size` is not a number of KiB"),
                (Some(12), "is not a `Field: value` line"),
            ]
        );
    }

    #[test]
    fn states_follow_the_third_word() {
        let file = b"Package: a\nStatus: deinstall ok config-files\nConfig-Version: 3\n\n\
            Package: b\nStatus: install ok unpacked\nVersion: 1\n\nPackage: c\nStatus: purge ok not-installed\n";
        let states: Vec<(String, State)> =
            facts(file).packages.iter().map(|p| (format!("{} {}", p.name, p.version), p.state)).collect();
        assert_eq!(states, [("a 3".into(), State::RemovedConfig), ("b 1".into(), State::Half)]);
    }

    #[test]
    fn pieces_keep_the_count_of_lines() {
        let one = b"Package: a\nVersion: 1\n\n".repeat(20);
        for size in [1, 30, 100, 10_000] {
            let cut = pieces(&one, size);
            let lines: Vec<u32> = cut
                .iter()
                .flat_map(|(line, piece)| read_piece("s", piece, *line).0)
                .filter_map(|p| p.evidence.line)
                .collect();
            assert_eq!(lines, (0..20).map(|i| i * 3 + 1).collect::<Vec<u32>>(), "pieces of {size}");
        }
    }

    proptest! {
        #[test]
        fn any_bytes_will_do(bytes in prop::collection::vec(any::<u8>(), 0..300)) {
            facts(&bytes);
        }

        #[test]
        fn any_cut_keeps_the_whole_stanzas(cut in 0_usize..120) {
            let whole = b"Package: aa\nStatus: install ok installed\nVersion: 1\n\nPackage: bb\nStatus: install ok installed\nVersion: 2\nDepends: aa\n";
            let found = facts(&whole[..cut.min(whole.len())]).packages.len();
            prop_assert!(found >= usize::from(cut > 52));
        }
    }
}
