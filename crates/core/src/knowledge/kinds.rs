//! Kinds: one for each package, by the first rule that fires, with the reason.

use super::names::names;
use super::parts::RulesError;
use super::pattern::{Matcher, some_pattern, systems};
use super::traits::{Trait, Traits};
use crate::model::{Does, Kind, KindFact, KindReason, Launcher, Menu, Package, PackageRef, System, Text};
use rustc_hash::FxHashMap;
use serde::Deserialize;

/// The rules inside the program.
const BUILT_IN: &str = include_str!("rules/kinds.toml");

/// The same as the build script wrote it.
const READY: &str = include_str!(concat!(env!("OUT_DIR"), "/kinds.json"));

/// An ordered table of rules; the first one whose every condition holds gives the kind.
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct KindRules {
    /// The rules.
    #[serde(default)]
    rule: Vec<KindRule>,
    /// How many of them are the reviewer's own; they come first.
    #[serde(skip)]
    own: usize,
}

/// One rule. Every condition that is given must hold.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct KindRule {
    kind: Kind,
    /// Why the rule is there, for those who read the table.
    #[serde(default)]
    because: Option<Text>,
    /// Package systems; any where none is named.
    #[serde(default, deserialize_with = "systems")]
    system: Vec<System>,
    /// Package systems that it does not come from; no sandbox then either.
    #[serde(default, deserialize_with = "systems")]
    except: Vec<System>,
    /// Pattern of upstream versions.
    #[serde(default, deserialize_with = "some_pattern")]
    version: Option<Text>,
    /// Pattern of names.
    #[serde(default, deserialize_with = "some_pattern")]
    name: Option<Text>,
    /// Pattern of sections: of the last part, or of all of one with several parts.
    #[serde(default, deserialize_with = "some_pattern")]
    section: Option<Text>,
    /// Pattern of the summary, in lower case.
    #[serde(default, deserialize_with = "some_pattern")]
    summary: Option<Text>,
    /// Traits that its files must show, all of them.
    #[serde(default)]
    shows: Vec<Trait>,
    /// Traits that its files must not show, none of them.
    #[serde(default)]
    lacks: Vec<Trait>,
    /// `program`, `game`, `settings` or `store`: what its launchers shown in the menu are; `none` where they are at most settings.
    #[serde(default)]
    menu: Option<MenuShow>,
    /// Whether its files show nothing at all.
    #[serde(default)]
    empty: bool,
    /// Whether the system refuses to remove it.
    #[serde(default)]
    essential: bool,
    /// Whether it needs other packages.
    #[serde(default)]
    needs: bool,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
enum MenuShow {
    Program,
    Game,
    Settings,
    Store,
    None,
}

/// What the menu shows of a package.
#[derive(Debug, Clone, Default)]
struct Shown {
    program: Option<Text>,
    game: Option<Text>,
    settings: Option<Text>,
    store: Option<Text>,
}

impl Shown {
    fn get(&self, what: MenuShow) -> Option<&Text> {
        match what {
            MenuShow::Program => self.program.as_ref(),
            MenuShow::Game => self.game.as_ref(),
            MenuShow::Settings => self.settings.as_ref(),
            MenuShow::Store => self.store.as_ref(),
            MenuShow::None => None,
        }
    }

    fn add(&mut self, launcher: &Launcher) {
        let is = |name: &str| launcher.categories.iter().any(|category| category == name);
        // A tool of a terminal stays one with an entry in the menu.
        if is("ConsoleOnly") {
            return;
        }
        let store = is("PackageManager");
        let slot = match (launcher.does, launcher.menu) {
            (Does::WebPage | Does::Link | Does::Action, _) => return,
            _ if store => &mut self.store,
            (_, Menu::Settings) | (Does::SettingsPage, _) => &mut self.settings,
            (_, Menu::Games) => &mut self.game,
            _ => &mut self.program,
        };
        slot.get_or_insert_with(|| launcher.id.clone());
    }
}

impl KindRules {
    /// The rules inside the program.
    ///
    /// # Errors
    /// None in a program that passed its tests.
    pub fn built_in() -> Result<Self, RulesError> {
        super::ready(READY)
    }

    /// The text of the rules inside the program: TOML with comments.
    pub const fn built_in_text() -> &'static str {
        BUILT_IN
    }

    /// Reads a table of rules.
    ///
    /// # Errors
    /// Names the line of a syntax error, an unknown key, kind or trait.
    pub fn parse(text: &str) -> Result<Self, RulesError> {
        toml::from_str(text).map_err(|error| RulesError::from_toml(text, &error))
    }

    /// Rules of a reviewer's own before these: they win.
    #[must_use]
    pub fn after(mut self, own: Vec<KindRule>) -> Self {
        self.own += own.len();
        self.rule.splice(0..0, own);
        self
    }

    /// Why each rule is there, in their order; none where it doesn't say.
    pub fn because(&self) -> impl Iterator<Item = Option<&str>> {
        self.rule.iter().map(|rule| rule.because.as_deref())
    }

    fn id(&self, at: usize) -> Text {
        match at.checked_sub(self.own) {
            Some(built_in) => format!("kinds:{}", built_in + 1).into(),
            None => format!("own:{}", at + 1).into(),
        }
    }

    /// Gives every package its kind and the reason. `traits` has one set a package, in the same order; none where the
    /// files of a package are not known.
    pub fn apply(&self, packages: &mut [Package], traits: &[Option<Traits>], launchers: &[Launcher]) {
        let ready = self.ready(launchers);
        for (i, package) in packages.iter_mut().enumerate() {
            ready.classify(package, traits.get(i).copied().flatten());
        }
    }

    /// The rules made ready to be held against many packages, with what the launchers show of them.
    pub fn ready<'r>(&'r self, launchers: &'r [Launcher]) -> ReadyKinds<'r> {
        let mut shown: FxHashMap<&PackageRef, Shown> = FxHashMap::default();
        for launcher in launchers.iter().filter(|launcher| launcher.shown) {
            if let Some(package) = &launcher.package {
                shown.entry(package).or_default().add(launcher);
            }
        }
        let rules = self.rule.iter().enumerate().map(|(at, rule)| Compiled::of(rule, self.id(at))).collect();
        ReadyKinds { rules, shown, nothing: Shown::default() }
    }
}

/// [`KindRules`] made ready; packages may be classified by many threads at once.
pub struct ReadyKinds<'r> {
    rules: Vec<Compiled<'r>>,
    shown: FxHashMap<&'r PackageRef, Shown>,
    nothing: Shown,
}

impl ReadyKinds<'_> {
    /// Gives a package its kind and the reason. A sandbox's reader may have known better, and is left in peace.
    pub fn classify(&self, package: &mut Package, traits: Option<Traits>) {
        if package.system.is_sandbox() && package.kind != Kind::Unknown {
            return;
        }
        let shown = self.shown.get(&package.reference()).unwrap_or(&self.nothing);
        let told = Told {
            package,
            name: package.plain_name(),
            section: package.section.rsplit('/').next().unwrap_or_default(),
            summary: package.summary.to_lowercase(),
            traits,
            shown,
        };
        let fired = self.rules.iter().find_map(|rule| Some((rule.rule.kind, rule.fires(&told)?)));
        (package.kind, package.kind_because) =
            fired.unwrap_or_else(|| (Kind::Unknown, KindReason::of(KindFact::NoRule, None)));
    }
}

/// What rules ask of a package.
struct Told<'a> {
    package: &'a Package,
    name: &'a str,
    /// Without the component of the archive before it.
    section: &'a str,
    /// In small letters.
    summary: String,
    traits: Option<Traits>,
    shown: &'a Shown,
}

struct Compiled<'r> {
    rule: &'r KindRule,
    /// `kinds:42`, or `own:3`.
    id: Text,
    shows: Traits,
    lacks: Traits,
    name: Option<Matcher<'r>>,
    section: Option<Matcher<'r>>,
    summary: Option<Matcher<'r>>,
    version: Option<Matcher<'r>>,
}

impl<'r> Compiled<'r> {
    fn of(rule: &'r KindRule, id: Text) -> Self {
        let matcher = |pattern: &'r Option<Text>| pattern.as_deref().map(Matcher::new);
        Self {
            rule,
            id,
            shows: rule.shows.iter().copied().collect(),
            lacks: rule.lacks.iter().copied().collect(),
            name: matcher(&rule.name),
            section: matcher(&rule.section),
            summary: matcher(&rule.summary),
            version: matcher(&rule.version),
        }
    }

    /// The reason, if every condition holds.
    fn fires(&self, told: &Told<'_>) -> Option<KindReason> {
        let rule = self.rule;
        let wants_files = rule.empty || !rule.shows.is_empty();
        match told.traits {
            None if wants_files => return None,
            Some(traits)
                if !traits.has_all(self.shows)
                    || !traits.has_none(self.lacks)
                    || (rule.empty && !traits.is_empty()) =>
            {
                return None;
            }
            _ => {}
        }
        let system = told.package.system;
        if (!rule.system.is_empty() && !rule.system.contains(&system))
            || (!rule.except.is_empty() && (rule.except.contains(&system) || system.is_sandbox()))
        {
            return None;
        }
        if (rule.essential && !told.package.essential) || (rule.needs && told.package.depends.is_empty()) {
            return None;
        }
        let menu = match rule.menu {
            Some(MenuShow::None) => {
                let shown = told.shown;
                if shown.program.is_some() || shown.game.is_some() || shown.store.is_some() {
                    return None;
                }
                None
            }
            Some(what) => Some(told.shown.get(what)?),
            None => None,
        };
        let holds = |matcher: &Option<Matcher<'_>>, text: &str| {
            matcher.as_ref().is_none_or(|matcher| matcher.is_match(text))
        };
        let in_section =
            |matcher: &Matcher<'_>| matcher.is_match(told.section) || matcher.is_match(&told.package.section);
        let all = self.section.as_ref().is_none_or(in_section)
            && holds(&self.name, told.name)
            && holds(&self.summary, &told.summary)
            && holds(&self.version, &told.package.upstream_version);
        all.then(|| self.because(menu))
    }

    fn because(&self, menu: Option<&Text>) -> KindReason {
        let rule = self.rule;
        let facts = [
            (menu.is_some(), KindFact::Launcher),
            (!rule.shows.is_empty(), KindFact::Files),
            (rule.section.is_some(), KindFact::Section),
            (rule.name.is_some(), KindFact::Name),
            (rule.summary.is_some(), KindFact::Summary),
            (rule.empty, KindFact::NoFiles),
            (rule.essential, KindFact::Essential),
        ];
        let mut reason = KindReason {
            because: facts.into_iter().filter(|(holds, _)| *holds).map(|(_, fact)| fact).collect(),
            rule: Some(self.id.clone()),
            files: rule.shows.clone(),
            detail: menu.cloned(),
            legacy: None,
        };
        if reason.because.is_empty() {
            reason.because.push(KindFact::LastResort);
        }
        reason
    }
}

/// Finds the package that each companion accompanies: data, translations and manuals named after another package that is
/// there, made from the same source or needing one another.
pub fn fold_companions(packages: &mut [Package]) {
    let by_name: FxHashMap<(System, Text), usize> = packages
        .iter()
        .enumerate()
        .filter(|(_, p)| p.is_present())
        .map(|(i, p)| ((p.system, p.name.clone()), i))
        .collect();
    let found: Vec<(usize, Text)> = (0..packages.len())
        .filter_map(|i| Some((i, companion_of(&packages[i], packages, &by_name)?)))
        .collect();
    for (i, of) in found {
        packages[i].companion_of = Some(of);
    }
}

fn companion_of(
    package: &Package,
    packages: &[Package],
    by_name: &FxHashMap<(System, Text), usize>,
) -> Option<Text> {
    if !matches!(package.kind, Kind::Data | Kind::Language | Kind::Documentation | Kind::Artwork) {
        return None;
    }
    let stems = names().companion_endings.iter().filter_map(|ending| {
        // `brackwater-l10n-de` accompanies `brackwater` as `brackwater-data` does.
        let at = package.name.find(ending.as_str())?;
        let after = &package.name[at + ending.len()..];
        (at > 0 && (after.is_empty() || after.starts_with('-'))).then(|| &package.name[..at])
    });
    stems.filter_map(|stem| by_name.get(&(package.system, stem.into()))).find_map(|at| {
        let other = &packages[*at];
        let needs = |a: &Package, b: &Package| a.depends.iter().flatten().any(|d| d.name == b.name);
        let related = other.source() == package.source() || needs(other, package) || needs(package, other);
        related.then(|| other.name.clone())
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn kind_of(name: &str, section: &str, traits: &[Trait]) -> Kind {
        let mut package = Package::new(System::Dpkg, name, "1");
        package.section = section.into();
        let mut packages = [package];
        let traits = [Some(traits.iter().copied().collect())];
        KindRules::built_in().unwrap().apply(&mut packages, &traits, &[]);
        assert!(!packages[0].kind_because.is_empty());
        packages[0].kind
    }

    #[test]
    fn evidence_goes_before_names() {
        assert_eq!(kind_of("libweir2", "libs", &[Trait::Libraries]), Kind::Library);
        assert_eq!(kind_of("libweir-dev", "libdevel", &[Trait::Headers]), Kind::Development);
        assert_eq!(kind_of("fonts-reedsans", "fonts", &[Trait::Fonts]), Kind::Font);
        assert_eq!(kind_of("rill", "net", &[Trait::Services, Trait::AdminPrograms]), Kind::Service);
        assert_eq!(kind_of("duckboard", "utils", &[Trait::Programs]), Kind::Command);
        assert_eq!(
            kind_of("linux-image-6.9.2-amd64", "kernel", &[Trait::Modules, Trait::Boot]),
            Kind::Kernel
        );
    }

    #[test]
    fn a_companion_is_related_and_not_only_named_alike() {
        let package = |name: &str, source: &str, kind| {
            let mut package = Package::new(System::Dpkg, name, "1");
            package.source = Some(source.into());
            package.kind = kind;
            package
        };
        let mut packages = [
            package("inkcap", "inkcap", Kind::Application),
            package("inkcap-data", "inkcap", Kind::Data),
            package("inkcap-l10n-de", "inkcap", Kind::Language),
            package("inkcap-docs", "other", Kind::Documentation),
        ];
        fold_companions(&mut packages);
        let of: Vec<Option<&str>> = packages.iter().map(|p| p.companion_of.as_deref()).collect();
        assert_eq!(of, [None, Some("inkcap"), Some("inkcap"), None]);
    }
}
