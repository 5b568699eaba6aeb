//! The terminal itself: how it is taken, given back whatever happens, and what it tells.

use super::state::Key;
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use ratatui_core::terminal::Terminal;
use ratatui_crossterm::CrosstermBackend;
use ratatui_crossterm::crossterm::cursor::{Hide, Show};
use ratatui_crossterm::crossterm::event::{
    DisableMouseCapture, EnableMouseCapture, Event, KeyCode, KeyEventKind, KeyModifiers, MouseButton,
    MouseEventKind, read,
};
use ratatui_crossterm::crossterm::execute;
use ratatui_crossterm::crossterm::terminal::{
    EnterAlternateScreen, LeaveAlternateScreen, disable_raw_mode, enable_raw_mode, size,
};
use std::io::{Stdout, stdout};
use std::sync::Once;
use std::sync::atomic::{AtomicBool, Ordering};

/// Whether the terminal is ours at the moment.
static TAKEN: AtomicBool = AtomicBool::new(false);
static PANICS: Once = Once::new();

/// The terminal while it is ours.
pub(crate) struct Screen {
    terminal: Terminal<CrosstermBackend<Stdout>>,
}

impl Screen {
    /// Takes the terminal: keys come one by one, and what was on it comes back afterwards.
    ///
    /// # Errors
    /// When it is none, or says no.
    pub(crate) fn take() -> std::io::Result<Self> {
        PANICS.call_once(|| {
            let before = std::panic::take_hook();
            std::panic::set_hook(Box::new(move |panic| {
                give_back();
                before(panic);
            }));
        });
        has_bounds()?;
        enter()?;
        Ok(Self { terminal: Terminal::new(CrosstermBackend::new(stdout()))? })
    }

    /// Columns and rows.
    pub(crate) fn size(&self) -> (u16, u16) {
        self.terminal.size().map_or((80, 24), |size| (size.width, size.height))
    }

    pub(crate) fn draw(
        &mut self,
        draw: impl FnOnce(&mut ratatui_core::buffer::Buffer),
    ) -> std::io::Result<()> {
        has_bounds()?;
        self.terminal.draw(|frame| draw(frame.buffer_mut()))?;
        Ok(())
    }

    /// Gives the terminal back, stops until whoever runs it goes on, and takes it again.
    pub(crate) fn suspend(&mut self) -> std::io::Result<()> {
        give_back();
        rustix::process::kill_process(rustix::process::getpid(), rustix::process::Signal::TSTP)?;
        enter()?;
        self.terminal.clear()
    }

    /// Asks the terminal to put a text where it can be pasted from (OSC 52).
    pub(crate) fn copy(text: &str) -> std::io::Result<()> {
        use std::io::Write;
        let mut out = stdout();
        write!(out, "\x1b]52;c;{}\x07", STANDARD.encode(text))?;
        out.flush()
    }
}

impl Drop for Screen {
    fn drop(&mut self) {
        give_back();
    }
}

/// Cells of a screen: those of a wall of displays. A terminal may say anything, and each of them takes memory.
const CELLS: u32 = 1_000_000;

/// Whether the terminal is of a size that can be drawn.
fn has_bounds() -> std::io::Result<()> {
    let (columns, rows) = size()?;
    if u32::from(columns) * u32::from(rows) > CELLS {
        let why = format!("it says that it has {columns} columns and {rows} rows, more than are drawn");
        return Err(std::io::Error::other(why));
    }
    Ok(())
}

fn enter() -> std::io::Result<()> {
    enable_raw_mode()?;
    TAKEN.store(true, Ordering::SeqCst);
    execute!(stdout(), EnterAlternateScreen, EnableMouseCapture, Hide)
}

/// Gives the terminal back as it was; also called by whoever ends the program from outside.
pub(crate) fn give_back() {
    if TAKEN.swap(false, Ordering::SeqCst) {
        _ = execute!(stdout(), Show, DisableMouseCapture, LeaveAlternateScreen);
        _ = disable_raw_mode();
    }
}

/// Waits for a key that means something.
///
/// # Errors
/// When the terminal is gone.
pub(crate) fn next_key() -> std::io::Result<Key> {
    loop {
        if let Some(key) = meant(&read()?) {
            return Ok(key);
        }
    }
}

fn meant(event: &Event) -> Option<Key> {
    match event {
        Event::Resize(columns, rows) => Some(Key::Resize(*columns, *rows)),
        Event::Mouse(mouse) => match mouse.kind {
            MouseEventKind::Down(MouseButton::Left) => Some(Key::Click(mouse.column, mouse.row)),
            MouseEventKind::ScrollUp => Some(Key::Wheel(true)),
            MouseEventKind::ScrollDown => Some(Key::Wheel(false)),
            _ => None,
        },
        Event::Key(key) if key.kind != KeyEventKind::Release => {
            let control = key.modifiers.contains(KeyModifiers::CONTROL);
            Some(match key.code {
                KeyCode::Char('c' | 'd') if control => Key::Interrupt,
                KeyCode::Char('z') if control => Key::Suspend,
                KeyCode::Char(_) if control || key.modifiers.contains(KeyModifiers::ALT) => return None,
                KeyCode::Char(c) => Key::Char(c),
                KeyCode::Enter => Key::Enter,
                KeyCode::Esc => Key::Escape,
                KeyCode::Backspace => Key::Backspace,
                KeyCode::Tab | KeyCode::BackTab => Key::Tab,
                KeyCode::Up => Key::Up,
                KeyCode::Down => Key::Down,
                KeyCode::Left => Key::Left,
                KeyCode::Right => Key::Right,
                KeyCode::PageUp => Key::PageUp,
                KeyCode::PageDown => Key::PageDown,
                KeyCode::Home => Key::Home,
                KeyCode::End => Key::End,
                _ => return None,
            })
        }
        _ => None,
    }
}
