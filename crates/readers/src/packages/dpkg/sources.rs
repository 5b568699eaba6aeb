//! Repositories by sources.list(5), and which packages came from which by the lists that apt keeps.

use super::control::stanzas;
use crate::packages::{Origin, RepositoryFacts, without_password};
use crate::text::{filled, lines, name_text, text};
use rayon::prelude::*;
use rustc_hash::FxHashMap;
use std::ops::Range;
use std::path::Path;
use tally_core::model::{EMBEDDED_KEY, Evidence, Label, Package, Repository, System, Text, Unread, slug};
use tally_trees::{LIMITS, ReadAt, Tree, unpack_file};

const LISTS: &str = "var/lib/apt/lists";

/// Reads the configured repositories, and finds origin and download size of the packages.
pub(super) fn read(tree: &dyn Tree, packages: &[Package], label: &Label) -> RepositoryFacts {
    let mut facts = RepositoryFacts::default();
    configured(tree, &mut facts);
    let files: Vec<Text> = tree.names(LISTS).iter().map(|entry| name_text(&entry.name)).collect();
    for repository in &mut facts.repositories {
        name_it(tree, repository, &files, label);
    }
    let lists: Vec<(usize, &Text)> = files
        .iter()
        .filter(|file| is_list(file))
        .filter_map(|file| Some((facts.repositories.iter().position(|r| holds(r, file))?, file)))
        .collect();
    if lists.is_empty() {
        return facts;
    }
    facts.origins = origins(tree, packages, &lists, &mut facts.unread);
    facts
}

/// Whether a file is a list of packages, plain or packed as apt may be told to keep them.
fn is_list(file: &str) -> bool {
    plain_name(file).ends_with("_Packages")
}

/// A list's name without what it is packed with.
fn plain_name(file: &str) -> &str {
    [".gz", ".xz", ".lz4", ".zst"].iter().find_map(|ending| file.strip_suffix(ending)).unwrap_or(file)
}

/// A list to be read in pieces; a packed one is unpacked whole.
fn open_list(tree: &dyn Tree, path: &str) -> Result<Box<dyn ReadAt>, String> {
    if plain_name(path) == path {
        return tree.open(Path::new(path)).map_err(|error| error.why.to_string());
    }
    let packed = tree.read(path).map_err(|error| error.why.to_string())?;
    let unpacked = unpack_file(packed, LIMITS.file_bytes).map_err(|error| error.to_string())?;
    Ok(Box::new(std::sync::Arc::<[u8]>::from(unpacked)))
}

fn configured(tree: &dyn Tree, facts: &mut RepositoryFacts) {
    let mut files = vec!["etc/apt/sources.list".to_owned()];
    files.extend(
        tree.names("etc/apt/sources.list.d")
            .iter()
            .map(|e| format!("etc/apt/sources.list.d/{}", name_text(&e.name))),
    );
    for file in files {
        let Ok(bytes) = tree.read(&file) else { continue };
        if file.ends_with(".sources") {
            deb822(&file, &bytes, facts);
        } else if file.ends_with(".list") {
            one_line(&file, &bytes, facts);
        }
    }
}

fn deb822(file: &str, bytes: &[u8], facts: &mut RepositoryFacts) {
    for stanza in stanzas(bytes, 1) {
        let (mut types, mut uris, mut suites, mut components) =
            (Vec::new(), Vec::new(), Vec::new(), Vec::new());
        let (mut signed_by, mut enabled) = (None, true);
        for field in stanza.fields() {
            match field.name.map(<[u8]>::to_ascii_lowercase).as_deref() {
                Some(b"types") => types = words(field.value),
                Some(b"uris") => uris = words(field.value),
                Some(b"suites") => suites = words(field.value),
                Some(b"components") => components = words(field.value),
                Some(b"signed-by") => signed_by = key_of(&text(field.value)),
                Some(b"enabled") => enabled = field.first_line() != b"no",
                _ => {}
            }
        }
        if !types.iter().any(|kind| kind == "deb") {
            continue;
        }
        if uris.is_empty() || suites.is_empty() {
            facts.unread.push(Unread::at(file, stanza.line, "repository has no `URIs` or no `Suites`"));
        }
        for uri in &uris {
            for suite in &suites {
                let evidence = Evidence::line(file, stanza.line);
                add(facts, repository(uri, suite, components.clone(), enabled, signed_by.clone(), evidence));
            }
        }
    }
}

fn one_line(file: &str, bytes: &[u8], facts: &mut RepositoryFacts) {
    for (number, line) in lines(bytes) {
        let line = text(line);
        let content = line.split('#').next().unwrap_or_default().trim();
        let Some(rest) = content.strip_prefix("deb").filter(|rest| rest.starts_with([' ', '\t', '['])) else {
            if !content.is_empty() && !content.starts_with("deb-src") {
                facts.unread.push(Unread::at(file, number, "is not a repository line"));
            }
            continue;
        };
        let rest = rest.trim_start();
        let (options, rest) = match rest.strip_prefix('[').and_then(|rest| rest.split_once(']')) {
            Some((options, rest)) => (options, rest),
            None => ("", rest),
        };
        let mut fields = rest.split_ascii_whitespace();
        let (Some(uri), Some(suite)) = (fields.next(), fields.next()) else {
            facts.unread.push(Unread::at(file, number, "repository has no address or no suite"));
            continue;
        };
        let signed_by = options
            .split_ascii_whitespace()
            .find_map(|option| option.strip_prefix("signed-by="))
            .and_then(key_of);
        let components = fields.map(Text::from).collect();
        add(facts, repository(uri, suite, components, true, signed_by, Evidence::line(file, number)));
    }
}

fn words(value: &[u8]) -> Vec<Text> {
    value.split(u8::is_ascii_whitespace).filter(|word| !word.is_empty()).map(text).collect()
}

/// The path of a key, or that the key is in the file itself.
fn key_of(value: &str) -> Option<Text> {
    let first = value.lines().next().unwrap_or_default().trim();
    filled(if value.contains("BEGIN PGP") { EMBEDDED_KEY.into() } else { first.into() })
}

fn repository(
    uri: &str,
    suite: &str,
    components: Vec<Text>,
    enabled: bool,
    signed_by: Option<Text>,
    evidence: Evidence,
) -> Repository {
    Repository {
        phase: tally_core::model::Phase::Shipped,
        system: System::Dpkg,
        name: suite.into(),
        uri: without_password(uri),
        suite: Some(suite.into()),
        components,
        enabled,
        official: None,
        signed_by,
        packages: None,
        evidence,
    }
}

/// The same address and suite may be configured in several lines, each with its own components.
fn add(facts: &mut RepositoryFacts, repository: Repository) {
    let same = |r: &&mut Repository| {
        r.uri == repository.uri && r.suite == repository.suite && r.enabled == repository.enabled
    };
    match facts.repositories.iter_mut().find(same) {
        Some(known) => {
            for component in repository.components {
                if !known.components.contains(&component) {
                    known.components.push(component);
                }
            }
        }
        None => facts.repositories.push(repository),
    }
}

/// How apt names the files of a repository: the address without scheme, slashes turned to underscores.
fn stem(repository: &Repository) -> String {
    let address = repository.uri.split_once("://").map_or(repository.uri.as_str(), |(_, rest)| rest);
    let address = address.trim_end_matches('/').replace('/', "_");
    let suite = repository.suite.as_deref().unwrap_or_default();
    if suite.ends_with('/') {
        return format!("{address}_{}", suite.trim_matches(['.', '/']).replace('/', "_"))
            .trim_end_matches('_')
            .to_owned();
    }
    format!("{address}_dists_{}", suite.replace('/', "_"))
}

/// Whether a list belongs to a repository.
fn holds(repository: &Repository, file: &str) -> bool {
    let file = plain_name(file);
    let Some(rest) = file.strip_prefix(&stem(repository)).and_then(|rest| rest.strip_prefix('_')) else {
        return false;
    };
    repository.enabled
        && (rest == "Packages"
            || repository
                .components
                .iter()
                .any(|c| rest.starts_with(&format!("{}_binary-", c.replace('/', "_")))))
}

/// Name and standing, from what the signed release file says of itself: an archive of the distribution or its base is
/// official, and called by its suite alone.
fn name_it(tree: &dyn Tree, repository: &mut Repository, files: &[Text], label: &Label) {
    let stem = stem(repository);
    let release = ["_InRelease", "_Release"]
        .iter()
        .map(|ending| format!("{stem}{ending}"))
        .find(|file| files.iter().any(|f| f == file));
    let suite = repository.suite.clone().unwrap_or_default();
    let origin = release.and_then(|file| tree.read(format!("{LISTS}/{file}")).ok()).and_then(|bytes| {
        let line = lines(&bytes).find_map(|(_, line)| line.strip_prefix(b"Origin:").map(text));
        line.and_then(filled)
    });
    let family = |name: &str| {
        let name = slug(name);
        let ids = std::iter::once(&label.distro_id).chain(&label.base_id).filter(|id| !id.is_empty());
        ids.clone().any(|id| name == id.as_str() || name.starts_with(&format!("{id}-")))
    };
    let host = repository.uri.split('/').nth(2).unwrap_or_default();
    let by_host =
        label.base_id.iter().chain([&label.distro_id]).any(|id| !id.is_empty() && host.contains(id.as_str()));
    repository.official = match &origin {
        Some(origin) => Some(family(origin)),
        None => by_host.then_some(true),
    };
    repository.name = match origin {
        Some(origin) if repository.official == Some(false) => format!("{origin} {suite}").into(),
        None if repository.official.is_none() => format!("{host} {suite}").trim().into(),
        _ => suite,
    };
}

/// A package that a list names.
struct Named {
    package: usize,
    repository: usize,
    /// What the list says of it, when it names the installed version.
    exact: Option<Exact>,
}

/// What a list says of an installed version.
struct Exact {
    /// Bytes to download.
    size: Option<u64>,
    /// Its section, where the archive files it elsewhere than the package itself does.
    section: Option<Text>,
}

fn origins(
    tree: &dyn Tree,
    packages: &[Package],
    lists: &[(usize, &Text)],
    unread: &mut Vec<Unread>,
) -> Vec<(usize, Origin)> {
    let own = || packages.iter().enumerate().filter(|(_, package)| package.system == System::Dpkg);
    let mut by_name: FxHashMap<&[u8], Vec<usize>> = FxHashMap::default();
    for (i, package) in own().filter(|(_, package)| package.is_present()) {
        by_name.entry(package.name.as_bytes()).or_default().push(i);
    }
    let read: Vec<Result<Vec<Named>, Unread>> = lists
        .par_iter()
        .map(|(repository, file)| {
            let path = format!("{LISTS}/{file}");
            let list = open_list(tree, &path).map_err(|why| Unread::whole(path.as_str(), why))?;
            scan_list(&*list, *repository, packages, &by_name).map_err(|e| Unread::whole(path, e.to_string()))
        })
        .collect();
    let mut origins = vec![Origin::default(); packages.len()];
    for result in read {
        match result {
            Err(problem) => unread.push(problem),
            Ok(found) => {
                for Named { package, repository, exact } in found {
                    let origin = &mut origins[package];
                    origin.known = true;
                    if let Some(exact) = exact
                        && origin.exact.is_none_or(|(earlier, _)| repository < earlier)
                    {
                        origin.exact = Some((repository, exact.size));
                        origin.section = exact.section;
                    }
                }
            }
        }
    }
    own().map(|(at, _)| (at, std::mem::take(&mut origins[at]))).collect()
}

/// So much of a list is looked at by one thread, and so much of that held in memory at a time: lists are long, and
/// whatever is not installed need not be kept.
const SHARE: u64 = 8 << 20;
const PIECE: usize = 256 << 10;

/// Goes through a list of any length, in shares that all cores take.
fn scan_list(
    list: &dyn ReadAt,
    repository: usize,
    packages: &[Package],
    by_name: &FxHashMap<&[u8], Vec<usize>>,
) -> std::io::Result<Vec<Named>> {
    let found: Vec<Vec<Named>> = shares(list, SHARE)?
        .into_par_iter()
        .map(|share| {
            let mut found = Vec::new();
            each_piece(list, share, PIECE, |piece| scan(repository, piece, packages, by_name, &mut found))?;
            Ok(found)
        })
        .collect::<std::io::Result<_>>()?;
    Ok(found.into_iter().flatten().collect())
}

/// Cuts a list in shares of about that length, between stanzas.
fn shares(list: &dyn ReadAt, length: u64) -> std::io::Result<Vec<Range<u64>>> {
    let mut shares = Vec::new();
    let mut start = 0;
    while start < list.len() {
        let end = next_stanza(list, start.saturating_add(length))?;
        shares.push(start..end);
        start = end;
    }
    Ok(shares)
}

/// Where the first stanza begins that has an empty line ahead of it at or after an offset; the end, if none does.
fn next_stanza(list: &dyn ReadAt, mut offset: u64) -> std::io::Result<u64> {
    let mut block = [0; 4096];
    while offset < list.len() {
        let read = list.read_at(offset, &mut block)?;
        if let Some(at) = memchr::memmem::find(&block[..read], b"\n\n") {
            return Ok(offset + at as u64 + 2);
        }
        if read < 2 {
            break;
        }
        // The two line ends may lie in two blocks.
        offset += read as u64 - 1;
    }
    Ok(list.len())
}

/// Shows a share piece by piece, whole stanzas in each.
fn each_piece(
    list: &dyn ReadAt,
    share: Range<u64>,
    length: usize,
    mut visit: impl FnMut(&[u8]),
) -> std::io::Result<()> {
    let mut buffer = vec![0; length];
    let (mut offset, mut kept) = (share.start, 0);
    loop {
        let wanted = usize::try_from(share.end - offset).unwrap_or(usize::MAX).min(buffer.len() - kept);
        let read = list.read_at(offset, &mut buffer[kept..kept + wanted])?;
        offset += read as u64;
        let filled = kept + read;
        let at_end = read < wanted || offset == share.end;
        let last = memchr::memmem::rfind(&buffer[..filled], b"\n\n");
        let cut = if at_end { filled } else { last.map_or(0, |at| at + 2) };
        visit(&buffer[..cut]);
        if at_end {
            return Ok(());
        }
        buffer.copy_within(cut..filled, 0);
        kept = filled - cut;
        if kept == buffer.len() {
            // A stanza longer than a piece: room for more of it, up to what any file may hold.
            if kept as u64 >= LIMITS.file_bytes {
                return Err(std::io::Error::other("a stanza is longer than any file that is read"));
            }
            buffer.resize(kept * 2, 0);
        }
    }
}

/// The installed packages that a list holds: package, repository, and when the version is the same the download size.
fn scan(
    repository: usize,
    bytes: &[u8],
    packages: &[Package],
    by_name: &FxHashMap<&[u8], Vec<usize>>,
    found: &mut Vec<Named>,
) {
    let divider = memchr::memmem::Finder::new(b"\n\n");
    let ends = divider.find_iter(bytes).map(|at| at + 2).chain([bytes.len()]);
    let mut start = 0;
    for end in ends {
        let bytes = &bytes[start..end];
        start = end;
        // The name comes first in every list that apt writes; whatever is not installed needs no second look.
        let Some(first) = bytes.trim_ascii_start().strip_prefix(b"Package: ") else { continue };
        let name = &first[..memchr::memchr(b'\n', first).unwrap_or(first.len())];
        let Some(installed) = by_name.get(name.trim_ascii()) else { continue };
        let Some(stanza) = stanzas(bytes, 1).next() else { continue };
        let (mut version, mut arch, mut section, mut size) = (&b""[..], &b""[..], &b""[..], None);
        for field in stanza.fields() {
            match field.name {
                Some(b"Version") => version = field.first_line(),
                Some(b"Architecture") => arch = field.first_line(),
                Some(b"Section") => section = field.first_line(),
                Some(b"Size") => {
                    size = std::str::from_utf8(field.first_line()).ok().and_then(|size| size.parse().ok());
                }
                _ => {}
            }
        }
        for at in installed {
            let package = &packages[*at];
            let same = package.arch.as_bytes() == arch && package.version.as_bytes() == version;
            let elsewhere = !section.is_empty() && package.section.as_bytes() != section;
            let exact = same.then(|| Exact { size, section: elsewhere.then(|| text(section)) });
            found.push(Named { package: *at, repository, exact });
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use tally_trees::MemoryTree;

    fn label() -> Label {
        Label { distro_id: "saltmarsh".into(), base_id: vec!["fenland".into()], ..Label::default() }
    }

    #[test]
    fn both_forms_of_sources_are_read_and_packages_find_their_origin() {
        let tree = MemoryTree::new()
            .file("etc/apt/sources.list", "# comment\ndeb [signed-by=/k.gpg] https://user:pw@deb.saltmarsh.example/os bittern main extra\nnonsense\n")
            .file(
                "etc/apt/sources.list.d/other.sources",
                "Types: deb\nURIs: https://shop.example\nSuites: stable\nComponents: main\nSigned-By:\n -----BEGIN PGP PUBLIC KEY BLOCK-----\n .\n\nTypes: deb\nEnabled: no\nURIs: https://off.example\nSuites: x\n",
            )
            .file("var/lib/apt/lists/deb.saltmarsh.example_os_dists_bittern_InRelease", "Origin: Saltmarsh\nSuite: bittern\n")
            .file(
                "var/lib/apt/lists/deb.saltmarsh.example_os_dists_bittern_main_binary-amd64_Packages",
                "Package: inkcap\nArchitecture: amd64\nVersion: 3.2\nSection: editors\nSize: 77\n\nPackage: dunlin\nArchitecture: amd64\nVersion: 9\n",
            )
            .file("var/lib/apt/lists/shop.example_dists_stable_InRelease", "Origin: Shop\n");
        let mut packages = ["inkcap", "dunlin", "stray"].map(|name| {
            let mut package = Package::new(System::Dpkg, name, "3.2");
            package.arch = "amd64".into();
            package
        });
        let mut facts = read(&tree as &dyn Tree, &packages, &label());
        facts.place(System::Dpkg, &mut packages);
        let said: Vec<String> = facts
            .repositories
            .iter()
            .map(|r| {
                format!("{} {} {:?} {:?} {:?}", r.name, r.uri, r.official, r.packages, r.signed_by.as_deref())
            })
            .collect();
        assert_eq!(
            said,
            [
                "bittern https://deb.saltmarsh.example/os Some(true) Some(1) Some(\"/k.gpg\")",
                "Shop stable https://shop.example Some(false) Some(0) Some(\"embedded-key\")",
                "off.example x https://off.example None None None",
            ]
        );
        assert_eq!(
            (packages[0].repository.as_deref(), packages[0].download_bytes),
            (Some("bittern"), Some(77))
        );
        let sections = packages.each_ref().map(|package| package.archive_section.as_deref());
        assert_eq!(sections, [Some("editors"), None, None], "where it differs, for the installed version");
        assert_eq!((packages[1].repository.as_deref(), packages[1].in_no_repository), (None, false));
        assert!(packages[2].in_no_repository);
        assert_eq!(facts.unread, [Unread::at("etc/apt/sources.list", 3, "is not a repository line")]);
    }

    proptest! {
        #[test]
        fn every_stanza_is_shown_once_however_a_list_is_cut(
            stanzas_of in prop::collection::vec(0_usize..9, 0..12), share in 1_u64..40, piece in 1_usize..20
        ) {
            let whole: String =
                stanzas_of.iter().enumerate().map(|(i, n)| format!("P: {i}\n{}\n", "x\n".repeat(*n))).collect();
            let list: std::sync::Arc<[u8]> = whole.as_bytes().into();
            let list: &dyn ReadAt = &list;
            let mut seen = Vec::new();
            for share in shares(list, share).unwrap() {
                each_piece(list, share, piece, |piece| {
                    for stanza in stanzas(piece, 1) {
                        seen.push(stanza.fields().count());
                    }
                })
                .unwrap();
            }
            let expected: Vec<usize> = stanzas_of.iter().map(|n| n + 1).collect();
            prop_assert_eq!(seen, expected);
        }

        #[test]
        fn any_bytes_will_do(bytes in prop::collection::vec(any::<u8>(), 0..160)) {
            let tree = MemoryTree::new().file("etc/apt/sources.list", bytes.clone()).file("etc/apt/sources.list.d/x.sources", bytes);
            read(&tree as &dyn Tree, &[], &label());
        }
    }
}
