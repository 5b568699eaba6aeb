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
    assert!(early["unknown"].as_array().unwrap().iter().any(|name| name == "Mudline"));
}

#[test]
fn csv_is_read_by_its_ending_and_errors_name_their_line() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    place.write("up.csv", "project,version,date\ninkcap,9.0,2026-01-01\n");
    let csv = place.run("lag root-5.0-reedbed --upstream up.csv --day 2026-05-04 --format csv").plain();
    assert!(
        csv.contains(
            "application,Inkcap,inkcap,3.2.1,,,all,9.0,2026-01-01,1,123,false,major,,2026-01-01,upstream-file,,:2,usr/share/applications/"
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
    // A list tells no day.
    place.write("list.txt", "ii  inkcap  3.2.1-2  amd64  text editor\n");
    let outcome = place.run("lag list.txt --upstream up.csv");
    assert_eq!(outcome.code, 2, "{}", outcome.all());
    assert!(outcome.stderr.contains("use --day"), "{}", outcome.stderr);
}

#[test]
fn without_a_file_programs_and_the_other_installs_tell_what_is_known() {
    let place = Place::with_installs(&["4.0-reedbed", "5.0-reedbed"]);
    // Alone, an install knows its own releases only.
    place.run("take root-4.0-reedbed -q");
    let alone = place.run("lag saltmarsh-4.0-reedbed --format json").json();
    assert!(alone["items"].as_array().unwrap().iter().all(|item| item["newest"]["releases"] == 0));
    place.run("take root-5.0-reedbed -q");
    insta::assert_snapshot!(place.run("lag saltmarsh-4.0-reedbed --width 120").all());
    insta::assert_snapshot!(place.run("lag saltmarsh-4.0-reedbed saltmarsh-5.0-reedbed").all());
    let based = place.run("lag saltmarsh-4.0-reedbed --base saltmarsh-5.0-reedbed --format csv").plain();
    assert!(based.contains("application,Inkcap,inkcap,2.9.4,2024-01-12,,all,2.9.5,2024-03-18,1,47,true,patch,makers,2024-03-18,metainfo,saltmarsh-5.0-reedbed,usr/share/metainfo/org.marsh.Inkcap.metainfo.xml,"), "{based}");
    let outcome = place.run("lag saltmarsh-4.0-reedbed -o lag.svg");
    assert_eq!(outcome.code, 0, "{}", outcome.all());
    assert!(place.read("lag.svg").contains("was at least"), "the chart has a sentence");
    assert_eq!(place.run("lag saltmarsh-5.0-reedbed -o none.svg").code, 2, "nothing is behind");
}

#[test]
fn ages_are_told_from_the_day_of_the_release() {
    let place = Place::with_installs(&["4.0-reedbed", "5.0-reedbed"]);
    place.run("take root-5.0-reedbed -q");
    insta::assert_snapshot!(place.run("age saltmarsh-5.0-reedbed").all());
    let few = place.run("age saltmarsh-5.0-reedbed --format json").json();
    // What is read now has the day of every package.
    let all = place.run("age root-5.0-reedbed --format json").json();
    let count = |age: &serde_json::Value| age["packages"].as_array().unwrap().len();
    assert!(count(&few) * 2 < count(&all), "{} of {}", count(&few), count(&all));
    place.run("take root-4.0-reedbed --all-dates -q");
    let kept = place.run("age saltmarsh-4.0-reedbed --format csv --all").plain();
    assert!(kept.lines().count() > 150, "{kept}");
    assert_eq!(place.run("age saltmarsh-5.0-reedbed -o age.png").code, 0);
    assert_eq!(place.run("age saltmarsh-5.0-reedbed --day soon").code, 2);
    place.write("list.txt", "ii  inkcap  3.2.1-2  amd64  text editor\n");
    let none = place.run("age list.txt --day 2026-05-04");
    assert_eq!((none.code, none.stdout.contains("No package has a day")), (1, true), "{}", none.all());
}
