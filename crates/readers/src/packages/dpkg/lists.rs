//! File lists: `info/NAME.list`, or `info/NAME:ARCH.list` for packages that may be there for several architectures.

use super::unread;
use crate::packages::{Owners, WantedPaths, each_folder};
use crate::text::lines;
use rayon::prelude::*;
use std::collections::BTreeMap;
use std::path::Path;
use tally_core::knowledge::{Traits, folder_class, trait_of};
use tally_core::model::{Package, System};
use tally_trees::{LIMITS, Tree};

const INFO: &str = "var/lib/dpkg/info";
const DIVERSIONS: &str = "var/lib/dpkg/diversions";

/// Which of the packages own the wanted files, diversions taken into account.
///
/// Owner of a path that a package diverts to: whoever else lists the path it was diverted from.
pub(super) fn scan_file_lists(tree: &dyn Tree, packages: &[Package], wanted: &WantedPaths) -> Owners {
    let diversions = Diversions::read(tree, wanted);
    let mut wanted = wanted.clone();
    diversions.by_from.keys().for_each(|from| wanted.add(from));
    let wanted = &wanted;
    let near = tree.near(Path::new(INFO));
    let tree = near.as_deref().unwrap_or(tree);
    let found: Vec<Owners> = packages
        .par_iter()
        .enumerate()
        .filter(|(_, package)| package.system == System::Dpkg)
        .fold(
            || (Owners::default(), Vec::new()),
            |(mut owners, mut buffer), (position, package)| {
                scan(tree, position, package, wanted, &diversions, &mut owners, &mut buffer);
                (owners, buffer)
            },
        )
        .map(|(owners, _)| owners)
        .collect();
    let mut all = Owners::default();
    found.into_iter().for_each(|owners| all.absorb(owners));
    all
}

fn scan(
    tree: &dyn Tree,
    position: usize,
    package: &Package,
    wanted: &WantedPaths,
    diversions: &Diversions,
    owners: &mut Owners,
    buffer: &mut Vec<u8>,
) {
    let (qualified, plain) =
        (format!("{INFO}/{}:{}.list", package.name, package.arch), format!("{INFO}/{}.list", package.name));
    let order = if package.beside_itself { [&qualified, &plain] } else { [&plain, &qualified] };
    let read =
        |path: &String, buffer: &mut Vec<u8>| tree.read_into(Path::new(path), LIMITS.file_bytes, buffer);
    let result = match read(order[0], buffer) {
        Err(error) if error.is_missing() => read(order[1], buffer),
        other => other,
    };
    if let Err(error) = result {
        // A package that ships no files at all has no list; so has one of which configuration is left.
        if !error.is_missing() {
            owners.unread.push(unread(&error.path.to_string_lossy(), &error));
        }
        return;
    }
    let mut traits = Traits::default();
    each_folder(
        buffer,
        |folder| (folder_class(folder), wanted.has_in(folder)),
        |(class, has_wanted), line, name| {
            if let Some(shown) = trait_of(class, name) {
                traits = traits.with(shown);
            }
            let Some(path) = has_wanted.then(|| wanted.find(line)).flatten() else { return };
            match diversions.by_from.get(path) {
                Some(diversion) if diversion.package != package.name.as_bytes() => {
                    owners.insert(&diversion.to, position);
                }
                _ => owners.insert(path, position),
            }
        },
    );
    owners.shows(position, traits);
}

/// Diversions whose path before or after is wanted, by the path before.
#[derive(Debug, Default)]
struct Diversions {
    by_from: BTreeMap<Vec<u8>, Diversion>,
}

#[derive(Debug)]
struct Diversion {
    to: Vec<u8>,
    package: Vec<u8>,
}

impl Diversions {
    /// Three lines each: from, to, the package that diverts (`:` for one made by hand).
    fn read(tree: &dyn Tree, wanted: &WantedPaths) -> Self {
        let bytes = tree.read(DIVERSIONS).unwrap_or_default();
        let lines: Vec<&[u8]> = lines(&bytes).map(|(_, line)| line).collect();
        let mut diversions = Self::default();
        for triple in lines.chunks_exact(3) {
            let (from, to) = (wanted.canonical(triple[0]).to_vec(), wanted.canonical(triple[1]).to_vec());
            if wanted.find(&from).is_some() || wanted.find(&to).is_some() {
                diversions.by_from.insert(from, Diversion { to, package: triple[2].to_vec() });
            }
        }
        diversions
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use tally_trees::MemoryTree;

    #[test]
    fn a_diverted_file_belongs_to_whoever_did_not_divert_it() {
        let tree = MemoryTree::new()
            .file("var/lib/dpkg/info/inkcap.list", "/.\n/usr/share/applications/x.desktop\n")
            .file("var/lib/dpkg/info/branding.list", "/usr/share/applications/x.desktop\n")
            .file(
                "var/lib/dpkg/diversions",
                "/usr/share/applications/x.desktop\n/usr/share/applications/x.old.desktop\nbranding\n",
            );
        let packages =
            [Package::new(System::Dpkg, "inkcap", "1"), Package::new(System::Dpkg, "branding", "1")];
        let mut wanted = WantedPaths::new(false);
        wanted.add(b"usr/share/applications/x.desktop");
        wanted.add(b"usr/share/applications/x.old.desktop");
        let owners = scan_file_lists(&tree as &dyn Tree, &packages, &wanted);
        assert_eq!(owners.of(&wanted, b"usr/share/applications/x.desktop"), Some(1));
        assert_eq!(owners.of(&wanted, b"usr/share/applications/x.old.desktop"), Some(0));
    }

    #[test]
    fn a_list_may_name_its_architecture() {
        let tree = MemoryTree::new()
            .file("var/lib/dpkg/info/libweir2:amd64.list", "/lib/systemd/system/x.service\n");
        let mut package = Package::new(System::Dpkg, "libweir2", "1");
        package.arch = "amd64".into();
        let mut wanted = WantedPaths::new(true);
        wanted.add(b"usr/lib/systemd/system/x.service");
        let owners = scan_file_lists(&tree as &dyn Tree, &[package], &wanted);
        assert_eq!(owners.of(&wanted, b"/usr/lib/systemd/system/x.service"), Some(0));
    }
}
