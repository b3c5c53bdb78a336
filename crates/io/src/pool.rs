//! Parallel work with results in order.

use std::collections::BTreeMap;
use std::sync::atomic::{Ordering, fence};
use std::sync::{Condvar, Mutex, MutexGuard, PoisonError};
use std::thread;

use crossbeam_channel::unbounded;

/// Maximum bytes in flight per thread: items in progress or waiting for an earlier one. This limits memory.
const ON_THE_WAY: usize = 1 << 20;

pub trait HasSize {
    fn size(&self) -> usize;
}

struct Source<S> {
    give: S,
    next: u64,
    ended: bool,
}

struct Sink<K, R, E> {
    take: K,
    next: u64,
    /// Results ahead of their turn, with the size of their items.
    waiting: BTreeMap<u64, (usize, Result<R, E>)>,
    outcome: Result<(), E>,
}

#[derive(Default)]
struct Progress {
    state: Mutex<ProgressState>,
    changed: Condvar,
}

#[derive(Default)]
struct ProgressState {
    on_the_way: usize,
    handed_on: u64,
    has_ended: bool,
}

impl Progress {
    fn wait(&self, until: impl Fn(&ProgressState) -> bool) -> bool {
        let mut state = lock(&self.state);
        while !until(&state) && !state.has_ended {
            state = self.changed.wait(state).unwrap_or_else(PoisonError::into_inner);
        }
        !state.has_ended
    }

    fn change(&self, change: impl FnOnce(&mut ProgressState)) {
        change(&mut lock(&self.state));
        self.changed.notify_all();
    }
}

/// The next item with its number and size, as soon as fewer than `most` bytes are in flight.
fn next_item<T: HasSize, E>(
    source: &Mutex<Source<impl FnMut() -> Result<Option<T>, E>>>,
    progress: &Progress,
    most: usize,
) -> Option<(u64, usize, Result<T, E>)> {
    let mut source = lock(source);
    // The size of an item is known only after it is taken, so one thread waits and takes it.
    if source.ended || !progress.wait(|state| state.on_the_way < most) {
        return None;
    }
    let item = (source.give)().transpose();
    source.ended = !matches!(item, Some(Ok(_)));
    source.next += 1;
    let size = if let Some(Ok(item)) = &item { item.size() } else { 0 };
    progress.change(|state| state.on_the_way += size);
    item.map(|item| (source.next - 1, size, item))
}

/// Consumes a part of a large result early, when it is its turn. Returns whether the run continues.
pub type Ahead<'a, R> = &'a mut dyn FnMut(R) -> bool;

fn alone<T, R, E>(
    source: &mut impl FnMut() -> Result<Option<T>, E>,
    mut work: impl FnMut(u64, T, Ahead<R>) -> Result<R, E>,
    sink: &mut impl FnMut(R) -> Result<(), E>,
) -> Result<(), E> {
    for number in 0.. {
        let Some(item) = source()? else { break };
        let mut handed_on = Ok(());
        let result = work(number, item, &mut |part| {
            handed_on = sink(part);
            handed_on.is_ok()
        });
        handed_on?;
        sink(result?)?;
    }
    Ok(())
}

/// Takes items from `source` until there are none, processes them on `threads` threads, and passes the results to `sink` in the order of
/// the items. `worker` is called once on each thread and returns the processing function. That function receives the number of each item,
/// from 0, and can pass parts of its result to `sink` early. `finish` gets the outcomes of `sink`, on several threads and in any
/// order.
///
/// Each thread takes an item, processes it and passes the result on itself, unless another thread is doing so; this keeps data in one
/// CPU's cache. If a thread cannot start, the run continues without it.
///
/// # Errors
/// The first error in the order of the items, or any error of `finish`. Earlier results have been passed to `sink`.
pub fn in_order<T: HasSize, R: Send, F, E: Send, W: FnMut(u64, T, Ahead<R>) -> Result<R, E>>(
    threads: usize,
    mut source: impl FnMut() -> Result<Option<T>, E> + Send,
    worker: impl Fn() -> W + Sync,
    mut sink: impl FnMut(R) -> Result<F, E> + Send,
    finish: impl Fn(F) -> Result<(), E> + Sync,
) -> Result<(), E> {
    if threads <= 1 {
        return alone(&mut source, worker(), &mut |result| finish(sink(result)?));
    }
    let progress = Progress::default();
    let (results, done) = unbounded::<(u64, usize, Result<R, E>)>();
    let source = Mutex::new(Source { give: source, next: 0, ended: false });
    let sink = Mutex::new(Sink { take: sink, next: 0, waiting: BTreeMap::new(), outcome: Ok(()) });
    let stop = || progress.change(|state| state.has_ended = true);
    let fail = |mut locked: MutexGuard<Sink<_, R, E>>, error: E| {
        if locked.outcome.is_ok() {
            locked.outcome = Err(error);
        }
        drop(locked);
        stop();
        false
    };
    // Passes a result on, and finishes it without the lock. Returns whether the run continues.
    let take = |mut locked: MutexGuard<Sink<_, R, E>>, result: Result<R, E>| {
        let taken = match result.and_then(&mut locked.take) {
            Ok(taken) => taken,
            Err(error) => return fail(locked, error),
        };
        drop(locked);
        finish(taken).map_or_else(|error| fail(lock(&sink), error), |()| true)
    };
    // If another thread is passing on results, it also takes this one: it looks again before it stops.
    let hand_on = || {
        loop {
            fence(Ordering::SeqCst);
            let Ok(mut locked) = sink.try_lock() else { return };
            let sink = &mut *locked;
            if sink.outcome.is_err() {
                return;
            }
            sink.waiting.extend(done.try_iter().map(|(number, size, result)| (number, (size, result))));
            let Some((size, result)) = sink.waiting.remove(&sink.next) else {
                drop(locked);
                fence(Ordering::SeqCst);
                if done.is_empty() {
                    return;
                }
                continue;
            };
            sink.next += 1;
            if !take(locked, result) {
                return;
            }
            progress.change(|state| {
                state.on_the_way -= size;
                state.handed_on += 1;
            });
        }
    };
    let hand_on_ahead = |number: u64, part: R| {
        if !progress.wait(|state| state.handed_on == number) {
            return false;
        }
        let locked = lock(&sink);
        locked.outcome.is_ok() && take(locked, Ok(part))
    };
    let run = || {
        let _stops = OnPanic(&stop);
        let mut work = worker();
        while let Some((number, size, item)) = next_item(&source, &progress, threads * ON_THE_WAY) {
            let result = item.and_then(|item| work(number, item, &mut |part| hand_on_ahead(number, part)));
            let _ = results.send((number, size, result));
            hand_on();
        }
    };
    thread::scope(|scope| {
        for _ in 1..threads {
            if thread::Builder::new().spawn_scoped(scope, run).is_err() {
                break;
            }
        }
        run();
    });
    sink.into_inner().unwrap_or_else(PoisonError::into_inner).outcome
}

/// Locks a mutex. After a panic its content is not used, because the panic ends the run.
pub fn lock<T>(of: &Mutex<T>) -> MutexGuard<'_, T> {
    of.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Runs a cleanup if the thread panics, so that other threads do not wait forever.
struct OnPanic<F: Fn()>(F);

impl<F: Fn()> Drop for OnPanic<F> {
    fn drop(&mut self) {
        if thread::panicking() {
            (self.0)();
        }
    }
}

/// State that items update in order while they are processed in parallel.
pub struct Turns<S> {
    state: Mutex<Turn<S>>,
    changed: Condvar,
}

struct Turn<S> {
    state: S,
    next: u64,
    /// Later items wait for one that will never come.
    broken: u64,
}

impl<S> Turns<S> {
    pub fn new(state: S) -> Turns<S> {
        Turns { state: Mutex::new(Turn { state, next: 0, broken: u64::MAX }), changed: Condvar::new() }
    }

    /// Waits for the turn of an item and calls `take`; `None` if an earlier item was aborted. Every item must take its turn or be
    /// aborted.
    pub fn take<R>(&self, number: u64, take: impl FnOnce(&mut S) -> R) -> Option<R> {
        self.call(number, take, true)
    }

    /// The same, but it stays the turn of the item.
    pub fn hold<R>(&self, number: u64, take: impl FnOnce(&mut S) -> R) -> Option<R> {
        self.call(number, take, false)
    }

    fn call<R>(&self, number: u64, take: impl FnOnce(&mut S) -> R, is_last: bool) -> Option<R> {
        let mut turn = lock(&self.state);
        while turn.next != number {
            if number > turn.broken {
                return None;
            }
            turn = self.changed.wait(turn).unwrap_or_else(PoisonError::into_inner);
        }
        let result = take(&mut turn.state);
        turn.next += u64::from(is_last);
        drop(turn);
        self.changed.notify_all();
        Some(result)
    }

    /// Marks an item as aborted, unless it has taken its turn.
    pub fn break_off(&self, number: u64) {
        let mut turn = lock(&self.state);
        if number >= turn.next {
            turn.broken = turn.broken.min(number);
            self.changed.notify_all();
        }
    }

    /// A guard that aborts an item when dropped, unless it has taken its turn.
    pub fn guard(&self, number: u64) -> TurnGuard<'_, S> {
        TurnGuard { turns: self, number }
    }
}

/// Marks a failed item as done so that later items can proceed.
pub struct TurnGuard<'t, S> {
    turns: &'t Turns<S>,
    number: u64,
}

impl<S> Drop for TurnGuard<'_, S> {
    fn drop(&mut self) {
        self.turns.break_off(self.number);
    }
}

#[cfg(test)]
mod tests {
    use std::sync::atomic::AtomicUsize;
    use std::time::Duration;

    use super::*;

    impl HasSize for u16 {
        fn size(&self) -> usize {
            1
        }
    }

    impl HasSize for u32 {
        fn size(&self) -> usize {
            // Only a few fit.
            ON_THE_WAY / 2
        }
    }

    fn doubled(threads: usize, end: u32, fails: Option<u32>) -> (Vec<u32>, Result<(), u32>) {
        let mut numbers = 0..end;
        let mut doubled = Vec::new();
        let work = |_, number: u32, _: Ahead<u32>| {
            thread::yield_now();
            if Some(number) == fails { Err(number) } else { Ok(number * 2) }
        };
        let result = in_order(
            threads,
            || Ok(numbers.next()),
            || work,
            |number| {
                doubled.push(number);
                Ok(())
            },
            Ok,
        );
        (doubled, result)
    }

    #[test]
    fn results_come_in_order_up_to_the_first_error() {
        for threads in [1, 2, 5] {
            let all: Vec<u32> = (0..200).map(|number| number * 2).collect();
            assert_eq!(doubled(threads, 200, None), (all.clone(), Ok(())));
            assert_eq!(doubled(threads, 200, Some(120)), (all[..120].to_vec(), Err(120)));
            let mut numbers = 0..;
            let full = in_order(
                threads,
                || Ok(numbers.next()),
                || |_, number, _: Ahead<u32>| Ok::<u32, &str>(number),
                |number| if number < 50 { Ok(()) } else { Err("full") },
                Ok,
            );
            assert_eq!(full, Err("full"), "an endless source is left when nobody takes its results");
            let broken = in_order(
                threads,
                || Err::<Option<u32>, _>("broken"),
                || |_, number, _: Ahead<u32>| Ok::<u32, &str>(number),
                |_| Ok(()),
                Ok,
            );
            assert_eq!(broken, Err("broken"));
        }
    }

    #[test]
    fn parts_of_a_result_go_ahead_of_the_rest_and_in_order() {
        for threads in [1, 2, 5] {
            let mut numbers = 0..100;
            let mut taken = Vec::new();
            let work = |_, number: u32, ahead: Ahead<u32>| {
                (0..number % 4).for_each(|_| assert!(ahead(number)));
                Ok::<u32, ()>(number)
            };
            let take = |number| {
                taken.push(number);
                Ok(())
            };
            in_order(threads, || Ok(numbers.next()), || work, take, Ok).unwrap();
            let expected: Vec<u32> = (0..100).flat_map(|number| vec![number; number as usize % 4 + 1]).collect();
            assert_eq!(taken, expected);
            // If a part fails, no thread continues or waits for its turn.
            let mut numbers = 0..;
            let work = |_, number: u32, ahead: Ahead<u32>| {
                let goes_on = ahead(number);
                if goes_on && number == 30 { Err("broken") } else { Ok(number) }
            };
            let take = |number| if number == 10 { Err("full") } else { Ok(()) };
            assert_eq!(in_order(threads, || Ok(numbers.next()), || work, take, Ok), Err("full"));
            let mut numbers = 0..;
            assert_eq!(in_order(threads, || Ok(numbers.next()), || work, |_| Ok(()), Ok), Err("broken"));
        }
    }

    #[test]
    fn eight_threads_stay_busy_while_steps_and_writes_are_slow() {
        let busy = AtomicUsize::new(0);
        let all_are_busy = AtomicUsize::new(0);
        let slow = || {
            if busy.fetch_add(1, Ordering::SeqCst) >= 6 {
                all_are_busy.fetch_add(1, Ordering::SeqCst);
            }
            thread::sleep(Duration::from_millis(3));
            busy.fetch_sub(1, Ordering::SeqCst);
        };
        let mut numbers = 0..200_u16;
        let work = |_, number: u16, _: Ahead<u16>| {
            slow();
            Ok::<u16, ()>(number)
        };
        let finish = |_| {
            slow();
            Ok(())
        };
        in_order(8, || Ok(numbers.next()), || work, Ok, finish).unwrap();
        let share = all_are_busy.into_inner() as f64 / 400.0;
        assert!(share > 0.5, "seven or eight threads were busy in {share} of the steps");
    }

    #[test]
    fn a_panic_ends_the_run_and_nobody_waits_for_it() {
        let mut numbers = 0..;
        let work = |_, number: u32, _: Ahead<u32>| if number == 20 { panic!("a bug") } else { Ok::<u32, ()>(number) };
        let run = || in_order(3, || Ok(numbers.next()), || work, |_| Ok(()), Ok);
        assert!(std::panic::catch_unwind(std::panic::AssertUnwindSafe(run)).is_err());
    }

    #[test]
    fn turns_come_in_order_and_skip_aborted_items() {
        for threads in [1, 3] {
            let turns = Turns::new(Vec::new());
            let mut numbers = 0..100;
            let worker = || {
                |number, item: u32, _: Ahead<()>| {
                    let _guard = turns.guard(number);
                    thread::yield_now();
                    if item == 60 { Err("broken") } else { turns.take(number, |taken| taken.push(item)).ok_or("after that") }
                }
            };
            let outcome = in_order(threads, || Ok(numbers.next()), worker, |()| Ok(()), Ok);
            assert_eq!(outcome, Err("broken"));
            assert_eq!(lock(&turns.state).state, (0..60).collect::<Vec<_>>());
        }
    }
}
