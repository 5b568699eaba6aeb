//! Programs on offer, by catalogues of AppStream 1.0: XML, and the YAML that Debian's archives have.

use crate::text::{lines, name_text, text};
use crate::xml::{Step, walk_stream};
use std::io::BufReader;
use tally_core::model::{System, Text, Unread};
use tally_core::offer::Program;
use tally_trees::{LIMITS, Stream, Tree, unpack_file, unpacking};

/// Where catalogues of native packages are; those of flatpak lie beside its remotes.
const FOLDERS: [&str; 10] = [
    "var/lib/swcatalog/xml",
    "var/lib/swcatalog/yaml",
    "var/cache/swcatalog/xml",
    "usr/share/swcatalog/xml",
    "usr/share/swcatalog/yaml",
    "var/lib/app-info/xmls",
    "var/lib/app-info/yaml",
    "usr/share/app-info/xmls",
    "usr/share/app-info/yaml",
    "var/lib/apt/lists",
];

/// Where flatpak keeps the catalogues of its remotes.
const FLATPAK: &str = "var/lib/flatpak/appstream";

/// The programs that the catalogues of an install describe; `native` delivers what names a package.
pub fn programs(tree: &dyn Tree, native: System) -> (Vec<Program>, Vec<Unread>) {
    let (mut found, mut unread) = (Vec::new(), Vec::new());
    let mut files: Vec<(String, System, Text)> = Vec::new();
    for folder in FOLDERS {
        let names = tree.names(folder);
        let names = names.iter().map(|entry| name_text(&entry.name));
        let is_catalog = |name: &Text| {
            if folder.starts_with("var/lib/apt") {
                name.contains("_Components-")
            } else {
                name.contains(".xml") || name.contains(".yml")
            }
        };
        files.extend(
            names.filter(is_catalog).map(|name| (format!("{folder}/{name}"), native, Text::default())),
        );
    }
    for remote in tree.names(FLATPAK) {
        let remote = name_text(&remote.name);
        for arch in tree.names(format!("{FLATPAK}/{remote}")) {
            let folder = format!("{FLATPAK}/{remote}/{}/active", name_text(&arch.name));
            let file = ["appstream.xml.gz", "appstream.xml"].map(|name| format!("{folder}/{name}"));
            let file = file.into_iter().find(|file| tree.exists(file));
            files.extend(file.map(|file| (file, System::Flatpak, remote.clone())));
        }
    }
    for (file, system, repository) in files {
        if let Err(why) = read_file(tree, &file, system, &repository, &mut found) {
            unread.push(Unread::whole(file, why));
        }
    }
    found.sort_by(|a, b| (a.system, &a.package, &a.id).cmp(&(b.system, &b.package, &b.id)));
    found.dedup_by(|a, b| {
        a.system == b.system && a.package == b.package && a.id == b.id && a.repository == b.repository
    });
    (found, unread)
}

fn read_file(
    tree: &dyn Tree,
    file: &str,
    system: System,
    repository: &Text,
    found: &mut Vec<Program>,
) -> Result<(), String> {
    if file.contains(".yml") {
        let bytes = tree.read(file).map_err(|error| error.why.to_string())?;
        let bytes = unpack_file(bytes, LIMITS.file_bytes).map_err(|error| error.to_string())?;
        yaml(&bytes, system, found);
        return Ok(());
    }
    let bytes = tree.open(file.as_ref()).map_err(|error| error.why.to_string())?;
    xml(BufReader::new(Stream::of(bytes.into())), system, repository, found)
}

fn nobody(system: System, repository: &Text) -> Program {
    Program {
        id: Text::default(),
        name: Text::default(),
        summary: Text::default(),
        system,
        package: Text::default(),
        version: None,
        repository: repository.clone(),
    }
}

/// Adds a program that a person starts from a menu.
fn push(mut program: Program, kind: &str, found: &mut Vec<Program>) {
    let is_program = matches!(kind, "desktop-application" | "desktop" | "console-application");
    if is_program && !program.id.is_empty() && !program.package.is_empty() {
        program.id = program.id.strip_suffix(".desktop").map(Text::from).unwrap_or(program.id);
        found.push(program);
    }
}

/// Documents of DEP-11, of which only what is not indented, or one step, is looked at.
pub(super) fn yaml(bytes: &[u8], system: System, found: &mut Vec<Program>) {
    let mut here = nobody(system, &Text::default());
    let mut kind = Text::default();
    let mut block = Text::default();
    for (_, line) in lines(bytes) {
        if line == b"---" {
            push(std::mem::replace(&mut here, nobody(system, &Text::default())), &kind, found);
            kind = Text::default();
            continue;
        }
        let Some(colon) = memchr::memchr(b':', line) else { continue };
        let value = || -> Text { text(&line[colon + 1..]).trim_matches(['\'', '"']).into() };
        match (&line[..colon], block.as_str()) {
            (b"Type", _) => kind = value(),
            (b"ID", _) => here.id = value(),
            (b"Package", _) => here.package = value(),
            (b"  C", "Name") => here.name = value(),
            (b"  C", "Summary") => here.summary = value(),
            (b"- version" | b"  version", "Releases") if here.version.is_none() => {
                here.version = Some(value());
            }
            _ => {}
        }
        if line.first().is_some_and(u8::is_ascii_alphabetic) {
            block = text(&line[..colon]);
        }
    }
    push(here, &kind, found);
}

/// A catalogue in XML, packed or not.
pub(super) fn xml(
    packed: impl std::io::BufRead,
    system: System,
    repository: &Text,
    found: &mut Vec<Program>,
) -> Result<(), String> {
    let unpacked = unpacking(packed, 1 << 30).map_err(|error| error.to_string())?;
    let mut here = nobody(system, repository);
    let (mut kind, mut bundle) = (Text::default(), Text::default());
    let end = walk_stream(BufReader::new(unpacked), |step| match step {
        Step::Open { path: [_, component, rest @ ..], attributes } if component == "component" => {
            let get =
                |name: &str| attributes.iter().find(|(key, _)| key == name).map(|(_, value)| value.clone());
            match rest {
                [] => {
                    here = nobody(system, repository);
                    kind = get("type").unwrap_or_default();
                }
                [last] if last == "bundle" => bundle = get("type").unwrap_or_default(),
                [.., last] if last == "release" && here.version.is_none() => here.version = get("version"),
                _ => {}
            }
            // A translation is no name.
            if get("xml:lang").is_some() {
                bundle = "translation".into();
            } else if rest.last().is_some_and(|last| last != "bundle") {
                bundle = Text::default();
            }
        }
        Step::Close { path: [_, component, rest @ ..], text } if component == "component" => match rest {
            [] => push(std::mem::replace(&mut here, nobody(system, repository)), &kind, found),
            [last] => match last.as_str() {
                "id" => here.id = text.into(),
                "pkgname" if here.package.is_empty() => here.package = text.into(),
                "name" if bundle.is_empty() => here.name = text.into(),
                "summary" if bundle.is_empty() => here.summary = text.into(),
                // `app/org.marsh.Reed/x86_64/stable`: the ID is the package.
                "bundle" if bundle == "flatpak" => {
                    here.system = System::Flatpak;
                    here.package = text.split('/').nth(1).unwrap_or_default().into();
                }
                _ => {}
            },
            _ => {}
        },
        _ => {}
    });
    end.map_err(|(_, why)| why)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn both_forms_name_programs_with_their_packages() {
        let yaml_text = "---\nFile: DEP-11\nVersion: '1.0'\n---\nType: desktop-application\nID: org.marsh.Inkcap.desktop\nPackage: inkcap\nName:\n  C: Inkcap\n  de: Tintling\nSummary:\n  C: Write texts\nReleases:\n- version: '3.2'\n- version: '3.1'\n---\nType: font\nID: reed.font\nPackage: fonts-reed\nName:\n  C: Reed\n";
        let xml_text = "<components><component type=\"desktop-application\"><id>org.marsh.Inkcap</id><name>Inkcap</name><name xml:lang=\"de\">Tintling</name><summary>Write</summary><bundle type=\"flatpak\" runtime=\"x\">app/org.marsh.Inkcap/x86_64/stable</bundle><releases><release version=\"3.4\"/><release version=\"3.3\"/></releases></component><component type=\"addon\"><id>x</id><pkgname>x</pkgname></component></components>";
        let tree = tally_trees::MemoryTree::new()
            .file("var/lib/swcatalog/yaml/marsh.yml", yaml_text)
            .file("var/lib/flatpak/appstream/reeds/x86_64/active/appstream.xml", xml_text);
        let (found, unread) = programs(&tree, System::Dpkg);
        assert_eq!(unread, []);
        let said: Vec<_> = found
            .iter()
            .map(|one| {
                (
                    one.system,
                    one.package.as_str(),
                    one.id.as_str(),
                    one.name.as_str(),
                    one.version.as_deref(),
                    one.repository.as_str(),
                )
            })
            .collect();
        assert_eq!(
            said,
            [
                (System::Dpkg, "inkcap", "org.marsh.Inkcap", "Inkcap", Some("3.2"), ""),
                (System::Flatpak, "org.marsh.Inkcap", "org.marsh.Inkcap", "Inkcap", Some("3.4"), "reeds"),
            ]
        );
    }

    proptest! {
        #[test]
        fn any_bytes_will_do(bytes in prop::collection::vec(any::<u8>(), 0..120), lines in "((Type|ID|Package|  C|Name|---): ?[a-z]{0,4}\n){0,12}") {
            let mut found = Vec::new();
            yaml(&bytes, System::Dpkg, &mut found);
            yaml(lines.as_bytes(), System::Dpkg, &mut found);
            _ = xml(bytes.as_slice(), System::Dpkg, &"".into(), &mut found);
        }
    }
}
