//! Trying phrases live in a terminal: the model knows no terminal, the screen draws it, and a thread counts the whole file.

mod model;
mod saved;
mod screen;
mod styled;
mod whole;

pub use model::{Key, Model};
pub use saved::{command, write};
pub use screen::draw;
pub use whole::Counting;

use std::sync::atomic::{AtomicBool, Ordering};

use ratatui::crossterm::event::{DisableMouseCapture, EnableMouseCapture};
use ratatui::crossterm::execute;

/// Whether the terminal is taken over.
static IS_TAKEN: AtomicBool = AtomicBool::new(false);

/// Takes the terminal over. Where the program fails, it is given back.
pub fn take_terminal() -> std::io::Result<ratatui::DefaultTerminal> {
    let terminal = ratatui::try_init()?;
    IS_TAKEN.store(true, Ordering::Relaxed);
    // Without a mouse, there are keys.
    let _ = execute!(std::io::stdout(), EnableMouseCapture);
    Ok(terminal)
}

/// Gives the terminal back as it was, if it is taken over: also where a signal ends the program.
pub fn give_terminal_back() {
    if IS_TAKEN.swap(false, Ordering::Relaxed) {
        let _ = execute!(std::io::stdout(), DisableMouseCapture);
        ratatui::restore();
    }
}
