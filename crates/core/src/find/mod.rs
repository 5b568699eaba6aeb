//! Approximate search over one install: a name heard, misspelt or in part.

mod answers;

pub use answers::{Answer, Filled, answers};

use crate::model::{PackageRef, Tally, Text};
use crate::vocabulary;
use rustc_hash::{FxHashMap, FxHashSet};
use schemars::JsonSchema;
use serde::Serialize;

vocabulary! {
    /// What was found.
    pub enum HitKind {
        /// An application.
        Application = "application",
        /// A command.
        Command = "command",
        /// A launcher.
        Launcher = "launcher",
        /// A package.
        Package = "package",
    }
}

vocabulary! {
    /// Which text of a thing matched.
    pub enum MatchedBy {
        /// Its name.
        Name = "name",
        /// Its identifier.
        Id = "id",
        /// Its name in the menu.
        MenuEntry = "menu-entry",
        /// What it is, in general.
        GenericName = "generic-name",
        /// The command that it runs.
        Command = "command",
        /// Its summary.
        Summary = "summary",
    }
}

/// The text that matched.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Matched {
    /// Which text it is.
    pub matched_by: MatchedBy,
    /// The text itself.
    pub matched_text: Text,
}

/// Something that was found.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct Hit {
    /// What it is.
    pub what: HitKind,
    /// Its name.
    pub name: Text,
    /// Its version.
    pub version: Option<Text>,
    /// The package behind it.
    pub package: Option<PackageRef>,
    /// Why it matched.
    #[serde(flatten)]
    pub matched: Matched,
    /// Whether no menu shows it, though it is a launcher.
    pub hidden: bool,
    /// How well, from 0 to 1.
    pub score: f64,
}

/// Scores below this are no match, only the nearest names.
pub const MATCH: f64 = 0.6;

/// Names below this are not near.
const NEAR: f64 = 0.3;

/// How well names match what was asked.
#[derive(Debug)]
pub struct NameScore(AskedName);

impl NameScore {
    /// Prepares a question.
    pub fn of(asked: &str) -> Self {
        Self(AskedName::of(asked))
    }

    /// From 0 to 1; 1 for the name itself, letters' case and punctuation aside.
    pub fn of_name(&self, name: &str) -> f64 {
        self.0.score(name)
    }
}

/// What was asked for, best first; and when nothing matches, the names nearest to it.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct SearchResult {
    /// Schema number of this document.
    pub schema_version: u32,
    /// What was asked.
    pub asked: String,
    /// What does the job, fills the part, is of the kind that was asked for.
    pub answers: Vec<Answer>,
    /// Matches, best first.
    pub hits: Vec<Hit>,
    /// When there is no match: the names that come nearest.
    pub nearest: Vec<Text>,
}

/// Searches names, identifiers, generic names, summaries and commands. All words must be found for a summary to match.
pub fn find(tally: &Tally, asked: &str) -> SearchResult {
    let wanted = AskedName::of(asked);
    // Each with the one thing that it is of: an application with its launchers.
    let mut hits: Vec<(Hit, Text)> = Vec::new();
    let of_application: FxHashMap<&Text, &Text> = tally
        .applications
        .iter()
        .flat_map(|a| a.launchers.iter().map(|launcher| (launcher, &a.id)))
        .collect();
    for application in &tally.applications {
        let package = application.delivered.first().map(crate::model::Delivery::reference);
        let best = wanted.best(&[(MatchedBy::Name, &application.name), (MatchedBy::Id, &application.id)]);
        let hit = hit(HitKind::Application, &application.name, application.version.as_ref(), package, best);
        hits.extend(hit.map(|hit| (hit, application.id.clone())));
    }
    for launcher in &tally.launchers {
        let generic = launcher.generic_name.clone().unwrap_or_default();
        let runs = launcher.runs.clone().unwrap_or_default();
        let best = wanted.best(&[
            (MatchedBy::MenuEntry, &launcher.name),
            (MatchedBy::GenericName, &generic),
            (MatchedBy::Command, &runs),
        ]);
        let thing = of_application.get(&launcher.id).copied().unwrap_or(&launcher.id);
        let hit =
            hit(HitKind::Launcher, &launcher.name, launcher.version.as_ref(), launcher.package.clone(), best);
        hits.extend(hit.map(|hit| (Hit { hidden: !launcher.shown, ..hit }, thing.clone())));
    }
    for package in tally.present() {
        let named = wanted.best(&[(MatchedBy::Name, &package.name)]);
        let says = wanted.in_sentence(&package.summary);
        let best = if says.as_ref().is_some_and(|(score, _)| *score > named.0) {
            says.unwrap_or(named)
        } else {
            named
        };
        let (version, reference) = (Some(&package.upstream_version), Some(package.reference()));
        let hit = hit(HitKind::Package, &package.name, version, reference, best);
        hits.extend(hit.map(|hit| (hit, Text::default())));
    }
    hits.sort_by(|(a, _), (b, _)| {
        b.score.total_cmp(&a.score).then_with(|| a.name.cmp(&b.name)).then_with(|| a.what.cmp(&b.what))
    });
    let mut nearest: Vec<Text> = Vec::new();
    if hits.first().is_none_or(|(hit, _)| hit.score < MATCH) {
        hits.iter().for_each(|(hit, _)| {
            if nearest.len() < 5 && hit.score >= NEAR && !nearest.contains(&hit.name) {
                nearest.push(hit.name.clone());
            }
        });
    }
    let mut seen = Seen::default();
    let hits = hits.into_iter().filter(|(hit, thing)| hit.score >= MATCH && seen.is_new(hit, thing));
    let hits = hits.map(|(hit, _)| hit).collect();
    SearchResult { schema_version: 2, asked: asked.to_owned(), answers: Vec::new(), hits, nearest }
}

/// What was told already. An application, its launchers and its package are one thing to whoever asks, and the best of them is
/// enough; two applications of one package are two.
#[derive(Default)]
struct Seen {
    things: FxHashSet<Text>,
    packages: FxHashSet<PackageRef>,
    told_of: FxHashSet<PackageRef>,
}

impl Seen {
    fn is_new(&mut self, hit: &Hit, thing: &Text) -> bool {
        if hit.what == HitKind::Package {
            let Some(package) = &hit.package else { return true };
            return !self.told_of.contains(package) && self.packages.insert(package.clone());
        }
        if hit.package.as_ref().is_some_and(|package| self.packages.contains(package)) {
            return false;
        }
        self.told_of.extend(hit.package.clone());
        self.things.insert(thing.clone())
    }
}

fn hit(
    what: HitKind,
    name: &Text,
    version: Option<&Text>,
    package: Option<PackageRef>,
    (score, matched): (f64, Matched),
) -> Option<Hit> {
    let version = version.filter(|version| !version.is_empty()).cloned();
    let score_told = (score * 1000.0).round() / 1000.0;
    (score > 0.15).then(|| Hit {
        what,
        name: name.clone(),
        version,
        package,
        matched,
        hidden: false,
        score: score_told,
    })
}

#[derive(Debug)]
struct AskedName {
    whole: String,
    words: Vec<String>,
}

impl AskedName {
    fn of(asked: &str) -> Self {
        let whole = plain(asked);
        Self { words: whole.split(' ').filter(|word| !word.is_empty()).map(str::to_owned).collect(), whole }
    }

    fn best(&self, names: &[(MatchedBy, &Text)]) -> (f64, Matched) {
        let scored = names.iter().map(|(by, name)| (self.score(name), *by, *name));
        let best = scored.max_by(|a, b| a.0.total_cmp(&b.0));
        let (score, matched_by, text) = best.unwrap_or((0.0, MatchedBy::Name, names[0].1));
        (score, Matched { matched_by, matched_text: text.clone() })
    }

    fn score(&self, name: &str) -> f64 {
        let name = plain(name);
        if name.is_empty() || self.whole.is_empty() {
            return 0.0;
        }
        if name == self.whole {
            return 1.0;
        }
        let share = self.whole.len() as f64 / name.len().max(self.whole.len()) as f64;
        if name.starts_with(&self.whole) {
            return 0.8 + 0.15 * share;
        }
        if name.split(' ').any(|word| word == self.whole)
            || (self.words.len() > 1 && self.words.iter().all(|w| name.contains(w.as_str())))
        {
            return 0.75 + 0.15 * share;
        }
        if self.whole.len() >= 3 && name.contains(&self.whole) {
            return 0.6 + 0.2 * share;
        }
        // Misspelt: close in letters and about as long; a short word must be all but right.
        let similar = strsim::normalized_damerau_levenshtein(&name, &self.whole);
        if similar >= 0.7 && self.whole.len() >= 4 { similar * 0.9 } else { similar * 0.6 }
    }

    /// Every word is in a sentence.
    fn in_sentence(&self, sentence: &Text) -> Option<(f64, Matched)> {
        let plain = plain(sentence);
        let stands = |word: &String| plain.split(' ').any(|other| other.starts_with(word.as_str()));
        (!self.words.is_empty() && self.words.iter().all(stands))
            .then(|| (0.62, Matched { matched_by: MatchedBy::Summary, matched_text: sentence.clone() }))
    }
}

/// Lower case, everything but letters and digits a space.
fn plain(text: &str) -> String {
    let spaced: String =
        text.to_lowercase().chars().map(|c| if c.is_alphanumeric() { c } else { ' ' }).collect();
    spaced.split_whitespace().collect::<Vec<_>>().join(" ")
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::{Package, System, samples};
    use proptest::prelude::*;

    fn tally() -> Tally {
        let mut tally = samples::tally();
        for (name, summary) in [
            ("inkcap", "simple text editor"),
            ("inkcap-data", "data"),
            ("lapwing", "web browser"),
            ("libweir4", "Weir"),
        ] {
            let mut package = Package::new(System::Dpkg, name, "1");
            package.summary = summary.into();
            tally.packages.push(package);
        }
        tally
    }

    fn names(asked: &str) -> Vec<String> {
        find(&tally(), asked).hits.iter().map(|hit| hit.name.to_string()).collect()
    }

    #[test]
    fn exact_before_part_before_misspelt_before_summary() {
        assert_eq!(names("Inkcap"), ["inkcap", "inkcap-data"]);
        assert_eq!(names("inkcpa"), ["inkcap"]);
        assert_eq!(names("text editor"), ["inkcap"]);
        assert_eq!(names("weir"), ["libweir4"]);
        let nothing = find(&tally(), "lapwnt-x");
        assert!(nothing.hits.is_empty(), "{:?}", nothing.hits);
        assert_eq!(nothing.nearest.first().map(Text::as_str), Some("lapwing"));
    }

    #[test]
    fn two_programs_of_one_package_are_two_and_a_program_with_its_entries_is_one() {
        let mut tally = tally();
        let package = PackageRef::new(System::Dpkg, "inkcap");
        for (id, name, entries) in
            [("writer", "Inkcap Writer", &["one", "two"][..]), ("sheets", "Inkcap Sheets", &["three"])]
        {
            let told = serde_json::json!({"id": id, "name": name, "menu": "office", "launchers": entries.iter().map(|e| format!("{e}.desktop")).collect::<Vec<_>>(),
                "delivered": [{"system": "dpkg", "package": "inkcap", "version": "1"}]});
            tally.applications.push(serde_json::from_value(told).unwrap());
            for entry in entries {
                let launcher = samples::launcher(entry, "inkcap");
                let name = format!("{name} {entry}").into();
                tally.launchers.push(crate::model::Launcher {
                    name,
                    package: Some(package.clone()),
                    ..launcher
                });
            }
        }
        let told = |asked: &str| -> Vec<(HitKind, String)> {
            find(&tally, asked).hits.iter().map(|hit| (hit.what, hit.name.to_string())).collect()
        };
        assert_eq!(told("writer"), [(HitKind::Application, "Inkcap Writer".to_owned())]);
        let both: Vec<_> =
            told("Inkcap ").into_iter().filter(|(what, _)| *what == HitKind::Application).collect();
        assert!(both.is_empty(), "a package of that very name stands for what it brought");
        tally.packages.retain(|package| package.name != "inkcap");
        let both: Vec<_> =
            find(&tally, "inkcap").hits.iter().map(|hit| (hit.what, hit.name.to_string())).take(2).collect();
        // Of each the entry that runs a command of this name comes nearest.
        let entry = |name: &str| (HitKind::Launcher, name.to_owned());
        assert_eq!(both, [entry("Inkcap Sheets three"), entry("Inkcap Writer one")]);
    }

    proptest! {
        #[test]
        fn any_words_will_do(asked in "\\PC{0,20}") {
            let found = find(&tally(), &asked);
            prop_assert!(found.hits.windows(2).all(|pair| pair[0].score >= pair[1].score));
        }
    }
}
