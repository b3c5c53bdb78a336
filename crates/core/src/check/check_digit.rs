//! Check digits, by the published algorithms.

use crate::phrase::ast::CheckDigit;

/// Verifies the check digit of a code.
///
/// ```
/// use keen_notch_core::check::check_digit::check;
/// use keen_notch_core::phrase::ast::CheckDigit;
///
/// assert_eq!(check(CheckDigit::Luhn, "79927398713"), Ok(()));
/// assert!(check(CheckDigit::Luhn, "79927398710").is_err());
/// ```
///
/// # Errors
/// One sentence, without its full stop.
pub fn check(algorithm: CheckDigit, code: &str) -> Result<(), String> {
    match algorithm {
        CheckDigit::Luhn => holds(luhn(&digits(code)?)),
        CheckDigit::Gs1 => holds(gs1(&digits(code)?)),
        CheckDigit::Isbn10 => isbn10(code),
        CheckDigit::Mod97 => mod97(code),
        CheckDigit::Mod112 => mod11_2(code),
        CheckDigit::Iban => iban(code),
        CheckDigit::Verhoeff => holds(verhoeff(&digits(code)?)),
        CheckDigit::Damm => holds(damm(&digits(code)?)),
    }
}

/// Appends `code` to `out` with its check digits: at the end, or in an IBAN after the country code. Returns false, and appends no text, if
/// the code is invalid.
///
/// ```
/// use keen_notch_core::check::check_digit::add;
/// use keen_notch_core::phrase::ast::CheckDigit;
///
/// let mut out = String::new();
/// assert!(add(CheckDigit::Luhn, "7992739871", &mut out));
/// assert_eq!(out, "79927398713");
/// ```
pub fn add(algorithm: CheckDigit, code: &str, out: &mut String) -> bool {
    let start = out.len();
    let mut is_right = |before: &str, digits: std::fmt::Arguments, after: &str| {
        use std::fmt::Write as _;

        out.truncate(start);
        // Writing to a text cannot fail.
        let _ = write!(out, "{before}{digits}{after}");
        check(algorithm, &out[start..]).is_ok()
    };
    let found = match algorithm {
        // ISO/IEC 7064: 98 minus a remainder below 97.
        CheckDigit::Mod97 => (2..=98).any(|digits| is_right(code, format_args!("{digits:02}"), "")),
        CheckDigit::Iban => code
            .split_at_checked(2)
            .is_some_and(|(country, rest)| (2..=98).any(|digits| is_right(country, format_args!("{digits:02}"), rest))),
        CheckDigit::Isbn10 | CheckDigit::Mod112 => {
            (0..10).any(|digit| is_right(code, format_args!("{digit}"), "")) || is_right(code, format_args!("X"), "")
        }
        CheckDigit::Luhn | CheckDigit::Gs1 | CheckDigit::Verhoeff | CheckDigit::Damm => {
            (0..10).any(|digit| is_right(code, format_args!("{digit}"), ""))
        }
    };
    if !found {
        out.truncate(start);
    }
    found
}

fn holds(good: bool) -> Result<(), String> {
    if good { Ok(()) } else { Err("its check digit is not correct".to_owned()) }
}

fn digits(code: &str) -> Result<Vec<u8>, String> {
    digits_and_x(code, false)
}

/// The same, but the last character may be an X for 10.
fn digits_and_x(code: &str, x_at_end: bool) -> Result<Vec<u8>, String> {
    let count = code.chars().count();
    if count < 2 {
        return Err("it is too short to have a check digit".to_owned());
    }
    let digit = |(index, c): (usize, char)| match c {
        '0'..='9' => Ok(c as u8 - b'0'),
        'X' if x_at_end && index + 1 == count => Ok(10),
        _ => Err(format!("character {} is not a digit", index + 1)),
    };
    code.chars().enumerate().map(digit).collect()
}

/// ISO/IEC 7812-1, annex B: from the right, every second digit is doubled and its digits are added.
fn luhn(digits: &[u8]) -> bool {
    let value = |(index, digit): (usize, &u8)| match u32::from(*digit) * if index % 2 == 1 { 2 } else { 1 } {
        doubled @ 10.. => doubled - 9,
        single => single,
    };
    digits.iter().rev().enumerate().map(value).sum::<u32>().is_multiple_of(10)
}

/// GS1 General Specifications, 7.9: from the right, weights 1 and 3 in turn.
fn gs1(digits: &[u8]) -> bool {
    let value = |(index, digit): (usize, &u8)| u32::from(*digit) * if index % 2 == 1 { 3 } else { 1 };
    digits.iter().rev().enumerate().map(value).sum::<u32>().is_multiple_of(10)
}

/// ISO 2108 (1992): ten places, weights 10 to 1, modulus 11, X for 10.
fn isbn10(code: &str) -> Result<(), String> {
    let digits = digits_and_x(code, true)?;
    if digits.len() != 10 {
        return Err(format!("it has {} characters, not 10", digits.len()));
    }
    holds((1..=10).rev().zip(&digits).map(|(weight, digit)| weight * u32::from(*digit)).sum::<u32>().is_multiple_of(11))
}

/// ISO/IEC 7064 MOD 97-10; letters count as 10 to 35.
fn mod97(code: &str) -> Result<(), String> {
    if code.len() < 3 {
        return Err("it is too short to have two check digits".to_owned());
    }
    holds(remainder97(code)? == 1)
}

fn remainder97(code: &str) -> Result<u32, String> {
    code.chars().enumerate().try_fold(0, |remainder, (index, c)| match c {
        '0'..='9' => Ok((remainder * 10 + u32::from(c) - u32::from('0')) % 97),
        'A'..='Z' => Ok((remainder * 100 + u32::from(c) - u32::from('A') + 10) % 97),
        _ => Err(format!("character {} is neither a digit nor a capital letter", index + 1)),
    })
}

/// ISO/IEC 7064 MOD 11-2, X for 10.
fn mod11_2(code: &str) -> Result<(), String> {
    let digits = digits_and_x(code, true)?;
    let (check, rest) = digits.split_last().map_or((0, [].as_slice()), |(check, rest)| (*check, rest));
    let product = rest.iter().fold(0, |product, digit| (product + u32::from(*digit)) * 2 % 11);
    holds((product + u32::from(check)) % 11 == 1)
}

/// The lengths of the countries' numbers in the registry of ISO 13616.
const IBAN_LENGTHS: &str = "AD24 AE23 AL28 AT20 AZ28 BA20 BE16 BG22 BH22 BI27 BR29 BY28 CH21 CR22 CY28 CZ24 DE22 DJ27 DK18 DO28 \
    EE20 EG29 ES24 FI18 FK18 FO18 FR27 GB22 GE22 GI23 GL18 GR27 GT28 HN28 HR21 HU28 IE22 IL23 IQ23 IS26 IT27 JO30 KW30 KZ20 LB28 \
    LC32 LI21 LT20 LU20 LV21 LY25 MC27 MD24 ME22 MK19 MN20 MR27 MT31 MU30 NI28 NL18 NO15 OM23 PK24 PL28 PS29 PT25 QA29 RO24 RS22 \
    RU33 SA24 SC31 SD18 SE24 SI19 SK24 SM27 SO23 ST25 SV28 TL23 TN24 TR26 UA29 VA22 VG24 XK20 YE30";

/// ISO 13616: country code and length, two check digits, MOD 97-10 with the first four characters moved to the end.
fn iban(code: &str) -> Result<(), String> {
    if let Some(at) = code.chars().position(|c| !c.is_ascii_digit() && !c.is_ascii_uppercase()) {
        return Err(format!("character {} is neither a digit nor a capital letter", at + 1));
    }
    let (Some(country), Some(check)) = (code.get(..2), code.get(2..4)) else {
        return Err("it is too short for a country and two check digits".to_owned());
    };
    let length = IBAN_LENGTHS.split_whitespace().find_map(|entry| entry.strip_prefix(country)?.parse::<usize>().ok());
    match length {
        None => return Err(format!("{country} is not the code of a country that has IBANs")),
        Some(length) if length != code.len() => {
            return Err(format!("it has {} characters; codes of {country} have {length}", code.len()));
        }
        Some(_) => {}
    }
    if !check.bytes().all(|byte| byte.is_ascii_digit()) {
        return Err("characters 3 and 4 are not the two check digits".to_owned());
    }
    // Check digits are 98 minus a remainder, so 00, 01 and 99 do not occur.
    let is_given = !matches!(check, "00" | "01" | "99");
    holds(is_given && remainder97(&format!("{}{country}{check}", &code[4..]))? == 1)
}

/// J. Verhoeff, Error Detecting Decimal Codes (1969): the dihedral group of order ten with a positional permutation.
fn verhoeff(digits: &[u8]) -> bool {
    const PERMUTED: [u8; 10] = [1, 5, 7, 6, 2, 8, 3, 0, 9, 4];
    let product = |a: u8, b: u8| match (a < 5, b < 5) {
        (true, true) => (a + b) % 5,
        (true, false) => 5 + (a + b - 5) % 5,
        (false, true) => 5 + (a - 5 + 5 - b) % 5,
        (false, false) => (a + 5 - b) % 5,
    };
    let permuted = |digit: u8, times: usize| (0..times).fold(digit, |digit, _| PERMUTED[usize::from(digit)]);
    digits.iter().rev().enumerate().fold(0, |check, (place, digit)| product(check, permuted(*digit, place % 8))) == 0
}

/// H. M. Damm, Total anti-symmetrische Quasigruppen (2004): one table lookup per digit.
fn damm(digits: &[u8]) -> bool {
    const TABLE: [[u8; 10]; 10] = [
        [0, 3, 1, 7, 5, 9, 8, 6, 4, 2],
        [7, 0, 9, 2, 1, 5, 4, 8, 6, 3],
        [4, 2, 0, 6, 8, 7, 1, 3, 5, 9],
        [1, 7, 5, 0, 9, 8, 3, 4, 2, 6],
        [6, 1, 2, 3, 0, 4, 5, 9, 7, 8],
        [3, 6, 7, 4, 2, 0, 9, 5, 8, 1],
        [5, 8, 6, 9, 7, 2, 0, 1, 3, 4],
        [8, 9, 4, 5, 3, 6, 2, 0, 1, 7],
        [9, 4, 3, 8, 6, 1, 7, 2, 0, 5],
        [2, 5, 8, 1, 4, 3, 6, 7, 9, 0],
    ];
    digits.iter().fold(0u8, |interim, digit| TABLE[usize::from(interim)][usize::from(*digit)]) == 0
}

#[cfg(test)]
mod tests {
    use super::*;
    use CheckDigit::{Damm, Gs1, Iban, Isbn10, Luhn, Mod97, Mod112, Verhoeff};

    const GOOD: [(CheckDigit, &str); 15] = [
        (Luhn, "79927398713"),
        (Luhn, "4539578763621486"),
        (Gs1, "4006381333931"),
        (Gs1, "73513537"),
        (Gs1, "614141000036"),
        (Isbn10, "0306406152"),
        (Isbn10, "080442957X"),
        (Mod97, "79444"),
        (Mod112, "0000000218250097"),
        (Mod112, "000000021694233X"),
        (Iban, "GB82WEST12345698765432"),
        (Iban, "DE89370400440532013000"),
        (Iban, "NO9386011117947"),
        (Verhoeff, "2363"),
        (Damm, "5724"),
    ];

    fn is_good(algorithm: CheckDigit, code: &str) -> bool {
        check(algorithm, code).is_ok()
    }

    #[test]
    fn published_numbers_are_good() {
        for (algorithm, code) in GOOD {
            assert_eq!(check(algorithm, code), Ok(()), "{algorithm:?} {code}");
        }
        assert!(!is_good(Luhn, "79927398710"));
    }

    #[test]
    fn every_single_wrong_digit_is_caught() {
        for (algorithm, code) in GOOD {
            for at in 0..code.len() {
                for digit in b'0'..=b'9' {
                    let mut wrong = code.as_bytes().to_vec();
                    let digit_there = std::mem::replace(&mut wrong[at], digit);
                    let wrong = String::from_utf8(wrong).unwrap();
                    assert!(digit_there == digit || !is_good(algorithm, &wrong), "{algorithm:?} {wrong}");
                }
            }
        }
    }

    #[test]
    fn promised_swaps_of_neighbours_are_caught() {
        for (algorithm, code) in GOOD {
            for at in 1..code.len() {
                let mut swapped = code.as_bytes().to_vec();
                swapped.swap(at - 1, at);
                let pair = (swapped[at - 1], swapped[at]);
                let swapped = String::from_utf8(swapped).unwrap();
                let promised = match algorithm {
                    // Luhn accepts 09 for 90, and GS1 accepts swaps of digits that differ by five.
                    Luhn => !matches!(pair, (b'0', b'9') | (b'9', b'0')),
                    Gs1 => pair.0.abs_diff(pair.1) != 5,
                    _ => true,
                };
                assert!(pair.0 == pair.1 || !promised || !is_good(algorithm, &swapped), "{algorithm:?} {swapped}");
            }
        }
    }

    #[test]
    fn the_added_check_digit_is_the_published_one() {
        for (algorithm, code) in GOOD {
            let without = match algorithm {
                Iban => format!("{}{}", &code[..2], &code[4..]),
                Mod97 => code[..code.len() - 2].to_owned(),
                _ => code[..code.len() - 1].to_owned(),
            };
            let mut out = "before ".to_owned();
            assert!(add(algorithm, &without, &mut out), "{algorithm:?} {without}");
            assert_eq!(out, format!("before {code}"));
        }
        let mut out = "before".to_owned();
        for (algorithm, code) in [(Luhn, "12-4"), (Isbn10, "12"), (Iban, "é"), (Iban, "GB1"), (Gs1, ""), (Mod97, "ab")] {
            assert!(!add(algorithm, code, &mut out) && out == "before", "{algorithm:?} {code}: {out}");
        }
    }

    #[test]
    fn invalid_numbers_have_a_reason() {
        for (algorithm, code, reason) in [
            (Luhn, "7", "it is too short to have a check digit"),
            (Luhn, "7992739871O", "character 11 is not a digit"),
            (Isbn10, "X306406152", "character 1 is not a digit"),
            (Isbn10, "03064061", "it has 8 characters, not 10"),
            (Mod97, "79-44", "character 3 is neither a digit nor a capital letter"),
            (Iban, "GB82WEST1234569876543", "it has 21 characters; codes of GB have 22"),
            (Iban, "ZZ82WEST12345698765432", "ZZ is not the code of a country that has IBANs"),
            (Iban, "GBX2WEST12345698765432", "characters 3 and 4 are not the two check digits"),
            (Iban, "GB82 WEST 1234", "character 5 is neither a digit nor a capital letter"),
            (Iban, "GB", "it is too short for a country and two check digits"),
            (Damm, "5742", "its check digit is not correct"),
        ] {
            assert_eq!(check(algorithm, code), Err(reason.to_owned()), "{algorithm:?} {code}");
        }
    }
}
