"""Tables that openpyxl, xlwt and pyarrow write are read right, and they read ours right: values, types and blanks. The JSON Schema of cut
lists accepts and refuses what the program does.

usage: formats.py PROGRAM
"""

import datetime as dt
import decimal
import json
import os
import subprocess
import sys
import tempfile
import tomllib

import jsonschema
import openpyxl
import pyarrow as pa
import pyarrow.ipc as ipc
import pyarrow.parquet as pq
import xlwt
from openpyxl.cell.rich_text import CellRichText, TextBlock
from openpyxl.cell.text import InlineFont
from openpyxl.utils.datetime import CALENDAR_MAC_1904, CALENDAR_WINDOWS_1900

PROGRAM = os.path.abspath(sys.argv[1])
DEMO = os.path.join(os.path.dirname(os.path.abspath(__file__)), "../../demo")
CARVE = ["-c", "code", "-p", 'family: before "-"', "-q"]


def run(*words):
    ran = subprocess.run([PROGRAM, *words], capture_output=True)
    assert ran.returncode == 0, (words, ran.stderr.decode())
    return ran.stdout


def same(found, expected, what):
    assert found == expected, f"{what}\nfound    {found}\nexpected {expected}"


def workbooks():
    book = openpyxl.Workbook()
    sheet = book.active
    sheet.title = "Spare parts"
    sheet.append(["code", "no", "qty", "price", "on", "at", "checked", "note"])
    moment = dt.datetime(2025, 3, 1, 8, 5, 30)
    sheet.append(["GRP-00041273-S7K2", 385, 12, 1234.5, dt.date(2025, 3, 1), moment, True, "'=1+1"])
    sheet.append(["HNG-é411-B2", 7, 0.25, -3, dt.date(1999, 12, 31), None, False, None])
    sheet.append([None, None, -1e-7, 123456789012345, None, None, None, "00012"])
    for row in (2, 3):
        sheet.cell(row, 2).number_format = "00000"
        sheet.cell(row, 4).number_format = "#,##0.00"
        sheet.cell(row, 5).number_format = "dd.mm.yyyy"
    book.create_sheet("Other").append(["x"])
    book.save("made.xlsx")
    objects = [json.loads(line) for line in run("carve", "made.xlsx", *CARVE, "--to", "jsonl").splitlines()]
    expected = [
        ["GRP-00041273-S7K2", "00385", 12, "1,234.50", "2025-03-01", "2025-03-01T08:05:30", True, "'=1+1", "GRP"],
        ["HNG-é411-B2", "00007", 0.25, "-3.00", "1999-12-31", None, False, None, "HNG"],
        [None, None, -1e-7, 123456789012345, None, None, None, "00012", None],
    ]
    same([list(row.values()) for row in objects], expected, "a workbook of openpyxl")
    # As it is written again.
    run("carve", "made.xlsx", *CARVE, "-o", "cut.xlsx")
    cut = openpyxl.load_workbook("cut.xlsx")
    same(cut.sheetnames, ["Spare parts"], "the sheet of our workbook")
    for row, (old, new) in enumerate(zip(sheet.iter_rows(), cut.active.iter_rows())):
        for before, after in zip(old, new):
            value = before.value
            if isinstance(value, dt.date) and not isinstance(value, dt.datetime):
                value = dt.datetime(value.year, value.month, value.day)
            same((after.value, after.data_type == "s"), (value, isinstance(value, str)), f"our workbook, row {row}")
            if value is not None and not isinstance(value, (str, dt.datetime)) or before.number_format == "dd.mm.yyyy":
                same(after.number_format if value is not None else before.number_format, before.number_format, "a number format")
    same([row[8].value for row in cut.active.iter_rows()], ["family", "GRP", "HNG", None], "pieces of our workbook")
    # What looks like a formula, and types that pieces say.
    with open("codes.csv", "w") as out:
        out.write("code,on\n=1+1,2025-03-01\n007,1850-01-01\n")
    with open("list.cutlist.toml", "w") as out:
        out.write("[piece.no]\nof = 'code'\ntake = 'whole'\nas = 'number'\n[piece.day]\nof = 'on'\ntake = 'whole'\nas = 'date'\n")
    run("carve", "codes.csv", "-l", "list.cutlist.toml", "-o", "cut.xlsx", "-q")
    rows = [[(cell.value, cell.data_type) for cell in row] for row in openpyxl.load_workbook("cut.xlsx").active.iter_rows()]
    expected = [
        [("=1+1", "s"), ("2025-03-01", "s"), ("=1+1", "s"), (dt.datetime(2025, 3, 1), "d")],
        [("007", "s"), ("1850-01-01", "s"), (7, "n"), ("1850-01-01", "s")],
    ]
    # openpyxl takes every text that begins with = for a formula; the file says that it is a text.
    same([[(v, "s" if t == "f" else t) for v, t in row] for row in rows[1:]], expected, "types of pieces in our workbook")


def workbook_types():
    """Each type of cell that openpyxl writes, in both date systems, with its number format: what is seen of it, and what is in it after we wrote it."""
    for epoch in [CALENDAR_WINDOWS_1900, CALENDAR_MAC_1904]:
        book = openpyxl.Workbook()
        book.epoch = epoch
        sheet = book.active
        sheet.title = "Stores & yards <2>"
        # The value, its number format, and what a phrase sees.
        cells = [
            ("GRP-1", "General", "GRP-1"),
            ("  two\nlines ", "@", "  two\nlines "),
            ("a_b & <c>", "General", "a_b & <c>"),
            (CellRichText("GRP", TextBlock(InlineFont(b=True), "-2")), "General", "GRP-2"),
            (385, "00000", "00385"),
            (-0.5, "0.0%", "-50.0%"),
            (1234567.891, "#,##0.00;(#,##0.00)", "1,234,567.89"),
            (-1234.5, "#,##0.00;(#,##0.00)", "(1,234.50)"),
            (41273, '"GRP-"00000000', "GRP-00041273"),
            (0, "0;-0;;@", ""),
            (1e300, "General", "1" + "0" * 300),
            (123456789012345, "General", "123456789012345"),
            (True, "General", "true"),
            (dt.date(2025, 3, 1), "dd/mm/yy", "2025-03-01"),
            (dt.datetime(2025, 3, 1, 8, 5, 30), "yyyy-mm-dd hh:mm:ss", "2025-03-01T08:05:30"),
            (dt.datetime(2025, 3, 1), "yyyy-mm-dd hh:mm", "2025-03-01T00:00:00"),
            (dt.time(17, 30), "h:mm", "17:30:00"),
            (dt.timedelta(hours=36, minutes=5), "[h]:mm", "36:05:00"),
            ("#N/A", "General", "#N/A"),
            ("#DIV/0!", "General", "#DIV/0!"),
            (None, "00000", ""),
        ]
        sheet.append(["code", "it"])
        for row, (value, shown, _) in enumerate(cells, 2):
            sheet.cell(row, 1, f"GRP-{row}")
            cell = sheet.cell(row, 2, value)
            cell.number_format = shown
        book.save("types.xlsx")
        objects = [json.loads(line) for line in run("carve", "types.xlsx", *CARVE, "-p", "seen of it: whole", "--to", "jsonl").splitlines()]
        same([row["seen"] or "" for row in objects], [seen for _, _, seen in cells], "what is seen of cells")
        run("carve", "types.xlsx", *CARVE, "-o", "cut.xlsx")
        cut = openpyxl.load_workbook("cut.xlsx")
        same((cut.sheetnames, cut.epoch), ([sheet.title], CALENDAR_WINDOWS_1900), "our workbook")
        again = openpyxl.load_workbook("types.xlsx").active
        for row in range(1, len(cells) + 2):
            ours, theirs = cut.active.cell(row, 2), again.cell(row, 2)
            # An error value is a text, as the documentation says.
            of = theirs.data_type.replace("e", "s")
            same((ours.value, ours.data_type), (theirs.value, of), f"our workbook, row {row}")
            # The formats of texts are not kept.
            if theirs.data_type in "nd" and theirs.value is not None:
                same(ours.number_format, theirs.number_format, f"the number format of our workbook, row {row}")


def old_workbooks():
    book = xlwt.Workbook()
    sheet = book.add_sheet("Spare parts")
    shown = lambda code: xlwt.easyxf(num_format_str=code)
    moment = dt.datetime(2025, 3, 1, 8, 5, 30)
    # Texts so long that they go on in other records, with other units there.
    texts = ["a" * 9000 + "中" * 3000, "é" * 20000, "中" * 9000]
    rows = [
        ["GRP-00041273-S7K2", (385, "00000"), (1234.5, "#,##0.00"), (moment.date(), "dd.mm.yyyy"), (moment, "yyyy-mm-dd hh:mm"), True],
        ["HNG-é411-B2", (7, "00000"), (-3, "0.0"), (dt.date(1999, 12, 31), "mm-dd-yy"), (1.5, "[h]:mm"), False],
        ["中😀", 0.25, -1e-7, None, (0.75, "h:mm AM/PM"), None],
    ]
    for column, title in enumerate(["code", "no", "price", "on", "at", "ok", "note"]):
        sheet.write(0, column, title)
    for row, (cells, text) in enumerate(zip(rows, texts), 1):
        for column, cell in enumerate([*cells, text]):
            if isinstance(cell, tuple):
                sheet.write(row, column, cell[0], shown(cell[1]))
            elif cell is not None:
                sheet.write(row, column, cell)
    many = [[f"{row}-{'中' if row % 3 else 'é'}{column}" for column in range(7)] for row in range(4, 2000)]
    for row, cells in enumerate(many, 4):
        for column, cell in enumerate(cells):
            sheet.write(row, column, cell)
    book.save("made.xls")
    objects = [json.loads(line) for line in run("carve", "made.xls", *CARVE, "--to", "jsonl").splitlines()]
    expected = [
        ["GRP-00041273-S7K2", "00385", "1,234.50", "2025-03-01", "2025-03-01T08:05:30", True, texts[0], "GRP"],
        ["HNG-é411-B2", "00007", "-3.0", "1999-12-31", "36:00:00", False, texts[1], "HNG"],
        ["中😀", 0.25, -1e-7, None, "18:00:00", None, texts[2], None],
    ]
    found = [list(row.values()) for row in objects]
    same(found[:3], expected, "a workbook of xlwt")
    same([row[:7] for row in found[3:]], many, "many texts in a workbook of xlwt")


def table(rows):
    """A table of many types, `rows` long."""
    pick = lambda values: [values[row % len(values)] for row in range(rows)]
    moments = [dt.datetime(2025, 3, 1, 8, 5, 30), None, dt.datetime(1969, 12, 31, 23, 59, 59, 123000)]
    columns = {
        "code": pa.array(pick(["GRP-00041273-S7K2", None, "HNG-é411-B2", "", "TWR-1"])),
        "i8": pa.array(pick([1, None, -128]), pa.int8()),
        "i64": pa.array(pick([2**63 - 1, -(2**63), None]), pa.int64()),
        "u64": pa.array(pick([2**64 - 1, None]), pa.uint64()),
        "f32": pa.array(pick([0.5, None, -1.25]), pa.float32()),
        "f64": pa.array(pick([0.1, 1e-9, None, 335.0]), pa.float64()),
        "d38": pa.array(pick([decimal.Decimal("12345678901234567890.1250"), None, decimal.Decimal("-0.5")]), pa.decimal128(38, 4)),
        "day": pa.array(pick([dt.date(2025, 3, 1), None, dt.date(1600, 2, 29)])),
        "ms": pa.array(pick(moments), pa.timestamp("ms")),
        "zone": pa.array(pick(moments), pa.timestamp("us", "Europe/Vienna")),
        "time": pa.array(pick([dt.time(8, 5), None, dt.time(23, 59, 59, 5)]), pa.time64("us")),
        "ok": pa.array(pick([True, None, False])),
        "depot": pa.array(pick(["East", "West", None, "Summit"])).dictionary_encode(),
        "large": pa.array(pick(["a", None, "bc"]), pa.large_string()),
        "view": pa.array(pick(["a text that is longer than a view", None, "x"]), pa.string_view()),
        "tags": pa.array(pick([["a", None], [], None]), pa.list_(pa.string())),
        "at": pa.array(pick([{"x": 1, "y": "q"}, None]), pa.struct([("x", pa.int32()), ("y", pa.string())])),
        "raw": pa.array(pick([b"\xff\xfe", None]), pa.binary()),
        "none": pa.nulls(rows),
    }
    return pa.table(columns).replace_schema_metadata({"made by": "a test"})


# What a phrase sees of the first rows.
SEEN = {
    "i8": ["1", "", "-128"],
    "i64": ["9223372036854775807", "-9223372036854775808", ""],
    "u64": ["18446744073709551615", ""],
    "f32": ["0.5", "", "-1.25"],
    "f64": ["0.1", "1e-9", "", "335"],
    "d38": ["12345678901234567890.1250", "", "-0.5000"],
    "day": ["2025-03-01", "", "1600-02-29"],
    "ms": ["2025-03-01T08:05:30", "", "1969-12-31T23:59:59.123"],
    "zone": ["2025-03-01T08:05:30Z", "", "1969-12-31T23:59:59.123Z"],
    "time": ["08:05:00", "", "23:59:59.000005"],
    "ok": ["true", "", "false"],
    "depot": ["East", "West", "", "Summit"],
    "large": ["a", "", "bc"],
    "view": ["a text that is longer than a view", "", "x"],
    "tags": ['["a",null]', "[]", ""],
    "at": ['{"x":1,"y":"q"}', ""],
    "none": [""],
}


def read(path):
    if path.endswith(".parquet"):
        return pq.read_table(path)
    with open(path, "rb") as start:
        is_file = start.read(6) == b"ARROW1"
    return (ipc.open_file if is_file else ipc.open_stream)(pa.memory_map(path)).read_all()


def columns():
    many = table(50_000)
    ways = {
        "snappy.parquet": dict(compression="snappy"),
        "zstd.parquet": dict(compression="zstd", row_group_size=7_000, data_page_version="2.0"),
        "gzip.parquet": dict(compression="gzip", use_dictionary=False),
        "lz4.parquet": dict(compression="lz4", write_page_index=True),
        "none.parquet": dict(compression="none", use_dictionary=["code"], store_schema=True),
        "delta.parquet": dict(use_dictionary=False, column_encoding={"code": "DELTA_BYTE_ARRAY", "i64": "DELTA_BINARY_PACKED", "large": "DELTA_LENGTH_BYTE_ARRAY"}),
    }
    for name, how in ways.items():
        pq.write_table(many, name, **how)
    for name, codec in [("plain.arrow", None), ("lz4.arrow", "lz4"), ("zstd.arrows", "zstd")]:
        options = ipc.IpcWriteOptions(compression=codec)
        opened = ipc.new_file if name.endswith(".arrow") else ipc.new_stream
        with opened(name, many.schema, options=options) as out:
            out.write_table(many, max_chunksize=9_999)
    names = [*ways, "plain.arrow", "lz4.arrow", "zstd.arrows"]
    expected = [None if code is None or "-" not in code else code.split("-")[0] for code in many["code"].to_pylist()]
    for name in names:
        original = read(name)
        for ending in ["parquet", "arrow", "arrows"]:
            run("carve", name, *CARVE, "-o", f"cut.{ending}")
            cut = read(f"cut.{ending}")
            same(cut.column_names, [*original.column_names, "family"], f"{name} to {ending}")
            same(cut["family"].to_pylist(), expected, f"{name} to {ending}: pieces")
            same(cut.schema.field("family").type, pa.string(), f"{name} to {ending}: the type of a piece")
            assert cut.schema.metadata[b"made by"] == b"a test", f"{name} to {ending}"
            for field in original.schema:
                same(cut.schema.field(field.name).type, field.type, f"{name} to {ending}: the type of {field.name}")
                same(cut[field.name].to_pylist(), original[field.name].to_pylist(), f"{name} to {ending}: {field.name}")
        shown = [json.loads(line) for line in run("carve", name, *CARVE, "--without", "raw", "--to", "jsonl").splitlines()[:4]]
        rows = run("carve", name, *CARVE, "--columns", ",".join(SEEN), "--to", "csv").decode().splitlines()
        pieces = []
        for place, column in enumerate(SEEN):
            pieces += ["-p", f"x{place} of {column}: whole"]
        found = run("carve", name, *pieces, "--only-pieces", "-q", "--to", "jsonl").splitlines()[:4]
        for place, (column, values) in enumerate(SEEN.items()):
            seen = [json.loads(row)[f"x{place}"] or "" for row in found[: len(values)]]
            same(seen, values, f"{name}: what is seen of {column}")
        same(len(rows), 50_001, f"{name} as delimited text")
        same(shown[0]["d38"], 12345678901234567890.1250, f"{name}: a decimal in JSON")
    # Only some rows, from several files, with dictionaries that differ.
    with open("some.cutlist.toml", "w") as out:
        out.write("column = 'code'\n[piece.a]\ntake = 'before \"-\"'\n[rows]\nkeep = ['ok: one of \"true\"']\n")
    other = table(3_000).set_column(12, "depot", pa.array(["Midway", "East"] * 1_500).dictionary_encode())
    pq.write_table(other, "other.parquet")
    run("carve", "zstd.parquet", "other.parquet", "-l", "some.cutlist.toml", "-q", "-o", "cut.parquet")
    both = pa.concat_tables([pq.read_table("zstd.parquet"), pq.read_table("other.parquet")], promote_options="permissive")
    are_kept, cut = both["ok"].to_pylist(), pq.read_table("cut.parquet")
    for column in both.column_names:
        kept = [value for value, is_kept in zip(both[column].to_pylist(), are_kept) if is_kept]
        same(cut[column].to_pylist(), kept, f"some rows: {column}")


def of_every_type():
    """A column of each type that pyarrow has, with three values and nulls between them, by name."""
    moment, day = dt.datetime(2025, 3, 1, 8, 5, 30), dt.date(2025, 3, 1)
    columns = {}

    def add(of, *values):
        name = str(of).replace(" ", "")
        one, two, three = values if len(values) == 3 else values * 3
        columns[name] = pa.array([one, None, two, three, None], of)

    for bits in (8, 16, 32, 64):
        signed, unsigned = getattr(pa, f"int{bits}")(), getattr(pa, f"uint{bits}")()
        add(signed, 0, -(2 ** (bits - 1)), 2 ** (bits - 1) - 1)
        add(unsigned, 0, 1, 2**bits - 1)
        for index in (signed, unsigned):
            columns[f"dictionary_{index}"] = pa.array(["East", None, "West", "East", None]).cast(pa.dictionary(index, pa.string()))
    for of in (pa.float16(), pa.float32(), pa.float64()):
        add(of, 0.5, -1.25, float("inf"))
    for of in (pa.decimal32(9, 2), pa.decimal64(18, 2), pa.decimal128(38, 2), pa.decimal256(76, 2), pa.decimal128(5, 0)):
        least = decimal.Decimal(10) ** -of.scale
        add(of, least, -least, decimal.Decimal(10 ** (of.precision - of.scale) - 1))
    for of in (pa.date32(), pa.date64()):
        add(of, day, dt.date(1600, 2, 29), dt.date(9999, 12, 31))
    for unit in ("s", "ms", "us", "ns"):
        for zone in (None, "UTC", "Europe/Vienna", "+05:30"):
            add(pa.timestamp(unit, zone), moment, dt.datetime(1969, 12, 31, 23, 59, 59), dt.datetime(2200, 1, 1))
        add(pa.duration(unit), dt.timedelta(days=2, seconds=3), dt.timedelta(seconds=-1), dt.timedelta(0))
    for of in (pa.time32("s"), pa.time32("ms"), pa.time64("us"), pa.time64("ns")):
        add(of, dt.time(8, 5), dt.time(0), dt.time(23, 59, 59))
    add(pa.bool_(), True, False, True)
    add(pa.month_day_nano_interval(), (1, 2, 3), (-1, 0, 0), (0, 0, 0))
    for of in (pa.string(), pa.large_string(), pa.string_view()):
        add(of, "é-1", "", "a text that is longer than a view")
    for of in (pa.binary(), pa.large_binary(), pa.binary_view()):
        add(of, b"\xff\x00", b"", b"bytes that are longer than a view")
    add(pa.binary(4), b"\xff\x00ab", b"abcd", b"\x00\x00\x00\x00")
    for inner, values in [(pa.int16(), [1, None]), (pa.timestamp("s"), [moment, None]), (pa.date64(), [day]), (pa.string(), ["a", None])]:
        add(pa.list_(inner), values, [], values)
        add(pa.large_list(inner), values, [], values)
        add(pa.list_(inner, 2), (values * 2)[:2])
        add(pa.map_(pa.string(), inner), [("k", values[0])], [], [("k", values[-1]), ("l", values[0])])
        add(pa.struct([("x", inner), ("y", pa.list_(inner))]), {"x": values[0], "y": values}, {"x": None, "y": []}, {"x": values[0], "y": None})
        columns[f"dictionary_of_{inner}"] = pa.array([values[0], None, values[0], values[-1], None], inner).dictionary_encode()
    add(pa.list_view(pa.int16()), [1, None], [], [2])
    add(pa.struct([("d", pa.dictionary(pa.int8(), pa.string()))]), {"d": "East"}, {"d": None}, {"d": "West"})
    add(pa.list_(pa.dictionary(pa.int8(), pa.string())), ["East", None], [], ["West"])
    for of, plain in [(pa.uuid(), pa.array([bytes(range(16)), None, b"\xff" * 16, bytes(16), None], pa.binary(16))), (pa.json_(), pa.array(['{"a":1}', None, "[]", "null", None])), (pa.bool8(), pa.array([1, None, 0, 1, None], pa.int8()))]:
        columns[str(of).split("<")[1]] = pa.ExtensionArray.from_storage(of, plain)
    columns["null"] = pa.nulls(5)
    columns["run_ends"] = pa.RunEndEncodedArray.from_arrays([2, 5], ["a", None])
    ids = pa.array([0, 1, 0, 1, 0], pa.int8())
    columns["sparse"] = pa.UnionArray.from_sparse(ids, [pa.array([1, 2, 3, 4, None]), pa.array(list("abcde"))])
    columns["dense"] = pa.UnionArray.from_dense(ids, pa.array([0, 0, 1, 1, 2], pa.int32()), [pa.array([1, 2, None]), pa.array(["a", "b"])])
    return columns


def spelled(of):
    """A type with all that it is made of. The names of the fields in lists and maps are for their writer to choose, and Parquet's indexes have 32 bits."""
    if isinstance(of, pa.ExtensionType):
        return f"{of.extension_name} of {spelled(of.storage_type)}"
    if pa.types.is_dictionary(of):
        index = of.index_type if of.index_type.bit_width > 16 else pa.int32()
        return f"dictionary {index} of {spelled(of.value_type)}"
    if pa.types.is_map(of):
        return f"map of {spelled(of.key_type)} to {spelled(of.item_type)}"
    if pa.types.is_fixed_size_list(of):
        return f"{of.list_size} of {spelled(of.value_type)}"
    if pa.types.is_struct(of):
        return "(" + ", ".join(f"{field.name}: {spelled(field.type)}" for field in of.fields) + ")"
    if pa.types.is_nested(of) and not pa.types.is_union(of) or pa.types.is_run_end_encoded(of):
        return f"{str(of).split('<')[0]} of {spelled(of.value_type)}"
    return str(of)


def in_parquet(spelling):
    """The type that Parquet has for it."""
    for arrow, parquet in [("time32[s]", "time32[ms]"), ("timestamp[s", "timestamp[ms"), ("date64[ms]", "date32[day]"), ("run_end_encoded of ", "")]:
        spelling = spelling.replace(arrow, parquet)
    return spelling


def types():
    """All types between Arrow and Parquet, with their values, nulls and metadata: columns that are copied, and rows that are selected."""
    with open("kept.cutlist.toml", "w") as out:
        out.write("column = 'code'\n[piece.family]\ntake = 'before \"-\"'\n[rows]\nkeep = ['n: not one of \"4\"']\n")
    every = {"code": pa.array(["GRP-1", "HNG-2", "TWR-3", "GRP-4", "GRP-5"]), "n": pa.array([1, 2, 3, 4, 5]), **of_every_type()}

    def table(names):
        field = lambda name: pa.field(name, every[name].type, nullable=name != "n", metadata={"unit": "mm"})
        return pa.Table.from_arrays([every[name] for name in names], schema=pa.schema(map(field, names), {"made by": "a test"}))

    def is_written(write, names):
        """Whether pyarrow writes these columns to Parquet, and we from Arrow."""
        try:
            write(names)
            return True
        except (pa.ArrowNotImplementedError, AssertionError):
            return False

    in_parquet_file = lambda names: pq.write_table(table(names), "one.parquet")
    of_parquet = [name for name in every if is_written(in_parquet_file, [name])]

    def ours(names):
        with ipc.new_file("one.arrow", table(names).schema) as out:
            out.write_table(table(names))
        ran = subprocess.run([PROGRAM, "carve", "one.arrow", *CARVE, "-o", "one.parquet"], capture_output=True)
        assert b"a type that Parquet lacks" not in ran.stderr

    others = [name for name in every if name not in of_parquet]
    refused = [name for name in others if not is_written(ours, ["code", name])]
    same(refused, ["month_day_nano_interval", "sparse", "dense"], "types that Parquet lacks")
    with ipc.new_file("every.arrow", table(every).schema) as out:
        out.write_table(table(every), max_chunksize=2)
    with ipc.new_stream("every.arrows", table(every).schema) as out:
        out.write_table(table(every), max_chunksize=3)
    pq.write_table(table(of_parquet), "every.parquet")
    without = ["--without", ",".join(refused)]
    ways = [("every.arrow", "arrows"), ("every.arrow", "parquet"), ("every.arrows", "arrow"), ("every.parquet", "parquet"), ("every.parquet", "arrow")]
    for source, ending in ways:
        original = read(source)
        left_out = without if (source, ending) == ("every.arrow", "parquet") else []
        for words, rows in [(CARVE, [0, 1, 2, 3, 4]), (["-l", "kept.cutlist.toml", "-q"], [0, 1, 2, 4])]:
            run("carve", source, *words, *left_out, "-o", f"cut.{ending}")
            cut = read(f"cut.{ending}")
            cut.validate(full=True)
            names = [name for name in original.column_names if not left_out or name not in refused]
            same(cut.column_names, [*names, "family"], f"{source} to {ending}")
            same(cut.schema.metadata[b"made by"], b"a test", f"{source} to {ending}: metadata")
            same(cut.schema.field("n").nullable, False, f"{source} to {ending}: whether nulls may be")
            for name in names:
                what = f"{name}, {source} to {ending}, {len(rows)} rows"
                found, wanted = cut.schema.field(name), original.schema.field(name)
                # pyarrow reads a dictionary of anything but text or bytes in Parquet as its values.
                values = wanted.type.value_type if pa.types.is_dictionary(wanted.type) else wanted.type
                spellings = {spelled(wanted.type), spelled(values), f"dictionary int32 of {spelled(values)}"}
                if ending == "parquet":
                    spellings = {in_parquet(spelling) for spelling in spellings}
                assert spelled(found.type) in spellings, f"{what}: its type is {spelled(found.type)}, of {spellings}"
                same({**found.metadata, **wanted.metadata}, found.metadata, f"{what}: its metadata")
                values = [every[name].to_pylist()[row] for row in rows]
                same(cut[name].to_pylist(), values, what)
                # Unions and runs have nulls in their children alone.
                has_nulls = not pa.types.is_union(found.type) and not pa.types.is_run_end_encoded(found.type)
                same(cut[name].null_count, values.count(None) if has_nulls else 0, f"{what}: nulls")


def moments():
    """Timestamps of 96 bits are moments in UTC, and stay so where their column is copied and where it is written again."""
    at = [dt.datetime(2025, 3, 1, 8, 5, 30), None, dt.datetime(1999, 12, 31, 23, 59, 59)]
    table = pa.table({"code": ["GRP-1", "HNG-2", "SHV-3"], "at": pa.array(at, pa.timestamp("ns"))})
    pq.write_table(table, "moments.parquet", use_deprecated_int96_timestamps=True, store_schema=False)
    for out, options in [("copied.parquet", []), ("again.parquet", ["--keep", "code: not blank"])]:
        run("carve", "moments.parquet", "-c", "at", "-p", 'hour: after "T" then first 2', "-o", out, "-q", *options)
        file = pq.ParquetFile(out)
        column = file.schema.column(1)
        is_moment = column.physical_type == "INT96" or "isAdjustedToUTC=true" in str(column.logical_type)
        found = [moment and moment.replace(tzinfo=None) for moment in file.read().column("at").to_pylist()]
        same((is_moment, found, file.read().column("hour").to_pylist()), (True, at, ["08", None, "23"]), out)


def others():
    with open("rows.jsonl", "w") as out:
        out.write('{"code":"A-1","n":1,"r":1.5,"is":true,"in":{"x":[1]},"t":"007"}\n{"code":"A-2","r":2,"big":12345678901234567890}\n')
    run("carve", "rows.jsonl", *CARVE, "-o", "cut.parquet")
    cut = pq.read_table("cut.parquet")
    same(cut.schema.types, [pa.string(), pa.int64(), pa.float64(), pa.bool_(), pa.string(), pa.string(), pa.decimal128(38, 0), pa.string()], "types from JSON Lines")
    same(cut.to_pylist()[1], {"code": "A-2", "n": None, "r": 2.0, "is": None, "in": None, "t": None, "big": decimal.Decimal(12345678901234567890), "family": "A"}, "values from JSON Lines")
    run("carve", "made.xlsx", *CARVE, "-o", "cut.parquet")
    same(pq.read_table("cut.parquet").schema.types, [pa.string(), pa.string(), pa.float64(), pa.string(), pa.date32(), pa.string(), pa.bool_(), pa.string(), pa.string()], "types from a workbook")
    run("carve", "codes.csv", "-l", "list.cutlist.toml", "-o", "cut.arrow", "-q", "--faults", "faults.parquet")
    same(read("cut.arrow").schema.types, [pa.string(), pa.string(), pa.float64(), pa.date32()], "types of pieces")
    faults = pq.read_table("faults.parquet")
    same(faults["row"].to_pylist(), [1], "a file of faults")
    same(faults.schema.field("row").type, pa.int64(), "a file of faults")


def cut_lists():
    validator = jsonschema.Draft202012Validator(json.loads(run("schema")))
    lists = [open(os.path.join(DEMO, name)).read() for name in sorted(os.listdir(DEMO)) if name.endswith(".cutlist.toml")]
    assert len(lists) > 3, lists
    lists.append("unit = 'bytes'\n[piece.a]\ntake = 'numbers'\ncolumns = \"auto\"\n[layout.x]\nform = ['<a>']\n[proof]\nx = '{a}'\n[rows]\nkeep = []")
    for text in lists:
        same([error.message for error in validator.iter_errors(tomllib.loads(text))], [], text)
    for text in ("tittle = ''", "[piece.a]\ntak = ''", "[piece.a]\ntake = ''\ncolumns = \"all\"", "[piece.a]\ntake = ''\ncolumns = 0", "unit = 'inches'"):
        assert not validator.is_valid(tomllib.loads(text)), text


os.chdir(tempfile.mkdtemp())
cut_lists()
workbooks()
workbook_types()
old_workbooks()
columns()
types()
moments()
others()
print("openpyxl and pyarrow read what we write, and we what they and xlwt write")
