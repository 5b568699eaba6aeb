//! The whole story on made-up installs: each step with the exact command that repeats it.

use crate::args::{CompareArgs, LabelArgs, TakeArgs};
use crate::error::Failure;
use crate::exit::Exit;
use crate::output;
use crate::settings::Settings;
use saltmarsh::World;
use std::path::{Path, PathBuf};
use tally_core::knowledge::OwnRules;
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
    let shelf = folder.join("shelf");
    let own = Settings {
        shelf: Shelf::new(&shelf),
        shelf_given: true,
        format: settings.format,
        output: None,
        canvas: settings.canvas,
        own: OwnRules::default(),
        quiet: true,
        now: settings.now.clone(),
    };
    let intro = format!(
        "Saltmarsh Linux is made up: two releases of it now lie in `{}`, as real installs would.\n\
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

fn steps(world: &World, folder: &Path, own: &Settings) -> Result<(), Failure> {
    let shelf = own.shelf.folder().display();
    for (i, install) in world.installs().iter().enumerate() {
        let source = root(folder, &install.key);
        let what = if i == 0 { "Take the tally of the old release" } else { "and of the new one" };
        announce(i + 1, what, &format!("take {} --profile full --shelf {shelf}", source.display()))?;
        let label = LabelArgs { profile: Some("full".into()), ..LabelArgs::default() };
        super::take::run(TakeArgs { source, label, handle: None, live: false }, own)?;
    }
    let (old, new) = ("saltmarsh-4.0-reedbed-full", "saltmarsh-5.0-reedbed-full");
    announce(3, "Look at what stands in the menu", &format!("show {new} menu --shelf {shelf}"))?;
    super::show::run(new, ShowWhat::Menu, own)?;
    announce(4, "Ask what changed", &format!("compare {old} {new} --shelf {shelf}"))?;
    let compare = CompareArgs { old: old.into(), new: new.into(), ..CompareArgs::default() };
    super::compare::run(&compare, own)?;
    announce(5, "See what is on the shelf", &format!("shelf --shelf {shelf}"))?;
    super::shelf::run(None, own).map(|_| ())
}

fn announce(number: usize, what: &str, command: &str) -> Result<(), Failure> {
    output::stdout(format!("\n{number}. {what}:\n   fresh-tally {command}\n\n").as_bytes())
}

fn root(folder: &Path, key: &str) -> PathBuf {
    folder.join(format!("saltmarsh-{key}"))
}

/// The folder asked for, when it is empty or an earlier demo's; else a new temporary one.
fn folder(into: Option<PathBuf>) -> Result<PathBuf, Failure> {
    let fail = |path: &Path, source| Failure::Output { to: format!("`{}`", path.display()), source };
    let folder = match into {
        None => {
            let made = tempfile::Builder::new().prefix("fresh-tally-demo-").tempdir();
            made.map_err(|source| fail(&std::env::temp_dir(), source))?.keep()
        }
        Some(folder) => {
            std::fs::create_dir_all(&folder).map_err(|source| fail(&folder, source))?;
            let mut entries = std::fs::read_dir(&folder).map_err(|source| fail(&folder, source))?;
            if entries.next().is_some() && !folder.join(MARK).exists() {
                let why = "it holds other things already; the demo wants an empty folder".to_owned();
                return Err(Failure::Source { path: folder, why });
            }
            folder
        }
    };
    std::fs::write(folder.join(MARK), "").map_err(|source| fail(&folder, source))?;
    Ok(folder)
}
