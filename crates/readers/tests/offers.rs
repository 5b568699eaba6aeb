//! Lists of repositories: what an install of each family keeps, what is handed over as files, what is kept beside a tally.
#![allow(clippy::unwrap_used, clippy::panic, reason = "tests may fail")]

use proptest::prelude::*;
use saltmarsh::{Family, World};
use std::path::Path;
use tally_core::model::{Label, Package, System};
use tally_core::offer::{Catalog, PlanOptions, answer, plan, updates};
use tally_readers::packages::{REGISTRY, from_files, keep, kept, offers_of, programs};
use tally_trees::{Folder, MemoryTree, Tree};

/// The packages of an install, whatever system they are of.
fn packages(tree: &dyn Tree) -> Vec<Package> {
    REGISTRY
        .iter()
        .filter(|reader| reader.detect(tree))
        .flat_map(|reader| reader.read(tree).packages)
        .collect()
}

fn offered(tree: &dyn Tree) -> (Vec<Package>, Vec<Catalog>) {
    let packages = packages(tree);
    let (catalogs, unread) = offers_of(tree, &packages, &Label::default());
    assert_eq!(unread, []);
    (packages, catalogs)
}

fn written(family: Family) -> tempfile::TempDir {
    let dir = tempfile::tempdir().unwrap();
    let world = World::load().unwrap();
    saltmarsh::write_install_as(&world, world.install("5.0-mudflat").unwrap(), family, dir.path()).unwrap();
    dir
}

#[test]
fn the_lists_of_an_install_hold_what_is_installed_and_more() {
    let families = ["dpkg", "rpm", "pacman", "apk", "slackware", "eopkg", "xbps", "freebsd", "portage"];
    let all = Family::ALL.iter().filter(|(name, _)| families.iter().any(|family| name.starts_with(family)));
    let mut seen = 0;
    for (name, family) in all {
        let dir = written(*family);
        let tree = Folder::open(dir.path()).unwrap();
        let (packages, catalogs) = offered(&tree);
        let Some(catalog) = catalogs.iter().find(|catalog| !catalog.system.is_sandbox()) else {
            assert!(name.starts_with("rpm"), "{name} has no lists");
            continue;
        };
        seen += 1;
        assert!(catalog.names_offered() > 150, "{name}: {}", catalog.names_offered());
        for package in
            packages.iter().filter(|one| one.system == catalog.system && one.plain_name() != "duckboard")
        {
            let same =
                catalog.named(&package.name).any(|(_, offered)| offered.package.version == package.version);
            assert!(same, "{name}: {} {} is in no list", package.name, package.version);
        }
        // The same program is to be had in each family, with what it needs there.
        let category = if catalog.system == System::Portage { "app-misc/" } else { "" };
        let asked = format!("{category}brackwater-writer").into();
        let plan = plan(&packages, catalog, &[asked], PlanOptions { recommends: true });
        assert!(plan.is_whole(), "{name}: {:?}", plan.missing);
        // Of ebuilds nothing tells what is to be downloaded; Slackware's packages name no needs.
        let has_size = catalog.system != System::Portage;
        assert_eq!(plan.download_bytes > 12_000_000, has_size, "{name}: {}", plan.download_bytes);
        let has_core = plan.added.iter().any(|one| one.package.name().ends_with("brackwater-core"));
        assert_eq!(has_core, catalog.system != System::Slackware, "{name}");
        assert_eq!(catalog.damaged().count(), 0, "{name}");
    }
    assert_eq!(seen, 11, "all families but the one that runs from an image");
}

#[test]
fn what_is_kept_answers_as_the_install_did() {
    let dir = written(Family::Dpkg);
    let tree = Folder::open(dir.path()).unwrap();
    let (packages, catalogs) = offered(&tree);
    let (known, _) = programs(&tree, System::Dpkg);
    assert!(known.len() > 30, "{}", known.len());
    let (again, programs_again) = kept(keep(&catalogs, &known).unwrap()).unwrap();
    assert_eq!(programs_again, known);
    assert_eq!(again.len(), 1);
    assert_eq!(again[0].lists, catalogs[0].lists, "counts and dates among them");
    assert_eq!(updates(&packages, &again[0]), updates(&packages, &catalogs[0]));
    let ask = |catalogs: &[Catalog]| answer(&packages, catalogs, &known, "pondskate");
    assert_eq!(ask(&again), ask(&catalogs));
    assert!(!ask(&again).sources.is_empty());
}

/// All files below a folder, as a reviewer would hand them over.
fn files(folder: &Path) -> Vec<(String, Vec<u8>)> {
    let mut found = Vec::new();
    for entry in std::fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            found.extend(files(&path));
        } else {
            found.push((path.to_string_lossy().into_owned(), std::fs::read(&path).unwrap()));
        }
    }
    found.sort();
    found
}

#[test]
fn files_that_are_handed_over_are_told_by_their_content() {
    for (name, family) in Family::ALL {
        let folder = match *name {
            "dpkg" => "var/lib/apt/lists",
            "pacman" => "var/lib/pacman/sync",
            "apk" => "var/cache/apk",
            "slackware" => "var/lib/slackpkg",
            _ => continue,
        };
        let dir = written(*family);
        let tree = Folder::open(dir.path()).unwrap();
        let (_, own) = offered(&tree);
        // Whatever they are called, and packed or not.
        let files: Vec<(String, Vec<u8>)> =
            files(&dir.path().join(folder))
                .into_iter()
                .map(|(name, bytes)| {
                    if name.ends_with("Packages") { (name, tally_trees::pack(&bytes)) } else { (name, bytes) }
                })
                .collect();
        let found = from_files(files, &own[0].arch);
        assert_eq!(found.unread, [], "{name}");
        let [catalog] = &found.catalogs[..] else { panic!("{name}: {} catalogues", found.catalogs.len()) };
        assert_eq!(catalog.system, own[0].system, "{name}");
        assert_eq!(catalog.names_offered(), own[0].names_offered(), "{name}");
        if *name == "dpkg" {
            let dates = catalog.lists.iter().filter(|list| list.date.is_some()).count();
            assert_eq!(dates, 3, "release files belong to the lists that are named like them");
            assert!(catalog.lists.iter().any(|list| list.security));
        }
    }
}

/// A tree with one file, and the catalogue that it holds.
fn one(system: System, tree: &MemoryTree) -> Catalog {
    let packages = packages(tree);
    let (catalogs, unread) = offers_of(tree, &packages, &Label::default());
    assert_eq!(unread, [], "{system}");
    catalogs.into_iter().find(|catalog| catalog.system == system).unwrap()
}

fn tar(name: &str, content: &str) -> Vec<u8> {
    let mut archive = tar::Builder::new(Vec::new());
    let mut header = tar::Header::new_ustar();
    header.set_size(content.len() as u64);
    header.set_mode(0o644);
    archive.append_data(&mut header, name, content.as_bytes()).unwrap();
    archive.into_inner().unwrap()
}

#[test]
fn lists_of_eopkg_and_xbps() {
    let index = "<PISI><Package><Name>inkcap</Name><Architecture>x86_64</Architecture><InstalledSize>400</InstalledSize><PackageSize>100</PackageSize><RuntimeDependencies><Dependency releaseFrom=\"3\">libweir</Dependency></RuntimeDependencies><History><Update release=\"7\"><Version>3.2</Version></Update><Update release=\"6\"><Version>3.1</Version></Update></History><Source><Name>inkcap-src</Name></Source></Package><Package><Name>libweir</Name><History><Update release=\"4\"><Version>2.0</Version></Update></History></Package></PISI>";
    let tree = MemoryTree::new()
        .file("var/lib/eopkg/package/x-1-1/metadata.xml", "<PISI><Package><Name>x</Name><History><Update release=\"1\"><Version>1</Version></Update></History></Package></PISI>")
        .file("var/lib/eopkg/info/repos", "<repos><repo><name>marsh</name><status>active</status></repo></repos>")
        .file("var/lib/eopkg/index/marsh/eopkg-index.xml", index);
    let catalog = one(System::Eopkg, &tree);
    let (_, inkcap) = catalog.named("inkcap").next().unwrap();
    let inkcap = &inkcap.package;
    assert_eq!(
        (inkcap.version.as_str(), inkcap.source(), inkcap.download_bytes),
        ("3.2-7", "inkcap-src", Some(100))
    );
    assert_eq!(inkcap.depends[0][0].name, "libweir");
    let plist = "<plist><dict><key>inkcap</key><dict><key>pkgver</key><string>inkcap-3.2_1</string><key>architecture</key><string>x86_64</string><key>filename-size</key><integer>77</integer><key>run_depends</key><array><string>libweir>=2.0_1</string></array></dict></dict></plist>";
    let own = "<plist><dict><key>glibc</key><dict><key>pkgver</key><string>glibc-2_1</string><key>architecture</key><string>x86_64</string><key>state</key><string>installed</string></dict></dict></plist>";
    let tree = MemoryTree::new()
        .file("var/db/xbps/pkgdb-0.38.plist", own)
        .file("etc/xbps.d/main.conf", "repository=https://repo.saltmarsh.example/current\n")
        .file(
            "var/db/xbps/https___repo_saltmarsh_example_current/x86_64-repodata",
            tar("index.plist", plist),
        );
    let catalog = one(System::Xbps, &tree);
    let (_, inkcap) = catalog.named("inkcap").next().unwrap();
    assert_eq!((inkcap.package.version.as_str(), inkcap.package.download_bytes), ("3.2_1", Some(77)));
    assert_eq!(inkcap.package.depends[0][0].name, "libweir");
}

#[test]
fn rich_needs_groups_priorities_and_exclusions_of_rpm() {
    let entry = |name: &str| format!("<rpm:entry name=\"{name}\"/>");
    let package = |name: &str, inside: &str| {
        format!(
            "<package type=\"rpm\"><name>{name}</name><arch>noarch</arch><version epoch=\"1\" ver=\"2\" rel=\"3\"/><size package=\"10\" installed=\"40\"/><format>{inside}<file>/usr/bin/{name}</file></format></package>"
        )
    };
    let list = format!(
        "<metadata>{}{}</metadata>",
        package(
            "a",
            &format!(
                "<rpm:requires>{}{}{}</rpm:requires>",
                entry("(b or c)"),
                entry("(d if e)"),
                entry("rpmlib(x)")
            )
        ),
        package("b", &format!("<rpm:supplements>{}</rpm:supplements>", entry("(a and e)"))),
    );
    let comps = "<comps><group><id>office</id><packagelist><packagereq type=\"mandatory\">a</packagereq><packagereq type=\"optional\">b</packagereq></packagelist></group></comps>";
    let files = vec![
        ("repodata/primary.xml".to_owned(), list.into_bytes()),
        ("repodata/comps.xml".to_owned(), comps.into()),
        ("repodata/updateinfo.xml".to_owned(), b"<updates><update type=\"security\"><pkglist><collection><package name=\"a\" epoch=\"1\" version=\"2\" release=\"3\"/></collection></pkglist></update><update type=\"bugfix\"><pkglist><collection><package name=\"b\" version=\"2\" release=\"3\"/></collection></pkglist></update></updates>".to_vec()),
        ("repodata/repomd.xml".to_owned(), b"<repomd><revision>1777795200</revision></repomd>".to_vec()),
    ];
    let found = from_files(files, "");
    let catalog = &found.catalogs[0];
    let (_, a) = catalog.named("a").next().unwrap();
    assert_eq!((a.package.version.as_str(), a.package.depends.len(), a.conditional.len()), ("1:2-3", 1, 1));
    assert_eq!(a.package.depends[0].iter().map(|one| one.name.as_str()).collect::<Vec<_>>(), ["b", "c"]);
    assert_eq!((a.conditional[0].need[0].name.as_str(), a.conditional[0].when.name.as_str()), ("d", "e"));
    assert_eq!(catalog.providing("/usr/bin/a").count(), 1);
    let (_, b) = catalog.brought().next().unwrap();
    assert_eq!(b.brought_by[0].iter().map(|one| one.name.as_str()).collect::<Vec<_>>(), ["a", "e"]);
    assert_eq!(catalog.groups["office"], ["a"]);
    let there = ["a", "b"].map(|name| Package::new(System::Rpm, name, "1:1-1"));
    let waiting = updates(&there, catalog);
    assert_eq!(waiting.packages.len(), 2);
    assert_eq!(waiting.security().map(|one| one.package.name()).collect::<Vec<_>>(), ["a"]);
    assert_eq!(catalog.lists[0].date.as_deref(), Some("2026-05-03T08:00:00Z"));
}

#[test]
fn pins_holds_and_lists_without_names() {
    let stanza =
        |name: &str, version: &str| format!("Package: {name}\nVersion: {version}\nArchitecture: amd64\n\n");
    let tree = MemoryTree::new()
        .file("var/lib/dpkg/status", "Package: dpkg\nStatus: hold ok installed\nVersion: 1\nArchitecture: amd64\n\n")
        .file("etc/apt/sources.list", "deb https://a.example x main\ndeb https://b.example y main\n")
        .file("etc/apt/preferences.d/own.pref", "Explanation: why\nPackage: inkcap other\nPin: release n=y, o=Marsh\nPin-Priority: 900\n\nPackage: *\nPin: origin \"a.example\"\nPin-Priority: nonsense\n")
        .file("etc/apt/preferences.d/passed.by", "Package: *\nPin: release a=x\nPin-Priority: -1\n")
        .file("etc/apt/apt.conf.d/99own", "APT::Install-Recommends \"false\";\n")
        .file("var/lib/apt/lists/a.example_dists_x_main_binary-amd64_Packages", stanza("inkcap", "2") + &stanza("dpkg", "2") + "Version: 4\n\n")
        .file("var/lib/apt/lists/b.example_dists_y_main_binary-amd64_Packages", stanza("inkcap", "1"))
        .file("var/lib/apt/lists/b.example_dists_y_InRelease", "Origin: Marsh\nCodename: y\nDate: Fri, 01 May 2026  8:00:00 UTC\nNotAutomatic: yes\nMD5Sum:\nSuite: no\n");
    let packages = packages(&tree);
    assert!(packages[0].held);
    let (catalogs, unread) = offers_of(&tree, &packages, &Label::default());
    assert_eq!(unread.len(), 1, "a stanza without a name is noted: {unread:?}");
    let catalog = &catalogs[0];
    assert_eq!(catalog.policy.pins.len(), 1);
    assert!(catalog.policy.without_recommends);
    assert_eq!(catalog.candidate("inkcap", None).unwrap().1.package.version, "1");
    assert_eq!(catalog.lists[1].date.as_deref(), Some("2026-05-01T08:00:00Z"));
    assert_eq!((catalog.lists[1].priority, catalog.lists[1].suite.as_str()), (1, ""));
    assert!(updates(&packages, catalog).packages[0].held);
}

#[test]
fn a_release_that_is_wanted_by_name_comes_before_a_newer_version() {
    let stanza = |version: &str| format!("Package: inkcap\nVersion: {version}\nArchitecture: amd64\n\n");
    let tree = MemoryTree::new()
        .file(
            "var/lib/dpkg/status",
            "Package: dpkg\nStatus: install ok installed\nVersion: 1\nArchitecture: amd64\n\n",
        )
        .file("etc/apt/sources.list", "deb https://a.example x main\ndeb https://a.example y main\n")
        .file("var/lib/apt/lists/a.example_dists_x_main_binary-amd64_Packages", stanza("1"))
        .file("var/lib/apt/lists/a.example_dists_y_main_binary-amd64_Packages", stanza("2"))
        .file("var/lib/apt/lists/a.example_dists_x_InRelease", "Suite: stable\nCodename: x\nVersion: 9.1\n")
        .file("var/lib/apt/lists/a.example_dists_y_InRelease", "Suite: testing\nCodename: y\n");
    let taken = |tree: &MemoryTree| {
        let (catalogs, _) = offers_of(tree, &packages(tree), &Label::default());
        catalogs[0].candidate("inkcap", None).unwrap().1.package.version.to_string()
    };
    assert_eq!(taken(&tree), "2");
    for wanted in ["stable", "x"] {
        let tree = tree
            .clone()
            .file("etc/apt/apt.conf.d/00release", format!("APT::Default-Release \"{wanted}\";\n"));
        assert_eq!(taken(&tree), "1", "{wanted}");
    }
    let pattern = tree.file("etc/apt/apt.conf.d/00release", "APT::Default-Release \"/^s/\";\n");
    assert_eq!(taken(&pattern), "2");
}

#[test]
fn what_is_cut_off_packed_too_tightly_or_no_list_is_said() {
    let dir = written(Family::Pacman);
    let list = std::fs::read(dir.path().join("var/lib/pacman/sync/marsh.db")).unwrap();
    let cut = list[..list.len() / 2 + 100].to_vec();
    let bomb = tally_trees::pack(&vec![0; 3 << 20]);
    let found = from_files(
        vec![
            ("cut.db".into(), cut),
            ("bomb".into(), bomb),
            ("text".into(), b"hello".to_vec()),
            ("empty".into(), Vec::new()),
        ],
        "x86_64",
    );
    let named: Vec<&str> = found.unread.iter().map(|one| one.file.as_str()).collect();
    assert_eq!(named, ["cut.db", "bomb", "text", "empty"]);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]
    #[test]
    fn any_file_will_do(bytes in prop::collection::vec(any::<u8>(), 0..400), head in prop::sample::select(vec![
        &b"Package: a\nVersion: 1\n"[..], b"<metadata><package>", b"<PISI><Package>", b"PACKAGE NAME: a-1-x-1.txz\n", b"{\"offer_version\":1,", b"<components>", b"---\nFile: DEP-11\n", b"SQLite format 3\0",
    ])) {
        let whole = [head, &bytes].concat();
        let found = from_files(vec![("a".into(), whole.clone()), ("b".into(), tally_trees::pack(&whole))], "amd64");
        for catalog in &found.catalogs {
            catalog.names().for_each(|(_, at)| _ = catalog.get(at));
            _ = plan(&[], catalog, &["a".into()], PlanOptions { recommends: true });
        }
        _ = kept(bytes);
    }
}
