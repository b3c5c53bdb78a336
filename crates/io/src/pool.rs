//! Work on several threads whose results come in the order of what was worked on.

use std::collections::BTreeMap;
use std::thread;

use crossbeam_channel::bounded;

/// Items on their way, for each thread: read, worked on, or waiting for one before them. This is what bounds
/// memory.
const ON_THE_WAY: usize = 4;

/// Takes items from `source` until it gives none, works on each on one of so many threads, and hands the results
/// to `sink` in the order of the items. `worker` is called on each thread once, and gives what works there.
///
/// # Errors
/// The first in the order of the items, whichever of the three it comes from; what came before it has been handed
/// to `sink`.
pub fn in_order<T: Send, R: Send, E: Send, W: FnMut(T) -> Result<R, E>>(
    threads: usize,
    mut source: impl FnMut() -> Result<Option<T>, E> + Send,
    worker: impl Fn() -> W + Sync,
    mut sink: impl FnMut(R) -> Result<(), E>,
) -> Result<(), E> {
    if threads <= 1 {
        let mut work = worker();
        while let Some(item) = source()? {
            sink(work(item)?)?;
        }
        return Ok(());
    }
    thread::scope(|scope| {
        let (items, to_do) = bounded::<(u64, T)>(threads);
        let (results, done) = bounded::<(u64, Result<R, E>)>(threads * ON_THE_WAY);
        let (leave, left) = bounded::<()>(threads * ON_THE_WAY);
        for _ in 0..threads * ON_THE_WAY {
            let _ = leave.send(());
        }
        for _ in 0..threads {
            let (to_do, results, worker) = (to_do.clone(), results.clone(), &worker);
            scope.spawn(move || {
                let mut work = worker();
                for (number, item) in to_do {
                    if results.send((number, work(item))).is_err() {
                        break;
                    }
                }
            });
        }
        drop(to_do);
        scope.spawn(move || {
            // Nobody to hand on to means that the run is over.
            for number in 0.. {
                if left.recv().is_err() {
                    break;
                }
                let handed_on = match source() {
                    Ok(Some(item)) => items.send((number, item)).is_ok(),
                    Ok(None) => false,
                    Err(error) => {
                        let _ = results.send((number, Err(error)));
                        false
                    }
                };
                if !handed_on {
                    break;
                }
            }
        });
        let mut waiting: BTreeMap<u64, Result<R, E>> = BTreeMap::new();
        let mut next = 0;
        for (number, result) in &done {
            waiting.insert(number, result);
            while let Some(result) = waiting.remove(&next) {
                sink(result?)?;
                next += 1;
                let _ = leave.send(());
            }
        }
        Ok(())
    })
}

/// Takes items from `source` on a thread of its own, a few ahead, and hands them to `sink`.
///
/// # Errors
/// The first of either.
pub fn ahead<T: Send, E: Send>(
    mut source: impl FnMut() -> Result<Option<T>, E> + Send,
    mut sink: impl FnMut(T) -> Result<(), E>,
) -> Result<(), E> {
    thread::scope(|scope| {
        let (items, to_take) = bounded::<Result<T, E>>(ON_THE_WAY);
        scope.spawn(move || {
            while let Some(item) = source().transpose() {
                let failed = item.is_err();
                if items.send(item).is_err() || failed {
                    break;
                }
            }
        });
        for item in to_take {
            sink(item?)?;
        }
        Ok(())
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The numbers below `end`, doubled by so many threads; one of them may fail.
    fn doubled(threads: usize, end: u32, fails: Option<u32>) -> (Vec<u32>, Result<(), u32>) {
        let mut numbers = 0..end;
        let mut doubled = Vec::new();
        let work = |number: u32| {
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
        );
        (doubled, result)
    }

    #[test]
    fn items_are_taken_ahead() {
        let taken = |fails: Option<u32>| {
            let (mut numbers, mut taken) = (0..100, Vec::new());
            let result = ahead(
                || if numbers.start == 50 && fails.is_some() { Err("broken") } else { Ok(numbers.next()) },
                |number| {
                    taken.push(number);
                    if Some(number) == fails { Err("full") } else { Ok(()) }
                },
            );
            (taken.len(), result)
        };
        assert_eq!(taken(None), (100, Ok(())));
        assert_eq!(taken(Some(99)), (50, Err("broken")));
        assert_eq!(taken(Some(7)), (8, Err("full")));
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
                || Ok::<u32, &str>,
                |number| if number < 50 { Ok(()) } else { Err("full") },
            );
            assert_eq!(full, Err("full"), "an endless source is left when nobody takes its results");
            let broken = in_order(threads, || Err::<Option<u32>, _>("broken"), || Ok::<u32, &str>, |_| Ok(()));
            assert_eq!(broken, Err("broken"));
        }
    }
}
