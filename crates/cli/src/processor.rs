//! The processor that the program was built for.
//!
//! On x86-64 it is built for those with 256-bit instructions (x86-64-v3, in `.cargo/config.toml`), of about 2013 and
//! later. An older one would be told by the system to stop, in the middle of a run and without a word.

/// Whether the processor has what the program was built to use.
///
/// Asked of the processor itself, in whole numbers: what is used to ask has to be there on an older one too, and a
/// package that asks is built for the newer one like everything else. Bits: Intel's manual, volume 2, CPUID.
#[cfg(all(target_arch = "x86_64", target_feature = "avx2"))]
#[inline(always)]
pub fn is_right() -> bool {
    use std::arch::x86_64::{__cpuid, __cpuid_count};
    // FMA, MOVBE, POPCNT, OSXSAVE, AVX, F16C
    const BASIC: u32 = 1 << 12 | 1 << 22 | 1 << 23 | 1 << 27 | 1 << 28 | 1 << 29;
    // BMI1, AVX2, BMI2
    const EXTENDED: u32 = 1 << 3 | 1 << 5 | 1 << 8;
    // LZCNT
    const FURTHER: u32 = 1 << 5;
    let has = |bits: u32, wanted: u32| bits & wanted == wanted;
    has(__cpuid(1).ecx, BASIC)
        && __cpuid(0).eax >= 7
        && has(__cpuid_count(7, 0).ebx, EXTENDED)
        && has(__cpuid(0x8000_0001).ecx, FURTHER)
}

/// Built for any processor of its kind.
#[cfg(not(all(target_arch = "x86_64", target_feature = "avx2")))]
pub fn is_right() -> bool {
    true
}

/// What is said where it is not the right one.
pub const WRONG: &str = "\
error: this program was built for newer processors than the one here (with AVX2, of about 2013 and later)
help: build it for this one: RUSTFLAGS=\"-C target-cpu=native\" cargo build --release
";
