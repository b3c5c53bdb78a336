//! The targets of the fuzzer as plain tests: over the corpus, and over mutations of it that are the same every time.
//!
//! Of each target there are 10 000 in a release build, and 1 000 in a debug build, which is slow. `MUTATIONS=1000000
//! MUTATIONS_SEED=7` asks for more of them, and for others.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, reason = "a test that cannot go on has failed")]

use std::fs;
use std::panic::{AssertUnwindSafe, catch_unwind, resume_unwind};
use std::path::{Path, PathBuf};

use fastrand::Rng;

/// What is put into inputs, beside what comes from the others.
const NASTY: &[&str] = &[
    "\"",
    "\"\"",
    "'",
    "\\",
    "\r\n",
    "\r",
    "\n",
    "\t",
    "\0",
    "\u{1b}[",
    "\u{301}",
    "\u{200d}",
    "🇸🇪",
    "👩‍👩‍👧",
    "\u{feff}",
    "\u{202e}",
    "é",
    "ß",
    "İ",
    "東",
    "-1",
    "0",
    "99999999999999999999",
    "1.5",
    "-",
    ",",
    ";",
    "{",
    "}",
    "<",
    ">",
    "[",
    "]",
    "[a",
    "/",
    "|",
    "=",
    " or ",
    " then ",
    " not ",
    " to ",
    "#1",
    ": ",
    "when",
    "\u{a0}",
];
/// The longest input that is made, in bytes, unless one of the corpus is longer.
const LONGEST: usize = 4096;

fn number(name: &str, default: u64) -> u64 {
    std::env::var(name).ok().map_or(default, |text| text.parse().expect("it is a number"))
}

/// Runs a target over its corpus, and over mutations of it.
fn holds(target: &str, hold: fn(&[u8])) {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("corpus").join(target);
    let mut files: Vec<PathBuf> = fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path()).collect();
    files.sort();
    let corpus: Vec<Vec<u8>> = files.iter().map(|file| fs::read(file).unwrap()).collect();
    assert!(!corpus.is_empty());
    corpus.iter().for_each(|input| one(target, hold, input));
    let mut rng = Rng::with_seed(number("MUTATIONS_SEED", 20_251_126));
    for _ in 0..number("MUTATIONS", if cfg!(debug_assertions) { 1_000 } else { 10_000 }) {
        one(target, hold, &mutation(&mut rng, &corpus));
    }
}

/// One input; where it does not hold, it is kept as a file for the fuzzer, and for the corpus.
fn one(target: &str, hold: fn(&[u8]), input: &[u8]) {
    if let Err(panic) = catch_unwind(AssertUnwindSafe(|| hold(input))) {
        let file = std::env::temp_dir().join(format!("keen-notch-{target}-{}", std::process::id()));
        fs::write(&file, input).unwrap();
        eprintln!("{target} does not hold of {}: {:?}", file.display(), String::from_utf8_lossy(input));
        resume_unwind(panic);
    }
}

fn mutation(rng: &mut Rng, corpus: &[Vec<u8>]) -> Vec<u8> {
    let mut input = rng.choice(corpus).expect("there is one").clone();
    for _ in 0..rng.usize(1..5) {
        // Some within one line, since the first lines say most.
        let end = if rng.bool() { input.len() } else { input.iter().position(|byte| *byte == b'\n').unwrap_or(input.len()) };
        let at = rng.usize(0..=end);
        let to = (at + rng.usize(0..=12)).min(input.len());
        match rng.u8(0..9) {
            0 if at < input.len() => input[at] ^= 1 << rng.u8(0..8),
            1 if at < input.len() => input[at] = rng.u8(b' '..0x7f),
            2 => drop(input.drain(at..to)),
            3 => {
                let again = input[at..to].repeat(rng.usize(1..4));
                input.splice(at..at, again);
            }
            4 => {
                let other = rng.choice(corpus).expect("there is one");
                let from = rng.usize(0..=other.len());
                let some = &other[from..(from + rng.usize(0..40)).min(other.len())];
                input.splice(at..at, some.iter().copied());
            }
            5 => {
                let word = word(rng, corpus);
                input.splice(at..to, word);
            }
            6 => {
                let word = word(rng, corpus);
                input.splice(at..at, word);
            }
            _ => {
                let nasty = rng.choice(NASTY).expect("there is one").bytes();
                input.splice(at..at, nasty);
            }
        }
    }
    input.truncate(LONGEST.max(longest(corpus)));
    input
}

fn longest(corpus: &[Vec<u8>]) -> usize {
    corpus.iter().map(Vec::len).max().unwrap_or(0)
}

/// A word of one of the inputs.
fn word(rng: &mut Rng, corpus: &[Vec<u8>]) -> Vec<u8> {
    let other = rng.choice(corpus).expect("there is one");
    let words: Vec<&[u8]> = other.split(|byte| byte.is_ascii_whitespace()).collect();
    rng.choice(words).unwrap_or_default().to_vec()
}

macro_rules! targets {
    ($($target:ident)*) => {
        $(#[test]
        fn $target() {
            holds(stringify!($target), keen_notch_fuzz::$target);
        })*
    };
}

targets! { phrase condition layout list table format draft survey decode workbook }
