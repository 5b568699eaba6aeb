//! Key figures: versions that people ask for first, however small the step.

use super::{Comparison, Filling, HeadlineRules, KeyFigure, PartChangeKind};
use crate::model::{Tally, Text};

/// The key figures of a comparison, in the order of the table.
pub(super) fn figures(
    comparison: &Comparison,
    old: &Tally,
    new: &Tally,
    rules: &HeadlineRules<'_>,
) -> Vec<KeyFigure> {
    let mut figures = Vec::new();
    let filling = |name: &Option<Text>, version: &Option<Text>| {
        Some(Filling { name: name.clone()?, version: version.clone() })
    };
    for part in rules.scores.figure_parts() {
        let of_part = comparison.parts.iter().filter(|change| change.part == *part);
        figures.extend(of_part.map(|change| KeyFigure {
            about: format!("part:{part}").into(),
            label: rules.parts.label(part).into(),
            was: filling(&change.old_name, &change.old_version),
            is: filling(&change.new_name, &change.new_version),
            same: change.change == PartChangeKind::Same,
        }));
        if part == "desktop" {
            figures.extend(session(old, new));
        }
    }
    for role in rules.scores.figure_roles() {
        let (was, is) = (holder(old, role), holder(new, role));
        if was.is_some() || is.is_some() {
            let (about, label) = (format!("role:{role}").into(), rules.roles.noun(role).into());
            let same = was == is;
            figures.push(KeyFigure { about, label, was, is, same });
        }
    }
    figures
}

/// The session that starts, and how it draws.
fn session(old: &Tally, new: &Tally) -> Option<KeyFigure> {
    let told = |tally: &Tally| {
        let session = tally.looks.started()?;
        // Many are called after it.
        let said = session.name.to_lowercase().contains(session.display.as_str());
        Some(Filling { name: session.name.clone(), version: (!said).then(|| session.display.clone()) })
    };
    let (was, is) = (told(old), told(new));
    let same = was == is;
    (was.is_some() || is.is_some()).then(|| KeyFigure {
        about: "session".into(),
        label: "session".into(),
        was,
        is,
        same,
    })
}

/// The application that has a role, with its version.
fn holder(tally: &Tally, role: &str) -> Option<Filling> {
    let id = tally.defaults.iter().find(|choice| choice.role == role)?.holder(&tally.defaults)?;
    let (name, version) = tally.holder(id);
    Some(Filling { name: name.into(), version: version.map(Text::from) })
}
