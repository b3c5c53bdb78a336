//! The demo's tables through every pair of formats keep their values.

use super::yard::Yard;

const ENDINGS: [&str; 9] = ["csv", "tsv", "psv.gz", "jsonl", "ndjson.zst", "xlsx", "parquet", "arrow", "arrows"];

fn write(yard: &Yard, from: &str, to: &str, said: &[&str]) {
    let ran = yard.run(&[&["carve", from, "-l", "same.cutlist.toml", "-q", "-o", to], said].concat());
    assert_eq!((ran.status, ran.stderr.as_str()), (0, ""), "{from} {to}");
}

fn values(yard: &Yard, table: &str, said: &[&str]) -> String {
    let all = yard.out(&[&["carve", table, "-l", "same.cutlist.toml", "-q", "--to", "jsonl"], said].concat());
    // A blank text can be null elsewhere.
    all.replace(":null", ":\"\"")
}

/// The demo's data and a cut list that changes nothing, for a table with this first column.
fn yard(column: &str) -> Yard {
    let yard = Yard::new();
    yard.out(&["demo", "--dir", "."]);
    let list = format!("column = '{column}'\n[piece.{column}]\ntake = 'whole'\nreplace = true\n");
    yard.write("same.cutlist.toml", list);
    yard
}

#[test]
fn demo_tables_survive_every_pair_of_formats() {
    for (table, column) in [("parts", "part_code"), ("crew", "crew_id"), ("references", "reference")] {
        let yard = yard(column);
        let expected = values(&yard, &format!("{table}.csv"), &[]);
        assert!(expected.lines().count() > 50 && expected.contains(":\""), "{expected}");
        for (index, from) in ENDINGS.into_iter().enumerate() {
            let first = format!("first.{from}");
            write(&yard, &format!("{table}.csv"), &first, &[]);
            // One table in every pair, the others in some.
            for to in
                ENDINGS.into_iter().skip(if table == "parts" { 0 } else { index }).step_by(if table == "parts" { 1 } else { 4 })
            {
                let second = format!("second.{to}");
                write(&yard, &first, &second, &[]);
                assert!(values(&yard, &second, &[]) == expected, "{table} from {from} to {to}");
            }
        }
    }
}

#[test]
fn and_through_fixed_width_text_where_no_blank_or_line_end_is_part_of_a_value() {
    let yard = yard("name");
    write(&yard, "crew.csv", "tidy.csv", &["--columns", "name,depot"]);
    let expected = values(&yard, "tidy.csv", &[]);
    let [reading, writing] = ["--widths", "--out-widths"].map(|option| [option, "name 1 to 15, depot 17 to 30"]);
    for ending in ENDINGS {
        let [first, second] = ["first", "second"].map(|stem| format!("{stem}.{ending}"));
        write(&yard, "tidy.csv", &first, &[]);
        write(&yard, &first, "first.fwf", &writing);
        assert!(values(&yard, "first.fwf", &reading) == expected, "from {ending}");
        write(&yard, "first.fwf", &second, &reading);
        assert!(values(&yard, &second, &[]) == expected, "to {ending}");
    }
}
