//! How wide texts are, and their outlines: by the font that pictures are drawn with.

use std::sync::LazyLock;
use ttf_parser::{Face, GlyphId, OutlineBuilder};

/// A face of the font.
pub(super) struct Font(Option<Face<'static>>);

static REGULAR: LazyLock<Font> = LazyLock::new(|| Font(Face::parse(dejavu::sans::regular(), 0).ok()));
static BOLD: LazyLock<Font> = LazyLock::new(|| Font(Face::parse(dejavu::sans::bold(), 0).ok()));

/// What a letter that the font lacks is drawn as.
const REPLACEMENT: char = '\u{fffd}';

impl Font {
    pub(super) fn of(bold: bool) -> &'static Self {
        if bold { &BOLD } else { &REGULAR }
    }

    fn glyph(&self, letter: char) -> Option<GlyphId> {
        let face = self.0.as_ref()?;
        face.glyph_index(letter).or_else(|| face.glyph_index(REPLACEMENT))
    }

    /// Pixels for a unit of the font, at a size.
    fn scale(&self, size: f32) -> f32 {
        self.0.as_ref().map_or(0.0, |face| size / f32::from(face.units_per_em()))
    }

    fn advance(&self, letter: char) -> f32 {
        let units = self.glyph(letter).and_then(|glyph| self.0.as_ref()?.glyph_hor_advance(glyph));
        f32::from(units.unwrap_or(0))
    }

    /// Pixels that a text takes.
    pub(super) fn width(&self, text: &str, size: f32) -> f32 {
        text.chars().map(|letter| self.advance(letter)).sum::<f32>() * self.scale(size)
    }

    /// Hands the outline of each letter to `builder_at`, with the place it begins at and pixels for a unit.
    pub(super) fn outline<B: OutlineBuilder>(
        &self,
        text: &str,
        size: f32,
        builder_at: impl Fn(f32, f32) -> B,
        mut done: impl FnMut(B),
    ) {
        let Some(face) = &self.0 else { return };
        let scale = self.scale(size);
        let mut x = 0.0;
        for letter in text.chars() {
            if let Some(glyph) = self.glyph(letter) {
                let mut builder = builder_at(x, scale);
                face.outline_glyph(glyph, &mut builder);
                done(builder);
            }
            x += self.advance(letter) * scale;
        }
    }
}

/// Shortens a text in the middle until it fits; the end, where versions are, keeps as much as the beginning.
pub(super) fn fit(text: &str, size: f32, bold: bool, width: f32) -> String {
    let font = Font::of(bold);
    let text = &*crate::text::clean(text);
    if font.width(text, size) <= width {
        return text.to_owned();
    }
    let letters = text.chars().count();
    // Half of what is left is tried each time.
    let (mut least, mut most) = (1, letters);
    while least + 1 < most {
        let middle = usize::midpoint(least, most);
        if font.width(&crate::text::shorten(text, middle), size) <= width {
            least = middle;
        } else {
            most = middle;
        }
    }
    crate::text::shorten(text, least)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn wider_letters_are_wider_and_what_is_missing_has_a_place() {
        let font = Font::of(false);
        assert!(font.width("WWWW", 20.0) > 2.0 * font.width("iiii", 20.0));
        assert!(font.width("\u{4e00}", 20.0) > 0.0, "a letter that the font lacks");
        assert!(Font::of(true).width("bold", 20.0) > font.width("bold", 20.0));
    }

    #[test]
    fn a_text_that_is_too_wide_is_shortened_to_fit() {
        let long = "a-program-with-a-very-long-name-indeed 4.2.1";
        let short = fit(long, 20.0, false, 200.0);
        assert!(
            Font::of(false).width(&short, 20.0) <= 200.0 && short.contains('…') && short.ends_with("4.2.1"),
            "{short}"
        );
        assert_eq!(fit("short", 20.0, false, 200.0), "short");
    }
}
