//! Packages of apk: one text of records. See `docs/formats/apk.md`.

use super::files::Files;
use super::offers::{LINES, ListRead};
use super::{Owners, PackageFacts, PackageReader, RepositoryFacts, WantedPaths, native_arch};
use crate::text::{day_text, filled, lines, name_text, text, time_text};
use rustc_hash::FxHashSet;
use smallvec::smallvec;
use std::io::Read;
use tally_core::model::{
    Dependency, Evidence, Label, Package, Reason, Reduced, Repository, System, Text, Unread, VersionOp,
};
use tally_core::offer::{Catalog, Offered, PackageList};
use tally_core::systems::upstream;
use tally_trees::{Tree, unpacking};

const DATABASES: &[&str] = &["lib/apk/db/installed", "usr/lib/apk/db/installed"];
const WORLD: &str = "etc/apk/world";
const REPOSITORIES: &str = "etc/apk/repositories";

/// The apk reader.
#[derive(Debug)]
pub struct Apk;

impl PackageReader for Apk {
    fn system(&self) -> System {
        System::Apk
    }

    fn paths(&self) -> &'static [&'static str] {
        &["lib/apk/db installed", "usr/lib/apk/db installed", "etc/apk world arch"]
    }

    fn page(&self) -> &'static str {
        "apk"
    }

    fn detect(&self, tree: &dyn Tree) -> bool {
        DATABASES.iter().any(|path| tree.exists(path))
    }

    fn read(&self, tree: &dyn Tree) -> PackageFacts {
        let mut facts = PackageFacts::default();
        let Some((path, bytes)) = database(tree) else { return facts };
        let world = world(tree);
        each_record(&bytes, |line, record| match package(record, path, line, &world) {
            Some(package) => facts.packages.push(package),
            None => facts.unread.push(Unread::at(path, line, "has no name and version")),
        });
        facts.native_arch = native_arch(&facts.packages, &["musl", "apk-tools"]);
        facts
    }

    fn scan_file_lists(&self, tree: &dyn Tree, packages: &[Package], wanted: &WantedPaths) -> Owners {
        let mut all = Owners::default();
        let Some((_, bytes)) = database(tree) else { return all };
        let mut own =
            packages.iter().enumerate().filter(|(_, package)| package.system == System::Apk).peekable();
        each_record(&bytes, |line, record| {
            if let Some((at, _)) = own.next_if(|(_, package)| package.evidence.line == Some(line)) {
                all.absorb(files_of(record, at, wanted));
            }
        });
        all
    }

    fn repositories(&self, tree: &dyn Tree, packages: &[Package], label: &Label) -> RepositoryFacts {
        let mut facts =
            RepositoryFacts { repositories: repositories(tree, label), ..RepositoryFacts::default() };
        read_offer(tree, packages, &mut facts);
        facts
    }
}

/// The lists that apk keeps: `APKINDEX.HASH.tar.gz`.
fn read_offer(tree: &dyn Tree, packages: &[Package], facts: &mut RepositoryFacts) {
    let arch = native_arch(packages, &["musl", "apk-tools"]).unwrap_or_default();
    let mut catalog = Catalog::new(System::Apk, arch);
    for folder in ["var/cache/apk", "etc/apk/cache"] {
        for entry in tree.names(folder) {
            let name = name_text(&entry.name);
            if !name.starts_with("APKINDEX.") || !name.ends_with(".tar.gz") {
                continue;
            }
            let file = format!("{folder}/{name}");
            let read = tree.read(&file).map_err(|error| error.why.to_string());
            match read.and_then(|bytes| list_of(&bytes).map_err(|error| error.to_string())) {
                Ok((read, described)) => {
                    let component = described.split([' ', '-']).next().unwrap_or_default();
                    let is_of = |one: &Repository| {
                        one.enabled && one.components.iter().any(|known| known == component)
                    };
                    let at = facts.repositories.iter().position(is_of).unwrap_or(0);
                    let list = PackageList {
                        repository: facts
                            .repositories
                            .get(at)
                            .map_or_else(|| name.clone(), |one| one.name.clone()),
                        version: described,
                        date: tree.node(file.as_ref(), true).ok().and_then(|node| time_text(node.changed_at)),
                        file: file.into(),
                        ..PackageList::default()
                    };
                    facts.offer(&mut catalog, list, at, vec![read]);
                }
                Err(why) => facts.unread.push(Unread::whole(file, why)),
            }
        }
    }
    facts.catalog = (!catalog.lists.is_empty()).then_some(catalog);
}

/// Bytes that a list may have once it is unpacked.
const LIST_LIMIT: u64 = 1 << 30;

/// Reads a list, and what it says of itself.
pub(crate) fn list_of(bytes: &[u8]) -> std::io::Result<(ListRead, Text)> {
    let mut read = ListRead::of(&LINES);
    let mut described = Text::default();
    // A signature comes first, as an archive of its own that has no end.
    let mut archive = tar::Archive::new(unpacking(bytes, LIST_LIMIT)?);
    archive.set_ignore_zeros(true);
    for entry in archive.entries()? {
        let entry = entry?;
        let name = entry.path()?.to_string_lossy().into_owned();
        let mut content = Vec::new();
        if name == "DESCRIPTION" || name == "APKINDEX" {
            entry.take(LIST_LIMIT).read_to_end(&mut content)?;
        }
        if name == "DESCRIPTION" {
            described = text(&content);
        } else {
            each_record(&content, |line, record| match package(record, "", line, &None) {
                Some(package) => {
                    let mut offered = Offered::of(package);
                    let brings = fields(record).find(|(key, _)| *key == b'i');
                    offered
                        .brought_by
                        .extend(brings.map(|(_, all)| words(all).filter_map(relation).collect()));
                    read.push(&offered);
                }
                None => read.nameless += 1,
            });
        }
    }
    Ok((read, described))
}

fn database(tree: &dyn Tree) -> Option<(&'static str, Vec<u8>)> {
    DATABASES.iter().find_map(|path| Some((*path, tree.read(path).ok()?)))
}

/// Records are between empty lines; `visit` gets the line that one begins at.
fn each_record(bytes: &[u8], mut visit: impl FnMut(u32, &[u8])) {
    let (mut start, mut line) = (0, 1_u32);
    while start < bytes.len() {
        let end = memchr::memmem::find(&bytes[start..], b"\n\n").map_or(bytes.len(), |at| start + at + 1);
        let record = &bytes[start..end];
        let before = record.iter().take_while(|byte| **byte == b'\n').count();
        let lines_here = memchr::memchr_iter(b'\n', record).count();
        let counted = |lines: usize| u32::try_from(lines).unwrap_or(u32::MAX);
        if !record.trim_ascii().is_empty() {
            visit(line.saturating_add(counted(before)), &record[before..]);
        }
        line = line.saturating_add(counted(lines_here + 1));
        start = end + 1;
    }
}

/// The names that were asked for, without versions and tags.
fn world(tree: &dyn Tree) -> Option<FxHashSet<Text>> {
    let bytes = tree.read(WORLD).ok()?;
    let words = bytes.split(u8::is_ascii_whitespace).filter(|word| !word.is_empty() && word[0] != b'!');
    Some(words.filter_map(|word| relation(word).map(|one| one.name)).collect())
}

/// The one-letter fields before the files of a record.
fn fields(record: &[u8]) -> impl Iterator<Item = (u8, &[u8])> {
    let lines = lines(record).map(|(_, line)| line);
    lines.take_while(|line| !line.starts_with(b"F:")).filter_map(|line| match line {
        [key, b':', value @ ..] => Some((*key, value)),
        _ => None,
    })
}

fn package(record: &[u8], path: &str, line: u32, world: &Option<FxHashSet<Text>>) -> Option<Package> {
    let (mut name, mut version) = (None, None);
    for (key, value) in fields(record) {
        match key {
            b'P' => name = name.or_else(|| filled(text(value))),
            b'V' => version = version.or_else(|| filled(text(value))),
            _ => {}
        }
    }
    let mut package = Package::new(System::Apk, name?, version?);
    package.upstream_version = upstream(System::Apk, &package.version).into();
    for (key, value) in fields(record) {
        match key {
            b'A' => package.arch = text(value),
            b'S' => package.download_bytes = number(value),
            b'I' => package.installed_bytes = number(value),
            b'T' => package.summary = text(value),
            b't' => package.built = number::<i64>(value).and_then(day_text),
            b'U' => package.homepage = text(value),
            b'L' => package.license = filled(text(value)),
            b'o' => package.source = filled(text(value)).filter(|origin| *origin != package.name),
            b's' => package.repository = filled(text(value)),
            b'D' => {
                for word in words(value) {
                    match word.strip_prefix(b"!") {
                        Some(enemy) => package.conflicts.extend(relation(enemy)),
                        None => package.depends.extend(relation(word).map(|one| smallvec![one])),
                    }
                }
            }
            b'p' => package.provides.extend(words(value).filter_map(relation)),
            b'r' => package.replaces.extend(words(value).filter_map(relation)),
            _ => {}
        }
    }
    package.reason = match world {
        None => Reason::Unknown,
        Some(names) if names.contains(&package.name) => Reason::Explicit,
        Some(_) => Reason::Dependency,
    };
    package.evidence = Evidence::line(path, line);
    Some(package)
}

fn number<N: std::str::FromStr>(value: &[u8]) -> Option<N> {
    std::str::from_utf8(value.trim_ascii()).ok()?.parse().ok()
}

fn words(value: &[u8]) -> impl Iterator<Item = &[u8]> {
    value.split(u8::is_ascii_whitespace).filter(|word| !word.is_empty())
}

/// `name`, `name>=1.2`, `name~1.2` (that version, whatever follows), `so:libweir.so.2=2.0`; a tag behind `@` is cut off.
fn relation(word: &[u8]) -> Option<Dependency> {
    let word = word.split(|byte| *byte == b'@').next()?;
    let end = word.iter().position(|byte| matches!(byte, b'<' | b'>' | b'=' | b'~')).unwrap_or(word.len());
    let (name, rest) = word.split_at(end);
    if name.is_empty() {
        return None;
    }
    let at = rest.iter().position(|byte| !matches!(byte, b'<' | b'>' | b'=' | b'~')).unwrap_or(rest.len());
    let (op, version) = rest.split_at(at);
    let op = match op {
        b"<" => Some(VersionOp::Less),
        b"<=" => Some(VersionOp::AtMost),
        b"=" => Some(VersionOp::Exactly),
        b">" => Some(VersionOp::More),
        b">=" | b"~" | b"=~" | b"~=" | b">~" => Some(VersionOp::AtLeast),
        _ => None,
    };
    let version = filled(text(version)).filter(|_| op.is_some());
    Some(Dependency { name: text(name), op: op.filter(|_| version.is_some()), version })
}

/// `F:` names a folder, `R:` a file in it.
fn files_of(record: &[u8], at: usize, wanted: &WantedPaths) -> Owners {
    let mut files = Files::of(at, wanted);
    let mut folder: &[u8] = b"";
    let mut look = files.look(folder);
    for (_, line) in lines(record) {
        match line {
            [b'F', b':', path @ ..] => {
                folder = path;
                look = files.look(folder);
            }
            [b'R', b':', name @ ..] => files.file(look, folder, name),
            _ => {}
        }
    }
    files.done()
}

/// `[@tag ]address`; the name is the tag, else the last parts of the address.
fn repositories(tree: &dyn Tree, label: &Label) -> Vec<Repository> {
    let Ok(bytes) = tree.read(REPOSITORIES) else { return Vec::new() };
    let mut repositories = Vec::new();
    for (number, line) in lines(&bytes) {
        let line = text(line);
        let (enabled, line) = match line.strip_prefix('#') {
            // What is written behind a hash is often a sentence.
            Some(off) if off.contains("://") && !off.trim().contains(' ') => (false, off.trim()),
            Some(_) => continue,
            None => (true, line.as_str()),
        };
        let (tag, uri) = match line.strip_prefix('@').and_then(|rest| rest.split_once(' ')) {
            Some((tag, uri)) => (Some(tag), uri.trim()),
            None => (None, line),
        };
        if uri.is_empty() {
            continue;
        }
        let uri = Reduced::address(uri);
        let tail: Vec<&str> = uri.trim_end_matches('/').rsplitn(3, '/').collect();
        let name = tag
            .map_or_else(|| tail.iter().take(2).rev().copied().collect::<Vec<_>>().join("-"), str::to_owned);
        repositories.push(Repository {
            suite: tail.get(1).map(|suite| Text::from(*suite)),
            components: tail.first().map(|component| Text::from(*component)).into_iter().collect(),
            enabled,
            ..Repository::new(System::Apk, name, uri.clone(), Evidence::line(REPOSITORIES, number))
                .owned_by(&label.distro_id)
        });
    }
    repositories
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use tally_trees::MemoryTree;

    #[test]
    fn records_reasons_relations_and_files() {
        let tree = MemoryTree::new()
            .file(
                "lib/apk/db/installed",
                "C:Q1abc=\nP:inkcap\nV:3.2.1-r2\nA:x86_64\nS:100\nI:4096\nT:A text editor\nU:https://inkcap.example\nL:MIT\no:inkcap-src\nt:1777888000\nD:so:libweir.so.2 !inkcap-lite musl>=1.2\np:cmd:inkcap=3.2.1-r2\nF:usr/bin\nR:inkcap\nZ:Q1x\nF:usr/share/applications\nR:inkcap.desktop\n\n\nP:libweir\nV:4.0-r0\nA:x86_64\np:so:libweir.so.2=2.0\nF:usr/lib\nR:libweir.so.2\n\nP:torn\n",
            )
            .file("etc/apk/world", "inkcap@edge>3\n!other\n")
            .file("etc/apk/repositories", "# a sentence with words\nhttps://dl.saltmarsh.example/v5/main\n#https://dl.saltmarsh.example/v5/community\n@edge https://dl.saltmarsh.example/edge/testing\n");
        let facts = Apk.read(&tree);
        let said: Vec<_> =
            facts.packages.iter().map(|p| (p.name.as_str(), p.reason, p.evidence.line)).collect();
        assert_eq!(said, [("inkcap", Reason::Explicit, Some(1)), ("libweir", Reason::Dependency, Some(21))]);
        assert_eq!(facts.unread, [Unread::at("lib/apk/db/installed", 28, "has no name and version")]);
        let inkcap = &facts.packages[0];
        assert_eq!((inkcap.upstream_version.as_str(), inkcap.source()), ("3.2.1", "inkcap-src"));
        assert_eq!(
            inkcap.depends.iter().map(|d| d[0].name.as_str()).collect::<Vec<_>>(),
            ["so:libweir.so.2", "musl"]
        );
        assert_eq!(inkcap.conflicts[0].name, "inkcap-lite");
        let mut wanted = WantedPaths::new(false);
        wanted.add(b"usr/share/applications/inkcap.desktop");
        let owners = Apk.scan_file_lists(&tree, &facts.packages, &wanted);
        assert_eq!(owners.of(&wanted, b"usr/share/applications/inkcap.desktop"), Some(0));
        let repositories = Apk.repositories(&tree, &[], &Label::default()).repositories;
        let said: Vec<_> = repositories.iter().map(|r| (r.name.as_str(), r.enabled)).collect();
        assert_eq!(said, [("v5-main", true), ("v5-community", false), ("edge", true)]);
    }

    proptest! {
        #[test]
        fn any_bytes_will_do(bytes in prop::collection::vec(any::<u8>(), 0..200), lines in "([PVDFRp]:[a-z<>=~!@ ]{0,6}\n|\n){0,9}") {
            for content in [bytes, lines.into_bytes()] {
                let tree = MemoryTree::new().file("lib/apk/db/installed", content);
                let facts = Apk.read(&tree);
                Apk.scan_file_lists(&tree, &facts.packages, &WantedPaths::new(true));
            }
        }
    }
}
