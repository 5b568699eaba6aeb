use crate::harness::Place;

#[test]
fn the_menu_by_category() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    insta::assert_snapshot!(place.run("show root-5.0-reedbed menu --width 80").all());
}

#[test]
fn the_menu_as_markdown_can_be_pasted() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    let markdown = place.run("show root-5.0-reedbed menu --format markdown").plain();
    assert!(
        markdown.contains("### Internet 3\n\n| name | version | package |")
            || markdown.contains("### Internet  3"),
        "{markdown}"
    );
    assert!(markdown.contains("| Lapwing | 121.0 | lapwing | dpkg | 217.4 | Web Browser |"), "{markdown}");
}

#[test]
fn packages_in_every_form() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    let table = place.run("show root-5.0-reedbed packages").plain();
    let line = table.lines().find(|line| line.contains(" towpath ")).unwrap();
    let words: Vec<&str> = line.split_whitespace().take(6).collect();
    assert_eq!(words, ["towpath", "4.2.0-2", "amd64", "application", "dependency", "3.5"]);
    let csv = place.run("show root-5.0-reedbed packages --format csv").plain();
    assert!(
        csv.lines()
            .any(|line| line.starts_with("dpkg,towpath,4.2.0-2,4.2.0,amd64,dependency,installed,shipped,")),
        "{csv}"
    );
    let json = place.run("show root-5.0-reedbed packages --format json").json();
    assert_eq!((json["schema_version"].as_u64(), json["view"].as_str()), (Some(2), Some("packages")));
    assert_eq!(json["packages"].as_array().unwrap().len(), csv.lines().count() - 1);
}

#[test]
fn packages_by_kind_reason_and_name() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    let names = |filter: &str| -> Vec<String> {
        let csv = place.run(&format!("show root-5.0-reedbed packages --format csv {filter}")).plain();
        csv.lines().skip(1).map(|line| line.split(',').nth(1).unwrap_or_default().to_owned()).collect()
    };
    let all = names("");
    let games = names("--kind game");
    assert!(!games.is_empty() && games.len() < all.len());
    assert_eq!(names("--kind game --reason explicit --reason dependency"), games);
    assert_eq!(names("--name towpath"), ["towpath"]);
    assert_eq!(names("--system snap --kind kernel"), [""; 0]);
    let wrong = place.run("show root-5.0-reedbed menu --kind game");
    assert_eq!(wrong.code, 2);
    assert!(wrong.all().contains("show root-5.0-reedbed packages"), "{}", wrong.all());
}

#[test]
fn an_install_is_a_handle_a_file_or_a_source() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    place.run("take root-5.0-reedbed -q");
    place.run("take root-5.0-reedbed -q -o own.tally.json");
    let by_handle = place.run("show saltmarsh-5.0-reedbed").plain();
    assert_eq!(by_handle, place.run("show own.tally.json").plain());
    assert_eq!(
        by_handle,
        place.run("show root-5.0-reedbed/").plain().replace("root-5.0-reedbed/", "root-5.0-reedbed")
    );
}

#[test]
fn colour_only_where_it_is_asked_for() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    assert!(!place.run("show root-5.0-reedbed").plain().contains('\u{1b}'));
    assert!(place.run("show root-5.0-reedbed --color always").plain().contains("\u{1b}[1m"));
}

#[test]
fn the_ending_of_the_file_chooses_the_form() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    place.run("show root-5.0-reedbed -o a.md");
    place.run("show root-5.0-reedbed -o a.csv");
    place.run("show root-5.0-reedbed -o a.txt");
    assert!(place.read("a.md").starts_with("# Saltmarsh Linux 5.0"));
    assert!(place.read("a.csv").starts_with("group,item,value,version\n"));
    assert!(place.read("a.txt").starts_with("Saltmarsh Linux 5.0"));
}
