//! What autostart entries wait for: a file in the new user's home, a setting. What can't be told is taken to hold.

use crate::keyfile::KeyFile;
use crate::text::name_text;
use crate::xml::{Step, walk};
use tally_core::model::Text;
use tally_trees::Tree;

const SCHEMAS: &str = "usr/share/glib-2.0/schemas";

/// Whether the `AutostartCondition` of an entry holds for a new user: `if-exists FILE`, `unless-exists FILE`, each below the user's
/// configuration folder; `GSettings SCHEMA KEY`.
pub(super) fn holds(tree: &dyn Tree, condition: &str) -> bool {
    let mut words = condition.split_whitespace();
    let exists = |file: Option<&str>| file.is_some_and(|f| tree.exists(format!("etc/skel/.config/{f}")));
    match words.next() {
        Some("if-exists") => exists(words.next()),
        Some("unless-exists") => !exists(words.next()),
        Some("GSettings") => match (words.next(), words.next()) {
            (Some(schema), Some(key)) => setting(tree, schema, key).is_none_or(|value| value == "true"),
            _ => true,
        },
        _ => true,
    }
}

/// Whether an `X-KDE-autostart-condition` holds: file, group, key, and what is taken where the file does not say.
pub(super) fn holds_of_rc_file(tree: &dyn Tree, condition: &str) -> bool {
    let [file, group, key, otherwise] = condition.split(':').collect::<Vec<_>>()[..] else { return true };
    let path = format!("etc/xdg/{file}");
    let said = tree.read(&path).ok().and_then(|bytes| {
        let parsed = KeyFile::parse(&path, &bytes);
        parsed.group(group)?.get(key).cloned()
    });
    said.as_deref().unwrap_or(otherwise) == "true"
}

/// A setting as a new user has it: of the last override that gives it, else the schema's default.
fn setting(tree: &dyn Tree, schema: &str, key: &str) -> Option<Text> {
    let mut names: Vec<Text> = tree.names(SCHEMAS).iter().map(|entry| name_text(&entry.name)).collect();
    names.sort();
    let overrides = names.iter().rev().filter(|name| name.ends_with(".gschema.override"));
    for name in overrides {
        let path = format!("{SCHEMAS}/{name}");
        let Ok(bytes) = tree.read(&path) else { continue };
        if let Some(value) = KeyFile::parse(&path, &bytes).group(schema).and_then(|group| group.get(key)) {
            return Some(value.clone());
        }
    }
    // A file is called like a schema in it, or like the begin of several.
    let about = |name: &Text| {
        let stem = name.strip_suffix(".gschema.xml")?;
        schema.strip_prefix(stem).filter(|rest| rest.is_empty() || rest.starts_with('.'))
    };
    let mut files: Vec<&Text> = names.iter().filter(|name| about(name).is_some()).collect();
    files.sort_by_key(|name| std::cmp::Reverse(name.len()));
    files.iter().find_map(|name| default_in(&tree.read(format!("{SCHEMAS}/{name}")).ok()?, schema, key))
}

/// The default of a key in a file of schemas.
fn default_in(bytes: &[u8], schema: &str, key: &str) -> Option<Text> {
    let (mut in_schema, mut in_key, mut found) = (false, false, None);
    // What comes before an error counts.
    _ = walk(bytes, |step| match step {
        Step::Open { path, attributes } => {
            let is =
                |name: &str, wanted: &str| attributes.iter().any(|(n, value)| n == name && value == wanted);
            match path.last().map(Text::as_str) {
                Some("schema") => in_schema = is("id", schema),
                Some("key") => in_key = in_schema && is("name", key),
                _ => {}
            }
        }
        Step::Close { path, text } => {
            if in_key && path.last().is_some_and(|name| name == "default") && found.is_none() {
                found = Some(text.trim().into());
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
    fn files_of_a_new_user_are_asked_for() {
        let tree = MemoryTree::new().file("etc/skel/.config/done", "");
        let holds = |condition: &str| holds(&tree as &dyn Tree, condition);
        assert!(holds("if-exists done") && !holds("if-exists other"));
        assert!(!holds("unless-exists done") && holds("unless-exists other"));
        assert!(
            holds("MoonPhase full") && holds("") && holds("GSettings org.marsh"),
            "what is not known may hold"
        );
    }

    #[test]
    fn settings_come_from_overrides_then_from_schemas() {
        let schema = "<schemalist><schema id='org.marsh.reader' path='/'><key name='loud' type='b'><default> true </default></key>\
                      <key name='on' type='b'><default>false</default></key></schema>\
                      <schema id='org.marsh.reader.deep'><key name='on' type='b'><default>true</default></key></schema></schemalist>";
        let tree = MemoryTree::new()
            .file(format!("{SCHEMAS}/org.marsh.reader.gschema.xml"), schema)
            .file(format!("{SCHEMAS}/10_a.gschema.override"), "[org.marsh.reader]\nloud=true\n")
            .file(format!("{SCHEMAS}/20_b.gschema.override"), "[org.marsh.reader]\nloud=false\n");
        let holds = |condition: &str| holds(&tree as &dyn Tree, condition);
        assert!(!holds("GSettings org.marsh.reader on"));
        assert!(!holds("GSettings org.marsh.reader loud"), "the last override wins");
        assert!(holds("GSettings org.marsh.reader.deep on"), "in the file of the schema above");
        assert!(holds("GSettings org.marsh.unknown on"));
        let cut = MemoryTree::new().file(format!("{SCHEMAS}/org.marsh.gschema.xml"), &schema[..90]);
        assert!(super::holds(&cut as &dyn Tree, "GSettings org.marsh.reader loud"));
    }

    #[test]
    fn rc_files_are_asked_and_have_a_value_of_last_resort() {
        let tree = MemoryTree::new().file("etc/xdg/tiderc", "[General]\nhigh=false\n");
        let holds = |condition: &str| holds_of_rc_file(&tree as &dyn Tree, condition);
        assert!(!holds("tiderc:General:high:true") && holds("tiderc:General:low:true"));
        assert!(!holds("none:General:low:false") && holds("nonsense"));
    }
}
