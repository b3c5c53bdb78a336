//! `phrases`: the reference. Each example runs when it is printed.

use std::io::Write;

use keen_notch_core::phrase::Phrase;
use keen_notch_core::phrase::reference::{self, CONDITIONS, Entry, GROUPS, Group, NOTES, classes};
use keen_notch_core::program::Program;
use keen_notch_core::text::unit::Unit;
use keen_notch_core::words;

use crate::args::PhrasesArgs;
use crate::console::{self, Console};
use crate::draw::style::{self, paint};
use crate::draw::visible;
use crate::failure::Failure;

const INTRODUCTION: &str = r#"A phrase extracts a piece from a value.

  phrase = branch or branch …     the first branch whose result is not missing
  branch = step then step …       steps from left to right; or a lone "text", the result itself

Missing: the value lacks the marker or position, or no text is left. `or` adds an alternative, which starts again from the whole value. If every branch is missing, the cell is blank. `or ""` accepts the blank.
Blank: the value is empty or white space.
Short: a cut by position found only a part of its range; the result is that part.
Long: a value is wider than its padding; it stays unchanged.
Fallback: the result comes from a branch after `or`."#;

const SHELL: &str = r#"In a shell, put a piece in single quotes: -p 'team: section 3 by "-"'. Write a single quote inside as '\'' ('name: before "'\''"'), or escape it in the text: "\u{27}". In a cut list, put a phrase in single quotes ('before "-"'), or in three of them if it contains one ('''before "'"'''). Inside a /regular expression/, write a slash as \/."#;

pub fn run(args: &PhrasesArgs, console: &Console) -> Result<(), Failure> {
    let mut out = console::out();
    let text = match &args.word {
        _ if args.markdown => markdown(),
        Some(word) => one(word, console.width)?,
        None => all(console.width),
    };
    out.write_all(text.as_bytes())?;
    Ok(out.flush()?)
}

fn all(width: usize) -> String {
    let mut text = wrapped(INTRODUCTION, width, "");
    for group in groups() {
        text += &format!("\n{}\n", paint(style::HEAD, group.title));
        text += &wrapped(group.about, width, "");
        text += &group.entries.iter().map(|entry| shown(entry, width)).collect::<String>();
    }
    for (title, note) in NOTES {
        text += &format!("\n{}\n{}", paint(style::HEAD, title), wrapped(note, width, ""));
    }
    text + "\n" + &wrapped(SHELL, width, "")
}

fn groups() -> impl Iterator<Item = &'static Group> {
    GROUPS.iter().chain(std::iter::once(&CONDITIONS))
}

fn one(word: &str, width: usize) -> Result<String, Failure> {
    let is_asked = |name: &str| name.eq_ignore_ascii_case(word);
    let groups: Vec<(&Group, Vec<&Entry>)> = groups()
        .map(|group| (group, group.entries.iter().filter(|entry| is_asked(entry.word)).collect::<Vec<_>>()))
        .filter(|(_, entries)| !entries.is_empty())
        .collect();
    let shown = groups.iter().map(|(group, entries)| {
        let entries: String = entries.iter().map(|entry| shown(entry, width)).collect();
        format!("{}\n{}{entries}", paint(style::HEAD, group.title), wrapped(group.about, width, ""))
    });
    let notes = NOTES.iter().filter(|(title, _)| is_asked(title) || *title == "Classes" && classes().any(is_asked));
    let notes = notes.map(|(title, note)| format!("{}\n{}", paint(style::HEAD, title), wrapped(note, width, "")));
    let texts: Vec<String> = shown.chain(notes).collect();
    if texts.is_empty() {
        return Err(Failure::usage(format!("no step, condition or class {word}"), help(word)));
    }
    Ok(texts.join("\n"))
}

fn help(word: &str) -> String {
    let known = || groups().flat_map(|group| group.entries).map(|entry| entry.word).chain(classes());
    let first_word = word.split_whitespace().next().unwrap_or(word);
    let nearest = reference::synonym(word).or_else(|| words::nearest(word, known()));
    match nearest.or_else(|| known().find(|known| *known == first_word)) {
        Some(nearest) => format!("did you mean `{nearest}`? keen-notch phrases shows them all"),
        None => "keen-notch phrases shows them all".to_owned(),
    }
}

fn shown(entry: &Entry, width: usize) -> String {
    let mut text = format!("\n  {}\n", paint(style::TAKEN, entry.form));
    text += &wrapped(entry.gives, width, "    ");
    for (value, phrase) in entry.examples {
        let (shown, result) = (paint(style::QUIET, visible::value(value)), visible::value(&result(value, phrase)));
        text += &format!("    {shown}  {phrase}  → {}\n", paint(style::HEAD, result));
    }
    text
}

fn result(value: &str, phrase: &str) -> String {
    let plan = Phrase::parse(phrase).and_then(|phrase| Program::new(&phrase, Unit::Characters));
    plan.map_or_else(
        |error| error.to_string(),
        |plan| plan.trace(value).results.into_iter().map(|seen| seen.text).collect::<Vec<_>>().join(", "),
    )
}

fn wrapped(text: &str, width: usize, indent: &str) -> String {
    let options = textwrap::Options::new(width.min(100)).initial_indent(indent).subsequent_indent(indent);
    if text.is_empty() { String::new() } else { textwrap::fill(text, options) + "\n" }
}

fn markdown() -> String {
    let code = |text: &str| format!("`{}`", text.replace('|', "\\|"));
    let mut text =
        "# Phrases\n\nThis page is what `keen-notch phrases --markdown` prints; every result on it was computed.\n\n"
            .to_owned();
    text += &INTRODUCTION
        .replace("\n  phrase", "\n```\nphrase")
        .replace("\n  branch", "\nbranch")
        .replace("itself\n", "itself\n```\n")
        .replace(".\n", ".\n\n");
    text += "\n";
    for group in groups() {
        text += &format!("\n## {}\n\n", group.title);
        if !group.about.is_empty() {
            text += &format!("{}\n\n", group.about);
        }
        text += "| step | gives | for example |\n|---|---|---|\n";
        for entry in group.entries {
            let examples = entry
                .examples
                .iter()
                .map(|(value, phrase)| format!("{} on {} → {}", code(phrase), code(value), code(&result(value, phrase))));
            text += &format!(
                "| {} | {} | {} |\n",
                code(entry.form),
                entry.gives.replace('|', "\\|"),
                examples.collect::<Vec<_>>().join("<br>")
            );
        }
    }
    for (title, note) in NOTES {
        text += &format!("\n## {title}\n\n{note}\n");
    }
    text + &format!("\n## In a shell and in a cut list\n\n{SHELL}\n")
}
