//! Extensions of the system and of its configuration (systemd-sysext(8)), which are laid over `/usr`, `/opt` and `/etc` when it starts. They are
//! named, and not read: what they add is in images of their own.

use tally_core::model::Unread;
use tally_trees::Tree;

/// Folders that they are looked for in, of either sort.
const FOLDERS: &[&str] = &[
    "etc/extensions",
    "run/extensions",
    "var/lib/extensions",
    "run/confexts",
    "var/lib/confexts",
    "usr/lib/confexts",
    "usr/local/lib/confexts",
];
/// Extensions of one folder that are named.
const MOST: usize = 64;

/// The extensions that are there.
pub(crate) fn read(tree: &dyn Tree) -> Vec<Unread> {
    let of = |folder: &'static str| {
        let names = tree.names(folder).into_iter().filter_map(|entry| entry.name.into_string().ok());
        let named = names.filter(|name| !name.starts_with('.')).take(MOST);
        named.map(move |name| {
            let why = "is laid over the system when it starts (systemd-sysext): what it adds is not read";
            Unread::whole(format!("{folder}/{name}"), why)
        })
    };
    FOLDERS.iter().flat_map(|folder| of(folder)).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use tally_trees::MemoryTree;

    #[test]
    fn each_extension_is_named_and_an_install_without_any_has_none() {
        let tree = MemoryTree::new()
            .file("var/lib/extensions/tools.raw", "")
            .file("etc/extensions/debug/usr/bin/x", "")
            .file("usr/lib/confexts/.hidden", "");
        let found = read(&tree);
        let files: Vec<&str> = found.iter().map(|one| one.file.as_str()).collect();
        assert_eq!(files, ["etc/extensions/debug", "var/lib/extensions/tools.raw"]);
        assert!(read(&MemoryTree::new().file("usr/lib/os-release", "")).is_empty());
    }
}
