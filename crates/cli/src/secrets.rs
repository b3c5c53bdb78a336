//! Passwords on the command line, which messages never repeat.

use keen_notch_io::formats::database::{argument_without_passwords, without_passwords};

/// A message without passwords from the command line or from addresses in it.
pub fn hidden(message: &str) -> String {
    let arguments = std::env::args_os().skip(1).filter_map(|argument| argument.into_string().ok());
    let values = arguments.flat_map(|argument| {
        // An option and its value can be one argument.
        let value = argument.strip_prefix("--").and_then(|option| option.split_once('=')).map(|(_, value)| value.to_owned());
        [Some(argument), value]
    });
    let message = values.flatten().fold(message.to_owned(), |message, argument| match argument_without_passwords(&argument) {
        hidden if hidden != argument => message.replace(&argument, &hidden),
        _ => message,
    });
    without_passwords(&message)
}
