//! A scene as a PNG.

use super::font::Font;
use super::{Anchor, Item, Scene};
use crate::style::{Colour, Theme};
use tiny_skia::{FillRule, Paint, PathBuilder, Pixmap, Rect, Transform};
use ttf_parser::OutlineBuilder;

pub(super) fn png(scene: &Scene, theme: Theme, transparent: bool) -> Result<Vec<u8>, String> {
    #[allow(
        clippy::cast_possible_truncation,
        clippy::cast_sign_loss,
        reason = "sides are whole, and at most 8192"
    )]
    let (width, height) = (scene.width as u32, scene.height as u32);
    let mut pixels = Pixmap::new(width, height).ok_or("a picture of this size can't be drawn")?;
    if !transparent {
        let Colour(r, g, b) = theme.ground();
        pixels.fill(tiny_skia::Color::from_rgba8(r, g, b, 255));
    }
    for item in &scene.items {
        match item {
            Item::Box { x, y, w, h, ink } => {
                if let Some(rect) = Rect::from_xywh(*x, *y, *w, *h) {
                    pixels.fill_rect(rect, &paint(theme.ink(*ink)), Transform::identity(), None);
                }
            }
            Item::Text { x, y, size, anchor, bold, ink, text } => {
                let font = Font::of(*bold);
                let begin = match anchor {
                    Anchor::Start => *x,
                    Anchor::Middle => x - font.width(text, *size) / 2.0,
                    Anchor::End => x - font.width(text, *size),
                };
                let paint = paint(theme.ink(*ink));
                let outline = |left: f32, scale: f32| Outline {
                    path: PathBuilder::new(),
                    left: begin + left,
                    base: *y,
                    scale,
                };
                font.outline(text, *size, outline, |outline: Outline| {
                    if let Some(path) = outline.path.finish() {
                        pixels.fill_path(&path, &paint, FillRule::Winding, Transform::identity(), None);
                    }
                });
            }
        }
    }
    pixels.encode_png().map_err(|error| error.to_string())
}

fn paint(Colour(r, g, b): Colour) -> Paint<'static> {
    let mut paint = Paint::default();
    paint.set_color_rgba8(r, g, b, 255);
    paint.anti_alias = true;
    paint
}

/// A letter, from units of the font upwards to pixels downwards.
struct Outline {
    path: PathBuilder,
    left: f32,
    base: f32,
    scale: f32,
}

impl Outline {
    fn at(&self, x: f32, y: f32) -> (f32, f32) {
        (self.left + x * self.scale, self.base - y * self.scale)
    }
}

impl OutlineBuilder for Outline {
    fn move_to(&mut self, x: f32, y: f32) {
        let (x, y) = self.at(x, y);
        self.path.move_to(x, y);
    }

    fn line_to(&mut self, x: f32, y: f32) {
        let (x, y) = self.at(x, y);
        self.path.line_to(x, y);
    }

    fn quad_to(&mut self, x1: f32, y1: f32, x: f32, y: f32) {
        let ((x1, y1), (x, y)) = (self.at(x1, y1), self.at(x, y));
        self.path.quad_to(x1, y1, x, y);
    }

    fn curve_to(&mut self, x1: f32, y1: f32, x2: f32, y2: f32, x: f32, y: f32) {
        let ((x1, y1), (x2, y2), (x, y)) = (self.at(x1, y1), self.at(x2, y2), self.at(x, y));
        self.path.cubic_to(x1, y1, x2, y2, x, y);
    }

    fn close(&mut self) {
        self.path.close();
    }
}
