//! See `keen_notch_fuzz::table`.
#![no_main]

libfuzzer_sys::fuzz_target!(|data: &[u8]| keen_notch_fuzz::table(data));
