//! Wallpapers, logos and icons: read on request, kept beside the tally, carried along.

use crate::harness::Place;
use std::path::Path;

const OLD: &str = "saltmarsh-4.0-reedbed";
const NEW: &str = "saltmarsh-5.0-reedbed";

fn files(folder: &Path) -> usize {
    std::fs::read_dir(folder).map_or(0, Iterator::count)
}

trait Done {
    fn done(&self, line: &str);
}

impl Done for Place {
    /// Runs a command that says what it did.
    fn done(&self, line: &str) {
        let outcome = self.run(line);
        assert_eq!(outcome.code, 0, "{}", outcome.all());
    }
}

fn taken() -> Place {
    let place = Place::with_installs(&["4.0-reedbed", "5.0-reedbed"]);
    place.done("take root-4.0-reedbed --pictures --quiet");
    place.done("take root-5.0-reedbed --pictures --quiet");
    place
}

#[test]
fn pictures_are_told_and_compared_by_what_they_show() {
    let place = taken();
    let shown = place.run(&format!("show {NEW} pictures")).plain();
    assert!(shown.contains("6 wallpapers of 1 package") && shown.contains("dawn (default)"), "{shown}");
    assert!(shown.contains("534 × 400"), "{shown}");
    insta::assert_snapshot!(place.run(&format!("compare {OLD} {NEW} --view pictures")).all());
    let none = place.run("show root-5.0-reedbed pictures").plain();
    assert!(none.contains("`take --pictures` reads them"), "{none}");
}

#[test]
fn who_had_a_picture_is_found_though_it_was_cut() {
    let place = taken();
    let picture = "root-5.0-reedbed/usr/share/backgrounds/weir/shore-1.png";
    let found = place.run(&format!("shelf find --picture {picture} --format csv")).plain();
    assert!(found.contains(&format!("{OLD},2024-05-04,wallpaper,shore-1,alike")), "{found}");
    assert!(found.contains(&format!("{NEW},2026-05-04,wallpaper,shore-1,same")), "{found}");
    let new =
        place.run("shelf find --picture root-5.0-reedbed/usr/share/backgrounds/weir/reeds.png --format csv");
    assert_eq!(new.stdout.lines().count(), 2, "{}", new.stdout);
    assert_eq!(place.run("shelf find --picture root-5.0-reedbed/etc/fstab").code, 3);
    assert_eq!(place.run("shelf find --picture nowhere.png").code, 3);
}

#[test]
fn thumbnails_go_where_their_tally_goes() {
    let place = taken();
    let shelf = place.path("shelf");
    let folder = |handle: &str| shelf.join(format!("{handle}.pictures"));
    let count = files(&folder(NEW));
    assert!(count > 10, "{count}");
    place.done(&format!("shelf rename {NEW} marsh"));
    assert_eq!((files(&folder(NEW)), files(&folder("marsh"))), (0, count));
    place.done("shelf export marsh --into copies");
    place.done("shelf drop marsh");
    assert!(!folder("marsh").exists());
    assert_eq!(files(&place.path("copies/marsh.pictures")), count);
    // A stranger's folder may hold anything; what is no thumbnail stays where it is.
    std::fs::write(place.path("copies/marsh.pictures/evil.html"), "<script>").unwrap();
    place.done("shelf import copies");
    assert_eq!(files(&folder("marsh")), count);
    // Taken again without pictures there are none any more.
    place.done("take root-5.0-reedbed --handle marsh --replace --quiet");
    assert!(!folder("marsh").exists());
}

#[test]
fn a_page_shows_them_inside_itself_and_nothing_that_could_act() {
    let place = taken();
    let folder = place.path("shelf").join(format!("{NEW}.pictures"));
    let icon = std::fs::read_dir(&folder)
        .unwrap()
        .flatten()
        .map(|entry| entry.path())
        .find(|path| path.extension().is_some_and(|end| end == "png"));
    std::fs::write(icon.unwrap(), "<svg xmlns='http://www.w3.org/2000/svg'><script>alert(1)</script></svg>")
        .unwrap();
    place.done(&format!("report {NEW} -o page.html --quiet"));
    let page = place.read("page.html");
    assert_eq!(page.matches("class=\"lead\"").count(), 1);
    assert_eq!(
        page.matches("data:image/jpeg;base64,").count(),
        7,
        "six wallpapers, and the default once more"
    );
    assert!(page.matches("data:image/png;base64,").count() > 10);
    assert!(page.len() < 600_000, "{}", page.len());
    // The one that acts is left out: base64 of `<script>`, at any of its three places.
    for text in ["PHNjcmlwdD", "c2NyaXB0Pm", "NjcmlwdD5h", "xzY3JpcHQ+"] {
        assert!(!page.contains(text), "{text}");
    }
    place.done(&format!("report {OLD} {NEW} -o change.html --quiet"));
    let change = place.read("change.html");
    assert!(
        change.contains("class=\"gallery\"")
            && change.contains("3 new, 2 kept, 1 the same made anew, 3 gone")
    );
}
