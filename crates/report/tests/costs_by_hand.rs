//! What an addition costs, as it is said: each thing that a plan can say, in the words that a reviewer reads.
#![allow(clippy::unwrap_used, clippy::panic, reason = "tests may fail")]

use tally_core::model::{Label, PackageRef, System, Text};
use tally_core::offer::{
    Added, Because, Brought, Cost, CostOf, Fit, Missing, OfferAnswer, OfferSource, Plan, Removed, Upgraded,
};
use tally_report::{CostView, Format, RenderOptions, SourcesView, View, render};

fn package(name: &str) -> PackageRef {
    PackageRef::new(System::Dpkg, name)
}

fn added(name: &str, because: Because, path: &[&str], instead: &[&str]) -> Added {
    let texts = |names: &[&str]| names.iter().map(|name| Text::from(*name)).collect();
    Added {
        package: package(name),
        version: "1".into(),
        repository: "bittern".into(),
        download_bytes: Some(2_000_000),
        installed_bytes: Some(5_000_000),
        summary: "".into(),
        brought: Brought { because, path: texts(path), instead: texts(instead) },
    }
}

fn of(names: &[&str], packages: u32, download_bytes: u64) -> CostOf {
    CostOf {
        names: names.iter().map(|name| Text::from(*name)).collect(),
        packages,
        download_bytes,
        disk_bytes: 7,
    }
}

fn cost(plan: Plan) -> Cost {
    Cost {
        schema_version: 1,
        installed_bytes: 900_000_000,
        image_bytes: None,
        plus_bytes: 0,
        download_sum: plan.download_bytes,
        disk_sum: 900_000_000_u64.saturating_add_signed(plan.disk_bytes),
        limit_bytes: None,
        over_bytes: 0,
        each: Vec::new(),
        otherwise: of(&[], 0, 0),
        fits: Vec::new(),
        plan,
    }
}

fn plan(added: Vec<Added>) -> Plan {
    Plan {
        download_bytes: 2_000_000 * added.len() as u64,
        disk_bytes: 5_000_000,
        recommends: true,
        added,
        ..Plan::default()
    }
}

fn text(view: &dyn View) -> String {
    let options = RenderOptions { width: Some(100), ..RenderOptions::default() };
    String::from_utf8(render(view, Format::Table, options).unwrap()).unwrap()
}

fn said(cost: Cost) -> String {
    text(&CostView { label: Label::default(), cost })
}

#[track_caller]
fn says(page: &str, words: &[&str]) {
    for word in words {
        assert!(page.contains(word), "`{word}` is not in:\n{page}");
    }
}

#[test]
fn each_package_says_why_it_comes() {
    let page = said(cost(plan(vec![
        added("inkcap", Because::Asked, &[], &[]),
        added("libweir", Because::Needed, &["inkcap"], &["libreed"]),
        added("inkcap-doc", Because::Recommended, &["inkcap", "libweir"], &["a", "b", "c", "d"]),
        added("inkcap-lang", Because::ComesAlong, &["inkcap"], &[]),
    ])));
    says(
        &page,
        &[
            "For inkcap",
            "asked for",
            "inkcap needs it; or libreed",
            "libweir recommends it; or a and 3 others",
            "comes along with inkcap",
        ],
    );
}

#[test]
fn what_cannot_be_had_is_said_with_its_path() {
    let missing = vec![
        Missing::NotOffered { asked: "zork".into(), providers: Vec::new() },
        Missing::NotOffered { asked: "browser".into(), providers: vec!["dabchick".into(), "lapwing".into()] },
        Missing::Need { path: vec!["a".into(), "b".into()], need: "c (>= 2)".into() },
        Missing::Conflict { path: vec!["a".into()], with: "z".into() },
    ];
    let page = said(cost(Plan { missing, ..plan(Vec::new()) }));
    says(
        &page,
        &[
            "zork is in no list.",
            "browser is provided by several packages, of which one is to be named: dabchick and lapwing.",
            "a → b needs c (>= 2), which can't be had.",
            "a can't be installed beside z.",
        ],
    );
    assert!(!page.contains("What is installed for each"), "{page}");
}

#[test]
fn updates_removals_and_doubts_are_said() {
    let page = said(cost(Plan {
        present: vec![package("heron"), package("reed")],
        upgraded: vec![Upgraded {
            package: package("libweir"),
            old: "1".into(),
            new: "2".into(),
            download_bytes: Some(1_000_000),
            grows_bytes: -3_000_000,
            brought: Brought { because: Because::Needed, path: vec!["inkcap".into()], instead: Vec::new() },
        }],
        removed: vec![Removed {
            package: package("old"),
            installed_bytes: Some(9),
            because_of: "inkcap".into(),
        }],
        may_differ: vec!["old".into()],
        ..plan(vec![added("inkcap", Because::Asked, &[], &[])])
    }));
    says(
        &page,
        &[
            "Installed already: heron and reed.",
            "old would be removed: it can't stay beside inkcap.",
            "The package system may choose otherwise at old.",
            "Updated along with it",
            "1 → 2",
            "-3.0",
        ],
    );
}

#[test]
fn against_a_limit_the_verdict_stands_beside_the_sum_it_is_for() {
    let base = || cost(plan(vec![added("inkcap", Because::Asked, &[], &[])]));
    let image = said(Cost {
        image_bytes: Some(700_000_000),
        plus_bytes: 1_000_000,
        download_sum: 703_000_000,
        limit_bytes: Some(702_000_000),
        over_bytes: 1_000_000,
        each: vec![of(&["inkcap"], 1, 2), of(&["heron"], 1, 2)],
        fits: vec![
            Fit::WithoutRecommended { cost: of(&[], 0, 500_000) },
            Fit::LeaveOut {
                names: vec!["inkcap".into(), "heron".into(), "reed".into()],
                cost: of(&[], 0, 0),
            },
        ],
        ..base()
    });
    says(
        &image,
        &[
            "700 MB image + 2.0 MB + 1.0 MB on top; limit 702 MB: 1.0 MB over",
            "Without recommended packages it fits: 702 MB in all.",
            "Without inkcap, heron and reed it fits: 701 MB in all.",
            "Each by itself",
        ],
    );
    let disk = said(Cost { limit_bytes: Some(1_000_000_000), ..base() });
    says(&disk, &["900 MB installed + 5.0 MB; limit 1.0 GB: it fits"]);
    let more = said(Cost {
        fits: vec![Fit::WithRecommended { cost: of(&[], 9, 0) }],
        limit_bytes: Some(1_000_000_000),
        ..base()
    });
    says(&more, &["Recommended packages would fit as well: 900 MB in all."]);
    let over = || Cost { limit_bytes: Some(1), over_bytes: 9, ..base() };
    says(&said(over()), &["It does not fit."]);
    says(
        &said(Cost { each: vec![of(&["a"], 1, 1), of(&["b"], 1, 1)], ..over() }),
        &["None of them fits by itself."],
    );
}

#[test]
fn a_long_plan_names_the_largest_and_sums_the_rest() {
    let many: Vec<Added> = (0..40)
        .map(|n| Added {
            download_bytes: Some(1_000_000 * n),
            ..added(&format!("lib{n}"), Because::Needed, &["inkcap"], &[])
        })
        .chain([added("inkcap", Because::Asked, &[], &[])])
        .collect();
    let page = said(cost(plan(many)));
    says(&page, &["lib39", "26 more", "325.0", "130.0"]);
    assert!(!page.contains("lib20 "), "{page}");
}

#[test]
fn where_with_and_without_is_the_same_nothing_is_said_of_it() {
    let base = cost(plan(vec![added("inkcap", Because::Asked, &[], &[])]));
    let same = said(Cost { otherwise: of(&[], 1, 2_000_000), ..base.clone() });
    assert!(!same.contains("recommended"), "{same}");
    let other = said(Cost { otherwise: of(&[], 0, 1_000_000), ..base });
    says(&other, &["with recommended packages; without them 0, 1.0 MB to download"]);
}

#[test]
fn sources_say_which_is_there_and_which_is_newest() {
    let source =
        |system, package: &str, version: Option<&str>, installed: Option<&str>, newest| OfferSource {
            system,
            repository: "reeds".into(),
            package: package.into(),
            version: version.map(Text::from),
            program: None,
            summary: "text editor".into(),
            download_bytes: Some(1_500_000),
            installed_bytes: None,
            installed: installed.map(Text::from),
            newest,
        };
    let answers = vec![
        OfferAnswer {
            asked: "inkcap".into(),
            sources: vec![
                source(System::Dpkg, "inkcap", Some("2"), Some("1"), false),
                source(System::Flatpak, "org.marsh.Inkcap", Some("3"), Some("3"), true),
                source(System::Snap, "inkcap-snap", None, None, false),
                source(System::Apk, "inkcap-apk", Some("4"), None, true),
            ],
            more: 7,
            near: Vec::new(),
        },
        OfferAnswer {
            asked: "zork".into(),
            sources: Vec::new(),
            more: 0,
            near: vec!["zink".into(), "zoom".into()],
        },
    ];
    let view = SourcesView { schema_version: 1, label: Label::default(), answers };
    says(
        &text(&view),
        &[
            "1 installed",
            "installed, newest",
            "not told",
            "newest",
            "7 more fit less well.",
            "No list offers it. Near: zink, zoom.",
        ],
    );
    let csv = String::from_utf8(render(&view, Format::Csv, RenderOptions::default()).unwrap()).unwrap();
    assert_eq!(csv.lines().count(), 5, "a row for each source: {csv}");
}
