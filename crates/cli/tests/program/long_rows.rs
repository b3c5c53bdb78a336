//! Files that threads read together: very long rows, line ends in quotes, and a file whose size is wrong.

use crate::yard::Yard;

/// A table of 3 MB. Some rows reach over several stretches of the file, and most line ends are in quotes.
fn yard() -> (Yard, String) {
    let width = |row: usize| match row % 53 {
        0 => 700_000,
        7 => 300_000,
        kind => kind * 40,
    };
    let row = |row: usize| format!("GRP-{row:05}-S7,\"{}\n,\"\"{}\n\",dépôt {row}\n", "x".repeat(width(row)), row % 7);
    let text = format!("code,note,depot\n{}", (0..120).map(row).collect::<String>());
    (Yard::with("a.csv", &text), text)
}

#[test]
fn long_rows_are_the_same_on_all_threads_and_through_a_pipe() {
    let (yard, text) = yard();
    let pieces = ["-c", "code", "-p", "no: section 2 by \"-\"", "--check", "no: not contains \"17\"", "-p", "row: row number"];
    let outputs = ["--faults", "faults.csv", "--offcuts", "aside.csv"];
    let all = |file: &'static str, words: &[&'static str]| [&["carve", file][..], &pieces, &outputs, words].concat();
    let left_behind = || ["out.csv", "faults.csv", "aside.csv"].map(|name| yard.read(name).replace("standard input", "a.csv"));
    let status = yard.run_on(text.as_str(), &all("-", &["-o", "out.csv"])).status;
    let piped = left_behind();
    assert_eq!(piped[0].lines().count() + piped[2].lines().count(), 2 + 120 * 3);
    let surveyed = |file: &'static str, words: &[&'static str]| {
        let ran = yard.run_on(text.as_str(), &[&["survey", file, "-c", "note", "--to", "json"], words].concat());
        ran.stdout.replace("standard input", "a.csv")
    };
    for threads in ["1", "2", "7"] {
        let ran = yard.run(&all("a.csv", &["-o", "out.csv", "--threads", threads]));
        assert_eq!(ran.status, status, "{}", ran.shown());
        assert_eq!(left_behind(), piped, "{threads} threads");
        assert_eq!(surveyed("a.csv", &["--threads", threads]), surveyed("-", &[]));
    }
}

#[test]
fn errors_in_long_rows_have_their_line() {
    let (yard, text) = yard();
    let error = |words: &[&str]| yard.run(&[&["carve", "a.csv", "-c", "code", "-p", "no: first 3"], words].concat()).stderr;
    for threads in ["1", "4"] {
        let long = error(&["--threads", threads, "--max-row", "600K"]);
        assert!(long.contains("a.csv, line 2:"), "{long}");
        yard.write("a.csv", format!("{text}GRP-1,\"never closed\n{}", "x,y\n".repeat(100_000)));
        let open = error(&["--threads", threads]);
        assert!(open.contains("a.csv, line 362:"), "{open}");
        yard.write("a.csv", &text);
    }
}

#[cfg(target_os = "linux")]
#[test]
fn a_file_of_the_system_is_read_to_its_end() {
    // Its size is 0. Some systems hide it.
    let name = "/proc/kallsyms";
    let Ok(content) = std::fs::read_to_string(name) else { return };
    let words = ["carve", name, "--delimiter", " ", "--no-header", "--ragged", "keep", "-c", "#1", "-p", "x: first 1", "-q"];
    let rows = Yard::new().out(&words).lines().count();
    // Some lines come and go while the system runs.
    assert!(rows.abs_diff(content.lines().count()) * 10 < rows, "{rows} rows");
}
