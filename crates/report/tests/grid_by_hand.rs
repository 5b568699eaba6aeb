//! A grid of small installs, cell by cell.
#![allow(
    clippy::unwrap_used,
    clippy::needless_pass_by_value,
    reason = "tests may fail, and hand over what they made"
)]

#[path = "../../core/tests/common/mod.rs"]
mod common;

use common::tally;
use serde_json::{Value, json};
use tally_core::grid::{Grid, GridRow, GridRules, Likeness, Remark, grid};
use tally_core::knowledge::{PartRules, Roles};
use tally_core::model::{NotComparable, Tally};
use tally_report::words::row_label;

fn install(edition: &str, facts: Value) -> Tally {
    let mut all = json!({"label": {"distro": "Saltmarsh Linux", "release": "5.0", "edition": edition, "handle": edition.to_lowercase()}});
    all.as_object_mut().unwrap().extend(facts.as_object().unwrap().clone());
    tally(&all)
}

fn of(tallies: &[&Tally], asked: &[&str]) -> Grid {
    let (parts, roles) = (PartRules::built_in().unwrap(), Roles::built_in().unwrap());
    let asked: Vec<String> = asked.iter().map(|name| (*name).to_owned()).collect();
    grid(
        tallies,
        &GridRules { parts: &parts, roles: &roles, asked: &asked, likeness: Likeness::Applications },
    )
}

fn row<'g>(grid: &'g Grid, label: &str) -> &'g GridRow {
    let labels: Vec<_> = grid.rows.iter().map(|row| row_label(&row.label)).collect();
    assert!(labels.iter().any(|one| one == label), "no `{label}` in {labels:?}");
    grid.rows.iter().find(|row| row_label(&row.label) == label).unwrap()
}

/// What the cells of a row say; a dash for nothing.
fn cells<'g>(grid: &'g Grid, label: &str) -> Vec<&'g str> {
    row(grid, label)
        .cells
        .iter()
        .map(|cell| cell.value.as_ref().map_or("-", |value| value.as_str()))
        .collect()
}

fn programs(ids: &[&str]) -> Value {
    let one = |id: &&str| {
        json!({"id": id, "name": id, "version": "1.0", "menu": "accessories",
        "delivered": [{"system": "dpkg", "package": id, "version": "1.0-1", "bytes": 1}]})
    };
    ids.iter().map(one).collect()
}

fn packages(names: &[&str]) -> Value {
    let one = |name: &&str| json!({"system": "dpkg", "name": name, "version": "1.0-1", "installed_bytes": 1_000_000, "kind": "application"});
    names.iter().map(one).collect()
}

#[test]
fn parts_stand_by_name_and_version_and_say_who_differs() {
    let with = |edition: &str, sound: &str, kernel: &str| {
        install(
            edition,
            json!({"parts": [{"part": "kernel", "name": "Linux", "version": kernel}, {"part": "sound-server", "name": sound, "version": "1.1"}]}),
        )
    };
    let (reedbed, mudflat, tideway) = (
        with("Reedbed", "Freshet", "6.9"),
        with("Mudflat", "Ebbtone", "6.9"),
        with("Tideway", "Freshet", "6.9"),
    );
    let grid = of(&[&reedbed, &mudflat, &tideway], &[]);
    assert!(row(&grid, "Kernel").same);
    assert!(!row(&grid, "Sound server").same);
    assert_eq!(cells(&grid, "Sound server"), ["Freshet 1.1", "Ebbtone 1.1", "Freshet 1.1"]);
}

#[test]
fn what_is_asked_for_has_a_row_even_where_nobody_has_it() {
    let one = install(
        "Reedbed",
        json!({"packages": packages(&["inkcap", "weir"]), "applications": programs(&["inkcap"])}),
    );
    let other = install("Mudflat", json!({"packages": packages(&["weir"])}));
    let third = install("Tideway", json!({"packages": packages(&["weir"])}));
    let grid = of(&[&one, &other, &third], &["inkcap", "duckboard"]);
    let asked: Vec<Vec<bool>> = ["inkcap", "duckboard"]
        .iter()
        .map(|name| row(&grid, name).cells.iter().map(tally_core::grid::Cell::is_no).collect())
        .collect();
    assert_eq!(asked, [[false, true, true], [true, true, true]]);
    assert_eq!(row(&grid, "inkcap").remark, Some(Remark::Only("Reedbed".into())));
}

#[test]
fn a_name_that_is_only_alike_counts_where_nobody_has_the_very_one() {
    let one =
        install("Reedbed", json!({"packages": packages(&["inkcap"]), "applications": programs(&["inkcap"])}));
    let grid = of(&[&one, &one], &["inkcpa"]);
    let said = grid
        .rows
        .iter()
        .find(|row| row.cells.iter().any(|cell| cell.value.as_deref().is_some_and(|v| v.contains("inkcap"))));
    assert!(said.is_some(), "{:?}", grid.rows);
}

#[test]
fn shared_only_and_only_lacking_add_up() {
    let a = install(
        "A",
        json!({"packages": packages(&["base", "mid", "own-a"]), "applications": programs(&["mid"])}),
    );
    let b = install(
        "B",
        json!({"packages": packages(&["base", "mid", "own-b"]), "applications": programs(&["mid"])}),
    );
    let c = install("C", json!({"packages": packages(&["base", "own-c", "more-c"])}));
    let grid = of(&[&a, &b, &c], &[]);
    assert_eq!(grid.shared, 1, "only `base` is in all three");
    let number =
        |of: &std::collections::BTreeMap<tally_core::model::Text, Vec<tally_core::model::PackageRef>>,
         name: &str| { of.get(name).map_or(0, Vec::len) };
    assert_eq!(["a", "b", "c"].map(|name| number(&grid.only, name)), [1, 1, 2]);
    assert_eq!(["a", "b", "c"].map(|name| number(&grid.only_lacks, name)), [0, 0, 1], "`mid` is all but C's");
}

#[test]
fn likes_stand_side_by_side_and_each_is_like_itself() {
    let with = |edition: &str, ids: &[&str]| install(edition, json!({"applications": programs(ids)}));
    let (a, b, c) = (with("A", &["x", "y", "z"]), with("B", &["p", "q"]), with("C", &["x", "y", "w"]));
    let grid = of(&[&a, &b, &c], &[]);
    let names: Vec<&str> = grid.installs.iter().map(|label| label.edition.as_deref().unwrap()).collect();
    let at = |name: &str| names.iter().position(|one| *one == name).unwrap();
    let beside: Vec<&str> = grid.side_by_side.iter().map(|at| names[*at]).collect();
    let place = |name: &str| beside.iter().position(|one| *one == name).unwrap();
    assert_eq!(place("A").abs_diff(place("C")), 1, "{beside:?}");
    for (i, line) in grid.alike.iter().enumerate() {
        assert!((line[i] - 1.0).abs() < 1e-9);
        assert!(
            line.iter().enumerate().all(|(j, value)| (value - grid.alike[j][i]).abs() < 1e-9),
            "as alike both ways"
        );
    }
    let pair = grid.alike[at("A")][at("C")];
    assert!((pair - 0.5).abs() < 1e-9, "two shared of four: {pair}");
    assert!(grid.alike[at("A")][at("B")].abs() < 1e-9);
}

#[test]
fn figures_measured_otherwise_are_marked_and_do_not_count() {
    let with = |edition: &str, medium: &str, value: f64| {
        install(
            edition,
            json!({"readings": [{"what": "memory-used", "value": value, "unit": "bytes", "method": "total - available",
            "when": "idle", "conditions": {"medium": medium, "ram_bytes": 4096, "virtual": true}, "by": "kit"}]}),
        )
    };
    let (a, b, c) = (with("A", "installed", 6e8), with("B", "installed", 6e8), with("C", "live", 3e8));
    let grid = of(&[&a, &b, &c], &[]);
    let memory = row(&grid, "Memory used");
    let at = |edition: &str| {
        grid.installs.iter().position(|label| label.edition.as_deref() == Some(edition)).unwrap()
    };
    assert!(memory.cells[at("C")].not_comparable.is_some() && memory.cells[at("A")].not_comparable.is_none());
    assert!(!memory.same);
    let why = NotComparable::LiveSession;
    assert_eq!(memory.remark, Some(Remark::NotComparable(vec![("C".into(), why)])));
}
