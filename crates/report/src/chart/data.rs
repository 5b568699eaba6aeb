//! Which figures of a result make a chart.

use super::{Bar, Chart, Ink, Shape};
use crate::document::Role;
use crate::text::{bytes_human, bytes_signed, thousands};
use crate::view::capital;
use crate::words;
use std::collections::BTreeMap;
use tally_core::compare::{Comparison, PackageChangeKind};
use tally_core::grid::{Grid, short_names};
use tally_core::knowledge::PartRules;
use tally_core::model::{Kind, Menu, MissingFact, Tally, Text};

/// Bars that can be told apart at a glance; the rest is one more.
const BARS: usize = 14;
/// Rows of a chart of versions.
const ROWS: usize = 18;

/// What one install holds: packages by kind, programs by menu, weight by kind.
pub fn of_install(tally: &Tally) -> Vec<Chart> {
    let title = tally.label.title();
    let seen = words::seen(tally.label.seen_as());
    let mut kinds: BTreeMap<Kind, (u64, u64)> = BTreeMap::new();
    for package in tally.present() {
        let sum = kinds.entry(package.kind).or_default();
        sum.0 += 1;
        sum.1 = sum.1.saturating_add(package.installed_bytes.unwrap_or(0));
    }
    let mut menus: BTreeMap<Menu, u64> = BTreeMap::new();
    for application in &tally.applications {
        *menus.entry(application.menu).or_default() += 1;
    }
    let plain = |n: u64| thousands(n);
    let chart =
        |name, what: &str, aside: String, figures: Vec<(String, u64)>, shown: &dyn Fn(u64) -> String| Chart {
            name,
            title: format!("{what} {title}"),
            aside,
            shape: Shape::Bars(bars(figures, shown)),
        };
    let packages = kinds.iter().map(|(kind, (n, _))| (capital(kind.name()), *n)).collect();
    let bytes = kinds.iter().map(|(kind, (_, bytes))| (capital(kind.name()), *bytes)).collect();
    let programs = menus.iter().map(|(menu, n)| (capital(menu.name()), *n)).collect();
    let total: u64 = kinds.values().map(|(n, _)| *n).sum();
    let mut charts = vec![chart(
        "kinds",
        "What is in",
        format!("packages by kind, {seen}; {} in total", thousands(total)),
        packages,
        &plain,
    )];
    if !tally.lacks(MissingFact::Launchers) {
        let aside = format!("programs by menu, {seen}; {} in total", tally.applications.len());
        charts.push(chart("menu", "Programs of", aside, programs, &plain));
    }
    if !tally.lacks(MissingFact::Sizes) {
        let aside = format!("on disk by kind, {seen}; {} in total", bytes_human(tally.installed_bytes()));
        charts.push(chart("weight", "Disk space of", aside, bytes, &bytes_human));
    }
    charts.retain(|chart| !chart.is_empty());
    charts
}

/// The largest figures first, the smallest together as one.
#[allow(clippy::cast_precision_loss, reason = "lengths of bars")]
fn bars(mut figures: Vec<(String, u64)>, shown: &dyn Fn(u64) -> String) -> Vec<Bar> {
    figures.retain(|(_, figure)| *figure > 0);
    figures.sort_by(|a, b| b.1.cmp(&a.1).then_with(|| a.0.cmp(&b.0)));
    if figures.len() > BARS {
        let rest = figures.split_off(BARS - 1);
        let sum = rest.iter().map(|(_, figure)| *figure).fold(0, u64::saturating_add);
        figures.push((format!("{} others", rest.len()), sum));
    }
    let bar = |(name, figure): (String, u64)| Bar {
        name,
        value: figure as f64,
        shown: shown(figure),
        ink: Ink::Plain,
    };
    figures.into_iter().map(bar).collect()
}

/// What differs between two installs: changes by kind, disk space by decision.
#[allow(clippy::cast_precision_loss, reason = "lengths of bars")]
pub fn of_comparison(comparison: &Comparison) -> Vec<Chart> {
    let (shared, old, new) = crate::view::side_by_side(&comparison.old, &comparison.new);
    let title = format!("{shared}: {old} → {new}");
    let seen = crate::view::both_seen(&comparison.old, &comparison.new);
    let count = |change: PackageChangeKind| comparison.totals.packages_of(change);
    let changes: Vec<Bar> = PackageChangeKind::ALL
        .iter()
        .filter(|change| count(**change) > 0)
        .map(|change| {
            let (role, word) = words::package_change(*change);
            let ink = match role {
                Role::Came => Ink::Came,
                Role::Went => Ink::Went,
                _ => Ink::Changed,
            };
            let n = count(*change);
            Bar { name: capital(word), value: f64::from(n), shown: thousands(u64::from(n)), ink }
        })
        .collect();
    let mut decisions: Vec<Bar> = comparison
        .decisions
        .iter()
        .filter(|decision| decision.bytes_delta != 0)
        .take(BARS)
        .map(|decision| Bar {
            name: words::decision_title(decision),
            value: decision.bytes_delta as f64,
            shown: bytes_signed(decision.bytes_delta),
            ink: if decision.bytes_delta > 0 { Ink::Came } else { Ink::Went },
        })
        .collect();
    decisions.sort_by(|a, b| b.value.total_cmp(&a.value));
    let same = thousands(u64::from(comparison.totals.unchanged));
    let mut charts = vec![
        Chart {
            name: "changes",
            title: title.clone(),
            aside: format!("packages by what happened to them, {seen}; {same} are unchanged"),
            shape: Shape::Bars(changes),
        },
        Chart {
            name: "decisions",
            title,
            aside: format!("disk space of the largest decisions, {seen}"),
            shape: Shape::Bars(decisions),
        },
    ];
    charts.retain(|chart| !chart.is_empty());
    charts
}

/// How alike installs are.
pub fn of_grid(grid: &Grid) -> Vec<Chart> {
    let names = short_names(&grid.installs);
    let order = &grid.side_by_side;
    let chart = Chart {
        name: "likeness",
        title: format!("How alike {} installs are", names.len()),
        aside: format!("share of {} that both have, in percent", crate::view::likeness_by(grid.alike_by)),
        shape: Shape::Likeness {
            names: order.iter().filter_map(|at| names.get(*at)).map(ToString::to_string).collect(),
            alike: order
                .iter()
                .filter_map(|row| grid.alike.get(*row))
                .map(|row| order.iter().filter_map(|at| row.get(*at)).copied().collect())
                .collect(),
        },
    };
    Some(chart).filter(|chart| !chart.is_empty()).into_iter().collect()
}

/// Versions of parts and programs through releases, given oldest first; what changed most often is first.
pub fn of_releases(tallies: &[&Tally], parts: &PartRules) -> Vec<Chart> {
    let mut names: Vec<(String, Text)> = Vec::new();
    let mut versions: BTreeMap<Text, Vec<Option<String>>> = BTreeMap::new();
    let mut note = |key: Text, label: String, at: usize, version: String| {
        let row = versions.entry(key.clone()).or_insert_with(|| {
            names.push((label, key));
            vec![None; tallies.len()]
        });
        if row[at].is_none() {
            row[at] = Some(version);
        }
    };
    for (at, tally) in tallies.iter().enumerate() {
        for part in &tally.parts {
            if let Some(version) = &part.version {
                let label = capital(parts.label(&part.part));
                note(format!("part:{}", part.part).into(), label, at, format!("{} {version}", part.name));
            }
        }
        for application in &tally.applications {
            if let Some(version) = &application.version {
                note(application.id.clone(), application.name.to_string(), at, version.to_string());
            }
        }
    }
    let changes = |row: &[Option<String>]| row.windows(2).filter(|pair| pair[0] != pair[1]).count();
    let mut rows: Vec<(usize, String, bool, Vec<Option<String>>)> = names
        .into_iter()
        .filter_map(|(label, key)| {
            versions.remove(&key).map(|row| (changes(&row), label, key.starts_with("part:"), row))
        })
        .filter(|(changes, ..)| *changes > 0)
        .collect();
    rows.sort_by_key(|(changes, ..)| std::cmp::Reverse(*changes));
    let all = rows.len();
    // Both parts and programs have their place.
    let (mut parts, mut programs): (Vec<_>, Vec<_>) = rows.into_iter().partition(|(.., is_part, _)| *is_part);
    parts.truncate(ROWS - programs.len().min(ROWS * 2 / 5));
    programs.truncate(ROWS - parts.len());
    let rows: Vec<_> = parts.into_iter().chain(programs).collect();
    let labels: Vec<_> = tallies.iter().map(|tally| tally.label.clone()).collect();
    let chart = Chart {
        name: "releases",
        title: "Versions through releases".to_owned(),
        aside: if all > ROWS {
            format!("parts and programs; the first {ROWS} of {all} that changed")
        } else {
            "parts and programs that changed".to_owned()
        },
        shape: Shape::Releases {
            columns: short_names(&labels).iter().map(ToString::to_string).collect(),
            rows: rows.into_iter().map(|(_, label, _, row)| (label, row)).collect(),
        },
    };
    Some(chart).filter(|chart| !chart.is_empty()).into_iter().collect()
}
