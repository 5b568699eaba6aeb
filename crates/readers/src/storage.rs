//! The disk under the install, from `etc/fstab` (fstab(5)) and what configures compressed swap.

use crate::text::{lines, text};
use tally_core::model::{Storage, Text};
use tally_trees::Tree;

/// Root file system and swap; what no file tells stays unknown.
pub(crate) fn read(tree: &dyn Tree) -> Storage {
    let mut storage = Storage::default();
    for (_, line) in lines(&tree.read("etc/fstab").unwrap_or_default()) {
        let fields: Vec<Text> =
            line.split(|b| b.is_ascii_whitespace()).filter(|field| !field.is_empty()).map(text).collect();
        let [device, place, kind, ..] = &fields[..] else { continue };
        if device.starts_with('#') {
            continue;
        }
        if place == "/" {
            storage.root_fs = Some(kind.clone());
        } else if kind == "swap" {
            storage.swap = Some(if device.starts_with('/') && !device.starts_with("/dev/") {
                "file".into()
            } else {
                "partition".into()
            });
        }
    }
    let compressed =
        ["etc/systemd/zram-generator.conf", "usr/lib/systemd/zram-generator.conf", "etc/default/zramswap"];
    if storage.swap.is_none() && compressed.iter().any(|file| tree.exists(file)) {
        storage.swap = Some("compressed memory".into());
    }
    if storage.swap.is_none() && storage.root_fs.is_some() {
        storage.swap = Some("none".into());
    }
    storage
}

#[cfg(test)]
mod tests {
    use super::*;
    use tally_trees::MemoryTree;

    #[test]
    fn fstab_tells_root_and_swap() {
        let tree = MemoryTree::new()
            .file("etc/fstab", "# <fs>\nUUID=1 / btrfs defaults 0 0\n/swapfile none swap sw 0 0\nbroken\n");
        let storage = read(&tree as &dyn Tree);
        assert_eq!((storage.root_fs.as_deref(), storage.swap.as_deref()), (Some("btrfs"), Some("file")));
        assert_eq!(read(&MemoryTree::new() as &dyn Tree), Storage::default());
    }
}
