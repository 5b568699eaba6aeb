//! Repositories by sources.list(5), and which packages came from which by the lists that apt keeps.

use super::control::stanzas;
use super::offer::{LISTS, is_list, plain_name, policy, read_list, release};
use crate::packages::RepositoryFacts;
use crate::text::{filled, lines, name_text, text};
use rayon::prelude::*;
use rustc_hash::{FxHashMap, FxHashSet};
use std::collections::BTreeSet;
use tally_core::model::{
    EMBEDDED_KEY, Evidence, Label, Package, Reduced, Repository, System, Text, Unread, slug,
};
use tally_core::offer::{Catalog, PackageList};
use tally_trees::Tree;

/// Reads the configured repositories, and what their lists offer.
pub(super) fn read(tree: &dyn Tree, packages: &[Package], label: &Label) -> RepositoryFacts {
    let mut facts = RepositoryFacts::default();
    configured(tree, &mut facts);
    let files: BTreeSet<Text> = tree.names(LISTS).iter().map(|entry| name_text(&entry.name)).collect();
    for repository in &mut facts.repositories {
        name_it(tree, repository, &files, label);
    }
    // apt reads them repository by repository, and so does whoever wants to know what it heard of first.
    let lists = facts.repositories.iter().enumerate().flat_map(|(at, repository)| {
        let own =
            begin_with(&files, &stem(repository)).filter(|file| is_list(file) && holds(repository, file));
        own.map(move |file| (at, file))
    });
    let lists: Vec<(usize, &Text)> = lists.collect();
    if lists.is_empty() {
        return facts;
    }
    let arch = super::native_arch(packages, &["dpkg"]).unwrap_or_default();
    let mut catalog = Catalog::new(System::Dpkg, arch);
    catalog.policy = policy(tree);
    let read: Vec<_> = lists.par_iter().map(|(_, file)| read_list(tree, file)).collect();
    for ((at, file), read) in lists.into_iter().zip(read) {
        let list = list_of(tree, &facts.repositories[at], file, &files);
        match read {
            Ok(read) => facts.offer(&mut catalog, list, at, read),
            Err(problem) => facts.unread.push(problem),
        }
    }
    facts.catalog = Some(catalog);
    facts
}

/// What is known of a list beside what is in it.
fn list_of(tree: &dyn Tree, repository: &Repository, file: &str, files: &BTreeSet<Text>) -> PackageList {
    let rest = behind(plain_name(file), &stem(repository)).unwrap_or_default();
    let component =
        repository.components.iter().find(|c| rest.starts_with(&format!("_{}_binary-", c.replace('/', "_"))));
    let mut list = PackageList {
        repository: repository.name.clone(),
        component: component.cloned(),
        file: format!("{LISTS}/{file}").into(),
        site: repository.uri.split('/').nth(2).unwrap_or_default().into(),
        priority: 500,
        ..PackageList::default()
    };
    if let Some(bytes) =
        release_file(repository, files).and_then(|file| tree.read(format!("{LISTS}/{file}")).ok())
    {
        release(&bytes, &mut list);
    }
    list
}

/// The release file of a repository among those that apt keeps.
fn release_file(repository: &Repository, files: &BTreeSet<Text>) -> Option<Text> {
    let stem = stem(repository);
    ["_InRelease", "_Release"].iter().find_map(|ending| {
        if !stem.contains(LEFT_OUT) {
            return files.get(format!("{stem}{ending}").as_str()).cloned();
        }
        begin_with(files, &stem).find(|file| behind(file, &stem) == Some(ending)).cloned()
    })
}

/// What stands in an address for what was left out of it. The names of lists have it still.
const LEFT_OUT: char = '…';

/// The files whose names may begin with a stem.
fn begin_with<'f>(files: &'f BTreeSet<Text>, stem: &str) -> impl Iterator<Item = &'f Text> + use<'f> {
    let begin = stem.split(LEFT_OUT).next().unwrap_or_default().to_owned();
    files.range(Text::from(begin.as_str())..).take_while(move |file| file.starts_with(&begin))
}

/// What stands behind a stem in the name of a file.
fn behind<'f>(file: &'f str, stem: &str) -> Option<&'f str> {
    let mut pieces = stem.split(LEFT_OUT);
    let mut rest = file.strip_prefix(pieces.next()?)?;
    for piece in pieces {
        rest = &rest[rest.find(piece)? + piece.len()..];
    }
    Some(rest)
}

fn configured(tree: &dyn Tree, facts: &mut RepositoryFacts) {
    let mut known = Known::default();
    let mut files = vec!["etc/apt/sources.list".to_owned()];
    files.extend(
        tree.names("etc/apt/sources.list.d")
            .iter()
            .map(|e| format!("etc/apt/sources.list.d/{}", name_text(&e.name))),
    );
    for file in files {
        let Ok(bytes) = tree.read(&file) else { continue };
        if file.ends_with(".sources") {
            deb822(&file, &bytes, facts, &mut known);
        } else if file.ends_with(".list") {
            one_line(&file, &bytes, facts, &mut known);
        }
    }
}

fn deb822(file: &str, bytes: &[u8], facts: &mut RepositoryFacts, known: &mut Known) {
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
                let found = repository(uri, suite, components.clone(), enabled, signed_by.clone(), evidence);
                add(facts, known, uri, found);
            }
        }
    }
}

fn one_line(file: &str, bytes: &[u8], facts: &mut RepositoryFacts, known: &mut Known) {
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
        let found = repository(uri, suite, components, true, signed_by, Evidence::line(file, number));
        add(facts, known, uri, found);
    }
}

fn words(value: &[u8]) -> Vec<Text> {
    value.split(u8::is_ascii_whitespace).filter(|word| !word.is_empty()).map(text).collect()
}

/// The path of a key, or that the key is in the file itself.
fn key_of(value: &str) -> Option<Reduced> {
    let first = value.lines().next().unwrap_or_default().trim();
    let key = if value.contains("BEGIN PGP") { EMBEDDED_KEY } else { first };
    (!key.is_empty()).then(|| Reduced::address(key))
}

fn repository(
    uri: &str,
    suite: &str,
    components: Vec<Text>,
    enabled: bool,
    signed_by: Option<Reduced>,
    evidence: Evidence,
) -> Repository {
    Repository {
        phase: tally_core::model::Phase::Shipped,
        system: System::Dpkg,
        name: suite.into(),
        uri: Reduced::address(uri),
        suite: Some(suite.into()),
        components,
        enabled,
        official: None,
        signed_by,
        packages: None,
        evidence,
    }
}

/// Where repositories are in the list, by address, suite and whether they are used; and the components that each has.
#[derive(Default)]
struct Known {
    places: FxHashMap<(String, Option<Text>, bool), usize>,
    components: FxHashSet<(usize, Text)>,
}

/// The same address and suite may be configured in several lines, each with its own components.
fn add(facts: &mut RepositoryFacts, known: &mut Known, uri: &str, mut repository: Repository) {
    let components = std::mem::take(&mut repository.components);
    let key = (uri.to_owned(), repository.suite.clone(), repository.enabled);
    let at = *known.places.entry(key).or_insert_with(|| {
        facts.repositories.push(repository);
        facts.repositories.len() - 1
    });
    for component in components {
        if known.components.insert((at, component.clone())) {
            facts.repositories[at].components.push(component);
        }
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
    let Some(rest) = behind(file, &stem(repository)).and_then(|rest| rest.strip_prefix('_')) else {
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
fn name_it(tree: &dyn Tree, repository: &mut Repository, files: &BTreeSet<Text>, label: &Label) {
    let release = release_file(repository, files);
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
        fn any_bytes_will_do(bytes in prop::collection::vec(any::<u8>(), 0..160)) {
            let tree = MemoryTree::new().file("etc/apt/sources.list", bytes.clone()).file("etc/apt/sources.list.d/x.sources", bytes);
            read(&tree as &dyn Tree, &[], &label());
        }
    }
}
