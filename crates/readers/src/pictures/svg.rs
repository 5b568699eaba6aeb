//! Drawings (SVG): their size. They are told, and never shown: what draws them is a program of its own, and a small drawing may keep it
//! busy without end.

use crate::xml::{Step, walk};

/// The pixels across and down that a drawing says: `width` and `height`, else its `viewBox`. None where it is no drawing.
pub(super) fn size(bytes: &[u8]) -> Option<(u32, u32)> {
    let mut found = None;
    let mut first = true;
    _ = walk(bytes, |step| {
        let Step::Open { path, attributes } = step else { return };
        if !std::mem::take(&mut first) || path.last().is_none_or(|name| name != "svg") {
            return;
        }
        let of =
            |name: &str| attributes.iter().find(|(known, _)| known == name).map(|(_, value)| value.as_str());
        let pixels = |text: &str| {
            let end = text.find(|c: char| !c.is_ascii_digit() && c != '.').unwrap_or(text.len());
            let (number, unit) = text.split_at(end);
            #[allow(
                clippy::cast_possible_truncation,
                clippy::cast_sign_loss,
                reason = "checked to be in range"
            )]
            let whole = |number: f64| (1.0..=1e6).contains(&number).then(|| number.round() as u32);
            if unit.trim() == "%" { None } else { number.parse().ok().and_then(whole) }
        };
        let sides = || Some((pixels(of("width")?)?, pixels(of("height")?)?));
        let by_box = || {
            let mut numbers = of("viewBox")?.split([' ', ',']).filter(|number| !number.is_empty()).skip(2);
            Some((pixels(numbers.next()?)?, pixels(numbers.next()?)?))
        };
        found = sides().or_else(by_box);
    });
    found
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn sizes_are_told_as_the_drawing_has_them() {
        let of = |attributes: &str| size(format!("<?xml version='1.0'?><svg {attributes}></svg>").as_bytes());
        assert_eq!(of("width='64' height='48px'"), Some((64, 48)));
        assert_eq!(of("width='100%' height='100%' viewBox='0 0 320.4 200'"), Some((320, 200)));
        assert_eq!(of("viewBox='0,0,16,16'"), Some((16, 16)));
        assert_eq!(of("width='-1' height='1e99'"), None);
        assert_eq!(size(b"<html><svg width='1' height='1'/></html>"), None);
        assert_eq!(size(b"no xml"), None);
    }
}
