//! See `keen_notch_fuzz::phrase`.
#![no_main]

libfuzzer_sys::fuzz_target!(|data: &[u8]| keen_notch_fuzz::phrase(data));
