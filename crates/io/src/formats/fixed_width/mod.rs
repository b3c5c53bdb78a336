//! Fixed-width text as a source.

pub mod encoder;

mod chunk;

use std::collections::VecDeque;
use std::sync::Arc;

use keen_notch_core::column::Header;
use keen_notch_core::widths::Widths;

use crate::Error;
use crate::formats::descriptor::FormatDescriptor;
use crate::formats::fixed_width::chunk::{ChunkContext, FixedWidthChunk};
use crate::formats::fixed_width::encoder::FixedWidth as FixedWidthEncoder;
use crate::kind::{FormatInfo, Kind};
use crate::source::blocks::{Block, Blocks, EachLine, most_lines};
use crate::source::input::Input;
use crate::source::{Chunk, Format, Reading, Source, TableFormat};

#[derive(Debug, Clone)]
pub struct Layout {
    pub widths: Arc<Widths>,
    pub byte_order_mark: bool,
    /// The header line, after any empty lines, without its line end; `None` without a header.
    pub header: Option<String>,
    /// The line end of the first line, or `
    /// ` if it has none.
    pub line_end: String,
}

pub static INFO: FormatInfo =
    FormatInfo { name: "fixed-width text", endings: &["fwf"], needs_positions: true, ..FormatInfo::TEXT };

pub static FORMAT: FormatDescriptor = FormatDescriptor {
    open: Some(|opening| Ok(Box::new(FixedWidth::open(opening.input, opening.reading)?))),
    encoder: Some(|asked| Ok(Box::new(FixedWidthEncoder::for_output(asked)?))),
    ..FormatDescriptor::new(&INFO)
};

impl TableFormat for Layout {
    fn kind(&self) -> Kind {
        &INFO
    }
}

pub struct FixedWidth {
    header: Header,
    layout: Layout,
    blocks: Blocks<EachLine>,
    /// Blocks that are read but not yet returned, with the byte at which the rows begin.
    next: VecDeque<(Block, usize)>,
    shape: Arc<ChunkContext>,
}

const LOOKED: usize = 1_000;

impl FixedWidth {
    /// Opens an input and reads its header.
    ///
    /// # Errors
    /// It cannot be read or is empty, or the widths are unknown.
    pub fn open(input: &Input, reading: &Reading) -> Result<FixedWidth, Error> {
        let name = input.name();
        let mut blocks = Blocks::new(name.clone(), input.open(reading)?, EachLine, reading);
        let byte_order_mark = blocks.byte_order_mark()?;
        let first = blocks.next_block()?;
        let Some(widths) = reading.widths.clone() else {
            let text = first.as_ref().map_or(Ok(""), |block| block.text(&name))?;
            let lines: Vec<&str> = text.lines().take(LOOKED).collect();
            return Err(Error::NoWidths { name, widths: Widths::of_lines(&lines).map(|widths| widths.to_string()) });
        };
        let count = widths.columns().len();
        let mut layout = Layout { widths: Arc::clone(&widths), byte_order_mark, header: None, line_end: "\n".to_owned() };
        let mut start = 0;
        let header = match widths.names() {
            Some(names) => Header::Names(names),
            None if !reading.header => Header::Unnamed(count),
            None => {
                let Some(block) = &first else { return Err(Error::Empty { name }) };
                let text = block.text(&name)?;
                let blank = text.len() - text.trim_start_matches(['\r', '\n']).len();
                let end = text[blank..].find('\n').map_or(text.len(), |end| blank + end + 1);
                let line = text[blank..end].trim_end_matches(['\r', '\n']);
                start = end;
                layout.header = Some(text[..blank + line.len()].to_owned());
                Header::Names(widths.cells(line).map(|cell| line[cell].to_owned()).collect())
            }
        };
        if let Some(block) = &first {
            let text = block.text(&name)?;
            if let Some(end) = text.find('\n') {
                layout.line_end = if text[..end].ends_with('\r') { "\r\n" } else { "\n" }.to_owned();
            }
        }
        let shape = Arc::new(ChunkContext::new(name, widths, reading));
        let mut source = FixedWidth { header, layout, blocks, next: VecDeque::new(), shape };
        if let Some(block) = first {
            source.push(block, start);
        }
        Ok(source)
    }
}

impl FixedWidth {
    /// Splits a block and queues the parts. The rows begin at byte `start`.
    fn push(&mut self, block: Block, mut start: usize) {
        for part in block.parts(most_lines(self.header.count())) {
            let of_part = start.min(part.bytes().len());
            start -= of_part;
            self.next.push_back((part, of_part));
        }
    }
}

impl Source for FixedWidth {
    fn name(&self) -> &str {
        &self.shape.name
    }

    fn header(&self) -> &Header {
        &self.header
    }

    fn next_chunk(&mut self) -> Result<Option<Box<dyn Chunk>>, Error> {
        if self.next.is_empty()
            && let Some(block) = self.blocks.next_block()?
        {
            self.push(block, 0);
        }
        let Some((block, start)) = self.next.pop_front() else { return Ok(None) };
        Ok(Some(Box::new(FixedWidthChunk::new(block, start, Arc::clone(&self.shape)))))
    }

    fn format(&self) -> Format {
        Format::new(self.layout.clone())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::source::LineCount;
    use crate::source::blocks::MOST_CELLS;

    #[test]
    fn chunks_have_few_rows_where_lines_are_shorter_than_columns_are_many() {
        let columns = 5_000;
        let widths: Vec<String> = (1..=columns).map(|place| format!("{place} to {place}")).collect();
        let names: String = (0..columns).map(|column| ["a", "b"][column % 2]).collect();
        for blank in ["", "\n\n"] {
            let text = format!("{blank}{names}\n{}", "ab\n".repeat(1_000));
            let input = Input::Memory("parts.fwf".to_owned(), text.as_bytes().into());
            let reading = Reading { widths: Some(Arc::new(Widths::parse(&widths.join(", ")).unwrap())), ..Reading::default() };
            let mut source = FixedWidth::open(&input, &reading).unwrap();
            let (mut rows, mut line) = (0, 0);
            while let Some(mut chunk) = source.next_chunk().unwrap() {
                chunk.open(&[0]).unwrap();
                assert!(chunk.rows() * columns <= MOST_CELLS);
                rows += chunk.rows();
                if let Some(last) = chunk.rows().checked_sub(1) {
                    line = chunk.line(last, &mut LineCount::default());
                }
            }
            assert_eq!((rows, line), (1_000, 1_001 + blank.len() as u64));
        }
    }
}
