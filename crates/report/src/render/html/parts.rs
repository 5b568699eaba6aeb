//! What a page shows otherwise than a terminal: figures, sheets of versions, cards and folds.

use super::{span, spans};
use crate::document::{Card, CardGroup, Fact, Fold, Role, Shot, Span};
use html_escape::{encode_double_quoted_attribute, encode_safe};

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

/// The icon of a program, or its first letters.
fn tile(name: &Span, icon: &str) -> String {
    match icon {
        "" => {
            format!("<span class=\"tile\" aria-hidden=\"true\">{}</span>", encode_safe(&initials(&name.text)))
        }
        icon => {
            format!("<img class=\"tile icon\" alt=\"\" src=\"{}\">", encode_double_quoted_attribute(icon))
        }
    }
}

/// Small pictures side by side.
pub(super) fn write_gallery(shots: &[Shot], out: &mut String) {
    out.push_str("<ul class=\"gallery\">\n");
    for Shot { source, name, badge: of, from } in shots {
        out.push_str(&format!(
            "<li><img alt=\"Wallpaper {}\" src=\"{}\" loading=\"lazy\"><span class=\"what\"><strong>{}</strong>{}</span>\
             <span class=\"more\">{}</span></li>\n",
            encode_safe(&name.text),
            encode_double_quoted_attribute(source),
            span(name),
            badge(of),
            span(from)
        ));
    }
    out.push_str("</ul>\n");
}

/// Cards, group by group.
pub(super) fn write_cards(groups: &[CardGroup], out: &mut String) {
    for CardGroup { title, cards } in groups {
        out.push_str(&format!("<h3>{}</h3>\n<ul class=\"cards\">\n", spans(title)));
        for Card { name, value, badge: of, aside, icon } in cards {
            let aside = if aside.0.is_empty() {
                String::new()
            } else {
                format!("<span class=\"more\">{}</span>", spans(aside))
            };
            out.push_str(&format!(
                "<li class=\"{}\">{}<span class=\"what\"><strong>{}</strong>{}</span>\
                 <span class=\"value\">{}</span>{aside}</li>\n",
                class(of.role),
                tile(name, icon),
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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_program_without_an_icon_has_the_letters_of_its_name() {
        for (name, letters) in [
            ("Brackwater Writer", "BW"),
            ("files", "F"),
            ("gnome-text-editor", "GT"),
            ("2048", "2"),
            ("Ünïcode", "Ü"),
            ("\u{5d0}\u{5d1} \u{5d2}", "\u{5d0}\u{5d2}"),
            ("--", ""),
            ("", ""),
        ] {
            assert_eq!(initials(name), letters, "{name}");
        }
    }

    #[test]
    fn what_happened_is_said_by_a_sign_and_a_word_and_not_by_a_colour_alone() {
        for role in [Role::Came, Role::Went, Role::Changed, Role::LookTwice] {
            let drawn = badge(&Span::new(role, "word"));
            assert!(drawn.contains("word") && !sign(role).trim().is_empty(), "{drawn}");
        }
        assert_eq!(badge(&Span::default()), "");
    }

    #[test]
    fn versions_of_one_name_stand_in_one_group() {
        let fact = |name: &str, value: &str| Fact {
            name: name.into(),
            value: value.into(),
            aside: Default::default(),
        };
        let mut out = String::new();
        write_sheet(&[fact("Toolkit", "GTK 4"), fact("", "Qt 6"), fact("Init", "systemd")], &mut out);
        assert!(out.contains("<dt>Toolkit</dt><dd>GTK 4</dd><dd>Qt 6</dd></div>"), "{out}");
        assert_eq!(out.matches("<div>").count(), out.matches("</div>").count());
        let mut none = String::new();
        write_sheet(&[], &mut none);
        assert_eq!(none, "<dl class=\"sheet\">\n</dl>\n");
    }

    #[test]
    fn a_fold_unfolds_where_something_is_behind_it_and_its_bar_is_as_long_as_its_share() {
        let fold = |share: i16, inside: Vec<crate::document::Line>| Fold {
            id: "decision-d1".into(),
            sort: Span::new(Role::Went, "dropped on purpose"),
            name: "Marshlight".into(),
            figures: vec!["-183 MB".into()],
            share,
            inside,
        };
        let mut out = String::new();
        write_folds(
            &[fold(-386, vec!["It was installed explicitly.".into()]), fold(0, Vec::new())],
            &mut out,
        );
        assert_eq!((out.matches("<details").count(), out.matches("<summary>").count()), (1, 1), "{out}");
        assert!(out.contains("width:38.6%") && out.contains("width:0.0%"), "{out}");
        assert!(out.contains("<div class=\"fold\" id=\"decision-d1\">"), "{out}");
    }
}
