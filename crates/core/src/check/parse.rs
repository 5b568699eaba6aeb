//! From the text of a checklist to its questions.

use super::{Asked, Bound, Checklist, Expect, LookAsked, Subject, Total};
use crate::knowledge::{PartRules, Roles, RulesError, media, settings};
use crate::model::{FindingName, Kind, MEASURES, Measure, Text, VersionOp, bytes_of, slug};
use serde::Deserialize;
use toml::Spanned;

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct RawList {
    #[serde(default)]
    name: Text,
    #[serde(default)]
    question: Vec<Spanned<RawQuestion>>,
}

type Word = Option<Spanned<Text>>;

#[derive(Deserialize, Default)]
#[serde(deny_unknown_fields, default)]
struct RawQuestion {
    name: Word,
    text: Word,
    wish: bool,
    anything: Word,
    application: Word,
    package: Word,
    program: Word,
    role: Word,
    opens: Word,
    part: Word,
    kind: Word,
    total: Word,
    repository: Word,
    startup: Word,
    session: Word,
    look: Word,
    setting: Word,
    plays: Word,
    reading: Word,
    // Schema 1 called findings so.
    #[serde(alias = "oddity")]
    finding: Word,
    offered: Word,
    updates: Word,
    behind: Word,
    #[serde(rename = "added-cost")]
    added_cost: Word,
    person: Option<Spanned<bool>>,
    expect: Word,
    is: Word,
    version: Word,
    count: Word,
    weight: Word,
    value: Word,
}

/// What schema 1 called the key `finding`; it is still read.
const OLD_FINDING: &str = "oddity";

/// Every key of a question, for the nearest right one.
const KEYS: &[&str] = &[
    "name",
    "text",
    "wish",
    "anything",
    "application",
    "package",
    "program",
    "role",
    "opens",
    "part",
    "kind",
    "total",
    "repository",
    "startup",
    "session",
    "look",
    "setting",
    "plays",
    "reading",
    "finding",
    "offered",
    "updates",
    "behind",
    "added-cost",
    "person",
    "expect",
    "is",
    "version",
    "count",
    "weight",
    "value",
    "question",
];

const TOTALS: &[(&str, Total)] = &[
    ("packages", Total::Packages),
    ("explicit", Total::Explicit),
    ("chosen", Total::Explicit),
    ("programs", Total::Programs),
    ("entries", Total::Entries),
    ("findings", Total::Findings),
    ("oddities", Total::Findings),
    ("weight", Total::Weight),
    ("age", Total::Age),
];

const LOOKS: &[(&str, LookAsked)] = &[
    ("theme", LookAsked::Theme),
    ("icons", LookAsked::Icons),
    ("font", LookAsked::Font),
    ("wallpaper", LookAsked::Wallpaper),
    ("session", LookAsked::Session),
    ("display", LookAsked::Display),
    ("display-manager", LookAsked::DisplayManager),
    ("pointer", LookAsked::Pointer),
    ("colours", LookAsked::Colours),
    ("themes", LookAsked::Themes),
    ("icon-sets", LookAsked::IconSets),
    ("wallpapers", LookAsked::Wallpapers),
    ("font-families", LookAsked::FontFamilies),
];

pub(super) fn checklist(text: &str, parts: &PartRules, roles: &Roles) -> Result<Checklist, RulesError> {
    let raw: RawList =
        toml::from_str(text).map_err(|error| nearest_key(text, RulesError::from_toml(text, &error)))?;
    let mut list = Checklist { name: raw.name, questions: Vec::with_capacity(raw.question.len()) };
    let reader = Reader { text, parts, roles };
    for question in &raw.question {
        let asked = reader.question(question)?;
        if list.questions.iter().any(|other| other.name == asked.name) {
            return Err(
                reader.wrong(question.span().start, format!("two questions are named `{}`", asked.name))
            );
        }
        list.questions.push(asked);
    }
    if list.questions.is_empty() {
        return Err(RulesError { line: None, why: "it contains no [[question]]".into() });
    }
    Ok(list)
}

/// An error on a line with an unknown key becomes one about that key, with the nearest one that there is.
fn nearest_key(text: &str, error: RulesError) -> RulesError {
    let line = error.line.and_then(|number| text.lines().nth(number as usize - 1)).unwrap_or_default();
    let key = line.split_once('=').map(|(key, _)| key.trim()).filter(|key| !key.is_empty());
    match key.filter(|key| !KEYS.contains(key) && *key != OLD_FINDING) {
        Some(key) => {
            RulesError { why: format!("there is no key `{key}`{}", near(key, KEYS.iter().copied())), ..error }
        }
        None => error,
    }
}

/// The end of an error message: `; did you mean ...?` with the most similar word, or all of them where none is similar.
fn near<'a>(word: &str, known: impl Iterator<Item = &'a str>) -> String {
    let known: Vec<&str> = known.collect();
    let score = |other: &str| strsim::jaro_winkler(word, other);
    let best = known.iter().copied().reduce(|best, next| if score(next) > score(best) { next } else { best });
    match best {
        Some(best) if score(best) > 0.75 => format!("; did you mean `{best}`?"),
        _ => format!("; known: {}", known.join(", ")),
    }
}

struct Reader<'a> {
    text: &'a str,
    parts: &'a PartRules,
    roles: &'a Roles,
}

impl Reader<'_> {
    fn wrong(&self, offset: usize, why: String) -> RulesError {
        RulesError { line: Some(crate::knowledge::line_of(self.text, offset)), why }
    }

    fn question(&self, spanned: &Spanned<RawQuestion>) -> Result<Asked, RulesError> {
        let raw = spanned.get_ref();
        let subject = self.subject(spanned)?;
        let expect = self.expect(raw, &subject)?;
        let text = raw.text.as_ref().map(|text| text.get_ref().clone());
        let name = raw
            .name
            .as_ref()
            .map(|name| name.get_ref().clone())
            .or_else(|| Some(slug(text.as_deref()?).into()));
        let Some(name) = name.filter(|name| !name.is_empty()) else {
            return Err(self.wrong(spanned.span().start, "a question needs a `text` or a `name`".into()));
        };
        let text = text.unwrap_or_else(|| name.clone());
        Ok(Asked { name, text, wish: raw.wish, subject, expect })
    }

    /// The one subject of a question.
    fn subject(&self, spanned: &Spanned<RawQuestion>) -> Result<Subject, RulesError> {
        let raw = spanned.get_ref();
        let words = [
            ("anything", &raw.anything),
            ("application", &raw.application),
            ("package", &raw.package),
            ("program", &raw.program),
            ("role", &raw.role),
            ("opens", &raw.opens),
            ("part", &raw.part),
            ("kind", &raw.kind),
            ("total", &raw.total),
            ("repository", &raw.repository),
            ("startup", &raw.startup),
            ("session", &raw.session),
            ("look", &raw.look),
            ("setting", &raw.setting),
            ("plays", &raw.plays),
            ("reading", &raw.reading),
            ("finding", &raw.finding),
            ("offered", &raw.offered),
            ("updates", &raw.updates),
            ("behind", &raw.behind),
            ("added-cost", &raw.added_cost),
        ];
        let given: Vec<(&str, &Spanned<Text>)> =
            words.iter().filter_map(|(key, word)| Some((*key, word.as_ref()?))).collect();
        let person = raw.person.as_ref().is_some_and(|person| *person.get_ref());
        match (&given[..], person) {
            ([(key, word)], false) => self.one_subject(key, word),
            ([], true) => Ok(Subject::Person),
            ([], false) => Err(self.wrong(
                spanned.span().start,
                format!("a question needs one of {}, person", words.map(|(key, _)| key).join(", ")),
            )),
            ([.., (key, word)], _) => {
                Err(self.wrong(word.span().start, format!("`{key}` is a second subject: a question has one")))
            }
        }
    }

    fn one_subject(&self, key: &str, word: &Spanned<Text>) -> Result<Subject, RulesError> {
        let name = word.get_ref().clone();
        let unknown = |what: &str, known: Vec<&str>| {
            self.wrong(
                word.span().start,
                format!("there is no {what} `{name}`{}", near(&name, known.into_iter())),
            )
        };
        if name.is_empty() {
            return Err(self.wrong(word.span().start, format!("`{key}` is empty")));
        }
        let of = |list: &[(&'static str, Total)]| {
            list.iter().find(|(known, _)| *known == name).map(|(_, total)| *total)
        };
        Ok(match key {
            "anything" => Subject::Anything(name),
            "application" => Subject::Application(name),
            "package" => Subject::Package(name),
            "program" => Subject::Program(name),
            "opens" => Subject::Opens(name),
            "repository" => Subject::Repository(name),
            "startup" => Subject::Startup(name),
            "session" => Subject::Session(name),
            "offered" => Subject::Offered(name),
            "updates" => Subject::Updates(name),
            "behind" => Subject::Behind(name),
            "added-cost" => Subject::AddedCost(name.split_ascii_whitespace().map(Text::from).collect()),
            "role" if self.roles.role.iter().any(|role| role.role == name) => Subject::Role(name),
            "role" => {
                return Err(unknown("role", self.roles.role.iter().map(|role| role.role.as_str()).collect()));
            }
            "part" if self.parts.part.iter().any(|part| part.part == name) => Subject::Part(name),
            "part" => {
                return Err(unknown("part", self.parts.part.iter().map(|part| part.part.as_str()).collect()));
            }
            "kind" => match Kind::from_name(&name) {
                Some(kind) => Subject::Kind(kind),
                None => return Err(unknown("kind", Kind::ALL.iter().map(|kind| kind.name()).collect())),
            },
            "finding" => match FindingName::from_any_name(&name) {
                Some(finding) => Subject::Finding(finding),
                None => return Err(unknown("finding", FindingName::ALL.iter().map(|o| o.name()).collect())),
            },
            "total" => match of(TOTALS) {
                Some(total) => Subject::Total(total),
                None => return Err(unknown("total", TOTALS.iter().map(|(name, _)| *name).collect())),
            },
            "plays" if media().of(&name).is_none() => {
                return Err(unknown("medium", media().media.iter().map(|rule| rule.key.as_str()).collect()));
            }
            "plays" => Subject::Plays(name),
            "setting" if settings().of(&name).is_none() && !name.contains([' ', '.']) => {
                return Err(unknown(
                    "setting",
                    settings().setting.iter().map(|rule| rule.key.as_str()).collect(),
                ));
            }
            "setting" => Subject::Setting(name),
            "look" => match LOOKS.iter().find(|(known, _)| *known == name) {
                Some((_, look)) => Subject::Look(*look),
                None => return Err(unknown("look", LOOKS.iter().map(|(name, _)| *name).collect())),
            },
            _ => match Measure::named(&name) {
                Some(measure) => Subject::Reading(measure.what.into()),
                None => {
                    return Err(unknown("reading", MEASURES.iter().map(|measure| measure.short).collect()));
                }
            },
        })
    }

    /// What is expected, as far as the subject can have it.
    fn expect(&self, raw: &RawQuestion, subject: &Subject) -> Result<Expect, RulesError> {
        let allowed: &[&str] = match subject {
            Subject::Anything(_) | Subject::Application(_) | Subject::Program(_) => &["expect", "version"],
            Subject::Package(_) => &["expect", "version", "count"],
            Subject::Offered(_) => &["expect", "version"],
            Subject::Updates(_) => &["expect", "count"],
            Subject::AddedCost(_) => &["weight"],
            Subject::Behind(_) => &["count"],
            Subject::Role(_) | Subject::Opens(_) => &["expect", "is"],
            Subject::Part(_) => &["expect", "is", "version"],
            Subject::Kind(_) => &["count", "weight"],
            Subject::Total(Total::Weight) => &["weight"],
            Subject::Total(_) => &["count"],
            Subject::Repository(_) | Subject::Startup(_) | Subject::Session(_) | Subject::Finding(_) => {
                &["expect", "count"]
            }
            Subject::Look(
                LookAsked::Themes | LookAsked::IconSets | LookAsked::Wallpapers | LookAsked::FontFamilies,
            ) => &["count"],
            Subject::Plays(_) => &["expect"],
            Subject::Look(_) | Subject::Setting(_) => &["expect", "is"],
            Subject::Reading(_) => &["value"],
            Subject::Person => &[],
        };
        let given = [
            ("expect", &raw.expect),
            ("is", &raw.is),
            ("version", &raw.version),
            ("count", &raw.count),
            ("weight", &raw.weight),
            ("value", &raw.value),
        ];
        let mut expect = Expect { absent: matches!(subject, Subject::Finding(_)), ..Expect::default() };
        for (key, word) in given {
            let Some(word) = word else { continue };
            if !allowed.contains(&key) {
                let can = if allowed.is_empty() { "nothing".to_owned() } else { allowed.join(", ") };
                return Err(self.wrong(
                    word.span().start,
                    format!("`{key}` can't be asked of this subject; it takes {can}"),
                ));
            }
            self.one_expectation(key, word, subject, &mut expect)?;
        }
        let needs_limit = allowed.first().is_some_and(|first| matches!(*first, "count" | "weight" | "value"));
        if needs_limit && expect.number.is_none() {
            let offset = raw.text.as_ref().or(raw.name.as_ref()).map_or(0, |word| word.span().start);
            return Err(self.wrong(offset, format!("this subject needs a limit: {}", allowed.join(" or "))));
        }
        Ok(expect)
    }

    fn one_expectation(
        &self,
        key: &str,
        word: &Spanned<Text>,
        subject: &Subject,
        expect: &mut Expect,
    ) -> Result<(), RulesError> {
        let wrong = |why: String| self.wrong(word.span().start, why);
        let value = word.get_ref();
        match key {
            "expect" => {
                expect.absent = match value.as_str() {
                    "present" => false,
                    "absent" => true,
                    other => {
                        let near = near(other, ["present", "absent"].into_iter());
                        return Err(wrong(format!("`expect` can't be `{other}`{near}")));
                    }
                };
            }
            "is" => expect.is = Some(value.clone()),
            "version" => {
                let (op, rest) = operator(value);
                if rest.is_empty() {
                    return Err(wrong("a version limit is written like \">= 6.1\"".into()));
                }
                expect.version = Some(Bound { op, value: rest.into() });
            }
            _ => {
                let (op, rest) = operator(value);
                let bytes = key == "weight"
                    || matches!(subject, Subject::Reading(what) if Measure::named(what).is_some_and(|m| m.unit == "bytes"));
                let number = if bytes { bytes_of(rest).map(as_number) } else { plain_number(rest) };
                let number = number
                    .map_err(|why| wrong(format!("`{key}`: {why}; a limit is written like \"<= 10\"")))?;
                expect.bytes = key == "weight";
                expect.number = Some(Bound { op, value: number });
            }
        }
        Ok(())
    }
}

#[allow(clippy::cast_precision_loss, reason = "sizes of installs are far below 2^53")]
fn as_number(bytes: u64) -> f64 {
    bytes as f64
}

fn plain_number(text: &str) -> Result<f64, String> {
    let number: f64 = text.parse().map_err(|_| format!("`{text}` is not a number"))?;
    if number.is_finite() { Ok(number) } else { Err(format!("`{text}` is not a number")) }
}

/// The operator that a limit begins with; none means "equal".
fn operator(text: &str) -> (VersionOp, &str) {
    let text = text.trim();
    for (sign, op) in [
        ("<=", VersionOp::AtMost),
        (">=", VersionOp::AtLeast),
        ("<", VersionOp::Less),
        (">", VersionOp::More),
        ("=", VersionOp::Exactly),
    ] {
        if let Some(rest) = text.strip_prefix(sign) {
            return (op, rest.trim());
        }
    }
    (VersionOp::Exactly, text)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn the_starter_has_every_sort_of_subject_in_its_manual() {
        let (parts, roles) = (PartRules::built_in().unwrap(), Roles::built_in().unwrap());
        let list = Checklist::parse(Checklist::starter(), &parts, &roles).unwrap();
        assert!(list.questions.len() > 10);
        let manual: String = Checklist::starter().lines().filter(|line| line.starts_with('#')).collect();
        for key in KEYS.iter().filter(|key| !matches!(**key, "question")) {
            assert!(manual.contains(key), "the manual does not tell of `{key}`");
        }
    }

    proptest! {
        #[test]
        fn any_text_is_a_checklist_or_an_error(key in "[a-z]{1,9}", value in ".{0,12}", limit in "[<>=]{0,2} ?[0-9a-zB.]{0,5}") {
            let (parts, roles) = (PartRules::default(), Roles::default());
            let text = format!("[[question]]\nname = 'x'\n{key} = {value}\npackage = 'x'\ncount = '{limit}'\n");
            _ = checklist(&text, &parts, &roles);
            let text = format!("[[question]]\nname = 'x'\npackage = 'x'\nversion = '{limit}'\n");
            _ = checklist(&text, &parts, &roles);
        }
    }
}
