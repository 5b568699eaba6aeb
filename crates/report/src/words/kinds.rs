use super::listed;
use tally_core::model::{KindFact, Package, Trait};

/// Why a package is of its kind.
pub fn kind_reason(package: &Package) -> String {
    let reason = &package.kind_because;
    let detail = reason.detail.as_deref().unwrap_or_default();
    let fact = |fact: &KindFact| match fact {
        KindFact::Launcher => format!("launcher {detail}"),
        KindFact::Files => {
            let names: Vec<&str> = reason.files.iter().map(|one| Trait::name(*one)).collect();
            format!("its files include {}", listed(&names, names.len()))
        }
        KindFact::Section => format!("section {}", package.section),
        KindFact::Name => format!("name {}", package.name),
        KindFact::Summary => format!("summary \"{}\"", package.summary),
        KindFact::NoFiles => "no files of its own".to_owned(),
        KindFact::Essential => "essential".to_owned(),
        KindFact::LastResort => "no other rule applied".to_owned(),
        KindFact::NoRule => "no rule applied".to_owned(),
        KindFact::ExtensionOf => format!("extends {detail}"),
        KindFact::SandboxRuntime => "a runtime of sandboxed apps".to_owned(),
        KindFact::SnapType => format!("snap of type {detail}"),
        KindFact::ContentSnap => "other snaps use its content".to_owned(),
        KindFact::Legacy => reason.legacy.as_deref().unwrap_or_default().to_owned(),
    };
    let facts: Vec<String> = reason.because.iter().map(fact).collect();
    match &reason.rule {
        Some(rule) => format!("{} (rule {rule})", facts.join("; ")),
        None => facts.join("; "),
    }
}
