//! A frame: the state and what is on the screen become cells of a buffer. Nothing is read here.

use super::content::Content;
use super::state::{GUTTER, HELP, Mode, State};
use ratatui_core::buffer::Buffer;
use ratatui_core::layout::Rect;
use ratatui_core::style::{Color, Modifier, Style};
use tally_report::{Line, Role, width};

/// Colours that the terminal has.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Colours {
    None,
    Sixteen,
    Many,
}

/// What stands around the content.
#[derive(Debug, Default)]
pub(crate) struct Around {
    /// What is looked at.
    pub(crate) title: String,
    /// As shipped, as found.
    pub(crate) aside: String,
    pub(crate) sections: Vec<String>,
    /// What is known of the line under the cursor.
    pub(crate) evidence: Vec<Line>,
}

/// Rows of the list of filters.
const FILTERS: u16 = 14;

impl Colours {
    fn of(self, role: Role) -> Style {
        let plain = Style::new();
        let colour = |sixteen: Color, many: u8| match self {
            Self::None => plain,
            Self::Sixteen => plain.fg(sixteen),
            Self::Many => plain.fg(Color::Indexed(many)),
        };
        match role {
            Role::Plain => plain,
            Role::Came => colour(Color::Cyan, 37),
            Role::Went => colour(Color::LightRed, 208),
            Role::Changed => colour(Color::LightBlue, 75),
            Role::LookTwice => colour(Color::Yellow, 220).add_modifier(Modifier::BOLD),
            Role::Dim => plain.add_modifier(Modifier::DIM),
            Role::Strong => plain.add_modifier(Modifier::BOLD),
        }
    }
}

/// Draws a frame.
pub(crate) fn draw(buffer: &mut Buffer, state: &State, content: &Content, around: &Around, colours: Colours) {
    let area = buffer.area;
    if area.width == 0 || area.height == 0 {
        return;
    }
    let mut frame = Frame { buffer, colours, area };
    frame.title(around);
    if area.height < 3 {
        return;
    }
    frame.sections(state, around);
    frame.content(state, content);
    frame.evidence(state, around);
    frame.last_line(state, content);
    match state.mode {
        Mode::Filter(at) => frame.filters(at, content),
        Mode::Help(from) => frame.help(from),
        _ => {}
    }
}

struct Frame<'b> {
    buffer: &'b mut Buffer,
    colours: Colours,
    area: Rect,
}

impl Frame<'_> {
    /// Writes text from a column on, at most so many columns; returns the column after it.
    fn text(&mut self, x: u16, y: u16, most: u16, text: &str, style: Style) -> u16 {
        if y >= self.area.height || x >= self.area.width {
            return x;
        }
        let room = usize::from(most.min(self.area.width - x));
        self.buffer.set_stringn(x, y, text, room, style).0
    }

    fn fill(&mut self, area: Rect, style: Style) {
        let area = area.intersection(self.area);
        for y in area.top()..area.bottom() {
            for x in area.left()..area.right() {
                self.buffer[(x, y)].reset();
            }
        }
        self.buffer.set_style(area, style);
    }

    fn title(&mut self, around: &Around) {
        let strong = self.colours.of(Role::Strong);
        let end = self.text(0, 0, self.area.width, &around.title, strong);
        let aside = u16::try_from(width(&around.aside)).unwrap_or(u16::MAX);
        if let Some(left) = self.area.width.checked_sub(aside).filter(|left| *left > end + 1) {
            self.text(left, 0, aside, &around.aside, self.colours.of(Role::Dim));
        }
    }

    /// The list of sections; of a long one the part around the one that is open.
    fn sections(&mut self, state: &State, around: &Around) {
        let wide = state.sections_width();
        if wide == 0 {
            return;
        }
        let rows = state.height();
        let open = state.screen.section;
        let from = open.saturating_sub(rows / 2).min(around.sections.len().saturating_sub(rows));
        for (at, name) in around.sections.iter().enumerate().skip(from).take(rows) {
            let y = u16::try_from(at - from + 1).unwrap_or(u16::MAX);
            let (mark, style) = match at == open {
                true => ("›", self.colours.of(Role::Strong)),
                false => (" ", self.colours.of(Role::Dim)),
            };
            let number = if at < 9 { format!("{}", at + 1) } else { " ".into() };
            self.text(0, y, wide - 1, &format!("{mark}{number} {name}"), style);
        }
        for y in 1..=u16::try_from(rows).unwrap_or(0) {
            self.text(wide - 1, y, 1, "│", self.colours.of(Role::Dim));
        }
    }

    fn content(&mut self, state: &State, content: &Content) {
        let left = state.sections_width();
        let high = state.line_height();
        for (at, line) in content.lines.iter().enumerate().skip(state.screen.top).take(state.lines()) {
            let row = (at - state.screen.top) * high + 1;
            if row > state.height() {
                break;
            }
            let y = u16::try_from(row).unwrap_or(u16::MAX);
            let subject = line.subject.as_ref();
            let marked = subject.is_some_and(|one| state.screen.marked.contains(&one.name));
            let fold = subject.filter(|one| one.opens).and_then(|one| one.fold.as_ref());
            let sign = match fold {
                _ if marked => "*",
                Some(id) if state.screen.opened.contains(id) => "-",
                Some(_) => "+",
                None => " ",
            };
            let is_here = at == state.screen.cursor;
            self.text(left, y, 1, if is_here { "›" } else { " " }, self.colours.of(Role::Strong));
            self.text(
                left + 1,
                y,
                1,
                sign,
                self.colours.of(if marked { Role::LookTwice } else { Role::Plain }),
            );
            let mut x = left + GUTTER;
            for span in &line.spans {
                let style = self.colours.of(span.role);
                x = self.text(x, y, self.area.width.saturating_sub(x), &span.text, style);
            }
            if is_here {
                let row = Rect::new(left, y, self.area.width.saturating_sub(left), 1);
                self.buffer.set_style(
                    row.intersection(self.area),
                    Style::new()
                        .fg(Color::Reset)
                        .remove_modifier(Modifier::DIM)
                        .add_modifier(Modifier::REVERSED),
                );
            }
        }
        if content.lines.is_empty() {
            self.text(left + GUTTER, 1, self.area.width, "Nothing here fits.", self.colours.of(Role::Dim));
        }
    }

    fn evidence(&mut self, state: &State, around: &Around) {
        let high = state.evidence_height();
        if high == 0 {
            return;
        }
        let top = self.area.height - 1 - high;
        self.text(0, top, self.area.width, &"─".repeat(self.area.width.into()), self.colours.of(Role::Dim));
        for (line, y) in around.evidence.iter().zip(top + 1..self.area.height - 1) {
            let mut x = 1;
            for span in &line.0 {
                x = self.text(
                    x,
                    y,
                    self.area.width.saturating_sub(x),
                    &span.text,
                    self.colours.of(span.role),
                );
            }
        }
    }

    fn last_line(&mut self, state: &State, content: &Content) {
        let y = self.area.height - 1;
        let dim = self.colours.of(Role::Dim);
        let choice = &state.screen.choice;
        let (said, style) = match state.mode {
            Mode::Search => (format!("/{}▏", choice.search), self.colours.of(Role::Strong)),
            Mode::Export => ("Write this view to a file: m Markdown, c CSV, Esc nothing".to_owned(), dim),
            _ if !state.message.is_empty() => (state.message.clone(), self.colours.of(Role::Strong)),
            _ if state.presents => (String::new(), dim),
            _ => (chosen(state, content), dim),
        };
        let end = self.text(0, y, self.area.width, &said, style);
        let place =
            format!("{} of {}", (state.screen.cursor + 1).min(content.lines.len()), content.lines.len());
        let wide = u16::try_from(place.len()).unwrap_or(0);
        if let Some(left) =
            self.area.width.checked_sub(wide).filter(|left| *left > end + 1 && !state.presents)
        {
            self.text(left, y, wide, &place, dim);
        }
    }

    /// A box in the middle, with a title; returns what is inside.
    fn window(&mut self, columns: u16, rows: u16, title: &str) -> Rect {
        let (columns, rows) = (columns.min(self.area.width), rows.min(self.area.height));
        let (x, y) = ((self.area.width - columns) / 2, (self.area.height - rows) / 2);
        self.fill(Rect::new(x, y, columns, rows), Style::new());
        let dim = self.colours.of(Role::Dim);
        if columns > 2 && rows > 2 {
            let rule = "─".repeat(usize::from(columns - 2));
            self.text(x, y, columns, &format!("┌{rule}┐"), dim);
            self.text(x, y + rows - 1, columns, &format!("└{rule}┘"), dim);
            for row in y + 1..y + rows - 1 {
                self.text(x, row, 1, "│", dim);
                self.text(x + columns - 1, row, 1, "│", dim);
            }
            self.text(
                x + 2,
                y,
                columns.saturating_sub(4),
                &format!(" {title} "),
                self.colours.of(Role::Strong),
            );
        }
        Rect::new(x + 2, y + 1, columns.saturating_sub(4), rows.saturating_sub(2))
    }

    fn filters(&mut self, at: usize, content: &Content) {
        let rows = u16::try_from(content.filters.len()).unwrap_or(u16::MAX).min(FILTERS);
        let inside = self.window(52, rows + 2, "Only rows with");
        let shown = usize::from(inside.height);
        let from = at.saturating_sub(shown / 2).min(content.filters.len().saturating_sub(shown));
        for (i, filter) in content.filters.iter().enumerate().skip(from).take(shown) {
            let y = inside.y + u16::try_from(i - from).unwrap_or(0);
            let mark = if i == at { "›" } else { " " };
            let text = format!("{mark} {}", titled(&filter.column, &filter.value));
            let style = self.colours.of(if i == at { Role::Strong } else { Role::Plain });
            self.text(inside.x, y, inside.width.saturating_sub(7), &text, style);
            let rows = filter.rows.to_string();
            let left = inside.right().saturating_sub(u16::try_from(rows.len()).unwrap_or(0));
            self.text(left, y, 6, &rows, self.colours.of(Role::Dim));
        }
    }

    fn help(&mut self, from: usize) {
        let rows = u16::try_from(HELP.len()).unwrap_or(u16::MAX);
        let inside = self.window(104, rows + 2, "Keys");
        let keys = HELP.iter().map(|(keys, _)| width(keys)).max().unwrap_or(0);
        let most = HELP.len().saturating_sub(usize::from(inside.height));
        for ((keys_of, what), y) in HELP.iter().skip(from.min(most)).zip(inside.top()..inside.bottom()) {
            self.text(inside.x, y, inside.width, keys_of, self.colours.of(Role::Strong));
            let left = inside.x + u16::try_from(keys + 2).unwrap_or(0);
            self.text(left, y, inside.right().saturating_sub(left), what, Style::new());
        }
    }
}

/// A value with the title of its column, where that has one.
fn titled(column: &str, value: &str) -> String {
    if column.is_empty() { value.to_owned() } else { format!("{column}: {value}") }
}

/// How rows are chosen, where they are; else the keys that matter most.
fn chosen(state: &State, content: &Content) -> String {
    let choice = &state.screen.choice;
    let mut said = Vec::new();
    if !choice.search.is_empty() {
        said.push(format!("/{}", choice.search));
    }
    if content.elsewhere {
        said.push("not in this section; found in all of it".to_owned());
    }
    if let Some((at, value)) = &choice.filter {
        let title = content.columns.get(*at).map_or("", String::as_str);
        said.push(format!("only {}", titled(title, value)));
    }
    if let Some((column, backwards)) = choice.sort {
        let title = content.columns.get(column).map(String::as_str).filter(|title| !title.is_empty());
        said.push(format!("by {}{}", title.unwrap_or("name"), if backwards { ", backwards" } else { "" }));
    }
    if !state.screen.marked.is_empty() {
        said.push(format!("{} marked", state.screen.marked.len()));
    }
    if said.is_empty() {
        return "? keys   / find   f filter   Enter open   w why   x export   q leave".to_owned();
    }
    said.push("Esc: everything".to_owned());
    said.join("   ")
}

#[cfg(test)]
mod tests {
    use super::super::content::tests::document;
    use super::super::state::{Key, Place};
    use super::*;
    use proptest::prelude::*;
    use tally_core::history::Moment;

    fn screen(state: &mut State, names: &[&str]) -> Buffer {
        let opened = state.screen.opened.clone();
        let choice = state.screen.choice.clone();
        let content =
            Content::of(&document(names), &choice, state.content_width(), &|id| opened.contains(id), &|_| {
                None
            });
        state.settle(content.lines.len());
        let around = Around {
            title: "Saltmarsh Linux 5.0".into(),
            aside: "as shipped".into(),
            sections: ["Overview", "Parts", "Menu", "Packages"].map(String::from).to_vec(),
            evidence: vec![Line::from("read from var/lib/dpkg/status:12")],
        };
        let mut buffer = Buffer::empty(Rect::new(0, 0, state.size.0, state.size.1));
        draw(&mut buffer, state, &content, &around, Colours::Many);
        buffer
    }

    fn text(buffer: &Buffer) -> String {
        let row = |y: u16| (0..buffer.area.width).map(|x| buffer[(x, y)].symbol()).collect::<String>();
        (0..buffer.area.height).map(|y| row(y).trim_end().to_owned() + "\n").collect()
    }

    fn state(columns: u16, rows: u16) -> State {
        let mut state = State::new(Place::Install("marsh".into()), (columns, rows), Moment::Shipped);
        state.sections = 4;
        state
    }

    const NAMES: &[&str] = &["inkcap", "湿地の", "mudline", "towpath"];

    #[test]
    fn a_frame_has_its_sections_content_and_evidence() {
        let mut state = state(80, 24);
        state.screen.cursor = 5;
        insta::assert_snapshot!(text(&screen(&mut state, NAMES)));
    }

    /// `cargo test --release -p fresh-tally frame_of_ten -- --ignored --nocapture` measures.
    #[test]
    #[ignore = "measures, and means something in a release build alone"]
    fn a_frame_of_ten_thousand_rows_is_drawn_between_two_of_a_screen() {
        let names: Vec<String> = (0..10_000).map(|at| format!("reed-{at}")).collect();
        let names: Vec<&str> = names.iter().map(String::as_str).collect();
        let (mut state, document) = (state(150, 44), document(&names));
        let at = std::time::Instant::now();
        let content =
            Content::of(&document, &state.screen.choice, state.content_width(), &|_| false, &|_| None);
        let laid_out = at.elapsed();
        let around =
            Around { title: String::new(), aside: String::new(), sections: Vec::new(), evidence: Vec::new() };
        let mut buffer = Buffer::empty(Rect::new(0, 0, 150, 44));
        let at = std::time::Instant::now();
        for cursor in 0..100 {
            state.screen.cursor = cursor * 100;
            state.settle(content.lines.len());
            draw(&mut buffer, &state, &content, &around, Colours::Many);
        }
        let frame = at.elapsed() / 100;
        std::io::Write::write_fmt(
            &mut std::io::stdout(),
            format_args!("{} lines laid out in {laid_out:?}; a frame in {frame:?}\n", content.lines.len()),
        )
        .unwrap();
        assert!(content.lines.len() > 10_000 && frame.as_millis() < 16, "{frame:?}");
    }

    #[test]
    fn presenting_shows_the_content_alone_and_with_room() {
        let mut state = state(60, 14);
        state.presents = true;
        insta::assert_snapshot!(text(&screen(&mut state, NAMES)));
    }

    #[test]
    fn filters_and_keys_stand_in_a_window() {
        let mut state = state(80, 18);
        state.mode = Mode::Filter(1);
        let filters = text(&screen(&mut state, NAMES));
        state.mode = Mode::Help(2);
        let help = text(&screen(&mut state, NAMES));
        insta::assert_snapshot!(filters + "\n" + &help);
    }

    #[test]
    fn a_narrow_terminal_has_the_content_alone() {
        let mut state = state(40, 10);
        insta::assert_snapshot!(text(&screen(&mut state, NAMES)));
    }

    proptest! {
        #[test]
        fn any_terminal_is_drawn_in_any_mode(columns in 0..520_u16, rows in 0..210_u16, mode in 0..5_usize, presents in any::<bool>()) {
            let mut state = state(columns, rows);
            state.presents = presents;
            state.mode = [Mode::Look, Mode::Search, Mode::Filter(1), Mode::Export, Mode::Help(3)][mode];
            screen(&mut state, NAMES);
            state.key(Key::End, &Content::default());
            screen(&mut state, &[]);
        }
    }
}
