use super::listed;
use tally_core::compare::{Decision, DecisionKind, DecisionReason};
use tally_core::model::Text;

/// Names that one line holds; the rest is counted.
const NAMES: usize = 4;

/// What was decided; what it is about is behind it: `new dependency of` `panel`.
pub const fn decision_kind(kind: DecisionKind) -> &'static str {
    match kind {
        DecisionKind::AddedOnPurpose => "added on purpose",
        DecisionKind::DroppedOnPurpose => "dropped on purpose",
        DecisionKind::NewDependency => "new dependency of",
        DecisionKind::DependencyLost => "no longer a dependency of",
        DecisionKind::SharedAddition => "needed by several additions",
        DecisionKind::SharedRemoval => "was needed by several",
    }
}

/// What a decision is about.
pub fn decision_names(names: &[Text]) -> String {
    listed(names, NAMES)
}

/// What was decided and what it is about, in a few words.
pub fn decision_title(decision: &Decision) -> String {
    let names = decision_names(&decision.names);
    match decision.kind {
        DecisionKind::AddedOnPurpose | DecisionKind::DroppedOnPurpose => names,
        DecisionKind::NewDependency => format!("new dependencies of {names}"),
        DecisionKind::DependencyLost => format!("lost dependencies of {names}"),
        DecisionKind::SharedAddition | DecisionKind::SharedRemoval => format!("shared by {names}"),
    }
}

/// Whether it adds something.
pub(super) const fn adds(kind: DecisionKind) -> bool {
    match kind {
        DecisionKind::AddedOnPurpose | DecisionKind::NewDependency | DecisionKind::SharedAddition => true,
        DecisionKind::DroppedOnPurpose | DecisionKind::DependencyLost | DecisionKind::SharedRemoval => false,
    }
}

/// What shows that something was decided.
pub fn decision_reason(decision: &Decision) -> String {
    reason(&decision.reason, decision.kind, decision.names.len())
}

pub(super) fn reason(reason: &DecisionReason, kind: DecisionKind, names: usize) -> String {
    let adds = adds(kind);
    match reason {
        DecisionReason::InstalledExplicitly if adds => "installed explicitly".to_owned(),
        DecisionReason::InstalledExplicitly => "was installed explicitly".to_owned(),
        DecisionReason::RemovedSince => "removed after installation".to_owned(),
        DecisionReason::NothingElse if adds => "nothing else pulls it in".to_owned(),
        DecisionReason::NothingElse => "nothing else pulled it in".to_owned(),
        DecisionReason::Metapackage { metapackage, is_new } => match (is_new, adds) {
            (true, true) => format!("{metapackage} now pulls it in"),
            (true, false) => format!("{metapackage} no longer pulls it in"),
            (false, true) => format!("{metapackage} already asked for it"),
            (false, false) => format!("{metapackage} still asks for it"),
        },
        DecisionReason::Dependencies { dependencies, is_new, stays } => {
            let on = listed(dependencies, NAMES);
            let depends = match (is_new, adds) {
                (true, true) => format!("now depends on {on}"),
                (true, false) => format!("no longer depends on {on}"),
                (false, true) => format!("could use {on} before as well"),
                (false, false) => format!("could still use {on}"),
            };
            if *stays { depends } else { format!("its replacement {depends}") }
        }
        DecisionReason::Shared if adds => {
            if names == 2 {
                "both depend on it".to_owned()
            } else {
                format!("all {names} depend on it")
            }
        }
        DecisionReason::Shared => {
            if names == 2 {
                "both depended on it".to_owned()
            } else {
                format!("all {names} depended on it")
            }
        }
    }
}
