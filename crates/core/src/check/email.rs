//! Email addresses that mail systems accept: RFC 5321 with dot-atoms, and RFC 6531 beyond ASCII.

use std::borrow::Cow;
use std::sync::LazyLock;

use idna::AsciiDenyList;
use idna::uts46::{DnsLength, Hyphens, Uts46};
use regex_syntax::hir::{Class, HirKind};

use super::violation::described;
use crate::text::characters;

/// The longest local part, in bytes (RFC 5321, 4.5.3.1.1).
const MOST_LOCAL: usize = 64;
/// The longest address, in bytes (RFC 5321, 4.5.3.1.3, less the brackets of a path).
const MOST_ADDRESS: usize = 254;
const MOST_LABEL: usize = 63;

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NotAnEmail {
    /// The reason, as a sentence without a full stop.
    pub reason: String,
    /// The position of the first wrong character, from 1, if known.
    pub at: Option<usize>,
}

/// Whether a plain text is an address. Equivalent to [`check`], which also gives the reason.
pub(crate) fn holds_for_plain(address: &str) -> bool {
    let step = |state: u8, byte: &u8| NEXT[usize::from(state)][usize::from(KIND[usize::from(*byte)])];
    if address.as_bytes().iter().fold(BEFORE_ATOM, step) != LATER {
        return false;
    }
    // A short address has no long part.
    address.len() <= MOST_LABEL || {
        let (local, domain) = address.split_once('@').unwrap_or_default();
        address.len() <= MOST_ADDRESS && local.len() <= MOST_LOCAL && domain.split('.').all(|label| label.len() <= MOST_LABEL)
    }
}

/// The class of a byte: 1 the @, 2 a dot, 3 a hyphen, 4 a digit, 5 a letter, 6 other bytes allowed before the @, 0 invalid.
const KIND: [u8; 256] = {
    let mut table = [0; 256];
    let mut byte = 0u8;
    while byte < 128 {
        table[byte as usize] = match byte {
            b'@' => 1,
            b'.' => 2,
            b'-' => 3,
            b'0'..=b'9' => 4,
            b'A'..=b'Z' | b'a'..=b'z' => 5,
            _ if is_ascii_atom(byte) => 6,
            _ => 0,
        };
        byte += 1;
    }
    table
};

/// Before the first atom, or after a dot of the local part.
const BEFORE_ATOM: u8 = 1;
/// In a later label of the domain that is not only digits, after a letter or digit.
const LATER: u8 = 8;

/// The grammar as an automaton: for each state, the next state by class; state 0 rejects.
const NEXT: [[u8; 7]; 10] = [
    [0, 0, 0, 0, 0, 0, 0],
    [0, 0, 0, 2, 2, 2, 2], // before an atom
    [0, 3, 1, 2, 2, 2, 2], // in an atom
    [0, 0, 0, 0, 4, 4, 0], // before the domain
    [0, 0, 6, 5, 4, 4, 0], // in its first part
    [0, 0, 0, 5, 4, 4, 0], // the same, after a hyphen
    [0, 0, 0, 0, 7, 8, 0], // before a later part
    [0, 0, 6, 9, 7, 8, 0], // in one, of digits so far
    [0, 0, 6, 9, 8, 8, 0], // in one, of more
    [0, 0, 0, 9, 8, 8, 0], // the same, after a hyphen
];

/// Checks an address. The error is the first one from the left.
///
/// ```
/// use keen_notch_core::check::email::check;
///
/// assert!(check("ines.okafor@lift.skarn.example").is_ok());
/// assert!(check("ines.okafor").is_err());
/// ```
///
/// # Errors
/// Says what is wrong with it, the first thing from the left.
pub fn check(address: &str) -> Result<(), NotAnEmail> {
    let refused = |reason: String, at: Option<usize>| {
        Err(NotAnEmail { reason, at: at.map(|byte| characters::count(&address[..byte]) + 1) })
    };
    if let Some(at) = address.find(char::is_whitespace) {
        return refused("it contains a space".to_owned(), Some(at));
    }
    let Some((local, domain)) = address.rsplit_once('@') else {
        return refused("it has no @".to_owned(), None);
    };
    if let Some(at) = local.find('@') {
        return refused("it has more than one @".to_owned(), Some(at));
    }
    if local.is_empty() {
        return refused("it has no text before the @".to_owned(), Some(0));
    }
    for (what, at) in
        [("it begins with a dot", local.starts_with('.').then_some(0)), ("it has two dots in a row", local.find(".."))]
    {
        if at.is_some() {
            return refused(what.to_owned(), at);
        }
    }
    if local.ends_with('.') {
        return refused("it has a dot right before the @".to_owned(), Some(local.len() - 1));
    }
    if let Some((at, c)) = local.char_indices().find(|(_, c)| !is_atom(*c)) {
        return refused(format!("{} cannot come before the @", described(&c.to_string())), Some(at));
    }
    if local.len() > MOST_LOCAL {
        return refused(format!("it has more than {MOST_LOCAL} bytes before the @"), None);
    }
    if domain.is_empty() {
        return refused("it has no text after the @".to_owned(), None);
    }
    let mut start = local.len() + 1;
    for label in domain.split('.') {
        let (reason, at) = match label {
            "" => ("a part of the domain is empty".to_owned(), start),
            _ if label.starts_with('-') => ("a part of the domain begins with a hyphen".to_owned(), start),
            _ if label.ends_with('-') => ("a part of the domain ends with a hyphen".to_owned(), start + label.len() - 1),
            _ => match ascii_form(label) {
                Some(ascii) if ascii.len() <= MOST_LABEL => {
                    start += label.len() + 1;
                    continue;
                }
                Some(_) => (format!("a part of the domain has more than {MOST_LABEL} bytes, as mail systems write it"), start),
                None => match label.char_indices().find(|(_, c)| !is_of_domain(*c)) {
                    Some((at, c)) => (format!("{} cannot be in a domain", described(&c.to_string())), start + at),
                    None => ("a part of the domain is not a name that can be registered (IDNA)".to_owned(), start),
                },
            },
        };
        return refused(reason, Some(start.max(at)));
    }
    let last = domain.rsplit('.').next().unwrap_or_default();
    if last.len() == domain.len() {
        return refused("the domain has no dot".to_owned(), None);
    }
    if last.bytes().all(|byte| byte.is_ascii_digit()) {
        return refused("the domain ends in a number".to_owned(), None);
    }
    if address.len() > MOST_ADDRESS {
        return refused(format!("it has more than {MOST_ADDRESS} bytes"), None);
    }
    Ok(())
}

/// RFC 5322, 3.2.3, without the dots between atoms.
const fn is_ascii_atom(byte: u8) -> bool {
    byte.is_ascii_alphanumeric()
        || matches!(byte, b'!' | b'#'..=b'\'' | b'*' | b'+' | b'-' | b'/' | b'=' | b'?' | b'^'..=b'`' | b'{'..=b'~')
}

/// The same with dots. RFC 6531 permits everything beyond ASCII except controls.
fn is_atom(c: char) -> bool {
    c == '.' || u8::try_from(c).is_ok_and(is_ascii_atom) || (!c.is_ascii() && !c.is_control() && !c.is_whitespace())
}

/// The ASCII form of a label (Unicode Technical Standard #46, with only the letters, digits and marks of RFC 5892); `None` if it has
/// none.
fn ascii_form(label: &str) -> Option<Cow<'_, str>> {
    if label.is_ascii() {
        return label.bytes().all(|byte| byte.is_ascii_alphanumeric() || byte == b'-').then_some(Cow::Borrowed(label));
    }
    if !label.chars().all(|c| c.is_ascii() || c.is_alphanumeric() || is_mark(c) || CONTEXTUAL.contains(&c)) {
        return None;
    }
    Uts46::new().to_ascii(label.as_bytes(), AsciiDenyList::STD3, Hyphens::Check, DnsLength::Ignore).ok()
}

/// Joiners and other characters that are valid only between some letters (RFC 5892, appendix A).
const CONTEXTUAL: [char; 7] = ['\u{200c}', '\u{200d}', '·', '͵', '׳', '״', '・'];

fn is_mark(c: char) -> bool {
    static MARKS: LazyLock<Vec<(char, char)>> =
        LazyLock::new(|| match regex_syntax::parse(r"\p{M}").map(|hir| hir.into_kind()) {
            Ok(HirKind::Class(Class::Unicode(class))) => class.iter().map(|range| (range.start(), range.end())).collect(),
            _ => Vec::new(),
        });
    let at = MARKS.partition_point(|(_, last)| *last < c);
    MARKS.get(at).is_some_and(|(first, _)| *first <= c)
}

fn is_of_domain(c: char) -> bool {
    if c.is_ascii() {
        return c.is_ascii_alphanumeric() || c == '-';
    }
    // The check of the whole label handles characters that depend on their neighbours.
    CONTEXTUAL.contains(&c) || ["a", "א"].iter().any(|letter| ascii_form(&format!("{letter}{c}{letter}")).is_some())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn addresses() {
        for good in [
            "ines.okafor@lift.skarn.example",
            "a+b@x-y.example",
            "zoë@führung.example",
            "o'neill@a.b2",
            "用户@例子.example",
            "a@हिन्दी.example",
            "हिन्दी@lift.example",
            "a@שלום.example",
            "!#$%@x.example",
        ] {
            assert_eq!(check(good), Ok(()), "{good}");
        }
        let (long_local, long_label) = (format!("{}@x.example", "a".repeat(65)), format!("a@{}.example", "b".repeat(64)));
        let long = format!("a@{}example", "b.".repeat(126));
        for (bad, reason, at) in [
            ("ines..okafor@lift.skarn.example", "it has two dots in a row", Some(5)),
            ("@lift.example", "it has no text before the @", Some(1)),
            ("ines@-lift.example", "a part of the domain begins with a hyphen", Some(6)),
            ("ines okafor@lift.example", "it contains a space", Some(5)),
            ("ines.okafor", "it has no @", None),
            ("a@b@c.example", "it has more than one @", Some(2)),
            (".a@b.example", "it begins with a dot", Some(1)),
            ("a.@b.example", "it has a dot right before the @", Some(2)),
            ("a(b@c.example", "\"(\" cannot come before the @", Some(2)),
            ("a@", "it has no text after the @", None),
            ("a@b", "the domain has no dot", None),
            ("a@b..example", "a part of the domain is empty", Some(5)),
            ("a@b.", "a part of the domain is empty", Some(5)),
            ("a@b-.example", "a part of the domain ends with a hyphen", Some(4)),
            ("a@b_c.example", "\"_\" cannot be in a domain", Some(4)),
            ("a@b♥c.example", "black heart suit (U+2665) cannot be in a domain", Some(4)),
            ("a@\u{301}b.example", "a part of the domain is not a name that can be registered (IDNA)", Some(3)),
            ("a@1.2.3.4", "the domain ends in a number", None),
            (long_local.as_str(), "it has more than 64 bytes before the @", None),
            (long_label.as_str(), "a part of the domain has more than 63 bytes, as mail systems write it", Some(3)),
            (long.as_str(), "it has more than 254 bytes", None),
            ("", "it has no @", None),
        ] {
            assert_eq!(check(bad), Err(NotAnEmail { reason: reason.to_owned(), at }), "{bad}");
        }
    }

    proptest::proptest! {
        #[test]
        fn plain_texts_are_addresses_where_the_check_finds_nothing(
            text in "[a.@ -]{0,8}|[a-z.]{1,4}@[a-c1.-]{0,9}|[!-~]{1,6}@[ -~]{0,6}|a{60,66}@(b{60,66}\\.){1,4}c",
        ) {
            proptest::prop_assert_eq!(holds_for_plain(&text), check(&text).is_ok(), "{}", text);
        }
    }
}
