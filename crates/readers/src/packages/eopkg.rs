//! Packages of eopkg: a folder each, with XML in it. See `docs/formats/eopkg.md`.

use super::files::{Files, survey_each};
use super::offers::{LINES, ListRead};
use super::{Owners, PackageFacts, PackageReader, RepositoryFacts, WantedPaths, native_arch};
use crate::text::{filled, lines, name_text, text, time_text};
use crate::xml::{Step, walk, walk_stream};
use rayon::prelude::*;
use rustc_hash::FxHashSet;
use smallvec::smallvec;
use std::io::{BufRead, BufReader};
use std::path::Path;
use tally_core::model::{
    Alternatives, Dependency, Evidence, Label, Package, Reason, Reduced, Repository, System, Text, Unread,
    VersionOp,
};
use tally_core::offer::{Catalog, Offered, PackageList};
use tally_trees::{NodeKind, Stream, Tree, unpacking};

const PACKAGES: &str = "var/lib/eopkg/package";
const AUTOMATIC: &str = "var/lib/eopkg/info/automatic";
const REPOSITORIES: &str = "var/lib/eopkg/info/repos";

/// The eopkg reader.
#[derive(Debug)]
pub struct Eopkg;

impl PackageReader for Eopkg {
    fn system(&self) -> System {
        System::Eopkg
    }

    fn paths(&self) -> &'static [&'static str] {
        &["var/lib/eopkg package/*.xml info/automatic"]
    }

    fn page(&self) -> &'static str {
        "eopkg"
    }

    fn detect(&self, tree: &dyn Tree) -> bool {
        tree.is_folder(PACKAGES)
    }

    fn read(&self, tree: &dyn Tree) -> PackageFacts {
        let mut facts = PackageFacts::default();
        let automatic = tree.read(AUTOMATIC).ok().map(|bytes| -> FxHashSet<Text> {
            lines(&bytes).map(|(_, line)| text(line)).filter(|name| !name.is_empty()).collect()
        });
        let folders = tree.names(PACKAGES).into_iter().filter(|entry| entry.kind == NodeKind::Folder);
        let folders: Vec<Text> = folders.map(|entry| name_text(&entry.name)).collect();
        let read: Vec<(Option<Package>, Option<Unread>)> =
            folders.par_iter().map(|folder| read_one(tree, folder)).collect();
        for (package, problem) in read {
            facts.unread.extend(problem);
            facts.packages.extend(package.map(|mut package| {
                package.reason = match &automatic {
                    None => Reason::Unknown,
                    Some(names) if names.contains(&package.name) => Reason::Dependency,
                    Some(_) => Reason::Explicit,
                };
                package
            }));
        }
        facts.native_arch = native_arch(&facts.packages, &["glibc", "eopkg"]);
        facts
    }

    fn scan_file_lists(&self, tree: &dyn Tree, packages: &[Package], wanted: &WantedPaths) -> Owners {
        survey_each(packages, System::Eopkg, |at, package| files_of(tree, at, package, wanted))
    }

    fn repositories(&self, tree: &dyn Tree, packages: &[Package], label: &Label) -> RepositoryFacts {
        let mut facts = RepositoryFacts::default();
        let Ok(bytes) = tree.read(REPOSITORIES) else { return facts };
        facts.repositories = repositories(tree, &bytes, label, &mut facts.unread);
        read_offer(tree, packages, &mut facts);
        facts
    }
}

/// What is read of one package; a document that breaks off gives what is before.
fn read_one(tree: &dyn Tree, folder: &str) -> (Option<Package>, Option<Unread>) {
    let file = format!("{PACKAGES}/{folder}/metadata.xml");
    let bytes = match tree.read(&file) {
        Ok(bytes) => bytes,
        Err(error) => return (None, Some(Unread::whole(file, error.why.to_string()))),
    };
    let mut description = Description::new();
    let end = walk(&bytes, |step| description.step(&step));
    let problem = end.err().map(|end| Unread::at(file.as_str(), end.line, end.why));
    let Some(mut package) = description.package() else {
        return (None, problem.or_else(|| Some(Unread::whole(file, "has no name and version"))));
    };
    let changed = tree.node(Path::new(&file), true).map(|node| node.changed_at);
    package.installed_at = changed.ok().and_then(time_text);
    package.evidence = Evidence::file(file);
    (Some(package), problem)
}

/// What a document says of a package, as far as it was read.
#[derive(Debug)]
struct Description {
    package: Package,
    release: Text,
    /// Whether no update was read yet: the newest is the first one.
    latest: bool,
    licenses: Vec<Text>,
    asked: Option<(VersionOp, Text)>,
    any: Alternatives,
}

impl Description {
    fn new() -> Self {
        Self {
            package: Package::new(System::Eopkg, "", ""),
            release: Text::default(),
            latest: true,
            licenses: Vec::new(),
            asked: None,
            any: Alternatives::new(),
        }
    }

    fn step(&mut self, step: &Step<'_>) {
        match step {
            Step::Open { path, attributes } => match path {
                [_, top, .., last] if top == "Package" && (last == "Dependency" || last == "Package") => {
                    self.asked =
                        attributes.iter().find_map(|(key, value)| Some((asked_op(key)?, value.clone())));
                }
                [_, top, history, update]
                    if top == "Package" && history == "History" && update == "Update" && self.latest =>
                {
                    let release = attributes.iter().find(|(key, _)| key == "release");
                    self.release = release.map(|(_, v)| v.clone()).unwrap_or_default();
                }
                _ => {}
            },
            Step::Close { path, text } => {
                let names: Vec<&str> = path.iter().skip(1).map(Text::as_str).collect();
                self.close(&names, text);
            }
        }
    }

    fn close(&mut self, names: &[&str], text: &str) {
        let package = &mut self.package;
        let one = |asked: &mut Option<(VersionOp, Text)>| {
            let (op, version) = asked.take().map_or((None, None), |(op, version)| (Some(op), Some(version)));
            Dependency { name: text.into(), op, version }
        };
        match names {
            ["Package", "Name"] => package.name = text.into(),
            // Summaries come in many languages, the first without one.
            ["Package", "Summary"] if package.summary.is_empty() => package.summary = text.into(),
            ["Package", "PartOf"] => package.section = text.into(),
            ["Package", "License"] => self.licenses.push(text.into()),
            // The newest update is the first.
            ["Package", "History", "Update", "Date"] if package.built.is_none() => {
                package.built = tally_core::model::day_of(text).map(|day| day.to_string().into());
            }
            ["Package", "Architecture"] => package.arch = text.into(),
            ["Package", "InstalledSize"] => package.installed_bytes = text.parse().ok(),
            ["Package", "PackageSize"] => package.download_bytes = text.parse().ok(),
            ["Package", "RuntimeDependencies", "Dependency"] => {
                package.depends.push(smallvec![one(&mut self.asked)]);
            }
            ["Package", "RuntimeDependencies", "AnyDependency", "Dependency"] => {
                self.any.push(one(&mut self.asked));
            }
            ["Package", "RuntimeDependencies", "AnyDependency"] => {
                package.depends.push(std::mem::take(&mut self.any));
            }
            ["Package", "Conflicts", "Package"] => package.conflicts.push(one(&mut self.asked)),
            ["Package", "Replaces", "Package"] => package.replaces.push(one(&mut self.asked)),
            ["Package", "Provides", "PkgConfig"] => {
                package.provides.push(Dependency {
                    name: format!("pkgconfig({text})").into(),
                    op: None,
                    version: None,
                });
            }
            ["Package", "History", "Update", "Version"] if self.latest => package.version = text.into(),
            ["Package", "History", "Update"] => self.latest = false,
            ["Source", "Name"] | ["Package", "Source", "Name"] => package.source = filled(text.into()),
            ["Source", "Homepage"] => package.homepage = text.into(),
            _ => {}
        }
    }

    /// The package; `None` where it has no name or no version.
    fn package(self) -> Option<Package> {
        let Self { mut package, release, licenses, .. } = self;
        if package.name.is_empty() || package.version.is_empty() {
            return None;
        }
        package.upstream_version = package.version.clone();
        if !release.is_empty() {
            package.version = smol_str::format_smolstr!("{}-{release}", package.version);
        }
        let Package { name, source, .. } = &mut package;
        source.take_if(|source| source == name);
        package.license = (!licenses.is_empty()).then(|| licenses.join(" AND ").into());
        Some(package)
    }
}

/// Bytes that a list may have once it is unpacked.
const LIST_LIMIT: u64 = 1 << 30;

/// Reads a list of a repository, packed or not: `eopkg-index.xml`.
pub(crate) fn read_list(packed: impl BufRead) -> Result<ListRead, String> {
    let unpacked = unpacking(packed, LIST_LIMIT).map_err(|error| error.to_string())?;
    let mut read = ListRead::of(&LINES);
    let mut here = Description::new();
    let end = walk_stream(BufReader::with_capacity(1 << 18, unpacked), |step| {
        here.step(&step);
        if let Step::Close { path: [_, last], .. } = &step
            && last == "Package"
        {
            match std::mem::replace(&mut here, Description::new()).package() {
                Some(package) => read.push(&Offered::of(package)),
                None => read.nameless += 1,
            }
        }
    });
    match end {
        Err((_, why)) if read.names.is_empty() => Err(why),
        Err(_) => {
            read.nameless += 1;
            Ok(read)
        }
        Ok(()) => Ok(read),
    }
}

/// The lists that eopkg keeps, one a repository.
fn read_offer(tree: &dyn Tree, packages: &[Package], facts: &mut RepositoryFacts) {
    let arch = native_arch(packages, &["glibc", "eopkg"]).unwrap_or_default();
    let mut catalog = Catalog::new(System::Eopkg, arch);
    for at in 0..facts.repositories.len() {
        let repository = &facts.repositories[at];
        let files = ["eopkg-index.xml", "eopkg-index.xml.xz"]
            .map(|name| format!("var/lib/eopkg/index/{}/{name}", repository.name));
        let Some(file) = files.into_iter().find(|file| repository.enabled && tree.exists(file)) else {
            continue;
        };
        let list = PackageList {
            repository: repository.name.clone(),
            date: tree.node(Path::new(&file), true).ok().and_then(|node| time_text(node.changed_at)),
            file: file.as_str().into(),
            priority: i32::try_from(at).map_or(i32::MIN, |at| -at),
            ..PackageList::default()
        };
        let bytes = tree.open(Path::new(&file)).map_err(|error| error.why.to_string());
        match bytes.and_then(|bytes| read_list(BufReader::new(Stream::of(bytes.into())))) {
            Ok(read) => facts.offer(&mut catalog, list, at, vec![read]),
            Err(why) => facts.unread.push(Unread::whole(file, why)),
        }
    }
    facts.catalog = (!catalog.lists.is_empty()).then_some(catalog);
}

/// `releaseFrom`, `releaseTo`, `release`, `versionFrom` ...: which way a need compares.
fn asked_op(key: &str) -> Option<VersionOp> {
    match key {
        "releaseFrom" | "versionFrom" => Some(VersionOp::AtLeast),
        "releaseTo" | "versionTo" => Some(VersionOp::AtMost),
        "release" | "version" => Some(VersionOp::Exactly),
        _ => None,
    }
}

fn files_of(tree: &dyn Tree, at: usize, package: &Package, wanted: &WantedPaths) -> Owners {
    let mut files = Files::of(at, wanted);
    let mut problem = None;
    if let Some(folder) = package.evidence.file.strip_suffix("/metadata.xml") {
        let file = format!("{folder}/files.xml");
        match tree.read(&file) {
            Ok(bytes) => {
                let end = walk(&bytes, |step| {
                    if let Step::Close { path: [.., element, last], text } = step
                        && element == "File"
                        && last == "Path"
                    {
                        files.path(text.as_bytes());
                    }
                });
                problem = end.err().map(|end| Unread::at(file, end.line, end.why));
            }
            Err(error) => problem = Some(Unread::whole(file, error.why.to_string())),
        }
    }
    let mut owners = files.done();
    owners.unread.extend(problem);
    owners
}

/// Each repository with its name, and its address in a file of its own.
fn repositories(tree: &dyn Tree, bytes: &[u8], label: &Label, unread: &mut Vec<Unread>) -> Vec<Repository> {
    let mut repositories: Vec<Repository> = Vec::new();
    let end = walk(bytes, |step| {
        let Step::Close { path: [.., element, last], text } = step else { return };
        if !element.eq_ignore_ascii_case("repo") {
            return;
        }
        match last.to_lowercase().as_str() {
            "name" => {
                let address = tree.read(format!("var/lib/eopkg/index/{text}/uri"));
                let uri = address.map(|bytes| crate::text::text(&bytes)).unwrap_or_default();
                repositories.push(
                    Repository::new(
                        System::Eopkg,
                        text,
                        Reduced::address(&uri),
                        Evidence::file(REPOSITORIES),
                    )
                    .owned_by(&label.distro_id),
                );
            }
            "status" if text == "inactive" => {
                if let Some(last) = repositories.last_mut() {
                    last.enabled = false;
                }
            }
            _ => {}
        }
    });
    unread.extend(end.err().map(|end| Unread::at(REPOSITORIES, end.line, end.why)));
    repositories
}

#[cfg(test)]
mod tests {
    use super::*;
    use tally_trees::MemoryTree;

    #[test]
    fn metadata_reasons_files_and_repositories() {
        let metadata = "<PISI>\n<Source><Name>inkcap-src</Name><Homepage>https://inkcap.example</Homepage></Source>\n<Package><Name>inkcap</Name><Summary xml:lang=\"en\">A text editor</Summary><Summary xml:lang=\"de\">Ein Editor</Summary><PartOf>editor</PartOf><License>MIT</License><License>ISC</License>\
<RuntimeDependencies><Dependency releaseFrom=\"3\">libweir</Dependency><AnyDependency><Dependency>a</Dependency><Dependency>b</Dependency></AnyDependency></RuntimeDependencies>\
<History><Update release=\"45\"><Version>3.2.1</Version></Update><Update release=\"44\"><Version>3.1</Version></Update></History><Architecture>x86_64</Architecture><InstalledSize>4096</InstalledSize></Package></PISI>";
        let tree = MemoryTree::new()
            .file("var/lib/eopkg/package/inkcap-3.2.1-45/metadata.xml", metadata)
            .file(
                "var/lib/eopkg/package/inkcap-3.2.1-45/files.xml",
                "<Files><File><Path>usr/share/applications/inkcap.desktop</Path><Type>data</Type></File></Files>",
            )
            .file("var/lib/eopkg/package/torn-1-1/metadata.xml", "<PISI>\n<Package>")
            .file("var/lib/eopkg/info/automatic", "libweir\n")
            .file("var/lib/eopkg/info/repos", "<REPOS><REPO><Name>Marsh</Name><Status>active</Status></REPO></REPOS>")
            .file("var/lib/eopkg/index/Marsh/uri", "https://pkg.saltmarsh.example/index.xml.xz\n");
        let facts = Eopkg.read(&tree);
        assert_eq!(facts.packages.len(), 1);
        let inkcap = &facts.packages[0];
        assert_eq!((inkcap.version.as_str(), inkcap.upstream_version.as_str()), ("3.2.1-45", "3.2.1"));
        assert_eq!(
            (inkcap.reason, inkcap.summary.as_str(), inkcap.source()),
            (Reason::Explicit, "A text editor", "inkcap-src")
        );
        assert_eq!(inkcap.license.as_deref(), Some("MIT AND ISC"));
        assert_eq!(inkcap.depends.iter().map(|any| any.len()).collect::<Vec<_>>(), [1, 2]);
        assert_eq!(inkcap.depends[0][0].op, Some(VersionOp::AtLeast));
        assert_eq!(facts.unread[0].line, Some(2), "{:?}", facts.unread);
        let mut wanted = WantedPaths::new(false);
        wanted.add(b"usr/share/applications/inkcap.desktop");
        let owners = Eopkg.scan_file_lists(&tree, &facts.packages, &wanted);
        assert_eq!(owners.of(&wanted, b"usr/share/applications/inkcap.desktop"), Some(0));
        let repositories = Eopkg.repositories(&tree, &[], &Label::default()).repositories;
        assert_eq!(repositories[0].uri, "https://pkg.saltmarsh.example/index.xml.xz");
    }
}
