use crate::document::Role;
use tally_core::knowledge::MediaFamily;
use tally_core::model::MediaVerdict;

/// The heading above the media of a family.
pub const fn media_family(family: MediaFamily) -> &'static str {
    match family {
        MediaFamily::Archives => "Archives",
        MediaFamily::Music => "Music",
        MediaFamily::Video => "Video",
        MediaFamily::Pictures => "Pictures",
        MediaFamily::Documents => "Documents",
        MediaFamily::Packages => "Packages and disk images",
        MediaFamily::Links => "Links",
        MediaFamily::Devices => "Drives and devices",
    }
}

/// Whether it works, and what that means.
pub const fn media_verdict(verdict: MediaVerdict) -> (Role, &'static str) {
    match verdict {
        MediaVerdict::Yes => (Role::Plain, "yes"),
        MediaVerdict::NoDecoder => (Role::LookTwice, "no decoder"),
        MediaVerdict::No => (Role::Dim, "no"),
        MediaVerdict::Unknown => (Role::Plain, "?"),
    }
}

/// The same as a value of a list that changed.
pub fn media_value(name: &str) -> &str {
    MediaVerdict::from_name(name).map_or(name, |verdict| match verdict {
        MediaVerdict::Yes => "works",
        MediaVerdict::NoDecoder => "opens, no decoder",
        MediaVerdict::No => "does not work",
        MediaVerdict::Unknown => "not known",
    })
}
