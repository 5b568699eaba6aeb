//! Pictures of bytes: from one sum to another, and what a sum is made of.

use super::{Anchor, Frame, Ink, Room, count, said};
use crate::chart::font::{Font, fit};
use crate::chart::{Rung, Tile};

impl Room {
    /// A bar for each rung; of steps each begins where the one before ended, and a thread leads there.
    pub(super) fn bars(&mut self, rungs: &[Rung], are_steps: bool, frame: &Frame) -> String {
        let (row, size) = self.row(rungs.len(), frame);
        let widest = |texts: &mut dyn Iterator<Item = (&str, bool)>| {
            texts.map(|(text, is_bold)| Font::of(is_bold).width(text, size)).fold(0.0, f32::max)
        };
        let named = &mut rungs.iter().map(|rung| (rung.name.as_str(), rung.ink == Ink::Plain));
        let names = widest(named).min(frame.width * 0.36) + size;
        let figures = widest(&mut rungs.iter().map(|rung| (rung.shown.as_str(), true))) + size;
        let length = (frame.width - names - figures).max(1.0);
        let most = rungs.iter().map(|rung| rung.from.max(rung.to)).fold(0.0, f64::max).max(1.0);
        #[allow(clippy::cast_possible_truncation, reason = "pixels")]
        let place = |value: f64| frame.left + names + (value / most) as f32 * length;
        let mut before: Option<f32> = None;
        for (at, rung) in rungs.iter().enumerate() {
            let top = frame.top + count(at) * row;
            let base = top + row * 0.5 + size * 0.36;
            let is_sum = rung.ink == Ink::Plain;
            let name = fit(&rung.name, size, is_sum, names - size);
            self.text(frame.left, base, size, Anchor::Start, is_sum, Ink::Text, &name);
            let thick = (row * 0.66).min(size * 1.35);
            let (begin, end) = (place(rung.from.min(rung.to)), place(rung.from.max(rung.to)));
            // A thread from where the bar before ended.
            if let Some(before) = before.filter(|_| are_steps) {
                self.fill(before - 0.5, top - (row - thick) / 2.0, 1.0, row - thick + 1.0, Ink::Dim);
            }
            self.fill(begin, top + (row - thick) / 2.0, (end - begin).max(1.5), thick, rung.ink);
            self.text(
                end + size * 0.45,
                base,
                size,
                Anchor::Start,
                true,
                if is_sum { Ink::Text } else { rung.ink },
                &rung.shown,
            );
            before = Some(place(rung.to));
        }
        said(rungs.iter().map(|rung| format!("{}: {}", rung.name, rung.shown)))
    }

    /// Rectangles whose areas are the figures, the largest first, as square as can be (Bruls, Huizing, van Wijk, "Squarified Treemaps", 2000).
    pub(super) fn treemap(&mut self, tiles: &[Tile], frame: &Frame) -> String {
        let mut tiles: Vec<&Tile> = tiles.iter().filter(|tile| tile.value > 0.0).collect();
        tiles.sort_by(|a, b| b.value.total_cmp(&a.value));
        let total: f64 = tiles.iter().map(|tile| tile.value).sum();
        let (mut x, mut y, mut wide, mut high) = (frame.left, frame.top, frame.width, frame.height);
        #[allow(clippy::cast_possible_truncation, reason = "pixels")]
        let area = |tile: &Tile| (tile.value / total.max(1.0)) as f32 * frame.width * frame.height;
        let mut rest = &tiles[..];
        let largest = tiles.first().map_or(1.0, |tile| tile.value);
        while !rest.is_empty() && wide > 0.5 && high > 0.5 {
            let side = wide.min(high);
            // The worst of a row's shapes: it takes one more as long as that gets no worse.
            let worst = |row: &[&Tile]| {
                let sum: f32 = row.iter().map(|tile| area(tile)).sum();
                let thick = sum / side;
                row.iter()
                    .map(|tile| {
                        let long = area(tile) / thick;
                        (long / thick).max(thick / long)
                    })
                    .fold(0.0, f32::max)
            };
            let mut taken = 1;
            while taken < rest.len() && worst(&rest[..=taken]) <= worst(&rest[..taken]) {
                taken += 1;
            }
            let (row, after) = rest.split_at(taken);
            let sum: f32 = row.iter().map(|tile| area(tile)).sum();
            let thick = sum / side;
            let mut at = 0.0;
            for tile in row {
                let long = area(tile) / thick;
                let (left, top, w, h) =
                    if wide >= high { (x, y + at, thick, long) } else { (x + at, y, long, thick) };
                self.tile(tile, largest, (left, top, w, h));
                at += long;
            }
            if wide >= high {
                x += thick;
                wide -= thick;
            } else {
                y += thick;
                high -= thick;
            }
            rest = after;
        }
        said(tiles.iter().map(|tile| format!("{}: {}", tile.name, tile.shown)))
    }

    fn tile(&mut self, tile: &Tile, largest: f64, (x, y, w, h): (f32, f32, f32, f32)) {
        let gap = 1.5_f32.min(w * 0.1).min(h * 0.1);
        #[allow(clippy::cast_possible_truncation, reason = "a share of 1")]
        let strength = if tile.is_rest { 0.08 } else { 0.14 + 0.3 * (tile.value / largest).sqrt() as f32 };
        self.fill(x, y, (w - gap).max(0.2), (h - gap).max(0.2), Ink::Shade(strength));
        let largest = self.unit.min(h * 0.4);
        let pad = largest * 0.45;
        let room = w - gap - pad * 2.0;
        // A name is rather smaller than shortened, as long as it can be read.
        let wide = Font::of(true).width(&tile.name, largest).max(1.0);
        let size = largest.min(largest * room / wide).max(self.unit * 0.55);
        if size > largest || room < size * 2.5 {
            return;
        }
        self.text(
            x + pad,
            y + pad + size * 0.8,
            size,
            Anchor::Start,
            true,
            Ink::Text,
            &fit(&tile.name, size, true, room),
        );
        if h > size * 3.0 {
            let small = size * 0.85;
            self.text(
                x + pad,
                y + pad + size * 2.05,
                small,
                Anchor::Start,
                false,
                Ink::Text,
                &fit(&tile.shown, small, false, room),
            );
        }
    }
}
