//! Email addresses that mail systems accept: RFC 5321 with dot-atoms, and RFC 6531 beyond ASCII.

use super::violation::described;
use crate::text::characters;

/// The longest local part, in bytes (RFC 5321, 4.5.3.1.1).
const MOST_LOCAL: usize = 64;
/// The longest address, in bytes (RFC 5321, 4.5.3.1.3, less the brackets of a path).
const MOST_ADDRESS: usize = 254;
/// The longest label of a domain, in bytes (RFC 1035, 2.3.4).
const MOST_LABEL: usize = 63;

/// What is wrong with an address.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NotAnEmail {
    /// One sentence, without its full stop.
    pub reason: String,
    /// The character at which it went wrong, from 1, where there is one.
    pub at: Option<usize>,
}

/// Whether a plain text is an address: the same as [`check`], which says why it is none.
pub(crate) fn holds_for_plain(address: &str) -> bool {
    let bytes = address.as_bytes();
    let Some(at) = memchr::memchr(b'@', bytes) else { return false };
    let (local, domain) = (&bytes[..at], &bytes[at + 1..]);
    let mut after_dot = true;
    for byte in local {
        if (*byte == b'.' && after_dot) || !(*byte == b'.' || ATOM[usize::from(*byte)]) {
            return false;
        }
        after_dot = *byte == b'.';
    }
    if after_dot || local.len() > MOST_LOCAL || address.len() > MOST_ADDRESS {
        return false;
    }
    let (mut start, mut labels, mut is_number) = (0, 0, true);
    for (index, byte) in domain.iter().chain(b".").enumerate() {
        if *byte != b'.' {
            is_number &= byte.is_ascii_digit();
            if !(byte.is_ascii_alphanumeric() || *byte == b'-') {
                return false;
            }
            continue;
        }
        let label = &domain[start..index];
        if label.is_empty() || label.len() > MOST_LABEL || label.starts_with(b"-") || label.ends_with(b"-") {
            return false;
        }
        labels += 1;
        start = index + 1;
        if index == domain.len() && (labels < 2 || is_number) {
            return false;
        }
        is_number = true;
    }
    true
}

/// What may be before the @ beside dots, in ASCII.
const ATOM: [bool; 256] = {
    let mut table = [false; 256];
    let mut byte = 0u8;
    while byte < 128 {
        table[byte as usize] = is_ascii_atom(byte);
        byte += 1;
    }
    table
};

/// Checks an address.
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
        return refused("there is a space in it".to_owned(), Some(at));
    }
    let Some((local, domain)) = address.rsplit_once('@') else {
        return refused("there is no @".to_owned(), None);
    };
    if let Some(at) = local.find('@') {
        return refused("there is more than one @".to_owned(), Some(at));
    }
    if local.is_empty() {
        return refused("there is nothing before the @".to_owned(), Some(0));
    }
    for (what, at) in
        [("it begins with a dot", local.starts_with('.').then_some(0)), ("there are two dots in a row", local.find(".."))]
    {
        if at.is_some() {
            return refused(what.to_owned(), at);
        }
    }
    if local.ends_with('.') {
        return refused("there is a dot right before the @".to_owned(), Some(local.len() - 1));
    }
    if let Some((at, c)) = local.char_indices().find(|(_, c)| !is_atom(*c)) {
        return refused(format!("{} cannot come before the @", described(&c.to_string())), Some(at));
    }
    if local.len() > MOST_LOCAL {
        return refused(format!("there are more than {MOST_LOCAL} bytes before the @"), None);
    }
    if domain.is_empty() {
        return refused("there is nothing after the @".to_owned(), None);
    }
    let mut start = local.len() + 1;
    for label in domain.split('.') {
        let (reason, at) = match label {
            "" => ("a part of the domain is empty".to_owned(), start),
            _ if label.starts_with('-') => ("a part of the domain begins with a hyphen".to_owned(), start),
            _ if label.ends_with('-') => ("a part of the domain ends with a hyphen".to_owned(), start + label.len() - 1),
            _ if label.len() > MOST_LABEL => (format!("a part of the domain has more than {MOST_LABEL} bytes"), start),
            _ => match label.char_indices().find(|(_, c)| !(c.is_alphanumeric() || *c == '-' || is_mark(*c))) {
                Some((at, c)) => (format!("{} cannot be in a domain", described(&c.to_string())), start + at),
                None => {
                    start += label.len() + 1;
                    continue;
                }
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
        || matches!(
            byte,
            b'!' | b'#'
                | b'$'
                | b'%'
                | b'&'
                | b'\''
                | b'*'
                | b'+'
                | b'-'
                | b'/'
                | b'='
                | b'?'
                | b'^'
                | b'_'
                | b'`'
                | b'{'
                | b'|'
                | b'}'
                | b'~'
        )
}

/// The same with the dots; beyond ASCII, RFC 6531 lets all through that is no control.
fn is_atom(c: char) -> bool {
    c == '.' || u8::try_from(c).is_ok_and(is_ascii_atom) || (!c.is_ascii() && !c.is_control() && !c.is_whitespace())
}

/// Combining marks, which internationalised labels may hold.
fn is_mark(c: char) -> bool {
    !c.is_ascii()
        && !c.is_alphanumeric()
        && !c.is_control()
        && unicode_names2::name(c).is_some_and(|name| name.to_string().contains("COMBINING"))
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
            "!#$%@x.example",
        ] {
            assert_eq!(check(good), Ok(()), "{good}");
        }
        let (long_local, long_label) = (format!("{}@x.example", "a".repeat(65)), format!("a@{}.example", "b".repeat(64)));
        let long = format!("a@{}example", "b.".repeat(126));
        for (bad, reason, at) in [
            ("ines..okafor@lift.skarn.example", "there are two dots in a row", Some(5)),
            ("@lift.example", "there is nothing before the @", Some(1)),
            ("ines@-lift.example", "a part of the domain begins with a hyphen", Some(6)),
            ("ines okafor@lift.example", "there is a space in it", Some(5)),
            ("ines.okafor", "there is no @", None),
            ("a@b@c.example", "there is more than one @", Some(2)),
            (".a@b.example", "it begins with a dot", Some(1)),
            ("a.@b.example", "there is a dot right before the @", Some(2)),
            ("a(b@c.example", "\"(\" cannot come before the @", Some(2)),
            ("a@", "there is nothing after the @", None),
            ("a@b", "the domain has no dot", None),
            ("a@b..example", "a part of the domain is empty", Some(5)),
            ("a@b.", "a part of the domain is empty", Some(5)),
            ("a@b-.example", "a part of the domain ends with a hyphen", Some(4)),
            ("a@b_c.example", "\"_\" cannot be in a domain", Some(4)),
            ("a@1.2.3.4", "the domain ends in a number", None),
            (long_local.as_str(), "there are more than 64 bytes before the @", None),
            (long_label.as_str(), "a part of the domain has more than 63 bytes", Some(3)),
            (long.as_str(), "it has more than 254 bytes", None),
            ("", "there is no @", None),
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
