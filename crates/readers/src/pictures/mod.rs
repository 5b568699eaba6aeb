//! Pictures of an install: wallpapers, what is seen at the start and at the login, logos, faces, icons of applications.
//!
//! Only on request. Every file is hashed, and its header tells what it measures; with the feature `pictures` it is decoded as well,
//! within bounds, so that there are thumbnails and it can be told what shows the same. Pictures are a stranger's: what is kept of
//! them was made anew, and drawings (SVG) are told and not shown.

#[cfg(feature = "pictures")]
mod deadline;
#[cfg(feature = "pictures")]
mod decode;
mod icons;
mod svg;

use crate::looks;
use crate::settings::resolved;
use crate::text::name_text;
use rayon::prelude::*;
use sha2::{Digest, Sha256};
use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write;
use std::path::Path;
use std::sync::Mutex;
#[cfg(feature = "pictures")]
use std::sync::atomic::{AtomicU64, Ordering};
use tally_core::model::{Evidence, Picture, PictureKind, Tally, Text};
use tally_trees::{NodeKind, Tree};

/// Endings of pictures.
const PICTURES: &[&str] =
    &["jpg", "jpeg", "png", "svg", "svgz", "webp", "jxl", "avif", "heic", "gif", "bmp", "tif", "tiff"];

/// Bytes of a file that is read whole; a larger one is hashed alone.
const WHOLE: u64 = 64 << 20;
/// Bytes of a file that is hashed, at most.
const HASHED: u64 = 1 << 30;
/// Bytes of a header.
const HEAD: usize = 64 << 10;
/// Pictures that are told, at most.
const MOST: usize = 4000;
/// Pictures that are held at one time: each may take 200 MB while it is decoded.
const AT_ONCE: usize = 2;
/// Pixels of all pictures that are decoded: those of 300 photographs.
#[cfg(feature = "pictures")]
const PIXELS: u64 = 3_000_000_000;

/// What a thumbnail is kept as: the name of its file, and its bytes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Thumbnail {
    /// The name of its file: the beginning of the picture's hash, and an ending.
    pub name: String,
    /// A JPEG or PNG.
    pub bytes: Vec<u8>,
}

/// What pictures are looked at with.
struct Looking<'a> {
    tree: &'a dyn Tree,
    /// Thumbnails that are kept.
    #[cfg_attr(not(feature = "pictures"), expect(dead_code, reason = "only a decoder makes any"))]
    thumbnails: &'a Mutex<Vec<Thumbnail>>,
    #[cfg(feature = "pictures")]
    deadline: deadline::Deadline,
    /// Pixels that were decoded.
    #[cfg(feature = "pictures")]
    pixels: AtomicU64,
}

/// A picture that was found, before it is looked at.
struct Found {
    kind: PictureKind,
    name: Text,
    path: String,
}

/// Whether this build decodes pictures.
pub const DECODES: bool = cfg!(feature = "pictures");

/// A picture by itself: its hash, and what it looks like, as a tally has them. One that is not decoded has its hash alone; `format` is empty
/// for what is no picture.
pub fn likeness_of(name: &str, bytes: &[u8]) -> Picture {
    let tree = tally_trees::MemoryTree::new().file(name, bytes);
    let found = Found { kind: PictureKind::Wallpaper, name: name.into(), path: name.to_owned() };
    let looked = Looking::new(&tree, &Mutex::new(Vec::new())).at(&found);
    looked.unwrap_or_else(|| Picture::unread(name))
}

/// Reads the pictures of an install of which the rest is known; thumbnails go where they are kept.
pub(crate) fn read(tree: &dyn Tree, tally: &Tally, thumbnails: &Mutex<Vec<Thumbnail>>) -> Vec<Picture> {
    let mut found = wallpapers(tree);
    found.extend(others(tree));
    found.extend(icons::found(tree, tally));
    if found.len() > MOST {
        let more = found.len() - MOST;
        tree.note(Path::new("usr/share"), &format!("has {more} more pictures than are told"));
        found.truncate(MOST);
    }
    let looking = Looking::new(tree, thumbnails);
    let look = || found.par_iter().filter_map(|one| looking.at(one)).collect::<Vec<_>>();
    let pool = rayon::ThreadPoolBuilder::new().num_threads(AT_ONCE).build();
    let mut pictures = pool
        .map_or_else(|_| found.iter().filter_map(|one| looking.at(one)).collect(), |pool| pool.install(look));
    for picture in &mut pictures {
        picture.default = picture.kind == PictureKind::Wallpaper
            && tally.looks.default_wallpaper.as_ref().is_some_and(|name| *name == picture.name);
    }
    pictures.sort_by(|a, b| (a.kind, &a.name, &a.evidence.file).cmp(&(b.kind, &b.name, &b.evidence.file)));
    if let Ok(mut kept) = thumbnails.lock() {
        kept.sort_by(|a, b| a.name.cmp(&b.name));
        kept.dedup_by(|a, b| a.name == b.name);
    }
    pictures
}

fn is_picture(path: &Path) -> bool {
    let ending = path.extension().and_then(|ending| ending.to_str()).map(str::to_lowercase);
    ending.is_some_and(|ending| PICTURES.contains(&ending.as_str()))
}

/// Wallpapers: each file of a folder; of a pack the largest of its sizes, light and dark.
fn wallpapers(tree: &dyn Tree) -> Vec<Found> {
    let mut packs: BTreeMap<String, (u64, String)> = BTreeMap::new();
    let mut single = BTreeSet::new();
    // A folder may be a link to where the pictures of a theme are.
    let mut folders: Vec<String> = looks::WALLPAPERS.iter().map(ToString::to_string).collect();
    for folder in looks::WALLPAPERS {
        let links = tree.names(folder).into_iter().filter(|entry| entry.kind == NodeKind::Link);
        let targets = links.map(|entry| resolved(tree, &format!("{folder}/{}", name_text(&entry.name))));
        let elsewhere =
            |target: &String| !looks::WALLPAPERS.iter().any(|known| Path::new(target).starts_with(known));
        folders.extend(targets.filter(elsewhere).filter(|target| tree.is_folder(target)));
    }
    folders.sort();
    folders.dedup();
    for (path, kind) in folders.iter().flat_map(|folder| tree.files_below(folder, looks::DEPTH)) {
        if kind == NodeKind::Folder || !is_picture(&path) {
            continue;
        }
        let file = path.to_string_lossy().into_owned();
        let in_pack = ["/contents/images/", "/contents/images_dark/"].iter().find_map(|inside| {
            Some((file.split_once(inside)?.0.to_owned() + inside, &file[file.rfind('/')? + 1..]))
        });
        match in_pack {
            Some((pack, name)) => {
                let size = pixels_by_name(name);
                let best = packs.entry(pack).or_insert_with(|| (size, file.clone()));
                if size > best.0 {
                    *best = (size, file.clone());
                }
            }
            // What a pack shows of itself is no wallpaper.
            None if file.contains("/contents/") => {}
            None => _ = single.insert(file),
        }
    }
    let mut seen = BTreeSet::new();
    let found = |path: String| {
        let mut name = looks::picture_name(tree, &format!("/{path}"));
        if path.contains("/images_dark/") {
            name = format!("{name} (dark)").into();
        }
        Found { kind: PictureKind::Wallpaper, name, path }
    };
    // A link to a picture that is there anyway is the same picture.
    packs
        .into_values()
        .map(|(_, file)| file)
        .chain(single)
        .filter(|file| seen.insert(resolved(tree, file)))
        .map(found)
        .collect()
}

/// Pixels that a file of a pack is called after: `1920x1080.png`.
fn pixels_by_name(name: &str) -> u64 {
    let stem = name.split('.').next().unwrap_or(name);
    let sides = stem
        .split_once('x')
        .and_then(|(width, height)| Some(width.parse::<u64>().ok()?.saturating_mul(height.parse().ok()?)));
    sides.unwrap_or(0)
}

/// Places of other pictures: the folder, how deep, and what they are for.
const OTHERS: &[(&str, usize, PictureKind, &[&str])] = &[
    ("usr/share/sddm/themes", 2, PictureKind::Login, &["background", "wallpaper"]),
    ("usr/share/desktop-base/active-theme/login", 1, PictureKind::Login, &["background"]),
    ("usr/share/plymouth/themes", 1, PictureKind::Boot, &["background", "watermark", "logo", "wallpaper"]),
    ("boot/grub/themes", 1, PictureKind::Boot, &["background"]),
    ("usr/share/desktop-base/active-theme/grub", 1, PictureKind::Boot, &["grub"]),
    ("usr/share/pixmaps/faces", 1, PictureKind::Avatar, &[""]),
    ("usr/share/plasma/avatars", 1, PictureKind::Avatar, &[""]),
    ("usr/share/pixmaps", 0, PictureKind::Logo, &["logo"]),
    ("usr/share/desktop-base/debian-logos", 0, PictureKind::Logo, &["logo"]),
];

fn others(tree: &dyn Tree) -> Vec<Found> {
    let mut seen = BTreeSet::new();
    let mut found = Vec::new();
    for (folder, depth, kind, words) in OTHERS {
        for (path, node) in tree.files_below(folder, *depth) {
            let stem = path.file_stem().map(name_text).unwrap_or_default().to_lowercase();
            let fits = words.iter().any(|word| stem.contains(word));
            if node == NodeKind::Folder || !fits || !is_picture(&path) {
                continue;
            }
            let path = path.to_string_lossy().into_owned();
            let real = resolved(tree, &path);
            if !seen.insert(real.clone()) {
                continue;
            }
            // The theme names it, where its own name says nothing.
            let theme =
                path.strip_prefix(folder).and_then(|rest| rest.trim_start_matches('/').split_once('/'));
            let name = theme
                .map_or_else(|| Text::from(stem.as_str()), |(theme, _)| format!("{theme}: {stem}").into());
            found.push(Found { kind: *kind, name, path: real });
        }
    }
    found
}

/// The hash of a file that is too large to be held, and its beginning.
fn hashed(tree: &dyn Tree, path: &Path) -> Option<(u64, sha2::digest::Output<Sha256>, Vec<u8>)> {
    let file = tree.open(path).ok()?;
    let (mut hash, mut at, mut head) = (Sha256::new(), 0_u64, Vec::new());
    let mut buffer = vec![0; 1 << 20];
    loop {
        let read = file.read_at(at, &mut buffer).ok()?;
        if read == 0 {
            return Some((at, hash.finalize(), head));
        }
        if at == 0 {
            head = buffer[..read.min(HEAD)].to_vec();
        }
        hash.update(&buffer[..read]);
        at += read as u64;
        if at > HASHED {
            tree.note(path, "is larger than any picture that is read");
            return None;
        }
    }
}

/// The format and the pixels across and down, as the header has them.
fn header(path: &str, head: &[u8], whole: Option<&[u8]>) -> (&'static str, Option<(u32, u32)>) {
    use imagesize::ImageType;
    let format = match imagesize::image_type(head) {
        Ok(ImageType::Png) => "png",
        Ok(ImageType::Jpeg) => "jpeg",
        Ok(ImageType::Webp) => "webp",
        Ok(ImageType::Gif) => "gif",
        Ok(ImageType::Bmp) => "bmp",
        Ok(ImageType::Tiff) => "tiff",
        Ok(ImageType::Jxl) => "jxl",
        Ok(ImageType::Heif(_)) if path.ends_with(".avif") => "avif",
        Ok(ImageType::Heif(_)) => "heif",
        _ => {
            let drawing = whole.and_then(svg::size);
            return if drawing.is_some() || path.ends_with(".svg") { ("svg", drawing) } else { ("", None) };
        }
    };
    // What comes before the size may be longer than a header should be.
    let size = imagesize::blob_size(whole.unwrap_or(head)).ok();
    let sides =
        size.and_then(|size| Some((u32::try_from(size.width).ok()?, u32::try_from(size.height).ok()?)));
    (format, sides)
}

impl<'a> Looking<'a> {
    fn new(tree: &'a dyn Tree, thumbnails: &'a Mutex<Vec<Thumbnail>>) -> Self {
        Self {
            tree,
            thumbnails,
            #[cfg(feature = "pictures")]
            deadline: deadline::Deadline::default(),
            #[cfg(feature = "pictures")]
            pixels: AtomicU64::new(0),
        }
    }

    /// What the file of a picture says; none where there is no file.
    fn at(&self, found: &Found) -> Option<Picture> {
        let tree = self.tree;
        let path = Path::new(&found.path);
        let node = tree.node(path, true).ok()?;
        if node.kind != NodeKind::File {
            return None;
        }
        let whole = (node.size <= WHOLE).then(|| tree.read(path).ok()).flatten();
        let (bytes, hash, head) = match &whole {
            Some(content) => {
                (content.len() as u64, Sha256::digest(content), content[..content.len().min(HEAD)].to_vec())
            }
            None => hashed(tree, path)?,
        };
        let (format, size) = header(&found.path, &head, whole.as_deref());
        let mut sha256 = String::with_capacity(64);
        hash.iter().for_each(|byte| _ = write!(sha256, "{byte:02x}"));
        #[cfg_attr(not(feature = "pictures"), expect(unused_mut, reason = "a decoder adds to it"))]
        let mut picture = Picture {
            kind: found.kind,
            name: found.name.clone(),
            format: format.into(),
            width: size.map(|size| size.0),
            height: size.map(|size| size.1),
            bytes,
            sha256: sha256.into(),
            likeness: None,
            thumbnail: None,
            default: false,
            package: None,
            evidence: Evidence::file(found.path.as_str()),
        };
        #[cfg(feature = "pictures")]
        if let Some(content) = whole {
            self.decode(content, &mut picture);
        }
        Some(picture)
    }

    /// Makes a thumbnail, and tells what a picture looks like.
    #[cfg(feature = "pictures")]
    fn decode(&self, content: Vec<u8>, picture: &mut Picture) {
        if ["png", "jpeg", "webp"].contains(&picture.format.as_str()) && self.may_decode(picture) {
            let (format, is_icon) = (picture.format.clone(), picture.kind == PictureKind::Icon);
            match decode::made_of(&self.deadline, format, is_icon, content) {
                Ok(decode::Made { small, likeness }) => {
                    if let Some(bytes) = small {
                        self.keep(picture, if is_icon { "png" } else { "jpg" }, bytes);
                    }
                    picture.likeness = likeness.map(Text::from);
                }
                Err(why) => self.tree.note(Path::new(picture.evidence.file.as_str()), why),
            }
        }
    }

    /// Whether the pixels of a picture may be decoded besides those of the others.
    #[cfg(feature = "pictures")]
    fn may_decode(&self, picture: &Picture) -> bool {
        let sides = picture.width.zip(picture.height).unwrap_or_default();
        let pixels = u64::from(sides.0) * u64::from(sides.1);
        let is_in_bounds = self.pixels.fetch_add(pixels, Ordering::Relaxed).saturating_add(pixels) <= PIXELS;
        if !is_in_bounds {
            let why = "is not shown: the pictures before it have as many pixels as are decoded";
            self.tree.note(Path::new(picture.evidence.file.as_str()), why);
        }
        is_in_bounds
    }

    #[cfg(feature = "pictures")]
    fn keep(&self, picture: &mut Picture, ending: &str, bytes: Vec<u8>) {
        let name = format!("{}.{ending}", &picture.sha256[..16]);
        picture.thumbnail = Some(name.as_str().into());
        if let Ok(mut kept) = self.thumbnails.lock() {
            kept.push(Thumbnail { name, bytes });
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use tally_core::model::{Label, Medium, Taken};
    use tally_trees::{MemoryTree, Watched};

    fn empty() -> Tally {
        let taken = Taken {
            at: "".into(),
            from: "".into(),
            medium: Medium::Image,
            layer: None,
            sha256: None,
            root: None,
        };
        Tally::new("test", taken, Label::default())
    }

    const DRAWING: &str =
        "<svg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 320 200'><rect width='9' height='9'/></svg>";

    #[test]
    fn wallpapers_are_found_once_each_and_the_largest_of_a_pack() {
        let tree = MemoryTree::new()
            .file("usr/share/backgrounds/weir/fog.svg", DRAWING)
            .link("usr/share/backgrounds/default.svg", "weir/fog.svg")
            .file("usr/share/backgrounds/weir/notes.txt", "")
            .file("usr/share/wallpapers/Tide/contents/images/1x1.png", "small")
            .file("usr/share/wallpapers/Tide/contents/images/3x2.png", "large")
            .file("usr/share/wallpapers/Tide/contents/images_dark/3x2.png", "dark")
            .file("usr/share/wallpapers/Tide/contents/screenshot.png", "shot")
            .file("usr/share/pixmaps/marsh-logo.svg", DRAWING)
            .file("usr/share/pixmaps/other.svg", DRAWING);
        let kept = Mutex::new(Vec::new());
        let pictures = read(&tree, &empty(), &kept);
        let told: Vec<(&str, &str)> = pictures
            .iter()
            .map(|one| (one.name.as_str(), one.evidence.file.rsplit('/').next().unwrap()))
            .collect();
        assert_eq!(
            told,
            [
                ("Tide", "3x2.png"),
                ("Tide (dark)", "3x2.png"),
                ("fog", "default.svg"),
                ("marsh-logo", "marsh-logo.svg")
            ]
        );
        let fog = &pictures[2];
        assert_eq!((fog.format.as_str(), fog.width, fog.height), ("svg", Some(320), Some(200)));
        assert_eq!((fog.sha256.len(), fog.bytes), (64, DRAWING.len() as u64));
        let kept = kept.into_inner().unwrap();
        assert!(kept.is_empty() && fog.thumbnail.is_none(), "a drawing is told, and not shown");
    }

    #[test]
    fn what_is_no_picture_is_told_by_its_name_and_hash() {
        let tree = MemoryTree::new()
            .file("usr/share/backgrounds/broken.png", "\u{89}PNG but not really")
            .file("usr/share/backgrounds/bomb.svg", "<!DOCTYPE a [<!ENTITY b 'c'>]><svg>&b;</svg>");
        let watched = Watched::new(&tree);
        let pictures = read(&watched, &empty(), &Mutex::new(Vec::new()));
        assert_eq!(pictures.len(), 2);
        assert!(pictures.iter().all(|one| one.thumbnail.is_none() && one.likeness.is_none()));
    }
}
