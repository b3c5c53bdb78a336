//! Characters that resemble others.

use unicode_security::confusable_detection::skeleton;

/// The keyboard character that another resembles: dashes, spaces, quotes, slashes, colons, dots and commas, from the table of Unicode
/// Technical Standard #39.
pub(crate) fn looks_like(c: char) -> Option<char> {
    Some(match c {
        '\u{2010}'..='\u{2015}' | '\u{2212}' | '\u{2043}' | '\u{02d7}' | '\u{fe58}' | '\u{fe63}' | '\u{ff0d}' => '-',
        '\u{a0}' | '\u{2000}'..='\u{200a}' | '\u{202f}' | '\u{205f}' | '\u{3000}' | '\t' => ' ',
        '\u{2018}' | '\u{2019}' | '\u{201b}' | '\u{2032}' | '\u{02bc}' | '\u{00b4}' | '\u{ff07}' => '\'',
        '\u{201c}'..='\u{201f}' | '\u{2033}' | '\u{00ab}' | '\u{00bb}' | '\u{ff02}' => '"',
        '\u{2044}' | '\u{2215}' | '\u{ff0f}' | '\u{29f8}' => '/',
        '\u{ff1a}' | '\u{2236}' | '\u{a789}' | '\u{02d0}' => ':',
        '\u{ff0c}' | '\u{201a}' | '\u{060c}' => ',',
        '\u{ff0e}' | '\u{2024}' => '.',
        '\u{ff1b}' | '\u{037e}' => ';',
        '\u{ff3f}' | '\u{02cd}' => '_',
        '\u{ff20}' => '@',
        '\u{ff5c}' | '\u{2223}' | '\u{01c0}' => '|',
        _ => return None,
    })
}

pub const fn digit_of(letter: char) -> Option<char> {
    Some(match letter {
        'O' | 'o' | 'Q' => '0',
        'l' | 'I' | 'i' => '1',
        'Z' | 'z' => '2',
        'S' | 's' => '5',
        'B' => '8',
        _ => return None,
    })
}

/// The ASCII letter that another letter resembles, such as the Latin A for the Cyrillic А: the skeleton of Unicode Technical Standard
/// #39, if it is one ASCII letter.
pub(crate) fn latin_of(letter: char) -> Option<char> {
    if letter.is_ascii() || !letter.is_alphabetic() {
        return None;
    }
    let text = letter.to_string();
    let mut skeleton = skeleton(&text);
    let first = skeleton.next().filter(char::is_ascii_alphabetic)?;
    skeleton.next().is_none().then_some(first)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn letters_that_look_like_latin_ones() {
        for (letter, expected) in [('А', Some('A')), ('р', Some('p')), ('Ο', Some('O')), ('ü', None), ('A', None), ('東', None)]
        {
            assert_eq!(latin_of(letter), expected, "{letter}");
        }
        assert_eq!((looks_like('–'), looks_like('-'), digit_of('O')), (Some('-'), None, Some('0')));
    }
}
