//! Pairs of keys and results in insertion order.

/// A size of this many bytes or more takes four more bytes.
const LONG: usize = 255;

/// Each record: size of the key, size of the result, key, result.
#[derive(Debug, Clone, Default)]
pub(super) struct Records {
    memory: Vec<u8>,
    count: usize,
}

/// The start of a record, in bytes.
pub(in crate::program) type Record = u32;

pub(in crate::program) struct Pair<'a> {
    pub(in crate::program) key: &'a [u8],
    pub(in crate::program) result: &'a [u8],
}

impl Pair<'_> {
    /// The size of both texts, in bytes.
    pub(super) fn size(&self) -> usize {
        self.key.len() + self.result.len()
    }
}

impl Records {
    pub(super) fn count(&self) -> usize {
        self.count
    }

    /// The end of the last record.
    pub(super) fn end(&self) -> usize {
        self.memory.len()
    }

    #[cfg(test)]
    pub(super) fn memory(&self) -> usize {
        self.memory.capacity()
    }

    /// Adds a pair. `None` if the texts are too large.
    pub(super) fn add(&mut self, key: &[u8], result: &[u8]) -> Option<Record> {
        let record = u32::try_from(self.memory.len()).ok()?;
        u32::try_from(self.memory.len() + 2 * (1 + size_of::<u32>()) + key.len() + result.len()).ok()?;
        let sizes = [key.len(), result.len()];
        self.memory.extend(sizes.map(|size| size.min(LONG) as u8));
        for size in sizes.into_iter().filter(|size| *size >= LONG) {
            self.memory.extend_from_slice(&(size as u32).to_le_bytes());
        }
        self.memory.extend_from_slice(key);
        self.memory.extend_from_slice(result);
        self.count += 1;
        Some(record)
    }

    /// The first bytes of a record, and maybe of the next.
    #[inline]
    pub(super) fn near(&self, record: Record) -> Option<&[u8; 16]> {
        self.memory.get(record as usize..)?.first_chunk()
    }

    #[inline]
    pub(super) fn pair(&self, record: Record) -> Option<Pair<'_>> {
        Some(self.pair_and_rest(record)?.0)
    }

    #[inline]
    fn pair_and_rest(&self, record: Record) -> Option<(Pair<'_>, &[u8])> {
        let rest = self.memory.get(record as usize..)?;
        let (sizes, mut rest) = rest.split_first_chunk::<2>()?;
        let mut sizes = sizes.map(usize::from);
        for size in &mut sizes {
            if *size == LONG {
                let (long, others) = rest.split_first_chunk::<4>()?;
                (*size, rest) = (u32::from_le_bytes(*long) as usize, others);
            }
        }
        let (key, rest) = rest.split_at_checked(sizes[0])?;
        let (result, rest) = rest.split_at_checked(sizes[1])?;
        Some((Pair { key, result }, rest))
    }

    pub(super) fn iter(&self) -> impl Iterator<Item = (Record, Pair<'_>)> {
        let mut next = 0;
        std::iter::from_fn(move || {
            let (record, (pair, rest)) = (next, self.pair_and_rest(next)?);
            next = (self.memory.len() - rest.len()) as Record;
            Some((record, pair))
        })
    }
}
