//! Components of applications (AppStream 1.0): which launcher is which component, and what the component was called before.

use crate::xml::{Step, XmlError, walk};
use memchr::memmem;
use rayon::prelude::*;
use rustc_hash::FxHashMap;
use std::ops::Range;
use tally_core::model::{Launcher, Text, Unread};
use tally_trees::Tree;

/// Where packages put the files of their components.
const FOLDERS: &[&str] = &[
    "usr/share/metainfo",
    "usr/share/appdata",
    "usr/local/share/metainfo",
    "var/lib/flatpak/exports/share/metainfo",
    "nix/var/nix/profiles/system/sw/share/metainfo",
    "var/guix/profiles/system/profile/share/metainfo",
];

/// One component.
#[derive(Debug, Default, PartialEq, Eq)]
struct Component {
    id: Text,
    launchers: Vec<Text>,
    /// What it provides as IDs: names that it had before.
    provides: Vec<Text>,
}

/// Writes into launchers which component they start.
pub(super) fn assign(tree: &dyn Tree, launchers: &mut [Launcher]) -> Vec<Unread> {
    let files: Vec<String> = FOLDERS
        .iter()
        .flat_map(|folder| {
            tree.names(folder)
                .into_iter()
                .filter_map(move |entry| Some(format!("{folder}/{}", entry.name.to_str()?)))
        })
        .filter(|file| file.ends_with(".xml"))
        .collect();
    let read: Vec<(Option<Component>, Option<Unread>)> =
        files.par_iter().map(|file| read_one(tree, file)).collect();
    let (mut unread, mut by_launcher) = (Vec::new(), FxHashMap::default());
    for (component, problem) in read {
        unread.extend(problem);
        let Some(component) = component else { continue };
        let ids: Vec<Text> = std::iter::once(component.id).chain(component.provides).collect();
        for launcher in component.launchers {
            by_launcher.entry(launcher).or_insert_with(|| ids.clone());
        }
    }
    for launcher in launchers {
        if let Some(ids) = by_launcher.get(&launcher.id) {
            launcher.appstream.clone_from(ids);
        }
    }
    unread
}

fn read_one(tree: &dyn Tree, file: &str) -> (Option<Component>, Option<Unread>) {
    let bytes = match tree.read(file) {
        Ok(bytes) => bytes,
        Err(error) => return (None, Some(Unread::whole(file, error.why.to_string()))),
    };
    match component(&bytes) {
        Ok(component) => ((!component.id.is_empty()).then_some(component), None),
        Err(error) => (None, Some(Unread::at(file, error.line, error.why))),
    }
}

/// Is called at the end of an element: its path, the attributes of the last one that was opened, the text.
type Visit<'v> = dyn FnMut(&[Text], &[(Text, Text)], &str) + 'v;

/// Of the elements only those that are asked for: nine tenths of a file are descriptions in all languages.
fn component(bytes: &[u8]) -> Result<Component, XmlError> {
    let mut found = Component::default();
    if memmem::find(bytes, b"</component>").is_none() {
        return Err(XmlError { line: 1, why: "has no end of a component".to_owned() });
    }
    // The content of each element of a name, and where it begins and ends.
    let elements = |name: &str, visit: &mut Visit<'_>| -> Result<Vec<Range<usize>>, XmlError> {
        let (begin, end) = (format!("<{name}"), format!("</{name}>"));
        let (mut found, mut from) = (Vec::new(), 0);
        while let Some(at) = memmem::find(&bytes[from..], begin.as_bytes()).map(|at| from + at) {
            // `<id>` and `<id type="desktop">`, not `<identity>`.
            from = at + begin.len();
            if !bytes.get(from).is_some_and(|next| *next == b'>' || next.is_ascii_whitespace()) {
                continue;
            }
            let Some(length) = memmem::find(&bytes[at..], end.as_bytes()) else { break };
            from = at + length + end.len();
            let mut last: Vec<(Text, Text)> = Vec::new();
            walk(&bytes[at..from], |step| match step {
                Step::Open { attributes, .. } => last = attributes.to_vec(),
                Step::Close { path, text } => visit(path, &last, text),
            })?;
            found.push(at..from);
        }
        Ok(found)
    };
    let mut ids: Vec<Text> = Vec::new();
    let places = elements("id", &mut |_, _, text| ids.push(text.into()))?;
    elements("launchable", &mut |_, attributes, text| {
        if attributes.iter().any(|(key, value)| key == "type" && value == "desktop-id") {
            found.launchers.push(text.into());
        }
    })?;
    let provides = elements("provides", &mut |path, _, text| {
        if path.len() == 2 && path[1] == "id" {
            found.provides.push(text.into());
        }
    })?;
    // The component's own ID is the one that it does not provide; which stands first is not said.
    let own = |place: &Range<usize>| !provides.iter().any(|other| other.contains(&place.start));
    found.id =
        ids.into_iter().zip(places).find(|(_, place)| own(place)).map(|(id, _)| id).unwrap_or_default();
    // Components of before 0.9 are called like their launcher.
    if found.launchers.is_empty() && found.id.ends_with(".desktop") {
        found.launchers.push(found.id.clone());
    }
    Ok(found)
}

#[cfg(test)]
mod tests {
    use super::*;
    use tally_trees::MemoryTree;

    #[test]
    fn a_component_names_its_launchers_and_what_it_was() {
        let told = component(
            b"<?xml version='1.0'?><component type='desktop-application'><id>org.marsh.Inkcap</id><name>Inkcap</name>\
              <launchable type='desktop-id'>org.marsh.Inkcap.desktop</launchable><launchable type='service'>x.service</launchable>\
              <provides><binary>inkcap</binary><id>inkcap.desktop</id></provides><releases><release><p>no</p></release></releases></component>",
        );
        let expected = Component {
            id: "org.marsh.Inkcap".into(),
            launchers: vec!["org.marsh.Inkcap.desktop".into()],
            provides: vec!["inkcap.desktop".into()],
        };
        assert_eq!(told, Ok(expected));
        let old = component(b"<component><id type=\"desktop\">reed.desktop</id></component>").unwrap();
        assert_eq!(old.launchers, ["reed.desktop"]);
        let turned =
            component(b"<component><identity/><provides><id>old</id></provides><id>new</id></component>")
                .unwrap();
        assert_eq!((turned.id.as_str(), &turned.provides[..]), ("new", &["old".into()][..]));
    }

    #[test]
    fn a_broken_file_is_told_and_loses_no_other() {
        let tree = MemoryTree::new()
            .file("usr/share/metainfo/a.metainfo.xml", "<component><id>")
            .file("usr/share/metainfo/b.metainfo.xml", "<component><id>reed.desktop</id></component>")
            .file("usr/share/metainfo/c.txt", "<");
        let mut launchers = super::super::read(
            &MemoryTree::new().file(
                "usr/share/applications/reed.desktop",
                "[Desktop Entry]\nType=Application\nName=Reed\nExec=reed\n",
            ),
            &[],
        )
        .launchers;
        let unread = assign(&tree, &mut launchers);
        assert_eq!((unread.len(), unread[0].file.as_str()), (1, "usr/share/metainfo/a.metainfo.xml"));
        assert_eq!(launchers[0].appstream, ["reed.desktop"]);
    }
}
