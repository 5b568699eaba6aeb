//! GSettings: dconf's system databases (compiled, else their key files), overrides of schemas, and the schemas' own defaults.

use super::dconf::Database;
use crate::keyfile::KeyFile;
use crate::text::name_text;
use crate::xml::{Step, walk};
use std::sync::OnceLock;
use tally_core::model::{Text, Unread};
use tally_trees::{NodeKind, Tree};

/// Folders of schemas and their overrides.
const SCHEMAS: &[&str] = &[
    "usr/share/glib-2.0/schemas",
    "usr/local/share/glib-2.0/schemas",
    "nix/var/nix/profiles/system/sw/share/glib-2.0/schemas",
    "var/guix/profiles/system/profile/share/glib-2.0/schemas",
];

/// Settings of a new user in a session of certain desktops.
pub(crate) struct Gsettings<'t> {
    tree: &'t dyn Tree,
    desktops: Vec<Text>,
    files: OnceLock<Files>,
}

/// Files that set values, those that win first.
struct Files {
    /// The system databases that the user's profile names.
    databases: Vec<Values>,
    overrides: Vec<(String, KeyFile)>,
    /// Databases that could not be read.
    unread: Vec<Unread>,
    /// Files of schemas.
    schemas: Vec<String>,
}

/// The values of a database, and the files that have them.
enum Values {
    /// What dconf reads.
    Compiled(String, Database),
    /// What it is compiled of.
    KeyFiles(Vec<(String, KeyFile)>),
}

impl Values {
    fn get(&self, folder: &str, key: &str) -> Option<(Text, String)> {
        match self {
            Self::Compiled(file, database) => Some((database.get(folder, key)?.clone(), file.clone())),
            Self::KeyFiles(files) => value(files, folder, key),
        }
    }
}

/// What a schema says of one of its keys.
#[derive(Default)]
struct Declared {
    /// Where its values are in a database: `org/gnome/desktop/interface`.
    path: String,
    default: Option<Text>,
    file: String,
}

impl<'t> Gsettings<'t> {
    pub(crate) fn new(tree: &'t dyn Tree, desktops: &[Text]) -> Self {
        Self { tree, desktops: desktops.to_vec(), files: OnceLock::new() }
    }

    /// The value of a key, quotes taken off, and the file that says so.
    pub(crate) fn get(&self, schema: &str, key: &str) -> Option<(Text, String)> {
        let files = self.files.get_or_init(|| Files::read(self.tree));
        let declared = self.declared(files, schema, key);
        let path =
            declared.as_ref().map_or_else(|| schema.replace('.', "/"), |declared| declared.path.clone());
        let in_databases = || files.databases.iter().find_map(|one| one.get(&path, key));
        // A group for a desktop goes before the one for all, in the order of the desktop's names.
        let own = || {
            self.desktops
                .iter()
                .find_map(|desktop| value(&files.overrides, &format!("{schema}:{desktop}"), key))
        };
        let found = in_databases().or_else(own).or_else(|| value(&files.overrides, schema, key));
        let by_schema = || declared.as_ref().and_then(|one| Some((one.default.clone()?, one.file.clone())));
        let (value, file) = found.or_else(by_schema)?;
        let plain = value.trim().trim_matches(['\'', '"']);
        (!plain.is_empty()).then(|| (plain.into(), file))
    }

    /// Databases that could not be read.
    pub(crate) fn unread(&self) -> Vec<Unread> {
        self.files.get_or_init(|| Files::read(self.tree)).unread.clone()
    }

    /// What the file of a schema says of it: a file is called like a schema in it, or like the begin of several.
    fn declared(&self, files: &Files, schema: &str, key: &str) -> Option<Declared> {
        let about = |file: &&String| {
            let stem = file.rsplit('/').next().and_then(|name| name.strip_suffix(".gschema.xml"));
            stem.and_then(|stem| schema.strip_prefix(stem))
                .is_some_and(|rest| rest.is_empty() || rest.starts_with('.'))
        };
        let mut named: Vec<&String> = files.schemas.iter().filter(about).collect();
        named.sort_by_key(|file| std::cmp::Reverse(file.len()));
        let read = |file: &String| {
            let bytes = self.tree.read(file).ok()?;
            memchr::memmem::find(&bytes, schema.as_bytes())?;
            declared_in(&bytes, schema, key).map(|declared| Declared { file: file.clone(), ..declared })
        };
        named.into_iter().find_map(read).or_else(|| files.schemas.iter().find_map(read))
    }
}

impl Files {
    fn read(tree: &dyn Tree) -> Self {
        let all = |folder: &str, ending: &str| -> Vec<String> {
            let names = tree.names(folder).into_iter().filter(|entry| entry.kind != NodeKind::Folder);
            let names = names.map(|entry| name_text(&entry.name)).filter(|name| name.ends_with(ending));
            names.map(|name| format!("{folder}/{name}")).collect()
        };
        let parse = |path: String| {
            let bytes = tree.read(&path).ok()?;
            let parsed = KeyFile::parse(&path, &bytes);
            Some((path, parsed))
        };
        let profile = tree.read("etc/dconf/profile/user").unwrap_or_default();
        let profile = String::from_utf8_lossy(&profile);
        let mut unread = Vec::new();
        let mut database = |line: &str| {
            let (kind, name) = line.trim().split_once(':')?;
            let file = match kind {
                "system-db" => format!("etc/dconf/db/{}", name.trim()),
                "file-db" => name.trim().trim_start_matches('/').to_owned(),
                _ => return None,
            };
            match tree.read(&file).ok().map(|bytes| Database::read(&bytes)) {
                Some(Ok(database)) => return Some(Values::Compiled(file, database)),
                Some(Err(why)) => unread.push(Unread::whole(file.as_str(), why)),
                None => {}
            }
            // Within a folder the last file wins.
            let mut files = all(&format!("{file}.d"), "");
            files.reverse();
            Some(Values::KeyFiles(files.into_iter().filter_map(parse).collect()))
        };
        let mut overrides: Vec<String> =
            SCHEMAS.iter().flat_map(|folder| all(folder, ".gschema.override")).collect();
        overrides.reverse();
        Self {
            databases: profile.lines().filter_map(&mut database).collect(),
            overrides: overrides.into_iter().filter_map(parse).collect(),
            schemas: SCHEMAS.iter().flat_map(|folder| all(folder, ".gschema.xml")).collect(),
            unread,
        }
    }
}

/// The first value of a key in a group of these files.
fn value(files: &[(String, KeyFile)], group: &str, key: &str) -> Option<(Text, String)> {
    files.iter().find_map(|(path, parsed)| {
        let mut groups = parsed.groups().filter(|one| one.name() == group);
        let value = groups.find_map(|group| group.get(key))?;
        Some((value.clone(), path.clone()))
    })
}

/// The path of a schema and the default of a key in a file of schemas; `None` where the schema is not in it.
fn declared_in(bytes: &[u8], schema: &str, key: &str) -> Option<Declared> {
    let (mut in_schema, mut in_key, mut found) = (false, false, None::<Declared>);
    // What comes before an error counts.
    _ = walk(bytes, |step| match step {
        Step::Open { path, attributes } => {
            let of = |name: &str| attributes.iter().find(|(n, _)| n == name).map(|(_, value)| value.as_str());
            match path.last().map(Text::as_str) {
                Some("schema") => {
                    in_schema = of("id") == Some(schema);
                    if in_schema {
                        let path = of("path").map_or_else(
                            || schema.replace('.', "/"),
                            |path| path.trim_matches('/').to_owned(),
                        );
                        found.get_or_insert_with(Declared::default).path = path;
                    }
                }
                Some("key") => in_key = in_schema && of("name") == Some(key),
                _ => {}
            }
        }
        Step::Close { path, text } => {
            if let Some(found) = &mut found
                && in_key
                && path.last().is_some_and(|name| name == "default")
                && found.default.is_none()
            {
                found.default = Some(text.trim().into());
            }
        }
    });
    found
}

#[cfg(test)]
mod tests {
    use super::*;
    use tally_trees::MemoryTree;

    #[test]
    fn databases_then_overrides_then_the_schema_decide() {
        let folder = SCHEMAS[0];
        let schema = "<schemalist><schema id='org.marsh.desktop' path='/org/marsh/'><key name='theme' type='s'><default>'Plain'</default></key>\
             <key name='font' type='s'><default>'Sans 9'</default></key></schema></schemalist>";
        let tree = MemoryTree::new()
            .file(format!("{folder}/org.marsh.gschema.xml"), schema)
            .file(
                format!("{folder}/10_a.gschema.override"),
                "[org.marsh.desktop]\ntheme='First'\n[org.marsh.desktop:Weir]\ntheme='Own'\n",
            )
            .file(format!("{folder}/20_b.gschema.override"), "[org.marsh.desktop]\ntheme='Last'\n");
        let get = |tree: &MemoryTree, desktop: &str, key: &str| {
            let value = Gsettings::new(tree, &[desktop.into()]).get("org.marsh.desktop", key);
            value.map(|(value, _)| value.to_string())
        };
        assert_eq!(get(&tree, "Other", "theme").as_deref(), Some("Last"));
        assert_eq!(
            get(&tree, "Weir", "theme").as_deref(),
            Some("Own"),
            "a desktop's own group goes before later files"
        );
        assert_eq!(get(&tree, "Weir", "font").as_deref(), Some("Sans 9"));
        let tree = tree
            .file("etc/dconf/profile/user", "user-db:user\nsystem-db:marsh\nsystem-db:late\n")
            .file("etc/dconf/db/marsh.d/00", "[org/marsh]\ntheme='Early'\n")
            .file("etc/dconf/db/marsh.d/50", "[org/marsh]\ntheme='Database'\n")
            .file("etc/dconf/db/late.d/00", "[org/marsh]\ntheme='Late'\nfont='Late 9'\n")
            .file("etc/dconf/db/unused.d/00", "[org/marsh]\ntheme='Unused'\n");
        assert_eq!(get(&tree, "Weir", "theme").as_deref(), Some("Database"));
        assert_eq!(get(&tree, "Weir", "font").as_deref(), Some("Late 9"));
        assert_eq!(get(&tree, "Weir", "none"), None);
    }

    #[test]
    fn a_compiled_database_goes_before_what_it_was_made_of_and_a_broken_one_is_named() {
        const COMPILED: &[u8] = include_bytes!("../../tests/data/dconf-database");
        let tree = |database: &[u8]| {
            MemoryTree::new()
                .file("etc/dconf/profile/user", "user-db:user\nsystem-db:local\n")
                .file("etc/dconf/db/local", database)
                .file("etc/dconf/db/local.d/00", "[org/gnome/desktop/interface]\ngtk-theme='Later'\n")
        };
        let get = |tree: &MemoryTree| {
            let settings = Gsettings::new(tree, &[]);
            (settings.get("org.gnome.desktop.interface", "gtk-theme"), settings.unread())
        };
        let (whole, none) = get(&tree(COMPILED));
        assert_eq!(whole, Some(("Marsh-Dark".into(), "etc/dconf/db/local".into())));
        assert_eq!(none, []);
        let (cut, unread) = get(&tree(&COMPILED[..30]));
        assert_eq!(cut, Some(("Later".into(), "etc/dconf/db/local.d/00".into())));
        assert_eq!(unread[0].file, "etc/dconf/db/local");
    }

    #[test]
    fn a_schema_with_nonsense_is_no_answer() {
        let tree = MemoryTree::new().file(
            format!("{}/org.marsh.gschema.xml", SCHEMAS[0]),
            "<schema id='org.marsh'><key name='a'><default>'x",
        );
        assert_eq!(Gsettings::new(&tree, &[]).get("org.marsh", "a"), None);
    }
}
