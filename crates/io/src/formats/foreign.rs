//! Recognised formats without support, with a suggestion.

use crate::formats::descriptor::FormatDescriptor;
use crate::kind::FormatInfo;

static JSON: FormatInfo = FormatInfo { name: "JSON", endings: &["json"], ..FormatInfo::PLAIN };
static BINARY_WORKBOOK: FormatInfo =
    FormatInfo { name: "a workbook other than .xlsx, .xls and .ods", endings: &["xlsb"], ..FormatInfo::PLAIN };
static COMPRESSED: FormatInfo = FormatInfo { name: "compressed", endings: &["zip", "bz2", "xz"], ..FormatInfo::PLAIN };
static PAGE: FormatInfo = FormatInfo { name: "a page", endings: &["html"], ..FormatInfo::PLAIN };

pub static FORMATS: [FormatDescriptor; 4] = [
    FormatDescriptor::new(&JSON),
    FormatDescriptor::new(&BINARY_WORKBOOK),
    FormatDescriptor::new(&COMPRESSED),
    FormatDescriptor::new(&PAGE),
];
