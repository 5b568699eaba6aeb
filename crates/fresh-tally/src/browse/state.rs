//! What a key does: a function of the state and of what is on the screen. No terminal, no files.

use super::content::{Choice, Content};
use std::collections::BTreeSet;
use tally_core::history::Moment;

/// What was pressed, clicked or changed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Key {
    Char(char),
    Enter,
    Escape,
    Backspace,
    Tab,
    Up,
    Down,
    Left,
    Right,
    PageUp,
    PageDown,
    Home,
    End,
    /// A click, at a column and a row.
    Click(u16, u16),
    /// The wheel, up or down.
    Wheel(bool),
    /// The terminal has another size: columns and rows.
    Resize(u16, u16),
    /// Whoever runs it wants it to end, or to stop for a while.
    Interrupt,
    Suspend,
}

/// What is looked at.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Place {
    Shelf,
    Install(String),
    Comparison(String, String),
    Grid(Vec<String>),
    /// Why a package is in an install.
    Why(String, String),
}

/// What is done beside the state.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Effect {
    None,
    Quit,
    Suspend,
    /// Opens what the line under the cursor leads to; the state goes there if there is something.
    Follow(String),
    /// Goes to the section that tells more, or to something in it.
    Section(String),
    /// Tells why something is there.
    Why(String),
    /// Opens a comparison or a grid of what is marked.
    Compare(Vec<String>),
    Copy(String),
    Export(Export),
    /// Reads the shelf or the tallies anew.
    Reload,
}

/// A file that is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Export {
    Markdown,
    Csv,
}

/// What keys are for at the moment.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(crate) enum Mode {
    #[default]
    Look,
    /// Letters go to the search.
    Search,
    /// A filter is chosen: which one.
    Filter(usize),
    /// The form of a file is chosen.
    Export,
    /// All keys are told, from a line on.
    Help(usize),
}

/// One page of the walk.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Screen {
    pub(crate) place: Place,
    pub(crate) section: usize,
    /// The line under the cursor.
    pub(crate) cursor: usize,
    /// The first line on the screen.
    pub(crate) top: usize,
    /// Folds that are open.
    pub(crate) opened: BTreeSet<String>,
    pub(crate) choice: Choice,
    /// Names that are marked.
    pub(crate) marked: BTreeSet<String>,
}

impl Screen {
    pub(crate) fn of(place: Place) -> Self {
        Self {
            place,
            section: 0,
            cursor: 0,
            top: 0,
            opened: BTreeSet::new(),
            choice: Choice::default(),
            marked: BTreeSet::new(),
        }
    }
}

/// Everything that keys change.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct State {
    pub(crate) screen: Screen,
    pub(crate) back: Vec<Screen>,
    pub(crate) forward: Vec<Screen>,
    pub(crate) mode: Mode,
    /// Columns and rows of the terminal.
    pub(crate) size: (u16, u16),
    /// Larger spacing and nothing beside the content, to be recorded.
    pub(crate) presents: bool,
    /// Whether what is known of the line under the cursor is told below.
    pub(crate) evidence: bool,
    /// What of installs is shown.
    pub(crate) seen: Moment,
    /// How many sections the place has.
    pub(crate) sections: usize,
    /// What the last key did, or why it did nothing.
    pub(crate) message: String,
}

/// Places that are remembered.
const REMEMBERED: usize = 100;
/// The narrowest terminal with a list of sections, and the lowest one with evidence.
const WITH_SECTIONS: u16 = 60;
const WITH_EVIDENCE: u16 = 16;
/// Columns of the list of sections, and rows of the evidence with the rule above it.
pub(crate) const SECTIONS: u16 = 20;
pub(crate) const EVIDENCE: u16 = 5;
/// Columns before each line: the cursor, and what is marked or folds.
pub(crate) const GUTTER: u16 = 3;

impl State {
    pub(crate) fn new(place: Place, size: (u16, u16), seen: Moment) -> Self {
        Self {
            screen: Screen::of(place),
            back: Vec::new(),
            forward: Vec::new(),
            mode: Mode::Look,
            size,
            presents: false,
            evidence: true,
            seen,
            sections: 1,
            message: String::new(),
        }
    }

    /// Columns of the list of sections; 0 without one.
    pub(crate) fn sections_width(&self) -> u16 {
        let shows = !self.presents && self.size.0 >= WITH_SECTIONS && self.sections > 1;
        if shows { SECTIONS } else { 0 }
    }

    /// Rows of the evidence; 0 without any.
    pub(crate) fn evidence_height(&self) -> u16 {
        let there = self.evidence && !self.presents && self.size.1 >= WITH_EVIDENCE;
        if there { EVIDENCE } else { 0 }
    }

    /// Rows of the content, between the title and the last line.
    pub(crate) fn height(&self) -> usize {
        usize::from(self.size.1.saturating_sub(2 + self.evidence_height()).max(1))
    }

    /// Rows that one line of the content takes.
    pub(crate) fn line_height(&self) -> usize {
        if self.presents { 2 } else { 1 }
    }

    /// Lines of the content that are on the screen at once.
    pub(crate) fn lines(&self) -> usize {
        (self.height() / self.line_height()).max(1)
    }

    /// Columns of the content.
    pub(crate) fn content_width(&self) -> usize {
        usize::from(self.size.0.saturating_sub(self.sections_width() + GUTTER)).max(1)
    }

    /// Goes to a place, and remembers where one was.
    pub(crate) fn go(&mut self, place: Place) {
        if self.screen.place == place {
            return;
        }
        let left = std::mem::replace(&mut self.screen, Screen::of(place));
        self.back.push(left);
        if self.back.len() > REMEMBERED {
            self.back.remove(0);
        }
        self.forward.clear();
    }

    fn step_back(&mut self) {
        match self.back.pop() {
            Some(before) => self.forward.push(std::mem::replace(&mut self.screen, before)),
            None => self.message = "There is nothing before this.".into(),
        }
    }

    fn step_forward(&mut self) {
        match self.forward.pop() {
            Some(after) => self.back.push(std::mem::replace(&mut self.screen, after)),
            None => self.message = "There is nothing after this.".into(),
        }
    }

    /// Puts the cursor on a line that is there, and the line on the screen.
    pub(crate) fn settle(&mut self, lines: usize) {
        let shown = self.lines();
        let screen = &mut self.screen;
        screen.cursor = screen.cursor.min(lines.saturating_sub(1));
        if screen.cursor < screen.top {
            screen.top = screen.cursor;
        }
        if screen.cursor >= screen.top + shown {
            screen.top = screen.cursor + 1 - shown;
        }
        screen.top = screen.top.min(lines.saturating_sub(1));
    }

    /// Takes a key; `content` is what is on the screen.
    pub(crate) fn key(&mut self, key: Key, content: &Content) -> Effect {
        self.message.clear();
        match key {
            Key::Resize(columns, rows) => {
                self.size = (columns, rows);
                return Effect::None;
            }
            Key::Interrupt => return Effect::Quit,
            Key::Suspend => return Effect::Suspend,
            _ => {}
        }
        let effect = match self.mode {
            Mode::Look => self.look(key, content),
            Mode::Search => self.search(key, content),
            Mode::Filter(at) => self.filter(key, at, content),
            Mode::Export => self.export(key),
            Mode::Help(from) => {
                self.help(key, from);
                Effect::None
            }
        };
        self.screen.section = self.screen.section.min(self.sections.saturating_sub(1));
        effect
    }

    fn look(&mut self, key: Key, content: &Content) -> Effect {
        let sections = self.sections;
        let last = content.lines.len().saturating_sub(1);
        let page = self.lines().saturating_sub(1).max(1);
        match key {
            Key::Char('q') => return Effect::Quit,
            Key::Up | Key::Char('k') => self.to(content, self.screen.cursor.saturating_sub(1), false),
            Key::Down | Key::Char('j') => self.to(content, (self.screen.cursor + 1).min(last), true),
            Key::Wheel(up) => self.wheel(up, content),
            Key::PageUp => self.to(content, self.screen.cursor.saturating_sub(page), false),
            Key::PageDown | Key::Char(' ') => self.to(content, (self.screen.cursor + page).min(last), true),
            Key::Home | Key::Char('g') => self.to(content, 0, true),
            Key::End | Key::Char('G') => self.to(content, last, false),
            Key::Left | Key::Char('h') => self.section(self.screen.section.saturating_sub(1)),
            Key::Right | Key::Char('l') => {
                self.section((self.screen.section + 1).min(sections.saturating_sub(1)));
            }
            Key::Char(digit @ '1'..='9') => {
                let asked = usize::from(digit as u8 - b'1');
                if asked < sections {
                    self.section(asked);
                }
            }
            Key::Enter => return self.enter(content),
            Key::Backspace | Key::Char('[') => self.step_back(),
            Key::Char(']') => self.step_forward(),
            Key::Escape => self.clear(),
            Key::Char('/') => self.mode = Mode::Search,
            Key::Char('f') if content.filters.is_empty() => {
                self.message = "There is nothing to filter by.".into();
            }
            Key::Char('f') => self.mode = Mode::Filter(0),
            Key::Char('s') => self.sort(content),
            Key::Char('S') => self.turn_round(),
            Key::Tab => {
                self.seen = if self.seen == Moment::Shipped { Moment::Found } else { Moment::Shipped };
            }
            Key::Char('m') => self.mark(content),
            Key::Char('c') => return self.compare(),
            Key::Char('w') => return self.why(content),
            Key::Char('y') => return self.copy(content),
            Key::Char('x') => self.mode = Mode::Export,
            Key::Char('e') => self.evidence = !self.evidence,
            Key::Char('p') => self.presents = !self.presents,
            Key::Char('r') => return Effect::Reload,
            Key::Char('?') => self.mode = Mode::Help(0),
            Key::Click(column, row) => return self.click(column, row, content),
            _ => {}
        }
        Effect::None
    }

    /// Puts the cursor on a line that says something, at or behind one.
    fn to(&mut self, content: &Content, line: usize, onwards: bool) {
        let is_blank = |at: &usize| content.lines.get(*at).is_none_or(|line| line.spans.is_empty());
        let mut after = line..content.lines.len();
        let mut before = (0..=line).rev();
        let found = if onwards {
            after.find(|at| !is_blank(at)).or_else(|| before.find(|at| !is_blank(at)))
        } else {
            before.find(|at| !is_blank(at)).or_else(|| after.find(|at| !is_blank(at)))
        };
        self.screen.cursor = found.unwrap_or(0);
    }

    fn wheel(&mut self, up: bool, content: &Content) {
        const LINES: usize = 3;
        let last = content.lines.len().saturating_sub(1);
        let cursor = self.screen.cursor;
        let to = if up { cursor.saturating_sub(LINES) } else { (cursor + LINES).min(last) };
        self.to(content, to, !up);
    }

    /// Goes to a section that a line leads to, with a fold open and under the cursor; one comes back as from another place.
    pub(crate) fn go_to_section(&mut self, section: usize, fold: Option<&str>) {
        let mut next = Screen { section, ..Screen::of(self.screen.place.clone()) };
        next.opened.extend(fold.map(ToOwned::to_owned));
        self.back.push(std::mem::replace(&mut self.screen, next));
        self.forward.clear();
    }

    fn section(&mut self, to: usize) {
        if to != self.screen.section {
            let place = self.screen.place.clone();
            let marked = std::mem::take(&mut self.screen.marked);
            self.screen = Screen { section: to, marked, ..Screen::of(place) };
        }
    }

    fn enter(&mut self, content: &Content) -> Effect {
        let Some(subject) = content.lines.get(self.screen.cursor).and_then(|line| line.subject.as_ref())
        else {
            return Effect::None;
        };
        match &subject.fold {
            Some(id) if subject.opens => {
                if !self.screen.opened.remove(id) {
                    self.screen.opened.insert(id.clone());
                }
                Effect::None
            }
            _ if !subject.leads_to.is_empty() => Effect::Section(subject.leads_to.clone()),
            _ if subject.name.is_empty() => Effect::None,
            _ => Effect::Follow(subject.name.clone()),
        }
    }

    fn clear(&mut self) {
        self.screen.choice = Choice::default();
    }

    fn sort(&mut self, content: &Content) {
        if content.columns.is_empty() {
            self.message = "There is nothing to sort.".into();
            return;
        }
        let next = self.screen.choice.sort.map_or(0, |(column, _)| column + 1);
        self.screen.choice.sort = (next < content.columns.len()).then_some((next, false));
        self.message = match self.screen.choice.sort {
            Some((column, _)) => {
                let title = content.columns[column].as_str();
                format!("Sorted by {}.", if title.is_empty() { "name" } else { title })
            }
            None => "In the order of the document.".into(),
        };
    }

    fn turn_round(&mut self) {
        match &mut self.screen.choice.sort {
            Some((_, backwards)) => *backwards = !*backwards,
            None => self.message = "`s` sorts by a column first.".into(),
        }
    }

    fn mark(&mut self, content: &Content) {
        let name = content.name(self.screen.cursor).to_owned();
        if name.is_empty() {
            return;
        }
        if !self.screen.marked.remove(&name) {
            self.screen.marked.insert(name);
        }
        self.to(content, (self.screen.cursor + 1).min(content.lines.len().saturating_sub(1)), true);
    }

    fn compare(&mut self) -> Effect {
        let marked: Vec<String> = self.screen.marked.iter().cloned().collect();
        if self.screen.place != Place::Shelf {
            self.message = "Installs of the shelf are compared: `browse` alone lists them.".into();
            return Effect::None;
        }
        if marked.len() < 2 {
            self.message =
                "Mark two installs with `m` to compare them, or more to put them side by side.".into();
            return Effect::None;
        }
        Effect::Compare(marked)
    }

    fn why(&mut self, content: &Content) -> Effect {
        match content.name(self.screen.cursor) {
            "" => Effect::None,
            name => Effect::Why(name.to_owned()),
        }
    }

    /// What is marked; else the line under the cursor.
    fn copy(&mut self, content: &Content) -> Effect {
        let line = || content.lines.get(self.screen.cursor).map(|line| line.plain().trim().to_owned());
        let marked: Vec<&str> = self.screen.marked.iter().map(String::as_str).collect();
        let text = if marked.is_empty() { line().unwrap_or_default() } else { marked.join("\n") };
        if text.is_empty() { Effect::None } else { Effect::Copy(text) }
    }

    fn click(&mut self, column: u16, row: u16, content: &Content) -> Effect {
        let rows = usize::from(row.saturating_sub(1));
        if row == 0 || rows >= self.height() {
            return Effect::None;
        }
        if column < self.sections_width() {
            if rows < self.sections {
                self.section(rows);
            }
            return Effect::None;
        }
        let line = self.screen.top + rows / self.line_height();
        if line >= content.lines.len() {
            return Effect::None;
        }
        // A click on the line under the cursor opens it.
        if line == self.screen.cursor {
            return self.enter(content);
        }
        self.screen.cursor = line;
        Effect::None
    }

    fn search(&mut self, key: Key, content: &Content) -> Effect {
        let search = &mut self.screen.choice.search;
        match key {
            Key::Char(c) => search.push(c),
            Key::Backspace => _ = search.pop(),
            Key::Escape => {
                search.clear();
                self.mode = Mode::Look;
            }
            Key::Enter => self.mode = Mode::Look,
            Key::Up => self.to(content, self.screen.cursor.saturating_sub(1), false),
            Key::Down => {
                let last = content.lines.len().saturating_sub(1);
                self.to(content, (self.screen.cursor + 1).min(last), true);
            }
            _ => {}
        }
        if matches!(key, Key::Char(_) | Key::Backspace) {
            self.screen.cursor = 0;
        }
        Effect::None
    }

    fn filter(&mut self, key: Key, at: usize, content: &Content) -> Effect {
        let last = content.filters.len().saturating_sub(1);
        match key {
            Key::Up | Key::Char('k') => self.mode = Mode::Filter(at.saturating_sub(1)),
            Key::Down | Key::Char('j') => self.mode = Mode::Filter((at + 1).min(last)),
            Key::Enter => {
                let chosen = content.filters.get(at).map(|one| (one.at, one.value.clone()));
                let choice = &mut self.screen.choice;
                // The same once more takes it away.
                choice.filter = if choice.filter == chosen { None } else { chosen };
                self.screen.cursor = 0;
                self.mode = Mode::Look;
            }
            Key::Escape | Key::Char('f' | 'q') => {
                self.screen.choice.filter = None;
                self.mode = Mode::Look;
            }
            _ => {}
        }
        Effect::None
    }

    fn export(&mut self, key: Key) -> Effect {
        self.mode = Mode::Look;
        match key {
            Key::Char('m') | Key::Enter => Effect::Export(Export::Markdown),
            Key::Char('c') => Effect::Export(Export::Csv),
            _ => Effect::None,
        }
    }

    fn help(&mut self, key: Key, from: usize) {
        self.mode = match key {
            Key::Up | Key::Char('k') => Mode::Help(from.saturating_sub(1)),
            Key::Down | Key::Char('j') => Mode::Help((from + 1).min(HELP.len().saturating_sub(1))),
            Key::Resize(..) | Key::Wheel(_) => Mode::Help(from),
            _ => Mode::Look,
        };
    }
}

/// All keys, and what they do.
pub(crate) const HELP: &[(&str, &str)] = &[
    ("↑ ↓, k j", "the line above, the line below"),
    ("PgUp PgDn, space", "a screen up or down"),
    ("Home End, g G", "the first line, the last line"),
    ("← →, h l, 1 to 9", "the section before, the section after, or one of the first nine"),
    ("Enter", "open or close what followed; go to what the line is about"),
    ("w", "why it is there, and what would leave with it"),
    ("Backspace, [ ]", "back; back and forward"),
    ("/", "find as you type: here, and where nothing is found in all of the install; Esc ends it"),
    ("f", "show only rows of one kind, system, menu, change"),
    ("s, S", "sort by the next column; turn the order round"),
    ("Esc", "everything again: no search, no filter, the order of the document"),
    ("Tab", "as shipped, or as found"),
    ("m, c", "mark; compare what is marked on the shelf"),
    ("y", "copy the line, or the names that are marked"),
    ("x", "write the view to a file: m Markdown, c CSV"),
    ("e", "show or hide where a line was read"),
    ("p", "present: larger spacing, nothing beside the content"),
    ("r", "read the shelf or the tally again"),
    ("q, Ctrl-C", "leave; Ctrl-Z stops it, `fg` goes on"),
];

#[cfg(test)]
mod tests {
    use super::super::content::tests::document;
    use super::*;
    use proptest::prelude::*;

    const NAMES: &[&str] = &["inkcap", "lapwing", "mudline", "towpath", "weir-shell", "zlib1g"];

    /// A state with its screen, as the program keeps them.
    struct Walk {
        state: State,
        content: Content,
    }

    impl Walk {
        fn new() -> Self {
            let mut state = State::new(Place::Shelf, (80, 24), Moment::Shipped);
            state.sections = 5;
            let mut walk = Self { state, content: Content::default() };
            walk.lay_out();
            walk
        }

        fn lay_out(&mut self) {
            let screen = &self.state.screen;
            let opened = |id: &str| screen.opened.contains(id);
            self.content =
                Content::of(&document(NAMES), &screen.choice, self.state.content_width(), &opened, &|_| None);
            self.state.settle(self.content.lines.len());
        }

        fn press(&mut self, key: Key) -> Effect {
            let effect = self.state.key(key, &self.content);
            if let Effect::Follow(name) = &effect {
                self.state.go(Place::Install(name.clone()));
            }
            self.lay_out();
            effect
        }

        fn line(&self) -> String {
            self.content
                .lines
                .get(self.state.screen.cursor)
                .map(tally_report::Laid::plain)
                .unwrap_or_default()
        }
    }

    fn press_all(walk: &mut Walk, keys: &str) -> Effect {
        keys.chars().fold(Effect::None, |_, key| walk.press(Key::Char(key)))
    }

    #[test]
    fn a_search_narrows_as_it_is_typed_and_enter_goes_there() {
        let mut walk = Walk::new();
        press_all(&mut walk, "/towp");
        assert_eq!(walk.state.mode, Mode::Search);
        walk.press(Key::Down);
        while !walk.line().contains("towpath") {
            walk.press(Key::Down);
        }
        walk.press(Key::Enter);
        assert_eq!(walk.press(Key::Enter), Effect::Follow("towpath".into()));
        assert_eq!(walk.state.screen.place, Place::Install("towpath".into()));
        walk.press(Key::Backspace);
        assert_eq!(walk.state.screen.choice.search, "towp", "back is as it was left");
        walk.press(Key::Escape);
        assert_eq!(walk.state.screen.choice, Choice::default());
    }

    #[test]
    fn a_decision_is_opened_and_its_followers_can_be_asked_why() {
        let mut walk = Walk::new();
        press_all(&mut walk, "G");
        let closed = walk.content.lines.len();
        assert_eq!(walk.press(Key::Enter), Effect::None);
        assert_eq!(walk.content.lines.len(), closed + 2);
        press_all(&mut walk, "G");
        assert_eq!(press_all(&mut walk, "w"), Effect::Why("lapwing".into()));
    }

    #[test]
    fn two_installs_that_are_marked_are_compared() {
        let mut walk = Walk::new();
        assert_eq!(press_all(&mut walk, "c"), Effect::None);
        assert!(walk.state.message.contains("Mark two"), "{}", walk.state.message);
        press_all(&mut walk, "/inkcap");
        walk.press(Key::Enter);
        while walk.content.name(walk.state.screen.cursor) != "inkcap" {
            walk.press(Key::Down);
        }
        press_all(&mut walk, "m");
        walk.press(Key::Escape);
        while walk.content.name(walk.state.screen.cursor) != "mudline" {
            walk.press(Key::Down);
        }
        assert_eq!(press_all(&mut walk, "mc"), Effect::Compare(vec!["inkcap".into(), "mudline".into()]));
        assert_eq!(press_all(&mut walk, "y"), Effect::Copy("inkcap\nmudline".into()));
    }

    #[test]
    fn a_filter_is_chosen_from_what_is_there_and_taken_away_again() {
        let mut walk = Walk::new();
        press_all(&mut walk, "fj");
        walk.press(Key::Enter);
        assert_eq!(walk.state.screen.choice.filter, Some((1, "library".into())));
        press_all(&mut walk, "f");
        walk.press(Key::Escape);
        assert_eq!((walk.state.screen.choice.filter.clone(), walk.state.mode), (None, Mode::Look));
        press_all(&mut walk, "sss");
        assert_eq!(walk.state.screen.choice.sort, Some((2, false)));
        press_all(&mut walk, "S");
        assert_eq!(walk.state.screen.choice.sort, Some((2, true)));
        press_all(&mut walk, "s");
        assert_eq!(
            walk.state.screen.choice.sort, None,
            "behind the last column is the order of the document"
        );
    }

    #[test]
    fn a_click_goes_where_it_points() {
        let mut walk = Walk::new();
        walk.press(Key::Click(3, 3));
        assert_eq!(walk.state.screen.section, 2);
        let line = 5;
        walk.press(Key::Click(40, line + 1));
        assert_eq!(walk.state.screen.cursor, usize::from(line));
        walk.press(Key::Click(40, 23));
        assert_eq!(walk.state.screen.cursor, usize::from(line), "the last line is no content");
    }

    fn key() -> impl Strategy<Value = Key> {
        prop_oneof![
            8 => prop::char::range(' ', '~').prop_map(Key::Char),
            4 => prop::sample::select(vec![
                Key::Enter, Key::Escape, Key::Backspace, Key::Tab, Key::Up, Key::Down, Key::Left, Key::Right, Key::PageUp,
                Key::PageDown, Key::Home, Key::End, Key::Wheel(true), Key::Wheel(false),
            ]),
            1 => (0..600_u16, 0..300_u16).prop_map(|(x, y)| Key::Resize(x, y)),
            2 => (0..600_u16, 0..300_u16).prop_map(|(x, y)| Key::Click(x, y)),
        ]
    }

    proptest! {
        #[test]
        fn any_keys_leave_a_state_that_can_be_drawn(keys in prop::collection::vec(key(), 0..60)) {
            let mut walk = Walk::new();
            for key in keys {
                walk.press(key);
                let State { screen, mode, back, .. } = &walk.state;
                prop_assert!(screen.cursor < walk.content.lines.len().max(1));
                prop_assert!(screen.top <= screen.cursor && screen.cursor < screen.top + walk.state.lines());
                prop_assert!(screen.section < 5 && back.len() <= REMEMBERED);
                if let Mode::Filter(at) = mode {
                    prop_assert!(*at < walk.content.filters.len());
                }
            }
        }

        #[test]
        fn forward_undoes_back(keys in prop::collection::vec(key(), 0..40)) {
            let mut walk = Walk::new();
            keys.into_iter().for_each(|key| _ = walk.press(key));
            walk.state.mode = Mode::Look;
            walk.state.go(Place::Why("marsh".into(), "inkcap".into()));
            walk.lay_out();
            let before = walk.state.clone();
            walk.press(Key::Char('['));
            walk.press(Key::Char(']'));
            prop_assert_eq!(&walk.state.screen, &before.screen);
            prop_assert_eq!(&walk.state.back, &before.back);
            prop_assert_eq!(&walk.state.forward, &before.forward);
        }
    }
}
