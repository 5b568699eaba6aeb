//! One page of HTML that needs nothing else: no script, no font, no network. Light or dark as the reader has it, printable.

use crate::document::{Align, Block, Document, Fact, Line, Role, Row, Section, Span, Table};
use html_escape::encode_safe;

/// Colours have the same meanings as in a terminal, and a contrast of 4.5 at least on either ground.
const STYLE: &str = "\
:root{color-scheme:light dark;--ground:#fff;--ink:#1c2226;--dim:#5b666d;--line:#d5dbdf;--plain:#3d5a80;--came:#00695c;--went:#a04000;--changed:#1a56b0;--look:#7a5200}\
@media (prefers-color-scheme:dark){:root{--ground:#14181b;--ink:#e4e9ec;--dim:#9aa5ac;--line:#333b41;--plain:#9db8d8;--came:#5cc8b8;--went:#ffab70;--changed:#8fb8ff;--look:#ffd24d}}\
body{margin:0 auto;padding:1.5rem 1rem;max-width:80rem;background:var(--ground);color:var(--ink);font:1rem/1.5 system-ui,sans-serif}\
h1{font-size:1.4rem;margin:0}h2{font-size:1.1rem;margin:2rem 0 .5rem}.aside{color:var(--dim);margin:0 0 1rem}\
.wide{overflow-x:auto;margin:1rem 0}table{border-collapse:collapse;font-size:.93rem}\
th,td{padding:.2rem .8rem .2rem 0;text-align:left;vertical-align:top;font-weight:normal;overflow-wrap:anywhere;min-width:3rem}\
thead th,thead td{color:var(--dim);border-bottom:1px solid var(--line);white-space:nowrap}tbody tr+tr>*{border-top:1px solid var(--line)}\
th.group{padding-top:1.2rem;font-weight:600;border:0}.right{text-align:right;font-variant-numeric:tabular-nums;white-space:nowrap}\
dl{display:grid;grid-template-columns:max-content 1fr;gap:.2rem 1rem}dt,.dim{color:var(--dim)}dd{margin:0;overflow-wrap:anywhere}\
.came{color:var(--came)}.went{color:var(--went)}.changed{color:var(--changed)}.look{color:var(--look);font-weight:600}\
a{color:inherit;text-underline-offset:.2em}a:focus-visible,summary:focus-visible,input:focus-visible,.wide:focus-visible{outline:2px solid var(--changed);outline-offset:2px}\
nav{display:flex;flex-wrap:wrap;gap:.3rem 1rem;margin:1rem 0;color:var(--dim)}details{margin:2rem 0 0}summary{cursor:pointer}summary h2{display:inline;margin:0}\
section>h2{margin-top:2rem}.count{color:var(--dim);font-weight:400}svg.chart{max-width:100%;height:auto;display:block;margin:1rem 0;font-family:DejaVu Sans,Verdana,sans-serif}\
figure{margin:1rem 0}.beside{margin-left:.8rem;color:var(--dim)}.c-text{fill:var(--ink)}.c-dim{fill:var(--dim)}.c-rule{fill:var(--line)}.c-plain{fill:var(--plain)}.c-came{fill:var(--came)}.c-went{fill:var(--went)}.c-changed{fill:var(--changed)}.c-upon{fill:var(--ground)}\
.search{display:none;margin:1rem 0}.scripts .search{display:block}.search input{font:inherit;padding:.3rem .6rem;width:min(24rem,100%);box-sizing:border-box;background:var(--ground);color:var(--ink);border:1px solid var(--dim);border-radius:.2rem}\
tr.out{display:none}footer{color:var(--dim);margin:3rem 0 1rem;font-size:.9rem}\
@media print,(min-width:40rem){th,td{min-width:4.7rem}}\
@media (max-width:40rem){figure{overflow-x:auto}svg.chart{min-width:38rem}dl{display:block}dd{margin-bottom:.5rem}}\
@media print{body{max-width:none;padding:0;font-size:.85rem}nav,.search{display:none!important}details::details-content{content-visibility:visible;block-size:auto}figure{break-inside:avoid}h2{break-after:avoid}.wide{overflow:visible}tr{break-inside:avoid}}";

pub(crate) fn render(document: &Document) -> String {
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
    let sections: Vec<&Section> = sections(document).collect();
    let mut blocks = document.blocks.iter().peekable();
    // What a page begins with stands above the ways into it.
    while let Some(block) = blocks.next_if(|block| !matches!(block, Block::Section(_))) {
        write_block(block, &mut out);
    }
    if sections.len() > 1 {
        write_ways(&sections, &mut out);
    }
    blocks.for_each(|block| write_block(block, &mut out));
    out.push_str("</main>\n");
    if sections.len() > 1 {
        out.push_str(&format!("<script>{SCRIPT}</script>\n"));
    }
    out.push_str("</body>\n</html>\n");
    out
}

/// Search and folding for who runs scripts; the page says everything without it.
const SCRIPT: &str = "\
(function(){document.body.className='scripts';var i=document.getElementById('search'),s=document.getElementById('found'),\
d=[].slice.call(document.querySelectorAll('details')),o=d.map(function(x){return x.open}),\
r=[].slice.call(document.querySelectorAll('tbody tr')).filter(function(x){return x.querySelector('td')}).map(function(x){return[x,x.textContent.toLowerCase()]});\
function f(){var w=i.value.toLowerCase().trim(),n=0;r.forEach(function(x){var h=w&&x[1].indexOf(w)<0;x[0].className=h?'out':'';if(!h)n++});\
d.forEach(function(x,k){x.open=w?!!x.querySelector('tbody tr:not(.out) td'):o[k]});s.textContent=w?n+' rows have it':''}\
i.addEventListener('input',f);function a(){var t=location.hash&&document.getElementById(location.hash.slice(1));if(t&&t.tagName==='DETAILS')t.open=true}\
window.addEventListener('hashchange',a);a();window.addEventListener('beforeprint',function(){d.forEach(function(x){x.open=true})});\
window.addEventListener('afterprint',function(){d.forEach(function(x,k){x.open=o[k]})})})()";

fn sections(document: &Document) -> impl Iterator<Item = &Section> {
    document.blocks.iter().filter_map(|block| match block {
        Block::Section(section) => Some(section),
        _ => None,
    })
}

/// Links to all sections, and a field to search in.
fn write_ways(sections: &[&Section], out: &mut String) {
    out.push_str("<nav aria-label=\"sections\">\n");
    for section in sections {
        out.push_str(&format!("<a href=\"#{}\">{}</a>\n", section.id, encode_safe(&section.title)));
    }
    out.push_str(
        "</nav>\n<div class=\"search\" role=\"search\"><label>Find in all tables <input id=\"search\" type=\"search\" autocomplete=\"off\"></label> \
         <span id=\"found\" class=\"dim\" aria-live=\"polite\"></span></div>\n",
    );
}

/// What is long is folded, and opens without a script.
fn write_section(section: &Section, out: &mut String) {
    let (id, title) = (section.id, encode_safe(&section.title));
    if section.open {
        out.push_str(&format!("<section id=\"{id}\">\n<h2>{title}</h2>\n"));
    } else {
        out.push_str(&format!("<details id=\"{id}\">\n<summary><h2>{title}</h2></summary>\n"));
    }
    section.blocks.iter().for_each(|block| write_block(block, out));
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
    let text = match span.to {
        "" => text,
        to => format!("<a href=\"#{to}\">{text}</a>").into(),
    };
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
