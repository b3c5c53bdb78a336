//! Trying phrases live in a terminal: the model knows no terminal, the screen draws it, and a thread counts the whole file.

mod given;
mod list;
mod model;
mod offers;
mod piece;
mod sample;
mod screen;
mod styled;
#[cfg(test)]
mod tests;
mod whole;

pub use list::{ListFile, command};
pub use model::{Field, Key, Model};
pub use piece::Draft;
pub use sample::Sample;
pub use screen::{At, Drawn, draw};
pub use whole::{Counting, Counts};

use std::io::{self, Stdout};
use std::sync::atomic::{AtomicBool, Ordering};

use ratatui::Terminal;
use ratatui::backend::CrosstermBackend;
use ratatui::crossterm::cursor::Show;
use ratatui::crossterm::event::{DisableMouseCapture, EnableMouseCapture};
use ratatui::crossterm::execute;
use ratatui::crossterm::terminal::{EnterAlternateScreen, LeaveAlternateScreen, disable_raw_mode, enable_raw_mode};

/// Whether the terminal is taken over.
static IS_TAKEN: AtomicBool = AtomicBool::new(false);

/// The terminal, taken over.
pub type Screen = Terminal<CrosstermBackend<Stdout>>;

/// Takes the terminal over. Whoever ends the program gives it back: the user, a failure, a mistake of the program's own or a signal.
pub fn take_terminal() -> io::Result<Screen> {
    enable_raw_mode()?;
    IS_TAKEN.store(true, Ordering::Relaxed);
    let terminal = || {
        execute!(io::stdout(), EnterAlternateScreen)?;
        // Without a mouse, there are keys.
        let _ = execute!(io::stdout(), EnableMouseCapture);
        Terminal::new(CrosstermBackend::new(io::stdout()))
    };
    terminal().inspect_err(|_| give_terminal_back())
}

/// Gives the terminal back as it was, if it is taken over.
pub fn give_terminal_back() {
    if IS_TAKEN.swap(false, Ordering::Relaxed) {
        // Whatever of it fails, the rest is tried.
        let _ = execute!(io::stdout(), DisableMouseCapture);
        let _ = execute!(io::stdout(), LeaveAlternateScreen, Show);
        let _ = disable_raw_mode();
    }
}
