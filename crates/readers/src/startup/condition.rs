//! What autostart entries wait for: a file in the new user's home, a setting. What can't be known is taken to hold.

use crate::settings::NewUser;

/// Whether the `AutostartCondition` of an entry holds for a new user: `if-exists FILE`, `unless-exists FILE`, each below the user's
/// configuration folder; `GSettings SCHEMA KEY`.
pub(super) fn holds(user: &NewUser<'_>, condition: &str) -> bool {
    let mut words = condition.split_whitespace();
    let exists = |file: Option<&str>| file.is_some_and(|f| user.tree.exists(format!("etc/skel/.config/{f}")));
    match words.next() {
        Some("if-exists") => exists(words.next()),
        Some("unless-exists") => !exists(words.next()),
        Some("GSettings") => match (words.next(), words.next()) {
            (Some(schema), Some(key)) => {
                user.gsettings.get(schema, key).is_none_or(|(value, _)| value == "true")
            }
            _ => true,
        },
        _ => true,
    }
}

/// Whether an `X-KDE-autostart-condition` holds: file, group, key, and what is taken where the file does not say.
pub(super) fn holds_of_rc_file(user: &NewUser<'_>, condition: &str) -> bool {
    let [file, group, key, otherwise] = condition.split(':').collect::<Vec<_>>()[..] else { return true };
    let said = user.config(file, group, key).map(|(value, _)| value);
    said.as_deref().unwrap_or(otherwise) == "true"
}

#[cfg(test)]
mod tests {
    use super::*;
    use tally_trees::MemoryTree;

    #[test]
    fn files_of_a_new_user_are_asked_for() {
        let tree = MemoryTree::new().file("etc/skel/.config/done", "");
        let holds = |condition: &str| holds(&NewUser::of(&tree, None, &[]), condition);
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
            .file("usr/share/glib-2.0/schemas/org.marsh.reader.gschema.xml", schema)
            .file("usr/share/glib-2.0/schemas/10_a.gschema.override", "[org.marsh.reader]\nloud=true\n")
            .file("usr/share/glib-2.0/schemas/20_b.gschema.override", "[org.marsh.reader]\nloud=false\n");
        let holds = |condition: &str| holds(&NewUser::of(&tree, None, &[]), condition);
        assert!(!holds("GSettings org.marsh.reader on"));
        assert!(!holds("GSettings org.marsh.reader loud"), "the last override wins");
        assert!(holds("GSettings org.marsh.reader.deep on"), "in the file of the schema above");
        assert!(holds("GSettings org.marsh.unknown on"));
        let cut = MemoryTree::new().file("usr/share/glib-2.0/schemas/org.marsh.gschema.xml", &schema[..90]);
        assert!(super::holds(&NewUser::of(&cut, None, &[]), "GSettings org.marsh.reader loud"));
    }

    #[test]
    fn rc_files_are_asked_and_have_a_value_of_last_resort() {
        let tree = MemoryTree::new().file("etc/xdg/tiderc", "[General]\nhigh=false\n");
        let holds = |condition: &str| holds_of_rc_file(&NewUser::of(&tree, None, &[]), condition);
        assert!(!holds("tiderc:General:high:true") && holds("tiderc:General:low:true"));
        assert!(!holds("none:General:low:false") && holds("nonsense"));
    }
}
