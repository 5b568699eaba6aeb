//! A scene as SVG 1.1: on its own with its colours, or in a page by classes whose colours the page has.

use super::{Anchor, Ink, Item, Scene};
use crate::style::Theme;
use html_escape::encode_safe;
use std::fmt::Write;

/// An SVG document.
pub(super) fn document(scene: &Scene, theme: Theme, transparent: bool) -> String {
    let Scene { width, height, .. } = scene;
    let mut out = format!(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"{width}\" height=\"{height}\" viewBox=\"0 0 {width} {height}\" role=\"img\" font-family=\"DejaVu Sans, Verdana, sans-serif\">\n"
    );
    describe(scene, &mut out);
    if !transparent {
        _ = writeln!(out, "<rect width=\"{width}\" height=\"{height}\" fill=\"{}\"/>", theme.ground().hex());
    }
    items(scene, &|ink| format!("fill=\"{}\"", theme.ink(ink).hex()), &mut out);
    out.push_str("</svg>\n");
    out
}

/// An element of a page.
pub(super) fn inline(scene: &Scene, is_narrow: bool) -> String {
    let Scene { width, height, .. } = scene;
    let class_of = if is_narrow { "chart narrow" } else { "chart" };
    let mut out = format!("<svg viewBox=\"0 0 {width} {height}\" role=\"img\" class=\"{class_of}\">\n");
    describe(scene, &mut out);
    items(scene, &class, &mut out);
    out.push_str("</svg>\n");
    out
}

fn describe(scene: &Scene, out: &mut String) {
    _ = writeln!(out, "<title>{}</title>", encode_safe(&scene.title));
    _ = writeln!(out, "<desc>{}</desc>", encode_safe(&scene.words));
}

/// Shades are strengths of one colour, so that they suit a light page and a dark one.
fn class(ink: Ink) -> String {
    let name = match ink {
        Ink::Text => "text",
        Ink::Dim => "dim",
        Ink::Rule => "rule",
        Ink::Plain => "plain",
        Ink::Came => "came",
        Ink::Went => "went",
        Ink::Changed => "changed",
        Ink::Shade(strength) => return format!("class=\"c-plain\" fill-opacity=\"{strength:.2}\""),
        Ink::Upon(strength) if strength > 0.65 => "upon",
        Ink::Upon(_) => "text",
    };
    format!("class=\"c-{name}\"")
}

fn items(scene: &Scene, paint: &dyn Fn(Ink) -> String, out: &mut String) {
    for item in &scene.items {
        match item {
            Item::Box { x, y, w, h, ink } => {
                _ = writeln!(
                    out,
                    "<rect x=\"{x:.1}\" y=\"{y:.1}\" width=\"{w:.1}\" height=\"{h:.1}\" {}/>",
                    paint(*ink)
                );
            }
            Item::Text { x, y, size, anchor, bold, ink, text } => {
                let anchor = match anchor {
                    Anchor::Start => "",
                    Anchor::Middle => " text-anchor=\"middle\"",
                    Anchor::End => " text-anchor=\"end\"",
                };
                let weight = if *bold { " font-weight=\"bold\"" } else { "" };
                _ = writeln!(
                    out,
                    "<text x=\"{x:.1}\" y=\"{y:.1}\" font-size=\"{size:.1}\"{anchor}{weight} {}>{}</text>",
                    paint(*ink),
                    encode_safe(text)
                );
            }
        }
    }
}
