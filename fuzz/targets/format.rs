//! See `keen_notch_fuzz::format`.
#![no_main]

libfuzzer_sys::fuzz_target!(|data: &[u8]| keen_notch_fuzz::format(data));
