//! A wallpaper that is set, followed to the picture and its name.

use crate::keyfile::KeyFile;
use crate::settings::resolved;
use crate::xml;
use tally_core::model::{Reduced, Text};
use tally_trees::{NodeKind, Tree};

/// Lists of pictures that name each other, at most.
const DEEPEST: usize = 4;
/// Names that say nothing of a picture.
const PLAIN: &[&str] =
    &["default", "background", "wallpaper", "desktop-background", "desktop", "images", "contents"];

/// The name of the picture that a setting comes to: `file:///usr/...`, a path, or the name of a pack. The setting itself where no such
/// picture is there.
pub(crate) fn name(tree: &dyn Tree, setting: &str) -> Text {
    let plain = setting.strip_prefix("file://").unwrap_or(setting).replace("%20", " ");
    let mut path = match plain.strip_prefix('/') {
        Some(path) => path.to_owned(),
        None => format!("usr/share/wallpapers/{plain}"),
    };
    for _ in 0..DEEPEST {
        path = resolved(tree, &path);
        match path.ends_with(".xml").then(|| first_picture(tree, &path)).flatten() {
            Some(next) => path = next.trim_start_matches('/').to_owned(),
            None => break,
        }
    }
    let pack = path.split_once("/contents/images").map_or(path.as_str(), |(pack, _)| pack);
    let is_pack = tree.node(std::path::Path::new(pack), true).is_ok_and(|node| node.kind == NodeKind::Folder);
    let said = is_pack.then(|| said_name(tree, pack)).flatten();
    // A picture in a home is called by its file alone.
    said.unwrap_or_else(|| by_path(&Reduced::value(&format!("/{pack}"))))
}

/// The first picture of a list, which may be a slide show.
fn first_picture(tree: &dyn Tree, file: &str) -> Option<Text> {
    let mut found = None;
    _ = xml::walk(&tree.read(file).ok()?, |step| {
        if let xml::Step::Close { path, text } = step
            && found.is_none()
            && path.last().is_some_and(|name| matches!(name.as_str(), "filename" | "file" | "size"))
            && text.trim().starts_with('/')
        {
            found = Some(text.trim().into());
        }
    });
    found
}

/// What a pack calls itself.
fn said_name(tree: &dyn Tree, pack: &str) -> Option<Text> {
    if let Ok(bytes) = tree.read(format!("{pack}/metadata.json")) {
        let json: serde_json::Value = serde_json::from_slice(&bytes).ok()?;
        return json.get("KPlugin")?.get("Name")?.as_str().map(Text::from);
    }
    let file = format!("{pack}/metadata.desktop");
    KeyFile::parse(&file, &tree.read(&file).ok()?).group("Desktop Entry")?.string("Name")
}

/// The last part of a path that says something.
fn by_path(path: &str) -> Text {
    let mut parts = path.rsplit('/').peekable();
    let last = parts.next().unwrap_or(path);
    let stem = last.rsplit_once('.').map_or(last, |(stem, _)| stem);
    let is_size = |name: &str| name.bytes().all(|byte| byte.is_ascii_digit() || byte == b'x');
    if !PLAIN.contains(&stem) && !is_size(stem) {
        return stem.into();
    }
    let above = parts.find(|part| !PLAIN.contains(part)).unwrap_or(stem);
    above.strip_suffix("-theme").unwrap_or(above).into()
}
