//! See `keen_notch_fuzz::workbook`.
#![no_main]

libfuzzer_sys::fuzz_target!(|data: &[u8]| keen_notch_fuzz::workbook(data));
