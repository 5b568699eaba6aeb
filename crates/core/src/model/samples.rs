//! What the tests of this crate begin with.

use super::{Does, Evidence, Label, Launcher, Medium, Menu, Phase, Taken, Tally, Text};

/// How a tally of this medium was taken, in a test.
pub(crate) fn taken(medium: Medium) -> Taken {
    Taken {
        at: "2031-05-02T10:00:00Z".into(),
        from: "marsh".into(),
        medium,
        layer: None,
        sha256: None,
        root: None,
    }
}

/// An installed system of which nothing is known yet.
pub(crate) fn tally() -> Tally {
    Tally::new("test", taken(Medium::Installed), Label::default())
}

/// A launcher of that name, shown among the accessories, whose program is there.
pub(crate) fn launcher(name: &str, runs: &str) -> Launcher {
    Launcher {
        phase: Phase::Shipped,
        id: format!("{name}.desktop").into(),
        name: Text::from(name),
        generic_name: None,
        menu: Menu::Accessories,
        categories: Vec::new(),
        shown: true,
        hidden_because: None,
        runs: Some(runs.into()),
        does: Does::Program,
        url: None,
        program_present: Some(true),
        package: None,
        version: None,
        format: None,
        mime_types: Vec::new(),
        initial_preference: None,
        appstream: Vec::new(),
        evidence: Evidence::file(format!("usr/share/applications/{name}.desktop")),
    }
}
