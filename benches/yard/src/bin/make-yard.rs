//! Writes a made-up register of a ropeway's spare parts as delimited text on standard output.
//!
//! usage: make-yard ROWS [KIND]     the same ROWS and KIND give the same bytes
//!
//! KIND is one of
//!   tidy      every row as it should be; one depot in four has a comma, and is quoted (the default)
//!   crlf      the same, with lines that end in CR LF
//!   quoted    the same, every cell quoted
//!   doubled   the same, with quotes doubled within the depot, which no benchmark looks at
//!   untidy    about one row in fifty breaks a rule as real registers do
//!   accents   one row in four has letters beyond ASCII in its reference
//!   accented  every row has them in its reference
//!   codes     every row has them in its reference, and most have them in their part code
use std::io::{self, BufWriter, Write};

const FAMILIES: &[&str] = &["GRP", "HNG", "SHV", "BRK", "CAB", "TWR", "DRV", "SNS"];
const TEAMS: &[&str] = &["RIG", "EL", "HYDR", "OPS", "MECH", "IT"];
const GIVEN: &[&str] = &["Ines", "Tomas", "Leyla", "Bram", "Noor", "Signe", "Paolo", "Wren"];
const SURNAMES: &[&str] = &["Okafor", "Lindqvist", "Marchetti", "Duarte", "Hale", "Novak", "Brandt", "Sato"];
const KINDS: &[&str] = &["INSP", "REPL", "CALL", "AUDIT"];
const PARTS: &[&str] = &["brake pad", "sheave liner", "grip jaw", "relay", "hanger bolt", "door seal"];
const DEPOTS: &[&str] = &["Valley", "Midway", "Summit", "Workshop, east"];
const GRADES: &[u8] = b"ABCDEFGHJKLMNPQRSTUVWXYZ0123456789";

/// Numbers that look like chance, the same in every run (SplitMix64, Steele, Lea and Flood, 2014).
struct Chance(u64);

impl Chance {
    fn below(&mut self, end: u64) -> u64 {
        self.0 = self.0.wrapping_add(0x9E37_79B9_7F4A_7C15);
        let mut bits = self.0;
        bits = (bits ^ (bits >> 30)).wrapping_mul(0xBF58_476D_1CE4_E5B9);
        bits = (bits ^ (bits >> 27)).wrapping_mul(0x94D0_49BB_1331_11EB);
        (bits ^ (bits >> 31)) % end
    }

    fn one_of<'a>(&mut self, list: &[&'a str]) -> &'a str {
        list[self.below(list.len() as u64) as usize]
    }
}

fn main() -> io::Result<()> {
    let mut words = std::env::args().skip(1);
    let rows: u64 = words.next().and_then(|rows| rows.parse().ok()).expect("usage: make-yard ROWS [KIND]");
    let kind = words.next().unwrap_or_else(|| "tidy".to_owned());
    let known = ["tidy", "crlf", "quoted", "doubled", "untidy", "accents", "accented", "codes"];
    assert!(known.contains(&kind.as_str()), "make-yard: KIND is one of {}", known.join(", "));
    let line_end = if kind == "crlf" { "\r\n" } else { "\n" };
    let mut out = BufWriter::with_capacity(1 << 20, io::stdout().lock());
    let mut chance = Chance(1);
    write!(out, "row,part_code,crew_id,email,reference,depot,quantity,received{line_end}")?;
    for row in 1..=rows {
        let cells = cells(row, &kind, &mut chance);
        for (index, cell) in cells.iter().enumerate() {
            let comma = if index > 0 { "," } else { "" };
            if kind == "quoted" || cell.contains([',', '"', '\n']) {
                write!(out, "{comma}\"{}\"", cell.replace('"', "\"\""))?;
            } else {
                write!(out, "{comma}{cell}")?;
            }
        }
        out.write_all(line_end.as_bytes())?;
    }
    out.flush()
}

fn cells(row: u64, kind: &str, chance: &mut Chance) -> [String; 8] {
    let family = chance.one_of(FAMILIES);
    let serial = chance.below(100_000_000);
    let grade: String = (0..4).map(|_| char::from(GRADES[chance.below(GRADES.len() as u64) as usize])).collect();
    let (year, crew, team) = (2004 + chance.below(22), chance.below(10_000), chance.one_of(TEAMS));
    let (given, surname) = (chance.one_of(GIVEN), chance.one_of(SURNAMES));
    let (work, order, part) = (chance.one_of(KINDS), 10_000 + chance.below(900_000), chance.one_of(PARTS));
    let (size, quantity) = (chance.below(9_999), 1 + chance.below(400));
    let (month, day) = (1 + chance.below(12), 1 + chance.below(28));
    let mut code = format!("{family}-{serial:08}-{grade}");
    let mut reference =
        format!("{work} {year}/{month:02} WO:{order} ({given} {surname}) {part} {}.{:02} mm", size / 100, size % 100);
    let mut depot = chance.one_of(DEPOTS).to_owned();
    match kind {
        "doubled" => depot = format!("the \"{depot}\" depot"),
        "accents" if row.is_multiple_of(4) => reference = reference.replace('(', "(Zoë "),
        "accented" | "codes" => {
            if kind == "codes" {
                code = code.replacen('R', "Ř", 1).replacen('A', "Å", 1);
            }
            reference = format!("{} für die Führung", reference.replace('(', "(Zoë "));
        }
        "untidy" => match chance.below(350) {
            0 => code += "  ",
            1 => code = format!("{family}-{serial:08}"),
            2 => code = format!("{}-{serial:08}-{grade}", &family[..2]),
            3 => reference = format!("{work} without an order, {part}"),
            4 => reference = format!("\"{work}\" WO:{order}\nsee over ({given} {surname}) 7 mm"),
            5 => reference = format!("{work} {year}/{month:02} WO:{order} (Zoë Müller) Führung 1,204.50 mm"),
            6 => code = code.to_lowercase(),
            _ => {}
        },
        _ => {}
    }
    [
        row.to_string(),
        code,
        format!("{year}-{crew:04}-{team}"),
        format!("{given}.{surname}@lift.skarn.example"),
        reference,
        depot,
        quantity.to_string(),
        format!("{year}-{month:02}-{day:02}"),
    ]
}
