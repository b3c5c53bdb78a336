//! The crew register as a database table.

use std::path::Path;
use std::{fs, io};

use keen_notch_core::carving::Carving;
use keen_notch_core::piece::Rules;
use keen_notch_core::program::Setting;
use keen_notch_core::text::unit::Unit;
use keen_notch_io::carve::{Job, Outs, carve};
use keen_notch_io::formats::FileFormat;
use keen_notch_io::formats::database::sink::Session;
use keen_notch_io::formats::database::{Address, How, Target};
use keen_notch_io::sink;
use keen_notch_io::source::Reading;
use keen_notch_io::source::input::Input;
use keen_notch_io::table::Table;

use crate::failure::{Failure, Text};

const REGISTER: &str = "crew.csv";
pub const NAME: &str = "ropeway.db";
const TABLE: &str = "crew";

pub fn write(folder: &Path) -> Result<(), Failure> {
    let path = folder.join(NAME);
    match fs::remove_file(&path) {
        Err(error) if error.kind() != io::ErrorKind::NotFound => {
            let name = path.display().to_string();
            return Err(keen_notch_io::Error::Write { name, source: error, is_half_written: false }.into());
        }
        _ => {}
    }
    let mut table = Table::open(&[Input::File(folder.join(REGISTER))], &Reading::default())?;
    let header = table.header.clone();
    let all: Vec<usize> = (0..header.count()).collect();
    let nothing = Carving::new(&Rules::default(), None, &Setting::new(Unit::Characters), &header);
    let nothing = nothing.map_err(|unbound| Failure::text_error(&Text { name: None, text: String::new() }, unbound.error))?;
    let job = Job::new(nothing, &header, &all, 0).with_formats(FileFormat::DATABASE, FileFormat::default());
    let session = Session::open(&Address::Sqlite(path))?;
    let mut rows = session.sink(Target { table: TABLE.to_owned(), how: How::New })?;
    carve(&mut table, &job, &mut Outs::of_rows(&mut rows))?;
    Ok(sink::commit_all(vec![Box::new(rows)])?)
}
