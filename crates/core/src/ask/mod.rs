//! One thing asked of one install: is it there, in which version, and where is that written?

use crate::find::{HitKind, Matched, MatchedBy, find};
use crate::model::{Application, Delivery, Evidence, Launcher, Package, PackageRef, Tally, Text};
use schemars::JsonSchema;
use serde::Serialize;

/// What may answer.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum AskFor {
    /// An application, a package, or a program of that name; else the nearest name that matches well.
    #[default]
    Anything,
    /// An application, by name or ID.
    Application,
    /// A package of exactly that name; `system:name` asks one system.
    Package,
    /// A command that a launcher runs, or a package of that name.
    Program,
}

/// What was found.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Answer {
    /// What it is.
    pub what: HitKind,
    /// Its name.
    pub name: Text,
    /// Its version, where it has one.
    pub version: Option<Text>,
    /// The package behind it.
    pub package: Option<PackageRef>,
    /// What matched, where the name is another one than was asked for; `null` when it is the same.
    pub instead: Option<Matched>,
    /// Where it was read.
    pub evidence: Evidence,
}

/// Asks one install for one thing; `None` when it has no such thing.
///
/// Exact names come before all others, ignoring case. Only [`AskFor::Anything`] takes a name that is merely like it, and
/// says so in [`Answer::instead`].
pub fn ask(tally: &Tally, name: &str, what: AskFor) -> Option<Answer> {
    let name = name.trim();
    let application = || of_application(tally, name);
    let package = || of_package(tally, name);
    let program = || of_program(tally, name);
    match what {
        AskFor::Application => application(),
        AskFor::Package => package(),
        AskFor::Program => program().or_else(package),
        AskFor::Anything => application().or_else(package).or_else(program).or_else(|| nearest(tally, name)),
    }
}

fn of_application(tally: &Tally, name: &str) -> Option<Answer> {
    let fits = |a: &&Application| {
        a.id.eq_ignore_ascii_case(name)
            || a.name.eq_ignore_ascii_case(name)
            || a.launchers
                .iter()
                .any(|id| id.strip_suffix(".desktop").unwrap_or(id).eq_ignore_ascii_case(name))
    };
    let application = tally.applications.iter().find(fits)?;
    let launcher = tally.launcher_of(application);
    Some(Answer {
        what: HitKind::Application,
        name: application.name.clone(),
        version: application.version.clone(),
        package: application.delivered.first().map(Delivery::reference),
        instead: None,
        evidence: launcher.map(|launcher| launcher.evidence.clone()).unwrap_or_default(),
    })
}

fn of_package(tally: &Tally, name: &str) -> Option<Answer> {
    let fits = |p: &&Package| p.name.eq_ignore_ascii_case(name) || p.reference().as_str() == name;
    tally.present().find(fits).map(package_answer)
}

fn package_answer(package: &Package) -> Answer {
    Answer {
        what: HitKind::Package,
        name: package.name.clone(),
        version: Some(package.upstream_version.clone()).filter(|version| !version.is_empty()),
        package: Some(package.reference()),
        instead: None,
        evidence: package.evidence.clone(),
    }
}

fn of_program(tally: &Tally, name: &str) -> Option<Answer> {
    let fits = |l: &&Launcher| {
        l.runs.as_deref().is_some_and(|runs| runs.rsplit('/').next() == Some(name))
            && l.program_present != Some(false)
    };
    tally.launchers.iter().find(fits).map(|launcher| Answer {
        what: HitKind::Command,
        name: name.into(),
        version: launcher.version.clone(),
        package: launcher.package.clone(),
        instead: None,
        evidence: launcher.evidence.clone(),
    })
}

/// The best match of a search, if it is a match at all.
fn nearest(tally: &Tally, name: &str) -> Option<Answer> {
    let hit = find(tally, name).hits.into_iter().find(|hit| hit.matched.matched_by != MatchedBy::Summary)?;
    let evidence = match (hit.what, &hit.package) {
        (HitKind::Package, Some(package)) => {
            tally.present().find(|p| p.reference() == *package).map(|p| &p.evidence)
        }
        _ => tally.launchers.iter().find(|l| l.name == hit.name).map(|l| &l.evidence),
    };
    Some(Answer {
        what: hit.what,
        evidence: evidence.cloned().unwrap_or_default(),
        name: hit.name,
        version: hit.version,
        package: hit.package,
        instead: Some(hit.matched),
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::{System, samples};

    #[test]
    fn exact_names_first_and_likeness_is_said() {
        let mut tally = samples::tally();
        tally.packages.push(Package::new(System::Dpkg, "inkcap-data", "2"));
        tally.packages.push(Package::new(System::Dpkg, "inkcap", "3"));
        let found = ask(&tally, "Inkcap", AskFor::Anything).unwrap();
        assert_eq!((found.name.as_str(), found.instead), ("inkcap", None));
        let found = ask(&tally, "inkcpa", AskFor::Anything).unwrap();
        assert_eq!((found.name.as_str(), found.instead.is_some()), ("inkcap", true));
        assert_eq!(ask(&tally, "inkcpa", AskFor::Package), None);
        assert_eq!(ask(&tally, "inkcap", AskFor::Application), None);
    }
}
