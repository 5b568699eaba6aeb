//! Markdown with pipe tables, to be pasted as it is.

use crate::document::{
    Align, Block, Card, CardGroup, Column, Document, Fact, Fold, Line, Role, Row, Section, Shot, Span, Table,
};

pub(crate) fn render(document: &Document) -> String {
    let mut out = String::new();
    for (i, block) in document.blocks.iter().enumerate() {
        if i > 0 {
            out.push('\n');
        }
        write_block(block, &mut out);
    }
    out
}

fn write_block(block: &Block, out: &mut String) {
    match block {
        Block::Title { text, aside } if aside.text.is_empty() => {
            out.push_str(&format!("# {}\n", escape(&text.plain())));
        }
        Block::Title { text, aside } => {
            out.push_str(&format!("# {}\n\n*{}*\n", escape(&text.plain()), escape(&aside.text)));
        }
        Block::Paragraph(line) => out.push_str(&format!("{}\n", spans(line))),
        Block::Heading(line) => out.push_str(&format!("## {}\n", escape(&line.plain()))),
        Block::Facts(facts) => facts.iter().for_each(|fact| write_fact(fact, out)),
        Block::Figures(facts) => {
            let one = |fact: &Fact| format!("**{}** {}", escape(&fact.name.text), said(fact));
            out.push_str(&format!("{}\n", facts.iter().map(one).collect::<Vec<_>>().join(" · ")));
        }
        Block::Sheet(facts) => facts.iter().for_each(|fact| write_fact(fact, out)),
        Block::Cards(groups) => {
            for (i, CardGroup { title, cards }) in groups.iter().enumerate() {
                out.push_str(if i > 0 { "\n" } else { "" });
                out.push_str(&format!("### {}\n\n", escape(&title.plain())));
                for Card { name, value, badge, aside, .. } in cards {
                    let beside = [escape(&badge.text), spans(aside)];
                    let beside: Vec<String> = beside.into_iter().filter(|text| !text.is_empty()).collect();
                    let beside =
                        if beside.is_empty() { String::new() } else { format!(" ({})", beside.join("; ")) };
                    out.push_str(&format!("- {} {}{beside}\n", escape(&name.text), spans(value)));
                }
            }
        }
        Block::Gallery(shots) => {
            for Shot { name, badge, from, .. } in shots {
                let beside = [escape(&badge.text), escape(&from.text)];
                let beside: Vec<String> = beside.into_iter().filter(|text| !text.is_empty()).collect();
                out.push_str(&format!("- {} ({})\n", escape(&name.text), beside.join("; ")));
            }
        }
        Block::Folds(folds) => {
            for Fold { sort, name, figures, inside, .. } in folds {
                let figures: Vec<String> = figures.iter().map(|figure| escape(&figure.text)).collect();
                out.push_str(&format!(
                    "- {} **{}**, {}\n",
                    escape(&sort.text),
                    escape(&name.text),
                    figures.join(", ")
                ));
                inside.iter().for_each(|line| out.push_str(&format!("  - {}\n", spans(line))));
            }
        }
        Block::Beside(sections) => {
            for (i, section) in sections.iter().enumerate() {
                out.push_str(if i > 0 { "\n" } else { "" });
                write_section(section, out);
            }
        }
        Block::Ranked(lines) => {
            for (number, line) in (1..).zip(lines) {
                out.push_str(&format!("{number}. {}\n", spans(line)));
            }
        }
        Block::Table(table) => write_table(table, out),
        Block::Section(section) => write_section(section, out),
        // A picture shows what stands in words elsewhere.
        Block::Picture { .. } | Block::Lead(_) => {}
    }
}

fn write_section(section: &Section, out: &mut String) {
    out.push_str(&format!("## {}\n", escape(&section.title)));
    for block in &section.blocks {
        out.push('\n');
        write_block(block, out);
    }
}

/// A value with what explains it; what has no value of its own is all aside.
fn said(fact: &Fact) -> String {
    match (spans(&fact.value), spans(&fact.aside)) {
        (value, aside) if aside.is_empty() => value,
        (value, aside) if value.is_empty() => aside,
        (value, aside) => format!("{value} ({aside})"),
    }
}

/// What has no name goes on with the fact above.
fn write_fact(fact: &Fact, out: &mut String) {
    out.push_str(&match fact.name.text.as_str() {
        "" => format!("  - {}\n", said(fact)),
        name => format!("- **{}:** {}\n", escape(name), said(fact)),
    });
}

/// A table; rows under a heading become a table of their own.
fn write_table(table: &Table, out: &mut String) {
    let mut open = false;
    for (i, row) in table.rows.iter().enumerate() {
        match row {
            Row::Group(line) => {
                out.push_str(if i > 0 { "\n" } else { "" });
                out.push_str(&format!("### {}\n\n", escape(&line.plain())));
                open = false;
            }
            Row::Note(line) if !open => out.push_str(&format!("{}\n", spans(line))),
            Row::Note(line) => {
                let mut cells = vec![String::new(); table.columns.len()];
                if let Some(cell) = cells.get_mut(1) {
                    *cell = spans(line);
                }
                out.push_str(&format!("| {} |\n", cells.join(" | ")));
            }
            Row::Cells(cells) => {
                if !open {
                    write_head(&table.columns, out);
                    open = true;
                }
                let cells: Vec<String> = cells.iter().map(|cell| escape(&cell.text)).collect();
                out.push_str(&format!("| {} |\n", cells.join(" | ")));
            }
        }
    }
}

fn write_head(columns: &[Column], out: &mut String) {
    let titles: Vec<String> = columns.iter().map(|column| escape(&column.title)).collect();
    let rule = |column: &Column| if column.align == Align::Right { "---:" } else { "---" };
    let rules: Vec<&str> = columns.iter().map(rule).collect();
    out.push_str(&format!("| {} |\n| {} |\n", titles.join(" | "), rules.join(" | ")));
}

fn spans(line: &Line) -> String {
    let one = |span: &Span| match span.role {
        Role::Strong | Role::LookTwice if !span.text.trim().is_empty() => {
            let (before, after) = (leading(&span.text), trailing(&span.text));
            format!("{before}**{}**{after}", escape(span.text.trim()))
        }
        _ => escape(&span.text),
    };
    line.0.iter().map(one).collect()
}

fn leading(text: &str) -> &str {
    &text[..text.len() - text.trim_start().len()]
}

fn trailing(text: &str) -> &str {
    &text[text.trim_end().len()..]
}

/// Takes the meaning from every character that Markdown or the HTML inside it would give one.
fn escape(text: &str) -> String {
    let mut escaped = String::with_capacity(text.len());
    for c in text.chars() {
        match c {
            '<' => escaped.push_str("&lt;"),
            '>' => escaped.push_str("&gt;"),
            '&' => escaped.push_str("&amp;"),
            '\\' | '`' | '*' | '_' | '[' | ']' | '|' | '#' | '~' => {
                escaped.push('\\');
                escaped.push(c);
            }
            c => escaped.push(c),
        }
    }
    escaped
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn hostile_names_come_out_harmless() {
        let mut document = Document::default();
        let mut table = Table::new(vec![Column::new("name"), Column::new("MB").right()]);
        table.row(vec!["<script>|x|".into(), "1".into()]);
        document.title("A *title*", "as shipped");
        document.push(Block::Table(table));
        document.paragraph(Line::from("see ").and(Span::new(Role::Strong, "`run` ")));
        insta::assert_snapshot!(render(&document), @r"
        # A \*title\*

        *as shipped*

        | name | MB |
        | --- | ---: |
        | &lt;script&gt;\|x\| | 1 |

        see **\`run\`**
        ");
    }

    #[test]
    fn facts_without_a_name_go_on_with_the_one_above() {
        let fact = |name: &str, value: &str, aside: &str| {
            let line = |text: &str| if text.is_empty() { Line::default() } else { Line::from(text) };
            crate::document::Fact { name: name.into(), value: line(value), aside: line(aside) }
        };
        let mut document = Document::default();
        document.push(Block::Facts(vec![
            fact("In the box", "9 packages", "8 dpkg"),
            fact("", "", "2 were chosen"),
            fact("", "3 programs", ""),
        ]));
        assert_eq!(
            render(&document),
            "- **In the box:** 9 packages (8 dpkg)\n  - 2 were chosen\n  - 3 programs\n"
        );
    }
}
