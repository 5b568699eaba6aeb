use crate::document::Role;
use tally_core::compare::PictureChangeKind;
use tally_core::model::{PictureKind, Sameness};

/// The heading above pictures of a kind.
pub const fn picture_kind(kind: PictureKind) -> &'static str {
    match kind {
        PictureKind::Wallpaper => "Wallpapers",
        PictureKind::Login => "Login screen",
        PictureKind::Boot => "At the start",
        PictureKind::Logo => "Logos",
        PictureKind::Avatar => "Faces for users",
        PictureKind::Icon => "Icons of apps",
    }
}

/// A format as people write it.
pub fn picture_format(format: &str) -> String {
    match format {
        "" => "no picture".to_owned(),
        "webp" => "WebP".to_owned(),
        "jxl" => "JPEG XL".to_owned(),
        other => other.to_uppercase(),
    }
}

/// What happened to a picture.
pub const fn picture_change(change: PictureChangeKind) -> (Role, &'static str) {
    match change {
        PictureChangeKind::New => (Role::Came, "new"),
        PictureChangeKind::Kept => (Role::Plain, "kept"),
        PictureChangeKind::Alike => (Role::Changed, "same picture, made anew"),
        PictureChangeKind::SameName => (Role::Changed, "same name, another file"),
        PictureChangeKind::Gone => (Role::Went, "gone"),
    }
}

/// How a picture stands to the one that was asked for.
pub const fn sameness(how: Sameness) -> &'static str {
    match how {
        Sameness::Same => "the same file",
        Sameness::Alike => "the same picture",
        Sameness::Other => "another picture",
    }
}
