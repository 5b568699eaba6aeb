use crate::harness::Place;

#[test]
fn remarks_and_figures_are_kept_and_survive_a_new_take() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    place.run("take root-5.0-reedbed -q");
    let note = |words: &str| place.run(&format!("note saltmarsh-5.0-reedbed {words}"));
    assert_eq!(note("--ask printer yes").code, 0);
    assert_eq!(note("memory=512MiB tasks=140 --when idle").code, 0);
    assert_eq!(note("a second remark").code, 0);
    let json = place.run("show saltmarsh-5.0-reedbed readings --format json").plain();
    assert!(json.contains("\"ask\": \"printer\"") && json.contains("536870912"), "{json}");
    place.run("take root-5.0-reedbed -q").plain();
    let table = place.run("note saltmarsh-5.0-reedbed").plain();
    for said in ["Memory used", "537 MB", "Tasks", "140", "a second remark", "printer"] {
        assert!(table.contains(said), "{said} is not in\n{table}");
    }
}

#[test]
fn what_is_no_figure_is_refused() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    place.run("take root-5.0-reedbed -q");
    let wrong = place.run("note saltmarsh-5.0-reedbed memroy=1");
    assert_eq!(wrong.code, 2);
    assert!(wrong.stderr.contains("known: memory, swap"), "{}", wrong.stderr);
    assert_eq!(place.run("note saltmarsh-5.0-reedbed memory=much").code, 2);
    assert_eq!(place.run("note nosuch hello").code, 3);
}
