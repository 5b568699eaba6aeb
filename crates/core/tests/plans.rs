//! Plans of additions, by small lists whose answers are written beside them, and by what must hold of any plan.
#![allow(clippy::unwrap_used, clippy::panic, reason = "tests may fail")]

#[path = "common/lists.rs"]
mod lists;

use lists::{catalog, installed, relation};
use proptest::prelude::*;
use std::fmt::Write;
use tally_core::model::{Package, System, Text};
use tally_core::offer::{
    Catalog, CostAsked, Fit, Missing, Pin, PinWhat, Plan, PlanOptions, Program, answer, cost, plan, updates,
};

fn planned(system: System, there: &str, list: &str, asked: &str, recommends: bool) -> Plan {
    let names: Vec<Text> = asked.split(' ').map(Text::from).collect();
    plan(&installed(system, there), &catalog(system, &[(list, 500)]), &names, PlanOptions { recommends })
}

/// `+added ^updated -removed !missing`, in the order of the plan.
fn said(plan: &Plan) -> String {
    let mut said = String::new();
    let mut added: Vec<&str> = plan.added.iter().map(|one| one.package.name()).collect();
    added.sort_unstable();
    added.iter().for_each(|name| _ = write!(said, "+{name} "));
    plan.upgraded.iter().for_each(|one| _ = write!(said, "^{} ", one.package.name()));
    plan.removed.iter().for_each(|one| _ = write!(said, "-{} ", one.package.name()));
    for missing in &plan.missing {
        match missing {
            Missing::NotOffered { asked, providers } => _ = write!(said, "!{asked}({}) ", providers.len()),
            Missing::Need { path, need } => _ = write!(said, "!{}>{need} ", path.join(">")),
            Missing::Conflict { path, with } => _ = write!(said, "!{}><{with} ", path.join(">")),
        }
    }
    said.trim_end().to_owned()
}

#[test]
fn plans_of_dpkg() {
    for (why, there, list, asked, expected) in [
        ("what it needs, and what that needs", "", "a 1; needs: b\nb 1; needs: c\nc 1", "a", "+a +b +c"),
        ("the first alternative", "", "a 1; needs: b|c\nb 1\nc 1", "a", "+a +b"),
        (
            "what is needed by one is not given up because another merely recommends it",
            "",
            "a 1; needs: w, x, y\nw 1; recommends: y\nx 1\ny 1; conflicts: x",
            "a",
            "!a>w>y><x",
        ),
        (
            "the next one where the first can't be had",
            "",
            "a 1; needs: b|c\nb 1; needs: nowhere\nc 1",
            "a",
            "+a +c",
        ),
        ("what is there already", "c 1", "a 1; needs: b|c\nb 1\nc 1", "a", "+a"),
        ("a provider that is there", "x 1; provides: v", "a 1; needs: v\nv 1\nx 1; provides: v", "a", "+a"),
        ("the name before who provides it", "", "a 1; needs: v\nx 1; provides: v\nv 1", "a", "+a +v"),
        ("a version that is asked for", "", "a 1; needs: b >= 2\nb 1", "a", "!a>b (>= 2)"),
        ("an update of what is too old", "b 1", "a 1; needs: b >= 2\nb 2", "a", "+a ^b"),
        ("what is recommended", "", "a 1; recommends: b\nb 1; recommends: c\nc 1", "a", "+a +b +c"),
        (
            "a recommendation that can't be had is left out",
            "",
            "a 1; recommends: b\nb 1; needs: nowhere",
            "a",
            "+a",
        ),
        ("a cycle ends", "", "a 1; needs: b\nb 1; needs: a", "a", "+a +b"),
        ("what is there and newest", "a 1", "a 1", "a", ""),
        ("an update of what was asked for", "a 1", "a 2", "a", "^a"),
        ("the only provider stands for its name", "", "x 1; provides: v", "v", "+x"),
        ("of several one must be named", "", "x 1; provides: v\ny 1; provides: v", "v", "!v(2)"),
        ("nothing of that name", "", "a 1", "zzz", "!zzz(0)"),
        ("what is in the way is removed", "old 1", "a 1; conflicts: old\nold 1", "a", "+a -old"),
        ("or updated, if that helps", "old 1", "a 1; conflicts: old < 2\nold 2", "a", "+a ^old"),
        ("two that were asked for and can't be together", "", "a 1; conflicts: b\nb 1", "a b", "+b !a><b"),
        (
            "a recommendation gives way to what refuses it",
            "old 1; conflicts: b",
            "a 1; recommends: b\nb 1\nold 1; conflicts: b",
            "a",
            "+a",
        ),
        (
            "an alternative is taken where the first would remove something",
            "old 1; conflicts: b",
            "a 1; needs: b|c\nb 1\nc 1\nold 1; conflicts: b",
            "a",
            "+a +c",
        ),
        (
            "packages of one source go together",
            "lib 1; source: s\ndoc 1; source: s",
            "a 1; needs: lib >= 2\nlib 2; source: s\ndoc 2; source: s",
            "a",
            "+a ^doc ^lib",
        ),
        (
            "who needs the old version is updated as well",
            "lib 1\nuser 1; needs: lib = 1",
            "a 1; needs: lib >= 2\nlib 2\nuser 2; needs: lib = 2",
            "a",
            "+a ^lib ^user",
        ),
        (
            "what was tried in vain is not installed",
            "",
            "a 1; needs: b|e\nb 1; needs: c, d\nc 1\nd 1; needs: f\nf 1; needs: nowhere\ne 1",
            "a",
            "+a +e",
        ),
    ] {
        let plan = planned(System::Dpkg, there, list, asked, true);
        assert_eq!(said(&plan), expected, "{why}");
    }
}

#[test]
fn what_is_recommended_is_left_out_where_that_is_asked_for() {
    let list = "a 1; needs: b; recommends: c\nb 1; recommends: d\nc 1\nd 1";
    assert_eq!(said(&planned(System::Dpkg, "", list, "a", true)), "+a +b +c +d");
    assert_eq!(said(&planned(System::Dpkg, "", list, "a", false)), "+a +b");
}

#[test]
fn plans_of_other_systems() {
    for (system, why, there, list, asked, expected) in [
        (
            System::Pacman,
            "nothing is removed for something new",
            "old 1",
            "a 1; conflicts: old\nold 1",
            "a",
            "!a><old",
        ),
        (System::Pacman, "a name that several provide", "", "x 1; provides: v\ny 1; provides: v", "v", "+x"),
        (
            System::Rpm,
            "what is forced is marked before anything is chosen",
            "",
            "a 1; needs: v, b\nb 1; needs: y\nx 1; provides: v\ny 1; provides: v",
            "a",
            "+a +b +y",
        ),
        (
            System::Rpm,
            "a need under a condition that comes to hold",
            "",
            "a 1; needs: b; if: c when b\nb 1\nc 1",
            "a",
            "+a +b +c",
        ),
        (System::Rpm, "and one that was there before", "b 1", "a 1; if: c when b\nb 1\nc 1", "a", "+a +c"),
        (
            System::Rpm,
            "what comes along, and what that needs",
            "",
            "a 1\nb 1; needs: c; comes-with: a\nc 1",
            "a",
            "+a +b +c",
        ),
        (
            System::Rpm,
            "what comes with something else does not",
            "",
            "a 1\nb 1; comes-with: z\nz 1",
            "a",
            "+a",
        ),
        (
            System::Rpm,
            "a recommendation that needs the impossible",
            "",
            "a 1; recommends: b\nb 1; needs: nowhere",
            "a",
            "+a",
        ),
        (System::Rpm, "provided without a version", "", "a 1; needs: v >= 2\nx 1; provides: v", "a", "+a +x"),
        (System::Apk, "what comes along", "", "a 1\nb 1\nab 1; comes-with: a, b", "a b", "+a +ab +b"),
    ] {
        assert_eq!(said(&planned(system, there, list, asked, true)), expected, "{system}: {why}");
    }
}

#[test]
fn a_plan_says_what_brings_each_and_what_would_have_done_as_well() {
    let plan = planned(System::Dpkg, "", "a 1; needs: b\nb 1; recommends: c|d|e\nc 1\nd 1\ne 1", "a", true);
    let c = plan.added.iter().find(|one| one.package.name() == "c").unwrap();
    assert_eq!(c.brought.because.name(), "recommended");
    assert_eq!(c.brought.path, ["a", "b"]);
    assert_eq!(c.brought.instead, ["d", "e"]);
    assert_eq!((plan.download_bytes, plan.disk_bytes), (300, 3000));
}

#[test]
fn a_hundred_providers_and_a_chain_of_ten_thousand_end() {
    let mut list = "a 1; needs: v\n".to_owned();
    (0..100).for_each(|n| _ = writeln!(list, "x{n} 1; provides: v"));
    assert_eq!(planned(System::Dpkg, "", &list, "a", true).added.len(), 2);
    let mut chain = String::new();
    (0..10_000).for_each(|n| _ = writeln!(chain, "c{n} 1; needs: c{}", n + 1));
    chain.push_str("c10000 1");
    let plan = planned(System::Dpkg, "", &chain, "c0", true);
    assert!(!plan.is_whole(), "what is deeper than any system follows is said to be out of reach");
    assert!(planned(System::Dpkg, "", &chain, "c8000", true).is_whole());
}

#[test]
fn which_version_is_taken() {
    let there = installed(System::Dpkg, "a 2\nb 2\nheld 1");
    let lists = [("a 1\nb 3\nheld 2\nn 1", 500), ("a 3\nb 4\nn 2", 100), ("n 3", 1)];
    let mut catalog = catalog(System::Dpkg, &lists);
    let of = |catalog: &Catalog, name: &str| {
        let own = there.iter().find(|package| package.name == name);
        catalog.candidate(name, own).map(|(_, offered)| offered.package.version.to_string())
    };
    assert_eq!(
        of(&catalog, "a"),
        Some("3".into()),
        "a list that is worth no more than what is installed brings updates"
    );
    assert_eq!(of(&catalog, "b"), Some("3".into()), "and loses against one that is worth more");
    assert_eq!(of(&catalog, "n"), Some("1".into()));
    let pin = |packages: &str, version: &str, priority| Pin {
        packages: vec![packages.into()],
        what: PinWhat { version: Some(version.into()), ..PinWhat::default() },
        priority,
    };
    catalog.policy.pins =
        vec![pin("a", "1", 1001), pin("n", "3", 700), pin("*", "4", 600), pin("b", "3", -1)];
    assert_eq!(of(&catalog, "a"), Some("1".into()), "from 1000 on an older version is taken as well");
    assert_eq!(of(&catalog, "n"), Some("3".into()));
    assert_eq!(of(&catalog, "b"), Some("4".into()));
    catalog.policy.excluded = vec!["n".into()];
    assert_eq!(of(&catalog, "n"), None);
    catalog.policy.held = vec!["held".into()];
    let waiting = updates(&there, &catalog);
    let said: Vec<_> =
        waiting.packages.iter().map(|one| (one.package.name(), one.new.as_str(), one.held)).collect();
    assert_eq!(said, [("a", "1", false), ("b", "4", false), ("held", "2", true)]);
    assert_eq!(waiting.download_bytes, 200, "what is on hold is not downloaded");
}

#[test]
fn one_program_in_three_formats_is_told_side_by_side() {
    let catalog = catalog(System::Dpkg, &[("inkcap 3.2-1", 500)]);
    let mut snap = Package::new(System::Snap, "inkcap-editor", "3.4");
    snap.provides = vec![relation("org.marsh.Inkcap")];
    let program = |system, package: &str, version: Option<&str>| Program {
        id: "org.marsh.Inkcap".into(),
        name: "Inkcap".into(),
        summary: "".into(),
        system,
        package: package.into(),
        version: version.map(Text::from),
        repository: "reeds".into(),
    };
    let programs =
        [program(System::Dpkg, "inkcap", None), program(System::Flatpak, "org.marsh.Inkcap", Some("3.3"))];
    let found = answer(&[snap], &[catalog], &programs, "inkcap");
    let mut said: Vec<_> =
        found.sources.iter().map(|one| (one.system.name(), one.version.as_deref(), one.newest)).collect();
    said.sort_unstable();
    assert_eq!(
        said,
        [("dpkg", Some("3.2-1"), false), ("flatpak", Some("3.3"), false), ("snap", Some("3.4"), true)]
    );
}

#[test]
fn a_security_fix_counts_though_a_later_version_has_overtaken_it() {
    let there = installed(System::Dpkg, "a 1\nb 1");
    let catalog = catalog(System::Dpkg, &[("a 3\nb 2", 500), ("a 2", 501)]);
    let waiting = updates(&there, &catalog);
    assert_eq!(waiting.security().map(|one| one.package.name()).collect::<Vec<_>>(), ["a"]);
}

#[test]
fn against_a_limit_it_says_what_to_leave_out() {
    let mut list = "big 1; needs: b1, b2\nsmall 1; recommends: r1, r2\n".to_owned();
    ["b1", "b2", "r1", "r2"].iter().for_each(|name| _ = writeln!(list, "{name} 1"));
    let catalog = catalog(System::Dpkg, &[(&list, 500)]);
    let asked = |limit: u64, recommends| CostAsked {
        names: vec!["big".into(), "small".into()],
        recommends,
        image_bytes: Some(1000),
        plus_bytes: 0,
        limit_bytes: Some(limit),
    };
    let of = |limit, recommends| cost(&[], &catalog, &asked(limit, recommends));
    let whole = of(1600, true);
    assert_eq!((whole.download_sum, whole.over_bytes, whole.fits.len()), (1600, 0, 0));
    let over = of(1500, true);
    assert_eq!(over.over_bytes, 100);
    assert!(
        matches!(&over.fits[0], Fit::WithoutRecommended { cost } if cost.download_bytes == 400),
        "{:?}",
        over.fits
    );
    assert!(matches!(&over.fits[1], Fit::LeaveOut { names, .. } if names.len() == 1), "{:?}", over.fits);
    assert!(matches!(&of(1600, false).fits[..], [Fit::WithRecommended { .. }]));
    assert!(of(1050, false).fits.is_empty(), "to leave out all of it is no way to add it");
}

proptest! {
    #[test]
    fn whatever_is_planned_has_what_it_needs(
        edges in prop::collection::vec((0_usize..12, 0_usize..12, 0_usize..12), 0..30),
        there in prop::collection::vec(0_usize..12, 0..4),
        asked in 0_usize..12,
        system in prop::sample::select(vec![System::Dpkg, System::Rpm, System::Pacman]),
    ) {
        let mut needs = vec![Vec::new(); 12];
        for (from, to, or) in edges {
            needs[from].push(if to == or { format!("p{to}") } else { format!("p{to}|p{or}") });
        }
        let line = |at: usize| match needs[at].is_empty() {
            true => format!("p{at} 1\n"),
            false => format!("p{at} 1; needs: {}\n", needs[at].join(", ")),
        };
        let list: String = (0..12).map(line).collect();
        let mut installed = there;
        installed.sort_unstable();
        installed.dedup();
        let text: String = installed.iter().map(|at| format!("p{at} 1\n")).collect();
        let plan = planned(system, &text, &list, &format!("p{asked}"), true);
        prop_assert!(plan.is_whole(), "all of it can be had: {}", said(&plan));
        let there = |name: &str| {
            installed.iter().any(|at| format!("p{at}") == name) || plan.added.iter().any(|one| one.package.name() == name)
        };
        for added in &plan.added {
            let at: usize = added.package.name()[1..].parse().unwrap();
            for need in &needs[at] {
                prop_assert!(need.split('|').any(&there), "{} lacks {need}: {}", added.package, said(&plan));
            }
        }
        prop_assert_eq!(&plan, &planned(system, &text, &list, &format!("p{asked}"), true), "the same twice");
    }
}

#[test]
fn what_the_system_would_weigh_is_said() {
    // `user` needs the old version; no list has a newer one of it, so it goes, and that is for the system to decide.
    let plan =
        planned(System::Dpkg, "lib 1\nuser 1; needs: lib = 1", "a 1; needs: lib >= 2\nlib 2", "a", true);
    assert_eq!(said(&plan), "+a ^lib -user");
    assert_eq!(plan.removed[0].because_of, "lib");
    let beside = planned(System::Dpkg, "old 1; conflicts: a", "a 1", "a", true);
    assert_eq!((said(&beside).as_str(), beside.may_differ.join(" ").as_str()), ("+a -old", "old"));
}

#[test]
fn held_packages_stay_where_they_are() {
    let mut there = installed(System::Dpkg, "lib 1");
    there[0].held = true;
    let catalog = catalog(System::Dpkg, &[("a 1; needs: lib >= 2|b\nlib 2\nb 1\nc 1; needs: lib >= 2", 500)]);
    let of = |name: &str| plan(&there, &catalog, &[name.into()], PlanOptions { recommends: true });
    assert_eq!(said(&of("a")), "+a +b", "something else does");
    assert_eq!(said(&of("c")), "!c>lib (>= 2)");
    assert_eq!(said(&of("lib")), "^lib", "whoever asks for it gets it");
}

#[test]
fn what_an_update_recommends_for_the_first_time_comes_with_it() {
    let list = "a 2; recommends: was, new\nwas 1\nnew 1";
    let there = "a 1; recommends: was";
    assert_eq!(
        said(&planned(System::Dpkg, there, list, "a", true)),
        "+new ^a",
        "`was` was not wanted before"
    );
    let with = "a 1; recommends: was\nwas 0";
    assert_eq!(said(&planned(System::Dpkg, with, list, "a", true)), "+new ^a");
}

#[test]
fn groups_stand_for_their_members() {
    let mut catalog = catalog(System::Rpm, &[("a 1; needs: c\nb 1\nc 1", 0)]);
    catalog.groups.insert("office".into(), vec!["a".into(), "b".into(), "gone".into()]);
    for asked in ["office", "@office"] {
        let plan = plan(&[], &catalog, &[asked.into()], PlanOptions { recommends: true });
        assert_eq!(said(&plan), "+a +b +c", "{asked}");
    }
}

#[test]
fn packages_for_other_machines_do_not_count() {
    let mut catalog = catalog(System::Dpkg, &[("a 1; arch: arm64\na 0; arch: amd64\nb 1; arch: all", 500)]);
    catalog.arch = "amd64".into();
    let of =
        |name: &str| catalog.candidate(name, None).map(|(_, offered)| offered.package.version.to_string());
    assert_eq!((of("a"), of("b")), (Some("0".into()), Some("1".into())));
    assert_eq!(catalog.named_for_any("a").count(), 2);
}

#[test]
fn repositories_are_asked_in_each_systems_order() {
    let lists = [("a 1", 0), ("a 2", -1)];
    let of = |system| {
        let catalog = catalog(system, &lists);
        catalog
            .candidate("a", None)
            .map(|(at, offered)| (catalog.list(at), offered.package.version.to_string()))
    };
    // What counts more is taken though it is older; only apt looks at the installed version as well.
    assert_eq!(of(System::Pacman), Some((0, "1".into())));
    let even = catalog(System::Apk, &[("a 1", 0), ("a 2", 0)]);
    assert_eq!(even.candidate("a", None).unwrap().1.package.version, "2");
    let newer = installed(System::Pacman, "a 3");
    assert!(catalog(System::Pacman, &lists).candidate("a", newer.first()).is_none(), "nothing is made older");
}

proptest! {
    #[test]
    fn whatever_is_planned_can_stand_beside_one_another(
        edges in prop::collection::vec((0_usize..10, 0_usize..10), 0..16),
        enemies in prop::collection::vec((0_usize..10, 0_usize..10), 0..4),
        recommended in prop::collection::vec((0_usize..10, 0_usize..10), 0..8),
        asked in 0_usize..10,
        system in prop::sample::select(vec![System::Dpkg, System::Rpm]),
    ) {
        let of = |pairs: &[(usize, usize)], at: usize| -> String {
            let all: Vec<String> = pairs.iter().filter(|(from, to)| *from == at && from != to).map(|(_, to)| format!("p{to}")).collect();
            all.join(", ")
        };
        let line = |at: usize| {
            let fields = [("needs", &edges), ("conflicts", &enemies), ("recommends", &recommended)];
            let fields: String = fields.iter().map(|(key, pairs)| (key, of(pairs, at))).filter(|(_, all)| !all.is_empty())
                .map(|(key, all)| format!("; {key}: {all}")).collect();
            format!("p{at} 1{fields}\n")
        };
        let list: String = (0..10).map(line).collect();
        let plan = planned(system, "", &list, &format!("p{asked}"), true);
        if plan.is_whole() {
            let there = |at: usize| plan.added.iter().any(|one| one.package.name() == format!("p{at}"));
            prop_assert!(there(asked));
            for (from, to) in &edges {
                prop_assert!(!there(*from) || there(*to) || from == to, "p{from} lacks p{to}: {}", said(&plan));
            }
            for (one, other) in enemies.iter().filter(|(one, other)| one != other) {
                prop_assert!(!there(*one) || !there(*other), "p{one} beside p{other}: {}", said(&plan));
            }
        }
    }
}
