//! Compares compressed text with the standard tools.

use std::fs;
use std::io::Read;
use std::process::{Command, Stdio};

use insta::assert_snapshot;

use super::yard::Yard;

const PARTS: &str = "part_code,depot\nGRP-00041273-S7K2,East\nHNG-00000411-B2,West\n";
const CUT: &str = "part_code,depot,family\nGRP-00041273-S7K2,East,GRP\nHNG-00000411-B2,West,HNG\n";

/// The output of the system's gzip.
pub fn gzip(words: &[&str], bytes: &[u8]) -> Vec<u8> {
    let mut child = Command::new("gzip").args(words).stdin(Stdio::piped()).stdout(Stdio::piped()).spawn().unwrap();
    let (mut input, bytes) = (child.stdin.take().unwrap(), bytes.to_vec());
    let writer = std::thread::spawn(move || std::io::Write::write_all(&mut input, &bytes));
    let out = child.wait_with_output().unwrap();
    writer.join().unwrap().unwrap();
    assert!(out.status.success());
    out.stdout
}

#[test]
fn compression_follows_the_file_name() {
    let yard = Yard::with("parts.csv.gz", gzip(&["-c"], PARTS.as_bytes()));
    for (out, unpack) in [
        ("cut.csv", (|bytes| bytes) as fn(Vec<u8>) -> Vec<u8>),
        ("cut.csv.gz", |bytes| gzip(&["-dc"], &bytes)),
        ("cut.CSV.ZST", |bytes| zstd::decode_all(&*bytes).unwrap()),
    ] {
        let ran = yard.run(&["carve", "parts.csv.gz", "-p", "family of part_code: first 3", "-o", out]);
        assert_eq!((ran.status, String::from_utf8(unpack(fs::read(yard.path().join(out)).unwrap())).unwrap()), (0, CUT.into()));
        // The program reads its own output.
        let ran = yard.run(&["carve", out, "-p", "first: first 1", "-c", "family", "--columns", "family"]);
        assert_eq!(ran.stdout, "family,first\nGRP,G\nHNG,H\n", "{}", ran.shown());
    }
    let packed = |words: &[&str]| {
        let ran = yard.command(words).output().unwrap();
        assert!(ran.status.success(), "{}", String::from_utf8_lossy(&ran.stderr));
        String::from_utf8(gzip(&["-dc"], &ran.stdout)).unwrap()
    };
    let words = ["carve", "parts.csv.gz", "-p", "family of part_code: first 3", "-q"];
    assert_eq!(packed(&[&words[..], &["--to", "csv.gz"]].concat()), CUT);
    assert_eq!(packed(&[&words[..], &["--to", "tsv.gz", "-o", "-"]].concat()), CUT.replace(',', "\t"));
    // An option gives the extension.
    yard.write("parts.bin", gzip(&["-c"], PARTS.replace(',', "\t").as_bytes()));
    let ran = yard.run(&["carve", "parts.bin", "--from", "tsv.gz", "-c", "part_code", "-p", "family: first 3"]);
    assert_eq!(ran.stdout, CUT.replace(',', "\t"));
    // The other outputs of a run.
    let files = ["--offcuts", "off.csv.gz", "--faults", "faults.jsonl.gz", "--summary", "run.json.gz"];
    let words =
        [&["carve", "parts.csv.gz", "-o", "rest.csv", "--layout", "part_code: <f 3 uppercase>-<s 8 digits>-<g 4>"], &files[..]];
    assert_eq!(yard.run(&words.concat()).status, 0);
    let unpacked = |name: &str| String::from_utf8(gzip(&["-dc"], &fs::read(yard.path().join(name)).unwrap())).unwrap();
    assert!(unpacked("off.csv.gz").starts_with("part_code,depot,why\nHNG-00000411-B2,West,"));
    assert!(unpacked("faults.jsonl.gz").starts_with(r#"{"file":"parts.csv.gz","row":2,"line":3,"#));
    assert!(unpacked("run.json.gz").starts_with('{'));
}

#[test]
fn several_members_and_large_ones_are_read_whole() {
    let rows: String = (0..200_000).map(|n| format!("GRP-{n:08}-S7K2,East\n")).collect();
    let text = format!("part_code,depot\n{rows}");
    let (first, second) = text.split_at(text.len() / 3);
    let members = [gzip(&["-c"], first.as_bytes()), gzip(&["-1c"], second.as_bytes())].concat();
    let yard = Yard::with("parts.csv.gz", members);
    let frames = [zstd::encode_all(first.as_bytes(), 1).unwrap(), zstd::encode_all(second.as_bytes(), 3).unwrap()].concat();
    yard.write("parts.csv.zst", frames);
    for (name, out) in [("parts.csv.gz", "cut.csv.gz"), ("parts.csv.zst", "cut.csv.zst")] {
        assert_eq!(yard.run(&["carve", name, "-c", "part_code", "-p", "s: section 2 by \"-\"", "-o", out]).status, 0);
        let mut again = Vec::new();
        let bytes = fs::read(yard.path().join(out)).unwrap();
        match name.ends_with("gz") {
            true => again = gzip(&["-dc"], &bytes),
            false => drop(zstd::Decoder::new(&*bytes).unwrap().read_to_end(&mut again).unwrap()),
        }
        let wanted: String = (0..200_000).map(|n| format!("GRP-{n:08}-S7K2,East,{n:08}\n")).collect();
        assert!(again == format!("part_code,depot,s\n{wanted}").as_bytes(), "{name}");
    }
}

#[test]
fn zeros_after_a_gzip_member_are_nothing() {
    let members = [gzip(&["-c"], &PARTS.as_bytes()[..30]), gzip(&["-c"], &PARTS.as_bytes()[30..])];
    let yard = Yard::with("padded.csv.gz", [&members[0][..], &[0; 700], &members[1][..], &[0; 200_000]].concat());
    assert_eq!(yard.out(&["carve", "padded.csv.gz", "-c", "part_code", "-p", "family: first 3", "-q"]), CUT);
}

#[test]
fn a_wide_window_is_limited_by_memory() {
    let mut encoder = zstd::Encoder::new(Vec::new(), 1).unwrap();
    encoder.window_log(27).unwrap();
    std::io::Write::write_all(&mut encoder, PARTS.as_bytes()).unwrap();
    let yard = Yard::with("wide.csv.zst", encoder.finish().unwrap());
    let words = ["carve", "wide.csv.zst", "-c", "part_code", "-p", "family: first 3", "-q"];
    assert_eq!(yard.out(&[&words[..], &["--memory", "128M"]].concat()), CUT);
    assert_snapshot!(yard.run(&[&words[..], &["--memory", "64M"]].concat()).stderr, @r"
    error: wide.csv.zst cannot be read: its zstd data needs more memory than the limit
    help: raise the limit, such as --memory 3G, or decompress the file first
    ");
}

#[test]
fn files_unlike_their_extension_are_refused() {
    let yard = Yard::new();
    let rows: String = (0..50_000).map(|n| format!("GRP-{:08}-S7K2\n", n * 7919 % 100_000)).collect();
    let packed = gzip(&["-c"], format!("part_code\n{rows}").as_bytes());
    let damaged: Vec<u8> =
        packed.iter().enumerate().map(|(at, byte)| if at == packed.len() / 2 { byte ^ 0x55 } else { *byte }).collect();
    let zstd = zstd::encode_all(rows.as_bytes(), 3).unwrap();
    yard.write("cut-short.csv.gz", &packed[..packed.len() * 2 / 3]);
    yard.write("without-sum.csv.gz", &packed[..packed.len() - 4]);
    yard.write("damaged.csv.gz", damaged);
    yard.write("cut-short.csv.zst", &zstd[..zstd.len() / 2]);
    let damaged: Vec<u8> = zstd.iter().enumerate().map(|(at, byte)| if at == 14 { byte ^ 0x55 } else { *byte }).collect();
    yard.write("damaged.csv.zst", damaged);
    yard.write("more-after-it.csv.gz", [&packed[..], b"\0\0\0part_code"].concat());
    yard.write("text.csv.gz", PARTS);
    yard.write("text.csv.zst", PARTS);
    yard.write("gzip.csv", &packed);
    yard.write("zstd.csv", &zstd);
    yard.write("book.csv", b"PK\x03\x04\x14\0\x06\0");
    yard.write("book.xyz", b"PK\x03\x04\x14\0\x06\0");
    yard.write("empty.csv.gz", b"");
    yard.write("nothing.csv.gz", gzip(&["-c"], b""));
    yard.write("codes.html", PARTS);
    yard.write("out.csv", "as it was\n");
    let mut names: Vec<String> = yard.names().into_iter().filter(|name| name != "out.csv").collect();
    names.sort();
    let shown: String = names
        .iter()
        .map(|name| {
            let ran = yard.run(&["carve", name, "-c", "#1", "-p", "f: first 3", "-o", "out.csv"]);
            format!("{name}: exit {}\n{}", ran.status, ran.stderr)
        })
        .collect();
    assert_snapshot!(shown);
    assert_eq!(yard.read("out.csv"), "as it was\n");
    assert_snapshot!(yard.run(&["carve", "text.csv.gz", "--from", "csv.gzip", "-p", "f: first 3"]).shown());
}
