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
