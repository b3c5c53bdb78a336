//! Counting the whole of the inputs in the background; the next change ends it.

use std::ops::ControlFlow;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc::{Receiver, channel};
use std::thread;

use keen_notch_core::batch::Batch;
use keen_notch_core::carving::Worked;
use keen_notch_core::tally::Tally;
use keen_notch_io::table::Table;

use super::model::{Draft, carving};

/// What was counted so far.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Counts {
    /// Rows.
    pub rows: u64,
    /// What became of the piece.
    pub tally: Tally,
    /// Rows that do not meet a check.
    pub failing: u64,
    /// Whether that is all.
    pub is_done: bool,
}

/// A count that goes on.
pub struct Counting {
    counts: Counts,
    news: Receiver<Counts>,
    is_over: Arc<AtomicBool>,
}

impl Drop for Counting {
    fn drop(&mut self) {
        self.is_over.store(true, Ordering::Relaxed);
    }
}

impl Counting {
    /// Begins to count what a piece gives of a column of a table. A table that cannot be read on is counted as far as it can be.
    pub fn begin(mut table: Table, column: usize, title: &str, draft: &Draft) -> Counting {
        let (send, news) = channel();
        let is_over = Arc::new(AtomicBool::new(false));
        let (ends, draft, title) = (Arc::clone(&is_over), draft.clone(), title.to_owned());
        // Without a thread, nothing is counted but the sample.
        let _ = thread::Builder::new().name("count".to_owned()).spawn(move || {
            let Ok(Some(carving)) = carving(&draft, &title) else { return };
            let (mut counts, mut worked) = (Counts::default(), Worked::default());
            let mut tallies = [Tally::default()];
            let counted = table.each_batch(&[column], |_, batch| {
                let columns = [batch.column(column)];
                let own = Batch { rows: batch.rows, columns: &columns };
                if carving.run(&own, &mut worked).is_err() {
                    return ControlFlow::Break(());
                }
                carving.judge(&own, &mut worked, &mut tallies);
                let mut failing: Vec<u32> = worked.failures().iter().map(|failure| failure.row).collect();
                failing.sort_unstable();
                failing.dedup();
                counts = Counts {
                    rows: counts.rows + batch.rows as u64,
                    tally: tallies[0],
                    failing: counts.failing + failing.len() as u64,
                    is_done: false,
                };
                match send.send(counts).is_err() || ends.load(Ordering::Relaxed) {
                    true => ControlFlow::Break(()),
                    false => ControlFlow::Continue(()),
                }
            });
            if counted.is_ok() && !ends.load(Ordering::Relaxed) {
                let _ = send.send(Counts { is_done: true, ..counts });
            }
        });
        Counting { counts: Counts::default(), news, is_over }
    }

    /// What was counted so far.
    pub fn counts(&mut self) -> Counts {
        if let Some(last) = self.news.try_iter().last() {
            self.counts = last;
        }
        self.counts
    }
}
