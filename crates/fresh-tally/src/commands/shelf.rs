use crate::args::ShelfAction;
use crate::error::Failure;
use crate::exit::Exit;
use crate::output;
use crate::settings::Settings;
use tally_report::{ShelfEntry, ShelfView};
use tally_shelf::Shelved;

pub(crate) fn run(action: Option<ShelfAction>, settings: &Settings) -> Result<Exit, Failure> {
    match action.unwrap_or(ShelfAction::List) {
        ShelfAction::List => list(settings)?,
        ShelfAction::Rename { old, new } => {
            settings.shelf.rename(&old, &new)?;
            output::status(settings, &format!("`{old}` is now `{new}`."));
        }
        ShelfAction::Drop { handles } => {
            for handle in handles {
                settings.shelf.drop(&handle)?;
                output::status(settings, &format!("`{handle}` is off the shelf."));
            }
        }
    }
    Ok(Exit::Done)
}

fn list(settings: &Settings) -> Result<(), Failure> {
    let entries = settings.shelf.list()?.into_iter().map(entry).collect();
    let folder = settings.shelf.folder().to_string_lossy().into_owned();
    output::show(&ShelfView { folder, entries }, settings)
}

fn entry(shelved: Shelved) -> ShelfEntry {
    let handle = shelved.handle;
    match shelved.tally {
        Ok(tally) => ShelfEntry {
            handle,
            taken_at: Some(tally.taken.at.to_string()),
            packages: tally.counts.packages.values().map(|n| u64::from(*n)).sum(),
            applications: u64::from(tally.counts.applications),
            installed_bytes: tally.installed_bytes(),
            label: Some(tally.label),
            problem: None,
        },
        Err(error) => ShelfEntry {
            handle,
            label: None,
            taken_at: None,
            packages: 0,
            applications: 0,
            installed_bytes: 0,
            problem: Some(error.to_string()),
        },
    }
}
