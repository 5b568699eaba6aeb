//! One page of HTML that needs nothing else: no script, no font, no network. Light or dark as the reader has it, printable.

mod parts;

use crate::document::{Align, Block, Document, Fact, Line, Role, Row, Section, Span, Table};
use crate::publish::site::SiteLink;
use crate::text::clean;
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use html_escape::{
    encode_double_quoted_attribute as attribute, encode_double_quoted_attribute_to_string, encode_safe,
};
use sha2::{Digest, Sha256};
use std::sync::LazyLock;

/// Colours have the same meanings as in a terminal, and a contrast of 4.5 at least on either ground.
const STYLE: &str = include_str!("../../../assets/page.css");

pub(crate) fn render(document: &Document) -> String {
    render_with(document, &[], "")
}

/// A page with ways to other pages; `more` is put in its head as it is.
pub(crate) fn render_with(document: &Document, ways: &[SiteLink], more: &str) -> String {
    let title = document.blocks.iter().find_map(|block| match block {
        Block::Title { text, .. } => Some(text.plain()),
        _ => None,
    });
    let title = title.unwrap_or_else(|| "Fresh Tally".to_owned());
    let sections: Vec<&Section> = sections(document).collect();
    let mut out = head(&title, more);
    let mut blocks = document.blocks.iter().peekable();
    // What a page begins with stands above the ways into it.
    out.push_str("<header class=\"top\">\n");
    if !ways.is_empty() {
        let one = |way: &SiteLink| {
            format!("<a href=\"{}\">{}</a>", attribute(&way.to), encode_safe(&clean(&way.text)))
        };
        let ways: Vec<String> = ways.iter().map(one).collect();
        out.push_str(&format!("<p class=\"site\">{}</p>\n", ways.join("\n")));
    }
    while let Some(block) = blocks.next_if(|block| !matches!(block, Block::Section(_) | Block::Beside(_))) {
        write_block(block, &mut out);
    }
    out.push_str("</header>\n");
    if sections.len() > 1 {
        write_ways(&sections, &mut out);
    }
    out.push_str("<main>\n");
    blocks.for_each(|block| write_block(block, &mut out));
    out.push_str("</main>\n");
    if sections.len() > 1 {
        out.push_str(&format!("<script>\n{SCRIPT}</script>\n"));
    }
    out.push_str("</body>\n</html>\n");
    out
}

/// The beginning of a page, up to its body; `more` is put in its head as it is.
fn head(title: &str, more: &str) -> String {
    format!(
        "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n\
         <meta http-equiv=\"Content-Security-Policy\" content=\"{}\">\n\
         <meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n<title>{}</title>\n{more}<style>\n{STYLE}</style>\n\
         </head>\n<body>\n",
        *POLICY,
        encode_safe(title)
    )
}

/// What a page may do (Content Security Policy, level 3): run its own script and no other, look as its own style says, and show the
/// pictures that are inside it. Nothing is fetched, embedded or sent.
static POLICY: LazyLock<String> = LazyLock::new(|| {
    let hash = STANDARD.encode(Sha256::digest(format!("\n{SCRIPT}")));
    format!(
        "default-src 'none'; script-src 'sha256-{hash}'; style-src 'unsafe-inline'; img-src data:; base-uri 'none'; form-action 'none'"
    )
});

/// Search, sorting, copying and folding for who runs scripts; the page says everything without it.
const SCRIPT: &str = include_str!("../../../assets/page.js");

fn sections(document: &Document) -> impl Iterator<Item = &Section> {
    document.blocks.iter().flat_map(|block| match block {
        Block::Section(section) => std::slice::from_ref(section),
        Block::Beside(sections) => sections,
        _ => &[],
    })
}

/// Links to all sections, and a field to search in.
fn write_ways(sections: &[&Section], out: &mut String) {
    out.push_str("<nav aria-label=\"Sections\">\n<div class=\"ways\">\n");
    // What stands beside another section is seen with it.
    for section in sections.iter().filter(|section| section.id != "versions") {
        out.push_str(&format!("<a href=\"#{}\">{}</a>\n", section.id, encode_safe(&section.title)));
    }
    out.push_str(
        "</div>\n<div class=\"search\" role=\"search\"><label>Find <input id=\"search\" type=\"search\" autocomplete=\"off\"></label> \
         <span id=\"found\" class=\"dim\" aria-live=\"polite\"></span></div>\n</nav>\n",
    );
}

/// What is long is folded, and opens without a script.
fn write_section(section: &Section, out: &mut String) {
    let (id, title) = (section.id, encode_safe(&section.title));
    let aside = match section.aside.as_str() {
        "" => String::new(),
        aside => format!(" <span class=\"count\">{}</span>", encode_safe(aside)),
    };
    if section.open {
        out.push_str(&format!("<section id=\"{id}\">\n<h2>{title}{aside}</h2>\n"));
    } else {
        out.push_str(&format!("<details id=\"{id}\">\n<summary><h2>{title}{aside}</h2></summary>\n"));
    }
    for block in &section.blocks {
        match block {
            Block::Heading(line) => out.push_str(&format!("<h3>{}</h3>\n", spans(line))),
            block => write_block(block, out),
        }
    }
    if !section.command.is_empty() {
        out.push_str(&format!(
            "<p class=\"tools\"><code>{}</code> <button type=\"button\" class=\"copy\">Copy as Markdown</button></p>\n",
            encode_safe(&section.command)
        ));
    }
    out.push_str(if section.open { "</section>\n" } else { "</details>\n" });
}

fn write_block(block: &Block, out: &mut String) {
    match block {
        Block::Title { text, aside } => {
            out.push_str(&format!("<h1>{}</h1>\n", spans(text)));
            if !aside.text.is_empty() {
                out.push_str(&format!("<p class=\"aside\">{}</p>\n", encode_safe(&aside.text)));
            }
        }
        Block::Paragraph(line) => out.push_str(&format!("<p>{}</p>\n", spans(line))),
        Block::Heading(line) => out.push_str(&format!("<h2>{}</h2>\n", spans(line))),
        Block::Facts(facts) => write_facts(facts, out),
        Block::Figures(facts) => parts::write_figures(facts, out),
        Block::Sheet(facts) => parts::write_sheet(facts, out),
        Block::Cards(groups) => parts::write_cards(groups, out),
        Block::Lead(shot) => out.push_str(&format!(
            "<img class=\"lead\" alt=\"Wallpaper {}, the default\" src=\"{}\">\n",
            encode_safe(&shot.name.text),
            html_escape::encode_double_quoted_attribute(&shot.source)
        )),
        Block::Gallery(shots) => parts::write_gallery(shots, out),
        Block::Folds(folds) => parts::write_folds(folds, out),
        Block::Beside(sections) => {
            out.push_str("<div class=\"beside\">\n");
            sections.iter().for_each(|section| write_section(section, out));
            out.push_str("</div>\n");
        }
        Block::Ranked(lines) => {
            out.push_str("<ol>\n");
            lines.iter().for_each(|line| out.push_str(&format!("<li>{}</li>\n", spans(line))));
            out.push_str("</ol>\n");
        }
        Block::Table(table) => write_table(table, out),
        Block::Section(section) => write_section(section, out),
        Block::Picture { svg, caption } => {
            out.push_str(&format!("<figure aria-label=\"{}\">\n{svg}</figure>\n", encode_safe(caption)));
        }
    }
}

/// Facts without a name go on with the one above.
fn write_facts(facts: &[Fact], out: &mut String) {
    out.push_str("<dl>\n");
    for fact in facts {
        let name = span(&fact.name);
        let aside = if fact.aside.0.is_empty() {
            String::new()
        } else {
            format!(" <span class=\"beside\">{}</span>", spans(&fact.aside))
        };
        if !name.is_empty() {
            out.push_str(&format!("<dt>{name}</dt>"));
        }
        let style = if name.is_empty() { " style=\"grid-column:2\"" } else { "" };
        out.push_str(&format!("<dd{style}>{}{aside}</dd>\n", spans(&fact.value)));
    }
    out.push_str("</dl>\n");
}

/// A wide table scrolls by itself, by keyboard too.
fn write_table(table: &Table, out: &mut String) {
    let quick = match &table.filters[..] {
        [] => String::new(),
        filters => format!(" data-filters=\"{}\"", encode_safe(&filters.join(","))),
    };
    // Words of columns that rows are chosen by are short, and never broken; nor are days, nor remarks on a row of installs.
    let are_days = |at: usize| {
        let mut texts = table.rows.iter().filter_map(|row| match row {
            Row::Cells(cells) => cells.get(at).map(|cell| cell.text.as_str()).filter(|text| !text.is_empty()),
            _ => None,
        });
        let is_day = |text: &str| text.len() == 10 && text.parse::<jiff::civil::Date>().is_ok();
        texts.next().is_some_and(is_day) && texts.all(is_day)
    };
    let short: Vec<String> = table
        .columns
        .iter()
        .enumerate()
        .filter(|(at, column)| {
            let is_remark = table.folds && column.title.is_empty() && *at > 0;
            table.filters.contains(&column.title.as_str()) || are_days(*at) || is_remark
        })
        .map(|(at, _)| format!("f{}", at + 1))
        .collect();
    // A row whose columns are installs is read across; any other stands in lines on a phone.
    let short: Vec<String> = short.into_iter().chain(table.folds.then(|| "across".to_owned())).collect();
    let class = if short.is_empty() { String::new() } else { format!(" class=\"{}\"", short.join(" ")) };
    out.push_str(&format!(
        "<div class=\"wide\" role=\"group\" tabindex=\"0\" aria-label=\"Table\"{quick}>\n<table{class}>\n"
    ));
    if table.columns.iter().any(|column| !column.title.is_empty()) {
        let titles = table.columns.iter().map(|column| {
            let class = if column.align == Align::Right { " class=\"right\"" } else { "" };
            match column.title.as_str() {
                "" => "<td></td>".to_owned(),
                title => format!("<th scope=\"col\"{class}>{}</th>", encode_safe(title)),
            }
        });
        out.push_str(&format!("<thead><tr>{}</tr></thead>\n", titles.collect::<String>()));
    }
    out.push_str("<tbody>\n");
    let columns = table.columns.len();
    for row in &table.rows {
        match row {
            Row::Group(line) => out.push_str(&format!(
                "</tbody>\n<tbody>\n<tr><th class=\"group\" scope=\"rowgroup\" colspan=\"{columns}\">{}</th></tr>\n",
                spans(line)
            )),
            Row::Note(line) => {
                out.push_str(&format!("<tr><td class=\"dim\" colspan=\"{columns}\">{}</td></tr>\n", spans(line)));
            }
            Row::Cells(cells) => {
                out.push_str("<tr>");
                for (i, (cell, column)) in cells.iter().zip(&table.columns).enumerate() {
                    let is_name = i == 0 && column.align == Align::Left && !cell.text.is_empty();
                    out.push_str(match (is_name, column.align) {
                        (true, _) => "<th scope=\"row\">",
                        (false, Align::Right) => "<td class=\"right\">",
                        (false, Align::Left) => "<td>",
                    });
                    // What is beside the point in a column of its own needs no mark when it is empty.
                    if !cell.text.is_empty() {
                        write_span(cell, out);
                    }
                    out.push_str(if is_name { "</th>" } else { "</td>" });
                }
                out.push_str("</tr>\n");
            }
        }
    }
    out.push_str("</tbody>\n</table>\n</div>\n");
}

fn spans(line: &Line) -> String {
    let mut out = String::new();
    line.0.iter().for_each(|one| write_span(one, &mut out));
    out
}

fn span(one: &Span) -> String {
    let mut out = String::new();
    write_span(one, &mut out);
    out
}

/// A piece of text with its meaning, and where it leads to.
fn write_span(Span { text, role, to, .. }: &Span, out: &mut String) {
    let (open, close) = match role {
        Role::Plain => ("", ""),
        Role::Strong => ("<strong>", "</strong>"),
        Role::Came => ("<span class=\"came\">", "</span>"),
        Role::Went => ("<span class=\"went\">", "</span>"),
        Role::Changed => ("<span class=\"changed\">", "</span>"),
        Role::LookTwice => ("<span class=\"look\">", "</span>"),
        Role::Dim => ("<span class=\"dim\">", "</span>"),
    };
    out.push_str(open);
    match to.as_ref() {
        "" => drop(encode_double_quoted_attribute_to_string(text, out)),
        to => {
            // Another page of a site, else a place on this one.
            let before = if to.starts_with("./") { "" } else { "#" };
            out.push_str(&format!("<a href=\"{before}{}\">", attribute(to)));
            encode_double_quoted_attribute_to_string(text, out);
            out.push_str("</a>");
        }
    }
    out.push_str(close);
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::document::Column;
    use proptest::prelude::*;

    fn page(text: &str) -> String {
        let mut document = Document::default();
        document.title(text, text);
        document.push(Block::Facts(vec![Fact { name: text.into(), value: text.into(), aside: text.into() }]));
        document.push(Block::Ranked(vec![text.into()]));
        let mut table = Table::new(vec![Column::new(text), Column::new(text).right()]);
        table.group(text);
        table.row(vec![text.into(), text.into()]);
        table.note(text);
        document.push(Block::Table(table));
        render(&document)
    }

    /// The names of all tags, in order.
    fn tags(page: &str) -> Vec<&str> {
        page.split('<').skip(1).map(|rest| rest.split([' ', '>']).next().unwrap_or_default()).collect()
    }

    #[test]
    fn hostile_names_stay_text() {
        let page = page("</title><script>alert(1)</script>\" onload=\"x\u{1b}[2J\u{202e}");
        assert!(!page.contains("<script") && !page.contains("\" onload"));
        assert!(page.contains("&lt;script&gt;") && !page.contains(['\u{1b}', '\u{202e}']));
    }

    #[test]
    fn a_page_says_that_no_other_script_runs() {
        let page = page("<script>alert(1)</script>");
        let policy = page
            .split("Content-Security-Policy\" content=\"")
            .nth(1)
            .and_then(|rest| rest.split('"').next())
            .unwrap();
        // The hash is of what stands between the tags of a page that has a script.
        let mut document = Document::default();
        document.title("a", "a");
        let section = |id| Block::Section(Section { id, title: id.into(), ..Section::default() });
        document.push(section("one"));
        document.push(section("two"));
        let scripted = render(&document);
        let script =
            scripted.split("<script>").nth(1).and_then(|rest| rest.split("</script>").next()).unwrap();
        let hash = STANDARD.encode(Sha256::digest(script));
        assert!(
            policy.starts_with("default-src 'none';")
                && policy.contains(&format!("script-src 'sha256-{hash}';")),
            "{policy}"
        );
    }

    proptest! {
        #[test]
        fn no_text_adds_a_tag(text in ".+") {
            let (hostile, plain) = (page(&text), page("plain"));
            prop_assert_eq!(tags(&hostile), tags(&plain));
        }
    }
}
