//! Dates, read by a strftime format.

use jiff::civil::DateTime;
use jiff::fmt::strtime::{self, BrokenDownTime};

use crate::phrase::ast::Example;
use crate::phrase::{ErrorKind, PhraseError};

/// A date format made ready.
#[derive(Debug, Clone)]
pub(crate) struct DatePlan {
    format: String,
    /// Whether fields follow each other with nothing between them: then each must have its full width, or
    /// a digit too few would slide into the next field.
    tight: bool,
}

impl DatePlan {
    pub(crate) fn new(format: &Example) -> Result<DatePlan, PhraseError> {
        let refused = |reason: String| {
            PhraseError {
            kind: ErrorKind::BadDateFormat(reason),
            span: format.span.clone(),
            help: "write it like `date \"%Y-%m-%d\"`: %Y year, %y year of two digits, %m month, %d day, %b month's name, %j day of the year, %H %M %S time of day".to_owned(),
        }
        };
        // A day after the middle of every field, so that what the format leaves open shows.
        let sample = DateTime::constant(2034, 11, 27, 16, 45, 38, 0).to_zoned(jiff::tz::TimeZone::UTC);
        let written = sample
            .and_then(|sample| BrokenDownTime::from(&sample).to_string(&format.text))
            .map_err(|error| refused(error.to_string()))?;
        let plan = DatePlan { format: format.text.clone(), tight: is_tight(&format.text) };
        match strtime::parse(&plan.format, &written).map_err(|error| error.to_string()).and_then(|parsed| iso(&parsed)) {
            Ok(date) if date.starts_with("2034-11-27") => Ok(plan),
            Ok(_) => Err(refused("it does not say the whole day".to_owned())),
            Err(reason) => Err(refused(reason)),
        }
    }

    /// The date as ISO 8601, or `None` where the text is none.
    pub(crate) fn read(&self, text: &str) -> Option<String> {
        let parsed = strtime::parse(&self.format, text).ok()?;
        let date = iso(&parsed).ok()?;
        if self.tight && parsed.to_string(&self.format).ok()? != text {
            return None;
        }
        Some(date)
    }
}

/// The day, with the time of day and the offset from UTC where the format has them.
fn iso(parsed: &BrokenDownTime) -> Result<String, String> {
    let day = parsed.to_date().map_err(|error| error.to_string())?;
    if parsed.hour().is_none() {
        return Ok(day.to_string());
    }
    let time = parsed.to_datetime().map_err(|error| error.to_string())?;
    let offset = parsed.offset().map(|offset| {
        let minutes = offset.seconds() / 60;
        let sign = if minutes < 0 { '-' } else { '+' };
        format!("{sign}{:02}:{:02}", minutes.abs() / 60, minutes.abs() % 60)
    });
    Ok(format!("{time}{}", offset.unwrap_or_default()))
}

/// Whether two fields of digits follow each other directly.
fn is_tight(format: &str) -> bool {
    let bytes = format.as_bytes();
    bytes.windows(3).any(|three| three[0] == b'%' && three[1].is_ascii_alphabetic() && three[2] == b'%')
}
