//! The full-screen view: everything that commands show, walked through by keys.
//!
//! Data goes round: a key and the [`State`] give another state and an [`Effect`]; the place that the state is at gives a document, the
//! same that a command would show; the document gives lines; lines and state give a frame. Only this file and [`terminal`] touch the
//! world.

mod content;
mod draw;
mod library;
mod state;
mod terminal;

pub(crate) use state::Place;
pub(crate) use terminal::give_back;

use crate::error::CommandError;
use crate::exit::Exit;
use crate::output;
use crate::settings::Settings;
use content::{Choice, Content};
use draw::{Around, Colours, draw};
use library::Pages;
use state::{Effect, Export, Key, State};
use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use tally_core::history::Moment;
use tally_report::{Block, Document, Palette};

/// Shows a place, and what is gone to from there, until whoever looks leaves.
///
/// # Errors
/// When the place can't be opened, or the terminal is gone. Later errors are told on the screen.
pub(crate) fn run(place: Place, presents: bool, settings: &Settings) -> Result<Exit, CommandError> {
    let broken = |source| CommandError::Output { to: "the terminal".into(), source };
    let pages = Pages::open(&place, settings.seen, settings)?;
    let mut screen = terminal::Screen::take().map_err(broken)?;
    output::hold();
    let mut state = State::new(place, screen.size(), settings.seen);
    state.presents = presents;
    // Nothing but frames goes to the terminal now.
    let quiet = Settings { quiet: true, ..settings.seen_as(settings.seen) };
    let walked = walk(&mut screen, Walk::new(state, pages, &quiet));
    drop(screen);
    output::say_held();
    walked.map(|()| Exit::Done).map_err(broken)
}

fn walk(screen: &mut terminal::Screen, mut walk: Walk<'_>) -> std::io::Result<()> {
    loop {
        walk.lay_out();
        walk.heed();
        let around = walk.around();
        let colours = colours(walk.settings);
        screen.draw(|buffer| draw(buffer, &walk.state, &walk.content, &around, colours))?;
        let key = terminal::next_key()?;
        match walk.key(key) {
            Effect::Quit => return Ok(()),
            Effect::Suspend => {
                screen.suspend()?;
                let (columns, rows) = screen.size();
                walk.key(Key::Resize(columns, rows));
            }
            Effect::Copy(text) => {
                terminal::Screen::copy(&text)?;
                walk.state.message = "Copied, if the terminal allows it; `x` writes a file.".into();
            }
            effect => walk.follow(effect),
        }
    }
}

fn colours(settings: &Settings) -> Colours {
    match settings.options.palette {
        Palette::Plain => Colours::None,
        Palette::Coloured if crate::environment::has_many_colors() => Colours::Many,
        Palette::Coloured => Colours::Sixteen,
    }
}

/// What the lines on the screen follow from; while it stays the same they do.
#[derive(PartialEq, Clone)]
struct LaidFor {
    section: usize,
    choice: Choice,
    opened: BTreeSet<String>,
    width: usize,
}

/// A state with what it is at.
struct Walk<'s> {
    state: State,
    pages: Pages,
    /// Which place those pages are of, and how seen.
    at: (Place, Moment),
    document: Document,
    /// What the frame says of it: what it is, and how it is seen.
    title: (String, String),
    /// The section that the document is of.
    section: Option<usize>,
    content: Content,
    laid_for: Option<LaidFor>,
    /// Warnings that were seen.
    warnings: usize,
    settings: &'s Settings,
}

impl<'s> Walk<'s> {
    fn new(state: State, pages: Pages, settings: &'s Settings) -> Self {
        let at = (state.screen.place.clone(), state.seen);
        Self {
            state,
            pages,
            at,
            document: Document::default(),
            title: (String::new(), String::new()),
            section: None,
            content: Content::default(),
            laid_for: None,
            warnings: 0,
            settings,
        }
    }

    fn key(&mut self, key: Key) -> Effect {
        let effect = self.state.key(key, &self.content);
        self.arrive();
        effect
    }

    /// Shows the newest warning, where nothing else is said.
    fn heed(&mut self) {
        let (warning, known) = output::last_held(self.warnings);
        self.warnings = known;
        if let Some(warning) = warning.filter(|_| self.state.message.is_empty()) {
            self.state.message = warning;
        }
    }

    /// Opens the pages of the place that the state is at. Where they can't be opened it stays where it was.
    fn arrive(&mut self) {
        let at = (self.state.screen.place.clone(), self.state.seen);
        if at == self.at {
            return;
        }
        match Pages::open(&at.0, at.1, self.settings) {
            Ok(pages) => self.put(pages, at),
            Err(error) => {
                self.state.seen = self.at.1;
                let same = self.state.screen.place == self.at.0;
                if !same {
                    // Back and forward as they were before the step: the way that failed is forgotten.
                    let place = self.at.0.clone();
                    let (back, forward) = (&mut self.state.back, &mut self.state.forward);
                    let came_from =
                        |list: &Vec<state::Screen>| list.last().is_some_and(|screen| screen.place == place);
                    let before = if came_from(back) { back.pop() } else { None };
                    let before = before.or_else(|| if came_from(forward) { forward.pop() } else { None });
                    self.state.screen = before.unwrap_or_else(|| state::Screen::of(place));
                }
                self.state.message = format!("{error}.");
            }
        }
    }

    fn put(&mut self, pages: Pages, at: (Place, Moment)) {
        (self.pages, self.at) = (pages, at);
        (self.section, self.laid_for) = (None, None);
    }

    fn follow(&mut self, effect: Effect) {
        let to = match effect {
            Effect::Section(place) => {
                self.lead_to(&place);
                return;
            }
            Effect::Follow(name) => self.pages.follow(&name, self.settings),
            Effect::Why(name) => self.pages.why(&name),
            Effect::Compare(marked) => Some(match &self.pages.in_time(marked)[..] {
                [one, other] => Place::Comparison(one.clone(), other.clone()),
                several => Place::Grid(several.to_vec()),
            }),
            Effect::Export(form) => {
                self.state.message = self.export(form);
                return;
            }
            Effect::Reload => {
                match Pages::open(&self.at.0, self.at.1, self.settings) {
                    Ok(pages) => {
                        self.put(pages, self.at.clone());
                        self.state.message = "Read again.".into();
                    }
                    Err(error) => self.state.message = format!("{error}; what was read before is shown."),
                }
                return;
            }
            _ => return,
        };
        match to {
            Some(place) => {
                self.state.go(place);
                self.arrive();
            }
            None => self.state.message = "That leads nowhere else.".into(),
        }
    }

    /// Goes where a line leads to inside the same place: `startup`, or `decision-7`.
    fn lead_to(&mut self, place: &str) {
        let Some(section) = self.pages.section_of(place) else {
            self.state.message = "That is told nowhere else.".into();
            return;
        };
        let is_fold = place.starts_with("decision-");
        self.state.go_to_section(section, is_fold.then_some(place));
        self.lay_out();
        let is_it = |line: &tally_report::Laid| {
            line.subject.as_ref().is_some_and(|subject| subject.fold.as_deref() == Some(place))
        };
        self.state.screen.cursor = self.content.lines.iter().position(is_it).unwrap_or(0);
    }

    /// Brings document and lines up to date with the state.
    fn lay_out(&mut self) {
        self.state.sections = self.pages.sections().len();
        self.state.screen.section = self.state.screen.section.min(self.state.sections - 1);
        let screen = &self.state.screen;
        if self.section != Some(screen.section) {
            self.document = self.pages.document(screen.section, self.settings);
            // The frame says it.
            self.title = self.pages.title();
            if let Some(Block::Title { text, aside }) = self.document.blocks.first() {
                self.title = (text.plain(), aside.text.clone());
                self.document.blocks.remove(0);
            }
            (self.section, self.laid_for) = (Some(screen.section), None);
        }
        let wanted = LaidFor {
            section: screen.section,
            choice: screen.choice.clone(),
            opened: screen.opened.clone(),
            width: self.state.content_width(),
        };
        if self.laid_for.as_ref() != Some(&wanted) {
            let opened = |id: &str| wanted.opened.contains(id);
            let elsewhere = |asked: &str| self.pages.elsewhere(asked);
            self.content = Content::of(&self.document, &wanted.choice, wanted.width, &opened, &elsewhere);
            self.laid_for = Some(wanted);
        }
        self.state.settle(self.content.lines.len());
    }

    fn around(&self) -> Around {
        let (title, aside) = self.title.clone();
        let evidence = match self.state.evidence_height() {
            0 => Vec::new(),
            _ => self.pages.evidence(self.content.name(self.state.screen.cursor)),
        };
        Around { title, aside, sections: self.pages.sections(), evidence }
    }

    /// Writes the view to a file of its own, and says what happened.
    fn export(&self, form: Export) -> String {
        let section = self.state.screen.section;
        let ending = if form == Export::Markdown { "md" } else { "csv" };
        let name = self.pages.sections().get(section).cloned().unwrap_or_default();
        let stem = tally_core::model::slug(&format!("{} {name}", place_name(&self.state.screen.place)));
        let path = free_path(&stem, ending);
        let written = self
            .pages
            .export(section, form, &self.content.document, self.settings)
            .and_then(|bytes| crate::output::file(&path, &bytes));
        match written {
            Ok(()) => format!("Written to `{}`.", path.display()),
            Err(error) => format!("{error}."),
        }
    }
}

fn place_name(place: &Place) -> String {
    let last = |asked: &str| {
        Path::new(asked).file_name().map_or_else(String::new, |name| name.to_string_lossy().into_owned())
    };
    match place {
        Place::Shelf => "shelf".into(),
        Place::Install(asked) => last(asked),
        Place::Comparison(old, new) => format!("{} to {}", last(old), last(new)),
        Place::Grid(_) => "grid".into(),
        Place::Why(install, package) => format!("{} {package}", last(install)),
    }
}

/// A path in the folder that it was started in, of a file that is not there yet.
fn free_path(stem: &str, ending: &str) -> PathBuf {
    let mut stem = stem.to_owned();
    stem.truncate(120);
    let mut path = PathBuf::from(format!("{stem}.{ending}"));
    for number in 2..1000 {
        if !path.exists() {
            break;
        }
        path = PathBuf::from(format!("{stem}-{number}.{ending}"));
    }
    path
}
