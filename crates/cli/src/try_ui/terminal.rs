//! The terminal while `try` owns it.

use std::io::{self, Write};
use std::sync::atomic::{AtomicBool, Ordering};

use crossterm::cursor::{Hide, MoveTo, Show};
use crossterm::event::{DisableMouseCapture, EnableMouseCapture};
use crossterm::style::Print;
use crossterm::terminal::{
    self, Clear, ClearType, DisableLineWrap, EnableLineWrap, EnterAlternateScreen, LeaveAlternateScreen, disable_raw_mode,
    enable_raw_mode,
};
use crossterm::{execute, queue};

static IS_OWNED: AtomicBool = AtomicBool::new(false);

#[derive(Default)]
pub struct Screen {
    size: (u16, u16),
    shown: Vec<String>,
}

/// The content of a screen: its lines, and the position of the cursor, from 0.
#[derive(Debug, Default)]
pub struct Lines {
    pub lines: Vec<String>,
    pub column: u16,
    pub line: u16,
}

impl Screen {
    /// Takes the terminal over until [`give_back`].
    ///
    /// # Errors
    /// The terminal has no raw mode or no alternate screen. It stays unchanged.
    pub fn take() -> io::Result<Screen> {
        enable_raw_mode()?;
        IS_OWNED.store(true, Ordering::Relaxed);
        execute!(io::stdout(), EnterAlternateScreen, DisableLineWrap).inspect_err(|_| give_back())?;
        // A terminal without a mouse still has keys.
        let _ = execute!(io::stdout(), EnableMouseCapture);
        Ok(Screen::default())
    }

    /// The width and height of the terminal, in columns and lines. After a change of size, the next call of `show` writes all lines.
    ///
    /// # Errors
    /// The terminal does not report its size.
    pub fn size(&mut self) -> io::Result<(usize, usize)> {
        let size = terminal::size()?;
        if size != self.size {
            self.size = size;
            self.shown.clear();
            execute!(io::stdout(), Clear(ClearType::All))?;
        }
        Ok((usize::from(size.0), usize::from(size.1)))
    }

    pub fn show(&mut self, lines: &Lines) -> io::Result<()> {
        let has_styles = anstream::AutoStream::choice(&io::stdout()) != anstream::ColorChoice::Never;
        // A single write avoids flicker.
        let mut out = Vec::new();
        queue!(out, Hide)?;
        self.shown.resize(usize::from(self.size.1), String::new());
        let blank = String::new();
        for (number, shown) in self.shown.iter_mut().enumerate() {
            let line = lines.lines.get(number).unwrap_or(&blank);
            if line == shown {
                continue;
            }
            shown.clone_from(line);
            let line = if has_styles { line.clone() } else { anstream::adapter::strip_str(line).to_string() };
            queue!(out, MoveTo(0, number as u16), Clear(ClearType::UntilNewLine), Print(line))?;
        }
        queue!(out, MoveTo(lines.column, lines.line), Show)?;
        io::stdout().write_all(&out)?;
        io::stdout().flush()
    }
}

/// Restores the terminal if the program owns it. Called at the end of `try`, and after a failure, a panic or a signal.
pub fn give_back() {
    if IS_OWNED.swap(false, Ordering::Relaxed) {
        // If a step fails, the others still run.
        let _ = execute!(io::stdout(), DisableMouseCapture);
        let _ = execute!(io::stdout(), EnableLineWrap, LeaveAlternateScreen, Show);
        let _ = disable_raw_mode();
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_panic_restores_the_terminal() {
        IS_OWNED.store(true, Ordering::Relaxed);
        assert_eq!(crate::mistake::guarded(|| panic!("while the program owns the terminal")), crate::exit::Exit::File);
        assert!(!IS_OWNED.load(Ordering::Relaxed));
    }
}
