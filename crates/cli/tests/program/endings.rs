//! Output extensions, `sep=;` lines and encodings.

use crate::yard::Yard;

const CARVE: [&str; 6] = ["carve", "parts.csv", "-c", "part_code", "-p", "f: first 3"];

#[test]
fn unknown_extensions_of_outputs_are_refused() {
    let yard = Yard::with("parts.csv", "part_code\nGRP-1\n");
    yard.write("list.cutlist.toml", "column = 'part_code'\n[piece.f]\ntake = 'first 3'\ncheck = 'digits'\n");
    let refused: [&[&str]; 5] = [
        &["-o", "out.docx"],
        &["-o", "out.docx.gz"],
        &["-o", "out.csv", "--offcuts", "off.data"],
        &["-o", "out.csv", "--faults", "f.log", "--check", "f: digits"],
        &["-o", "out"],
    ];
    for words in &refused[..4] {
        let ran = yard.run(&[&CARVE[..], words].concat());
        assert!(
            ran.status == 2 && ran.stderr.contains("is not the extension of an output format"),
            "{words:?} {}",
            ran.shown()
        );
    }
    assert_eq!(yard.run(&[&CARVE[..], refused[4]].concat()).status, 0, "no extension is that of the input");
    assert_eq!(yard.run(&[&CARVE[..], &["-o", "out.docx", "--to", "csv"]].concat()).status, 0, "an option says the format");
    for (page, status) in [("x.pdf", 2), ("x.csv", 2), ("x.html", 0), ("x.htm", 0), ("x.json", 0), ("x", 0)] {
        let ran = yard.run(&["report", "parts.csv", "-l", "list.cutlist.toml", "-o", page]);
        assert_eq!(ran.status, status, "{page} {}", ran.shown());
        assert!(status == 0 || ran.stderr.contains("name it x.html"), "{}", ran.shown());
    }
    assert!(yard.read("x.json").starts_with('{') && yard.read("x.htm").starts_with("<!DOCTYPE html>"));
    assert_eq!(yard.run(&["report", "parts.csv", "-l", "list.cutlist.toml", "-o", "x.pdf", "--to", "html"]).status, 0);
}

#[test]
fn offcuts_have_the_delimiter_of_their_name() {
    let yard = Yard::with("parts.csv", "part_code,note\nGRP-1,\"a\tb\"\nGRP,c,d\nX,\"e,f\"\n");
    let words = ["--check", "f: length 3", "--ragged", "set-aside", "-o", "out.csv", "--offcuts", "off.tsv", "-q"];
    yard.run(&[&CARVE[..], &words].concat());
    let why = "f: it has 1 character, not 3";
    assert_eq!(
        yard.read("off.tsv").lines().map(|line| line.split('\t').collect::<Vec<_>>()).collect::<Vec<_>>()[..1],
        [vec!["part_code", "note", "why"]]
    );
    let off = yard.read("off.tsv");
    assert!(off.contains(&format!("X\t\"e,f\"\t{why}\n")) && off.contains("GRP\tc\td\t"), "{off}");
}

#[test]
fn a_first_line_can_set_the_delimiter() {
    let yard = Yard::with("parts.csv", "\u{feff}sep=;\r\npart_code;note\r\nGRP-1;a,b\r\nX;c\r\n");
    let out = yard.out(&[&CARVE[..], &["-q"]].concat());
    assert_eq!(
        out, "\u{feff}sep=;\r\npart_code;note;f\r\nGRP-1;a,b;GRP\r\nX;c;X\r\n",
        "the line stays where the delimiter does"
    );
    let tabs = yard.out(&[&CARVE[..], &["-q", "--out-delimiter", "\t"]].concat());
    assert_eq!(tabs, "\u{feff}part_code\tnote\tf\r\nGRP-1\ta,b\tGRP\r\nX\tc\tX\r\n");
    let lines = yard.out(&[&CARVE[..], &["-q", "--to", "jsonl"]].concat());
    assert_eq!(
        lines,
        "{\"part_code\":\"GRP-1\",\"note\":\"a,b\",\"f\":\"GRP\"}\n{\"part_code\":\"X\",\"note\":\"c\",\"f\":\"X\"}\n"
    );
    let check = ["--check", "f: length 3", "-o", "out.csv", "--offcuts", "off.csv", "--faults", "faults.csv", "-q"];
    yard.run(&[&CARVE[..], &check].concat());
    assert!(yard.read("off.csv").starts_with("sep=;\r\npart_code;note;why\r\nX;c;"), "{}", yard.read("off.csv"));
    assert!(yard.read("faults.csv").contains("parts.csv,2,4,"), "lines are counted with it: {}", yard.read("faults.csv"));
    yard.write("two.csv", "sep=;\npart_code;note\nY;d\n");
    let both = yard.out(&["carve", "parts.csv", "two.csv", "-c", "part_code", "-p", "f: first 3", "-q", "--only-pieces"]);
    assert!(both.ends_with("f\r\nGRP\r\nX\r\nY\r\n") || both.ends_with("f\r\nGRP\r\nX\r\nY\n"), "{both:?}");
    let given = yard.run(&["carve", "two.csv", "--delimiter", ",", "-c", "#1", "-p", "f: first 1", "-q", "--only-pieces"]);
    assert!(given.status == 0 && given.stdout.ends_with("f\nY\n"), "what is said on the command line wins: {}", given.shown());
    yard.write("rows.csv", "sep=;\nGRP-1;x\n");
    assert!(yard.out(&["carve", "rows.csv", "--no-header", "-c", "#1", "-p", "f: first 3", "-q"]).ends_with("GRP-1;x;GRP\n"));
    yard.write("only.csv", "sep=;\n");
    assert_eq!(yard.run(&["carve", "only.csv", "-c", "#1", "-p", "f: first 3"]).status, 3);
}

#[test]
fn utf16_without_a_mark_is_named() {
    let yard = Yard::new();
    for (encoding, bytes) in [("utf-16le", u16::to_le_bytes as fn(u16) -> [u8; 2]), ("utf-16be", u16::to_be_bytes)] {
        for text in ["part_code,depot\nGRP-1,Süd\n", "part_code,депо\nGRP-1,Юг\n"] {
            yard.write("parts.csv", text.encode_utf16().flat_map(bytes).collect::<Vec<u8>>());
            let ran = yard.run(&CARVE);
            assert!(ran.status == 3 && ran.stderr.contains(&format!("add --encoding {encoding}")), "{}", ran.shown());
            assert_eq!(yard.run(&[&CARVE[..], &["--encoding", encoding]].concat()).status, 0);
        }
    }
}
