//! What the trees of ebuilds offer: `metadata/md5-cache`, a file of keys for each version, as the Package Manager Specification has it.

use super::{needs, split};
use crate::packages::offers::{LINES, ListRead};
use crate::text::{filled, lines, name_text, text};
use rayon::prelude::*;
use rustc_hash::FxHashSet;
use tally_core::model::{Package, System, Text};
use tally_core::offer::Offered;
use tally_core::systems::upstream;
use tally_trees::{NodeKind, Tree};

/// Versions that are looked at in one tree.
const MOST: usize = 200_000;

/// Reads the cache of a tree at a place; `None` where there is none. `keywords` are those that are accepted.
pub(super) fn list_of(tree: &dyn Tree, location: &str, keywords: &[Text]) -> Option<ListRead> {
    let folder = format!("{}/metadata/md5-cache", location.trim_matches('/'));
    if !tree.is_folder(&folder) {
        return None;
    }
    let categories = tree.names(&folder).into_iter().filter(|entry| entry.kind == NodeKind::Folder);
    let all: Vec<(Text, Text)> = categories
        .flat_map(|category| {
            let category = name_text(&category.name);
            let files = tree.names(format!("{folder}/{category}"));
            files.into_iter().map(|entry| (category.clone(), name_text(&entry.name))).collect::<Vec<_>>()
        })
        .take(MOST)
        .collect();
    let offered: Vec<Option<Offered>> = all
        .par_iter()
        .map(|(category, file)| {
            let bytes = tree.read(format!("{folder}/{category}/{file}")).ok()?;
            offered(category, file, &bytes, keywords)
        })
        .collect();
    let mut read = ListRead::of(&LINES);
    offered.iter().flatten().for_each(|offered| read.push(offered));
    Some(read)
}

/// The package of a file; `None` for one that is not for this machine, or not named like a version.
fn offered(category: &str, file: &str, bytes: &[u8], keywords: &[Text]) -> Option<Offered> {
    let (name, version) = split(file)?;
    let mut package = Package::new(System::Portage, format!("{category}/{name}"), version);
    package.upstream_version = upstream(System::Portage, version).into();
    package.section = category.into();
    let (mut switches, mut accepted) = (Text::default(), keywords.is_empty());
    let mut stated = Vec::new();
    for (_, line) in lines(bytes) {
        let mut parts = line.splitn(2, |byte| *byte == b'=');
        let (Some(key), Some(value)) = (parts.next(), parts.next().map(text)) else { continue };
        match key {
            b"DESCRIPTION" => package.summary = value,
            b"HOMEPAGE" => package.homepage = value.split(' ').next().unwrap_or_default().into(),
            b"LICENSE" => package.license = filled(value),
            b"IUSE" => switches = value,
            b"KEYWORDS" => {
                accepted |= value.split(' ').any(|word| keywords.iter().any(|known| known == word));
            }
            b"RDEPEND" | b"PDEPEND" => stated.push(value),
            _ => {}
        }
    }
    // Switches that are on unless somebody turns them off.
    let on: FxHashSet<&str> = switches.split(' ').filter_map(|switch| switch.strip_prefix('+')).collect();
    for text in &stated {
        let mut needs = needs::read(text, &on);
        package.depends.append(&mut needs.all);
        package.conflicts.append(&mut needs.enemies);
    }
    accepted.then(|| Offered::of(package))
}

/// The keywords that are accepted: that of the machine, and what `make.conf` adds.
pub(super) fn keywords(tree: &dyn Tree, arch: &str) -> Vec<Text> {
    let own = match arch {
        "x86_64" => "amd64",
        "aarch64" => "arm64",
        other => other,
    };
    let mut all: Vec<Text> = filled(own.into()).into_iter().collect();
    let bytes = tree.read("etc/portage/make.conf").unwrap_or_default();
    for (_, line) in lines(&bytes) {
        if let Some(value) = text(line).strip_prefix("ACCEPT_KEYWORDS=") {
            all.extend(value.trim_matches(['"', '\'']).split_ascii_whitespace().map(Text::from));
        }
    }
    all
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use tally_trees::MemoryTree;

    fn tree(make_conf: &str) -> MemoryTree {
        let file = |keywords: &str, needs: &str| {
            format!(
                "DESCRIPTION=a text editor\nIUSE=+gtk spell\nKEYWORDS={keywords}\nRDEPEND={needs}\nSLOT=0\n"
            )
        };
        let folder = "var/db/repos/marsh/metadata/md5-cache";
        let needs = "gtk? ( x11-libs/weir ) spell? ( app-text/reed ) || ( a/b c/d ) !app-misc/old";
        MemoryTree::new()
            .file(format!("{folder}/app-misc/inkcap-3.2-r1"), file("amd64 ~arm64", needs))
            .file(format!("{folder}/app-misc/inkcap-4.0"), file("~amd64", ""))
            .file(format!("{folder}/app-misc/nameless"), file("amd64", ""))
            .file("etc/portage/make.conf", make_conf)
    }

    fn versions(make_conf: &str, arch: &str) -> Vec<Text> {
        let tree = tree(make_conf);
        let read = list_of(&tree, "/var/db/repos/marsh/", &keywords(&tree, arch)).unwrap();
        let record =
            |(begin, end, _): &(u32, u32, u64)| (LINES.read)(&read.bytes[*begin as usize..*end as usize]);
        read.names.iter().filter_map(record).map(|offered| offered.package.version).collect()
    }

    #[test]
    fn keywords_decide_which_versions_count() {
        assert_eq!(versions("", "x86_64"), ["3.2-r1"]);
        assert_eq!(versions("ACCEPT_KEYWORDS=\"~amd64\"\n", "x86_64"), ["3.2-r1", "4.0"]);
        assert_eq!(versions("", "aarch64"), [""; 0], "only tested there");
        assert_eq!(versions("", "").len(), 2, "without a machine all count");
        assert!(list_of(&tree(""), "usr/portage", &[]).is_none());
    }

    #[test]
    fn switches_that_are_on_by_default_decide_what_is_needed() {
        let tree = tree("");
        let bytes = (&tree as &dyn Tree)
            .read("var/db/repos/marsh/metadata/md5-cache/app-misc/inkcap-3.2-r1")
            .unwrap();
        let package = offered("app-misc", "inkcap-3.2-r1", &bytes, &["amd64".into()]).unwrap().package;
        let needs: Vec<Vec<&str>> =
            package.depends.iter().map(|any| any.iter().map(|one| one.name.as_str()).collect()).collect();
        assert_eq!(needs, [vec!["x11-libs/weir"], vec!["a/b", "c/d"]]);
        assert_eq!(package.conflicts[0].name, "app-misc/old");
        assert_eq!((package.name.as_str(), package.summary.as_str()), ("app-misc/inkcap", "a text editor"));
    }

    proptest! {
        #[test]
        fn any_bytes_will_do(bytes in prop::collection::vec(any::<u8>(), 0..160), lines in "((RDEPEND|IUSE|KEYWORDS)=[a-z(|) ?!/+]{0,20}\n){0,6}") {
            _ = offered("a", "b-1", &bytes, &[]);
            _ = offered("a", "b-1", lines.as_bytes(), &["amd64".into()]);
        }
    }
}
