//! The keys of `try`.

use crossterm::event::{KeyCode, KeyEvent, KeyModifiers};

use crate::try_ui::Key;

pub enum KeyAction {
    Key(Key),
    Save,
    Explain,
    Help,
    /// End, unless pieces would be lost.
    End,
}

/// The action of a pressed key; `None` if it has none.
pub fn pressed(key: KeyEvent) -> Option<KeyAction> {
    if key.modifiers.contains(KeyModifiers::CONTROL) {
        return Some(match key.code {
            KeyCode::Char('c' | 'q') => KeyAction::End,
            KeyCode::Char('s') => KeyAction::Save,
            // Text typed before the terminal switched modes contains line feeds.
            KeyCode::Char('j') => KeyAction::Key(Key::NextLine),
            KeyCode::Char('n') => KeyAction::Key(Key::New),
            KeyCode::Char('o') => KeyAction::Key(Key::NextPiece),
            KeyCode::Char('w') => KeyAction::Key(Key::Want),
            KeyCode::Char('r') => KeyAction::Key(Key::NextOffer),
            KeyCode::Char('t') => KeyAction::Key(Key::Earlier),
            KeyCode::Char('d') => KeyAction::Key(Key::Remove),
            KeyCode::Char('z') => KeyAction::Key(Key::Undo),
            KeyCode::Char('y') => KeyAction::Key(Key::Redo),
            KeyCode::Char('f') => KeyAction::Key(Key::Filter),
            KeyCode::Char('l') => KeyAction::Key(Key::NextView),
            KeyCode::Char('e') => KeyAction::Explain,
            _ => return None,
        });
    }
    Some(KeyAction::Key(match key.code {
        KeyCode::Esc => return Some(KeyAction::End),
        KeyCode::F(1) => return Some(KeyAction::Help),
        KeyCode::Char(c) if !c.is_control() => Key::Char(c),
        KeyCode::Backspace => Key::Backspace,
        KeyCode::Delete => Key::Delete,
        KeyCode::Left => Key::Left,
        KeyCode::Right => Key::Right,
        KeyCode::Home => Key::Home,
        KeyCode::End => Key::End,
        KeyCode::Up => Key::Up,
        KeyCode::Down => Key::Down,
        KeyCode::PageUp => Key::PageUp,
        KeyCode::PageDown => Key::PageDown,
        KeyCode::Tab | KeyCode::Enter => Key::NextLine,
        KeyCode::BackTab => Key::LineBefore,
        _ => return None,
    }))
}
