use crate::harness::{Place, names};

#[test]
fn every_command_it_names_can_be_repeated() {
    let place = Place::new();
    let story = place.run("demo --into d").plain();
    let commands: Vec<&str> = story.lines().filter_map(|line| line.strip_prefix("   fresh-tally ")).collect();
    assert_eq!(commands.len(), 25, "{story}");
    for command in commands {
        let outcome = place.run(&format!("{command} -q"));
        // A checklist has questions with a "no", and five programs are too many.
        let is_no = command.starts_with("check d") || command.starts_with("weigh");
        assert!(outcome.code == i32::from(is_no), "{}", outcome.all());
        let answer = outcome.stdout;
        assert!(story.contains(&answer), "{command} said something else now:\n{answer}");
    }
    assert_eq!(place.run("demo --into d").code, 0, "a demo may be written again");
}

#[test]
fn a_folder_with_other_things_is_left_alone() {
    let place = Place::new();
    place.write("mine/letter", "dear");
    let outcome = place.run("demo --into mine");
    assert_eq!((outcome.code, outcome.stdout.as_str()), (3, ""));
    assert!(outcome.stderr.contains("the demo needs an empty folder"), "{}", outcome.stderr);
    assert_eq!(names(&place.path("mine")), ["letter"]);
}

#[test]
fn without_a_folder_a_temporary_one_is_kept() {
    let place = Place::new();
    let story = place.run("demo").plain();
    let made = names(&place.path("")).into_iter().find(|name| name.starts_with("fresh-tally-demo-")).unwrap();
    assert!(story.contains(&made), "{story}");
    assert!(place.path(&made).join("shelf").is_dir());
}

#[test]
fn the_examples_of_the_help_name_handles_of_the_demo() {
    let place = Place::new();
    assert_eq!(place.run("demo --into d").code, 0);
    let kept = names(&place.path("d/shelf"));
    let readme = include_str!("../../../../README.md");
    let examples = [place.run("rules reference").stdout, readme.to_owned()].join("\n");
    let lines = examples.lines().filter(|line| line.trim_start().starts_with("fresh-tally "));
    let named = lines
        .flat_map(str::split_whitespace)
        .filter(|word| word.starts_with("saltmarsh-") && !word.ends_with(".iso"));
    let mut count = 0;
    for handle in named {
        assert!(kept.contains(&format!("{handle}.tally.json")), "{handle} is not in {kept:?}");
        count += 1;
    }
    assert!(count > 30, "{count} handles in the examples");
}
