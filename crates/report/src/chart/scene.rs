use crate::style::Ink;

/// Which point of a text its place is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Anchor {
    /// Its beginning.
    Start,
    /// Its middle.
    Middle,
    /// Its end.
    End,
}

/// A piece of a picture; lengths are pixels, from the upper left corner.
#[derive(Debug, Clone, PartialEq)]
pub enum Item {
    /// A filled rectangle.
    Box {
        /// Left side.
        x: f32,
        /// Upper side.
        y: f32,
        /// Width.
        w: f32,
        /// Height.
        h: f32,
        /// Colour.
        ink: Ink,
    },
    /// A text on one line; `y` is its base line.
    Text {
        /// The anchor's place.
        x: f32,
        /// Base line.
        y: f32,
        /// Height of the letters' square.
        size: f32,
        /// Which point `x` is.
        anchor: Anchor,
        /// Whether it is bold.
        bold: bool,
        /// Colour.
        ink: Ink,
        /// What it says.
        text: String,
    },
}

/// A picture, laid out.
#[derive(Debug, Clone, PartialEq)]
pub struct Scene {
    /// Width in pixels.
    pub width: f32,
    /// Height in pixels.
    pub height: f32,
    /// What it shows.
    pub title: String,
    /// All its figures in words, for whoever can't see it.
    pub words: String,
    /// Its pieces, the lowest first.
    pub items: Vec<Item>,
}
