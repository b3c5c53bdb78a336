//! The saved survey of the demo's crew register, for a comparison with the next month.

use std::path::Path;

use keen_notch_core::survey::Depth;
use keen_notch_io::files::RunFiles;
use keen_notch_io::formats;
use keen_notch_io::sink;
use keen_notch_io::source::Reading;
use keen_notch_io::source::input::Input;
use keen_notch_io::survey::{Surveyed, survey};
use keen_notch_io::table::Table;
use keen_notch_io::view::View;

use crate::commands::survey::saved;
use crate::draw::survey as draw;
use crate::failure::Failure;

pub const NAME: &str = "crew-november.json";

pub fn write(folder: &Path) -> Result<(), Failure> {
    let mut table = Table::open(&[Input::File(folder.join("crew.csv"))], &Reading::default())?;
    let columns: Vec<usize> = (0..table.header.count()).collect();
    let view = View::Columns(&columns);
    let (titles, nths) = (view.titles(&table.header), view.nths(&table.header));
    let Surveyed { surveys, inputs, rows } = survey(&mut table, view, Depth::Brief, None, 1)?;
    let text = draw::saved(&saved((&titles, &nths, &surveys), inputs.rows(rows), false));
    let mut sink = formats::create(&folder.join(NAME), &RunFiles::default())?;
    sink.put(text.as_bytes())?;
    Ok(sink::commit_all(vec![sink])?)
}
