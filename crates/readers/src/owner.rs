//! Which package a file belongs to: asked of the install's own file lists.

use crate::packages::{self, WantedPaths};
use crate::programs::PROGRAM_FOLDERS;
use std::path::Path;
use tally_core::model::{Label, Package};
use tally_trees::{NodeKind, Tree};

/// A file and its owner.
#[derive(Debug, Clone)]
pub struct Owned {
    /// The path, without a leading slash.
    pub path: String,
    /// Whether it is there, or some package says it brings it.
    pub is_there: bool,
    /// The package; `None` when no package owns it.
    pub package: Option<Package>,
}

/// The owner of a path.
pub fn of_file(tree: &dyn Tree, path: &str) -> Owned {
    let path = path.trim_start_matches('/');
    owners(tree, &[path.to_owned()]).remove(0)
}

/// Every command of that name, in the order that a shell would find them.
pub fn of_program(tree: &dyn Tree, name: &str) -> Vec<Owned> {
    if name.contains('/') || name.is_empty() {
        return Vec::new();
    }
    let merged = tree.node(Path::new("bin"), false).is_ok_and(|node| node.kind == NodeKind::Link);
    let folders = PROGRAM_FOLDERS.iter().filter(|folder| !merged || folder.contains('/'));
    let paths: Vec<String> =
        folders.map(|folder| format!("{folder}/{name}")).filter(|path| tree.exists(path)).collect();
    if paths.is_empty() { Vec::new() } else { owners(tree, &paths) }
}

/// Whose install it is.
pub fn label(tree: &dyn Tree) -> Label {
    crate::label::read(tree).label
}

fn owners(tree: &dyn Tree, paths: &[String]) -> Vec<Owned> {
    let merged = tree.node(Path::new("lib"), false).is_ok_and(|node| node.kind == NodeKind::Link);
    let mut wanted = WantedPaths::new(merged);
    // A link of the alternatives belongs to nobody; what it leads to does.
    let targets: Vec<Option<String>> = paths.iter().map(|path| alternative(tree, path)).collect();
    paths.iter().chain(targets.iter().flatten()).for_each(|path| wanted.add(path.as_bytes()));
    let mut found: Vec<Owned> = paths
        .iter()
        .map(|path| Owned {
            path: path.clone(),
            is_there: tree.node(Path::new(path), false).is_ok(),
            package: None,
        })
        .collect();
    for system in packages::present(tree) {
        let facts = system.read(tree);
        let owners = system.scan_file_lists(tree, &facts.packages, &wanted);
        for (owned, target) in found.iter_mut().zip(&targets) {
            let at = owners
                .of(&wanted, owned.path.as_bytes())
                .or_else(|| target.as_ref().and_then(|target| owners.of(&wanted, target.as_bytes())));
            if let Some(package) = at.and_then(|at| facts.packages.get(at)) {
                owned.package.get_or_insert_with(|| package.clone());
                owned.is_there = true;
            }
        }
    }
    found
}

/// Where a link through `etc/alternatives` ends.
fn alternative(tree: &dyn Tree, path: &str) -> Option<String> {
    let first = tree.read_link(Path::new(path)).ok()?;
    let name = first.strip_prefix("/etc/alternatives").ok()?;
    let target = tree.read_link(&Path::new("etc/alternatives").join(name)).ok()?;
    Some(target.to_str()?.trim_start_matches('/').to_owned())
}
