use std::ops::ControlFlow;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc::{Receiver, channel};
use std::thread::{self, JoinHandle};

use keen_notch_core::batch::Batch;
use keen_notch_core::carving::{BatchResults, Carving, Judged, Memory, TableRows, Totals};
use keen_notch_core::tally::Tally;
use keen_notch_io::table::Table;
use keen_notch_io::{Error, spill};

const MOST_REMEMBERED: usize = 32 << 20;

#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Counts {
    pub rows: u64,
    pub tally: Tally,
    pub is_done: bool,
    pub stopped: Option<String>,
}

pub struct Counting {
    counts: Counts,
    news: Receiver<Counts>,
    is_over: Arc<AtomicBool>,
    thread: Option<JoinHandle<()>>,
}

impl Counting {
    /// Starts counting the results of a piece in a table. After an error, the counts so far remain.
    pub fn begin(open: impl FnOnce() -> Result<Table, Error> + Send + 'static, carving: Arc<Carving>) -> Counting {
        let (send, news) = channel();
        let is_over = Arc::new(AtomicBool::new(false));
        let ends = Arc::clone(&is_over);
        let count = move || {
            let (mut counts, mut memory) = (Counts::default(), spill::memory(MOST_REMEMBERED));
            let counted = open().and_then(|mut table| {
                table.each_batch(&carving.used_columns(), |before, batch| {
                    if ends.load(Ordering::Relaxed) {
                        return ControlFlow::Break(());
                    }
                    let Some((_, tally)) = judge(&carving, batch, before, &mut memory) else {
                        counts.stopped = Some("the results of the next rows are too large".to_owned());
                        return ControlFlow::Break(());
                    };
                    counts.rows += batch.rows as u64;
                    counts.tally.add(&tally);
                    match send.send(counts.clone()) {
                        Ok(()) => ControlFlow::Continue(()),
                        Err(_) => ControlFlow::Break(()),
                    }
                })
            });
            counts.stopped = counted.err().map(|error| error.to_string()).or(counts.stopped);
            counts.is_done = counts.stopped.is_none() && !ends.load(Ordering::Relaxed);
            let _ = send.send(counts);
        };
        // Without a thread, only the sample is counted.
        let thread = thread::Builder::new().name("count".to_owned()).spawn(count).ok();
        Counting { counts: Counts::default(), news, is_over, thread }
    }

    pub fn counts(&mut self) -> Counts {
        if let Some(last) = self.news.try_iter().last() {
            self.counts = last;
        }
        self.counts.clone()
    }

    pub fn end(&self) {
        self.is_over.store(true, Ordering::Relaxed);
    }

    /// Whether counting has ended. If it panicked, panics too.
    pub fn has_ended(&mut self) -> bool {
        if let Some(thread) = self.thread.take_if(|thread| thread.is_finished())
            && let Err(mistake) = thread.join()
        {
            std::panic::resume_unwind(mistake);
        }
        self.thread.is_none()
    }
}

/// Evaluates and checks the only piece of a carving for some rows after `before` others; `None` if the results are too large.
pub fn judge<'b>(
    carving: &Carving,
    batch: &Batch<'b>,
    before: u64,
    memory: &mut Memory,
) -> Option<(Judged<TableRows<'b>>, Tally)> {
    let carved = carving.carve(TableRows::of(batch), BatchResults::default()).ok()?;
    let compared = carving.compare_one(carved, before, memory).ok()?;
    let mut totals = Totals::new(carving, 0);
    let judged = carving.judge(compared, &mut totals);
    Some((judged, *totals.pieces.first()?))
}
