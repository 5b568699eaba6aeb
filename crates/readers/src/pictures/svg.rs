//! Drawings (SVG): their size, and whether they can be kept as they are.

use crate::xml::{Step, walk};
use memchr::memmem;

/// Bytes of a drawing that is kept.
const KEPT: usize = 240 << 10;

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

/// A drawing that can do nothing but be drawn: small, whole, without scripts, styles that load something, other documents inside it, or
/// references to what is not in it. It is shown as an image all the same, in which nothing acts.
pub(super) fn harmless(bytes: &[u8]) -> Option<Vec<u8>> {
    if bytes.len() > KEPT
        || memmem::find(bytes, b"<!DOCTYPE").is_some()
        || memmem::find(bytes, b"<!ENTITY").is_some()
    {
        return None;
    }
    if memmem::find(bytes, b"<?xml-stylesheet").is_some() {
        return None;
    }
    let (mut is_drawing, mut acts, mut elements) = (false, false, 0_usize);
    let bad_elements = [
        "script",
        "foreignObject",
        "iframe",
        "image",
        "a",
        "set",
        "animate",
        "animateTransform",
        "animateMotion",
        "audio",
        "video",
    ];
    let whole = walk(bytes, |step| match step {
        Step::Open { path, attributes } => {
            let name = path.last().map_or("", |name| name.rsplit(':').next().unwrap_or(name));
            elements += 1;
            is_drawing |= path.len() == 1 && name == "svg";
            acts |= bad_elements.iter().any(|bad| bad.eq_ignore_ascii_case(name));
            for (key, value) in attributes {
                let key = key.rsplit(':').next().unwrap_or(key).to_ascii_lowercase();
                acts |= key.starts_with("on");
                acts |= key == "href" && !value.trim_start().starts_with('#');
                acts |= loads(value);
            }
        }
        Step::Close { text, .. } => acts |= loads(text),
    });
    (whole.is_ok() && is_drawing && !acts && elements <= 4000).then(|| bytes.to_vec())
}

/// Whether a text of styles loads something from elsewhere.
fn loads(text: &str) -> bool {
    let lower = text.to_ascii_lowercase();
    let outside = |part: &str| !part.trim_start().trim_start_matches(['"', '\'']).starts_with('#');
    lower.contains("@import")
        || lower.contains("javascript:")
        || lower.contains("expression(")
        || lower.split("url(").skip(1).any(outside)
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

    #[test]
    fn only_what_can_do_nothing_is_kept() {
        let kept = |inner: &str| harmless(format!("<svg xmlns:xlink='x'>{inner}</svg>").as_bytes()).is_some();
        assert!(kept("<path d='M0 0'/><g fill='url(#a)'/><use xlink:href='#b'/><style>.a{fill:red}</style>"));
        for bad in [
            "<script>1</script>",
            "<SCRIPT/>",
            "<g onload='x()'/>",
            "<use href='https://a.example/x.svg#a'/>",
            "<use xlink:href='data:image/svg+xml,x'/>",
            "<image href='#a'/>",
            "<foreignObject/>",
            "<g style='background:url(https://a.example)'/>",
            "<g fill='url(&quot;http://a.example&quot;)'/>",
            "<style>@import 'x';</style>",
            "<a href='javascript:x'/>",
            "<set attributeName='href' to='x'/>",
            "<g>",
        ] {
            assert!(!kept(bad), "{bad}");
        }
        assert!(harmless(b"<!DOCTYPE svg><svg/>").is_none());
        assert!(harmless(&[b"<svg>".as_slice(), &vec![b' '; KEPT], b"</svg>"].concat()).is_none());
        assert!(harmless(b"<html/>").is_none());
    }
}
