//! Storage for `unique` beyond the memory limit: sorted temporary files without names.

use std::fs::File;
use std::io::{self, BufReader, BufWriter, Read, Write};
#[cfg(target_os = "linux")]
use std::num::NonZeroU64;
use std::ops::Range;

use keen_notch_core::carving::Memory;
use keen_notch_core::check::unique_texts::{Entry, Store, StoreError, row_of};

const PAGE: usize = 256;
const MERGED: usize = 4;
const WIDTH: usize = size_of::<Entry>();

#[derive(Debug, Default)]
pub struct SpillStore {
    files: Vec<SortedFile>,
    page: Vec<u8>,
}

#[derive(Debug)]
struct SortedFile {
    file: File,
    fences: Vec<u64>,
    count: usize,
}

/// The store of `unique`: up to `most` bytes in memory, the rest in temporary files.
pub fn memory(most: usize) -> Memory {
    Memory::bounded(most, SpillStore::store)
}

impl SpillStore {
    pub fn store() -> Box<dyn Store> {
        Box::new(SpillStore::default())
    }
}

impl Store for SpillStore {
    fn keep(&mut self, entries: &mut dyn Iterator<Item = Entry>) -> Result<(), StoreError> {
        let mut writer = Writer::new()?;
        for entry in entries {
            writer.put(entry)?;
        }
        self.files.push(writer.finish()?);
        // Merge files of similar size. This keeps the number of files and of rewrites low.
        while let Some(first) = self.files.len().checked_sub(MERGED)
            && let [oldest, .., newest] = &self.files[first..]
            && oldest.count <= MERGED / 2 * newest.count
        {
            let merged = merge(&mut self.files.split_off(first))?;
            self.files.push(merged);
        }
        Ok(())
    }

    fn find(&mut self, texts: &[Entry], found: &mut Vec<Entry>) -> Result<(), StoreError> {
        // Prefetch all pages: parallel reads are faster.
        for file in &self.files {
            let pages = texts.iter().flat_map(|(key, _)| file.pages(*key));
            pages.for_each(|page| file.prefetch(page));
        }
        for file in &self.files {
            // The texts have the order of the file, so each page is read once.
            let mut last_read = None;
            for (key, rest) in texts {
                for page in file.pages(*key) {
                    if last_read.replace(page) != Some(page) {
                        file.read(page, &mut self.page)?;
                    }
                    let entries = self.page.as_chunks::<WIDTH>().0;
                    let first = entries.partition_point(|bytes| entry(bytes).0 < *key);
                    let of_key = entries[first..].iter().map(entry).take_while(|entry| entry.0 == *key);
                    found.extend(of_key.filter(|entry| row_of(*entry, *key, *rest).is_some()));
                }
            }
        }
        Ok(())
    }
}

impl SortedFile {
    fn pages(&self, key: u64) -> Range<usize> {
        // The entries of a key can begin on the page before its fence.
        let first = self.fences.partition_point(|fence| *fence < key).saturating_sub(1);
        first..self.fences.partition_point(|fence| *fence <= key)
    }

    fn prefetch(&self, page: usize) {
        #[cfg(target_os = "linux")]
        {
            use rustix::fs::{Advice, fadvise};
            let width = NonZeroU64::new((PAGE * WIDTH) as u64);
            // A failure does not affect the result.
            let _ = fadvise(&self.file, (page * PAGE * WIDTH) as u64, width, Advice::WillNeed);
        }
    }

    fn read(&self, page: usize, into: &mut Vec<u8>) -> io::Result<()> {
        let start = page * PAGE;
        into.resize((self.count - start).min(PAGE) * WIDTH, 0);
        read_at(&self.file, into, (start * WIDTH) as u64)
    }
}

#[cfg(unix)]
fn read_at(file: &File, into: &mut [u8], at: u64) -> io::Result<()> {
    std::os::unix::fs::FileExt::read_exact_at(file, into, at)
}

#[cfg(not(unix))]
fn read_at(mut file: &File, into: &mut [u8], at: u64) -> io::Result<()> {
    io::Seek::seek(&mut file, io::SeekFrom::Start(at))?;
    file.read_exact(into)
}

fn entry(bytes: &[u8; WIDTH]) -> Entry {
    let both = u128::from_le_bytes(*bytes);
    (both as u64, (both >> 64) as u64)
}

struct Writer {
    file: BufWriter<File>,
    fences: Vec<u64>,
    count: usize,
}

impl Writer {
    fn new() -> io::Result<Writer> {
        Ok(Writer { file: BufWriter::with_capacity(1 << 16, tempfile::tempfile()?), fences: Vec::new(), count: 0 })
    }

    fn put(&mut self, entry: Entry) -> io::Result<()> {
        if self.count.is_multiple_of(PAGE) {
            self.fences.push(entry.0);
        }
        self.count += 1;
        self.file.write_all(&(u128::from(entry.0) | u128::from(entry.1) << 64).to_le_bytes())
    }

    fn finish(self) -> io::Result<SortedFile> {
        let file = self.file.into_inner().map_err(io::IntoInnerError::into_error)?;
        Ok(SortedFile { file, fences: self.fences, count: self.count })
    }
}

fn merge(files: &mut [SortedFile]) -> io::Result<SortedFile> {
    let mut readers = Vec::new();
    for SortedFile { file, count, .. } in files {
        io::Seek::rewind(file)?;
        let mut reader = BufReader::with_capacity(1 << 16, &*file);
        let first = next(&mut reader, count)?;
        readers.push((first, reader, count));
    }
    let mut writer = Writer::new()?;
    while let Some((least, reader, left)) =
        readers.iter_mut().filter(|(next, ..)| next.is_some()).min_by_key(|(next, ..)| *next)
    {
        if let Some(entry) = *least {
            writer.put(entry)?;
        }
        *least = next(reader, left)?;
    }
    writer.finish()
}

fn next(reader: &mut impl Read, left: &mut usize) -> io::Result<Option<Entry>> {
    if *left == 0 {
        return Ok(None);
    }
    *left -= 1;
    let mut bytes = [0; WIDTH];
    reader.read_exact(&mut bytes)?;
    Ok(Some(entry(&bytes)))
}

#[cfg(test)]
mod tests {
    use std::collections::HashMap;

    use keen_notch_core::check::unique_texts::UniqueTexts;
    use proptest::prelude::*;

    use super::*;

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(24))]
        #[test]
        fn texts_are_distinguished_as_in_memory(numbers in proptest::collection::vec(0..20_000_u32, 1..12_000), most in 1_usize..200_000) {
            let mut seen = UniqueTexts::with_store(most, SpillStore::store());
            let mut known: HashMap<u32, u64> = HashMap::new();
            for (row, number) in (1..).zip(numbers) {
                let first = seen.note(UniqueTexts::hash([number.to_string().as_str()]), row).unwrap();
                prop_assert_eq!(first, known.get(&number).copied());
                known.entry(number).or_insert(row);
            }
        }
    }

    #[test]
    fn entries_of_one_key_are_found_on_every_page() {
        // Hundreds of entries with one key do not occur, but the reader does not depend on that.
        let entries: Vec<Entry> = (0..1000_u64).map(|n| (7 + n / 900, (n + 1) << 40 | (n + 1))).collect();
        let mut spilled = SpillStore::default();
        spilled.keep(&mut entries.iter().copied()).unwrap();
        let texts: Vec<Entry> = entries.iter().map(|(key, rest)| (*key, rest & !((1 << 40) - 1))).collect();
        let mut find = |texts: &[Entry]| {
            let mut found = Vec::new();
            spilled.find(texts, &mut found).unwrap();
            found
        };
        assert_eq!(find(&texts), entries);
        for (text, entry) in texts.iter().zip(&entries) {
            assert_eq!(find(&[*text]), [*entry]);
        }
        assert_eq!(find(&[(6, 1 << 40), (7, 999_999 << 40), (8, 1 << 40), (9, 1 << 40)]), []);
    }
}
