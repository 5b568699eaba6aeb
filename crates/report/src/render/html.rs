//! One page of HTML that needs nothing else: no script, no font, no network. Light or dark as the reader has it, printable.

use crate::document::{Align, Block, Document, Fact, Line, Role, Row, Span, Table};
use html_escape::encode_safe;

/// Colours have the same meanings as in a terminal, and a contrast of 4.5 at least on either ground.
const STYLE: &str = "\
:root{color-scheme:light dark;--ground:#fff;--ink:#1c2226;--dim:#5b666d;--line:#d5dbdf;--came:#00695c;--went:#a04000;--changed:#1a56b0;--look:#7a5200}\
@media (prefers-color-scheme:dark){:root{--ground:#14181b;--ink:#e4e9ec;--dim:#9aa5ac;--line:#333b41;--came:#5cc8b8;--went:#ffab70;--changed:#8fb8ff;--look:#ffd24d}}\
body{margin:0 auto;padding:1.5rem 1rem;max-width:80rem;background:var(--ground);color:var(--ink);font:1rem/1.5 system-ui,sans-serif}\
h1{font-size:1.4rem;margin:0}h2{font-size:1.1rem;margin:2rem 0 .5rem}.aside{color:var(--dim);margin:0 0 1rem}\
.wide{overflow-x:auto;margin:1rem 0}table{border-collapse:collapse;font-size:.93rem}\
th,td{padding:.2rem .8rem .2rem 0;text-align:left;vertical-align:top;font-weight:normal;overflow-wrap:anywhere;min-width:3rem}\
thead th,thead td{color:var(--dim);border-bottom:1px solid var(--line);white-space:nowrap}tbody tr+tr>*{border-top:1px solid var(--line)}\
th.group{padding-top:1.2rem;font-weight:600;border:0}.right{text-align:right;font-variant-numeric:tabular-nums;white-space:nowrap}\
dl{display:grid;grid-template-columns:max-content 1fr;gap:.2rem 1rem}dt,.dim{color:var(--dim)}dd{margin:0;overflow-wrap:anywhere}\
.came{color:var(--came)}.went{color:var(--went)}.changed{color:var(--changed)}.look{color:var(--look);font-weight:600}\
@media (max-width:40rem){dl{display:block}dd{margin-bottom:.5rem}}\
@media print{body{max-width:none;padding:0}.wide{overflow:visible}tr{break-inside:avoid}}";

pub(super) fn render(document: &Document) -> String {
    let title = document.blocks.iter().find_map(|block| match block {
        Block::Title { text, .. } => Some(text.plain()),
        _ => None,
    });
    let title = title.unwrap_or_else(|| "Fresh Tally".to_owned());
    let mut out = format!(
        "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n\
         <meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n<title>{}</title>\n<style>{STYLE}</style>\n\
         </head>\n<body>\n<main>\n",
        encode_safe(&title)
    );
    document.blocks.iter().for_each(|block| write_block(block, &mut out));
    out.push_str("</main>\n</body>\n</html>\n");
    out
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
        Block::Ranked(lines) => {
            out.push_str("<ol>\n");
            lines.iter().for_each(|line| out.push_str(&format!("<li>{}</li>\n", spans(line))));
            out.push_str("</ol>\n");
        }
        Block::Table(table) => write_table(table, out),
    }
}

/// Facts without a name go on with the one above.
fn write_facts(facts: &[Fact], out: &mut String) {
    out.push_str("<dl>\n");
    for fact in facts {
        let name = encode_safe(&fact.name.text);
        let aside = if fact.aside.0.is_empty() { String::new() } else { format!(" {}", spans(&fact.aside)) };
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
    out.push_str("<div class=\"wide\" role=\"region\" tabindex=\"0\" aria-label=\"table\">\n<table>\n");
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
                    let class = if column.align == Align::Right { " class=\"right\"" } else { "" };
                    let (open, close) = if i == 0 && column.align == Align::Left {
                        ("<th scope=\"row\"", "</th>")
                    } else {
                        ("<td", "</td>")
                    };
                    out.push_str(&format!("{open}{class}>{}{close}", span(cell)));
                }
                out.push_str("</tr>\n");
            }
        }
    }
    out.push_str("</tbody>\n</table>\n</div>\n");
}

fn spans(line: &Line) -> String {
    line.0.iter().map(span).collect()
}

fn span(span: &Span) -> String {
    let text = encode_safe(&span.text);
    match span.role {
        Role::Plain => text.into_owned(),
        Role::Strong => format!("<strong>{text}</strong>"),
        Role::Came => format!("<span class=\"came\">{text}</span>"),
        Role::Went => format!("<span class=\"went\">{text}</span>"),
        Role::Changed => format!("<span class=\"changed\">{text}</span>"),
        Role::LookTwice => format!("<span class=\"look\">{text}</span>"),
        Role::Dim => format!("<span class=\"dim\">{text}</span>"),
    }
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

    proptest! {
        #[test]
        fn no_text_adds_a_tag(text in ".+") {
            let (hostile, plain) = (page(&text), page("plain"));
            prop_assert_eq!(tags(&hostile), tags(&plain));
        }
    }
}
