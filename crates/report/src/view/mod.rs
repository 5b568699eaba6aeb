//! One folder or file per command: its answer as a document, as CSV, as JSON.

mod age;
mod check;
mod compare;
mod cost;
mod grid;
mod lag;
mod offer;
mod owner;
mod picture_find;
mod roots;
mod shelf;
mod shelf_find;
mod show;
mod trail;
mod why;

pub use age::AgeView;
pub(crate) use age::{half_of, span_name};
pub use check::CheckView;
pub use compare::{CompareView, CompareWhat, Filter};
pub(crate) use compare::{figures, headlines, key_versions, role_of, sides, step, wallpapers};
pub use cost::CostView;
pub use grid::GridView;
pub(crate) use grid::{heading as grid_heading, likeness_by, shared as shared_by_all, shown as grid_cell};
pub use lag::{LagChangeView, LagView};
pub use offer::{OfferChangeView, OfferView, SourcesView, touched};
pub use owner::{OwnedFile, OwnerView};
pub use picture_find::PictureFindView;
pub use roots::{RootRow, RootsView};
pub use shelf::ShelfView;
pub use shelf_find::ShelfFindView;
pub use show::{PackageFilter, ShowView, ShowWhat};
pub(crate) use show::{findings_with_text, install_figures, key_parts, notable};
pub use trail::TrailView;
pub(crate) use trail::{name_of as edition_name, release as release_name};
pub use why::{FindView, WeighView, WhyView};

use crate::document::{Line, Role, Span};
use crate::words;
use std::borrow::Cow;
use tally_core::model::{Label, Package, Phase, RootReason, Seen, Tally};

/// When a package came, and what became of it since; empty for what was shipped and is as it was.
fn came(package: &Package, seen: Seen) -> Cow<'static, str> {
    let found = seen == Seen::AsFound;
    match (package.phase, &package.shipped_version) {
        (Phase::Shipped, _) => "".into(),
        (Phase::AddedLater, _) => "added later".into(),
        (Phase::UpdatedLater, Some(version)) => format!("updated later; shipped with {version}").into(),
        (Phase::UpdatedLater, None) if found => "updated later".into(),
        (Phase::UpdatedLater, None) => "updated since".into(),
        (Phase::RemovedLater, _) if found => "removed later".into(),
        (Phase::RemovedLater, _) => "removed since".into(),
        (Phase::LiveOnly, _) => "on the live medium only".into(),
    }
}

/// What of two installs is shown.
pub(crate) fn both_seen(old: &Label, new: &Label) -> String {
    match (old.seen_as(), new.seen_as()) {
        (old, new) if old == new => format!("both {}", words::seen(old)),
        // The title says it already.
        _ if (Label { seen: None, ..old.clone() }) == (Label { seen: None, ..new.clone() }) => String::new(),
        (old, new) => format!("{}; {}", words::seen(old), words::seen(new)),
    }
}

/// What of some installs is shown.
pub(crate) fn all_seen(installs: &[Label]) -> String {
    let mut seen: Vec<&str> = installs.iter().map(|install| words::seen(install.seen_as())).collect();
    seen.dedup();
    match (&seen[..], installs.len()) {
        ([one], 1) => (*one).to_owned(),
        ([one], _) => format!("all {one}"),
        _ => "some as shipped, some as found".to_owned(),
    }
}

fn optional(text: Option<&str>) -> String {
    text.unwrap_or_default().to_owned()
}

pub(crate) fn dim(text: impl AsRef<str>) -> Span {
    Span::new(Role::Dim, text)
}

fn strong(text: impl AsRef<str>) -> Span {
    Span::new(Role::Strong, text)
}

/// A name with a capital, as headings have it.
pub(crate) fn capital(name: &str) -> String {
    let mut chars = name.chars();
    chars.next().map(|first| first.to_uppercase().chain(chars).collect()).unwrap_or_default()
}

/// What an install is based on, and from when to when it lives.
pub(crate) fn lifetime(label: &Label) -> Vec<String> {
    let bases: Vec<String> = label.base_id.iter().map(|id| capital(id)).collect();
    let base = (!bases.is_empty()).then(|| format!("based on {}", bases.join(" and ")));
    let released = label.release_date.as_ref().map(|day| format!("released {day}"));
    let supported = label.support_end.as_ref().map(|day| format!("supported until {day}"));
    [base, released, supported].into_iter().flatten().collect()
}

/// Where an install is in time and family, in one line.
fn origin(tally: &Tally) -> Line {
    let mut words = lifetime(&tally.label);
    words.extend((!tally.taken.from.is_empty()).then(|| format!("read from {}", tally.taken.from)));
    // Of a disk with one root there is nothing to say.
    let several = tally.taken.root.as_ref().filter(|root| root.because != RootReason::Only);
    words.extend(several.map(|root| format!("root `{}`, {}", root.name, words::root_reason(root.because))));
    words.extend(tally.taken.sha256.as_ref().map(|sum| format!("SHA-256 {sum}")));
    dim(words.join("; ")).into()
}

/// `Saltmarsh Linux, Reedbed: 4.0 "Avocet" → 5.0 "Bittern"`; what both share behind it where it is not the name.
pub(crate) fn change_title(old: &Label, new: &Label) -> String {
    let (shared, was, is) = side_by_side(old, new);
    match old.distro == new.distro {
        true => format!("{shared}: {was} → {is}"),
        false if shared == TWO => format!("{was} → {is}"),
        false => format!("{was} → {is} ({shared})"),
    }
}

/// What two installs are called that share nothing.
pub(crate) const TWO: &str = "Two installs";

/// What both labels share, and what tells them apart: (`Saltmarsh Linux, Reedbed, full, amd64`, `4.0 "Avocet"`, `5.0 "Bittern"`).
pub(crate) fn side_by_side(old: &Label, new: &Label) -> (String, String, String) {
    let release = |label: &Label| match (&label.release, &label.codename) {
        (Some(release), Some(codename)) => Some(format!("{release} \"{codename}\"")),
        (Some(release), None) => Some(release.to_string()),
        (None, codename) => codename.as_ref().map(ToString::to_string),
    };
    let fields = |label: &Label| {
        let text = |field: &Option<tally_core::model::Text>| field.as_ref().map(ToString::to_string);
        let distro = Some(label.distro.to_string()).filter(|d| !d.is_empty());
        [distro, release(label), text(&label.edition), text(&label.profile), text(&label.arch)]
    };
    let (mut shared, mut old_own, mut new_own) = (Vec::new(), Vec::new(), Vec::new());
    for (a, b) in fields(old).into_iter().zip(fields(new)) {
        if a == b {
            shared.extend(a);
        } else {
            old_own.extend(a);
            new_own.extend(b);
        }
    }
    let or_handle = |own: Vec<String>, label: &Label, other: &Label| match own.is_empty() {
        true if label.edition.is_none() && other.edition.is_some() => "no edition".to_owned(),
        true => label.handle.to_string(),
        false => own.join(", "),
    };
    let shared = if shared.is_empty() { TWO.to_owned() } else { shared.join(", ") };
    if old_own.is_empty() && new_own.is_empty() && old.seen_as() != new.seen_as() {
        return (shared, words::seen(old.seen_as()).to_owned(), words::seen(new.seen_as()).to_owned());
    }
    if old_own.is_empty() && new_own.is_empty() && old.handle == new.handle {
        return (shared, "one tally".to_owned(), "another of the same install".to_owned());
    }
    (shared, or_handle(old_own, old, new), or_handle(new_own, new, old))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn two_installs_are_called_by_what_tells_them_apart() {
        let label = |edition: Option<&str>, release: &str, handle: &str| Label {
            distro: "Saltmarsh Linux".into(),
            release: Some(release.into()),
            edition: edition.map(Into::into),
            handle: handle.into(),
            ..Label::default()
        };
        let names = |old: &Label, new: &Label| {
            let (shared, was, is) = side_by_side(old, new);
            format!("{shared}: {was} → {is}")
        };
        let (reedbed, bare) = (label(Some("Reedbed"), "5.0", "a"), label(None, "5.0", "b"));
        assert_eq!(names(&reedbed, &bare), "Saltmarsh Linux, 5.0: Reedbed → no edition");
        assert_eq!(names(&bare, &reedbed), "Saltmarsh Linux, 5.0: no edition → Reedbed");
        assert_eq!(
            names(&label(Some("Reedbed"), "4.0", "a"), &reedbed),
            "Saltmarsh Linux, Reedbed: 4.0 → 5.0"
        );
        assert_eq!(names(&bare, &label(None, "5.0", "c")), "Saltmarsh Linux, 5.0: b → c");
    }
}
