//! Cut lists written from their parsed form. The program must parse the text to the same list.

use keen_notch_core::column::ColumnRef;
use keen_notch_core::cutlist::{CutList, RaggedRows, Reading};
use keen_notch_core::phrase::quoted;
use keen_notch_core::piece::{BuildPart, Check, OutputForm, Piece, Source, When};
use keen_notch_core::text::unit::Unit;
use keen_notch_core::toml_text::{toml_key, toml_text};

pub fn list(list: &CutList) -> String {
    let mut lines = Vec::new();
    lines.extend(list.title.iter().map(|title| format!("title = {}", toml_text(title))));
    lines.extend(list.column.iter().map(|main| format!("column = {}", toml_text(&column(&main.column)))));
    let unit = match list.unit {
        Unit::Characters => "characters",
        Unit::Codepoints => "codepoints",
        Unit::Bytes => "bytes",
    };
    lines.push(format!("unit = '{unit}'"));
    reading(&list.reading, &mut lines);
    lines.push("[writing]".to_owned());
    lines.extend(list.writing.widths.iter().map(|widths| format!("widths = {}", toml_text(widths))));
    for layout in &list.wanted.layouts {
        lines.push(format!("[layout.{}]", toml_key(&column(&layout.column))));
        lines.push(format!("form = {}", texts(layout.forms.iter().map(ToString::to_string))));
    }
    for wanted in &list.wanted.pieces {
        piece(wanted, &list.wanted.pieces, &mut lines);
    }
    if !list.wanted.proofs.is_empty() {
        lines.push("[proof]".to_owned());
    }
    for proof in &list.wanted.proofs {
        lines.push(format!("{} = {}", toml_key(&column(&proof.column)), toml_text(&built(&proof.parts))));
    }
    lines.push("[rows]".to_owned());
    let keep = list.wanted.keep.iter().map(|keep| format!("{}: {}", column(&keep.of), keep.condition));
    lines.push(format!("keep = {}", texts(keep)));
    let unique = list.wanted.unique.iter().flat_map(|unique| &unique.of).map(|(of, _)| column(of));
    lines.push(format!("unique = {}", texts(unique)));
    lines.join("\n") + "\n"
}

fn reading(reading: &Reading, lines: &mut Vec<String>) {
    let Reading { delimiter, encoding, header, partitions, ragged, widths, sheet, query } = reading;
    lines.push("[reading]".to_owned());
    lines.extend(delimiter.iter().map(|delimiter| format!("delimiter = {}", toml_text(delimiter))));
    lines.extend(encoding.iter().map(|encoding| format!("encoding = {}", toml_text(encoding))));
    lines.extend(header.map(|header| format!("header = {header}")));
    lines.extend(partitions.map(|partitions| format!("partitions = {partitions}")));
    let ragged = ragged.map(|ragged| match ragged {
        RaggedRows::Stop => "stop",
        RaggedRows::Keep => "keep",
        RaggedRows::SetAside => "set-aside",
    });
    lines.extend(ragged.map(|ragged| format!("ragged = '{ragged}'")));
    lines.extend(widths.iter().map(|widths| format!("widths = {}", toml_text(widths))));
    lines.extend(sheet.iter().map(|sheet| format!("sheet = {}", toml_text(sheet))));
    lines.extend(query.iter().map(|query| format!("query = {}", toml_text(query))));
}

fn piece(piece: &Piece, all: &[Piece], lines: &mut Vec<String>) {
    let source = match &piece.source {
        // It comes of its layout, or of the whole.
        Source::Field { .. } | Source::Part { .. } => return,
        Source::Take { of, phrase: taken, .. } => {
            let of = of.iter().map(|of| format!("of = {}\n", toml_text(&column(of)))).collect::<String>();
            format!("{of}take = {}", toml_text(&taken.to_string()))
        }
        Source::Build { parts, .. } => format!("build = {}", toml_text(&built(parts))),
    };
    lines.push(format!("[piece.{}]", toml_key(&piece.name)));
    lines.push(source);
    checks(piece, lines);
    lines.extend(piece.when.iter().map(|asked| format!("when = {}", toml_text(&when(asked)))));
    let is_part = |other: &&Piece| matches!(&other.source, Source::Part { of, .. } if *of == piece.name);
    let parts: Vec<&Piece> = all.iter().filter(is_part).collect();
    match piece.shape {
        OutputForm::One => {}
        OutputForm::Columns(count) => lines.push(format!("columns = {count}")),
        OutputForm::AutoColumns => lines.push("columns = 'auto'".to_owned()),
        OutputForm::Rows => lines.push("rows = true".to_owned()),
        // The groups of an invalid pattern have no names.
        OutputForm::Parts(_) if parts.is_empty() => {}
        OutputForm::Parts(_) => {
            lines.push(format!("columns = {}", texts(parts.iter().map(|part| part.name.clone()))));
        }
    }
    // The keys of the whole that its parts have taken over.
    let Piece { replace, optional, .. } = piece;
    let hidden = if parts.is_empty() { piece.hidden } else { parts.iter().all(|part| part.hidden) };
    let common = |of: &Piece| parts.iter().all(|part| part.value_type == of.value_type);
    let value_type = parts.first().map_or(piece.value_type, |first| first.value_type.filter(|_| common(first)));
    lines.extend(value_type.map(|of| format!("as = {:?}", of.words())));
    lines.push(format!("replace = {replace}\noptional = {optional}\nhidden = {hidden}"));
    for part in parts {
        let mut own = Vec::new();
        if !part.checks.is_empty() {
            checks(part, &mut own);
        }
        own.extend(part.value_type.filter(|of| Some(*of) != value_type).map(|of| format!("as = {:?}", of.words())));
        let flags = [("replace", part.replace), ("optional", part.optional), ("hidden", part.hidden && !hidden)];
        own.extend(flags.iter().filter(|(_, holds)| *holds).map(|(key, _)| format!("{key} = true")));
        if !own.is_empty() {
            lines.push(format!("[piece.{}.{}]", toml_key(&piece.name), toml_key(&part.name)));
            lines.extend(own);
        }
    }
}

fn checks(piece: &Piece, lines: &mut Vec<String>) {
    let those = |only_warns| {
        let those = piece.checks.iter().filter(move |check| check.only_warns == only_warns);
        texts(those.map(|check: &Check| check.condition.to_string()))
    };
    lines.push(format!("check = {}", those(false)));
    lines.push(format!("warn = {}", those(true)));
}

fn when(when: &When) -> String {
    match &when.column {
        Some(of) => format!("{}: {}", column(of), when.condition),
        None => when.condition.to_string(),
    }
}

fn texts(texts: impl Iterator<Item = String>) -> String {
    format!("[{}]", texts.map(|text| toml_text(&text)).collect::<Vec<_>>().join(", "))
}

fn column(column: &ColumnRef) -> String {
    match column {
        ColumnRef::Name(name) => quoted(name),
        ColumnRef::Number(number) => format!("#{number}"),
    }
}

fn built(parts: &[BuildPart]) -> String {
    let part = |part: &BuildPart| match part {
        BuildPart::Text(text) => text.replace('{', "{{").replace('}', "}}"),
        // Between braces there is no brace, which what cannot be seen is written with between quotes.
        BuildPart::Name(ColumnRef::Name(name), _) if ColumnRef::parse(name) == ColumnRef::Name(name.clone()) => {
            // Two braces together would be one brace of the text.
            let space = if name.starts_with('{') { " " } else { "" };
            format!("{{{space}{name}}}")
        }
        BuildPart::Name(named, _) => format!("{{{}}}", column(named)),
    };
    parts.iter().map(part).collect()
}
