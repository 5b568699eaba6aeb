//! Which of the files that prove a decoder or a driver are there.

use crate::text::name_text;
use std::collections::BTreeMap;
use std::rc::Rc;
use tally_core::knowledge::{MediaRules, matches};
use tally_core::model::Text;
use tally_trees::Tree;

/// Folders of libraries; `*` is any text.
const LIBRARIES: &[&str] = &["usr/lib/*-linux-*", "usr/lib64", "usr/lib", "usr/local/lib", "lib"];

/// The first file of each pattern of the table that is there.
pub(crate) fn probe(tree: &dyn Tree, rules: &MediaRules) -> BTreeMap<Text, Text> {
    let mut listed = Listed { tree, folders: BTreeMap::new() };
    let mut found = BTreeMap::new();
    for pattern in rules.files() {
        let file = match pattern.strip_prefix("{lib}/") {
            Some(rest) => LIBRARIES.iter().find_map(|folder| listed.first(&format!("{folder}/{rest}"))),
            None => listed.first(pattern),
        };
        if let Some(file) = file {
            found.insert(pattern.clone(), file.into());
        }
    }
    found
}

/// Folders, each listed once.
struct Listed<'t> {
    tree: &'t dyn Tree,
    folders: BTreeMap<String, Rc<[Text]>>,
}

impl Listed<'_> {
    fn names(&mut self, folder: &str) -> Rc<[Text]> {
        if let Some(known) = self.folders.get(folder) {
            return Rc::clone(known);
        }
        let list = || {
            let mut names: Vec<Text> =
                self.tree.names(folder).iter().map(|entry| name_text(&entry.name)).collect();
            names.sort();
            Rc::from(names)
        };
        Rc::clone(self.folders.entry(folder.to_owned()).or_insert_with(list))
    }

    /// The first file by name that a pattern with `*` in any of its parts leads to.
    fn first(&mut self, pattern: &str) -> Option<String> {
        let mut here = vec![String::new()];
        for part in pattern.split('/') {
            let mut next = Vec::new();
            for folder in here {
                let join =
                    |name: &str| if folder.is_empty() { name.to_owned() } else { format!("{folder}/{name}") };
                // A folder that is asked for by its name need not be listed.
                if part.contains('*') {
                    let names = self.names(&folder);
                    next.extend(names.iter().filter(|name| matches(part, name)).map(|name| join(name)));
                } else {
                    next.push(join(part));
                }
            }
            here = next;
        }
        here.into_iter().find(|file| {
            let Some((folder, name)) = file.rsplit_once('/') else { return false };
            self.names(folder).binary_search_by(|known| known.as_str().cmp(name)).is_ok()
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use tally_core::knowledge::media;
    use tally_trees::MemoryTree;

    #[test]
    fn files_are_found_wherever_libraries_are() {
        let of = |file: &str, pattern: &str| {
            let tree = MemoryTree::new().file(file, "");
            probe(&tree, media()).get(pattern).map(ToString::to_string)
        };
        let pattern = "{lib}/gstreamer-1.0/libgstlibav.so";
        for folder in ["usr/lib/x86_64-linux-gnu", "usr/lib/aarch64-linux-gnu", "usr/lib64", "usr/lib"] {
            let file = format!("{folder}/gstreamer-1.0/libgstlibav.so");
            assert_eq!(of(&file, pattern), Some(file.clone()));
        }
        assert_eq!(of("usr/lib64/gstreamer-1.0/libgstlibav.so.old", pattern), None);
        let driver = "usr/lib/x86_64-linux-gnu/dri/iHD_drv_video.so";
        assert_eq!(of(driver, "{lib}/dri/*_drv_video.so").as_deref(), Some(driver));
        let module = "usr/lib/modules/6.9/kernel/fs/exfat/exfat.ko.xz";
        assert_eq!(of(module, "{lib}/modules/*/kernel/fs/exfat/exfat.ko*").as_deref(), Some(module));
    }
}
