use crate::args::{ShelfAction, ShelfListArgs};
use crate::error::CommandError;
use crate::exit::Exit;
use crate::settings::Settings;
use crate::{offers, output};
use std::io::{Read, Write};
use std::path::{Path, PathBuf};
use tally_core::history::Moment;
use tally_core::knowledge::matches;
use tally_core::model::{Label, Shelved, Tally};
use tally_readers::likeness_of;
use tally_report::{Format, PackageRows, PictureFindView, ShelfFindView, ShelfView};
use tally_shelf::{ENDING, Index, encode, read_pictures, read_tally, write_atomically, write_pictures};

pub(crate) fn run(action: Option<ShelfAction>, settings: &Settings) -> Result<Exit, CommandError> {
    match action.unwrap_or_else(|| ShelfAction::List(ShelfListArgs::default())) {
        ShelfAction::List(filter) => list(&filter, settings)?,
        ShelfAction::Find { picture: Some(file), .. } => return find_picture(&file, settings),
        ShelfAction::Find { words, picture: None } => return find(&words.join(" "), settings),
        ShelfAction::Import { files } => return import(&files, settings),
        ShelfAction::Export { handles, into, dataset, since } => {
            let handles = exported(handles, settings)?;
            match (dataset, into) {
                (Some(form), _) => super::dataset::export(&handles, form, since.as_deref(), settings)?,
                (None, Some(folder)) => copy(&handles, &folder, settings)?,
                (None, None) => table(&handles, settings)?,
            }
        }
        ShelfAction::Index => {
            Index::remove(&settings.shelf)?;
            let installs = index(settings)?.installs()?.len();
            output::status(settings, &format!("The index of {installs} installs is made anew."));
        }
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

/// What is kept beside a tally goes along with it.
fn carry(tally: &Path, to: &Path) -> std::io::Result<()> {
    let pictures = read_pictures(&pictures_beside(tally));
    if !pictures.is_empty() {
        let named: Vec<(&str, &[u8])> =
            pictures.iter().map(|(name, bytes)| (name.as_str(), bytes.as_slice())).collect();
        write_pictures(&pictures_beside(to), &named).map_err(std::io::Error::other)?;
    }
    match std::fs::read(offers::beside(tally)) {
        Ok(bytes) => write_atomically(&offers::beside(to), &bytes, true).map_err(std::io::Error::other),
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => Ok(()),
        Err(error) => Err(error),
    }
}

/// The folder of thumbnails beside a tally: `NAME.pictures` for `NAME.tally.json`.
pub(crate) fn pictures_beside(tally: &Path) -> PathBuf {
    let name = tally.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
    let stem = name.strip_suffix(ENDING).or_else(|| name.strip_suffix(".json")).unwrap_or(&name);
    tally.with_file_name(format!("{stem}.pictures"))
}

/// Every file is tried; what is no tally is named, and the rest goes on.
fn import(given: &[PathBuf], settings: &Settings) -> Result<Exit, CommandError> {
    let mut files: Vec<PathBuf> = Vec::new();
    for path in given {
        if path.is_dir() {
            let fail = |error: std::io::Error| CommandError::Source { path: path.clone(), why: error.into() };
            let mut found = Vec::new();
            for entry in std::fs::read_dir(path).map_err(fail)? {
                found.push(entry.map_err(fail)?.path());
            }
            found.retain(|file| file.to_string_lossy().ends_with(ENDING));
            found.sort();
            files.append(&mut found);
        } else {
            files.push(path.clone());
        }
    }
    let mut first_error = None;
    let mut done = 0;
    for file in &files {
        match read_tally(file).and_then(|mut tally| settings.shelf.put(&mut tally)) {
            Ok(put) => {
                done += 1;
                if let Err(error) = carry(file, &settings.shelf.file(&put.handle)) {
                    output::warn(&format!(
                        "`{}`: what is kept beside it was left out: {error}",
                        file.display()
                    ));
                }
                let verb = if put.replaced { "took the place of the earlier" } else { "is on the shelf as" };
                output::status(settings, &format!("`{}` {verb} `{}`.", file.display(), put.handle));
            }
            Err(error) if first_error.is_none() && files.len() == 1 => return Err(error.into()),
            Err(error) => {
                output::warn(&format!("left out: {error}"));
                first_error.get_or_insert(error);
            }
        }
    }
    output::status(settings, &format!("{done} of {} files are on the shelf now.", files.len()));
    match first_error {
        Some(error) => Err(error.into()),
        None => Ok(Exit::Done),
    }
}

/// What is exported: what was asked for by name has to be there; of all that lies there, what can't be read is left out.
fn exported(handles: Vec<String>, settings: &Settings) -> Result<Vec<String>, CommandError> {
    for handle in handles.iter().filter(|handle| !settings.shelf.has(handle)) {
        settings.shelf.get(handle)?;
    }
    if handles.is_empty() { Ok(settings.shelf.handles()?) } else { Ok(handles) }
}

fn copy(handles: &[String], folder: &Path, settings: &Settings) -> Result<(), CommandError> {
    let fail = |source| CommandError::Output { to: format!("`{}`", folder.display()), source };
    std::fs::create_dir_all(folder).map_err(fail)?;
    for handle in handles {
        let tally = settings.shelf.get(handle)?;
        let bytes =
            encode(&tally).map_err(|error| CommandError::Render(tally_report::RenderError::Json(error)))?;
        let file = folder.join(format!("{handle}{ENDING}"));
        output::file(&file, &bytes)?;
        carry(&settings.shelf.file(handle), &file).map_err(fail)?;
    }
    output::status(settings, &format!("Copied {} tallies to `{}`.", handles.len(), folder.display()));
    Ok(())
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
