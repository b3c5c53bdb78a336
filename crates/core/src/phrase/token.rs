use super::{ErrorKind, PhraseError, Span};

#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Token {
    pub(crate) kind: TokenKind,
    pub(crate) span: Span,
}

impl Token {
    pub(super) fn is_word(&self) -> bool {
        matches!(self.kind, TokenKind::Word(_))
    }
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum TokenKind {
    Word(String),
    /// A whole number with an optional sign. Too large numbers saturate.
    Number(i64),
    Decimal(String),
    Ordinal(i64),
    Text(String),
    Regex {
        pattern: String,
        flags: String,
    },
    Comma,
    Open,
    Close,
}

/// The words that a parenthesis may follow directly: `not(`.
const BEFORE_PARENTHESIS: [&str; 4] = ["not", "and", "or", "whether"];

pub(super) fn tokens(source: &str) -> Result<Vec<Token>, PhraseError> {
    let mut tokens = Vec::new();
    let mut at = 0;
    while let Some(c) = source[at..].chars().next() {
        if c.is_whitespace() {
            at += c.len_utf8();
            continue;
        }
        let start = at;
        let kind = match c {
            '"' | '\'' => {
                let (text, end) = text_at(source, start)?;
                at = end;
                TokenKind::Text(text)
            }
            '/' => {
                let (kind, end) = regex_at(source, start)?;
                at = end;
                kind
            }
            ',' => {
                at += 1;
                TokenKind::Comma
            }
            '(' | ')' => {
                at += 1;
                if c == '(' { TokenKind::Open } else { TokenKind::Close }
            }
            '“' | '”' | '„' | '‘' | '’' | '«' | '»' => return Err(typographic_quote(source, start, c)),
            _ => {
                at = end_of_bare(source, start);
                bare(&source[start..at])
            }
        };
        tokens.push(Token { kind, span: start..at });
    }
    Ok(tokens)
}

/// The end of the word or number at byte `start`. Parentheses within it belong to it: `price(net)`.
fn end_of_bare(source: &str, start: usize) -> usize {
    let mut open = 0_usize;
    for (at, c) in source[start..].char_indices() {
        let ends = match c {
            '"' | '\'' | ',' => true,
            '(' => BEFORE_PARENTHESIS.contains(&&source[start..start + at]),
            ')' => open == 0,
            c => c.is_whitespace(),
        };
        if ends {
            return start + at;
        }
        match c {
            '(' => open += 1,
            ')' => open -= 1,
            _ => {}
        }
    }
    source.len()
}

fn bare(text: &str) -> TokenKind {
    let is_digits = |text: &str| !text.is_empty() && text.bytes().all(|b| b.is_ascii_digit());
    let unsigned = text.strip_prefix(['-', '+']).unwrap_or(text);
    if is_digits(unsigned) {
        let size = unsigned.parse::<i64>().unwrap_or(i64::MAX);
        return TokenKind::Number(if text.starts_with('-') { -size } else { size });
    }
    if let Some((whole, decimals)) = unsigned.split_once('.')
        && is_digits(whole)
        && is_digits(decimals)
    {
        return TokenKind::Decimal(text.to_owned());
    }
    let ordinal = ["st", "nd", "rd", "th"].iter().find_map(|ending| text.strip_suffix(ending)).filter(|n| is_digits(n));
    match ordinal {
        Some(n) => TokenKind::Ordinal(n.parse().unwrap_or(i64::MAX)),
        None => TokenKind::Word(text.to_owned()),
    }
}

fn regex_at(source: &str, start: usize) -> Result<(TokenKind, usize), PhraseError> {
    let inside = &source[start + 1..];
    let mut escaped = false;
    let close = inside.char_indices().find(|&(_, c)| {
        let closes = c == '/' && !escaped;
        escaped = c == '\\' && !escaped;
        closes
    });
    let Some((close, _)) = close else {
        return Err(PhraseError {
            kind: ErrorKind::UnclosedRegex,
            span: start..source.len(),
            help: format!("close it: `{}/`; a slash within is written `\\/`", source[start..].trim_end()),
        });
    };
    let after = start + 1 + close + 1;
    let end = source[after..].find(|c: char| !c.is_ascii_alphabetic()).map_or(source.len(), |n| after + n);
    let flags = &source[after..end];
    if let Some(unknown) = flags.find(|c| !"imsx".contains(c)) {
        return Err(PhraseError {
            kind: ErrorKind::UnknownFlag,
            span: after + unknown..after + unknown + 1,
            help: "the flags are i (any case), m (^ and $ at every line), s (. matches line breaks) and x (spaces are ignored)"
                .to_owned(),
        });
    }
    Ok((TokenKind::Regex { pattern: inside[..close].to_owned(), flags: flags.to_owned() }, end))
}

/// The quoted text that starts at byte `start` of `source`, and the byte after its closing quote.
///
/// ```
/// use keen_notch_core::phrase::text_at;
///
/// assert_eq!(text_at("of \"crew id\": first 4", 3)?, ("crew id".to_owned(), 12));
/// # Ok::<(), keen_notch_core::phrase::PhraseError>(())
/// ```
///
/// Escapes are `\"`, `\'`, `\\`, `\t`, `\n` and `\u{2013}`.
pub fn text_at(source: &str, start: usize) -> Result<(String, usize), PhraseError> {
    let mut chars = source[start..].char_indices().map(|(offset, c)| (start + offset, c));
    let quote = chars.next().map_or('"', |(_, c)| c);
    let mut text = String::new();
    while let Some((at, c)) = chars.next() {
        match c {
            '\\' => {
                let escape = chars.next();
                match escape {
                    Some((_, c @ ('"' | '\'' | '\\'))) => text.push(c),
                    Some((_, 't')) => text.push('\t'),
                    Some((_, 'n')) => text.push('\n'),
                    Some((_, 'u')) => {
                        let rest = &source[at + 2..];
                        let (c, width) = code_point(rest).ok_or_else(|| {
                            let end = rest.find(|c: char| c == quote || c.is_whitespace()).map_or(source.len(), |n| at + 2 + n);
                            unknown_escape(source, at..end)
                        })?;
                        text.push(c);
                        // The hexadecimal digits and braces are ASCII: one byte per character.
                        chars.nth(width - 1);
                    }
                    Some((_, c)) => return Err(unknown_escape(source, at..at + 1 + c.len_utf8())),
                    None => break,
                }
            }
            c if c == quote => return Ok((text, at + 1)),
            c => text.push(c),
        }
    }
    Err(PhraseError {
        kind: ErrorKind::UnclosedText(quote),
        span: start..source.len(),
        help: format!("close it: `{}{quote}`", &source[start..].trim_end_matches('\\')),
    })
}

fn code_point(rest: &str) -> Option<(char, usize)> {
    let (digits, _) = rest.strip_prefix('{')?.split_once('}')?;
    if digits.is_empty() || digits.len() > 6 || !digits.bytes().all(|b| b.is_ascii_hexdigit()) {
        return None;
    }
    let c = char::from_u32(u32::from_str_radix(digits, 16).ok()?)?;
    Some((c, digits.len() + 2))
}

fn unknown_escape(source: &str, span: Span) -> PhraseError {
    PhraseError {
        kind: ErrorKind::UnknownEscape(source[span.clone()].to_owned()),
        span,
        help: r#"the escapes are `\"`, `\'`, `\\`, `\t`, `\n` and `\u{2013}`; a backslash itself is `\\`"#.to_owned(),
    }
}

fn typographic_quote(source: &str, start: usize, quote: char) -> PhraseError {
    let inside = &source[start + quote.len_utf8()..];
    let end = inside.find(['“', '”', '‘', '’', '«', '»', '"', '\'']);
    let text = &inside[..end.unwrap_or(inside.len())];
    PhraseError {
        kind: ErrorKind::TypographicQuote(quote),
        span: start..start + quote.len_utf8(),
        help: format!("write straight quotes: `\"{text}\"`"),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn texts_resolve_their_escapes() {
        for (source, expected) in [
            (r#""-""#, "-"),
            (r#"'-'"#, "-"),
            (r#""say \"hi\"""#, "say \"hi\""),
            (r#"'it\'s'"#, "it's"),
            (r#""a\tb\nc\\d""#, "a\tb\nc\\d"),
            (r#""\u{2013}x\u{1F680}""#, "\u{2013}x\u{1F680}"),
        ] {
            assert_eq!(text_at(source, 0), Ok((expected.to_owned(), source.len())), "{source}");
        }
    }

    #[test]
    fn tokens_know_their_places() {
        let found = tokens(r#"  sections -2 to 3 by "é" "#).unwrap();
        let kinds: Vec<_> = found.iter().map(|token| (token.span.clone(), token.kind.clone())).collect();
        assert_eq!(
            kinds,
            [
                (2..10, TokenKind::Word("sections".into())),
                (11..13, TokenKind::Number(-2)),
                (14..16, TokenKind::Word("to".into())),
                (17..18, TokenKind::Number(3)),
                (19..21, TokenKind::Word("by".into())),
                (22..26, TokenKind::Text("é".into())),
            ]
        );
        let kinds: Vec<_> = tokens(r"2nd /a\/b/ix, -1.5 1.").unwrap().into_iter().map(|token| token.kind).collect();
        let regex = TokenKind::Regex { pattern: r"a\/b".into(), flags: "ix".into() };
        let [decimal, word] = [TokenKind::Decimal("-1.5".into()), TokenKind::Word("1.".into())];
        assert_eq!(kinds, [TokenKind::Ordinal(2), regex, TokenKind::Comma, decimal, word]);
    }
}
