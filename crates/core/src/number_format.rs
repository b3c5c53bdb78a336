//! Number formats of workbooks, such as `00000`, which displays 385 as `00385`.
//!
//! The syntax is in ECMA-376, part 1, section 18.8.31. Formats for dates, times, fractions and exponents are not supported here.

#[derive(Debug, Clone, PartialEq)]
pub struct NumberFormat {
    /// Without conditions: the sections for positive numbers, negative numbers and zero. With conditions, the first matching section
    /// applies.
    sections: Vec<Section>,
}

#[derive(Debug, Clone, Copy, PartialEq)]
struct Condition {
    operator: Operator,
    limit: f64,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Operator {
    Less,
    LessOrEqual,
    Equal,
    NotEqual,
    GreaterOrEqual,
    Greater,
}

impl Condition {
    fn parse(text: &str) -> Option<Condition> {
        let operators = [
            ("<=", Operator::LessOrEqual),
            ("<>", Operator::NotEqual),
            (">=", Operator::GreaterOrEqual),
            ("<", Operator::Less),
            (">", Operator::Greater),
            ("=", Operator::Equal),
        ];
        let (operator, limit) =
            operators.into_iter().find_map(|(sign, operator)| Some((operator, text.strip_prefix(sign)?)))?;
        Some(Condition { operator, limit: limit.trim().parse().ok()? })
    }

    fn holds(self, number: f64) -> bool {
        match self.operator {
            Operator::Less => number < self.limit,
            Operator::LessOrEqual => number <= self.limit,
            Operator::Equal => number == self.limit,
            Operator::NotEqual => number != self.limit,
            Operator::GreaterOrEqual => number >= self.limit,
            Operator::Greater => number > self.limit,
        }
    }

    /// Whether only negative numbers match. Such a section shows no sign.
    fn is_negative(self) -> bool {
        match self.operator {
            Operator::Less => self.limit <= 0.0,
            Operator::LessOrEqual | Operator::Equal => self.limit < 0.0,
            _ => false,
        }
    }
}

#[derive(Debug, Clone, PartialEq, Default)]
struct Section {
    condition: Option<Condition>,
    is_text: bool,
    parts: Vec<FormatToken>,
    has_thousands: bool,
    /// The power of ten by which the number is multiplied.
    scale: i32,
    decimals: Option<usize>,
}

#[derive(Debug, Clone, PartialEq, Eq)]
enum FormatToken {
    Text(String),
    Digit(char, bool),
    General,
    Point,
}

/// Significant digits that a workbook stores.
pub const DIGITS: usize = 15;

impl NumberFormat {
    /// Parses a format. `None` if it is unsupported or has no effect, like `General`.
    ///
    /// ```
    /// use keen_notch_core::number_format::NumberFormat;
    ///
    /// let format = NumberFormat::parse("00000").unwrap();
    /// assert_eq!(format.show(385.0), "00385");
    /// assert_eq!(NumberFormat::parse("General"), None);
    /// ```
    pub fn parse(code: &str) -> Option<NumberFormat> {
        let mut sections = vec![Section::default()];
        let mut chars = code.chars().peekable();
        let mut commas = 0;
        while let Some(c) = chars.next() {
            let section = sections.last_mut()?;
            let is_after_point = section.decimals.is_some();
            if c != ',' && !matches!(c, '0' | '#' | '?') && commas > 0 {
                // Each comma after the last digit divides by a thousand.
                section.scale -= 3 * commas;
                commas = 0;
            }
            match c {
                '0' | '#' | '?' => {
                    section.has_thousands |= commas > 0;
                    commas = 0;
                    section.parts.push(FormatToken::Digit(c, is_after_point));
                    section.decimals = section.decimals.map(|decimals| decimals + 1);
                }
                '.' if section.decimals.is_none() => {
                    section.decimals = Some(0);
                    section.parts.push(FormatToken::Point);
                }
                ',' if section.parts.iter().any(|part| matches!(part, FormatToken::Digit(..))) => commas += 1,
                '%' => {
                    section.scale += 2;
                    section.text("%");
                }
                '"' => {
                    let text: String = chars.by_ref().take_while(|c| *c != '"').collect();
                    section.text(&text);
                }
                '\\' => section.text(&chars.next()?.to_string()),
                // Padding of one character's width, or a repeated fill character.
                '_' | '*' => drop(chars.next()?),
                '[' => {
                    let inside: String = chars.by_ref().take_while(|c| *c != ']').collect();
                    match inside.strip_prefix('$') {
                        Some(currency) => section.text(currency.split('-').next().unwrap_or_default()),
                        None if inside.starts_with(['<', '>', '=']) => section.condition = Some(Condition::parse(&inside)?),
                        // A colour.
                        None if inside.len() > 2 && inside.chars().all(|c| c.is_ascii_alphanumeric()) => {}
                        None => return None,
                    }
                }
                ';' => sections.push(Section::default()),
                '@' => section.is_text = true,
                'G' | 'g' if chars.clone().take(6).collect::<String>().eq_ignore_ascii_case("eneral") => {
                    chars.by_ref().take(6).for_each(drop);
                    section.parts.push(FormatToken::General);
                }
                ' ' | '$' | '-' | '+' | '(' | ')' | ':' | '!' | '^' | '&' | '\'' | '~' | '{' | '}' | '<' | '>' | '=' => {
                    section.text(&c.to_string());
                }
                c if !c.is_ascii() => section.text(&c.to_string()),
                // Letters of date formats, exponents and `General`, and fractions.
                _ => return None,
            }
        }
        if commas > 0 {
            sections.last_mut()?.scale -= 3 * commas;
        }
        // The fourth section formats text.
        sections.truncate(3);
        sections.retain(|section| !section.is_text);
        let is_number = |part: &FormatToken| matches!(part, FormatToken::Digit(..) | FormatToken::General);
        let has_number = sections.iter().any(|section| section.parts.iter().any(is_number));
        let is_general = matches!(sections.as_slice(), [Section { parts, .. }] if *parts == [FormatToken::General]);
        (has_number && !is_general).then_some(NumberFormat { sections })
    }

    pub fn show(&self, number: f64) -> String {
        let section = |index: usize| self.sections.get(index);
        let (section, has_sign) = if self.sections.iter().any(|section| section.condition.is_some()) {
            let holds = |section: &&Section| section.condition.is_none_or(|condition| condition.holds(number));
            let Some(section) = self.sections.iter().find(holds) else { return plain(number) };
            (section, number < 0.0 && !section.condition.is_some_and(Condition::is_negative))
        } else {
            match number {
                n if n < 0.0 => section(1).map_or((&self.sections[0], true), |section| (section, false)),
                0.0 => (section(2).unwrap_or(&self.sections[0]), false),
                _ => (&self.sections[0], false),
            }
        };
        let shown = section.show(number.abs());
        let is_zero = shown.bytes().all(|byte| !matches!(byte, b'1'..=b'9'));
        if has_sign && !is_zero { format!("-{shown}") } else { shown }
    }
}

impl Section {
    fn text(&mut self, text: &str) {
        match self.parts.last_mut() {
            Some(FormatToken::Text(last)) => last.push_str(text),
            _ => self.parts.push(FormatToken::Text(text.to_owned())),
        }
    }

    fn show(&self, number: f64) -> String {
        let (whole, decimals) = rounded(number, self.scale, self.decimals.unwrap_or(0));
        let places = self.parts.iter().filter(|part| matches!(part, FormatToken::Digit(_, false))).count();
        let whole = if whole == "0" { "" } else { &*whole };
        let mut out = String::new();
        // The integer digits fill their places from the right; extra digits go to the first place.
        let mut place = places.max(whole.len());
        let digit = |place: usize| whole.len().checked_sub(place).map(|index| &whole[index..=index]);
        let comma = |place: usize| if self.has_thousands && place > 1 && place % 3 == 1 { "," } else { "" };
        let mut is_begun = false;
        let mut after = decimals.chars();
        for (index, part) in self.parts.iter().enumerate() {
            match part {
                FormatToken::Text(text) => out.push_str(text),
                FormatToken::General => out.push_str(&plain(number)),
                FormatToken::Digit(kind, false) => {
                    let rest =
                        self.parts[index + 1..].iter().filter(|part| matches!(part, FormatToken::Digit(_, false))).count();
                    while place > rest {
                        match digit(place) {
                            Some(digit) => {
                                out.push_str(digit);
                                is_begun = true;
                            }
                            None if *kind == '0' => {
                                out.push('0');
                                is_begun = true;
                            }
                            None if *kind == '?' => out.push(' '),
                            None => {}
                        }
                        if is_begun {
                            out.push_str(comma(place));
                        }
                        place -= 1;
                    }
                }
                FormatToken::Point => out.push('.'),
                FormatToken::Digit(kind, true) => {
                    let digit = after.next().unwrap_or('0');
                    let is_needed = *kind == '0' || digit != '0' || after.as_str().bytes().any(|byte| byte != b'0');
                    match (is_needed, kind) {
                        (true, _) => out.push(digit),
                        (false, '?') => out.push(' '),
                        _ => {}
                    }
                }
            }
        }
        out
    }
}

/// The parts of a date and time that a format shows.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Moment {
    Date,
    DateAndTime,
    Time,
    /// Days and parts of them, such as `[h]:mm`.
    Duration,
}

/// The parts of a date and time that a format shows. `None` for a format of numbers.
///
/// ```
/// use keen_notch_core::number_format::{Moment, moment};
///
/// assert_eq!(moment("dd.mm.yyyy"), Some(Moment::Date));
/// assert_eq!(moment("[h]:mm"), Some(Moment::Duration));
/// assert_eq!(moment("0.00 \"days\""), None);
/// ```
pub fn moment(code: &str) -> Option<Moment> {
    let mut chars = code.chars();
    // The letters of the fields, in order.
    let mut fields = String::new();
    while let Some(c) = chars.next() {
        match c.to_ascii_lowercase() {
            field @ ('d' | 'm' | 'y' | 'h' | 's') if fields.ends_with(field) => {}
            field @ ('d' | 'm' | 'y' | 'h' | 's') => fields.push(field),
            'a' if chars.clone().take(4).collect::<String>().eq_ignore_ascii_case("m/pm") => {
                chars.by_ref().take(4).for_each(drop);
                fields.push('a');
            }
            'a' if chars.clone().take(2).collect::<String>().eq_ignore_ascii_case("/p") => {
                chars.by_ref().take(2).for_each(drop);
                fields.push('a');
            }
            '"' => drop(chars.by_ref().find(|c| *c == '"')),
            '\\' | '_' | '*' => drop(chars.next()),
            '[' => {
                let inside: String = chars.by_ref().take_while(|c| *c != ']').collect();
                let inside = inside.to_ascii_lowercase();
                if !inside.is_empty() && ["h", "m", "s"].iter().any(|unit| inside.replace(unit, "").is_empty()) {
                    return Some(Moment::Duration);
                }
            }
            // Other sections apply to other numbers.
            ';' => break,
            _ => {}
        }
    }
    // An m next to hours or seconds means minutes.
    let fields = fields.replace("hm", "h").replace("ms", "s");
    match (fields.contains(['d', 'm', 'y']), fields.contains(['h', 's', 'a'])) {
        (true, true) => Some(Moment::DateAndTime),
        (true, false) => Some(Moment::Date),
        (false, true) => Some(Moment::Time),
        (false, false) => None,
    }
}

/// The number of significant digits, as written.
pub fn digits(number: &str) -> usize {
    let mantissa = number.split(['e', 'E']).next().unwrap_or_default();
    let digits: String = mantissa.chars().filter(char::is_ascii_digit).collect();
    let whole = digits.trim_start_matches('0');
    if mantissa.contains('.') { whole.len() } else { whole.trim_end_matches('0').len() }
}

/// A non-negative number times a power of ten, rounded to some decimals, halves up: its digits before and after the point.
fn rounded(number: f64, scale: i32, decimals: usize) -> (String, String) {
    let (digits, point) = significant(number);
    let point = point + scale;
    // The number of digits to keep.
    let kept = point + decimals as i32;
    let mut all: Vec<u8> = match usize::try_from(kept) {
        Err(_) => Vec::new(),
        Ok(kept) => {
            let mut all: Vec<u8> = digits.bytes().take(kept).map(|digit| digit - b'0').collect();
            all.resize(kept, 0);
            all
        }
    };
    let is_up =
        usize::try_from(kept).ok().and_then(|kept| digits.as_bytes().get(kept).copied()).is_some_and(|digit| digit >= b'5');
    if is_up {
        let mut at = all.len();
        loop {
            let Some(before) = at.checked_sub(1) else {
                all.insert(0, 1);
                break;
            };
            at = before;
            all[at] += 1;
            if all[at] < 10 {
                break;
            }
            all[at] = 0;
        }
    }
    while all.len() <= decimals {
        all.insert(0, 0);
    }
    let text: String = all.iter().map(|digit| char::from(b'0' + digit)).collect();
    let (whole, after) = text.split_at(text.len() - decimals);
    let whole = whole.trim_start_matches('0');
    (if whole.is_empty() { "0" } else { whole }.to_owned(), after.to_owned())
}

/// The digits that a workbook stores for a non-negative number, without trailing zeros, and how many of them precede the point.
fn significant(number: f64) -> (String, i32) {
    let shown = format!("{number:.*e}", DIGITS - 1);
    let (mantissa, exponent) = shown.split_once('e').unwrap_or((&shown, "0"));
    let digits: String = mantissa.chars().filter(char::is_ascii_digit).collect();
    let digits = digits.trim_end_matches('0');
    if digits.is_empty() { ("0".to_owned(), 1) } else { (digits.to_owned(), exponent.parse::<i32>().unwrap_or(0) + 1) }
}

/// Formats a number in the General format: without an exponent, and without a point if it is whole.
pub fn plain(number: f64) -> String {
    let (digits, point) = significant(number.abs());
    let sign = if number < 0.0 && digits != "0" { "-" } else { "" };
    let count = digits.len() as i32;
    match usize::try_from(point) {
        Ok(0) | Err(_) => format!("{sign}0.{}{digits}", "0".repeat(point.unsigned_abs() as usize)),
        Ok(whole) if point >= count => format!("{sign}{digits}{}", "0".repeat(whole - digits.len())),
        Ok(whole) => format!("{sign}{}.{}", &digits[..whole], &digits[whole..]),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_are_shown_as_their_formats_say() {
        for (code, number, shown) in [
            ("00000", 385.0, "00385"),
            ("00000", 1_234_567.0, "1234567"),
            ("0", 2.5, "3"),
            ("0", 0.4, "0"),
            ("#", 0.0, ""),
            ("0.00", 3.1449, "3.14"),
            ("0.00", 1.005, "1.01"),
            ("0.0##", 2.5, "2.5"),
            ("0.0##", 2.0, "2.0"),
            ("#,##0", 1_234_567.4, "1,234,567"),
            ("#,##0", 12.0, "12"),
            ("#,##0.00", 1234.5, "1,234.50"),
            ("0,000", 5.0, "0,005"),
            ("0,", 12_345.0, "12"),
            ("0.0,,", 1_250_000.0, "1.3"),
            ("0%", 0.125, "13%"),
            ("0.0%", 0.125, "12.5%"),
            ("000-00-0000", 123_456_789.0, "123-45-6789"),
            ("000-000", 1234.0, "001-234"),
            ("\"GRP-\"00000000", 41_273.0, "GRP-00041273"),
            ("\\W\\O0", 7.0, "WO7"),
            ("0\" mm\"", 12.0, "12 mm"),
            ("[$€-407] 0.00", 2.0, "€ 2.00"),
            ("[Red]0;(0)", -5.0, "(5)"),
            ("0_);(0)", 5.0, "5"),
            ("0;-0;\"none\"", 0.0, "none"),
            ("0.0", -2.26, "-2.3"),
            ("0", -0.2, "0"),
            ("???", 5.0, "  5"),
            ("0.99", 0.0, ""),
            ("[<=99999]00000;00000\\-0000", 1234.0, "01234"),
            ("[<=99999]00000;00000\\-0000", 12_345_678.0, "01234-5678"),
            ("[<=9999999]###\\-####;\\(###\\)\\ ###\\-####", 5_551_234.0, "555-1234"),
            ("[<=9999999]###\\-####;\\(###\\)\\ ###\\-####", 5_555_551_234.0, "(555) 555-1234"),
            ("00000;@", 385.0, "00385"),
            ("00000;@", -385.0, "-00385"),
            ("00000;-00000;@", -385.0, "-00385"),
            ("00000;-00000;@", 0.0, "00000"),
            ("00000;-00000;00000;@", 0.0, "00000"),
            ("@;00000", 385.0, "00385"),
            ("[=0]\"no\";[=1]\"yes\";General", 0.0, "no"),
            ("[=0]\"no\";[=1]\"yes\";General", -2.5, "-2.5"),
            ("[>100]0.0", 5.25, "5.25"),
            ("[>100]0.0", 105.25, "105.3"),
            ("[<0]\"neg \"0;0", -7.0, "neg 7"),
            ("[<100]000;0", -7.0, "-007"),
            ("[Red][<>5]00;\"five\"", 5.0, "five"),
            ("General\" kg\"", 2.5, "2.5 kg"),
        ] {
            if shown.is_empty() && code == "0.99" {
                assert_eq!(NumberFormat::parse(code), None);
                continue;
            }
            assert_eq!(NumberFormat::parse(code).map(|format| format.show(number)).as_deref(), Some(shown), "{code} {number}");
        }
        for code in ["General", "", "@", "yyyy-mm-dd", "h:mm", "# ?/?", "0.00E+00", "[>x]0", "[h]:mm", "general", "\"text\""] {
            assert_eq!(NumberFormat::parse(code), None, "{code}");
        }
    }

    #[test]
    fn numbers_without_a_format_have_no_exponent_and_no_empty_decimals() {
        for (number, shown) in [
            (385.0, "385"),
            (0.1 + 0.2, "0.3"),
            (1e20, "100000000000000000000"),
            (123_456_789_012_345_678.0, "123456789012346000"),
            (-2.5, "-2.5"),
            (-0.0, "0"),
            (0.000_012, "0.000012"),
            (1e-7, "0.0000001"),
        ] {
            assert_eq!(plain(number), shown);
        }
    }

    #[test]
    fn date_formats_are_distinguished_from_number_formats() {
        let cases = [
            ("[$-407]d. mmm yyyy", Some(Moment::Date)),
            ("h:mm AM/PM", Some(Moment::Time)),
            ("h:mm A/P", Some(Moment::Time)),
            ("mm:ss.0", Some(Moment::Time)),
            ("hh:mm:ss", Some(Moment::Time)),
            ("yyyy-mm-dd hh:mm", Some(Moment::DateAndTime)),
            ("hh:mm dd.mm.", Some(Moment::DateAndTime)),
            ("mmm yy", Some(Moment::Date)),
            ("\\d0 \"mm\"", None),
            ("_d*s0;yyyy", None),
            ("[Red]0", None),
            ("[<5]yy", Some(Moment::Date)),
            ("[MM]:ss", Some(Moment::Duration)),
            ("[]0", None),
            ("General", None),
            ("@", None),
        ];
        for (code, wanted) in cases {
            assert_eq!(moment(code), wanted, "{code}");
        }
    }
}
