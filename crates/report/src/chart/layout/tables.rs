//! Pictures with a row for each name and a column for each install.

use super::{Anchor, Frame, Ink, Room, count, said};
use crate::chart::font::{Font, fit};
use crate::chart::{NamedColumn, Stop};

impl Room {
    /// A rule above a row, and the row's name on the left, in a column and in a row of these widths; returns the base line.
    fn row_head(
        &mut self,
        name: &str,
        (x, top): (f32, f32),
        (column, whole): (f32, f32),
        (row, size): (f32, f32),
    ) -> f32 {
        let base = top + row * 0.5 + size * 0.36;
        self.fill(x, top, whole, 1.0, Ink::Rule);
        self.text(x, base, size, Anchor::Start, false, Ink::Text, &fit(name, size, false, column - size));
        base
    }

    /// A square for each two, the stronger the more alike; the share is in it where there is room.
    pub(super) fn likeness(&mut self, names: &[String], alike: &[Vec<f64>], frame: &Frame) -> String {
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
    pub(super) fn releases(
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
            let base = self.row_head(
                name,
                (frame.left, top),
                (left, left + cell * count(columns.len())),
                (row, size),
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

    /// A mark where an install has something, a rule where not; names above the columns where there is room, else numbers.
    pub(super) fn matrix(
        &mut self,
        columns: &[String],
        rows: &[(String, Vec<Option<String>>)],
        frame: &Frame,
    ) -> String {
        let (row, size) = self.row(rows.len() + 1, frame);
        let font = Font::of(false);
        let widest = |texts: &mut dyn Iterator<Item = &str>| {
            texts.map(|text| font.width(text, size)).fold(0.0, f32::max)
        };
        let left = widest(&mut rows.iter().map(|(name, _)| name.as_str())).min(frame.width * 0.34) + size;
        let cell = ((frame.width - left) / count(columns.len().max(1))).min(self.unit * 14.0);
        // Where a column is narrow versions are smaller, and only begun: `140.12` of `140.12.0esr`.
        let mut versions = rows.iter().flat_map(|(_, cells)| cells.iter().flatten());
        let is_narrow = versions.any(|version| font.width(version, size) >= cell - size);
        let version_size = if is_narrow { size * 0.85 } else { size };
        let shown = |version: &str| {
            let mut shown = version.to_owned();
            while font.width(&shown, version_size) >= cell - version_size * 0.5 {
                shown.truncate(shown.rfind(['.', '-', '+', '~'])?);
            }
            Some(shown)
        };
        let by_name = widest(&mut columns.iter().map(String::as_str)) + size * 0.5 < cell;
        for (at, column) in columns.iter().enumerate() {
            let middle = frame.left + left + (count(at) + 0.5) * cell;
            let text = if by_name { column.clone() } else { (at + 1).to_string() };
            self.text(middle, frame.top + row * 0.7, size, Anchor::Middle, true, Ink::Text, &text);
        }
        for (at, (name, cells)) in rows.iter().enumerate() {
            let top = frame.top + count(at + 1) * row;
            let base = self.row_head(
                name,
                (frame.left, top),
                (left, left + cell * count(columns.len())),
                (row, size),
            );
            for (column, version) in cells.iter().enumerate() {
                let middle = frame.left + left + (count(column) + 0.5) * cell;
                match version.as_deref().map(shown) {
                    Some(Some(version)) => {
                        self.fill(
                            middle - cell * 0.5 + 1.0,
                            top + 1.0,
                            cell - 2.0,
                            row - 1.0,
                            Ink::Shade(0.16),
                        );
                        self.text(middle, base, version_size, Anchor::Middle, false, Ink::Text, &version);
                    }
                    Some(None) => {
                        let side = (row * 0.5).min(cell * 0.7);
                        self.fill(middle - side / 2.0, top + (row - side) / 2.0, side, side, Ink::Came);
                    }
                    None => self.fill(middle - size * 0.3, top + row * 0.5, size * 0.6, 1.5, Ink::Rule),
                }
            }
        }
        if !by_name {
            let names = columns.iter().enumerate().map(|(at, name)| format!("{} {name}", at + 1));
            let line = fit(&names.collect::<Vec<_>>().join(", "), size * 0.85, false, frame.width);
            let base = frame.top + count(rows.len() + 1) * row + size;
            self.text(frame.left, base, size * 0.85, Anchor::Start, false, Ink::Dim, &line);
        }
        said(rows.iter().map(|(name, cells)| {
            let has = columns
                .iter()
                .zip(cells)
                .filter(|(_, cell)| cell.is_some())
                .map(|(column, _)| column.as_str());
            format!("{name}: {}", has.collect::<Vec<_>>().join(", "))
        }))
    }

    /// Columns of names, each with a dot and what it is now.
    pub(super) fn columns(&mut self, columns: &[NamedColumn], frame: &Frame) -> String {
        let longest = columns
            .iter()
            .map(|column| column.names.len() + 1 + usize::from(column.more > 0))
            .max()
            .unwrap_or(1);
        // Where they do not fit beside one another, one is below the other.
        let beside = frame.width > self.unit * 34.0;
        let all: usize =
            columns.iter().map(|column| column.names.len() + 2 + usize::from(column.more > 0)).sum();
        let (row, size) = self.row(if beside { longest } else { all }, frame);
        let wide = if beside { frame.width / count(columns.len().max(1)) } else { frame.width };
        let (mut x, mut top) = (frame.left, frame.top);
        for column in columns {
            let mut y = top + row * 0.5 + size * 0.36;
            self.text(
                x,
                y,
                size,
                Anchor::Start,
                true,
                Ink::Text,
                &fit(&column.title, size, true, wide - size),
            );
            for (name, ink) in &column.names {
                y += row;
                // Squares and bars, so that what they mean hangs on no colour.
                let dot = size * 0.55;
                let (w, h) = if *ink == Ink::Came { (dot * 0.45, dot * 1.3) } else { (dot, dot) };
                self.fill(x + (dot - w) / 2.0, y - (dot + h) / 2.0, w, h, *ink);
                let text = fit(name, size, false, wide - size * 2.2);
                self.text(x + size, y, size, Anchor::Start, false, Ink::Text, &text);
            }
            if column.more > 0 {
                y += row;
                self.text(
                    x + size,
                    y,
                    size,
                    Anchor::Start,
                    false,
                    Ink::Dim,
                    &format!("and {} more", column.more),
                );
            }
            if beside {
                x += wide;
            } else {
                top += row * count(column.names.len() + 2 + usize::from(column.more > 0));
            }
        }
        said(columns.iter().map(|column| {
            let names: Vec<&str> = column.names.iter().map(|(name, _)| name.as_str()).collect();
            format!("{}: {}", column.title, names.join(", "))
        }))
    }

    /// A line that goes up with each later version, over the releases at their days; what is not there leaves a gap.
    pub(super) fn steps(&mut self, stops: &[Stop], frame: &Frame) -> String {
        let size = self.unit.min(frame.height / 9.0);
        let highest =
            stops.iter().filter_map(|stop| stop.version.as_ref()).map(|(_, rank)| *rank).max().unwrap_or(0);
        let (top, bottom) = (frame.top + size * 1.6, frame.top + frame.height - size * 2.6);
        let high = (bottom - top).max(1.0);
        let wide = frame.width - size * 5.0;
        #[allow(clippy::cast_possible_truncation, reason = "pixels")]
        let x_of = |stop: &Stop| frame.left + stop.place.clamp(0.0, 1.0) as f32 * wide;
        let y_of = |rank: usize| bottom - high * count(rank) / count(highest.max(1));
        let thick = (size * 0.16).max(1.5);
        self.fill(frame.left, bottom + size * 0.6, frame.width, 1.0, Ink::Rule);
        let (mut free, mut said_until) = (f32::MIN, f32::MIN);
        for (at, stop) in stops.iter().enumerate() {
            let (x, next) = (x_of(stop), stops.get(at + 1));
            self.fill(x, bottom + size * 0.4, 1.0, size * 0.4, Ink::Dim);
            // Names that would stand on one another are left out but for the first and those with room.
            let wide_name = Font::of(false).width(&stop.release, size * 0.85);
            if x > free && x + wide_name.min(size * 5.0) <= frame.left + frame.width {
                let room = next.map_or(frame.left + frame.width - x, |next| (x_of(next) - x).max(size * 5.0));
                let room = room.min(frame.left + frame.width - x);
                let name = fit(&stop.release, size * 0.85, false, room);
                free = x + Font::of(false).width(&name, size * 0.85) + size * 0.4;
                self.text(x, bottom + size * 1.9, size * 0.85, Anchor::Start, false, Ink::Dim, &name);
            }
            let Some((version, rank)) = &stop.version else { continue };
            let y = y_of(*rank);
            let end = next.map_or(x + size * 1.5, x_of);
            self.fill(x, y - thick / 2.0, (end - x).max(thick), thick, Ink::Changed);
            if let Some((_, other)) = next.and_then(|next| next.version.as_ref()) {
                let (from, to) = (y.min(y_of(*other)), y.max(y_of(*other)));
                self.fill(end - thick / 2.0, from - thick / 2.0, thick, to - from + thick, Ink::Changed);
            }
            let before = at.checked_sub(1).and_then(|before| stops[before].version.as_ref());
            if before.map(|(version, _)| version) != Some(version) && x >= said_until {
                let room = frame.left + frame.width - x;
                let text = fit(version, size, true, room);
                said_until = x + Font::of(true).width(&text, size) * 0.5;
                self.text(x + thick, y - size * 0.5, size, Anchor::Start, true, Ink::Text, &text);
            }
        }
        said(stops.iter().map(|stop| {
            format!(
                "{}: {}",
                stop.release,
                stop.version.as_ref().map_or("not installed", |(version, _)| version.as_str())
            )
        }))
    }
}
