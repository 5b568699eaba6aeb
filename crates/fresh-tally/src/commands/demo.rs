//! The whole story on made-up installs: each step with the exact command that repeats it.

use crate::args::{
    AgeArgs, CheckArgs, CompareArgs, GridArgs, LabelArgs, LagArgs, ListsArgs, NoteArgs, OfferArgs, OnlyArg,
    READ_BY_HAND, ReportArgs, ShelfAction, TakeArgs, WeighArgs,
};
use crate::config::Config;
use crate::error::CommandError;
use crate::exit::Exit;
use crate::output;
use crate::settings::Settings;
use saltmarsh::{Install, World};
use std::path::{Path, PathBuf};
use tally_core::check::Checklist;
use tally_core::knowledge::OwnRules;
use tally_core::lag::Upstream;
use tally_core::model::bytes_of;
use tally_report::{CompareWhat, Format, PackageFilter, ShowWhat};
use tally_shelf::Shelf;

/// Marks a folder that the demo made, so that it may be written again.
const MARK: &str = ".made-by-fresh-tally-demo";

pub(crate) fn run(into: Option<PathBuf>, settings: &Settings) -> Result<Exit, CommandError> {
    if settings.output.is_some() {
        return Err(CommandError::Usage("demo prints several answers, and -o takes only one".into()));
    }
    let folder = folder(into)?;
    let world = World::load()?;
    for install in world.installs() {
        saltmarsh::write_install(&world, install, &root(&folder, &install.key))?;
    }
    if let Some(install) = world.install("5.0-reedbed") {
        let used = root(&folder, USED);
        saltmarsh::write_install(&world, install, &used)?;
        saltmarsh::write_a_week_later(&world, install, &used)?;
    }
    let shelf = folder.join("shelf");
    let own = Settings {
        shelf: Shelf::new(&shelf),
        shelf_given: true,
        format: settings.format,
        output: None,
        options: settings.options,
        own: OwnRules::default(),
        seen: settings.seen,
        config: Config::default(),
        applied: Vec::new(),
        quiet: true,
        now: settings.now.clone(),
    };
    let intro = format!(
        "Saltmarsh Linux is made up. Two releases and three editions of it are now in `{}`, as real installs would be.\n\
         Each step below shows the command that repeats it.\n",
        folder.display()
    );
    output::stdout(intro.as_bytes())?;
    let page = steps(&world, &folder, &own)?;
    let end = format!(
        "\nOpen the page in a browser: {}\nNext: your own system: fresh-tally take /\nDelete the demo: rm -r {}\n",
        page.display(),
        folder.display()
    );
    output::stdout(end.as_bytes())?;
    Ok(Exit::Done)
}

/// Each step, in the order of a review. Returns the page that the last one wrote.
fn steps(world: &World, folder: &Path, own: &Settings) -> Result<PathBuf, CommandError> {
    let shelf = own.shelf.folder().display().to_string();
    let mut step = Steps { number: 0, shelf: &shelf };
    let (old, new) = ("saltmarsh-4.0-reedbed-full", "saltmarsh-5.0-reedbed-full");
    for (what, key) in [("Read the old release", "4.0-reedbed"), ("Read the new release", "5.0-reedbed")] {
        let source = root(folder, key);
        step.say(what, &format!("take {} --profile full --keep-offer --pictures", source.display()))?;
        super::take::run(full(source), own)?;
    }
    step.say("List the programs in the menu", &format!("show {new} menu"))?;
    super::show::view(new, (ShowWhat::Menu, false), &PackageFilter::default(), own)?;
    step.say("Compare the two releases", &format!("compare {old} {new}"))?;
    super::compare::run(&CompareArgs::of(old, new), own)?;
    step.say("See what a new user finds set otherwise", &format!("compare {old} {new} --view settings"))?;
    super::compare::run(&CompareArgs { view: CompareWhat::Settings, ..CompareArgs::of(old, new) }, own)?;
    step.say("See which wallpapers are new", &format!("compare {old} {new} --view pictures"))?;
    super::compare::run(&CompareArgs { view: CompareWhat::Pictures, ..CompareArgs::of(old, new) }, own)?;
    let sisters: Vec<&Install> = world.installs().iter().filter(|i| i.key.starts_with("5.0")).collect();
    for install in sisters.iter().filter(|install| install.key != "5.0-reedbed") {
        let source = root(folder, &install.key);
        step.say(
            "Read another edition",
            &format!("take {} --profile full --keep-offer --pictures", source.display()),
        )?;
        super::take::run(full(source), own)?;
    }
    let handles: Vec<String> =
        sisters.iter().map(|install| format!("saltmarsh-{}-full", install.key)).collect();
    for (handle, (memory, live)) in handles.iter().zip(MEMORY) {
        let options = if live { " --live" } else { "" };
        let line = format!("note {handle} memory={memory} --when idle{options}");
        step.say("Record a measured figure", &line)?;
        let note = NoteArgs {
            install: handle.clone(),
            words: vec![format!("memory={memory}")],
            ask: None,
            method: READ_BY_HAND.into(),
            when: "idle".into(),
            live,
            ram: None,
        };
        super::note::run(&note, own)?;
    }
    step.say(
        "Put the editions side by side",
        &format!("grid {} --only differing --ask Inkcap", handles.join(" ")),
    )?;
    let grid = GridArgs {
        installs: handles.clone(),
        ask: vec!["Inkcap".into()],
        only: Some(OnlyArg::Differing),
        ..GridArgs::default()
    };
    super::grid::run(&grid, own)?;
    step.say("See what the repositories have, and which updates wait", &format!("offer {new}"))?;
    let offer = OfferArgs { install: new.into(), names: Vec::new(), lists: ListsArgs::default() };
    super::offer::run(&offer, own)?;
    let light = "saltmarsh-5.0-mudflat-full";
    step.say(
        "Add five programs to the light edition: 700 MB to download, 900 MB at most",
        &format!("weigh {light} --add {} --image {IMAGE} --limit {LIMIT}", ADDED.join(" ")),
    )?;
    super::weigh::run(&weigh(light)?, own)?;
    let questions = folder.join("questions.toml");
    step.say("Get an example checklist", &format!("check --starter -o {}", questions.display()))?;
    output::file(&questions, Checklist::starter().as_bytes())?;
    step.say("Answer it for each edition", &format!("check {} {}", questions.display(), handles.join(" ")))?;
    let check = CheckArgs { checklist: Some(questions), installs: handles, starter: false };
    super::check::run(&check, own)?;
    let (source, used) = (root(folder, USED), "reedbed-a-week-later");
    step.say(
        "A week later the owner has added, updated and removed programs. Read that install",
        &format!("take {} --profile full --keep-offer --pictures --handle {used}", source.display()),
    )?;
    super::take::run(TakeArgs { handle: Some(used.into()), ..full(source) }, own)?;
    let (shipped, found) = (format!("{used}@shipped"), format!("{used}@found"));
    step.say("Tell what shipped from what was added later", &format!("compare {shipped} {found}"))?;
    super::compare::run(&CompareArgs::of(&shipped, &found), own)?;
    ages(folder, (old, new), &mut step, own)?;
    step.say("Search all installs on the shelf", "shelf find inkcap")?;
    super::shelf::run(Some(ShelfAction::Find { words: vec!["inkcap".into()], picture: None }), own)?;
    step.say("List the shelf", "shelf")?;
    super::shelf::run(None, own)?;
    let page = folder.join("what-changed.html");
    step.say("Write a page to publish", &format!("report {old} {new} -o {}", page.display()))?;
    let report = ReportArgs { installs: vec![old.into(), new.into()], ..ReportArgs::default() };
    super::report::run(&report, &Settings { output: Some(page.clone()), ..of_page(own) })?;
    Ok(page)
}

/// How far behind its makers each release was, and how old what is in it.
fn ages(
    folder: &Path,
    (old, new): (&str, &str),
    step: &mut Steps<'_>,
    own: &Settings,
) -> Result<(), CommandError> {
    step.say(
        "See how far behind upstream the old release was, as far as the shelf knows",
        &format!("lag {old}"),
    )?;
    super::lag::run(&LagArgs::of(old), own)?;
    let upstream = folder.join("upstream.toml");
    step.say(
        "Get an example list of upstream releases",
        &format!("lag --starter -o {}", upstream.display()),
    )?;
    output::file(&upstream, Upstream::starter().as_bytes())?;
    let (file, day) = (upstream.display(), "2026-05-04");
    step.say(
        "See how far behind the new one was, by that list",
        &format!("lag {new} --upstream {file} --day {day}"),
    )?;
    super::lag::run(&LagArgs { upstream: Some(upstream), day: Some(day.into()), ..LagArgs::of(new) }, own)?;
    step.say("See how old its packages were", &format!("age {new}"))?;
    super::age::run(&AgeArgs::of(new), own)?;
    Ok(())
}

/// What a reviewer with a slow line adds to a light edition, the medium of which is that large, and the most that may come of it.
const ADDED: [&str; 5] = ["lapwing", "brackwater-writer", "dunlin", "pondskate", "booming"];
const IMAGE: &str = "700MB";
const LIMIT: &str = "900MB";

fn weigh(install: &str) -> Result<WeighArgs, CommandError> {
    Ok(WeighArgs {
        install: install.into(),
        limit: Some(bytes_of(LIMIT).map_err(CommandError::Usage)?),
        plus: 0,
        add: ADDED.map(str::to_owned).to_vec(),
        without_recommends: false,
        image: Some(IMAGE.into()),
        lists: ListsArgs::default(),
    })
}

/// The settings of a step that writes a file.
fn of_page(own: &Settings) -> Settings {
    Settings {
        shelf: own.shelf.clone(),
        own: own.own.clone(),
        config: own.config.clone(),
        now: own.now.clone(),
        applied: Vec::new(),
        output: None,
        format: Some(Format::Html),
        ..*own
    }
}

/// The install of 5.0 Reedbed that was used for a week.
const USED: &str = "5.0-reedbed-used";

/// The memory in use that a person read on each edition of 5.0, and whether in a live session.
const MEMORY: [(&str, bool); 3] = [("620MB", false), ("410MB", false), ("350MB", true)];

fn full(source: PathBuf) -> TakeArgs {
    let label = LabelArgs { profile: Some("full".into()), ..LabelArgs::default() };
    TakeArgs {
        replace: false,
        keep_offer: true,
        pictures: true,
        source,
        label,
        handle: None,
        live: false,
        installed: None,
        each_profile: false,
        root: None,
        list_roots: false,
        sha256: false,
        signed_by: None,
        all_dates: false,
    }
}

/// Numbers the steps, and says the command that repeats each.
struct Steps<'a> {
    number: usize,
    shelf: &'a str,
}

impl Steps<'_> {
    fn say(&mut self, what: &str, command: &str) -> Result<(), CommandError> {
        self.number += 1;
        let Self { number, shelf } = self;
        output::stdout(
            format!("\n{number}. {what}:\n   fresh-tally {command} --shelf {shelf}\n\n").as_bytes(),
        )
    }
}

fn root(folder: &Path, key: &str) -> PathBuf {
    folder.join(format!("saltmarsh-{key}"))
}

/// The folder asked for, when it is empty or an earlier demo's; else a new temporary one.
fn folder(into: Option<PathBuf>) -> Result<PathBuf, CommandError> {
    let fail = |path: &Path, source| CommandError::Output { to: format!("`{}`", path.display()), source };
    let folder = match into {
        None => {
            let made = tempfile::Builder::new().prefix("fresh-tally-demo-").tempdir_in(std::env::temp_dir());
            made.map_err(|source| fail(&std::env::temp_dir(), source))?.keep()
        }
        Some(folder) => {
            std::fs::create_dir_all(&folder).map_err(|source| fail(&folder, source))?;
            let mut entries = std::fs::read_dir(&folder).map_err(|source| fail(&folder, source))?;
            if entries.next().is_some() && !folder.join(MARK).exists() {
                let why = "it is not empty, and the demo needs an empty folder".to_owned();
                return Err(CommandError::Source { path: folder, why: why.into() });
            }
            folder
        }
    };
    std::fs::write(folder.join(MARK), "").map_err(|source| fail(&folder, source))?;
    Ok(folder)
}
