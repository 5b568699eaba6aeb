use crate::document::Role;
use anstyle::{Ansi256Color, Style};

/// The meaning of a colour.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Ink {
    /// Text.
    Text,
    /// Text that matters less.
    Dim,
    /// Rules.
    Rule,
    /// Figures that mean nothing but their size.
    Plain,
    /// It came.
    Came,
    /// It went.
    Went,
    /// It changed.
    Changed,
    /// Between the ground (0) and the colour of figures (1).
    Shade(f32),
    /// Text upon a shade of that strength.
    Upon(f32),
}

/// Colours by meaning. The four meanings differ in brightness too, and words always say the same.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Palette {
    /// No colour at all.
    #[default]
    Plain,
    /// For a terminal.
    Coloured,
}

impl Palette {
    /// The style of a role; plain without colour.
    pub fn style(self, role: Role) -> Style {
        let colour = |code: u8| Style::new().fg_color(Some(Ansi256Color(code).into()));
        match (self, role) {
            (Self::Plain, _) | (_, Role::Plain) => Style::new(),
            (_, Role::Came) => colour(37),
            (_, Role::Went) => colour(208),
            (_, Role::Changed) => colour(75),
            (_, Role::LookTwice) => colour(220).bold(),
            (_, Role::Dim) => Style::new().dimmed(),
            (_, Role::Strong) => Style::new().bold(),
        }
    }
}

/// A colour of a page or a picture: red, green, blue.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Colour(pub u8, pub u8, pub u8);

impl Colour {
    /// `#00695c`.
    pub fn hex(self) -> String {
        let Self(r, g, b) = self;
        format!("#{r:02x}{g:02x}{b:02x}")
    }

    /// Between this one (0) and another (1).
    fn towards(self, other: Self, share: f32) -> Self {
        #[allow(
            clippy::cast_possible_truncation,
            clippy::cast_sign_loss,
            reason = "a mean of two bytes is one"
        )]
        let mean = |a: u8, b: u8| {
            (f32::from(a) + (f32::from(b) - f32::from(a)) * share.clamp(0.0, 1.0)).round() as u8
        };
        Self(mean(self.0, other.0), mean(self.1, other.1), mean(self.2, other.2))
    }
}

/// The ground of a picture, and with it all colours on it. The same meanings have the same colours as in a page.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Theme {
    /// Dark on light.
    #[default]
    Light,
    /// Light on dark.
    Dark,
}

impl Theme {
    /// What everything stands on.
    pub const fn ground(self) -> Colour {
        match self {
            Self::Light => Colour(0xff, 0xff, 0xff),
            Self::Dark => Colour(0x14, 0x18, 0x1b),
        }
    }

    /// The colour of a meaning; each has a contrast of 4.5 at least with the ground, rules aside.
    pub fn ink(self, ink: Ink) -> Colour {
        let light = self == Self::Light;
        let either = |a: u32, b: u32| {
            let [_, r, g, b] = (if light { a } else { b }).to_be_bytes();
            Colour(r, g, b)
        };
        match ink {
            Ink::Text => either(0x1c_2226, 0xe4_e9ec),
            Ink::Dim => either(0x5b_666d, 0x9a_a5ac),
            Ink::Rule => either(0xd5_dbdf, 0x33_3b41),
            Ink::Plain => either(0x3d_5a80, 0x9d_b8d8),
            Ink::Came => either(0x00_695c, 0x5c_c8b8),
            Ink::Went => either(0xa0_4000, 0xff_ab70),
            Ink::Changed => either(0x1a_56b0, 0x8f_b8ff),
            Ink::Shade(strength) => self.ground().towards(self.ink(Ink::Plain), strength),
            Ink::Upon(strength) if strength > 0.65 => self.ground(),
            Ink::Upon(_) => self.ink(Ink::Text),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Relative luminance, by WCAG 2.
    fn luminance(Colour(r, g, b): Colour) -> f64 {
        let part = |c: u8| {
            let c = f64::from(c) / 255.0;
            if c <= 0.04045 { c / 12.92 } else { ((c + 0.055) / 1.055).powf(2.4) }
        };
        0.2126 * part(r) + 0.7152 * part(g) + 0.0722 * part(b)
    }

    fn contrast(a: Colour, b: Colour) -> f64 {
        let (a, b) = (luminance(a), luminance(b));
        (a.max(b) + 0.05) / (a.min(b) + 0.05)
    }

    #[test]
    fn every_colour_can_be_read_on_its_ground() {
        for theme in [Theme::Light, Theme::Dark] {
            for ink in [Ink::Text, Ink::Dim, Ink::Plain, Ink::Came, Ink::Went, Ink::Changed] {
                assert!(contrast(theme.ground(), theme.ink(ink)) >= 4.5, "{theme:?} {ink:?}");
            }
            for percent in 0_u8..=100 {
                let strength = f32::from(percent) / 100.0;
                let found = contrast(theme.ink(Ink::Shade(strength)), theme.ink(Ink::Upon(strength)));
                assert!(found >= 3.0, "{theme:?} {percent}: {found}");
            }
        }
    }
}
