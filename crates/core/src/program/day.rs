//! A fast path for numeric dates such as `%d.%m.%Y`. [`super::date`] defines the results.

use jiff::civil::Date;

use super::date::Field;
use crate::batch::{Buffer, Span};

/// Longer results use the general writer.
const LONGEST: usize = 32;

/// Reads and writes dates with a year, a month and a day, each as digits.
#[derive(Debug, Clone)]
pub(super) struct DayPlan {
    read: Box<[Place]>,
    write: Box<[Place]>,
    /// The first possible year of `%y`, if given.
    from: Option<i16>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Place {
    Year,
    ShortYear,
    /// With the least number of digits.
    Month(usize),
    Day(usize),
    Text(u8),
}

/// A formatted date.
pub(super) struct Written {
    bytes: [u8; LONGEST],
    width: usize,
}

impl Written {
    #[inline]
    pub(super) fn text(&self) -> &str {
        str::from_utf8(self.bytes()).unwrap_or_default()
    }

    #[inline]
    pub(super) fn bytes(&self) -> &[u8] {
        self.bytes.get(..self.width).unwrap_or_default()
    }

    #[inline]
    fn push(&mut self, byte: u8) {
        if let Some(place) = self.bytes.get_mut(self.width) {
            *place = byte;
            self.width += 1;
        }
    }

    #[inline]
    fn push_two(&mut self, number: i16) {
        self.push(b'0' + (number / 10) as u8);
        self.push(b'0' + (number % 10) as u8);
    }
}

impl DayPlan {
    /// `None` for other formats. `fields` belong to `format`.
    pub(super) fn new(format: &str, fields: &[Field], from: Option<i16>, output: Option<&str>) -> Option<DayPlan> {
        let least = |place: usize| match fields.get(place) {
            Some(Field::Digits { least, .. }) => *least,
            _ => 1,
        };
        let read = places(format, least)?;
        let count = |is: fn(&Place) -> bool| read.iter().filter(|place| is(place)).count();
        let years = count(|place| matches!(place, Place::Year | Place::ShortYear));
        let months = count(|place| matches!(place, Place::Month(_)));
        let days = count(|place| matches!(place, Place::Day(_)));
        let write = places(output.unwrap_or("%Y-%m-%d"), |_| 2)?;
        let width: usize = write.iter().map(|place| place.width()).sum();
        ((years, months, days) == (1, 1, 1) && width <= LONGEST).then_some(DayPlan { read, write, from })
    }

    /// Parses a date.
    #[inline]
    pub(super) fn read(&self, text: &[u8]) -> Option<Date> {
        let (mut at, mut year, mut month, mut day) = (0, 0, 0, 0);
        for place in &self.read {
            match *place {
                Place::Text(byte) if text.get(at) == Some(&byte) => at += 1,
                Place::Text(_) => return None,
                Place::Year => year = number(text, &mut at, 4, 4)?,
                Place::ShortYear => {
                    let short = number(text, &mut at, 2, 2)?;
                    // POSIX: 69 to 99 belong to the 20th century.
                    year = match self.from {
                        Some(from) => from + (short - from).rem_euclid(100),
                        None if short >= 69 => 1900 + short,
                        None => 2000 + short,
                    };
                }
                Place::Month(least) => month = number(text, &mut at, least, 2)?,
                Place::Day(least) => day = number(text, &mut at, least, 2)?,
            }
        }
        if at < text.len() {
            return None;
        }
        Date::new(year, i8::try_from(month).ok()?, i8::try_from(day).ok()?).ok()
    }

    #[inline]
    pub(super) fn write(&self, date: Date) -> Written {
        let mut written = Written { bytes: [0; LONGEST], width: 0 };
        for place in &self.write {
            match *place {
                Place::Year => {
                    written.push_two(date.year() / 100);
                    written.push_two(date.year() % 100);
                }
                Place::ShortYear => written.push_two(date.year() % 100),
                Place::Month(_) => written.push_two(date.month().into()),
                Place::Day(_) => written.push_two(date.day().into()),
                Place::Text(byte) => written.push(byte),
            }
        }
        written
    }

    /// Replaces each ASCII text by its date, written to `buffer`.
    pub(super) fn write_plain(&self, text: &[u8], spans: &mut [Span], buffer: &mut Buffer) {
        for span in spans {
            let start = buffer.width();
            if let Some(date) = self.read(span.bytes(text)) {
                buffer.extend_within(self.write(date).bytes());
            }
            *span = Span::new(start, buffer.width());
        }
    }
}

/// Parses a format; `least` returns the minimum number of digits of a field.
fn places(format: &str, least: impl Fn(usize) -> usize) -> Option<Box<[Place]>> {
    let (mut places, mut chars) = (Vec::new(), format.chars());
    while let Some(c) = chars.next() {
        let digits = least(places.len());
        places.push(match c {
            '%' => match chars.next()? {
                'Y' => Place::Year,
                'y' => Place::ShortYear,
                'm' => Place::Month(digits),
                'd' => Place::Day(digits),
                '%' => Place::Text(b'%'),
                _ => return None,
            },
            c => Place::Text(u8::try_from(c).ok().filter(u8::is_ascii)?),
        });
    }
    Some(places.into())
}

/// Parses `least` to `most` digits at `at`, and moves `at` after them.
#[inline]
fn number(text: &[u8], at: &mut usize, least: usize, most: usize) -> Option<i16> {
    let (mut number, mut count) = (0, 0);
    while count < most
        && let Some(digit) = text.get(*at + count).map(|byte| byte.wrapping_sub(b'0')).filter(|digit| *digit < 10)
    {
        number = number * 10 + i16::from(digit);
        count += 1;
    }
    *at += count;
    (count >= least).then_some(number)
}

impl Place {
    fn width(self) -> usize {
        match self {
            Place::Year => 4,
            Place::ShortYear | Place::Month(_) | Place::Day(_) => 2,
            Place::Text(_) => 1,
        }
    }
}
