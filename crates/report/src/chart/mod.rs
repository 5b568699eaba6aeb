//! Charts: a few figures of a result as a picture, for a page and to lay over a video.
//!
//! Data flows one way: a result gives [`Chart`]s (what is shown), a chart lays itself out as a [`Scene`] (where it stands), and a scene
//! becomes SVG or PNG. Every figure stands beside its shape as a number, every colour's meaning as a word.

mod data;
mod font;
mod layout;
mod raster;
mod scene;
mod svg;

pub use data::{of_comparison, of_grid, of_install, of_releases};
pub use scene::{Anchor, Ink, Item, Scene};

use crate::style::Theme;

/// A picture of figures.
#[derive(Debug, Clone, PartialEq)]
pub struct Chart {
    /// Stable name: `kinds`, `menu`, `weight`, `changes`, `decisions`, `likeness`, `releases`.
    pub name: &'static str,
    /// What is shown, of what.
    pub title: String,
    /// The unit, and what to know.
    pub aside: String,
    /// The figures.
    pub shape: Shape,
}

/// How figures are shown.
#[derive(Debug, Clone, PartialEq)]
pub enum Shape {
    /// A bar for each, from one line; those below zero go to the left.
    Bars(Vec<Bar>),
    /// How alike each two are, from 0 to 1.
    Likeness {
        /// The installs, in the order of rows and columns.
        names: Vec<String>,
        /// Rows.
        alike: Vec<Vec<f64>>,
    },
    /// Versions through releases.
    Releases {
        /// The releases, oldest first.
        columns: Vec<String>,
        /// A name, and its version in each release; nothing where it is not there.
        rows: Vec<(String, Vec<Option<String>>)>,
    },
}

/// A figure.
#[derive(Debug, Clone, PartialEq)]
pub struct Bar {
    /// What it is of.
    pub name: String,
    /// How long.
    pub value: f64,
    /// The figure in words, with its unit where that is not the same for all.
    pub shown: String,
    /// What it means.
    pub ink: Ink,
}

/// Pixels of a picture.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Size {
    /// Width.
    pub width: u32,
    /// Height.
    pub height: u32,
}

impl Size {
    /// As most videos have it.
    pub const VIDEO: Self = Self { width: 1920, height: 1080 };
    /// The smallest and largest sides that are drawn.
    const SIDES: std::ops::RangeInclusive<u32> = 200..=8192;
}

impl Default for Size {
    fn default() -> Self {
        Self::VIDEO
    }
}

impl std::str::FromStr for Size {
    type Err = String;

    /// `1920x1080`; each side from 200 to 8192.
    fn from_str(text: &str) -> Result<Self, String> {
        let sides = text.split_once('x').and_then(|(w, h)| Some((w.parse().ok()?, h.parse().ok()?)));
        match sides {
            Some((width, height)) if Self::SIDES.contains(&width) && Self::SIDES.contains(&height) => {
                Ok(Self { width, height })
            }
            _ => Err(format!("`{text}` is no size like 1920x1080, with sides from 200 to 8192")),
        }
    }
}

impl Chart {
    /// Whether there is anything to see.
    pub fn is_empty(&self) -> bool {
        match &self.shape {
            Shape::Bars(bars) => bars.is_empty(),
            Shape::Likeness { names, .. } => names.len() < 2,
            Shape::Releases { rows, columns } => rows.is_empty() || columns.len() < 2,
        }
    }

    /// The chart as an SVG document of its own.
    pub fn svg(&self, size: Size, theme: Theme, transparent: bool) -> String {
        let scene = layout::draw(self, size);
        svg::document(&scene, theme, transparent)
    }

    /// The chart as part of a page, in the colours of the page, as high as its figures need.
    pub fn inline(&self) -> String {
        svg::inline(&layout::draw(self, layout::page_size(self)))
    }

    /// The chart as a PNG.
    ///
    /// # Errors
    /// When the picture can't be encoded.
    pub fn png(&self, size: Size, theme: Theme, transparent: bool) -> Result<Vec<u8>, String> {
        raster::png(&layout::draw(self, size), theme, transparent)
    }
}
