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
    assert_eq!(
        (json["schema_version"].as_u64(), json["hits"][0]["name"].as_str()),
        (Some(2), Some("Inkcap"))
    );
    let csv = place.run("find root-5.0-reedbed inkcap --format csv").plain();
    assert!(csv.lines().nth(1).unwrap().starts_with("application,Inkcap,3.2.1,dpkg:inkcap,"), "{csv}");
}

#[test]
fn files_and_commands_have_owners() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    place.run("take root-5.0-reedbed -q");
    let file = place.run("find saltmarsh-5.0-reedbed --file /usr/bin/inkcap --format csv").plain();
    assert_eq!(file.lines().nth(1), Some("usr/bin/inkcap,dpkg:inkcap,3.2.1-2,simple text editor"));
    let nobody = place.run("find root-5.0-reedbed --file /etc/fstab").plain();
    assert!(nobody.contains("no package"), "{nobody}");
    let program = place.run("find root-5.0-reedbed --program duckboard --format json").json();
    assert_eq!(program["files"][0]["package"].as_str(), Some("dpkg:duckboard"));
    let missing = place.run("find root-5.0-reedbed --program sandbank-gui");
    assert_eq!(missing.code, 1);
    assert!(missing.stdout.contains("sandbank-gui was not found."), "{}", missing.stdout);
    std::fs::remove_dir_all(place.path("root-5.0-reedbed")).unwrap();
    let gone = place.run("find saltmarsh-5.0-reedbed --program inkcap");
    assert_eq!(gone.code, 3);
    assert!(gone.stderr.contains("the install is gone"), "{}", gone.stderr);
}
