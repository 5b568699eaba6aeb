use super::pairing::Partners;
use super::{ApplicationChange, ApplicationChangeKind, DefaultChange, DefaultChangeKind, NameAndVersion};
use crate::derive::application_id;
use crate::model::{Application, Does, Launcher, Package, System, Tally, Text};
use crate::version;
use rustc_hash::FxHashMap;

/// Applications of one side, and its launchers, which know of those that are hidden as well.
#[derive(Clone, Copy)]
pub(crate) struct Menus<'a> {
    pub(super) applications: &'a [Application],
    pub(super) launchers: &'a [Launcher],
    pub(super) packages: &'a [Package],
}

impl<'a> Menus<'a> {
    pub(crate) fn of(tally: &'a Tally) -> Self {
        Self { applications: &tally.applications, launchers: &tally.launchers, packages: &tally.packages }
    }

    /// The package that delivers an application, by its identifier.
    fn packages(self) -> FxHashMap<&'a str, &'a Text> {
        let package = |a: &'a Application| Some((a.id.as_str(), &a.delivered.first()?.package));
        self.applications.iter().filter_map(package).collect()
    }

    /// Programs that are there and are not in the menu, by the identifier that their application would have.
    fn hidden(self) -> FxHashMap<Text, &'a Launcher> {
        let there = |l: &Launcher| l.is_usable() && l.program_present != Some(false);
        let hidden = self.launchers.iter().filter(|l| !l.shown && l.does == Does::Program && there(l));
        hidden.map(|launcher| (application_id(&launcher.id), launcher)).collect()
    }
}

/// The changes of applications, by sort and then name; unchanged ones are left out.
///
/// Applications are the same when their identifiers are; of those left, when their names are, ignoring case. One that is in
/// the menu of one side only may be hidden on the other: then it neither came nor went.
pub(super) fn changes(before: Menus<'_>, after: Menus<'_>, pairs: &Partners) -> Vec<ApplicationChange> {
    let (old, new) = (before.applications, after.applications);
    let (was_hidden, is_hidden) = (before.hidden(), after.hidden());
    let mut partnered = vec![false; new.len()];
    let mut changes = Vec::new();
    for (application, partner) in old.iter().zip(pairs) {
        match partner {
            Some(j) => {
                partnered[*j] = true;
                changes.extend(kept(application, &new[*j]));
            }
            None => {
                let gone = change(ApplicationChangeKind::Removed, Some(application), None);
                changes.push(match is_hidden.get(&application.id) {
                    Some(launcher) => ApplicationChange {
                        change: ApplicationChangeKind::Hidden,
                        new_version: launcher.version.clone(),
                        new_systems: launcher.format.into_iter().collect(),
                        ..gone
                    },
                    None => gone,
                });
            }
        }
    }
    for (application, _) in new.iter().zip(&partnered).filter(|(_, partnered)| !**partnered) {
        let fresh = change(ApplicationChangeKind::Added, None, Some(application));
        changes.push(match was_hidden.get(&application.id) {
            Some(launcher) => ApplicationChange {
                change: ApplicationChangeKind::Shown,
                old_version: launcher.version.clone(),
                old_systems: launcher.format.into_iter().collect(),
                ..fresh
            },
            None => fresh,
        });
    }
    sort(&mut changes);
    changes
}

/// Tells what left a role and what took it as one change.
pub(super) fn join_replaced(
    changes: &mut Vec<ApplicationChange>,
    defaults: &[DefaultChange],
    (before, after): (Menus<'_>, Menus<'_>),
) {
    let packages = (before.packages(), after.packages());
    for default in defaults.iter().filter(|default| default.change == DefaultChangeKind::Replaced) {
        let find = |sort, id: &Option<Text>| {
            changes.iter().position(|change| change.change == sort && Some(&change.id) == id.as_ref())
        };
        let (Some(gone), Some(new)) = (
            find(ApplicationChangeKind::Removed, &default.old),
            find(ApplicationChangeKind::Added, &default.new),
        ) else {
            continue;
        };
        let mut before = changes[gone].clone();
        let change = &mut changes[new];
        let packages =
            (packages.0.get(before.id.as_str()).copied(), packages.1.get(change.id.as_str()).copied());
        if let Some((was, is)) = told_apart((&before.name, packages.0), (&change.name, packages.1)) {
            (before.name, change.name) = (was, is);
        }
        change.change = ApplicationChangeKind::Replaced;
        change.in_place_of = Some(NameAndVersion {
            name: before.name,
            version: before.old_version.clone().unwrap_or_default(),
        });
        change.role = Some(default.role.clone());
        change.old_systems = before.old_systems;
        change.old_menu = Some(before.menu).filter(|menu| *menu != change.menu);
        changes.remove(gone);
    }
    sort(changes);
}

fn sort(changes: &mut [ApplicationChange]) {
    changes.sort_by(|a, b| {
        (a.change, a.name.to_lowercase(), &a.id).cmp(&(b.change, b.name.to_lowercase(), &b.id))
    });
}

/// For each old application that has another identifier now, the new one.
pub(super) fn renamed<'a>(
    before: Menus<'a>,
    after: Menus<'a>,
    partners: &Partners,
) -> FxHashMap<&'a str, &'a str> {
    let named = before.applications.iter().zip(partners);
    named
        .filter_map(|(old, j)| Some((old.id.as_str(), after.applications.get((*j)?)?.id.as_str())))
        .filter(|(old, new)| old != new)
        .collect()
}

/// Two programs of one name, told apart by their packages; `None` where they are called otherwise, or a package is not known.
pub(super) fn told_apart(was: (&Text, Option<&Text>), is: (&Text, Option<&Text>)) -> Option<(Text, Text)> {
    let told = |(name, package): (&Text, Option<&Text>)| Some(format!("{name} ({})", package?).into());
    if was.0 == is.0 { told(was).zip(told(is)) } else { None }
}

fn systems(application: &Application) -> Vec<System> {
    let mut systems: Vec<System> = application.delivered.iter().map(|delivery| delivery.system).collect();
    systems.sort_unstable();
    systems.dedup();
    systems
}

fn kept(old: &Application, new: &Application) -> Option<ApplicationChange> {
    let (before, after) = (systems(old), systems(new));
    // What is there in both ways now has not moved as long as the first way is the same.
    let moved = !before.is_empty() && !after.is_empty() && before != after;
    let sort = if moved && (old.version == new.version || before.first() != after.first()) {
        ApplicationChangeKind::FormatChanged
    } else if old.version != new.version {
        ApplicationChangeKind::Updated
    } else if old.menu != new.menu {
        ApplicationChangeKind::MenuChanged
    } else {
        return None;
    };
    Some(change(sort, Some(old), Some(new)))
}

fn change(
    kind: ApplicationChangeKind,
    old: Option<&Application>,
    new: Option<&Application>,
) -> ApplicationChange {
    let shown = new.or(old);
    let version_of = |a: Option<&Application>| a.and_then(|a| a.version.clone());
    let (old_version, new_version) = (version_of(old), version_of(new));
    let step = match (&old_version, &new_version) {
        (Some(old), Some(new)) => version::step(old, new),
        _ => None,
    };
    let menu = shown.map_or(crate::model::Menu::Other, |a| a.menu);
    ApplicationChange {
        change: kind,
        id: shown.map_or_else(Text::default, |a| a.id.clone()),
        name: shown.map_or_else(Text::default, |a| a.name.clone()),
        menu,
        old_menu: old.map(|a| a.menu).filter(|old| *old != menu),
        old_version,
        new_version,
        step,
        old_systems: old.map(systems).unwrap_or_default(),
        new_systems: new.map(systems).unwrap_or_default(),
        in_place_of: None,
        role: None,
    }
}

#[cfg(test)]
mod tests {
    use super::super::pairing::pair;
    use super::*;
    use crate::model::{Delivery, HiddenBecause, HiddenBy, Menu};

    fn application(id: &str, name: &str, version: &str, system: System) -> Application {
        let delivery = Delivery { system, package: id.into(), version: version.into(), bytes: None };
        Application {
            id: id.into(),
            name: name.into(),
            version: Some(version.into()),
            menu: Menu::Accessories,
            roles: Vec::new(),
            delivered: vec![delivery],
            launchers: Vec::new(),
            bytes: None,
        }
    }

    fn changes(before: Menus<'_>, after: Menus<'_>) -> Vec<ApplicationChange> {
        super::changes(before, after, &pair(before, after))
    }

    fn menus<'a>(applications: &'a [Application], launchers: &'a [Launcher]) -> Menus<'a> {
        Menus { applications, launchers, packages: &[] }
    }

    #[test]
    fn what_is_only_hidden_neither_came_nor_went() {
        let hidden = |id: &str, does: &str| {
            let told = serde_json::json!({"id": id, "name": "A", "menu": "accessories", "shown": false, "does": does,
                "version": "2", "format": "dpkg", "hidden_because": "NoDisplay=true"});
            serde_json::from_value::<Launcher>(told).unwrap()
        };
        let shown = [application("a", "A", "1", System::Dpkg)];
        let launchers = [hidden("org.marsh.A.desktop", "program")];
        let forth = changes(menus(&shown, &[]), menus(&[], &launchers));
        assert_eq!((forth.len(), forth[0].change), (1, ApplicationChangeKind::Hidden));
        assert_eq!(
            (forth[0].old_version.as_deref(), forth[0].new_version.as_deref()),
            (Some("1"), Some("2"))
        );
        let back = changes(menus(&[], &launchers), menus(&shown, &[]));
        assert_eq!((back.len(), back[0].change), (1, ApplicationChangeKind::Shown));
        assert_eq!((back[0].old_version.as_deref(), back[0].new_version.as_deref()), (Some("2"), Some("1")));
        let page = [hidden("a.desktop", "web-page")];
        assert_eq!(changes(menus(&shown, &[]), menus(&[], &page))[0].change, ApplicationChangeKind::Removed);

        let mut lost = [hidden("org.marsh.A.desktop", "program")];
        lost[0].program_present = Some(false);
        assert_eq!(changes(menus(&shown, &[]), menus(&[], &lost))[0].change, ApplicationChangeKind::Removed);
        for because in [HiddenBy::Hidden, HiddenBy::TryExec] {
            let mut left = [hidden("org.marsh.A.desktop", "program")];
            left[0].hidden_because = Some(HiddenBecause::key(because, "a"));
            assert_eq!(
                changes(menus(&shown, &[]), menus(&[], &left))[0].change,
                ApplicationChangeKind::Removed,
                "{because}"
            );
            assert_eq!(
                changes(menus(&[], &left), menus(&shown, &[]))[0].change,
                ApplicationChangeKind::Added,
                "{because}"
            );
        }
    }

    #[test]
    fn identifiers_go_before_names() {
        let old = [application("a", "Same", "1", System::Dpkg), application("b", "Other", "1", System::Dpkg)];
        let mut new =
            [application("c", "same", "2", System::Dpkg), application("b", "Renamed", "1", System::Dpkg)];
        assert_eq!(
            changes(menus(&old, &[]), menus(&new, &[])).len(),
            2,
            "another package holds another program"
        );
        new[0].delivered[0].package = old[0].delivered[0].package.clone();
        let found = changes(menus(&old, &[]), menus(&new, &[]));
        assert_eq!(found.len(), 1);
        assert_eq!((found[0].change, found[0].id.as_str()), (ApplicationChangeKind::Updated, "c"));
        // A program may change both, and stays the only one of its package.
        new[0].name = "Other name".into();
        assert_eq!(changes(menus(&old, &[]), menus(&new, &[])).len(), 1);
    }

    #[test]
    fn another_system_is_a_move_even_with_another_version() {
        let (old, new) =
            (application("a", "A", "1", System::Dpkg), application("a", "A", "2", System::Flatpak));
        let changes = self::changes(menus(&[old], &[]), menus(&[new], &[]));
        assert_eq!(changes[0].change, ApplicationChangeKind::FormatChanged);
        assert_eq!(
            (&changes[0].old_systems[..], &changes[0].new_systems[..]),
            (&[System::Dpkg][..], &[System::Flatpak][..])
        );
    }

    #[test]
    fn what_has_no_partner_is_new_or_gone() {
        let (old, new) = (application("a", "A", "1", System::Dpkg), application("b", "B", "1", System::Dpkg));
        let changes = self::changes(menus(&[old], &[]), menus(&[new], &[]));
        assert_eq!(
            changes.iter().map(|c| c.change).collect::<Vec<_>>(),
            [ApplicationChangeKind::Added, ApplicationChangeKind::Removed]
        );
    }

    /// Comparing each with each would take hours here.
    #[test]
    fn many_of_one_name_in_other_packages_are_told_apart_in_one_walk() {
        let side = |letters: [char; 2]| -> Vec<Application> {
            let word = |at: usize| -> String { (0..17).map(|bit| letters[at >> bit & 1]).collect() };
            (0..100_000).map(|at| application(&word(at), "Same", "1", System::Dpkg)).collect()
        };
        let (old, new) = (side(['a', 'b']), side(['c', 'd']));
        let partners = pair(menus(&old, &[]), menus(&new, &[]));
        assert!(
            partners.iter().all(Option::is_none),
            "packages that are called otherwise hold other programs"
        );
    }
}
