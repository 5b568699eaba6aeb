//! Many installs side by side.

use crate::harness::Place;

const EDITIONS: &str = "root-5.0-reedbed root-5.0-mudflat root-5.0-tideway";

fn editions() -> Place {
    Place::with_installs(&["5.0-reedbed", "5.0-mudflat", "5.0-tideway"])
}

#[test]
fn editions_stand_side_by_side_and_fold_where_it_is_narrow() {
    let place = editions();
    for key in ["5.0-reedbed", "5.0-mudflat", "5.0-tideway"] {
        assert_eq!(place.run(&format!("take root-{key} -q --format json")).code, 0);
    }
    // What is kept tells as much as what is read anew.
    let ages = |installs: &str| {
        let grid = place.run(&format!("grid {installs} --format json")).json();
        let rows = grid["rows"].as_array().unwrap().clone();
        let row = rows
            .into_iter()
            .find(|row| row["label"]["field"] == "median-age" || row["field"] == "median-age");
        row.map(|row| row["cells"].clone())
    };
    let kept = ages("saltmarsh-5.0-reedbed saltmarsh-5.0-mudflat saltmarsh-5.0-tideway");
    assert!(kept.is_some() && kept == ages(EDITIONS), "{kept:?}");
    place.run("note saltmarsh-5.0-reedbed memory=620MB --when idle");
    place.run("note saltmarsh-5.0-mudflat memory=410MB --when idle");
    place.run("note saltmarsh-5.0-tideway memory=350MB --when idle --live");
    let handles = "saltmarsh-5.0-reedbed saltmarsh-5.0-mudflat saltmarsh-5.0-tideway";
    let wide = place.run(&format!("grid {handles} --ask inkcpa --ask Pipewort --ask bash --width 110"));
    insta::assert_snapshot!(wide.all());
    for width in [60, 80, 100, 200] {
        let screen = place.run(&format!("grid {handles} --width {width}")).plain();
        let words = screen.split_whitespace().collect::<Vec<_>>().join(" ");
        assert!(words.contains("Tideway can't be compared: one is from a live session"), "{width}: {screen}");
        assert!(screen.contains("no default is set"), "{width}");
    }
    insta::assert_snapshot!(
        place.run(&format!("grid {handles} --only differing --rows programs --width 60")).all()
    );
}

#[test]
fn every_form_holds_every_row() {
    let place = editions();
    let json = place.run(&format!("grid {EDITIONS} --format json")).json();
    assert_eq!(json["schema_version"], 2);
    let rows = json["rows"].as_array().unwrap();
    assert!(rows.iter().all(|row| row["cells"].as_array().unwrap().len() == 3));
    let csv = place.run(&format!("grid {EDITIONS} --format csv")).plain();
    assert_eq!(csv.lines().count(), rows.len() + 1, "a line for each row, and the header");
    assert!(csv.starts_with("group,row,label,unit,saltmarsh-5.0-reedbed,saltmarsh-5.0-mudflat,"));
    let page = place.run(&format!("grid {EDITIONS} -f html")).plain().replace("&#x2F;", "/");
    assert!(page.starts_with("<!DOCTYPE html>"));
    for row in rows.iter().filter(|row| row["same"] == false || row["unit"].is_string()) {
        let Some(label) = row["label"]["name"].as_str() else { continue };
        assert!(page.contains(&format!("<th scope=\"row\">{label}</th>")), "the page has no {label}");
    }
    assert_eq!(page.matches("<table").count(), 3);
    let kinds = rows.iter().filter(|row| row["group"] == "sizes").count();
    assert!(kinds > 10 && page.matches("Kind: library").count() == 2, "the page has all groups");
    let markdown = place.run(&format!("grid {EDITIONS} -f markdown")).plain();
    assert!(markdown.contains("| Kernel | Linux 6.9.2 | same | same |"));
}

#[test]
fn what_is_shared_adds_up_with_what_each_has() {
    let place = editions();
    let grid = place.run(&format!("grid {EDITIONS} --format json --likeness packages")).json();
    let names = |key: &str| -> std::collections::BTreeSet<String> {
        let tally = place.run(&format!("show root-5.0-{key} packages --format json")).json();
        let list = tally["packages"].as_array().unwrap();
        list.iter()
            .map(|p| format!("{}:{}", p["system"].as_str().unwrap(), p["name"].as_str().unwrap()))
            .collect()
    };
    let [a, b, c] = ["reedbed", "mudflat", "tideway"].map(names);
    let shared = a.iter().filter(|name| b.contains(*name) && c.contains(*name)).count();
    assert_eq!(grid["shared"], shared);
    let only: Vec<&String> = b.iter().filter(|name| !a.contains(*name) && !c.contains(*name)).collect();
    assert_eq!(grid["only"]["saltmarsh-5.0-mudflat"], serde_json::json!(only));
    let lacks: Vec<&String> = a.intersection(&b).filter(|name| !c.contains(*name)).collect();
    assert_eq!(grid["only_lacks"]["saltmarsh-5.0-tideway"], serde_json::json!(lacks));
    let both = a.intersection(&b).count() as f64 / a.union(&b).count() as f64;
    assert!((grid["alike"][0][1].as_f64().unwrap() - both).abs() < 1e-9);
}

#[test]
fn one_install_is_no_grid_and_twins_are_told_apart() {
    let place = editions();
    assert_eq!(place.run("grid root-5.0-tideway").code, 2);
    assert_eq!(place.run(&format!("grid {}", "root-5.0-tideway ".repeat(51))).code, 2);
    let twins = place.run("grid root-5.0-tideway root-5.0-tideway --format json").json();
    assert_eq!(twins["installs"][1]["handle"], "saltmarsh-5.0-tideway-2");
    assert!(twins["rows"].as_array().unwrap().iter().all(|row| row["same"] == true));
    let nothing = place.run("grid root-5.0-tideway root-5.0-tideway --only differing").plain();
    assert!(nothing.contains("Both have 50 packages"), "{nothing}");
}
