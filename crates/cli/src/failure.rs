//! Error messages.

use std::io;

use keen_notch_core::column::ColumnError;
use keen_notch_core::phrase::{PhraseError, Span};
use keen_notch_core::text_error::TextError;

use crate::console::Console;
use crate::draw::marked;
use crate::draw::style::{self, paint};
use crate::draw::visible::without_controls;
use crate::exit::Exit;
use crate::io_help;
use crate::secrets::hidden;

#[derive(Debug)]
pub struct Failure {
    exit: Exit,
    message: String,
    words: Option<Box<Words>>,
    help: String,
}

/// A user-written text, and its file; `None` for an argument.
#[derive(Debug, Clone)]
pub struct Text {
    pub name: Option<String>,
    pub text: String,
}

#[derive(Debug)]
struct Words {
    text: Text,
    span: Span,
    label: String,
}

impl Failure {
    pub fn usage(message: impl Into<String>, help: impl Into<String>) -> Failure {
        Failure { exit: Exit::Usage, message: message.into(), words: None, help: help.into() }
    }

    pub fn file(message: impl Into<String>, help: impl Into<String>) -> Failure {
        Failure { exit: Exit::File, ..Failure::usage(message, help) }
    }

    pub fn text_error(text: &Text, error: TextError) -> Failure {
        let TextError { message, label, span, help, column } = error;
        let help = column.as_deref().map_or(help, column_help);
        Failure { exit: Exit::Usage, message, words: Some(Box::new(Words { text: text.clone(), span, label })), help }
    }

    pub fn phrase(text: &str, error: PhraseError) -> Failure {
        Failure::text_error(&Text { name: None, text: text.to_owned() }, error.into())
    }

    /// Whether the reader of the output has closed the pipe, which is no error.
    pub fn is_closed_pipe(&self) -> bool {
        self.exit == Exit::Done
    }

    /// Prints the message on standard error and returns the exit status.
    pub fn report(self, console: &Console) -> Exit {
        if self.is_closed_pipe() {
            return self.exit;
        }
        console.note(&format!("{}: {}", paint(style::ERROR, "error"), without_controls(&hidden(&self.message))));
        if let Some(words) = self.words {
            let Words { text: Text { name, text }, span, label } = *words;
            let lines = marked::draw((name.as_deref(), &text), &span, &without_controls(&label), console.width);
            lines.iter().for_each(|line| console.note(line));
        }
        console.note(&format!("{}: {}", paint(style::HELP, "help"), without_controls(&hidden(&self.help))));
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
        Failure { exit, message: error.to_string(), words: None, help: io_help::help(&error) }
    }
}

impl From<ColumnError> for Failure {
    fn from(error: ColumnError) -> Failure {
        Failure::usage(error.to_string(), column_help(&error))
    }
}

impl From<io::Error> for Failure {
    fn from(source: io::Error) -> Failure {
        keen_notch_io::Error::Write { name: "standard output".to_owned(), source, is_half_written: true }.into()
    }
}

fn column_help(error: &ColumnError) -> String {
    let help = error.help();
    match (error, error.hidden_by()) {
        (ColumnError::Unknown { names, .. }, Some(delimiter)) => {
            let delimiter = if delimiter == '\t' { "tab".to_owned() } else { format!("'{delimiter}'") };
            let whole = names.join(",");
            format!("the whole header is one column, {whole}; name the delimiter: --delimiter {delimiter}")
        }
        (ColumnError::NotNamed { .. }, _) => format!("name one with -c, or in a cut list with `of` or `column`; {help}"),
        (ColumnError::NoNames { .. }, _) => {
            format!("{help}, or leave --no-header out if the first row holds the names")
        }
        _ => help,
    }
}
