use crate::harness::Place;

#[test]
fn a_part_a_program_and_a_package_are_followed() {
    let place = Place::with_installs(&["4.0-reedbed", "5.0-reedbed"]);
    place.run("take root-5.0-reedbed -q");
    place.run("take root-4.0-reedbed -q");
    insta::assert_snapshot!(
        ["sound-server", "Inkcap", "fryshoal", "libreedkit3", "marshlight"]
            .map(|name| format!("$ trail {name}\n{}", place.run(&format!("trail {name} --width 90")).plain()))
            .join("\n")
    );
    let csv = place.run("trail kernel --format csv").plain();
    assert_eq!(csv.lines().count(), 3, "{csv}");
    let json = place.run("trail kernel root-5.0-reedbed --format json").json();
    assert_eq!(json["trails"][0]["steps"][0]["change"], "first");
    let none = place.run("trail zzzz");
    assert_eq!(none.code, 1);
    assert!(none.stdout.contains("zzzz is in none of these installs."), "{}", none.stdout);
}

#[test]
fn an_ending_of_a_picture_gives_a_chart_of_the_steps() {
    let place = Place::with_installs(&["4.0-reedbed", "5.0-reedbed"]);
    for key in ["4.0-reedbed", "5.0-reedbed"] {
        assert_eq!(place.run(&format!("take root-{key} -q")).code, 0);
    }
    assert_eq!(place.run("trail kernel -o kernel.svg --size 800x450").code, 0);
    let svg = place.read("kernel.svg");
    assert!(
        svg.contains("width=\"800\"") && svg.contains("Linux moved from 6.1.90 to 6.9.2 in 2 releases"),
        "{svg}"
    );
    assert_eq!(place.run("trail kernel -o kernel.png").code, 0);
    assert!(std::fs::read(place.path("kernel.png")).unwrap().starts_with(b"\x89PNG"));
    let none = place.run("trail zzzz -o none.png");
    assert!(
        none.code == 1 && none.stderr.contains("No install has `zzzz`") && !place.path("none.png").exists()
    );
    let one = place.run("trail kernel root-5.0-reedbed -o one.png");
    assert!(one.code == 2 && one.stderr.contains("fewer than two releases"), "{}", one.stderr);
}
