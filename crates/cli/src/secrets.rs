//! Passwords on the command line, which no message repeats.

use keen_notch_io::database::{argument_without_passwords, without_passwords};

/// A message without the passwords of the command line and of the addresses in it.
pub fn hidden(message: &str) -> String {
    let arguments = std::env::args_os().skip(1).filter_map(|argument| argument.into_string().ok());
    let values = arguments.flat_map(|argument| {
        // An option and its value may be one argument.
        let value = argument.strip_prefix("--").and_then(|option| option.split_once('=')).map(|(_, value)| value.to_owned());
        [Some(argument), value]
    });
    let message = values.flatten().fold(message.to_owned(), |message, argument| match argument_without_passwords(&argument) {
        hidden if hidden != argument => message.replace(&argument, &hidden),
        _ => message,
    });
    without_passwords(&message)
}
