//! How far behind upstream.

use crate::harness::Place;

#[test]
fn behind_is_counted_up_to_the_day_of_the_release() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    assert_eq!(place.run("lag --starter -o up.toml").code, 0);
    let screen = place.run("lag root-5.0-reedbed --upstream up.toml --day 2026-05-04 --width 100");
    insta::assert_snapshot!(screen.all());
    place.run("take root-5.0-reedbed --release-date 2026-03-10 -q");
    let early = place.run("lag saltmarsh-5.0-reedbed --upstream up.toml --format json").json();
    assert_eq!(early["day"], "2026-03-10");
    let inkcap = early["items"].as_array().unwrap().iter().find(|item| item["project"] == "inkcap").unwrap();
    assert_eq!((&inkcap["newest"]["releases"], &inkcap["newest"]["version"]), (&2.into(), &"3.3.1".into()));
    assert!(early["unknown"].as_array().unwrap().iter().any(|name| name == "Dunlin"));
}

#[test]
fn csv_is_read_by_its_ending_and_errors_name_their_line() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    place.write("up.csv", "project,version,date\ninkcap,9.0,2026-01-01\n");
    let csv = place.run("lag root-5.0-reedbed --upstream up.csv --day 2026-05-04 --format csv").plain();
    assert!(
        csv.contains(
            "application,Inkcap,inkcap,3.2.1,all,9.0,2026-01-01,1,123,major,usr/share/applications/"
        )
    );
    place.write("up.csv", "project,version,date\ninkcap,9.0,tomorrow\n");
    let outcome = place.run("lag root-5.0-reedbed --upstream up.csv --day 2026-05-04");
    assert_eq!(outcome.code, 3);
    assert!(outcome.stderr.contains("line 2: `tomorrow` is not a date"), "{}", outcome.stderr);
    let outcome = place.run("lag root-5.0-reedbed --upstream up.csv --day 2026-5-40");
    assert_eq!(outcome.code, 3, "the file is read first");
    place.write("up.csv", "project,version,date\ninkcap,9.0,2026-01-01\n");
    assert_eq!(place.run("lag root-5.0-reedbed --upstream up.csv --day 2026-5-40").code, 2);
    let outcome = place.run("lag root-5.0-reedbed --upstream up.csv");
    assert_eq!(outcome.code, 2);
    assert!(outcome.stderr.contains("use --day"), "{}", outcome.stderr);
}
