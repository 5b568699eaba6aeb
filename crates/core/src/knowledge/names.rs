//! What names of packages tell, beside kinds, parts and roles.

use super::pattern::pattern;
use crate::model::Text;
use serde::Deserialize;
use std::collections::BTreeMap;
use std::sync::LazyLock;

/// The table as the build script wrote it.
const READY: &str = include_str!(concat!(env!("OUT_DIR"), "/names.json"));

static NAMES: LazyLock<Names> = LazyLock::new(|| super::ready(READY).unwrap_or_default());

/// The table of names.
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Names {
    /// Endings of packages that accompany another one.
    pub companion_endings: Vec<Text>,
    /// Projects whose sources have the number of their series in the name.
    pub series_in_source: Vec<Text>,
    /// Roles whose apps a desktop can't do without.
    pub needed_roles: Vec<Text>,
    /// Parts that are kept by whatever needs them, and not for themselves.
    pub parts_beside: Vec<Text>,
    /// Pattern of packages of fonts that an interface can't do without.
    #[serde(deserialize_with = "pattern")]
    pub basic_fonts: Text,
    /// Pattern of packages that no clean-up takes.
    #[serde(deserialize_with = "pattern")]
    pub never_cleared: Text,
    /// Words by which a kernel's release or package tells its flavour.
    pub kernel_flavours: Vec<Text>,
    /// What older releases of the shared MIME database call a type.
    pub former_types: BTreeMap<Text, Vec<Text>>,
    /// Metapackages that stand for an edition, the surest first.
    pub edition: Vec<EditionName>,
}

/// What is around the edition in the name of a metapackage.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct EditionName {
    /// What the name begins with.
    pub before: Text,
    /// What it ends with.
    pub after: Text,
}

/// The table inside the program.
pub fn names() -> &'static Names {
    &NAMES
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_table_is_read() {
        assert!(names().companion_endings.iter().any(|ending| ending == "-data"));
        assert!(!names().never_cleared.is_empty() && !names().edition.is_empty());
    }

    #[test]
    fn an_edition_is_asked_for_by_its_longest_ending_first() {
        let edition = &names().edition;
        for (i, one) in edition.iter().enumerate() {
            for other in &edition[..i] {
                let shadowed = one.before.starts_with(other.before.as_str())
                    && one.after.ends_with(other.after.as_str());
                assert!(!shadowed, "{one:?} is never asked for: {other:?} goes before it");
            }
        }
    }
}
