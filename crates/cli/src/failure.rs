//! What is said when the program cannot do what it was told.

use std::io;

use annotate_snippets::{AnnotationKind, Level, Renderer, Snippet};
use keen_notch_core::column::ColumnError;
use keen_notch_core::phrase::{PhraseError, Span};
use keen_notch_core::piece::PieceError;

use crate::console::Console;
use crate::draw::style;
use crate::draw::visible::without_controls;
use crate::exit::Exit;

/// Why a command did not do what it was told.
#[derive(Debug)]
pub struct Failure {
    exit: Exit,
    message: String,
    /// The words at fault, where there are some.
    words: Option<Words>,
    /// What to do about it, in one line.
    mend: String,
}

/// Words of the command line with some of them at fault.
#[derive(Debug)]
struct Words {
    text: String,
    span: Span,
    label: String,
}

impl Failure {
    /// The command line is wrong.
    pub fn usage(message: impl Into<String>, mend: impl Into<String>) -> Failure {
        Failure { exit: Exit::Usage, message: message.into(), words: None, mend: mend.into() }
    }

    /// A file stands in the way.
    pub fn file(message: impl Into<String>, mend: impl Into<String>) -> Failure {
        Failure { exit: Exit::File, ..Failure::usage(message, mend) }
    }

    /// A piece as given, `text`, cannot be read.
    pub fn piece(text: &str, error: PieceError) -> Failure {
        let words = Words { text: text.to_owned(), span: error.span, label: error.label };
        Failure { exit: Exit::Usage, message: error.message, words: Some(words), mend: error.mend }
    }

    /// A phrase as given, `text`, cannot be read.
    pub fn phrase(text: &str, error: PhraseError) -> Failure {
        Failure::piece(text, error.into())
    }

    /// Says it on standard error, and gives the exit status.
    pub fn report(self, console: &Console) -> Exit {
        if self.exit == Exit::Done {
            return self.exit;
        }
        let message = without_controls(&self.message);
        let mend = without_controls(&self.mend);
        match self.words {
            None => {
                let (error, help, plain) = (style::ERROR, style::MEND, anstyle::Reset);
                console.note(&format!("{error}error{plain}: {message}\n{help}mend{plain}: {mend}"));
            }
            Some(Words { text, span, label }) => {
                let mark = AnnotationKind::Primary.span(span).label(label);
                let report = [Level::ERROR
                    .primary_title(message)
                    .element(Snippet::source(text).line_start(1).annotation(mark))
                    .element(Level::HELP.with_name("mend").message(mend))];
                console.note(&Renderer::styled().term_width(console.width).render(&report));
            }
        }
        self.exit
    }
}

impl From<keen_notch_io::Error> for Failure {
    fn from(error: keen_notch_io::Error) -> Failure {
        let exit = match &error {
            error if error.is_closed_pipe() => Exit::Done,
            error if error.is_usage() => Exit::Usage,
            _ => Exit::File,
        };
        Failure { exit, message: error.to_string(), words: None, mend: error.mend() }
    }
}

impl From<ColumnError> for Failure {
    fn from(error: ColumnError) -> Failure {
        Failure::usage(error.to_string(), error.mend())
    }
}

/// For what is printed on standard output.
impl From<io::Error> for Failure {
    fn from(source: io::Error) -> Failure {
        keen_notch_io::Error::Write { name: "standard output".to_owned(), source }.into()
    }
}
