//! From figures to places. Lengths follow from one unit, so that a picture of any size looks alike.

use super::font::{Font, fit};
use super::{Anchor, Bar, Chart, Ink, Item, Scene, Shape, Size};
use crate::text::clean;

/// The room of a picture, and the unit of everything in it.
struct Room {
    width: f32,
    height: f32,
    /// Height of a line of text.
    unit: f32,
    items: Vec<Item>,
}

/// The size of a chart in a page: as high as its rows need.
pub(super) fn page_size(chart: &Chart) -> Size {
    let rows = match &chart.shape {
        Shape::Bars(bars) => bars.len(),
        Shape::Likeness { names, .. } => names.len() + 1,
        Shape::Releases { rows, .. } => rows.len() + 1,
    };
    let rows = u32::try_from(rows).unwrap_or(u32::MAX).clamp(1, 120);
    Size { width: 960, height: 96 + rows * 26 }
}

pub(super) fn draw(chart: &Chart, size: Size) -> Scene {
    #[allow(clippy::cast_precision_loss, reason = "sides are at most 8192")]
    let (width, height) = (size.width as f32, size.height as f32);
    // A page is wide and as high as it must be; a picture for a video has a margin and larger letters.
    let in_page = size == page_size(chart);
    let unit = if in_page { 15.0 } else { (width / 1920.0).min(height / 1080.0) * 30.0 };
    let margin = if in_page { 0.0 } else { unit * 2.0 };
    let mut room = Room { width, height, unit, items: Vec::new() };
    let mut y = margin + unit * 1.5;
    let inner = width - 2.0 * margin;
    let title = unit * if in_page { 1.1 } else { 1.45 };
    room.text(margin, y, title, Anchor::Start, true, Ink::Text, &fit(&chart.title, title, true, inner));
    y += unit * 1.45;
    if !chart.aside.is_empty() {
        let small = unit * 0.85;
        room.text(margin, y, small, Anchor::Start, false, Ink::Dim, &fit(&chart.aside, small, false, inner));
        y += unit * 0.5;
    }
    y += unit * 0.7;
    let frame = Frame { left: margin, top: y, width: inner, height: height - y - margin * 0.8 };
    let words = match &chart.shape {
        Shape::Bars(bars) => room.bars(bars, &frame),
        Shape::Likeness { names, alike } => room.likeness(names, alike, &frame),
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

    /// Names on the left, bars from one line, figures at their ends.
    fn bars(&mut self, bars: &[Bar], frame: &Frame) -> String {
        let (row, size) = self.row(bars.len(), frame);
        let (font, bold) = (Font::of(false), Font::of(true));
        let widest = |font: &Font, texts: &mut dyn Iterator<Item = &str>| {
            texts.map(|text| font.width(text, size)).fold(0.0, f32::max)
        };
        let names =
            widest(font, &mut bars.iter().map(|bar| bar.name.as_str())).min(frame.width * 0.42) + size;
        let figures = widest(bold, &mut bars.iter().map(|bar| bar.shown.as_str())) + size;
        let most = bars.iter().map(|bar| bar.value.max(0.0)).fold(0.0, f64::max);
        let least = bars.iter().map(|bar| bar.value.min(0.0)).fold(0.0, f64::min);
        // Figures of bars to the left stand on their left.
        let room_left = if least < 0.0 { figures } else { 0.0 };
        let length = (frame.width - names - figures - room_left).max(1.0);
        let span = if most - least > 0.0 { most - least } else { 1.0 };
        #[allow(clippy::cast_possible_truncation, reason = "pixels")]
        let pixels = |value: f64| (value / span) as f32 * length;
        let zero = frame.left + names + room_left + pixels(-least);
        for (at, bar) in bars.iter().enumerate() {
            let top = frame.top + count(at) * row;
            let base = top + row * 0.5 + size * 0.36;
            self.text(
                frame.left,
                base,
                size,
                Anchor::Start,
                false,
                Ink::Text,
                &fit(&bar.name, size, false, names - size),
            );
            let thick = (row * 0.62).min(size * 1.25);
            let long = pixels(bar.value.abs()).max(if bar.value == 0.0 { 0.0 } else { 1.5 });
            let (begin, place, anchor) = match bar.value < 0.0 {
                true => (zero - long, zero - long - size * 0.5, Anchor::End),
                false => (zero, zero + long + size * 0.5, Anchor::Start),
            };
            self.fill(begin, top + (row - thick) / 2.0, long, thick, bar.ink);
            self.text(place, base, size, anchor, true, bar.ink, &bar.shown);
        }
        self.fill(zero - 0.5, frame.top, 1.0, count(bars.len()) * row, Ink::Rule);
        said(bars.iter().map(|bar| format!("{}: {}", bar.name, bar.shown)))
    }

    /// A square for each two, the stronger the more alike; the share is in it where there is room.
    fn likeness(&mut self, names: &[String], alike: &[Vec<f64>], frame: &Frame) -> String {
        let row = (frame.height / count(names.len() + 1)).min(self.unit * 5.0);
        let size = (row * 0.62).min(self.unit * 1.15);
        let font = Font::of(false);
        let widest = |texts: &mut dyn Iterator<Item = &str>| {
            texts.map(|text| font.width(text, size)).fold(0.0, f32::max)
        };
        let longest = widest(&mut names.iter().map(String::as_str));
        // Where the names do not fit above the columns, numbers stand for them.
        let cell_of = |left: f32| ((frame.width - left) / count(names.len())).min(row * 4.0);
        let by_name = cell_of(longest.min(frame.width * 0.4) + size) > longest + size;
        let number = |at: usize| if by_name { names[at].clone() } else { format!("{}", at + 1) };
        let label =
            |at: usize, name: &str| if by_name { name.to_owned() } else { format!("{}  {name}", at + 1) };
        let labels: Vec<String> = names.iter().enumerate().map(|(at, name)| label(at, name)).collect();
        let left = widest(&mut labels.iter().map(String::as_str)).min(frame.width * 0.4) + size;
        let cell = cell_of(left);
        for (at, name) in names.iter().enumerate() {
            let top = frame.top + count(at + 1) * row;
            let text = fit(&label(at, name), size, false, left - size);
            self.text(
                frame.left,
                top + row * 0.5 + size * 0.36,
                size,
                Anchor::Start,
                false,
                Ink::Text,
                &text,
            );
            let middle = frame.left + left + (count(at) + 0.5) * cell;
            self.text(
                middle,
                frame.top + row - size * 0.5,
                size,
                Anchor::Middle,
                false,
                Ink::Dim,
                &number(at),
            );
            for (other, share) in alike.get(at).into_iter().flatten().enumerate() {
                #[allow(clippy::cast_possible_truncation, reason = "a share of 1")]
                let strength = share.clamp(0.0, 1.0) as f32;
                let x = frame.left + left + count(other) * cell;
                self.fill(x, top, cell - 1.0, row - 1.0, Ink::Shade(strength));
                let percent = format!("{:.0}", share * 100.0);
                let small = size * 0.85;
                if font.width(&percent, small) < cell * 0.9 {
                    let ink = Ink::Upon(strength);
                    self.text(
                        x + cell / 2.0,
                        top + row * 0.5 + small * 0.36,
                        small,
                        Anchor::Middle,
                        false,
                        ink,
                        &percent,
                    );
                }
            }
        }
        let pairs = (0..names.len()).flat_map(|a| (a + 1..names.len()).map(move |b| (a, b)));
        said(pairs.filter_map(|(a, b)| {
            let share = alike.get(a)?.get(b)?;
            Some(format!("{} and {}: {:.0} %", names[a], names[b], share * 100.0))
        }))
    }

    /// A row for each name; a version that differs from the one before stands on a coloured ground.
    fn releases(
        &mut self,
        columns: &[String],
        rows: &[(String, Vec<Option<String>>)],
        frame: &Frame,
    ) -> String {
        let (row, size) = self.row(rows.len() + 1, frame);
        let font = Font::of(false);
        let left =
            rows.iter().map(|(name, _)| font.width(name, size)).fold(0.0, f32::max).min(frame.width * 0.3)
                + size;
        let cell = (frame.width - left) / count(columns.len().max(1));
        for (at, column) in columns.iter().enumerate() {
            let x = frame.left + left + count(at) * cell + size * 0.4;
            let text = fit(column, size, true, cell - size * 0.8);
            self.text(x, frame.top + row * 0.7, size, Anchor::Start, true, Ink::Text, &text);
        }
        for (at, (name, versions)) in rows.iter().enumerate() {
            let top = frame.top + count(at + 1) * row;
            let base = top + row * 0.5 + size * 0.36;
            self.fill(frame.left, top, frame.width, 1.0, Ink::Rule);
            self.text(
                frame.left,
                base,
                size,
                Anchor::Start,
                false,
                Ink::Text,
                &fit(name, size, false, left - size),
            );
            for (column, version) in versions.iter().enumerate() {
                let x = frame.left + left + count(column) * cell;
                let before =
                    column.checked_sub(1).and_then(|before| versions.get(before)).map(Option::as_deref);
                let (ink, bold, text) = match (before, version.as_deref()) {
                    (None, Some(version)) => (Ink::Text, false, version.to_owned()),
                    (Some(before), Some(version)) if before == Some(version) => {
                        (Ink::Dim, false, "same".to_owned())
                    }
                    (Some(Some(_)), Some(version)) => (Ink::Changed, true, version.to_owned()),
                    (Some(None), Some(version)) => (Ink::Came, true, format!("new: {version}")),
                    (Some(Some(_)), None) => (Ink::Went, true, "gone".to_owned()),
                    (_, None) => (Ink::Dim, false, "none".to_owned()),
                };
                let text = fit(&text, size, bold, cell - size * 0.8);
                self.text(x + size * 0.4, base, size, Anchor::Start, bold, ink, &text);
            }
        }
        let bottom = frame.top + count(rows.len() + 1) * row;
        self.fill(frame.left, bottom.min(self.height), frame.width.min(self.width), 1.0, Ink::Rule);
        said(rows.iter().map(|(name, versions)| {
            let versions: Vec<&str> =
                versions.iter().map(|version| version.as_deref().unwrap_or("none")).collect();
            format!("{name}: {}", versions.join(", then "))
        }))
    }
}

fn said(figures: impl Iterator<Item = String>) -> String {
    figures.collect::<Vec<_>>().join("; ")
}
