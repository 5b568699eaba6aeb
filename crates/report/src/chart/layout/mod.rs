//! From figures to places. Lengths follow from one unit, so that a picture of any size looks alike.

mod tables;
mod weights;

use super::font::{Font, fit};
use super::{Anchor, Chart, Ink, Item, Scene, Shape, Size};
use crate::text::clean;

/// The room of a picture, and the unit of everything in it.
struct Room {
    width: f32,
    height: f32,
    /// Height of a line of text.
    unit: f32,
    items: Vec<Item>,
}

/// Pixels of a chart in a page: where there is room, and on a phone.
pub(super) const WIDE: u32 = 960;
pub(super) const NARROW: u32 = 360;

/// The size of a chart in a page of a width: as high as its rows need.
pub(super) fn page_size(chart: &Chart, width: u32) -> Size {
    let rows = match &chart.shape {
        Shape::Waterfall(rungs) | Shape::Bars(rungs) => rungs.len(),
        Shape::Treemap(_) => {
            if width == WIDE {
                16
            } else {
                18
            }
        }
        Shape::Columns(columns) => {
            let lines = columns.iter().map(|column| column.names.len() + 2 + usize::from(column.more > 0));
            if width == WIDE { lines.max().unwrap_or(1) } else { lines.sum() }
        }
        Shape::Likeness { names, .. } => names.len() + 1,
        Shape::Matrix { rows, .. } => rows.len() + 2,
        Shape::Steps(_) => 14,
        Shape::Releases { rows, .. } => rows.len() + 1,
    };
    let rows = u32::try_from(rows).unwrap_or(u32::MAX).clamp(1, 120);
    Size { width, height: if width == WIDE { 74 } else { 86 } + rows * 26 }
}

/// A text in lines that fit, at most two of them.
fn lines(text: &str, size: f32, width: f32) -> Vec<String> {
    let font = Font::of(true);
    let mut first = String::new();
    let mut words = text.split(' ').peekable();
    while let Some(word) =
        words.next_if(|word| first.is_empty() || font.width(&format!("{first} {word}"), size) <= width)
    {
        if !first.is_empty() {
            first.push(' ');
        }
        first.push_str(word);
    }
    let rest: Vec<&str> = words.collect();
    let mut lines = vec![fit(&first, size, true, width)];
    if !rest.is_empty() {
        lines.push(fit(&rest.join(" "), size, true, width));
    }
    lines
}

pub(super) fn draw(chart: &Chart, size: Size) -> Scene {
    #[allow(clippy::cast_precision_loss, reason = "sides are at most 8192")]
    let (width, height) = (size.width as f32, size.height as f32);
    // A page is wide and as high as it must be; a picture for a video has a margin and larger letters.
    let in_page = [WIDE, NARROW].iter().any(|width| size == page_size(chart, *width));
    let unit = match (in_page, size.width) {
        (true, NARROW) => 12.5,
        (true, _) => 15.0,
        (false, _) if width < height => (width / 390.0).min(height / 700.0) * 13.0,
        (false, _) => (width / 1920.0).min(height / 1080.0) * 30.0,
    };
    let margin = if in_page { 0.0 } else { unit * 2.0_f32.min(width / unit / 20.0) };
    let mut room = Room { width, height, unit, items: Vec::new() };
    let mut y = margin + unit * 1.5;
    let inner = width - 2.0 * margin;
    let title = unit * if in_page { 1.1 } else { 1.35 };
    for line in lines(&chart.title, title, inner) {
        room.text(margin, y, title, Anchor::Start, true, Ink::Text, &line);
        y += title * 1.3;
    }
    if !chart.aside.is_empty() {
        let small = unit * 0.85;
        room.text(margin, y, small, Anchor::Start, false, Ink::Dim, &fit(&chart.aside, small, false, inner));
        y += unit * 0.5;
    }
    y += unit * 0.6;
    let frame = Frame { left: margin, top: y, width: inner, height: (height - y - margin * 0.8).max(unit) };
    let words = match &chart.shape {
        Shape::Waterfall(rungs) => room.bars(rungs, true, &frame),
        Shape::Bars(rungs) => room.bars(rungs, false, &frame),
        Shape::Treemap(tiles) => room.treemap(tiles, &frame),
        Shape::Columns(columns) => room.columns(columns, &frame),
        Shape::Likeness { names, alike } => room.likeness(names, alike, &frame),
        Shape::Matrix { columns, rows } => room.matrix(columns, rows, &frame),
        Shape::Steps(stops) => room.steps(stops, &frame),
        Shape::Releases { columns, rows } => room.releases(columns, rows, &frame),
    };
    let (title, words) = (clean(&chart.title).into_owned(), clean(&words).into_owned());
    Scene { width, height, title, words, items: room.items }
}

/// Where the figures are.
struct Frame {
    left: f32,
    top: f32,
    width: f32,
    height: f32,
}

/// A number of rows as a length.
#[allow(clippy::cast_precision_loss, reason = "rows are far below 2^23")]
fn count(n: usize) -> f32 {
    n as f32
}

impl Room {
    #[allow(clippy::too_many_arguments, reason = "the fields of a text, in their order")]
    fn text(&mut self, x: f32, y: f32, size: f32, anchor: Anchor, bold: bool, ink: Ink, text: &str) {
        self.items.push(Item::Text { x, y, size, anchor, bold, ink, text: clean(text).into_owned() });
    }

    fn fill(&mut self, x: f32, y: f32, w: f32, h: f32, ink: Ink) {
        self.items.push(Item::Box { x, y, w, h, ink });
    }

    /// Height of a row, and size of its text, so that all rows fit.
    fn row(&self, rows: usize, frame: &Frame) -> (f32, f32) {
        let row = (frame.height / count(rows.max(1))).min(self.unit * 2.2);
        (row, (row * 0.62).min(self.unit))
    }
}

fn said(figures: impl Iterator<Item = String>) -> String {
    figures.collect::<Vec<_>>().join("; ")
}
