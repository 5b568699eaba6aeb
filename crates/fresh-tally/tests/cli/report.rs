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
        let (figures, headlines) = (told.find("Packages"), told.find("Lapwing replaces Marshlight"));
        assert!(figures.is_some() && headlines > figures, "{form}: {figures:?} {headlines:?}");
        assert!(told.contains("Weir 4.0.3") && told.contains("4.2.1"), "{form}: no key version");
    }
}

#[test]
fn a_folder_holds_every_form_and_each_ending_is_one() {
    let place = place();
    let compared = "report saltmarsh-4.0-reedbed saltmarsh-5.0-reedbed";
    let said = place.run(&format!("{compared} -o all"));
    assert_eq!(said.code, 0, "{}", said.stderr);
    assert_eq!(
        names(&place.path("all")),
        [
            ".fresh-tally-files",
            "charts",
            "index.html",
            "report.json",
            "show-notes-short.md",
            "show-notes.md",
            "tables"
        ]
    );
    let charts = ["decisions.png", "decisions.svg", "releases.png", "releases.svg", "steps.png", "steps.svg"];
    assert_eq!(names(&place.path("all/charts")), charts);
    for (ending, begins) in [
        ("html", &b"<!DOCTYPE html>"[..]),
        ("md", b"# Saltmarsh Linux 4.0 \"Avocet\" "),
        ("csv", b"what,change,name"),
        ("json", b"{\n  \"comparison\""),
        ("txt", b"Saltmarsh Linux 4.0 \"Avocet\""),
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
    let (width, height, plain) = drawn("--chart choices");
    assert_eq!((width, height), (1920, 1080));
    let (width, height, small) = drawn("--chart choices --size 640x360");
    assert_eq!((width, height), (640, 360));
    assert!(small < plain);
    let svg =
        |options: &str| place.run(&format!("report saltmarsh-5.0-reedbed --chart choices {options}")).plain();
    assert!(svg("").contains("fill=\"#ffffff\"") && !svg("--transparent").contains("fill=\"#ffffff\""));
    assert!(svg("--dark").contains("fill=\"#14181b\""));
    for (line, why) in [
        ("--chart nosuch -o c.png", "it has: choices"),
        ("--size 10x10 -o c.png", "is not a size such as 1920x1080"),
        ("--chart choices -o c.html", "name it .svg or .png"),
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

#[test]
fn show_notes_come_short_for_a_description_and_long_with_places_for_times() {
    let place = place();
    let compared = "report saltmarsh-4.0-reedbed saltmarsh-5.0-reedbed";
    for form in ["markdown", "table"] {
        let short = place.run(&format!("{compared} --short --format {form}")).plain();
        assert!(short.chars().count() <= 1000 && short.contains("Lapwing replaces"), "{form}: {short}");
    }
    let long = place.run(&format!("{compared} --timestamps")).plain();
    let stamped: Vec<&str> = long.lines().filter(|line| line.starts_with("## ")).collect();
    assert!(stamped.len() > 3 && stamped.iter().all(|line| line.starts_with("## 0:00 ")), "{stamped:?}");
    assert_eq!(place.run(&format!("{compared} --short --timestamps")).code, 2);
    let page = place.run(&format!("{compared} --short -o a.html"));
    assert!(page.code == 2 && page.stderr.contains("only show notes"), "{}", page.stderr);
    let editions =
        place.run("report saltmarsh-5.0-mudflat saltmarsh-5.0-reedbed --side-by-side --short").plain();
    assert!(editions.contains("1. ") && editions.contains("in some of 2 installs"), "{editions}");
}

#[test]
fn a_page_of_editions_tells_each_difference_once_and_begins_with_what_people_use() {
    let place = place();
    let names = "saltmarsh-5.0-mudflat saltmarsh-5.0-reedbed saltmarsh-4.0-reedbed";
    assert_eq!(place.run(&format!("report {names} -o page.html")).code, 0);
    let page = place.read("page.html");
    assert_eq!(page.matches("colspan=\"5\">Under the hood").count(), 1, "a heading where it differs");
    assert!(page.contains("<details id=\"parts\">"), "all parts are folded");
    assert_eq!(page.matches("How alike they are").count(), 2, "the section and the link to it");
    let age = page.split("Median age of packages").nth(1).unwrap().split("</tr>").next().unwrap();
    assert!(age.contains(" days<"), "{age}");
    assert_eq!(
        place.run("report saltmarsh-5.0-mudflat saltmarsh-5.0-reedbed --side-by-side -o two.html").code,
        0
    );
    assert!(place.read("two.html").contains("only Mudflat has"), "two are told what each alone has");
    // Of the programs that as many have, those that do a job by default come first.
    let chart = page.split("<section id=\"apps\"").nth(1).unwrap().split("</section>").next().unwrap();
    let at = |name: &str| chart.find(&format!(">{name}<")).unwrap_or_else(|| panic!("{name}: {chart}"));
    assert!(
        at("Inkcap") < at("Mixer") && at("Mixer") < at("Lapwing") && at("Lapwing") < at("Brackwater Sheets")
    );
}

/// The pages of a folder, with every link of each that leads somewhere else in it.
fn links(place: &Place, folder: &str) -> Vec<(String, String)> {
    let mut found = Vec::new();
    for sub in ["", "installs/", "steps/", "editions/"] {
        for name in
            names(&place.path(&format!("{folder}/{sub}"))).into_iter().filter(|name| name.ends_with(".html"))
        {
            let page = place.read(&format!("{folder}/{sub}{name}"));
            let targets = page.split("href=\"").skip(1).filter_map(|rest| rest.split('"').next());
            let elsewhere = targets.filter(|target| !target.starts_with('#'));
            found.extend(elsewhere.map(|target| (format!("{sub}{name}"), format!("{folder}/{sub}{target}"))));
        }
    }
    found
}

#[test]
fn a_site_has_a_page_for_everything_and_writes_only_what_changed() {
    let place = place();
    let wrote = |line: &str| {
        let done = place.run(line);
        assert_eq!(done.code, 0, "{}", done.stderr);
        done.stderr.split(" of ").next().unwrap_or_default().to_owned()
    };
    assert_eq!(wrote("report --site -o site --url https://marsh.example/box/"), "Wrote 5 pages");
    assert_eq!(names(&place.path("site/steps")), ["saltmarsh-4.0-reedbed--saltmarsh-5.0-reedbed.html"]);
    assert_eq!(names(&place.path("site/editions")).len(), 1);
    let all = links(&place, "site");
    assert!(all.len() > 12, "{all:?}");
    for (page, target) in &all {
        assert!(place.path(target).is_file(), "{page}: {target} is not there");
    }
    let feed = place.read("site/feed.xml");
    assert_eq!(feed.matches("<entry>").count(), 4);
    assert!(feed.contains("<link href=\"https://marsh.example/box/steps/saltmarsh-4.0"), "{feed}");
    assert_eq!(place.read("site/sitemap.xml").matches("<loc>").count(), 6);
    let page = place.path("site/installs/saltmarsh-5.0-mudflat.html");
    let before = std::fs::metadata(&page).unwrap().modified().unwrap();
    assert_eq!(wrote("report --site -o site"), "Wrote 0 pages");
    assert_eq!(std::fs::metadata(&page).unwrap().modified().unwrap(), before);
    // A note changes one install: its page and those that it is on.
    assert_eq!(place.run("note saltmarsh-4.0-reedbed an old one").code, 0);
    assert_eq!(wrote("report --site -o site"), "Wrote 2 pages");
    place.write("site/mine.txt", "kept");
    assert_eq!(place.run("shelf drop saltmarsh-5.0-mudflat").code, 0);
    let said = place.run("report --site -o site").stderr;
    assert!(said.contains("and removed 2"), "{said}");
    assert!(!page.exists() && place.path("site/mine.txt").is_file());
    assert!(links(&place, "site").iter().all(|(_, target)| place.path(target).is_file()));
    // The address that was given once still holds.
    assert!(place.read("site/feed.xml").contains("https://marsh.example/box/installs/"));
    // A damaged tally is said and left out.
    place.write("shelf/broken.tally.json", "{");
    let said = place.run("report --site -o site");
    assert!(said.code == 0 && said.stderr.contains("left out of the site: `broken`"), "{}", said.stderr);
    for (line, why) in [
        ("report --site", "-o names the folder"),
        ("report --site -o shelf/broken.tally.json", "has the ending of a file"),
        ("report --site saltmarsh-4.0-reedbed -o site", "cannot be used with"),
        ("report --site -o site --url javascript:alert(1)", "is not an address"),
        ("report saltmarsh-4.0-reedbed --url https://a.example", "--site"),
    ] {
        let wrong = place.run(line);
        assert!(wrong.code == 2 && wrong.stderr.contains(why), "{line}: {}", wrong.stderr);
    }
}

#[test]
fn a_report_takes_the_place_of_nothing_that_it_did_not_make() {
    let place = place();
    for (folder, line) in [
        ("theirs", "report saltmarsh-4.0-reedbed saltmarsh-5.0-reedbed -o theirs"),
        ("site", "report --site -o site"),
    ] {
        place.write(&format!("{folder}/index.html"), "mine");
        let refused = place.run(line);
        assert_eq!(refused.code, 3, "{}", refused.all());
        assert!(refused.stderr.contains("`index.html` is somebody else's"), "{}", refused.stderr);
        assert_eq!(place.read(&format!("{folder}/index.html")), "mine");
        assert_eq!(names(&place.path(folder)), ["index.html"], "nothing else was written either");
        // Where it stands beside, it stays; and what was made here is made anew.
        std::fs::remove_file(place.path(&format!("{folder}/index.html"))).unwrap();
        place.write(&format!("{folder}/mine.txt"), "mine");
        for _ in 0..2 {
            assert_eq!(place.run(line).code, 0);
        }
        assert_eq!(place.read(&format!("{folder}/mine.txt")), "mine");
    }
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
