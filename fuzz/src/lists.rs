//! Cut lists, as files.

use keen_notch_core::cutlist::CutList;
use keen_notch_core::explain;
use keen_notch_io::source::Reading;
use keen_notch_io::table::Table;

use crate::phrases::refused;
use crate::print;
use crate::run::{Way, bind, input, run};

/// What lists are run on.
const TABLE: &str = "code,note,y,z\n\
    GRP-00041273-S7K2,\"depot, East\",1.50,2025-11-26\n\
    hng-7, é👩‍👩‍👧 🇸🇪🇳🇴,-,\n\
    ,\"a \"\"quoted\"\" note\",x@example.com,7\n\
    a-b-c;d/e (f) [g],\"two\nlines\",007,1\n";

/// What is read is written and read again with the same meaning; what is refused is refused with a place in the list and with help.
pub fn list(data: &[u8]) {
    let Ok(source) = str::from_utf8(data) else { return };
    let read = match CutList::parse(source, 0) {
        Ok(read) => read,
        Err(error) => return refused(source, &error.span, &error.help),
    };
    let written = print::list(&read);
    let again = CutList::parse(&written, 0).unwrap_or_else(|error| panic!("{}:\n{written}\nof\n{source}", error.message));
    assert_eq!(print::list(&again), written, "of {source}");
    explain::rest(&read.wanted);
    read.wanted.pieces.iter().for_each(|piece| drop(explain::piece(piece)));
    let reading = Reading { memory: 32 << 20, max_row: 1 << 20, ..Reading::default() };
    let inputs = [input("a.csv", TABLE)];
    let table = Table::open(&inputs, &reading).expect("the table is as it should be");
    if let Err(unbound) = bind(&read, &table) {
        assert!(bind(&again, &table).is_err(), "{written}\nof\n{source}");
        return refused(source, &unbound.error.span, &unbound.error.help);
    }
    let way = Way { threads: 1, ..Way::default() };
    let [ran, ran_again] = [&read, &again].map(|list| run(&inputs, list, &reading, way).expect("the table has been read"));
    let (Some(ran), Some(ran_again)) = (ran, ran_again) else { return };
    assert_eq!(
        (ran.rows, ran.faults.lines().count()),
        (ran_again.rows, ran_again.faults.lines().count()),
        "{written}\nof\n{source}"
    );
}
