//! What decides which application opens a type, as files and settings say it, and what of it leads nowhere.

use crate::knowledge::Roles;
use crate::model::{Evidence, Finding, FindingDetails, Launcher, Text};
use rustc_hash::FxHashSet;
use std::collections::BTreeMap;

/// What one `mimeapps.list` says.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct AssociationList {
    /// The file, for evidence.
    pub file: Text,
    /// `[Default Applications]`: launchers by type, best first.
    pub defaults: BTreeMap<Text, Vec<Text>>,
    /// `[Added Associations]`.
    pub added: BTreeMap<Text, Vec<Text>>,
    /// `[Removed Associations]`.
    pub removed: BTreeMap<Text, Vec<Text>>,
}

/// What the launchers of one data folder say that they open.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct LauncherTypes {
    /// The cache, or the folder, for evidence.
    pub file: Text,
    /// Launchers by type.
    pub launchers: BTreeMap<Text, Vec<Text>>,
    /// How many lists go before it: those of its own folder, and of folders of higher precedence.
    pub after: usize,
}

/// Everything that decides which application opens a type.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Associations {
    /// All lists, in the specification's order for the install's desktop.
    pub lists: Vec<AssociationList>,
    /// What launchers say themselves, in the order of the data folders.
    pub caches: Vec<LauncherTypes>,
    /// Parents of types, nearest first.
    pub parents: BTreeMap<Text, Vec<Text>>,
    /// Proper names of types that have another one.
    pub aliases: BTreeMap<Text, Text>,
    /// Programs that links in `etc/alternatives` choose, by the name of the link.
    pub alternatives: BTreeMap<Text, Text>,
    /// All programs that are behind such a link, by the name of the link, the one of highest priority first.
    pub others: BTreeMap<Text, Vec<Text>>,
    /// What the desktop's own settings name for a role: a launcher or a command, and the file that says so, if one does.
    pub set: BTreeMap<Text, Vec<(Text, Option<Text>)>>,
    /// Programs of the desktop itself, by the roles that they have.
    pub built_in: BTreeMap<Text, Text>,
    /// Whether launchers with a higher `InitialPreference` go first.
    pub by_preference: bool,
}

impl Associations {
    /// Takes programs out of the alternatives that only launchers in `later` start: the best of the others is chosen then.
    pub fn without_programs_of(&mut self, later: &[Launcher], shipped: &[Launcher]) {
        let starts = |list: &[Launcher], program: &str| {
            list.iter().any(|launcher| launcher.runs.as_deref() == Some(program_of(program)))
        };
        let came = |program: &Text| starts(later, program) && !starts(shipped, program);
        for (link, program) in &mut self.alternatives {
            if came(program)
                && let Some(next) = self.others.get(link).and_then(|all| all.iter().find(|one| !came(one)))
            {
                program.clone_from(next);
            }
        }
    }
}

/// Defaults of asked types that name launchers of which none is there: a list, the type, and what it names.
pub fn dead_defaults(roles: &Roles, associations: &Associations, launchers: &[Launcher]) -> Vec<Finding> {
    let there: FxHashSet<&str> = launchers
        .iter()
        .filter(|launcher| launcher.is_usable())
        .map(|launcher| launcher.id.as_str())
        .collect();
    let mut found = Vec::new();
    for (role, asked) in roles.role.iter().flat_map(|role| role.types.iter().map(move |asked| (role, asked)))
    {
        for list in &associations.lists {
            let Some(named) = list.defaults.get(asked).filter(|named| !named.is_empty()) else { continue };
            if named.iter().any(|launcher| there.contains(launcher.as_str())) {
                break;
            }
            let (role, launchers) = (role.role.clone(), named.clone());
            found.push(Finding {
                about: vec![format!("role:{role}").into()],
                details: FindingDetails::BrokenDefault { role, asked: asked.clone(), launchers },
                evidence: Evidence::file(list.file.clone()),
            });
        }
    }
    found
}

/// `xfce4-terminal` of `/usr/bin/xfce4-terminal.wrapper`.
pub(super) fn program_of(target: &str) -> &str {
    let name = target.rsplit('/').next().unwrap_or(target);
    name.strip_suffix(".wrapper").unwrap_or(name)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::knowledge::Role;
    use crate::model::samples;

    fn launcher(id: &str, category: &str) -> Launcher {
        Launcher { categories: vec![category.into()], ..samples::launcher(id, id) }
    }

    #[test]
    fn a_default_that_points_nowhere_is_told_unless_another_one_is_there() {
        let roles = Roles {
            role: vec![Role {
                role: "text-editor".into(),
                types: vec!["text/plain".into()],
                ..Role::default()
            }],
        };
        let named = |launchers: &[&str]| {
            let launchers = launchers.iter().map(|id| Text::from(*id)).collect();
            let list = AssociationList {
                file: "etc/xdg/mimeapps.list".into(),
                defaults: BTreeMap::from([("text/plain".into(), launchers)]),
                ..AssociationList::default()
            };
            Associations { lists: vec![list], ..Associations::default() }
        };
        let launchers = [launcher("inkcap", "TextEditor")];
        let dead = dead_defaults(&roles, &named(&["gone.desktop"]), &launchers);
        assert_eq!(dead.len(), 1);
        let launchers_named = vec![Text::from("gone.desktop")];
        assert!(
            matches!(&dead[0].details, FindingDetails::BrokenDefault { launchers, .. } if *launchers == launchers_named)
        );
        assert!(dead_defaults(&roles, &named(&["gone.desktop", "inkcap.desktop"]), &launchers).is_empty());
    }
}
