use crate::harness::Place;

#[test]
fn a_name_misspelt_or_a_job_will_do() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    place.run("take root-5.0-reedbed -q");
    insta::assert_snapshot!(
        ["inkcpa", "web browser", "lapwnig", "office suite", "zzzz"]
            .map(|words| format!(
                "$ find {words}\n{}",
                place.run(&format!("find saltmarsh-5.0-reedbed {words} --width 90")).all()
            ))
            .join("\n")
    );
}

#[test]
fn every_form_says_the_same() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    let json = place.run("find root-5.0-reedbed inkcap --format json").json();
    assert_eq!((json["find"].as_u64(), json["hits"][0]["name"].as_str()), (Some(1), Some("Inkcap")));
    let csv = place.run("find root-5.0-reedbed inkcap --format csv").plain();
    assert!(csv.lines().nth(1).unwrap().starts_with("application,Inkcap,3.2.1,dpkg:inkcap,"), "{csv}");
}
