//! Comparing 16 bytes at once.
//!
//! On x86-64 this uses an SSE2 register. Other CPUs use two 64-bit integers, with eight bytes in each.

/// 16 bytes. A mask has a bit for each byte, the lowest bit for the first.
#[derive(Debug, Clone, Copy)]
pub struct Sixteen([u8; 16]);

impl Sixteen {
    #[inline(always)]
    pub const fn new(bytes: [u8; 16]) -> Sixteen {
        Sixteen(bytes)
    }

    #[inline(always)]
    pub const fn splat(byte: u8) -> Sixteen {
        Sixteen([byte; 16])
    }

    #[inline(always)]
    pub const fn to_array(self) -> [u8; 16] {
        self.0
    }

    /// The mask of the bytes equal to those of `other` at the same position.
    #[inline(always)]
    pub fn equal(self, other: Sixteen) -> u32 {
        native::equal(self.0, other.0)
    }

    /// The mask of the bytes from `first` to `first + width`. The sum must not exceed 255.
    #[inline(always)]
    pub fn within(self, first: Sixteen, width: Sixteen) -> u32 {
        native::at_most(native::minus(self.0, first.0), width.0)
    }

    /// The mask of the bytes beyond ASCII.
    #[inline(always)]
    pub fn high(self) -> u32 {
        native::high(self.0)
    }
}

impl std::ops::BitOr for Sixteen {
    type Output = Sixteen;

    #[inline(always)]
    fn bitor(self, other: Sixteen) -> Sixteen {
        Sixteen((u128::from_le_bytes(self.0) | u128::from_le_bytes(other.0)).to_le_bytes())
    }
}

#[cfg(target_arch = "x86_64")]
mod native {
    use std::arch::x86_64::__m128i;

    use pulp::cast;
    use pulp::core_arch::x86::Sse2;

    /// Every x86-64 CPU has SSE2, so the compiler removes the test.
    #[inline(always)]
    fn with<T>(call: impl FnOnce(Sse2) -> T, fallback: impl FnOnce() -> T) -> T {
        match Sse2::try_new() {
            Some(sse2) => call(sse2),
            None => fallback(),
        }
    }

    #[inline(always)]
    pub fn equal(one: [u8; 16], other: [u8; 16]) -> u32 {
        let call = |sse2: Sse2| sse2._mm_movemask_epi8(sse2._mm_cmpeq_epi8(cast(one), cast(other))) as u32;
        with(call, || super::numbers::equal(one, other))
    }

    #[inline(always)]
    pub fn minus(one: [u8; 16], other: [u8; 16]) -> [u8; 16] {
        let call = |sse2: Sse2| cast::<__m128i, [u8; 16]>(sse2._mm_sub_epi8(cast(one), cast(other)));
        with(call, || super::numbers::minus(one, other))
    }

    #[inline(always)]
    pub fn at_most(one: [u8; 16], other: [u8; 16]) -> u32 {
        let call = |sse2: Sse2| {
            let beyond = sse2._mm_subs_epu8(cast(one), cast(other));
            sse2._mm_movemask_epi8(sse2._mm_cmpeq_epi8(beyond, cast([0_u8; 16]))) as u32
        };
        with(call, || super::numbers::at_most(one, other))
    }

    #[inline(always)]
    pub fn high(bytes: [u8; 16]) -> u32 {
        with(|sse2| sse2._mm_movemask_epi8(cast(bytes)) as u32, || super::numbers::high(bytes))
    }
}

#[cfg(not(target_arch = "x86_64"))]
use numbers as native;

/// The same with 64-bit integers, without carries between bytes (Warren: Hacker's Delight, 2nd edition, chapters 2-18 and 6-1).
mod numbers {
    const LOW: u64 = u64::from_le_bytes([0x7F; 8]);
    const HIGH: u64 = !LOW;

    fn halves(bytes: [u8; 16]) -> [u64; 2] {
        let both = u128::from_le_bytes(bytes);
        [both as u64, (both >> 64) as u64]
    }

    fn mask(of: impl Fn(u64, u64) -> u64, one: [u8; 16], other: [u8; 16]) -> u32 {
        let ([first, second], [others, more]) = (halves(one), halves(other));
        let gather = |high: u64| ((high >> 7).wrapping_mul(0x0102_0408_1020_4080) >> 56) as u32;
        gather(of(first, others) & HIGH) | gather(of(second, more) & HIGH) << 8
    }

    pub fn equal(one: [u8; 16], other: [u8; 16]) -> u32 {
        let of = |one: u64, other: u64| {
            let apart = one ^ other;
            !(((apart & LOW) + LOW) | apart)
        };
        mask(of, one, other)
    }

    pub fn minus(one: [u8; 16], other: [u8; 16]) -> [u8; 16] {
        std::array::from_fn(|place| one[place].wrapping_sub(other[place]))
    }

    pub fn at_most(one: [u8; 16], other: [u8; 16]) -> u32 {
        // The high bit of `other - one` with a borrow tells which byte is larger.
        let of = |one: u64, other: u64| {
            let difference = (other | HIGH) - (one & LOW);
            (other & !one) | (!(other ^ one) & difference)
        };
        mask(of, one, other)
    }

    pub fn high(bytes: [u8; 16]) -> u32 {
        mask(|one, _| one, bytes, [0; 16])
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn masked(test: impl Fn(usize) -> bool) -> u32 {
        (0..16).filter(|place| test(*place)).fold(0, |mask, place| mask | 1 << place)
    }

    #[test]
    fn every_pair_of_bytes_is_compared_alike() {
        for one in 0..=255_u8 {
            for other in 0..=255_u8 {
                // Neighbours differ, so a carry would show.
                let left: [u8; 16] =
                    std::array::from_fn(|place| if place % 3 == 0 { one } else { one.wrapping_mul(place as u8) });
                let right: [u8; 16] =
                    std::array::from_fn(|place| if place % 2 == 0 { other } else { other.wrapping_add(place as u8) });
                let equal = masked(|place| left[place] == right[place]);
                let at_most = masked(|place| left[place] <= right[place]);
                assert_eq!((native::equal(left, right), numbers::equal(left, right)), (equal, equal), "{left:?} {right:?}");
                assert_eq!(
                    (native::at_most(left, right), numbers::at_most(left, right)),
                    (at_most, at_most),
                    "{left:?} {right:?}"
                );
                assert_eq!(native::minus(left, right), numbers::minus(left, right));
            }
            let high = masked(|_| one > 0x7F);
            assert_eq!((Sixteen::splat(one).high(), numbers::high([one; 16])), (high, high));
        }
    }
}
