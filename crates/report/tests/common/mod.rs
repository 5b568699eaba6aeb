//! The kept install, and every view of two installs.

use tally_core::age::age;
use tally_core::check::{Checklist, check};
use tally_core::compare::{Comparison, HeadlineRules, compare_in_full};
use tally_core::find::find;
use tally_core::grid::{GridRules, Likeness, RowGroup, grid};
use tally_core::knowledge::{Agents, PartRules, Roles, Scores};
use tally_core::lag::{Against, Upstream, lag};
use tally_core::model::{PackageRef, Reason, System, Tally};
use tally_core::offer::{Catalog, CostAsked, answer, cost};
use tally_core::trail::follow;
use tally_core::weigh::weigh;
use tally_report::{
    AgeView, CheckView, CompareView, CompareWhat, CostView, FindView, GridView, LagChangeView, LagView,
    OfferView, OwnedFile, OwnerView, ShowView, ShowWhat, SourcesView, TrailView, View, WeighView, WhyView,
};

pub(crate) const KEPT: &str = include_str!("../../../fresh-tally/tests/fixtures/schema-1.tally.json");

pub(crate) fn kept() -> Tally {
    serde_json::from_str(KEPT).unwrap()
}

/// The rules that come with the program.
pub(crate) struct BuiltIn {
    pub(crate) parts: PartRules,
    pub(crate) roles: Roles,
    scores: Scores,
    agents: Agents,
}

impl BuiltIn {
    pub(crate) fn rules() -> Self {
        Self {
            parts: PartRules::built_in().unwrap(),
            roles: Roles::built_in().unwrap(),
            scores: Scores::built_in().unwrap(),
            agents: Agents::built_in().unwrap(),
        }
    }

    pub(crate) fn compare(&self, old: &Tally, new: &Tally) -> Comparison {
        let Self { parts, roles, scores, agents } = self;
        compare_in_full(old, new, None, &HeadlineRules { scores, roles, parts, agents })
    }
}

/// Calls with each view of the two installs, under a name that says which one failed.
pub(crate) fn each_view(old: &Tally, new: &Tally, mut with: impl FnMut(&str, &dyn View)) {
    let built_in = BuiltIn::rules();
    let BuiltIn { parts, roles, .. } = &built_in;
    for what in ShowWhat::ALL {
        with(
            &format!("show {what:?}"),
            &ShowView { tally: new, what: *what, rules: parts, roles, all: false },
        );
    }
    let comparison = built_in.compare(old, new);
    for what in CompareWhat::ALL {
        let command = "fresh-tally compare OLD NEW";
        let (comparison, filtered) = (&comparison, false);
        with(
            &format!("compare {what:?}"),
            &CompareView { comparison, rules: parts, roles, what: *what, filtered, sums: true, command },
        );
    }
    let asked = ["inkcap".to_owned(), "nothing-like-it".to_owned()];
    let rules = GridRules { parts, roles, asked: &asked, likeness: Likeness::Packages };
    let grid = grid(&[old, new], &rules);
    for only_differing in [false, true] {
        let command = "fresh-tally grid OLD NEW";
        with("grid", &GridView { grid: &grid, only_differing, groups: RowGroup::ALL, command });
    }
    let checklist = Checklist::parse(Checklist::starter(), parts, roles).unwrap();
    with("check", &CheckView { check: &check(&checklist, &[old, new], &[]) });
    with("check one", &CheckView { check: &check(&checklist, &[new], &[]) });
    let upstream = Upstream::parse_toml(Upstream::starter()).unwrap();
    let against = Against { upstream: Some(&upstream), ..Against::default() };
    let day = "2031-05-02".parse().unwrap();
    with("lag", &LagView { lag: &lag(new, &against, day), by_file: true });
    let (old_lag, new_lag) = (lag(old, &against, day), lag(new, &against, day));
    with("lag of two", &LagChangeView { old: &old_lag, new: &new_lag });
    for all in [false, true] {
        with("age", &AgeView { age: &age(new, day), all });
    }
    with("find", &FindView { label: new.label.clone(), result: find(new, "wriitr") });
    with("offer", &OfferView::kept(new, parts));
    let catalog = Catalog::new(System::Dpkg, "");
    let asked = CostAsked { names: vec!["inkcap".into()], limit_bytes: Some(1), ..CostAsked::default() };
    with("cost", &CostView { label: new.label.clone(), cost: cost(&new.packages, &catalog, &asked) });
    let answers = vec![answer(&new.packages, &[catalog], &[], "inkcap")];
    with("sources", &SourcesView { schema_version: 1, label: new.label.clone(), answers });
    with("weigh", &WeighView { label: new.label.clone(), weighing: weigh(new, 1_000_000_000, 0) });
    let trails = ["kernel", "inkcap"].iter().filter_map(|asked| follow(asked, &[old, new])).collect();
    with("trail", &TrailView { schema_version: 2, asked: "kernel".into(), trails });
    let first = new.packages.first().map_or_else(|| PackageRef::new(System::Dpkg, "none"), |p| p.reference());
    let why = WhyView {
        schema_version: 2,
        label: new.label.clone(),
        package: first.clone(),
        reason: Reason::Dependency,
        paths: vec![vec![first.clone(), first.clone()]],
        more_paths: 3,
        suggested_by: Vec::new(),
        needed_by: new.packages.iter().skip(1).take(3).map(|package| package.reference()).collect(),
        leaves_with: new.packages.iter().take(5).map(|package| package.reference()).collect(),
        leaves_bytes: 12,
        not_recorded: Vec::new(),
    };
    with("why", &why);
    let file =
        OwnedFile { file: "usr/bin/inkcap".into(), package: Some(first), version: None, summary: None };
    with("owner", &OwnerView { label: new.label.clone(), asked: "usr/bin/inkcap".into(), files: vec![file] });
}

/// The kept install as its release before might have been: less of everything, and earlier versions.
#[allow(dead_code, reason = "not every test has two releases")]
pub(crate) fn earlier() -> Tally {
    let mut document: serde_json::Value = serde_json::from_str(KEPT).unwrap();
    document["label"]["release"] = "4.0".into();
    document["label"]["codename"] = "Avocet".into();
    for list in ["packages", "launchers", "applications", "repositories", "startup", "parts", "defaults"] {
        let items = document[list].as_array_mut().unwrap();
        let all = std::mem::take(items).into_iter().enumerate();
        *items = all.filter(|(i, _)| i % 7 != 3).map(|(_, item)| item).collect();
        for item in items.iter_mut().step_by(3) {
            if item["version"].is_string() {
                item["version"] = "0.9-1".into();
            }
        }
    }
    serde_json::from_value(document).unwrap()
}
