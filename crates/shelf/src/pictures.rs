//! The folder of thumbnails beside a tally.

use crate::ShelfError;
use crate::files::unfinished;
use std::fs;
use std::io::ErrorKind;
use std::path::Path;

/// Whether a thumbnail may be called so: 16 hexadecimal digits, and the ending of a picture.
pub fn is_thumbnail(name: &str) -> bool {
    let Some((stem, ending)) = name.split_once('.') else { return false };
    stem.len() == 16 && stem.bytes().all(|byte| byte.is_ascii_hexdigit()) && ["jpg", "png"].contains(&ending)
}

/// Puts a folder of thumbnails in the place of an earlier one; without any there is none.
///
/// # Errors
/// What the system said of the folder.
pub fn write_pictures(folder: &Path, pictures: &[(&str, &[u8])]) -> Result<(), ShelfError> {
    let fail = |error| ShelfError::io(folder.to_owned(), error);
    // Named as all that is unfinished, so that it is cleared where a program was killed meanwhile.
    let name = folder.file_name().unwrap_or_default().to_string_lossy();
    let part = folder.with_file_name(format!("{}{name}", unfinished()));
    if !pictures.is_empty() {
        _ = fs::remove_dir_all(&part);
        fs::create_dir_all(&part).map_err(fail)?;
        for (name, bytes) in pictures.iter().filter(|(name, _)| is_thumbnail(name)) {
            fs::write(part.join(name), bytes).map_err(fail)?;
        }
    }
    match fs::remove_dir_all(folder) {
        Err(error) if error.kind() != ErrorKind::NotFound => return Err(fail(error)),
        _ => {}
    }
    if pictures.is_empty() { Ok(()) } else { fs::rename(&part, folder).map_err(fail) }
}

/// Thumbnails of a folder, by name: regular files that are called as thumbnails are, each of at most 256 KiB.
pub fn read_pictures(folder: &Path) -> Vec<(String, Vec<u8>)> {
    let mut found = Vec::new();
    for entry in fs::read_dir(folder).into_iter().flatten().flatten() {
        let name = entry.file_name().to_string_lossy().into_owned();
        let plain = entry.metadata().is_ok_and(|data| data.is_file() && data.len() <= 256 << 10);
        if plain
            && is_thumbnail(&name)
            && let Ok(bytes) = fs::read(entry.path())
        {
            found.push((name, bytes));
        }
    }
    found.sort();
    found
}
