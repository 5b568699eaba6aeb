//! Pictures on a page: a contact sheet of wallpapers, and icons beside the names of apps.
//!
//! What is shown are the thumbnails that were made when the tally was taken, inside the page itself, as images alone: nothing in an
//! image acts or asks for something. Together they stay well below a megabyte.

use crate::document::{Block, Shot, Span};
use crate::view::dim;
use crate::words;
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use std::collections::BTreeMap;
use tally_core::compare::{Comparison, PictureChange};
use tally_core::model::{Picture, PictureKind, Tally};

/// Pictures of a contact sheet.
const SHEET: usize = 24;
/// Bytes of an icon that is shown.
const ICON: usize = 12 << 10;
/// Bytes of a thumbnail that is shown.
const SHOT: usize = 48 << 10;
/// Bytes of the picture that a page begins with.
const LEAD: usize = 240 << 10;
/// Bytes of all icons of a page.
const ICONS: usize = 280 << 10;

/// Thumbnails by the names that tallies have for them.
#[derive(Debug, Clone, Default)]
pub struct Thumbnails(BTreeMap<String, Vec<u8>>);

impl Thumbnails {
    /// Thumbnails by name; those of several installs may be put together, as their names are made of what is in them.
    pub fn new(all: impl IntoIterator<Item = (String, Vec<u8>)>) -> Self {
        Self(all.into_iter().collect())
    }

    /// A thumbnail as the address of an image, where it is there, is what its name says, and is small enough.
    fn source(&self, name: &str, most: usize) -> Option<String> {
        let bytes = self.0.get(name).filter(|bytes| bytes.len() <= most)?;
        let (kind, begins): (&str, &[&[u8]]) = match name.rsplit('.').next()? {
            "jpg" => ("jpeg", &[b"\xff\xd8\xff"]),
            "png" => ("png", &[b"\x89PNG\r\n\x1a\n"]),
            _ => return None,
        };
        let start = bytes.trim_ascii_start();
        let is_it = begins.iter().any(|begin| start.starts_with(begin));
        is_it.then(|| format!("data:image/{kind};base64,{}", STANDARD.encode(bytes)))
    }

    /// Icons by application, as many as a page can hold.
    pub(super) fn icons(&self, tallies: &[&Tally]) -> BTreeMap<String, String> {
        let mut icons = BTreeMap::new();
        let mut bytes = 0;
        let pictures = tallies.iter().flat_map(|tally| &tally.pictures);
        for picture in pictures.filter(|picture| picture.kind == PictureKind::Icon) {
            let source = picture.thumbnail.as_ref().and_then(|name| self.source(name, ICON));
            if let Some(source) = source.filter(|source| bytes + source.len() <= ICONS)
                && !icons.contains_key(picture.name.as_str())
            {
                bytes += source.len();
                icons.insert(picture.name.to_string(), source);
            }
        }
        icons
    }

    /// The wallpapers of an install, the default one first.
    pub(super) fn of_install(&self, tally: &Tally) -> Option<Block> {
        let mut wallpapers: Vec<&Picture> =
            tally.pictures.iter().filter(|one| one.kind == PictureKind::Wallpaper).collect();
        wallpapers.sort_by_key(|picture| !picture.default);
        let shots: Vec<Shot> = wallpapers
            .into_iter()
            .filter_map(|picture| {
                let default = if picture.default { dim("default") } else { Span::default() };
                Some(Shot {
                    source: self.source(picture.thumbnail.as_deref()?, SHOT)?,
                    name: picture.name.as_str().into(),
                    badge: default,
                    from: dim(picture.package.as_ref().map_or("no package", |package| package.name())),
                })
            })
            .take(SHEET)
            .collect();
        (!shots.is_empty()).then_some(Block::Gallery(shots))
    }

    /// The wallpaper that a new user sees.
    pub(super) fn lead(&self, tally: &Tally) -> Option<Block> {
        let is_default = |one: &&Picture| one.default && one.kind == PictureKind::Wallpaper;
        let picture = tally.pictures.iter().find(is_default)?;
        let source = self.source(picture.thumbnail.as_deref()?, LEAD)?;
        Some(Block::Lead(Shot { source, name: picture.name.as_str().into(), ..Shot::default() }))
    }

    /// The wallpapers of both sides: new ones, those that stayed, those that are gone.
    pub(super) fn of_comparison(&self, comparison: &Comparison) -> Option<Block> {
        let wallpapers = comparison.pictures.iter().filter(|one| one.kind == PictureKind::Wallpaper);
        let shot = |change: &PictureChange| {
            let (role, word) = words::picture_change(change.change);
            Some(Shot {
                source: self.source(change.thumbnail.as_deref()?, SHOT)?,
                name: change.name.as_str().into(),
                badge: Span::new(role, word),
                from: dim(change.package.as_ref().map_or("no package", |package| package.name())),
            })
        };
        let shots: Vec<Shot> = wallpapers.filter_map(shot).take(SHEET).collect();
        (!shots.is_empty()).then_some(Block::Gallery(shots))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_what_is_what_its_name_says_is_shown() {
        let all = Thumbnails::new([
            ("a.jpg".to_owned(), b"\xff\xd8\xff\xe0".to_vec()),
            ("b.jpg".to_owned(), b"<script>".to_vec()),
            ("c.svg".to_owned(), b" <svg/>".to_vec()),
            ("d.html".to_owned(), b"<svg/>".to_vec()),
            ("e.png".to_owned(), [&b"\x89PNG\r\n\x1a\n"[..], &[0; 200]].concat()),
        ]);
        assert_eq!(all.source("a.jpg", 100).as_deref(), Some("data:image/jpeg;base64,/9j/4A=="));
        // What draws may draw without end.
        for none in ["b.jpg", "c.svg", "d.html", "e.png", "f.jpg"] {
            assert_eq!(all.source(none, 100), None, "{none}");
        }
    }
}
