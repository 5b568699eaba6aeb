//! The whole story on made-up installs: each step with the exact command that repeats it.

use crate::args::{
    CheckArgs, CompareArgs, GridArgs, LabelArgs, LagArgs, NoteArgs, OnlyArg, READ_BY_HAND, ShelfAction,
    TakeArgs,
};
use crate::config::Config;
use crate::error::Failure;
use crate::exit::Exit;
use crate::output;
use crate::settings::Settings;
use saltmarsh::{Install, World};
use std::path::{Path, PathBuf};
use tally_core::check::Checklist;
use tally_core::knowledge::OwnRules;
use tally_core::lag::Upstream;
use tally_report::ShowWhat;
use tally_shelf::Shelf;

/// Marks a folder that the demo made, so that it may be written again.
const MARK: &str = ".made-by-fresh-tally-demo";

pub(crate) fn run(into: Option<PathBuf>, settings: &Settings) -> Result<Exit, Failure> {
    if settings.output.is_some() {
        return Err(Failure::Usage("demo shows several answers; -o takes one".into()));
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
        canvas: settings.canvas,
        own: OwnRules::default(),
        seen: settings.seen,
        config: Config::default(),
        applied: Vec::new(),
        quiet: true,
        now: settings.now.clone(),
    };
    let intro = format!(
        "Saltmarsh Linux is made up: two releases of it, and three editions, now lie in `{}` as real installs would.\n\
         Each step below says the command that repeats it.\n",
        folder.display()
    );
    output::stdout(intro.as_bytes())?;
    steps(&world, &folder, &own)?;
    let end =
        format!("\nYours next: fresh-tally take /\nRemove what the demo made: rm -r {}\n", folder.display());
    output::stdout(end.as_bytes())?;
    Ok(Exit::Done)
}

/// Each step, in the order in which a review goes.
fn steps(world: &World, folder: &Path, own: &Settings) -> Result<(), Failure> {
    let shelf = own.shelf.folder().display().to_string();
    let mut step = Steps { number: 0, shelf: &shelf };
    let (old, new) = ("saltmarsh-4.0-reedbed-full", "saltmarsh-5.0-reedbed-full");
    for (what, key) in
        [("Take the tally of the old release", "4.0-reedbed"), ("and of the new one", "5.0-reedbed")]
    {
        let source = root(folder, key);
        step.say(what, &format!("take {} --profile full", source.display()))?;
        super::take::run(full(source), own)?;
    }
    step.say("Look at what stands in the menu", &format!("show {new} menu"))?;
    super::show::run(new, ShowWhat::Menu, own)?;
    step.say("Ask what changed", &format!("compare {old} {new}"))?;
    let compare = CompareArgs { old: old.into(), new: new.into(), ..CompareArgs::default() };
    super::compare::run(&compare, own)?;
    let sisters: Vec<&Install> = world.installs().iter().filter(|i| i.key.starts_with("5.0")).collect();
    for install in sisters.iter().filter(|install| install.key != "5.0-reedbed") {
        let source = root(folder, &install.key);
        step.say("Take a sister edition", &format!("take {} --profile full", source.display()))?;
        super::take::run(full(source), own)?;
    }
    let handles: Vec<String> =
        sisters.iter().map(|install| format!("saltmarsh-{}-full", install.key)).collect();
    for (handle, (memory, live)) in handles.iter().zip(MEMORY) {
        let options = if live { " --live" } else { "" };
        let line = format!("note {handle} memory={memory} --when idle{options}");
        step.say("Note what was measured by hand", &line)?;
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
        "Lay the editions side by side",
        &format!("grid {} --only differing --ask Inkcap", handles.join(" ")),
    )?;
    let grid = GridArgs {
        installs: handles.clone(),
        ask: vec!["Inkcap".into()],
        only: Some(OnlyArg::Differing),
        ..GridArgs::default()
    };
    super::grid::run(&grid, own)?;
    let questions = folder.join("questions.toml");
    step.say("Have a checklist to begin with", &format!("check --starter -o {}", questions.display()))?;
    output::file(&questions, Checklist::starter().as_bytes())?;
    step.say(
        "Put the same questions to each",
        &format!("check {} {}", questions.display(), handles.join(" ")),
    )?;
    let check = CheckArgs { checklist: Some(questions), installs: handles, starter: false };
    super::check::run(&check, own)?;
    let upstream = folder.join("upstream.toml");
    step.say("Have a list of what makers released", &format!("lag --starter -o {}", upstream.display()))?;
    output::file(&upstream, Upstream::starter().as_bytes())?;
    let (file, day) = (upstream.display(), "2026-05-04");
    step.say("How far behind were they on release day", &format!("lag {new} --upstream {file} --day {day}"))?;
    let lag = LagArgs {
        install: Some(new.into()),
        upstream: Some(upstream),
        day: Some(day.into()),
        starter: false,
    };
    super::lag::run(&lag, own)?;
    let (source, used) = (root(folder, USED), "reedbed-a-week-later");
    step.say(
        "A week later its owner has added, updated and removed programs. Take that install",
        &format!("take {} --profile full --handle {used}", source.display()),
    )?;
    super::take::run(TakeArgs { handle: Some(used.into()), ..full(source) }, own)?;
    let (shipped, found) = (format!("{used}@shipped"), format!("{used}@found"));
    step.say(
        "What was shipped can still be told from what came later",
        &format!("compare {shipped} {found}"),
    )?;
    super::compare::run(&CompareArgs { old: shipped, new: found, ..CompareArgs::default() }, own)?;
    step.say("Find a name in everything on the shelf", "shelf find inkcap")?;
    super::shelf::run(Some(ShelfAction::Find { words: vec!["inkcap".into()] }), own)?;
    step.say("See what is on the shelf", "shelf")?;
    super::shelf::run(None, own).map(|_| ())
}

/// The install of 5.0 Reedbed that was used for a week.
const USED: &str = "5.0-reedbed-used";

/// What a person read off each edition of 5.0, and whether on a live session.
const MEMORY: [(&str, bool); 3] = [("620MB", false), ("410MB", false), ("350MB", true)];

fn full(source: PathBuf) -> TakeArgs {
    let label = LabelArgs { profile: Some("full".into()), ..LabelArgs::default() };
    TakeArgs { source, label, handle: None, live: false, installed: None, each_profile: false, sha256: false }
}

/// Numbers the steps, and says the command that repeats each.
struct Steps<'a> {
    number: usize,
    shelf: &'a str,
}

impl Steps<'_> {
    fn say(&mut self, what: &str, command: &str) -> Result<(), Failure> {
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
fn folder(into: Option<PathBuf>) -> Result<PathBuf, Failure> {
    let fail = |path: &Path, source| Failure::Output { to: format!("`{}`", path.display()), source };
    let folder = match into {
        None => {
            let made = tempfile::Builder::new().prefix("fresh-tally-demo-").tempdir_in(std::env::temp_dir());
            made.map_err(|source| fail(&std::env::temp_dir(), source))?.keep()
        }
        Some(folder) => {
            std::fs::create_dir_all(&folder).map_err(|source| fail(&folder, source))?;
            let mut entries = std::fs::read_dir(&folder).map_err(|source| fail(&folder, source))?;
            if entries.next().is_some() && !folder.join(MARK).exists() {
                let why = "it holds other things already; the demo wants an empty folder".to_owned();
                return Err(Failure::Source { path: folder, why: why.into() });
            }
            folder
        }
    };
    std::fs::write(folder.join(MARK), "").map_err(|source| fail(&folder, source))?;
    Ok(folder)
}
