use super::exchange;
use crate::args::{ShelfAction, ShelfListArgs};
use crate::error::CommandError;
use crate::exit::Exit;
use crate::output;
use crate::settings::Settings;
use std::io::{Read, Write};
use std::path::Path;
use tally_core::history::Moment;
use tally_core::knowledge::matches;
use tally_core::model::{Label, Shelved, Tally};
use tally_readers::likeness_of;
use tally_report::{Format, PackageRows, PictureFindView, ShelfFindView, ShelfView};
use tally_shelf::Index;

pub(crate) fn run(action: Option<ShelfAction>, settings: &Settings) -> Result<Exit, CommandError> {
    match action.unwrap_or_else(|| ShelfAction::List(ShelfListArgs::default())) {
        ShelfAction::List(filter) => list(&filter, settings)?,
        ShelfAction::Find { picture: Some(file), .. } => return find_picture(&file, settings),
        ShelfAction::Find { words, picture: None } => return find(&words.join(" "), settings),
        ShelfAction::Import { files, signed_by } => {
            return exchange::import(&files, signed_by.as_deref(), settings);
        }
        ShelfAction::Export { handles, into, sign, dataset, whole, since } => {
            let handles = exported(handles, settings)?;
            match (dataset, into) {
                (Some(form), _) => super::dataset::export(&handles, form, whole, since.as_deref(), settings)?,
                (None, Some(folder)) => exchange::copy(&handles, &folder, sign.as_deref(), settings)?,
                (None, None) => table(&handles, settings)?,
            }
        }
        ShelfAction::Index => {
            Index::remove(&settings.shelf)?;
            settings.shelf.forget_dropped()?;
            let installs = index(settings)?.installs()?.len();
            output::status(settings, &format!("The index of {installs} installs is made anew."));
        }
        ShelfAction::Rename { old, new } => {
            settings.shelf.rename(&old, &new)?;
            output::status(settings, &format!("`{old}` is now `{new}`."));
        }
        ShelfAction::Drop { handles, dry_run: true } => {
            settings.shelf.have_all(&handles)?;
            let named: Vec<String> = handles.iter().map(|handle| format!("`{handle}`")).collect();
            output::status(settings, &format!("Would delete {}.", named.join(", ")));
        }
        ShelfAction::Drop { handles, .. } => {
            let kept = settings.shelf.drop(&handles)?;
            for handle in &handles {
                output::status(settings, &format!("`{handle}` is off the shelf."));
            }
            for file in kept {
                let said = "keeps its notes and figures until the next `fresh-tally shelf index`";
                output::status(settings, &format!("`{}` {said}.", file.display()));
            }
        }
    }
    Ok(Exit::Done)
}

/// The index, up to date; says what it does when that takes long.
pub(crate) fn index(settings: &Settings) -> Result<Index, CommandError> {
    let mut said = 0;
    let mut progress = |done: usize, all: usize| {
        // A line for every tenth is enough.
        if done == 0 || done == all || (done - said) * 10 > all {
            said = done;
            output::status(settings, &format!("Reading the shelf: {done} of {all}."));
        }
    };
    Ok(Index::open(&settings.shelf, &mut progress)?)
}

/// The index knows installs as shipped; asked otherwise, it must not answer.
fn only_shipped(settings: &Settings) -> Result<(), CommandError> {
    match settings.seen {
        Moment::Shipped => Ok(()),
        Moment::Found => Err(CommandError::Usage(
            "the index of the shelf only knows installs as shipped; use `show INSTALL --as found` for a single one".into(),
        )),
    }
}

fn list(filter: &ShelfListArgs, settings: &Settings) -> Result<(), CommandError> {
    only_shipped(settings)?;
    let mut entries = index(settings)?.installs()?;
    let of = entries.len();
    entries.retain(|entry| fits(filter, entry));
    let folder = settings.shelf.folder().to_string_lossy().into_owned();
    output::show(&ShelfView { folder, entries, of }, settings)
}

/// A file that can't be read has no label, and fits only where none is asked.
fn fits(filter: &ShelfListArgs, entry: &Shelved) -> bool {
    let none = Label::default();
    let label = entry.label.as_ref().unwrap_or(&none);
    let is = |asked: &Option<String>, fields: &[Option<&str>]| {
        asked
            .as_deref()
            .is_none_or(|asked| fields.iter().flatten().any(|field| field.eq_ignore_ascii_case(asked)))
    };
    is(&filter.distro, &[Some(&label.distro), Some(&label.distro_id)])
        && is(&filter.release, &[label.release.as_deref(), label.codename.as_deref()])
        && is(&filter.edition, &[label.edition.as_deref()])
        && filter.handle.as_deref().is_none_or(|pattern| matches(pattern, &entry.handle))
}

fn find(asked: &str, settings: &Settings) -> Result<Exit, CommandError> {
    only_shipped(settings)?;
    let sightings = index(settings)?.find(asked)?;
    let exit = if sightings.found.is_empty() { Exit::No } else { Exit::Done };
    output::show(&ShelfFindView { asked: asked.to_owned(), sightings }, settings)?;
    Ok(exit)
}

/// The largest picture that is looked for.
const PICTURE: u64 = 64 << 20;

fn find_picture(file: &Path, settings: &Settings) -> Result<Exit, CommandError> {
    let fail = |error: std::io::Error| CommandError::Source { path: file.into(), why: error.into() };
    let mut bytes = Vec::new();
    std::fs::File::open(file).map_err(fail)?.take(PICTURE + 1).read_to_end(&mut bytes).map_err(fail)?;
    let name = file.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
    let asked = likeness_of(&name, &bytes);
    if bytes.len() as u64 > PICTURE || asked.format.is_empty() {
        return Err(CommandError::Source { path: file.into(), why: "is no picture".into() });
    }
    if asked.likeness.is_none() {
        output::warn(&format!("`{}` is not decoded here: only the very same file is found", file.display()));
    }
    let found = index(settings)?.find_picture(&asked)?;
    let exit = if found.is_empty() { Exit::No } else { Exit::Done };
    output::show(&PictureFindView { asked: name, found }, settings)?;
    Ok(exit)
}

/// What is exported: what was asked for by name has to be there; of all that lies there, what can't be read is left out.
fn exported(handles: Vec<String>, settings: &Settings) -> Result<Vec<String>, CommandError> {
    for handle in handles.iter().filter(|handle| !settings.shelf.has(handle)) {
        settings.shelf.get(handle)?;
    }
    if handles.is_empty() { Ok(settings.shelf.handles()?) } else { Ok(handles) }
}

/// One tally at a time, so that a shelf of any size fits in memory.
fn table(handles: &[String], settings: &Settings) -> Result<(), CommandError> {
    if !matches!(settings.format, None | Some(Format::Csv | Format::Json)) {
        return Err(CommandError::Usage("shelf export writes csv, or JSON Lines with --format json".into()));
    }
    let lines = settings.output.as_deref().and_then(Path::extension).is_some_and(|ending| ending == "jsonl");
    let rows = if lines || settings.format == Some(Format::Json) {
        PackageRows::JsonLines
    } else {
        PackageRows::Csv
    };
    output::stream(settings, |out: &mut dyn Write| {
        out.write_all(&rows.head().map_err(std::io::Error::other)?)?;
        for handle in handles {
            let tally: Tally = match settings.shelf.get(handle) {
                Ok(tally) => tally,
                Err(error) => {
                    output::warn(&format!("left out: {error}"));
                    continue;
                }
            };
            out.write_all(&rows.of(handle, &tally).map_err(std::io::Error::other)?)?;
        }
        Ok(())
    })
}
