//! A reader for Thrift's compact protocol, the encoding of Parquet metadata:
//! <https://github.com/apache/thrift/blob/master/doc/specs/thrift-compact-protocol.md>.

/// A cursor over the bytes of a structure.
pub struct Thrift<'b> {
    bytes: &'b [u8],
    /// The next byte.
    pub at: usize,
}

const MOST_DEPTH: u32 = 16;

impl<'b> Thrift<'b> {
    pub fn new(bytes: &'b [u8]) -> Thrift<'b> {
        Thrift { bytes, at: 0 }
    }

    fn byte(&mut self) -> Option<u8> {
        let byte = *self.bytes.get(self.at)?;
        self.at += 1;
        Some(byte)
    }

    fn number(&mut self) -> Option<u64> {
        let mut number = 0_u64;
        for shift in (0..64).step_by(7) {
            let byte = self.byte()?;
            number |= u64::from(byte & 0x7F) << shift;
            if byte & 0x80 == 0 {
                return Some(number);
            }
        }
        None
    }

    pub fn count(&mut self) -> Option<u64> {
        let number = self.number()?;
        (number & 1 == 0).then_some(number >> 1)
    }

    /// Calls `see` with the number and type of each field. `see` reads it, or returns `false` to skip it. `None` if the bytes are not a
    /// struct.
    pub fn fields(&mut self, see: &mut dyn FnMut(&mut Self, u64, u8) -> Option<bool>) -> Option<()> {
        self.fields_within(0, see)
    }

    fn fields_within(&mut self, depth: u32, see: &mut dyn FnMut(&mut Self, u64, u8) -> Option<bool>) -> Option<()> {
        let mut field = 0_u64;
        loop {
            let head = self.byte()?;
            if head == 0 {
                return Some(());
            }
            let of = head & 0x0F;
            field = match head >> 4 {
                0 => self.number()? >> 1,
                more => field.checked_add(u64::from(more))?,
            };
            if !see(self, field, of)? {
                self.pass_over(of, depth)?;
            }
        }
    }

    fn pass_over(&mut self, of: u8, depth: u32) -> Option<()> {
        if depth == MOST_DEPTH {
            return None;
        }
        match of {
            1 | 2 => {}
            3 => drop(self.byte()?),
            4..=6 => drop(self.number()?),
            7 => self.at = self.at.checked_add(8)?,
            8 => {
                let width = usize::try_from(self.number()?).ok()?;
                self.at = self.at.checked_add(width)?;
            }
            9 | 10 => {
                let head = self.byte()?;
                let count = if head >> 4 == 15 { self.number()? } else { u64::from(head >> 4) };
                for _ in 0..count {
                    // In lists, each boolean is a byte.
                    self.pass_over(if matches!(head & 0x0F, 1 | 2) { 3 } else { head & 0x0F }, depth + 1)?;
                }
            }
            12 => self.fields_within(depth + 1, &mut |_, _, _| Some(false))?,
            _ => return None,
        }
        (self.at <= self.bytes.len()).then_some(())
    }
}
