//! Lists that are on a medium beside its images: what is in them, and what the installer takes out again.

use crate::listings;
use crate::text::{lines, text};
use rustc_hash::{FxHashMap, FxHashSet};
use std::path::PathBuf;
use tally_core::model::{Evidence, Finding, FindingDetails, Package, Phase, System, Text};

/// What a medium tells of its packages beside the install on it.
#[derive(Debug, Clone, Default)]
pub struct OnMedium {
    /// Lists by path on the medium, with their content: `*.manifest`, `*.packages`, and what ends with `-remove`.
    pub lists: Vec<(PathBuf, Vec<u8>)>,
    /// What the medium installs at the most, where it has several profiles: what is not in it is on the medium only.
    pub installs: Option<FxHashSet<(System, Text)>>,
}

impl OnMedium {
    /// Marks packages that are on the medium only.
    pub(crate) fn mark(&self, packages: &mut [Package]) {
        let mut removed: FxHashSet<Text> = FxHashSet::default();
        for (_, content) in self.lists.iter().filter(|(path, _)| is_removal(path)) {
            for (_, line) in lines(content) {
                let line = text(line);
                let name = line.split([' ', '\t', ':']).next().unwrap_or_default();
                if !name.is_empty() && !name.starts_with('#') {
                    removed.insert(name.into());
                }
            }
        }
        for package in packages {
            let missing = self
                .installs
                .as_ref()
                .is_some_and(|known| !known.contains(&(package.system, package.name.clone())));
            if missing || (!package.system.is_sandbox() && removed.contains(&package.name)) {
                package.phase = Phase::LiveOnly;
            }
        }
    }

    /// Where a manifest and the package database of the install do not say the same.
    pub(crate) fn disagreements(&self, packages: &[Package]) -> Vec<Finding> {
        self.lists
            .iter()
            .filter(|(path, _)| !is_removal(path))
            .filter_map(|list| disagreement(list, packages))
            .collect()
    }
}

fn is_removal(path: &std::path::Path) -> bool {
    path.extension().is_some_and(|ending| ending.to_string_lossy().ends_with("-remove"))
}

fn disagreement((path, content): &(PathBuf, Vec<u8>), packages: &[Package]) -> Option<Finding> {
    let listed = listings::read(content)?.packages;
    let native = |package: &&Package| !package.system.is_sandbox();
    let found: FxHashMap<&str, &str> = packages
        .iter()
        .filter(native)
        .filter(|package| package.is_present())
        .map(|package| (package.name.as_str(), package.version.as_str()))
        .collect();
    let names: FxHashSet<&str> = listed.iter().filter(native).map(|package| package.name.as_str()).collect();
    let missing: Vec<&str> = names.iter().copied().filter(|name| !found.contains_key(name)).collect();
    let more: Vec<&str> = packages
        .iter()
        .filter(native)
        .filter(|package| package.is_present() && !names.contains(package.name.as_str()))
        .map(|package| package.name.as_str())
        .collect();
    let other: Vec<&str> = listed
        .iter()
        .filter(|package| found.get(package.name.as_str()).is_some_and(|version| *version != package.version))
        .map(|package| package.name.as_str())
        .collect();
    let listed = |mut names: Vec<&str>| -> Vec<Text> {
        names.sort_unstable();
        names.dedup();
        names.into_iter().map(Text::from).collect()
    };
    let (not_installed, not_listed, other_version) = (listed(missing), listed(more), listed(other));
    let agrees = not_installed.is_empty() && not_listed.is_empty() && other_version.is_empty();
    let file: Text = path.to_string_lossy().into();
    (!agrees).then(|| Finding {
        about: vec![format!("manifest:{file}").into()],
        evidence: Evidence::file(file.clone()),
        details: FindingDetails::ManifestDisagrees { file, not_installed, not_listed, other_version },
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn packages() -> Vec<Package> {
        ["inkcap", "quayside", "lib-weir"].map(|name| Package::new(System::Dpkg, name, "1-1")).to_vec()
    }

    #[test]
    fn what_the_installer_takes_out_is_on_the_medium_only() {
        let medium = OnMedium {
            lists: vec![(
                "live/filesystem.packages-remove".into(),
                b"# comment\nquayside\nlib-weir:amd64 1-1\n".to_vec(),
            )],
            installs: None,
        };
        let mut found = packages();
        medium.mark(&mut found);
        let phases: Vec<Phase> = found.iter().map(|package| package.phase).collect();
        assert_eq!(phases, [Phase::Shipped, Phase::LiveOnly, Phase::LiveOnly]);
        let installs = [(System::Dpkg, Text::new("quayside"))].into_iter().collect();
        let mut found = packages();
        OnMedium { lists: Vec::new(), installs: Some(installs) }.mark(&mut found);
        let phases: Vec<Phase> = found.iter().map(|package| package.phase).collect();
        assert_eq!(phases, [Phase::LiveOnly, Phase::Shipped, Phase::LiveOnly]);
    }

    #[test]
    fn a_manifest_that_differs_is_a_finding() {
        let told = |content: &str| {
            let lists = vec![("casper/filesystem.manifest".into(), content.as_bytes().to_vec())];
            OnMedium { lists, installs: None }.disagreements(&packages())
        };
        assert!(told("inkcap\t1-1\nquayside\t1-1\nlib-weir\t1-1\n").is_empty());
        let found = told("inkcap\t1-2\nquayside\t1-1\nmarsh\t3\n");
        let names = |name: &str| vec![Text::from(name)];
        let expected = FindingDetails::ManifestDisagrees {
            file: "casper/filesystem.manifest".into(),
            not_installed: names("marsh"),
            not_listed: names("lib-weir"),
            other_version: names("inkcap"),
        };
        assert_eq!(found[0].details, expected);
    }
}
