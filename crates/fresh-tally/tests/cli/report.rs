//! What is published.

use crate::harness::{Place, names};

fn place() -> Place {
    let place = Place::with_installs(&["4.0-reedbed", "5.0-reedbed", "5.0-mudflat"]);
    for key in ["4.0-reedbed", "5.0-reedbed", "5.0-mudflat"] {
        assert_eq!(place.run(&format!("take root-{key} -q")).code, 0);
    }
    place
}

#[test]
fn a_page_and_the_notes_of_a_comparison_have_figures_and_headlines() {
    let place = Place::with_installs(&["4.0-reedbed", "5.0-reedbed"]);
    let compared = "report root-4.0-reedbed root-5.0-reedbed";
    for form in ["html", "markdown"] {
        let told = place.run(&format!("{compared} --format {form}")).plain();
        let (figures, headlines) = (told.find("Key figures"), told.find("Lapwing replaces Marshlight"));
        assert!(figures.is_some() && headlines > figures, "{form}: {figures:?} {headlines:?}");
    }
}

#[test]
fn a_folder_holds_every_form_and_each_ending_is_one() {
    let place = place();
    let compared = "report saltmarsh-4.0-reedbed saltmarsh-5.0-reedbed";
    let said = place.run(&format!("{compared} -o all"));
    assert_eq!(said.code, 0, "{}", said.stderr);
    assert_eq!(names(&place.path("all")), ["charts", "index.html", "report.json", "show-notes.md", "tables"]);
    let charts =
        ["changes.png", "changes.svg", "decisions.png", "decisions.svg", "releases.png", "releases.svg"];
    assert_eq!(names(&place.path("all/charts")), charts);
    for (ending, begins) in [
        ("html", &b"<!DOCTYPE html>"[..]),
        ("md", b"# Saltmarsh Linux, Reedbed, amd64: 4.0"),
        ("csv", b"what,change,name"),
        ("json", b"{\n  \"comparison\""),
        ("txt", b"Saltmarsh Linux, Reedbed"),
        ("svg", b"<svg xmlns="),
        ("png", b"\x89PNG\r\n\x1a\n"),
    ] {
        assert_eq!(place.run(&format!("{compared} -o one.{ending}")).code, 0, "{ending}");
        let bytes = std::fs::read(place.path(&format!("one.{ending}"))).unwrap();
        assert!(bytes.starts_with(begins), "{ending}: {}", String::from_utf8_lossy(&bytes[..40]));
        assert_eq!(place.run(&format!("{compared} -o two.{ending}")).code, 0);
        assert!(
            bytes == std::fs::read(place.path(&format!("two.{ending}"))).unwrap(),
            "{ending}: not the same twice"
        );
    }
    insta::assert_snapshot!(place.run(compared).plain().lines().take(24).collect::<Vec<_>>().join("\n"));
}

#[test]
fn every_link_of_a_page_leads_to_a_section_of_it() {
    let place = place();
    for installs in [
        "saltmarsh-5.0-reedbed",
        "saltmarsh-4.0-reedbed saltmarsh-5.0-reedbed",
        "saltmarsh-5.0-mudflat saltmarsh-5.0-reedbed --side-by-side",
    ] {
        let page = place.run(&format!("report {installs} --format html")).plain();
        let targets: Vec<&str> =
            page.split("href=\"#").skip(1).filter_map(|rest| rest.split('"').next()).collect();
        assert!(targets.len() > 8, "{installs}");
        for target in targets {
            assert_eq!(page.matches(&format!(" id=\"{target}\"")).count(), 1, "{installs}: {target}");
        }
        // What is open without a script is everything but what is folded, and that opens by itself.
        assert_eq!(page.matches("<details").count(), page.matches("<summary>").count());
        assert_eq!(page.matches("<script").count(), 1);
        assert!(!page.contains("http://") && !page.contains("src="), "{installs}: it asks the network");
        for table in page.split("<table>").skip(1) {
            assert!(table.starts_with("\n<thead>") || !table.contains("<thead>"), "{installs}");
        }
    }
}

#[test]
fn charts_have_the_size_and_the_ground_that_were_asked_for() {
    let place = place();
    let drawn = |options: &str| {
        let done = place.run(&format!("report saltmarsh-5.0-reedbed {options} -o c.png"));
        assert_eq!(done.code, 0, "{}", done.stderr);
        let bytes = std::fs::read(place.path("c.png")).unwrap();
        let number = |at: usize| u32::from_be_bytes(bytes[at..at + 4].try_into().unwrap());
        (number(16), number(20), bytes.len())
    };
    let (width, height, plain) = drawn("--chart weight");
    assert_eq!((width, height), (1920, 1080));
    let (width, height, small) = drawn("--chart weight --size 640x360");
    assert_eq!((width, height), (640, 360));
    assert!(small < plain);
    let svg =
        |options: &str| place.run(&format!("report saltmarsh-5.0-reedbed --chart weight {options}")).plain();
    assert!(svg("").contains("fill=\"#ffffff\"") && !svg("--transparent").contains("fill=\"#ffffff\""));
    assert!(svg("--dark").contains("fill=\"#14181b\""));
    for (line, why) in [
        ("--chart nosuch -o c.png", "it has: kinds, menu, weight"),
        ("--size 10x10 -o c.png", "is not a size such as 1920x1080"),
        ("--chart weight -o c.html", "name it .svg or .png"),
        ("-o c.pdf", "a report can't be written as `.pdf`"),
        ("--template nosuch", "-o names the folder"),
    ] {
        let wrong = place.run(&format!("report saltmarsh-5.0-reedbed {line}"));
        assert_eq!(wrong.code, 2, "{line}: {}", wrong.stderr);
        assert!(wrong.stderr.contains(why), "{line}: {}", wrong.stderr);
    }
}

#[test]
fn hostile_names_come_out_harmless_in_every_form() {
    let place = Place::with_installs(&["5.0-mudflat"]);
    let name = "</title><script>alert(1)</script>\u{1b}[2J\u{202e}|`*";
    place.write(
        "root-5.0-mudflat/usr/share/applications/hostile.desktop",
        format!("[Desktop Entry]\nType=Application\nName={name}\nExec=mudskip\nCategories=<script>;Game;\n"),
    );
    place.write(
        "root-5.0-mudflat/usr/lib/os-release",
        format!("NAME=\"=cmd()|{name}\"\nID=saltmarsh\nVERSION_ID=5.0\n"),
    );
    assert_eq!(place.run("take root-5.0-mudflat -q --handle hostile").code, 0);
    assert_eq!(place.run("report hostile -o out").code, 0);
    place.write("templates/a.html", "<p>{{ label.distro }}</p>");
    assert_eq!(place.run("report hostile --template templates -o out").code, 0);
    let mut seen = 0;
    for folder in ["out", "out/charts", "out/tables"] {
        for file in names(&place.path(folder)) {
            let path = place.path(&format!("{folder}/{file}"));
            if path.is_dir() || file.ends_with(".png") {
                continue;
            }
            seen += 1;
            let text = std::fs::read_to_string(path).unwrap();
            assert!(!text.contains('\u{1b}'), "{file}");
            // JSON holds names as they are.
            assert!(file.ends_with(".json") || !text.contains('\u{202e}'), "{file}");
            if !file.ends_with(".json") && !file.ends_with(".csv") {
                assert!(!text.contains("<script>alert"), "{file}");
            }
            assert!(!text.lines().any(|line| line.starts_with('=') || line.contains(",=cmd")), "{file}");
        }
    }
    assert!(seen > 14, "{seen}");
}

/// Opt-in: `cargo test -p fresh-tally -- --ignored`, with Debian's chromium.
#[test]
#[ignore = "needs a browser"]
fn pages_stand_in_a_real_browser() {
    let place = Place::new();
    assert_eq!(place.run("demo --into marsh -q").code, 0);
    let script = concat!(env!("CARGO_MANIFEST_DIR"), "/../../scripts/real-check-page");
    let done = std::process::Command::new("sh")
        .arg(script)
        .arg(place.path("marsh"))
        .env("FRESH_TALLY", env!("CARGO_BIN_EXE_fresh-tally"))
        .output()
        .unwrap();
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stdout));
}
