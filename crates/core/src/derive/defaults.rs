//! Default apps: the MIME Applications Associations specification 1.0.1, and categories where no type stands for a job.

use super::application_id;
use super::associations::{Associations, program_of};
use crate::knowledge::{Role, Roles, names};
use crate::model::{Application, Decided, DecidedBy, DefaultChoice, Launcher, PackageRef, System, Text};
use rustc_hash::{FxHashMap, FxHashSet};
use std::collections::BTreeSet;

/// Answers every asked type and category of every role, in the order of the roles.
pub fn choose_defaults(
    roles: &Roles,
    associations: &Associations,
    launchers: &[Launcher],
    applications: &[Application],
) -> Vec<DefaultChoice> {
    let chooser = Chooser::new(associations, launchers, applications);
    let mut choices = Vec::new();
    for role in &roles.role {
        let mut ask = |choice: DefaultChoice, also: bool| choices.push(DefaultChoice { also, ..choice });
        for asked in &role.types {
            ask(chooser.by_type(role, asked), role.quiet);
        }
        if role.is_by_launcher() {
            ask(chooser.by_launcher(role), role.quiet);
        }
        for asked in &role.also {
            ask(chooser.by_type(role, asked), true);
        }
    }
    choices
}

pub(super) struct Chooser<'a> {
    associations: &'a Associations,
    launchers: &'a [Launcher],
    /// Launchers that can be started, shown or not.
    usable: FxHashMap<&'a str, &'a Launcher>,
    application_of: FxHashMap<&'a str, &'a Text>,
    /// Applications by package and program: what opens a type may be a launcher of its own, which no menu shows.
    by_program: FxHashMap<(&'a PackageRef, &'a str), &'a Text>,
}

impl<'a> Chooser<'a> {
    pub(super) fn new(
        associations: &'a Associations,
        launchers: &'a [Launcher],
        applications: &'a [Application],
    ) -> Self {
        let mut usable: FxHashMap<&str, &Launcher> = FxHashMap::default();
        for launcher in launchers.iter().filter(|launcher| launcher.is_usable()) {
            usable.entry(&launcher.id).or_insert(launcher);
        }
        let application_of: FxHashMap<&str, &Text> =
            applications.iter().flat_map(|a| a.launchers.iter().map(move |l| (l.as_str(), &a.id))).collect();
        let by_program = application_of
            .iter()
            .filter_map(|(launcher, id)| Some((started_by(usable.get(launcher)?)?, *id)))
            .collect();
        Self { associations, launchers, usable, application_of, by_program }
    }

    fn application(&self, launcher: &str) -> Text {
        let beside = || self.by_program.get(&started_by(self.usable.get(launcher)?)?);
        let known = self.application_of.get(launcher).or_else(beside);
        known.map_or_else(|| application_id(launcher), |id| (*id).clone())
    }

    /// What the desktop's own settings name for a role, where that is there.
    fn set_for(&self, role: &Text) -> Option<(Text, Option<Text>)> {
        self.associations.set.get(role)?.iter().find_map(|(named, file)| {
            let command = named.trim_matches(['!', '"', '\'']).split_whitespace().next()?;
            let program = program_of(command);
            let by_id = self.usable.get_key_value(command).map(|(id, _)| *id);
            let by_file =
                || self.usable.keys().find(|id| id.strip_suffix(".desktop") == Some(program)).copied();
            let runs =
                |launcher: &&Launcher| launcher.is_usable() && launcher.runs.as_deref() == Some(program);
            let by_program = || {
                self.launchers
                    .iter()
                    .filter(runs)
                    .max_by_key(|launcher| launcher.shown)
                    .map(|one| one.id.as_str())
            };
            let launcher = by_id.or_else(by_file).or_else(by_program)?;
            Some((launcher.into(), file.clone()))
        })
    }

    pub(super) fn by_type(&self, of: &Role, asked: &Text) -> DefaultChoice {
        let role = &of.role;
        let ruled_out = |id: &Text| self.usable.get(id.as_str()).is_some_and(|one| of.rules_out(one));
        let all = |name: &Text| {
            let mut launchers = self.preferred(self.associated(name));
            launchers.retain(|(id, _)| !ruled_out(id));
            launchers
        };
        if let Some((launcher, file)) = self.set_for(role) {
            let decided = Decided { by: DecidedBy::DesktopSetting, file, alias: None };
            return self.choice(role, asked, Some(launcher), decided, &self.rivals(of, &all(asked)), true);
        }
        let alias = |name: &Text| (name != asked).then(|| name.clone());
        // What is set under any name of the type goes before what launchers say.
        for name in self.names_of(asked) {
            if let Some((launcher, file)) = self.default_of(name) {
                let decided = Decided { by: DecidedBy::SetInFile, file: Some(file), alias: alias(name) };
                return self.choice(role, asked, Some(launcher), decided, &self.rivals(of, &all(name)), true);
            }
        }
        for name in self.names_of(asked) {
            let own = all(name);
            let Some((launcher, file)) = own.first() else { continue };
            let rivals = self.rivals(of, &own);
            let preferred = || self.associations.by_preference && self.leads(&own);
            // An app that opens the type beside its job is no choice among several, but a surprise.
            let own_job = rivals.iter().any(|(one, _)| one == launcher);
            let is_other = |other: &Text| self.application(other) != self.application(launcher);
            let alone = !own_job || !rivals.iter().any(|(other, _)| is_other(other));
            let (by, sure) = match (own.len(), alone) {
                (1, _) => (DecidedBy::OnlyCandidate, true),
                _ if preferred() => (DecidedBy::Preference, true),
                (_, alone) => (DecidedBy::FirstOfSeveral, alone),
            };
            let decided = Decided { by, file: Some(file.clone()), alias: alias(name) };
            return self.choice(role, asked, Some(launcher), decided, &rivals, sure);
        }
        let proper = self.associations.aliases.get(asked);
        for parent in self.ancestors(proper.unwrap_or(asked)) {
            let inherited = all(parent);
            if let Some((launcher, file)) = self.default_of(parent).or_else(|| inherited.first().cloned()) {
                let by = DecidedBy::ParentType { parent: parent.clone() };
                let decided = Decided::in_file(by, &file);
                let rivals = self.rivals(of, &inherited);
                return self.choice(role, asked, Some(&launcher), decided, &rivals, true);
            }
        }
        self.choice::<&str>(role, asked, None, Decided::by(DecidedBy::Nothing), &[], true)
    }

    /// Launchers as the desktop sorts them: by what they say themselves, where it goes by that.
    fn preferred(&self, mut launchers: Vec<(Text, Text)>) -> Vec<(Text, Text)> {
        if self.associations.by_preference {
            launchers.sort_by_key(|(id, _)| std::cmp::Reverse(self.preference(id)));
        }
        launchers
    }

    fn preference(&self, launcher: &str) -> i32 {
        self.usable.get(launcher).and_then(|launcher| launcher.initial_preference).unwrap_or(1)
    }

    /// Whether the first of these states a higher preference than the next one.
    fn leads(&self, launchers: &[(Text, Text)]) -> bool {
        matches!(launchers, [(first, _), (second, _), ..] if self.preference(first) > self.preference(second))
    }

    /// Of these the ones in the menu whose own job it is; where it is nobody's, all of them.
    fn rivals(&self, role: &Role, launchers: &[(Text, Text)]) -> Vec<(Text, Text)> {
        let is = |id: &Text| self.usable.get(id.as_str()).is_some_and(|one| one.shown && role.is_job_of(one));
        let own: Vec<(Text, Text)> = launchers.iter().filter(|(id, _)| is(id)).cloned().collect();
        if own.is_empty() { launchers.to_vec() } else { own }
    }

    /// All names of a type: as asked, its proper one, then the other ones in their order, then what older databases call it.
    fn names_of<'n>(&'n self, asked: &'n Text) -> impl Iterator<Item = &'n Text> {
        let aliases = &self.associations.aliases;
        let proper = aliases.get(asked);
        let of = proper.unwrap_or(asked);
        let others = aliases
            .iter()
            .filter(move |(alias, named)| *named == of && *alias != asked)
            .map(|(alias, _)| alias);
        let former = names().former_types.get(of).into_iter().flatten();
        let is_told = move |name: &&Text| *name != asked && aliases.get(*name) != Some(of);
        std::iter::once(asked).chain(proper).chain(others).chain(former.filter(is_told))
    }

    /// Parents of a type, then theirs, each once.
    fn ancestors(&self, asked: &Text) -> Vec<&'a Text> {
        let parents = |of: &Text| self.associations.parents.get(of).into_iter().flatten();
        let mut found: Vec<&Text> = parents(asked).collect();
        let mut seen: FxHashSet<&Text> = found.iter().copied().collect();
        let mut next = 0;
        while let Some(at) = found.get(next).copied() {
            next += 1;
            for parent in parents(at) {
                if parent != asked && seen.insert(parent) {
                    found.push(parent);
                }
            }
        }
        found
    }

    fn choice<L: AsRef<str>>(
        &self,
        role: &Text,
        asked: &Text,
        launcher: Option<L>,
        decided: Decided,
        candidates: &[(Text, Text)],
        sure: bool,
    ) -> DefaultChoice {
        let launcher = launcher.map(|launcher| Text::from(launcher.as_ref()));
        let application = launcher.as_ref().map(|launcher| self.application(launcher));
        let named = candidates.iter().map(|(candidate, _)| self.application(candidate));
        let mut seen: BTreeSet<Text> = BTreeSet::new();
        let all: Vec<Text> =
            application.iter().cloned().chain(named).filter(|id| seen.insert(id.clone())).collect();
        DefaultChoice {
            role: role.clone(),
            asked: asked.clone(),
            also: false,
            application,
            launcher,
            decided,
            candidates: all,
            sure,
            shipped_application: None,
            shipped: None,
        }
    }

    /// Launchers associated with a type, most preferred first, each with the file that says so.
    ///
    /// Folder by folder: a list adds, then removes what it and files of lower precedence say; then the launchers of the folder itself.
    fn associated(&self, asked: &str) -> Vec<(Text, Text)> {
        let mut found: Vec<(Text, Text)> = Vec::new();
        let mut removed: FxHashSet<&str> = FxHashSet::default();
        let mut seen: FxHashSet<&str> = FxHashSet::default();
        let mut add = |launchers: Option<&'a Vec<Text>>, file: &Text, removed: &FxHashSet<&str>| {
            for launcher in launchers.into_iter().flatten() {
                let known = self.usable.contains_key(launcher.as_str());
                if known && !removed.contains(launcher.as_str()) && seen.insert(launcher) {
                    found.push((launcher.clone(), file.clone()));
                }
            }
        };
        let mut caches = self.associations.caches.iter().peekable();
        for (number, list) in self.associations.lists.iter().enumerate() {
            while let Some(cache) = caches.next_if(|cache| cache.after <= number) {
                add(cache.launchers.get(asked), &cache.file, &removed);
            }
            add(list.added.get(asked), &list.file, &removed);
            removed.extend(list.removed.get(asked).into_iter().flatten().map(|launcher| launcher.as_str()));
        }
        for cache in caches {
            add(cache.launchers.get(asked), &cache.file, &removed);
        }
        // A snap of the seed is set up when the system first starts: until then no cache knows its launchers.
        let seeded = self.launchers.iter().filter(|l| l.is_embedded() && l.format == Some(System::Snap));
        for launcher in seeded.filter(|l| l.mime_types.iter().any(|one| one == asked)) {
            if !removed.contains(launcher.id.as_str()) && seen.insert(&launcher.id) {
                found.push((launcher.id.clone(), launcher.evidence.file.clone()));
            }
        }
        found
    }

    /// The first usable launcher that a list names as default. One that is not associated with the type counts as well:
    /// naming it adds the association.
    fn default_of(&self, asked: &str) -> Option<(Text, Text)> {
        self.associations.lists.iter().find_map(|list| {
            let named = list.defaults.get(asked)?;
            let launcher = named.iter().find(|launcher| self.usable.contains_key(launcher.as_str()))?;
            Some((launcher.clone(), list.file.clone()))
        })
    }

    /// The launcher of a program, shown or not: another desktop's program may be hidden here, and is still what a link starts.
    fn run_by(&self, program: &str) -> Option<&'a Launcher> {
        let runs = |launcher: &&Launcher| {
            launcher.is_usable() && launcher.runs.as_deref() == Some(program_of(program))
        };
        self.launchers.iter().filter(runs).max_by_key(|launcher| launcher.shown)
    }

    fn by_launcher(&self, role: &Role) -> DefaultChoice {
        let fitting: Vec<&Launcher> = self.launchers.iter().filter(|l| l.shown && role.fits(l)).collect();
        let candidates: Vec<(Text, Text)> =
            fitting.iter().map(|l| (l.id.clone(), l.evidence.file.clone())).collect();
        let asked = role.asked();
        if let Some((launcher, file)) = self.set_for(&role.role) {
            let decided = Decided { by: DecidedBy::DesktopSetting, file, alias: None };
            return self.choice(&role.role, &asked, Some(launcher), decided, &candidates, true);
        }
        if let Some(program) = self.associations.built_in.get(&role.role).filter(|_| fitting.is_empty()) {
            let decided = Decided::by(DecidedBy::BuiltIn);
            return DefaultChoice {
                application: Some(program.clone()),
                ..self.choice::<&str>(&role.role, &asked, None, decided, &[], true)
            };
        }
        // Several launchers of one application, or one delivered twice, leave no choice either.
        let all_one = |first: &&Launcher| {
            fitting.iter().all(|other| self.application(&other.id) == self.application(&first.id))
        };
        if let Some(only) = fitting.first().filter(|first| all_one(first)) {
            let decided = Decided::in_file(DecidedBy::OnlyCandidate, &only.evidence.file);
            return self.choice(&role.role, &asked, Some(&only.id), decided, &candidates, true);
        }
        if let Some((link, program)) =
            role.alternative.as_ref().and_then(|link| self.associations.alternatives.get_key_value(link))
            && let Some(chosen) = self.run_by(program)
        {
            let file = format!("etc/alternatives/{link}").into();
            let decided = Decided::in_file(DecidedBy::AlternativeLink, &file);
            return self.choice(&role.role, &asked, Some(&chosen.id), decided, &candidates, true);
        }
        // Of several in a category that fits, the one that is called after the job.
        let mut called = fitting.iter().filter(|launcher| role.is_said_by(launcher));
        if let (Some(only), None, false) = (called.next(), called.next(), role.categories.is_empty()) {
            let decided = Decided::in_file(DecidedBy::OnlyByName, &only.evidence.file);
            return self.choice(&role.role, &asked, Some(&only.id), decided, &candidates, true);
        }
        let by = if fitting.is_empty() { DecidedBy::Nothing } else { DecidedBy::NotSet };
        self.choice::<&str>(&role.role, &asked, None, Decided::by(by), &candidates, fitting.is_empty())
    }
}

/// The package and the program that a launcher starts.
fn started_by(launcher: &Launcher) -> Option<(&PackageRef, &str)> {
    Some((launcher.package.as_ref()?, launcher.runs.as_deref()?))
}

#[cfg(test)]
mod tests {
    use super::super::associations::{AssociationList, LauncherTypes};
    use super::*;
    use crate::model::samples;
    use std::collections::BTreeMap;

    fn launcher(id: &str, category: &str) -> Launcher {
        Launcher { categories: vec![category.into()], ..samples::launcher(id, id) }
    }

    fn list(file: &str, group: &str, asked: &str, launchers: &[&str]) -> AssociationList {
        let named = launchers.iter().map(|id| Text::from(format!("{id}.desktop"))).collect();
        let mut list = AssociationList { file: file.into(), ..AssociationList::default() };
        let into = match group {
            "default" => &mut list.defaults,
            "added" => &mut list.added,
            _ => &mut list.removed,
        };
        into.insert(asked.into(), named);
        list
    }

    fn asked(associations: &Associations, launchers: &[Launcher], asked: &str) -> DefaultChoice {
        let roles = Roles::built_in().unwrap();
        let choices = choose_defaults(&roles, associations, launchers, &[]);
        choices.into_iter().find(|choice| choice.asked.contains(asked)).unwrap()
    }

    fn by_parent(file: &str) -> Decided {
        Decided::in_file(DecidedBy::ParentType { parent: "text/plain".into() }, &file.into())
    }

    fn cached(asked: &str, launchers: &[&str]) -> Associations {
        let named = launchers.iter().map(|id| Text::from(format!("{id}.desktop"))).collect();
        Associations {
            caches: vec![LauncherTypes {
                file: "cache".into(),
                launchers: BTreeMap::from([(asked.into(), named)]),
                after: usize::MAX,
            }],
            ..Associations::default()
        }
    }

    #[test]
    fn the_first_list_with_a_launcher_that_is_there_decides() {
        let launchers = [launcher("a", ""), launcher("b", "")];
        let mut associations = cached("text/plain", &["a", "b"]);
        associations.lists = vec![
            list("one", "default", "text/plain", &["gone", "b"]),
            list("two", "default", "text/plain", &["a"]),
        ];
        let choice = asked(&associations, &launchers, "text/plain");
        assert_eq!(
            (choice.application.as_deref(), choice.decided.clone(), choice.sure),
            (Some("b"), Decided::in_file(DecidedBy::SetInFile, &"one".into()), true)
        );
        assert_eq!(choice.candidates, ["b", "a"]);
    }

    #[test]
    fn without_a_default_the_first_associated_answers_and_is_unsure() {
        let launchers = [launcher("a", ""), launcher("b", "")];
        let mut associations = cached("text/plain", &["a", "b"]);
        let choice = asked(&associations, &launchers, "text/plain");
        assert_eq!((choice.application.as_deref(), choice.sure), (Some("a"), false));
        associations.lists = vec![list("one", "added", "text/plain", &["b"])];
        assert_eq!(asked(&associations, &launchers, "text/plain").application.as_deref(), Some("b"));
        associations.lists = vec![list("one", "removed", "text/plain", &["a"])];
        let choice = asked(&associations, &launchers, "text/plain");
        assert_eq!((choice.application.as_deref(), choice.sure), (Some("b"), true));
    }

    #[test]
    fn a_type_answers_under_what_an_older_database_calls_it() {
        let associations = cached("application/x-bzip-compressed-tar", &["a"]);
        let choice = asked(&associations, &[launcher("a", "")], "application/x-bzip2-compressed-tar");
        assert_eq!(choice.application.as_deref(), Some("a"));
        assert_eq!(choice.decided.alias.as_deref(), Some("application/x-bzip-compressed-tar"));
        let other = asked(&associations, &[launcher("a", "")], "application/x-xz-compressed-tar");
        assert_eq!(other.application, None);
    }

    #[test]
    fn a_parent_type_answers_and_says_so() {
        let mut associations = cached("text/plain", &["a"]);
        associations.parents = BTreeMap::from([("text/csv".into(), vec!["text/plain".into()])]);
        let choice = asked(&associations, &[launcher("a", "")], "text/csv");
        assert_eq!((choice.application.as_deref(), choice.decided.clone()), (Some("a"), by_parent("cache")));
        let default = list("etc/xdg/mimeapps.list", "default", "text/plain", &["a"]);
        let associations = Associations { lists: vec![default], caches: Vec::new(), ..associations };
        let choice = asked(&associations, &[launcher("a", "")], "text/csv");
        assert_eq!(choice.decided, by_parent("etc/xdg/mimeapps.list"));
        let nothing = asked(&Associations::default(), &[], "application/pdf");
        assert_eq!(
            (nothing.application, nothing.decided, nothing.sure),
            (None, Decided::by(DecidedBy::Nothing), true)
        );
    }

    #[test]
    fn a_type_answers_under_its_proper_name_and_by_all_its_ancestors() {
        let mut associations = cached("application/vnd.disc", &["a"]);
        associations.aliases =
            BTreeMap::from([("application/x-iso9660-image".into(), "application/vnd.disc".into())]);
        let choice = asked(&associations, &[launcher("a", "")], "application/x-iso9660-image");
        assert_eq!((choice.application.as_deref(), choice.sure), (Some("a"), true));
        assert_eq!(choice.decided.alias.as_deref(), Some("application/vnd.disc"));
        let mut associations = cached("text/plain", &["a"]);
        let parent = |of: &str, parent: &str| (of.into(), vec![parent.into(), of.into()]);
        associations.parents =
            BTreeMap::from([parent("text/csv", "text/x-mid"), parent("text/x-mid", "text/plain")]);
        let choice = asked(&associations, &[launcher("a", "")], "text/csv");
        assert_eq!(choice.decided, by_parent("cache"));
    }

    #[test]
    fn what_is_asked_besides_is_marked_and_gives_an_application_a_role_only_by_its_launcher() {
        let associations = cached("image/gif", &["reed"]);
        let called = Launcher { name: "Dune Backup".into(), ..launcher("dune", "Utility") };
        let launchers = [launcher("reed", "Viewer"), called];
        let mut applications = crate::derive::join_applications(&launchers, &[]);
        let choices = choose_defaults(&Roles::built_in().unwrap(), &associations, &launchers, &applications);
        let of = |asked: &str| choices.iter().find(|choice| choice.asked == asked).unwrap();
        assert_eq!((of("image/gif").application.as_deref(), of("image/gif").also), (Some("reed"), true));
        assert_eq!((of("image/png").application.as_deref(), of("image/png").also), (None, false));
        let backup = choices.iter().find(|choice| choice.role == "backup").unwrap();
        assert_eq!((backup.application.as_deref(), backup.also), (Some("dune"), true));
        crate::derive::mark_roles(&mut applications, &choices);
        let roles = |id: &str| applications.iter().find(|one| one.id == id).unwrap().roles.clone();
        assert_eq!((roles("reed"), roles("dune")), (Vec::new(), vec![Text::from("backup")]));
    }

    #[test]
    fn a_type_answers_under_its_other_names_as_well() {
        let mut associations = cached("application/x-font-reed", &["a"]);
        associations.aliases = BTreeMap::from([
            ("application/x-font-reed".into(), "font/ttf".into()),
            ("application/x-reed".into(), "font/otf".into()),
        ]);
        let choice = asked(&associations, &[launcher("a", "")], "font/ttf");
        let (by, file) = (DecidedBy::OnlyCandidate, Some("cache".into()));
        assert_eq!(choice.decided, Decided { by, file, alias: Some("application/x-font-reed".into()) });
        associations.aliases.clear();
        assert_eq!(asked(&associations, &[launcher("a", "")], "font/ttf").application, None);
    }

    #[test]
    fn an_opener_that_no_menu_shows_is_of_the_application_whose_program_it_starts() {
        let of = |id: &str, runs: &str, shown| Launcher {
            shown,
            runs: Some(runs.into()),
            package: Some(PackageRef::new(System::Dpkg, "towpath")),
            ..launcher(id, "")
        };
        let launchers = [
            of("towpath", "towpath", true),
            of("towpath-folders", "towpath", false),
            of("other", "other", false),
        ];
        let applications = crate::derive::join_applications(&launchers, &[]);
        let roles = Roles::built_in().unwrap();
        let opens = |id: &str| {
            let choices =
                choose_defaults(&roles, &cached("inode/directory", &[id]), &launchers, &applications);
            let choice = choices.into_iter().find(|choice| choice.asked == "inode/directory").unwrap();
            (choice.application.unwrap(), choice.launcher.unwrap())
        };
        assert_eq!(opens("towpath-folders"), ("towpath".into(), "towpath-folders.desktop".into()));
        assert_eq!(opens("other"), ("other".into(), "other.desktop".into()));
    }

    #[test]
    fn of_several_in_a_category_the_one_that_is_called_after_the_job_does_it() {
        let called = |id: &str, name: &str| Launcher { name: name.into(), ..launcher(id, "Monitor") };
        let one = [
            called("power", "Power Statistics"),
            called("gauge", "System Monitor"),
            called("log", "Log Viewer"),
        ];
        let choice = asked(&Associations::default(), &one, "Monitor");
        assert_eq!((choice.application.as_deref(), choice.sure), (Some("gauge"), true));
        assert_eq!(choice.decided.by, DecidedBy::OnlyByName);
        let two = [called("gauge", "System Monitor"), called("tasks", "Task Manager")];
        assert_eq!(asked(&Associations::default(), &two, "Monitor").application, None);
    }

    #[test]
    fn several_of_a_category_need_an_alternative_to_decide() {
        let launchers = [launcher("mudline", "TerminalEmulator"), launcher("other", "TerminalEmulator")];
        let mut associations = Associations::default();
        let choice = asked(&associations, &launchers, "TerminalEmulator");
        assert_eq!((choice.application, choice.sure, choice.candidates.len()), (None, false, 2));
        associations.alternatives.insert("x-terminal-emulator".into(), "/usr/bin/mudline.wrapper".into());
        assert_eq!(
            asked(&associations, &launchers, "TerminalEmulator").application.as_deref(),
            Some("mudline")
        );
    }

    #[test]
    fn a_seeded_snap_opens_what_it_says_and_two_deliveries_leave_no_choice() {
        let role = |categories: &[&str], types: &[&str]| Role {
            role: "torrent".into(),
            categories: categories.iter().map(|c| Text::from(*c)).collect(),
            types: types.iter().map(|t| Text::from(*t)).collect(),
            ..Role::default()
        };
        let mut seeded = launcher("fryshoal_fryshoal", "P2P");
        seeded.mime_types = vec!["x-scheme-handler/magnet".into()];
        seeded.format = Some(System::Snap);
        let choose = |launcher: &Launcher, role: Role| {
            choose_defaults(
                &Roles { role: vec![role] },
                &Associations::default(),
                std::slice::from_ref(launcher),
                &[],
            )
        };
        let asked = &["x-scheme-handler/magnet"];
        assert_eq!(choose(&seeded, role(&[], asked))[0].application, None, "no cache knows it");
        seeded.evidence.file = "var/lib/snapd/seed/snaps/fryshoal_1.snap//meta/gui/fryshoal.desktop".into();
        assert_eq!(choose(&seeded, role(&[], asked))[0].application.as_deref(), Some("fryshoal"));
        let twice = [launcher("pondskate", "Raster"), launcher("org.marsh.Pondskate", "Raster")];
        let roles = Roles { role: vec![role(&["Raster"], &[])] };
        let choice = &choose_defaults(&roles, &Associations::default(), &twice, &[])[0];
        assert_eq!((choice.application.as_deref(), choice.sure), (Some("pondskate"), true));
    }
}
