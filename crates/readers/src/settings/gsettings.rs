//! GSettings: dconf's system databases (compiled, else their key files), overrides of schemas, and the schemas' own defaults.

use super::dconf::Database;
use crate::keyfile::KeyFile;
use crate::text::name_text;
use crate::xml::{Step, walk};
use std::collections::{BTreeMap, BTreeSet};
use std::sync::{Arc, OnceLock};
use tally_core::model::{Text, Unread};
use tally_trees::{NodeKind, Tree};

/// Folders of schemas and their overrides.
const SCHEMAS: &[&str] = &[
    "usr/share/glib-2.0/schemas",
    "usr/local/share/glib-2.0/schemas",
    "nix/var/nix/profiles/system/sw/share/glib-2.0/schemas",
    "var/guix/profiles/system/profile/share/glib-2.0/schemas",
];

/// Databases that are read of a profile.
const DATABASES: usize = 64;

/// Settings of a new user in a session of certain desktops.
pub(crate) struct Gsettings<'t> {
    tree: &'t dyn Tree,
    desktops: Vec<Text>,
    files: OnceLock<Files>,
}

/// A value of a key, and what decided it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Found {
    /// The value as GVariant text.
    pub(crate) value: Text,
    /// The file that says so.
    pub(crate) file: String,
    /// The line in it, where it is a key file.
    pub(crate) line: Option<u32>,
    /// The schema, where it is a file of schemas.
    pub(crate) schema: Option<String>,
    /// The default of the schema.
    pub(crate) upstream: Option<Text>,
    /// Whether it is that default.
    pub(crate) by_schema: bool,
    /// Whether a database locks it.
    pub(crate) locked: bool,
}

/// Files that set values, those that win first.
struct Files {
    /// The system databases that the user's profile names.
    databases: Vec<Values>,
    overrides: Merged,
    /// Databases that could not be read.
    unread: Vec<Unread>,
    /// The schemas, by ID.
    schemas: BTreeMap<String, Schema>,
    /// The first schema of each path.
    by_path: BTreeMap<String, String>,
}

/// What key files say together, by group and key: the value, and the file of those given first that has it.
#[derive(Default)]
struct Merged(BTreeMap<String, BTreeMap<Text, Stated>>);

/// A value, and where it stands.
#[derive(Clone)]
struct Stated {
    value: Text,
    file: Arc<str>,
    line: Option<u32>,
}

impl Merged {
    /// Merges files, those that win first.
    fn of(tree: &dyn Tree, files: impl IntoIterator<Item = String>) -> Self {
        let mut merged = Self::default();
        for path in files {
            let Ok(bytes) = tree.read(&path) else { continue };
            let file: Arc<str> = path.as_str().into();
            for group in KeyFile::parse(&path, &bytes).groups() {
                let known = merged.0.entry(group.name().to_owned()).or_default();
                // Within a file the first group of a name that has a key counts.
                for entry in group.entries().filter(|entry| !entry.value.is_empty()) {
                    let (value, file, line) = (entry.value.clone(), Arc::clone(&file), Some(entry.line));
                    known.entry(entry.key.clone()).or_insert(Stated { value, file, line });
                }
            }
        }
        merged
    }

    fn get(&self, group: &str, key: &str) -> Option<Stated> {
        self.0.get(group)?.get(key).cloned()
    }

    /// Groups with their keys.
    fn keys(&self) -> impl Iterator<Item = (&str, &Text)> {
        self.0.iter().flat_map(|(group, keys)| keys.keys().map(move |key| (group.as_str(), key)))
    }
}

/// The values of a database, and the files that have them.
enum Values {
    /// What dconf reads.
    Compiled(Arc<str>, Database),
    /// What it is compiled of, and the keys that are locked.
    KeyFiles(Merged, BTreeSet<String>),
}

impl Values {
    /// The value of a key.
    fn get(&self, folder: &str, key: &str) -> Option<Stated> {
        match self {
            Self::Compiled(file, database) => {
                Some(Stated { value: database.get(folder, key)?.clone(), file: Arc::clone(file), line: None })
            }
            Self::KeyFiles(files, _) => files.get(folder, key),
        }
    }

    fn locks(&self, path: &str) -> bool {
        match self {
            Self::Compiled(_, database) => database.locks(path),
            Self::KeyFiles(_, locks) => locks.contains(path),
        }
    }
}

/// What a schema says.
#[derive(Debug, Default)]
struct Schema {
    /// Where its values are in a database: `org/gnome/desktop/interface`.
    path: String,
    /// Defaults by key.
    defaults: BTreeMap<String, Text>,
    file: String,
}

impl<'t> Gsettings<'t> {
    pub(crate) fn new(tree: &'t dyn Tree, desktops: &[Text]) -> Self {
        Self { tree, desktops: desktops.to_vec(), files: OnceLock::new() }
    }

    fn files(&self) -> &Files {
        self.files.get_or_init(|| Files::read(self.tree))
    }

    /// The value of a key, quotes taken off, and the file that says so.
    pub(crate) fn get(&self, schema: &str, key: &str) -> Option<(Text, String)> {
        let found = self.found(schema, key)?;
        let plain = found.value.trim().trim_matches(['\'', '"']);
        (!plain.is_empty()).then(|| (plain.into(), found.file))
    }

    /// The value of a key, and what decided it.
    pub(crate) fn found(&self, schema: &str, key: &str) -> Option<Found> {
        let files = self.files();
        let declared = files.schemas.get(schema);
        let path = declared.map_or_else(|| schema.replace('.', "/"), |declared| declared.path.clone());
        let upstream = declared.and_then(|declared| declared.defaults.get(key).cloned());
        let set = |stated: Stated, locked| Found {
            value: stated.value,
            file: stated.file.to_string(),
            line: stated.line,
            schema: None,
            upstream: upstream.clone(),
            by_schema: false,
            locked,
        };
        let in_databases = || {
            let whole = format!("/{path}/{key}");
            let locked = files.databases.iter().any(|one| one.locks(&whole));
            Some(set(files.databases.iter().find_map(|one| one.get(&path, key))?, locked))
        };
        let in_group = |group: &str| files.overrides.get(group, key).map(|stated| set(stated, false));
        // A group for a desktop goes before the one for all, in the order of the desktop's names.
        let own = || self.desktops.iter().find_map(|desktop| in_group(&format!("{schema}:{desktop}")));
        let by_schema = || {
            let file = declared?.file.clone();
            let value = upstream.clone()?;
            let by_schema = true;
            let schema = Some(schema.to_owned());
            Some(Found {
                value,
                file,
                line: None,
                schema,
                upstream: upstream.clone(),
                by_schema,
                locked: false,
            })
        };
        in_databases().or_else(own).or_else(|| in_group(schema)).or_else(by_schema)
    }

    /// Every schema and key that an override or a database sets for this session, in their order.
    pub(crate) fn set_keys(&self) -> Vec<(String, String)> {
        let files = self.files();
        let mut keys = Vec::new();
        for (group, key) in files.overrides.keys() {
            let (schema, desktop) = group.split_once(':').unwrap_or((group, ""));
            if desktop.is_empty() || self.desktops.iter().any(|own| own == desktop) {
                keys.push((schema.to_owned(), key.to_string()));
            }
        }
        for database in &files.databases {
            let found: Vec<(String, String)> = match database {
                Values::Compiled(_, database) => database.keys().collect(),
                Values::KeyFiles(files, _) => {
                    files.keys().map(|(folder, key)| (folder.to_owned(), key.to_string())).collect()
                }
            };
            for (folder, key) in found {
                let schema = files.by_path.get(&folder).cloned().unwrap_or_else(|| folder.replace('/', "."));
                keys.push((schema, key));
            }
        }
        keys.sort();
        keys.dedup();
        keys
    }

    /// Databases that could not be read.
    pub(crate) fn unread(&self) -> Vec<Unread> {
        self.files().unread.clone()
    }
}

impl Files {
    fn read(tree: &dyn Tree) -> Self {
        let all = |folder: &str, ending: &str| -> Vec<String> {
            let names = tree.names(folder).into_iter().filter(|entry| entry.kind != NodeKind::Folder);
            let names = names.map(|entry| name_text(&entry.name)).filter(|name| name.ends_with(ending));
            names.map(|name| format!("{folder}/{name}")).collect()
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
                Some(Ok(database)) => return Some(Values::Compiled(file.into(), database)),
                Some(Err(why)) => unread.push(Unread::whole(file.as_str(), why)),
                None => {}
            }
            // Within a folder the last file wins.
            let mut files = all(&format!("{file}.d"), "");
            files.reverse();
            let locks =
                all(&format!("{file}.d/locks"), "").into_iter().filter_map(|file| tree.read(file).ok());
            let locks = locks.flat_map(|bytes| {
                let text = String::from_utf8_lossy(&bytes).into_owned();
                let paths = text.lines().map(str::trim).filter(|line| line.starts_with('/'));
                paths.map(str::to_owned).collect::<Vec<_>>()
            });
            let locks = locks.collect();
            Some(Values::KeyFiles(Merged::of(tree, files), locks))
        };
        let mut overrides: Vec<String> =
            SCHEMAS.iter().flat_map(|folder| all(folder, ".gschema.override")).collect();
        overrides.reverse();
        let mut schemas = BTreeMap::new();
        for file in SCHEMAS.iter().flat_map(|folder| all(folder, ".gschema.xml")) {
            if let Ok(bytes) = tree.read(&file) {
                declared_in(&bytes, &file, &mut schemas);
            }
        }
        let mut by_path = BTreeMap::new();
        for (id, schema) in &schemas {
            by_path.entry(schema.path.clone()).or_insert_with(|| id.clone());
        }
        // A database that is named again says nothing that it has not said.
        let mut named = BTreeSet::new();
        let mut lines = profile.lines().filter(|line| named.insert(line.trim().to_owned()));
        let databases = lines.by_ref().take(DATABASES).filter_map(&mut database).collect();
        if lines.next().is_some() {
            unread.push(Unread::whole(
                "etc/dconf/profile/user",
                format!("names more than {DATABASES} databases"),
            ));
        }
        Self { databases, overrides: Merged::of(tree, overrides), schemas, by_path, unread }
    }
}

/// Adds the schemas of a file: the first of an ID counts.
fn declared_in(bytes: &[u8], file: &str, schemas: &mut BTreeMap<String, Schema>) {
    let (mut schema, mut key) = (None::<String>, None::<String>);
    // What comes before an error counts.
    _ = walk(bytes, |step| match step {
        Step::Open { path, attributes } => {
            let of = |name: &str| attributes.iter().find(|(n, _)| n == name).map(|(_, value)| value.as_str());
            match path.last().map(Text::as_str) {
                Some("schema") => {
                    schema = of("id").filter(|id| !schemas.contains_key(*id)).map(str::to_owned);
                    if let Some(id) = &schema {
                        let path = of("path").map(|path| path.trim_matches('/').to_owned());
                        let path = path.unwrap_or_else(|| id.replace('.', "/"));
                        let known = Schema { path, defaults: BTreeMap::new(), file: file.to_owned() };
                        schemas.insert(id.clone(), known);
                    }
                }
                Some("key") => key = of("name").map(str::to_owned),
                _ => {}
            }
        }
        Step::Close { path, text } => {
            if path.last().is_some_and(|name| name == "default")
                && let (Some(schema), Some(key)) = (schema.as_ref().and_then(|id| schemas.get_mut(id)), &key)
            {
                schema.defaults.entry(key.clone()).or_insert_with(|| text.trim().into());
            }
        }
    });
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
