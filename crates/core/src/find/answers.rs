//! Answers before names: what does a job, what fills a part, how many there are of a kind.

use super::plain;
use crate::compare::Named;
use crate::knowledge::{PartRules, Roles, everyday_words, matches};
use crate::model::{FindingName, Kind, Package, PackageRef, Tally, Text};
use schemars::JsonSchema;
use serde::Serialize;

/// What fills a part, or does a job.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Filled {
    /// Its name.
    pub name: Text,
    /// Its version.
    pub version: Option<Text>,
    /// Its package.
    pub package: Option<PackageRef>,
}

/// An answer to what was asked.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
#[serde(tag = "answer", rename_all = "kebab-case")]
pub enum Answer {
    /// A part, and what fills it; nothing where the install has none.
    Part {
        /// The part.
        part: Named,
        /// What fills it.
        filled: Vec<Filled>,
    },
    /// Something that could fill a part, which something else fills here.
    Instead {
        /// What was asked for.
        name: Text,
        /// The part.
        part: Named,
        /// What fills it.
        filled: Vec<Filled>,
        /// Whether packages of that name are there all the same.
        is_there: bool,
    },
    /// A job, and the app that does it.
    Role {
        /// The job.
        role: Named,
        /// The default app.
        app: Option<Filled>,
        /// Others that could do it.
        others: Vec<Text>,
    },
    /// Packages of a kind.
    Kind {
        /// The kind.
        kind: Kind,
        /// How many there are.
        packages: u64,
        /// Their bytes on disk.
        installed_bytes: u64,
        /// The largest of them.
        largest: Vec<Text>,
    },
    /// Packages that do what was asked for.
    Packages {
        /// What was asked for.
        name: Text,
        /// Those that are installed.
        filled: Vec<Filled>,
    },
    /// Findings of a rule.
    Finding {
        /// The rule.
        finding: FindingName,
        /// What they are about.
        about: Vec<Text>,
    },
}

impl Answer {
    /// Whether the install has what was asked for.
    pub const fn is_there(&self) -> bool {
        match self {
            Self::Part { filled, .. } | Self::Packages { filled, .. } => !filled.is_empty(),
            Self::Instead { is_there, .. } => *is_there,
            Self::Role { app, others, .. } => app.is_some() || !others.is_empty(),
            Self::Kind { packages, .. } => *packages > 0,
            Self::Finding { about, .. } => !about.is_empty(),
        }
    }
}

/// Names of the largest packages that an answer gives.
const LARGEST: usize = 8;

/// The answers to a question: by everyday words, by the names of parts, roles and kinds, and by what could fill a part.
pub fn answers(tally: &Tally, asked: &str, parts: &PartRules, roles: &Roles) -> Vec<Answer> {
    let asked = plain(asked);
    let is = |name: &str| plain(name) == asked;
    let word = everyday_words().iter().find(|entry| entry.words.iter().any(|word| is(word)));
    let mut answers = Vec::new();
    for rule in &parts.part {
        let by_word = word.is_some_and(|word| word.part.as_ref() == Some(&rule.part));
        if by_word || is(&rule.part) || is(&rule.label) {
            answers.push(Answer::Part {
                part: named(&rule.part, &rule.label),
                filled: filled(tally, &rule.part),
            });
        }
    }
    for role in &roles.role {
        let by_word = word.is_some_and(|word| word.roles.contains(&role.role));
        if by_word || is(&role.role) || is(&role.label) || role.noun.as_deref().is_some_and(is) {
            answers.extend(of_role(tally, &role.role, &roles.noun(&role.role)));
        }
    }
    let kind = word.and_then(|word| word.kind);
    for kind in Kind::ALL.iter().filter(|one| Some(**one) == kind || is(one.name())) {
        answers.push(of_kind(tally, *kind));
    }
    if let Some(word) = word.filter(|word| !word.packages.is_empty()) {
        let does = |package: &&Package| word.packages.iter().any(|pattern| matches(pattern, &package.name));
        let filled = tally.present().filter(does).map(|package| {
            let reference = package.reference();
            let app = tally
                .applications
                .iter()
                .find(|app| app.delivered.iter().any(|one| one.reference() == reference));
            Filled {
                name: app.map_or_else(|| package.name.clone(), |app| app.name.clone()),
                version: Some(package.upstream_version.clone()),
                package: Some(reference),
            }
        });
        answers.push(Answer::Packages { name: asked.as_str().into(), filled: filled.collect() });
    }
    if let Some(finding) = word.and_then(|word| word.finding).filter(|_| kind.is_none()) {
        let found = tally.findings.iter().filter(|one| one.name() == finding);
        answers.push(Answer::Finding { finding, about: found.flat_map(|one| one.about.clone()).collect() });
    }
    if answers.is_empty() {
        answers.extend(instead(tally, &asked, parts));
    }
    answers
}

fn named(name: &str, label: &str) -> Named {
    Named { name: name.into(), label: label.into() }
}

fn filled(tally: &Tally, part: &str) -> Vec<Filled> {
    let of_part = tally.parts.iter().filter(|one| one.part == part);
    let fill = |part: &crate::model::Part| Filled {
        name: part.name.clone(),
        version: part.version.clone(),
        package: part.package.clone(),
    };
    of_part.map(fill).collect()
}

fn of_role(tally: &Tally, role: &str, noun: &str) -> Option<Answer> {
    let choice = tally.defaults.iter().find(|choice| choice.role == role)?;
    let holder = choice.holder(&tally.defaults);
    let app = holder.map(|id| {
        let (name, version) = tally.holder(id);
        let delivered =
            tally.applications.iter().find(|one| one.id == *id).and_then(|one| one.delivered.first());
        Filled {
            name: name.into(),
            version: version.map(Text::from),
            package: delivered.map(crate::model::Delivery::reference),
        }
    });
    let others = choice.candidates.iter().filter(|id| Some(*id) != choice.application.as_ref());
    let others = others.map(|id| tally.holder(id).0.into()).collect();
    Some(Answer::Role { role: named(role, noun), app, others })
}

fn of_kind(tally: &Tally, kind: Kind) -> Answer {
    let mut packages: Vec<_> = tally.present().filter(|package| package.kind == kind).collect();
    packages.sort_by_key(|package| (std::cmp::Reverse(package.installed_bytes), &package.name));
    Answer::Kind {
        kind,
        packages: packages.len() as u64,
        installed_bytes: packages.iter().filter_map(|package| package.installed_bytes).sum(),
        largest: packages.iter().take(LARGEST).map(|package| package.name.clone()).collect(),
    }
}

/// Where what was asked for could fill a part, and something else does.
fn instead(tally: &Tally, asked: &str, parts: &PartRules) -> Option<Answer> {
    if asked.is_empty() {
        return None;
    }
    parts.part.iter().find_map(|rule| {
        let name = rule.ways.iter().filter_map(|way| way.name.as_ref()).find(|name| plain(name) == asked)?;
        let filled = filled(tally, &rule.part);
        let part = named(&rule.part, &rule.label);
        if filled.iter().any(|one| plain(&one.name) == asked) {
            let own = filled.into_iter().filter(|one| plain(&one.name) == asked).collect();
            return Some(Answer::Part { part, filled: own });
        }
        let is_there = tally.present().any(|package| plain(&package.name).contains(asked));
        Some(Answer::Instead { name: name.clone(), part, filled, is_there })
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::{System, samples};

    fn asked(tally: &Tally, asked: &str) -> Vec<Answer> {
        answers(tally, asked, &PartRules::built_in().unwrap(), &Roles::built_in().unwrap())
    }

    #[test]
    fn a_part_a_job_a_kind_and_what_is_there_instead() {
        let mut tally = samples::tally();
        let part = serde_json::json!({"part": "sound-server", "name": "PulseAudio", "version": "17.0", "package": "dpkg:pulseaudio"});
        tally.parts.push(serde_json::from_value(part).unwrap());
        tally.packages.push(Package::new(System::Dpkg, "libpipewire-0.3-0", "1.4"));
        let mut game = Package::new(System::Dpkg, "frogleap", "1");
        (game.kind, game.installed_bytes) = (Kind::Game, Some(7));
        tally.packages.push(game);
        let [Answer::Part { filled, .. }] = &asked(&tally, "Sound")[..] else {
            panic!("{:?}", asked(&tally, "Sound"))
        };
        assert_eq!((filled[0].name.as_str(), filled[0].version.as_deref()), ("PulseAudio", Some("17.0")));
        let [Answer::Instead { name, filled, is_there, .. }] = &asked(&tally, "pipewire")[..] else {
            panic!()
        };
        assert_eq!((name.as_str(), filled[0].name.as_str(), *is_there), ("PipeWire", "PulseAudio", true));
        let [Answer::Part { filled, .. }] = &asked(&tally, "firewall")[..] else { panic!() };
        assert!(filled.is_empty());
        let [Answer::Kind { packages, installed_bytes, .. }] = &asked(&tally, "games")[..] else { panic!() };
        assert_eq!((*packages, *installed_bytes), (1, 7));
        assert!(
            matches!(&asked(&tally, "telemetry")[..], [Answer::Finding { about, .. }] if about.is_empty())
        );
        assert!(asked(&tally, "").is_empty() && asked(&tally, "qwertz").is_empty());
    }
}
