use super::{Evidence, PackageRef, Text};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

crate::vocabulary! {
    /// What a picture is for, in the order in which it is told.
    pub enum PictureKind {
        /// The background of a desktop.
        Wallpaper = "wallpaper",
        /// The background of the login screen.
        Login = "login",
        /// What is seen while the machine starts.
        Boot = "boot",
        /// A logo of the distribution.
        Logo = "logo",
        /// A face for a user.
        Avatar = "avatar",
        /// The icon of an application.
        Icon = "icon",
    }
}

/// A picture of an install.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Picture {
    /// What it is for.
    pub kind: PictureKind,
    /// Its name; of an icon the application's identifier.
    pub name: Text,
    /// `jpeg`, `png`, `svg` and the like; empty where the file is none that is known.
    pub format: Text,
    /// Pixels across; `null` where its header does not tell.
    #[serde(default)]
    pub width: Option<u32>,
    /// Pixels down.
    #[serde(default)]
    pub height: Option<u32>,
    /// Bytes of the file.
    pub bytes: u64,
    /// SHA-256 of the file.
    pub sha256: Text,
    /// What it looks like, as 112 hexadecimal digits: 64 for 256 bits of where it gets darker, 48 for its colours. Pictures that differ
    /// little in both show the same. `null` where it was not decoded.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub likeness: Option<Text>,
    /// The file of its thumbnail in the folder beside the tally.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub thumbnail: Option<Text>,
    /// Whether it is the one that a new user sees.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub default: bool,
    /// The package that it is in.
    #[serde(default)]
    pub package: Option<PackageRef>,
    /// The file.
    #[serde(default)]
    pub evidence: Evidence,
}

/// Digits of a likeness that tell where a picture gets darker; the others tell colours.
const SHAPE: usize = 64;
/// Bits of 256 in which pictures may differ that show the same.
const ALIKE: u32 = 32;
/// Steps of 16 by which the colours of pictures may differ in all that show the same.
const COLOURS: u32 = 30;

impl Picture {
    /// A picture of which nothing but the name is known.
    pub fn unread(name: impl Into<Text>) -> Self {
        Self {
            kind: PictureKind::Wallpaper,
            name: name.into(),
            format: Text::default(),
            width: None,
            height: None,
            bytes: 0,
            sha256: Text::default(),
            likeness: None,
            thumbnail: None,
            default: false,
            package: None,
            evidence: Evidence::default(),
        }
    }

    /// How far two pictures are from one another: bits of their shapes, of 256, and steps of their colours; `None` where one was not
    /// decoded.
    pub fn distance(&self, other: &Self) -> Option<(u32, u32)> {
        let (own, other) = (self.likeness.as_ref()?, other.likeness.as_ref()?);
        if own.len() != other.len() {
            return None;
        }
        let digit = |byte: u8| (byte as char).to_digit(16);
        let pairs = own.bytes().zip(other.bytes()).map(|(a, b)| Some((digit(a)?, digit(b)?)));
        let pairs: Vec<(u32, u32)> = pairs.collect::<Option<_>>()?;
        let (shape, colours) = pairs.split_at(SHAPE.min(pairs.len()));
        let bits = shape.iter().map(|(a, b)| (a ^ b).count_ones()).sum();
        Some((bits, colours.iter().map(|(a, b)| a.abs_diff(*b)).sum()))
    }

    /// How it stands to another one.
    pub fn beside(&self, other: &Self) -> Sameness {
        if self.sha256 == other.sha256 {
            Sameness::Same
        } else if self.distance(other).is_some_and(|(bits, steps)| bits <= ALIKE && steps <= COLOURS) {
            Sameness::Alike
        } else {
            Sameness::Other
        }
    }
}

crate::vocabulary! {
    /// How two pictures stand to one another, the nearest first.
    pub enum Sameness {
        /// The same file.
        Same = "same",
        /// The same picture, cut or compressed otherwise.
        Alike = "alike",
        /// Another picture.
        Other = "other",
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn picture(sha256: &str, likeness: Option<&str>) -> Picture {
        Picture {
            kind: PictureKind::Wallpaper,
            name: "tide".into(),
            format: "png".into(),
            width: None,
            height: None,
            bytes: 0,
            sha256: sha256.into(),
            likeness: likeness.map(Text::from),
            thumbnail: None,
            default: false,
            package: None,
            evidence: Evidence::default(),
        }
    }

    #[test]
    fn what_differs_in_few_bits_shows_the_same() {
        let (zero, few, many) = ("0".repeat(64), format!("{}ff", "0".repeat(62)), "f".repeat(64));
        let one = picture("a", Some(&zero));
        assert_eq!(one.beside(&picture("a", None)), Sameness::Same);
        assert_eq!(one.distance(&picture("b", Some(&few))), Some((8, 0)));
        assert_eq!(one.beside(&picture("b", Some(&few))), Sameness::Alike);
        let coloured = |digit: &str| picture("c", Some(&format!("{zero}{}", digit.repeat(48))));
        assert_eq!(coloured("0").distance(&coloured("1")), Some((0, 48)));
        assert_eq!(
            coloured("0").beside(&Picture { sha256: "d".into(), ..coloured("1") }),
            Sameness::Other,
            "other colours"
        );
        assert_eq!(one.beside(&picture("b", Some(&many))), Sameness::Other);
        assert_eq!(one.beside(&picture("b", None)), Sameness::Other);
        assert_eq!(one.distance(&picture("b", Some("0"))), None, "another measure");
        assert_eq!(one.distance(&picture("b", Some(&"x".repeat(64)))), None);
    }
}
