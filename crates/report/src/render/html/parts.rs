//! What a page shows otherwise than a terminal: figures, sheets of versions, cards and folds.

use super::{span, spans};
use crate::document::{Card, CardGroup, Fact, Fold, Role, Span};
use html_escape::encode_safe;

/// Figures in a row.
pub(super) fn write_figures(facts: &[Fact], out: &mut String) {
    out.push_str("<dl class=\"figures\">\n");
    for Fact { name, value, aside } in facts {
        let aside = if aside.0.is_empty() {
            String::new()
        } else {
            format!("<dd class=\"beside\">{}</dd>", spans(aside))
        };
        out.push_str(&format!("<div><dt>{}</dt><dd>{}</dd>{aside}</div>\n", span(name), spans(value)));
    }
    out.push_str("</dl>\n");
}

/// Versions by name; what has no name is one more of the name above.
pub(super) fn write_sheet(facts: &[Fact], out: &mut String) {
    out.push_str("<dl class=\"sheet\">\n");
    for (at, Fact { name, value, aside }) in facts.iter().enumerate() {
        if !name.text.is_empty() || at == 0 {
            out.push_str(&format!("{}<div><dt>{}</dt>", if at > 0 { "</div>\n" } else { "" }, span(name)));
        }
        let aside = if aside.0.is_empty() { String::new() } else { format!(" {}", spans(aside)) };
        out.push_str(&format!("<dd>{}{aside}</dd>", spans(value)));
    }
    out.push_str(if facts.is_empty() { "</dl>\n" } else { "</div>\n</dl>\n" });
}

/// The first letters of the first two words of a name.
fn initials(name: &str) -> String {
    let words = name.split(|c: char| !c.is_alphanumeric()).filter(|word| !word.is_empty());
    words.take(2).filter_map(|word| word.chars().next()).flat_map(char::to_uppercase).collect()
}

/// The sign beside a word, so that no meaning hangs on a colour.
const fn sign(role: Role) -> &'static str {
    match role {
        Role::Came => "+ ",
        Role::Went => "\u{2212} ",
        Role::Changed => "\u{2192} ",
        Role::LookTwice => "! ",
        Role::Plain | Role::Dim | Role::Strong => "",
    }
}

fn class(role: Role) -> &'static str {
    match role {
        Role::Came => "came",
        Role::Went => "went",
        Role::Changed => "changed",
        Role::LookTwice => "look",
        Role::Plain | Role::Dim | Role::Strong => "dim",
    }
}

fn badge(of: &Span) -> String {
    match of.text.as_str() {
        "" => String::new(),
        text => {
            format!(" <span class=\"badge {}\">{}{}</span>", class(of.role), sign(of.role), encode_safe(text))
        }
    }
}

/// Cards, group by group.
pub(super) fn write_cards(groups: &[CardGroup], out: &mut String) {
    for CardGroup { title, cards } in groups {
        out.push_str(&format!("<h3>{}</h3>\n<ul class=\"cards\">\n", spans(title)));
        for Card { name, value, badge: of, aside } in cards {
            let aside = if aside.0.is_empty() {
                String::new()
            } else {
                format!("<span class=\"more\">{}</span>", spans(aside))
            };
            out.push_str(&format!(
                "<li class=\"{}\"><span class=\"tile\" aria-hidden=\"true\">{}</span><span class=\"what\"><strong>{}</strong>{}</span>\
                 <span class=\"value\">{}</span>{aside}</li>\n",
                class(of.role),
                encode_safe(&initials(&name.text)),
                span(name),
                badge(of),
                spans(value)
            ));
        }
        out.push_str("</ul>\n");
    }
}

/// Folds, each with a bar for its weight.
pub(super) fn write_folds(folds: &[Fold], out: &mut String) {
    out.push_str("<div class=\"folds\">\n");
    for Fold { id, sort, name, figures, share, inside } in folds {
        let figures: String =
            figures.iter().map(|figure| format!("<span class=\"figure\">{}</span>", span(figure))).collect();
        let line = format!(
            "<span class=\"sort {}\">{}{}</span><span class=\"name\">{}</span>{figures}\
             <span class=\"bar {}\" aria-hidden=\"true\"><i style=\"width:{:.1}%\"></i></span>",
            class(sort.role),
            sign(sort.role),
            encode_safe(&sort.text),
            span(name),
            class(sort.role),
            f32::from(share.unsigned_abs()) / 10.0
        );
        let id = encode_safe(id);
        if inside.is_empty() {
            out.push_str(&format!("<div class=\"fold\" id=\"{id}\">{line}</div>\n"));
        } else {
            let inside: String = inside.iter().map(|line| format!("<p>{}</p>\n", spans(line))).collect();
            out.push_str(&format!(
                "<details class=\"fold\" id=\"{id}\"><summary>{line}</summary>\n{inside}</details>\n"
            ));
        }
    }
    out.push_str("</div>\n");
}
