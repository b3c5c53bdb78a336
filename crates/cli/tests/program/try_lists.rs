//! `try`: cut lists that it makes and edits.

use std::thread;
use std::time::Duration;

use crate::try_session::*;
use crate::yard::Yard;

/// A user who has read the README makes the demo's list for its references. At two keys per second, 240 keys take two minutes, which
/// leaves one to think.
#[test]
fn the_list_for_the_references_is_made_with_few_keys() {
    const MOST_KEYS: usize = 240;
    let yard = demo();
    let mut session = Session::begin(&yard, (40, 120), &["references.csv", "-c", "reference"], &[]);
    session.until("type a phrase");
    session.send("mat").send(RIGHT).send(r"/WO:(\d+)/i gr").send(RIGHT).send("1 o").send(RIGHT).until("step");
    session.send("mat").send(RIGHT).send(r#"/order (\d+)/i group 1 or "none""#).send(SHIFT_TAB).send("order").until("fallback");
    // The mouse marks the text in brackets, and the text after a blank in it is typed as the wanted result.
    let screen = session.send(CONTROL_N).until("piece 2 of 2");
    let (line, column) = place(&screen, "(Ines␣Okafor)");
    session.drag(line, column + 1, column + 11).until(r#"between "(" and ")""#);
    session.send(SHIFT_TAB).send("person").send(CONTROL_N).until("piece 3 of 3");
    session
        .send("bet")
        .send(RIGHT)
        .send(r#""(" and ")" th"#)
        .send(RIGHT)
        .send("after last \" \"")
        .send(SHIFT_TAB)
        .send("surname")
        .send(CONTROL_N)
        .until("piece 4 of 4");
    session.send("number last like \"1,234.5\"").send(SHIFT_TAB).send("size_mm\r\r\rends with \"mm\"").until("not asked");
    session.send(CONTROL_N).send("numbers").send(SHIFT_TAB).send("figure\r\r\r\rcolumns = 4").until("piece 5 of 5");
    session.send(CONTROL_S).until("reference.cutlist.toml");
    session.send("\r").until("written to reference.cutlist.toml");
    let (_, _, said) = session.send(ESCAPE).end();
    assert!(said.contains("Next month's file: keen-notch check FILE -l reference.cutlist.toml"), "{said}");
    assert!(session.pressed < MOST_KEYS, "{} keys", session.pressed);
    let carved = |list: &str| yard.out(&["carve", "references.csv", "-l", list, "-q"]);
    let (made, demo) = (carved("reference.cutlist.toml"), carved("references.cutlist.toml"));
    let different = made.lines().zip(demo.lines()).find(|(made, demo)| made != demo);
    assert!(made == demo, "{different:?}");
}

#[test]
fn an_existing_list_is_continued() {
    let yard = demo();
    let before = yard.read("references.cutlist.toml");
    let mut session = Session::begin(&yard, (40, 120), &["references.csv", "-l", "references.cutlist.toml"], &[]);
    let screen = session.until("piece 1 of 5");
    assert!(screen.contains("name       order") && screen.contains("match /WO"), "{screen}");
    // Without changes, it ends at once, and the list is unchanged.
    session.send("\u{f}").until("piece 2 of 5");
    let (_, _, said) = session.send(ESCAPE).end();
    assert!(said.starts_with("keen-notch carve references.csv -l references.cutlist.toml"), "{said}");
    let mut session = Session::begin(&yard, (40, 120), &["references.csv", "-l", "references.cutlist.toml"], &[]);
    session.until("piece 1 of 5");
    session.send(CONTROL_S).until("written to references.cutlist.toml");
    assert_eq!(yard.read("references.cutlist.toml"), before);
    // Retyping a phrase does not remove the piece.
    session.send(&"\u{7f}".repeat(80)).until("type a phrase");
    session.send(CONTROL_S).until("not written: order has no phrase");
    session.send(&"\u{1a}".repeat(80)).until("match /WO");
    assert_eq!(yard.read("references.cutlist.toml"), before);
    // A further check, and a removed piece.
    session.send("\rdigits").until("failing");
    session.send("\u{f}").until("name       person");
    session.send(CONTROL_D).until("piece 2 of 4");
    session.send(CONTROL_S).until("written to");
    let (status, _, _) = session.send(ESCAPE).end();
    let after = yard.read("references.cutlist.toml");
    let person = "[piece.person]\ntake  = 'between \"(\" and \")\"'\n\n";
    let order = "or \"none\"'\n";
    assert_eq!(
        (status, &*after),
        (0, &*before.replace(person, "").replacen(order, &format!("{order}check = ['digits']\n"), 1))
    );
    // A part of a built piece is not removed.
    let built = format!("{after}\n[piece.both]\nbuild = '{{order}}/{{surname}}'\n");
    yard.write("references.cutlist.toml", &built);
    let mut session = Session::begin(&yard, (40, 120), &["references.csv", "-l", "references.cutlist.toml"], &[]);
    session.until("piece 1 of 4");
    session.send(CONTROL_D).until("piece 1 of 3");
    session.send(CONTROL_S).until("not written: references.cutlist.toml: ");
    drop(session);
    assert_eq!(yard.read("references.cutlist.toml"), built);
    yard.write("references.cutlist.toml", &after);
    // A column other than the list's: its pieces stay, and the new one names its column.
    let mut session =
        Session::begin(&yard, (40, 120), &["references.csv", "-c", "depot", "-l", "references.cutlist.toml"], &[]);
    session.until("type a phrase");
    session.send("first 3").until("Wor");
    session.send(CONTROL_S).until("written to");
    assert_eq!(session.send(ESCAPE).end().0, 0);
    assert_eq!(yard.read("references.cutlist.toml"), after + "\n[piece.piece_1]\nof = 'depot'\ntake = 'first 3'\n");
    // An invalid list is reported as in every command.
    yard.write("wrong.cutlist.toml", "[piece.a]\ntake = 'frist 3'\n");
    let ran = yard.run(&["explain", "wrong.cutlist.toml"]);
    let mut session = Session::begin(&yard, (40, 200), &["references.csv", "-c", "reference", "-l", "wrong.cutlist.toml"], &[]);
    assert_eq!(session.child.wait().unwrap().exit_code() as i32, ran.status);
    thread::sleep(Duration::from_millis(50));
    assert!(session.screen().contains("did you mean `first`?"), "{}", session.screen());
}

/// Edits a list with layouts, proofs, lookups and comments: unchanged parts keep every byte.
#[test]
fn a_list_with_layouts_proofs_and_lookups_is_edited_without_loss() {
    const LIST: &str = r#"# The parts of the workshop.
column = "part_code"   # ours

[layout.part_code]
form = ["<fam 3 uppercase>-<serial 8 digits>-<grade 4>"] # the picture

[piece.family]
take = 'first 3'
check = ['uppercase', 'same as fam'] # as the layout says

[piece.kind]
take = 'first 3 then lookup in "families.csv" or "unknown"'

[piece.pair]
take = "sections by '-' then first 3"
columns = ["a", "b", "c"]
[piece.pair.b]
check = "digits" # of the column

[piece.town]
of = "depot"
take = "first 4"

[piece.both]
build = "{family}/{town}"

[proof]
part_code = "{fam}-{serial}-{grade}"

[rows]
keep = ["quantity: not blank"]
unique = ["serial", "depot"]
"#;
    let yard = demo();
    yard.write("families.csv", "family,name\nGRP,grip\n");
    yard.write("l.cutlist.toml", LIST);
    let begin = || Session::begin(&yard, (40, 120), &["parts.csv", "-l", "l.cutlist.toml"], &[]);
    let mut session = begin();
    session.until("piece 1 of 3");
    // A check that names a piece of the layout is tried too.
    session.until("fails its check");
    session.send(CONTROL_S).until("written to l.cutlist.toml");
    assert_eq!(yard.read("l.cutlist.toml"), LIST);
    // A row with all pieces, also from the layout and the template.
    session.send(CONTROL_E).until("serial  from part_code");
    session.send(ESCAPE).until("piece 1 of 3");
    // Another phrase, another lookup file, a further condition.
    session.send("\u{f}").until("lookup in");
    yard.write("others.csv", "family,name\nHNG,hanger\n");
    session
        .send(&"\u{7f}".repeat("\"families.csv\" or \"unknown\"".len()))
        .send("\"others.csv\"\r\rnot starts with \"X\"")
        .until("missing");
    session.send("\u{f}").until("sections by");
    session.send(" then upper").send(CONTROL_S).until("written to l.cutlist.toml");
    assert_eq!(session.send(ESCAPE).end().0, 0);
    let expected = LIST
        .replace(
            "'first 3 then lookup in \"families.csv\" or \"unknown\"'",
            "'first 3 then lookup in \"others.csv\"'\nwhen = 'not starts with \"X\"'",
        )
        .replace("\"sections by '-' then first 3\"", "\"sections by '-' then first 3 then upper\"");
    assert_eq!(yard.read("l.cutlist.toml"), expected);
}

/// A new user makes the list for an unknown column with `try` alone. At two keys per second, 360 keys take three
/// minutes, which leaves two to look and think.
#[test]
fn lists_for_unknown_columns_are_made_with_few_keys() {
    const MOST_KEYS: usize = 360;
    let winches =
        ["W-07/GRP 14.02.2025 3.5 t", "W-11/HNG 03.11.2024 12 t", "W-02/SHV 30.06.2023 7.25 t", "W-2/GRP 01.13.2025 4 t"];
    let passes = [
        "zone=A;days=3;sold=2025-02-11",
        "days=12;zone=B;sold=2024-12-30",
        "zone=C;sold=2025-01-05",
        "zone=A;days=x;sold=2025-03-01",
    ];
    let mails = [
        "Ines Okafor <ines.okafor@lift.skarn.example>",
        "bram.brandt@lift.skarn.example",
        "Zoë Müller <zoe@lift.skarn.example>",
        "no address",
    ];
    let rows =
        (0..400).map(|n| format!("{},{},{},{n}\n", winches[if n % 97 == 5 { 3 } else { n % 3 }], passes[n % 4], mails[n % 4]));
    let yard = Yard::with("lift.csv", format!("winch,pass,contact,n\n{}", rows.collect::<String>()));
    let make = |column: usize, list: &str, keys: &dyn Fn(&mut Session)| {
        let mut session = Session::begin(&yard, (24, 80), &["lift.csv", "-l", list], &[]);
        session.until("values of winch");
        session.send(&DOWN.repeat(column)).send("\r").until("type a phrase");
        keys(&mut session);
        session.send(CONTROL_S).until("written to");
        session.send(ESCAPE).until("Esc ends; all is written");
        let (status, _, said) = session.send(ESCAPE).end();
        assert!(status == 0 && said.contains(&format!("carve lift.csv -l {list}")), "{said}");
        assert!(session.pressed < MOST_KEYS, "{} keys", session.pressed);
        yard.out(&["carve", "lift.csv", "-l", list, "-q"])
    };
    // The number of a winch, its family, its date as the survey of the column knows it, and its load.
    let carved = make(0, "winch.cutlist.toml", &|session| {
        session
            .send("between \"-\" and \"/\" then pad left to 2 with \"0\"\rdigits; length 2")
            .send(SHIFT_TAB)
            .send(SHIFT_TAB)
            .send("number");
        session
            .send(CONTROL_N)
            .send("after \"/\" then first 3\rone of \"GRP\", \"HNG\", \"SHV\"")
            .send(SHIFT_TAB)
            .send(SHIFT_TAB)
            .send("family");
        session.send(CONTROL_N).send("section 2 by \" \" then date ").until("such as 30.06.2023");
        session.send(RIGHT).send("as \"%Y-%m-%d\"").send(SHIFT_TAB).send("serviced").until("missing");
        session.send(CONTROL_N).send("section 3 by \" \"\rrange 0 to 20").send(SHIFT_TAB).send(SHIFT_TAB).send("load");
    });
    assert!(carved.starts_with("winch,pass,contact,n,number,family,serviced,load\n"), "{carved}");
    assert!(carved.contains(",0,07,GRP,2025-02-14,3.5\n") && carved.contains(",5,02,GRP,,4\n"), "{carved}");
    // Keys and values in any order.
    let carved = make(1, "pass.cutlist.toml", &|session| {
        session.send("after \"zone=\" then first 1\rone of \"A\", \"B\", \"C\"").send(SHIFT_TAB).send(SHIFT_TAB).send("zone");
        session.send(CONTROL_N).send("after \"days=\" then before \";\"\rdigits").until("failing");
        session.send("\r\roptional = true").send("\r\rdays");
        session.send(CONTROL_N).send("after \"sold=\"\rdate ").until("such as 2024-12-30");
        session.send(RIGHT).send(SHIFT_TAB).send(SHIFT_TAB).send("sold");
    });
    assert!(
        carved.contains(",0,A,3,2025-02-11\n")
            && carved.contains(",1,B,12,2024-12-30\n")
            && carved.contains(",2,C,,2025-01-05\n"),
        "{carved}"
    );
    // Addresses with and without brackets, and none.
    let carved = make(2, "contact.cutlist.toml", &|session| {
        session.send("between \"<\" and \">\" or whole\remail").until("failing");
        session.send(SHIFT_TAB).send(SHIFT_TAB).send("address").send(CONTROL_N);
        session
            .send("before \" <\"\r\rcontains \"<\"")
            .send(SHIFT_TAB)
            .send(SHIFT_TAB)
            .send(SHIFT_TAB)
            .send("person")
            .until("not asked");
    });
    assert!(
        carved.contains(",0,ines.okafor@lift.skarn.example,Ines Okafor\n")
            && carved.contains(",1,bram.brandt@lift.skarn.example,\n"),
        "{carved}"
    );
}
