//! Repositories of yum, dnf and zypp (`*.repo`), and of urpmi.

use super::offer;
use crate::keyfile::{Group, KeyFile};
use crate::packages::{Origin, RepositoryFacts};
use crate::text::{lines, name_text, text, time_text};
use tally_core::model::{Evidence, Label, Package, Reduced, Repository, System, Text, Unread};
use tally_core::offer::{Catalog, PackageList};
use tally_trees::Tree;

const FOLDERS: &[&str] =
    &["etc/yum.repos.d", "etc/distro.repos.d", "usr/share/dnf5/repos.d", "etc/zypp/repos.d"];
const DNF_CONF: &str = "etc/dnf/dnf.conf";
const URPMI: &str = "etc/urpmi/urpmi.cfg";

/// What dnf calls the place of a package that was given as a file.
const BY_HAND: &str = "@commandline";

pub(super) fn read(tree: &dyn Tree, packages: &[Package], label: &Label) -> RepositoryFacts {
    let mut facts = RepositoryFacts::default();
    let mut priorities: Vec<i32> = Vec::new();
    for folder in FOLDERS {
        for entry in tree.names(folder) {
            let name = name_text(&entry.name);
            let path = format!("{folder}/{name}");
            if !name.ends_with(".repo") {
                continue;
            }
            let Ok(bytes) = tree.read(&path) else { continue };
            // Further addresses of a repository stand on lines of their own; the first is the one that is shown.
            for group in KeyFile::parse(&path, &bytes).groups().filter(|group| group.name() != "main") {
                if facts.repositories.iter().all(|known| known.name != group.name()) {
                    facts.repositories.push(repository(group, &path, label));
                    priorities.push(
                        group.get("priority").and_then(|value| value.trim().parse().ok()).unwrap_or(99),
                    );
                }
            }
        }
    }
    if let Ok(bytes) = tree.read(URPMI) {
        urpmi(&bytes, label, &mut facts.repositories);
    }
    facts.origins = origins(&facts.repositories, packages);
    read_offer(tree, packages, &priorities, &mut facts);
    facts
}

/// What the lists offer that dnf or zypp keep.
fn read_offer(tree: &dyn Tree, packages: &[Package], priorities: &[i32], facts: &mut RepositoryFacts) {
    let arch = super::native_arch(packages, &["rpm", "glibc"]).unwrap_or_default();
    let mut catalog = Catalog::new(System::Rpm, arch);
    let settings = tree.read(DNF_CONF).map(|bytes| KeyFile::parse(DNF_CONF, &bytes)).ok();
    let main = settings.as_ref().and_then(|file| file.groups().find(|group| group.name() == "main"));
    let patterns = |key: &str| -> Vec<Text> {
        let value = main.and_then(|main| main.get(key)).cloned().unwrap_or_default();
        value.split([',', ' ']).filter(|word| !word.is_empty()).map(Text::from).collect()
    };
    catalog.policy.excluded = [patterns("exclude"), patterns("excludepkgs")].concat();
    catalog.policy.without_recommends = main
        .and_then(|main| main.get("install_weak_deps"))
        .is_some_and(|value| ["0", "no", "false", "off"].contains(&value.to_lowercase().as_str()));
    for at in 0..facts.repositories.len() {
        let repository = &facts.repositories[at];
        let Some(kept) = repository.enabled.then(|| offer::kept(tree, &repository.name)).flatten() else {
            continue;
        };
        let list = PackageList {
            repository: repository.name.clone(),
            site: repository.uri.split('/').nth(2).unwrap_or_default().into(),
            date: kept.made.and_then(time_text),
            file: kept.file.as_str().into(),
            security: repository.name.contains("security"),
            // The smaller the number, the more it counts.
            priority: priorities.get(at).map_or(0, |priority| priority.saturating_neg()),
            ..PackageList::default()
        };
        match offer::read_file(tree, &kept.file) {
            Ok(mut read) => {
                if let Some(bytes) = kept.groups.and_then(|file| tree.read(file).ok()) {
                    read.groups = offer::groups(bytes);
                }
                if let Some(bytes) = kept.errata.and_then(|file| tree.read(file).ok()) {
                    read.fixes = offer::fixes(bytes.as_slice());
                }
                facts.offer(&mut catalog, list, at, vec![read]);
            }
            Err(why) => facts.unread.push(Unread::whole(kept.file, why)),
        }
    }
    facts.catalog = (!catalog.lists.is_empty()).then_some(catalog);
}

fn repository(group: &Group, path: &str, label: &Label) -> Repository {
    let uri = ["baseurl", "metalink", "mirrorlist"].iter().find_map(|key| group.get(key)).cloned();
    let uri = uri.unwrap_or_default();
    let uri = uri.split_whitespace().next().unwrap_or_default();
    Repository {
        enabled: group.get("enabled").is_none_or(|_| group.is_true("enabled")),
        signed_by: group.get("gpgkey").and_then(|keys| keys.split_whitespace().next()).map(Reduced::address),
        ..Repository::new(System::Rpm, group.name(), Reduced::address(uri), Evidence::file(path))
            .owned_by(&label.distro_id)
    }
}

/// `name address {` opens a block of settings, `}` closes it; a backslash keeps a space in a name.
fn urpmi(bytes: &[u8], label: &Label, repositories: &mut Vec<Repository>) {
    for (number, line) in lines(bytes) {
        let line = text(line).replace("\\ ", "\u{0}");
        if let Some(head) = line.strip_suffix('{') {
            let mut words = head.split_whitespace().map(|word| word.replace('\u{0}', " "));
            let (Some(name), uri) = (words.next(), words.next().unwrap_or_default()) else { continue };
            repositories.push(
                Repository::new(System::Rpm, name, Reduced::address(&uri), Evidence::line(URPMI, number))
                    .owned_by(&label.distro_id),
            );
        } else if let (Some(last), Some((key, value))) = (repositories.last_mut(), line.split_once(':')) {
            if key.trim() == "key-ids" {
                last.signed_by = Some(Reduced::value(value.trim()));
            }
        } else if line.trim() == "ignore"
            && let Some(last) = repositories.last_mut()
        {
            last.enabled = false;
        }
    }
}

/// Where packages came from, as the resolver remembers; empty where it remembers nothing.
fn origins(repositories: &[Repository], packages: &[Package]) -> Vec<(usize, Origin)> {
    let own = packages.iter().enumerate().filter(|(_, package)| package.system == System::Rpm);
    let origins: Vec<(usize, Origin)> = own
        .map(|(at, package)| {
            let name = package.repository.as_deref();
            let repository = repositories.iter().position(|one| Some(one.name.as_str()) == name);
            (
                at,
                Origin {
                    known: name != Some(BY_HAND),
                    exact: repository.map(|at| (at, None)),
                    section: None,
                },
            )
        })
        .collect();
    let tells_nothing = origins.iter().all(|(_, origin)| origin.known && origin.exact.is_none());
    if tells_nothing { Vec::new() } else { origins }
}

#[cfg(test)]
mod tests {
    use super::*;
    use tally_trees::MemoryTree;

    #[test]
    fn files_of_yum_zypp_and_urpmi() {
        let tree = MemoryTree::new()
            .file(
                "etc/yum.repos.d/marsh.repo",
                "[marsh]\nname=Marsh\nbaseurl=https://u:p@pkg.saltmarsh.example/$releasever\n  https://second.example\ngpgkey=file:///k\n[marsh-debug]\nmetalink=https://m.example\nenabled=0\n",
            )
            .file("etc/zypp/repos.d/extra.repo", "[extra]\nenabled=1\nbaseurl=hd:/x\npriority=99\n")
            .file("etc/urpmi/urpmi.cfg", "{\n}\nCore\\ Release https://core.example {\n  key-ids: 8074\n  ignore\n}\n");
        let label = Label { distro_id: "saltmarsh".into(), ..Label::default() };
        let mut package = Package::new(System::Rpm, "inkcap", "1-1");
        package.repository = Some("marsh".into());
        let mut by_hand = Package::new(System::Rpm, "odd", "1-1");
        by_hand.repository = Some(BY_HAND.into());
        let mut packages = [package, by_hand];
        let mut facts = read(&tree, &packages, &label);
        facts.place(System::Rpm, &mut packages);
        let said: Vec<(&str, &str, bool, Option<u32>)> = facts
            .repositories
            .iter()
            .map(|one| (one.name.as_str(), one.uri.as_str(), one.enabled, one.packages))
            .collect();
        assert_eq!(
            said,
            [
                ("marsh", "https://pkg.saltmarsh.example/$releasever", true, Some(1)),
                ("marsh-debug", "https://m.example", false, None),
                ("extra", "hd:/x", true, Some(0)),
                ("Core Release", "https://core.example", false, None),
            ]
        );
        assert_eq!(facts.repositories[0].official, Some(true));
        assert_eq!(packages.map(|package| package.in_no_repository), [false, true]);
    }
}
