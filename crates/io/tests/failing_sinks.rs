//! If any call of a sink fails, the run ends with that error, and outputs in place are restored.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, reason = "a test that cannot go on has failed")]

use std::cmp::Ordering::{Equal, Less};
use std::path::Path;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::{fs, io};

use keen_notch_core::carving::Carving;
use keen_notch_core::column::ColumnRef;
use keen_notch_core::cutlist::CutList;
use keen_notch_core::program::Setting;
use keen_notch_core::text::unit::Unit;
use keen_notch_io::Error;
use keen_notch_io::carve::{Job, Outs, carve};
use keen_notch_io::faults::FaultFile;
use keen_notch_io::files::RunFiles;
use keen_notch_io::formats::{self, FileFormat};
use keen_notch_io::sink::{Sink, commit_all};
use keen_notch_io::source::Reading;
use keen_notch_io::source::input::Input;
use keen_notch_io::table::Table;

const LIST: &str = "[piece.no]\ntake = 'after \"-\"'\ncheck = ['digits', 'unique']\n";

/// The calls of all sinks of a run.
#[derive(Default)]
struct SinkCalls {
    calls: AtomicUsize,
    placed: AtomicUsize,
    taken_back: AtomicUsize,
}

/// A sink that fails at one of all calls of a run.
struct Failing<'s> {
    name: &'static str,
    at: usize,
    seen: &'s SinkCalls,
}

impl Failing<'_> {
    fn call(&self) -> Result<(), Error> {
        match self.seen.calls.fetch_add(1, Ordering::SeqCst).cmp(&self.at) {
            Equal => Err(Error::Write {
                name: self.name.to_owned(),
                source: io::ErrorKind::StorageFull.into(),
                is_half_written: false,
            }),
            order => {
                assert_eq!(order, Less, "after an error there is no other call");
                Ok(())
            }
        }
    }
}

impl Sink for Failing<'_> {
    fn name(&self) -> &str {
        self.name
    }

    fn put(&mut self, _: &[u8]) -> Result<(), Error> {
        self.call()
    }

    fn settle(&mut self) -> Result<(), Error> {
        self.call()
    }

    fn place(&mut self, _: bool) -> Result<(), Error> {
        self.call()?;
        self.seen.placed.fetch_add(1, Ordering::SeqCst);
        Ok(())
    }

    fn take_back(&mut self) {
        self.seen.taken_back.fetch_add(1, Ordering::SeqCst);
    }

    fn is_final(&self) -> bool {
        false
    }
}

/// A run with three sinks, one call of which fails.
fn run(text: &str, threads: usize, at: usize, seen: &SinkCalls) -> Result<(), Error> {
    let [mut rows, mut offcuts, mut faults] = ["out.csv", "offcuts.csv", "faults.csv"].map(|name| Failing { name, at, seen });
    let inputs = [Input::Memory("a.csv".to_owned(), text.as_bytes().into())];
    let mut table = Table::open(&inputs, &Reading { stride: Some(512), ..Reading::default() }).unwrap();
    let wanted = CutList::parse(LIST, 0).unwrap().wanted;
    let main = ColumnRef::Number(1);
    let carving = Carving::new(&wanted, Some(&main), &Setting::new(Unit::Characters), &table.header).unwrap();
    let header = table.header.clone();
    let job = Job::new(carving, &header, &[0], 0).with_threads(threads);
    let fault_file = FaultFile::new(&mut faults, FileFormat::default(), false)?;
    carve(
        &mut table,
        &job,
        &mut Outs { rows: &mut rows, offcuts: Some(&mut offcuts), faults: Some(fault_file), hashes: None },
    )?;
    commit_all(vec![Box::new(rows), Box::new(offcuts), Box::new(faults)])
}

#[test]
fn any_failing_call_of_a_sink_ends_the_run_without_leftovers() {
    let text: String = (0..400).map(|row| format!("GRP-{row}{}\n", if row % 5 == 0 { "x" } else { "" })).collect();
    let text = format!("code\n{text}");
    for threads in [1, 3] {
        let seen = SinkCalls::default();
        run(&text, threads, usize::MAX, &seen).unwrap();
        let all = seen.calls.into_inner();
        assert!(all > 12, "only {all} calls");
        assert_eq!((seen.placed.into_inner(), seen.taken_back.into_inner()), (3, 0));
        for at in 0..all {
            let seen = SinkCalls::default();
            let error = run(&text, threads, at, &seen).expect_err("a call failed");
            assert!(error.to_string().ends_with("cannot be written: no space is left on the disk"), "{error}");
            assert_eq!(seen.taken_back.into_inner(), seen.placed.into_inner(), "call {at} of {all}");
        }
    }
}

#[test]
fn a_folder_renamed_during_a_run_has_no_leftovers() {
    let folder = tempfile::tempdir().unwrap();
    let [out, summaries, moved] = ["out", "summaries", "moved"].map(|name| folder.path().join(name));
    let names_in = |folder: &Path| -> Vec<String> {
        let names = fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().file_name().into_string().unwrap());
        names.collect()
    };
    for renamed in [&out, &summaries] {
        for folder in [&out, &summaries] {
            fs::create_dir(folder).unwrap();
        }
        fs::write(out.join("parts.csv"), "old").unwrap();
        let files = RunFiles::default();
        let open = |path: &Path| {
            let mut sink = formats::create(path, &files).unwrap();
            sink.put(b"new").unwrap();
            sink
        };
        let sinks = vec![open(&out.join("parts.csv")), open(&summaries.join("parts.json"))];
        fs::rename(renamed, &moved).unwrap();
        let error = commit_all(sinks).unwrap_err();
        assert!(matches!(error, Error::Write { .. }), "{error}");
        let (of_out, of_summaries) = if *renamed == out { (&moved, &summaries) } else { (&out, &moved) };
        assert_eq!((names_in(of_out), names_in(of_summaries)), (vec!["parts.csv".to_owned()], vec![]));
        assert_eq!(fs::read_to_string(of_out.join("parts.csv")).unwrap(), "old");
        for folder in [of_out, of_summaries] {
            fs::remove_dir_all(folder).unwrap();
        }
    }
}
