//! Compares checks with other packages, or with arithmetic in another notation.

use keen_notch_core::check::check_digit::check;
use keen_notch_core::check::email;
use keen_notch_core::phrase::ast::CheckDigit;
use keen_notch_core::toml_text::{toml_key, toml_text};
use proptest::prelude::*;

/// The remainder of a number written in digits, of any length.
fn remainder(digits: &str, by: u32) -> u32 {
    digits.bytes().fold(0, |rest, digit| (rest * 10 + u32::from(digit - b'0')) % by)
}

/// Letters as numbers from 10, as in ISO 7064 and IBANs.
fn in_digits(text: &str) -> String {
    text.chars().map(|c| c.to_digit(36).unwrap().to_string()).collect()
}

/// Luhn's sum: from the right, every second digit is doubled and its digits are added.
fn luhn_sum(code: &str) -> u32 {
    let doubled = |digit: u32| [0, 2, 4, 6, 8, 1, 3, 5, 7, 9][digit as usize];
    let digits = code.chars().rev().map(|c| c.to_digit(10).unwrap());
    digits.enumerate().map(|(place, digit)| if place % 2 == 1 { doubled(digit) } else { digit }).sum()
}

/// GS1's sum, from the right: weights 1 and 3 in turn.
fn gs1_sum(code: &str) -> u32 {
    let digits = code.chars().rev().map(|c| c.to_digit(10).unwrap());
    digits.zip([1, 3].into_iter().cycle()).map(|(digit, weight)| digit * weight).sum()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(if cfg!(debug_assertions) { 400 } else { 20_000 }))]

    #[test]
    fn sums_are_those_of_the_definitions(code in "[0-9]{2,20}") {
        prop_assert_eq!(check(CheckDigit::Luhn, &code).is_ok(), luhn_sum(&code).is_multiple_of(10));
        prop_assert_eq!(check(CheckDigit::Gs1, &code).is_ok(), gs1_sum(&code).is_multiple_of(10));
    }

    #[test]
    fn codes_of_mod_97_leave_one(body in "[0-9A-Z]{1,24}", digits in "[0-9]{2}") {
        let code = format!("{body}{digits}");
        prop_assert_eq!(check(CheckDigit::Mod97, &code).is_ok(), remainder(&in_digits(&code), 97) == 1, "{}", code);
        // Exactly one pair of digits is correct.
        let good = (2..=98).filter(|n| check(CheckDigit::Mod97, &format!("{body}{n:02}")).is_ok()).count();
        prop_assert_eq!(good, 1, "{}", body);
    }

    #[test]
    fn account_numbers_are_turned_round(account in "[0-9]{18}", digits in "[0-9]{2}") {
        let code = format!("DE{digits}{account}");
        let turned = in_digits(&format!("{account}DE{digits}"));
        // 00, 01 and 99 have the remainders of 97, 98 and 02, and do not occur.
        let is_given = (2..=98).contains(&digits.parse::<u32>().unwrap());
        prop_assert_eq!(check(CheckDigit::Iban, &code).is_ok(), is_given && remainder(&turned, 97) == 1, "{}", code);
    }

    #[test]
    fn valid_addresses_are_valid_for_another_library(address in "[a-zA-Z0-9.!#$%&'*+/=?^_`{|}~@ -]{1,30}|[a-z.]{1,8}@[a-z0-9.-]{1,20}") {
        if email::check(&address).is_ok() {
            prop_assert!(email_address::EmailAddress::is_valid(&address), "{}", address);
        }
    }

    #[test]
    fn usual_addresses_pass(local in "[a-z0-9]{1,10}([.+_-][a-z0-9]{1,6}){0,3}", domain in "[a-z]{2,10}(-[a-z0-9]{2,6})?(\\.[a-z]{2,8}){1,3}") {
        let address = format!("{local}@{domain}");
        prop_assert!(email_address::EmailAddress::is_valid(&address), "{}", address);
        prop_assert_eq!(email::check(&address), Ok(()), "{}", address);
    }

    #[test]
    fn texts_and_keys_parse_again(text in "[a-z'\"\\\\ \t\n\u{1}\u{7f}é.#=\\[\\]-]{0,12}", key in "[a-zA-Z0-9_' \".\n-]{0,8}") {
        let table: toml::Table = format!("{} = {}", toml_key(&key), toml_text(&text)).parse().unwrap();
        prop_assert_eq!(table.get(&key).and_then(|value| value.as_str()), Some(text.as_str()));
    }
}
