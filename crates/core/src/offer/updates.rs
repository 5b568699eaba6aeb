use super::Catalog;
use crate::knowledge::matches;
use crate::model::{Kind, Package, PackageRef, Text};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// An installed package of which the lists offer a newer version.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Update {
    /// Which one.
    pub package: PackageRef,
    /// The installed version.
    pub old: Text,
    /// The version that the system would take.
    pub new: Text,
    /// The repository that it comes from.
    pub repository: Text,
    /// Whether a list of security updates brings it.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub security: bool,
    /// Whether the installed version is put on hold, so that the update does not come by itself.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub held: bool,
    /// Percentage of machines that it goes to for now, where it is less than all.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub phased: Option<u8>,
    /// Bytes to download, where the list says so.
    #[serde(default)]
    pub download_bytes: Option<u64>,
}

/// The updates that wait on an install.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Updates {
    /// All of them, by package.
    pub packages: Vec<Update>,
    /// Bytes to download for all that are not on hold.
    pub download_bytes: u64,
}

impl Updates {
    /// Those that bring security fixes.
    pub fn security(&self) -> impl Iterator<Item = &Update> {
        self.packages.iter().filter(|update| update.security)
    }
}

/// What waits on an install, by one package system's lists.
pub fn updates(packages: &[Package], catalog: &Catalog) -> Updates {
    let own = |package: &&Package| {
        package.system == catalog.system && package.is_present() && catalog.fits_machine(&package.arch)
    };
    let mut updates = Updates::default();
    for package in packages.iter().filter(own) {
        // Kernels that may be there side by side are no updates of one another.
        if package.kind == Kind::Kernel && has_newer_beside(packages, package, catalog) {
            continue;
        }
        let Some((at, offered)) = catalog.candidate(&package.name, Some(package)) else { continue };
        let new = &offered.package;
        let list = catalog.lists.get(catalog.list(at));
        let held = package.held || catalog.policy.held.iter().any(|pattern| matches(pattern, &package.name));
        updates.packages.push(Update {
            package: package.reference(),
            old: package.version.clone(),
            new: new.version.clone(),
            repository: list.map(|list| list.repository.clone()).unwrap_or_default(),
            security: is_security(catalog, package, new),
            held,
            phased: offered.phased,
            download_bytes: new.download_bytes,
        });
        if !held {
            updates.download_bytes =
                updates.download_bytes.saturating_add(new.download_bytes.unwrap_or_default());
        }
    }
    updates.packages.sort_by(|a, b| a.package.cmp(&b.package));
    updates.packages.dedup_by(|a, b| a.package == b.package);
    updates
}

fn has_newer_beside(packages: &[Package], package: &Package, catalog: &Catalog) -> bool {
    packages.iter().any(|other| {
        other.system == package.system
            && other.name == package.name
            && crate::systems::order(catalog.system, &other.version, &package.version)
                == std::cmp::Ordering::Greater
    })
}

/// Whether a list of security updates has this version, or one between the installed one and it.
fn is_security(catalog: &Catalog, old: &Package, new: &Package) -> bool {
    catalog.named(&old.name).any(|(at, offered)| {
        let order = |a: &str, b: &str| crate::systems::order(catalog.system, a, b);
        let fixes =
            || catalog.fixes.contains(&(offered.package.name.clone(), offered.package.version.clone()));
        (catalog.lists.get(catalog.list(at)).is_some_and(|list| list.security) || fixes())
            && order(&offered.package.version, &old.version) == std::cmp::Ordering::Greater
            && order(&offered.package.version, &new.version) != std::cmp::Ordering::Greater
    })
}
