//! Charts: a few figures of a result as a picture, for a page and to lay over a video.
//!
//! Data flows one way: a result gives [`Chart`]s (what is shown), a chart lays itself out as a [`Scene`] (where it is), and a scene
//! becomes SVG or PNG. Every figure is beside its shape as a number, every colour's meaning as a word.

mod data;
mod font;
mod layout;
mod raster;
mod scene;
mod svg;

pub use crate::style::Ink;
pub use data::{of_age, of_comparison, of_grid, of_install, of_lag, of_releases, of_trail};
pub use scene::{Anchor, Item, Scene};

use crate::style::Theme;

/// The file that a chart is written to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ChartForm {
    /// Scalable Vector Graphics 1.1.
    Svg,
    /// Portable Network Graphics.
    Png,
}

impl ChartForm {
    /// Both.
    pub const ALL: [Self; 2] = [Self::Svg, Self::Png];

    /// How names of files in this form end.
    pub fn ending(self) -> &'static str {
        match self {
            Self::Svg => "svg",
            Self::Png => "png",
        }
    }
}

/// A picture of figures.
#[derive(Debug, Clone, PartialEq)]
pub struct Chart {
    /// Stable name: `choices`, `age` of an install, `lag`; `decisions`, `steps`, `releases` of two; `apps`, `likeness`, `releases` of more; `trail`.
    pub name: &'static str,
    /// What it says, as a sentence.
    pub title: String,
    /// Of what, in which unit, and what to know.
    pub aside: String,
    /// The figures.
    pub shape: Shape,
}

/// How figures are shown.
#[derive(Debug, Clone, PartialEq)]
pub enum Shape {
    /// From one sum to another, step by step.
    Waterfall(Vec<Rung>),
    /// Figures below one another, each from 0.
    Bars(Vec<Rung>),
    /// What a sum is made of.
    Treemap(Vec<Tile>),
    /// Names in columns.
    Columns(Vec<NamedColumn>),
    /// Who has what.
    Matrix {
        /// The installs.
        columns: Vec<String>,
        /// A name, and its version in each install; nothing where it is not there.
        rows: Vec<(String, Vec<Option<String>>)>,
    },
    /// How alike each two are, from 0 to 1.
    Likeness {
        /// The installs, in the order of rows and columns.
        names: Vec<String>,
        /// Rows.
        alike: Vec<Vec<f64>>,
    },
    /// One thing through releases, oldest first.
    Steps(Vec<Stop>),
    /// Versions through releases.
    Releases {
        /// The releases, oldest first.
        columns: Vec<String>,
        /// A name, and its version in each release; nothing where it is not there.
        rows: Vec<(String, Vec<Option<String>>)>,
    },
}

/// A step from one sum to another.
#[derive(Debug, Clone, PartialEq)]
pub struct Rung {
    /// What it is of.
    pub name: String,
    /// The sum before it; 0 for a sum itself.
    pub from: f64,
    /// The sum after it.
    pub to: f64,
    /// The figure in words, with its unit.
    pub shown: String,
    /// What it means; [`Ink::Plain`] is a sum.
    pub ink: Ink,
}

/// A share of a sum.
#[derive(Debug, Clone, PartialEq)]
pub struct Tile {
    /// What it is of.
    pub name: String,
    /// How large.
    pub value: f64,
    /// The figure in words, with its unit.
    pub shown: String,
    /// Whether it stands for all that has no tile of its own.
    pub is_rest: bool,
}

/// A release, and what was in it.
#[derive(Debug, Clone, PartialEq)]
pub struct Stop {
    /// The release.
    pub release: String,
    /// Where it is between the first (0) and the last (1).
    pub place: f64,
    /// The version, and its rank among all versions, the lowest first; nothing where it is not there.
    pub version: Option<(String, usize)>,
}

/// A column of names.
#[derive(Debug, Clone, PartialEq)]
pub struct NamedColumn {
    /// What they have in common.
    pub title: String,
    /// The names, with what they mean.
    pub names: Vec<(String, Ink)>,
    /// How many more there are.
    pub more: usize,
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
            _ => Err(format!("`{text}` is not a size such as 1920x1080, with sides from 200 to 8192")),
        }
    }
}

impl Chart {
    /// Whether there is anything to see.
    pub fn is_empty(&self) -> bool {
        match &self.shape {
            Shape::Waterfall(rungs) | Shape::Bars(rungs) => rungs.len() < 3,
            Shape::Treemap(tiles) => tiles.len() < 2,
            Shape::Columns(columns) => columns.iter().all(|column| column.names.is_empty()),
            Shape::Matrix { columns, rows } => rows.is_empty() || columns.len() < 2,
            Shape::Likeness { names, .. } => names.len() < 2,
            Shape::Steps(stops) => stops.iter().filter(|stop| stop.version.is_some()).count() < 2,
            Shape::Releases { rows, columns } => rows.is_empty() || columns.len() < 2,
        }
    }

    /// The chart as an SVG document of its own.
    pub fn svg(&self, size: Size, theme: Theme, transparent: bool) -> String {
        let scene = layout::draw(self, size);
        svg::document(&scene, theme, transparent)
    }

    /// The chart as part of a page, in the colours of the page, as high as its figures need: once for where there is room, once for a phone.
    pub fn inline(&self) -> String {
        let drawn =
            |width| svg::inline(&layout::draw(self, layout::page_size(self, width)), width == layout::NARROW);
        [layout::WIDE, layout::NARROW].map(drawn).concat()
    }

    /// The chart as a PNG.
    ///
    /// # Errors
    /// When the picture can't be encoded.
    pub fn png(&self, size: Size, theme: Theme, transparent: bool) -> Result<Vec<u8>, String> {
        raster::png(&layout::draw(self, size), theme, transparent)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn shape() -> impl Strategy<Value = Shape> {
        let name = || "\\PC{0,60}";
        let value = || 0.0..1e12_f64;
        let rung = (name(), value(), value()).prop_map(|(name, from, to)| Rung {
            name,
            from,
            to,
            shown: format!("{:.0}", to - from),
            ink: Ink::Came,
        });
        let tile = (name(), value(), any::<bool>()).prop_map(|(name, value, is_rest)| Tile {
            name,
            value,
            shown: format!("{value:.0}"),
            is_rest,
        });
        let column =
            (name(), prop::collection::vec(name(), 0..20), 0..9_usize).prop_map(|(title, names, more)| {
                NamedColumn {
                    title,
                    names: names.into_iter().map(|name| (name, Ink::Changed)).collect(),
                    more,
                }
            });
        prop_oneof![
            (prop::collection::vec(rung, 1..16), any::<bool>()).prop_map(|(rungs, steps)| if steps {
                Shape::Waterfall(rungs)
            } else {
                Shape::Bars(rungs)
            }),
            prop::collection::vec(tile, 1..40).prop_map(Shape::Treemap),
            prop::collection::vec(column, 1..5).prop_map(Shape::Columns),
            prop::collection::vec((name(), 0.0..1.0_f64, prop::option::of((name(), 0..9_usize))), 2..20)
                .prop_map(|stops| {
                    let stop = |(release, place, version)| Stop { release, place, version };
                    Shape::Steps(stops.into_iter().map(stop).collect())
                }),
            (
                prop::collection::vec(name(), 2..50),
                prop::collection::vec((name(), prop::option::of("[0-9.~a-z]{0,20}")), 1..30)
            )
                .prop_map(|(columns, rows)| Shape::Matrix {
                    rows: rows
                        .into_iter()
                        .map(|(name, version)| (name, vec![version; columns.len()]))
                        .collect(),
                    columns,
                }),
            (prop::collection::vec(name(), 2..50), 0.0..1.0_f64).prop_map(|(names, share)| Shape::Likeness {
                alike: vec![vec![share; names.len()]; names.len()],
                names,
            }),
            (prop::collection::vec(name(), 2..9), prop::collection::vec((name(), name()), 1..40)).prop_map(
                |(columns, rows)| Shape::Releases {
                    rows: rows
                        .into_iter()
                        .map(|(name, version)| (name, vec![Some(version); columns.len()]))
                        .collect(),
                    columns,
                }
            ),
        ]
    }

    proptest! {
        #![proptest_config(ProptestConfig { cases: 96, ..ProptestConfig::default() })]

        #[test]
        fn nothing_stands_outside_of_a_picture(
            shape in shape(),
            title in "\\PC{0,200}",
            width in 640..3000_u32,
            height in 360..2000_u32,
        ) {
            let chart = Chart { name: "any", title, aside: "of anything".into(), shape };
            let scene = layout::draw(&chart, Size { width, height });
            for item in &scene.items {
                let (left, right, top, bottom) = match item {
                    Item::Box { x, y, w, h, .. } => (*x, x + w, *y, y + h),
                    Item::Text { x, y, size, anchor, bold, text, .. } => {
                        let wide = font::Font::of(*bold).width(text, *size);
                        let left = match anchor {
                            Anchor::Start => *x,
                            Anchor::Middle => x - wide / 2.0,
                            Anchor::End => x - wide,
                        };
                        (left, left + wide, y - size, *y)
                    }
                };
                prop_assert!(left > -2.0 && right < scene.width + 2.0, "{item:?}");
                prop_assert!(top > -2.0 && bottom < scene.height + 2.0, "{item:?}");
            }
            let svg = chart.svg(Size { width, height }, Theme::Light, false);
            prop_assert!(!svg.contains("<script") && svg.ends_with("</svg>\n"));
        }
    }

    #[test]
    fn a_picture_is_drawn_with_its_letters() {
        let rungs =
            vec![Rung { name: "Inkcap".into(), from: 0.0, to: 3.0, shown: "3".into(), ink: Ink::Plain }];
        let chart = |name: &str| Chart {
            name: "any",
            title: name.into(),
            aside: String::new(),
            shape: Shape::Waterfall(rungs.clone()),
        };
        let size = Size { width: 400, height: 300 };
        let drawn = |name: &str, transparent| chart(name).png(size, Theme::Light, transparent).unwrap();
        assert_ne!(drawn("One", false), drawn("Two", false), "letters are drawn");
        assert_ne!(drawn("One", false), drawn("One", true), "so is the ground");
        assert_eq!(drawn("One", false), drawn("One", false), "the same each time");
    }

    /// Boxes of a colour, as left sides and widths.
    fn boxes(chart: &Chart, of: Ink) -> Vec<(f32, f32, f32, f32)> {
        let scene = layout::draw(chart, Size::VIDEO);
        let found = scene.items.into_iter().filter_map(|item| match item {
            Item::Box { x, y, w, h, ink } if ink == of => Some((x, y, w, h)),
            _ => None,
        });
        found.collect()
    }

    #[test]
    fn versions_of_a_narrow_matrix_are_begun_and_not_left_out() {
        let row = |name: &str, version: &str| {
            let mut cells = vec![None; 6];
            cells[0] = Some(version.to_owned());
            (name.to_owned(), cells)
        };
        let columns = ["Reedbed", "Mudflat", "Tideway", "Saltpan", "Weir", "Fen"].map(String::from).to_vec();
        let rows =
            vec![row("Inkcap", "140.12.0esr"), row("Curlew", "24.12.3"), row("Weir", "20250502abcdef")];
        let shape = Shape::Matrix { columns, rows };
        let chart = Chart { name: "any", title: "T".into(), aside: String::new(), shape };
        let both = chart.inline();
        let (wide, narrow) = both.split_at(both.find("chart narrow").unwrap());
        assert!(narrow.contains(">140.12<") && narrow.contains(">24.12.3<"), "{narrow}");
        assert!(wide.contains(">140.12.0esr<") && wide.contains(">20250502abcdef<"), "{wide}");
    }

    #[test]
    fn bars_hang_together_by_nothing_and_show_their_whole_names() {
        let bar =
            |name: &str, to| Rung { name: name.into(), from: 0.0, to, shown: "1".into(), ink: Ink::Plain };
        let bars = vec![bar("2024", 3.0), bar("2025", 9.0), bar("2026", 3.0)];
        let chart = |shape| Chart { name: "any", title: "T".into(), aside: String::new(), shape };
        let bars_only = chart(Shape::Bars(bars.clone()));
        assert_eq!(boxes(&bars_only, Ink::Dim), []);
        assert_eq!(boxes(&chart(Shape::Waterfall(bars)), Ink::Dim).len(), 2);
        let svg = bars_only.svg(Size::VIDEO, Theme::Light, false);
        assert!(["2024", "2025", "2026"].iter().all(|name| svg.contains(&format!(">{name}<"))), "{svg}");
    }

    #[test]
    fn each_bar_of_a_waterfall_begins_where_the_one_before_ended() {
        let rung = |name: &str, from: f64, to: f64, ink| Rung {
            name: name.into(),
            from,
            to,
            shown: String::new(),
            ink,
        };
        let rungs = vec![
            rung("4.0", 0.0, 100.0, Ink::Plain),
            rung("Lapwing", 100.0, 160.0, Ink::Came),
            rung("Marshlight", 160.0, 130.0, Ink::Went),
            rung("5.0", 0.0, 130.0, Ink::Plain),
        ];
        let chart =
            Chart { name: "any", title: "T".into(), aside: String::new(), shape: Shape::Waterfall(rungs) };
        let end = |(x, _, w, _): (f32, f32, f32, f32)| x + w;
        let near = |a: f32, b: f32| (a - b).abs() < 0.5;
        let (sums, came, went) =
            (boxes(&chart, Ink::Plain), boxes(&chart, Ink::Came), boxes(&chart, Ink::Went));
        assert!(near(came[0].0, end(sums[0])) && near(end(came[0]), end(went[0])), "{came:?} {went:?}");
        assert!(near(went[0].0, end(sums[1])) && near(sums[0].0, sums[1].0), "{sums:?}");
    }

    proptest! {
        #[test]
        fn tiles_cover_the_picture_by_their_shares_and_none_lies_on_another(
            values in prop::collection::vec(1.0..1000.0_f64, 2..30),
        ) {
            let tile = |value: &f64| Tile { name: String::new(), value: *value, shown: String::new(), is_rest: false };
            let shape = Shape::Treemap(values.iter().map(tile).collect());
            let chart = Chart { name: "any", title: "T".into(), aside: String::new(), shape };
            let scene = layout::draw(&chart, Size::VIDEO);
            let drawn: Vec<(f32, f32, f32, f32)> = scene.items.iter().filter_map(|item| match item {
                Item::Box { x, y, w, h, .. } => Some((*x, *y, *w, *h)),
                Item::Text { .. } => None,
            }).collect();
            prop_assert_eq!(drawn.len(), values.len());
            for (at, a) in drawn.iter().enumerate() {
                for b in &drawn[at + 1..] {
                    let apart = a.0 + a.2 <= b.0 + 0.6 || b.0 + b.2 <= a.0 + 0.6 || a.1 + a.3 <= b.1 + 0.6 || b.1 + b.3 <= a.1 + 0.6;
                    prop_assert!(apart, "{a:?} {b:?}");
                }
            }
        }
    }
}
