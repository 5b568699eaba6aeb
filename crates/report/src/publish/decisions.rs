//! Decisions, each with what followed from it.

use crate::document::{Block, Document, Fold, Line, Span};
use crate::text::{bytes_signed, count_of};
use crate::view::{both_seen, capital, change_title, dim, role_of};
use crate::words;
use std::collections::HashMap;
use tally_core::compare::{Comparison, Decision, DecisionReason};
use tally_core::model::PackageRef;

/// Packages that one decision names; the rest is counted.
const NAMED: usize = 60;

/// The decisions of a comparison, the weightiest first, each with its followers line by line.
pub fn decisions(comparison: &Comparison) -> Document {
    let mut document = Document::default();
    let (old, new) = (&comparison.old, &comparison.new);
    document.title(change_title(old, new), both_seen(old, new));
    document.paragraph(dim(count(comparison)));
    let mut folds = folds(comparison);
    let weights = weights(comparison);
    for (fold, decision) in folds.iter_mut().zip(&comparison.decisions) {
        fold.inside.truncate(1);
        fold.inside.extend(followers(decision, &weights).into_iter().map(|(name, delta)| {
            let weight = delta.map(bytes_signed).unwrap_or_default();
            Line::from(Span::from(name)).and(dim(format!("  {weight}")))
        }));
    }
    match folds.is_empty() {
        true => document.paragraph("Nothing was decided: no package came or went."),
        false => document.push(Block::Folds(folds)),
    }
    document
}

/// The decisions of a comparison, the weightiest first.
pub(super) fn folds(comparison: &Comparison) -> Vec<Fold> {
    let most =
        comparison.decisions.iter().map(|one| one.bytes_delta.unsigned_abs()).max().unwrap_or(0).max(1);
    let weights = weights(comparison);
    comparison.decisions.iter().map(|decision| fold(decision, most, &weights)).collect()
}

/// What came and went by packages, in bytes.
fn weights(comparison: &Comparison) -> HashMap<PackageRef, i64> {
    let mut weights: HashMap<PackageRef, i64> = HashMap::new();
    for change in &comparison.packages {
        for side in [&change.old, &change.new].into_iter().flatten() {
            if let Some(delta) = change.bytes_delta {
                weights.insert(PackageRef::new(change.system, &side.name), delta);
            }
        }
    }
    weights
}

/// The packages of a decision with what each weighs, the weightiest first.
fn followers<'d>(decision: &'d Decision, weights: &HashMap<PackageRef, i64>) -> Vec<(&'d str, Option<i64>)> {
    let mut packages: Vec<(&str, Option<i64>)> =
        decision.packages.iter().map(|package| (package.name(), weights.get(package).copied())).collect();
    packages.sort_by_key(|(name, delta)| (std::cmp::Reverse(delta.map_or(0, i64::unsigned_abs)), *name));
    packages
}

fn fold(decision: &Decision, most: u64, weights: &HashMap<PackageRef, i64>) -> Fold {
    let share = u128::from(decision.bytes_delta.unsigned_abs()) * 1000 / u128::from(most);
    let share = i16::try_from(share).unwrap_or(1000);
    // A name keeps its letters.
    let begins_with_a_name = matches!(decision.reason, DecisionReason::Metapackage { .. });
    let because = words::decision_reason(decision);
    let mut because = if begins_with_a_name { because } else { capital(&because) };
    if decision.inherited == Some(true) {
        because.push_str("; inherited from the base");
    }
    let mut inside = vec![Line::from(format!("{because}."))];
    let packages = followers(decision, weights);
    let said = |(name, delta): &(&str, Option<i64>)| match delta {
        Some(delta) => format!("{name} {}", bytes_signed(*delta)),
        None => (*name).to_owned(),
    };
    let mut line = packages.iter().take(NAMED).map(said).collect::<Vec<_>>().join(", ");
    if let Some(more) = packages.len().checked_sub(NAMED).filter(|more| *more > 0) {
        line.push_str(&format!(" and {more} more"));
    }
    inside.push(dim(line).into());
    let weighed = decision.packages.iter().any(|package| weights.contains_key(package));
    let weight = if weighed { bytes_signed(decision.bytes_delta) } else { "size unknown".to_owned() };
    Fold {
        id: format!("decision-{}", decision.id),
        sort: Span::new(role_of(decision.kind), words::decision_kind(decision.kind)),
        name: words::decision_names(&decision.names).into(),
        figures: vec![count_of(decision.packages.len() as u64, "package").into(), weight.into()],
        share: if decision.bytes_delta < 0 { -share } else { share },
        inside,
    }
}

/// How many there are, and what they explain.
pub(super) fn count(comparison: &Comparison) -> String {
    let explained: u64 = comparison.decisions.iter().map(|one| one.packages.len() as u64).sum();
    let decisions = count_of(comparison.decisions.len() as u64, "decision");
    let mut said =
        format!("{decisions} explain {} that were added or removed", count_of(explained, "package"));
    if comparison.totals.unexplained > 0 {
        said.push_str(&format!("; {} unexplained", comparison.totals.unexplained));
    }
    said
}
