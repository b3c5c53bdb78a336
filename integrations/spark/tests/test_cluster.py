"""Cells and counts on a cluster are those of one run of the program over the same rows."""

import collections
import functools
import json
import os
import pathlib
import subprocess

import pyarrow as pa
import pytest
from pyspark.sql import functions as F
from pyspark.sql import types as T

from keen_notch_spark import CutListError, WorkerError, carve, check, merge, offcuts, summary

BENCH = pathlib.Path(__file__).resolve().parents[3] / "benches" / "yard.cutlist.toml"

# Rows of which some are tidy, some have faults, and some repeat others.
TIDY = [(n, f"GRP-{n:08}-S{n % 10}K2", "East") for n in range(2000)]
UNTIDY = [
    (n, {0: f"GRP-{n:08}-S7K2", 1: f" grp-{n}-É", 2: "", 3: None, 4: f"HNG–{n:08}–B2", 5: "x\n\"y\",", 6: "GRP-00000001-AAAA"}[n % 7], f"D{n % 5}")
    for n in range(3000)
]
# Checks of which each asks about one row, and some that compare rows.
PLAIN = """
column = "part_code"
[piece.family]
take = 'first 3'
check = ['uppercase', 'listed in "families.csv"']
[piece.serial]
take = 'section 2 by "-"'
check = ['digits']
warn = ['length 8']
[piece.qty]
take = 'section 2 by "-" then plain number'
as = "number"
optional = true
[piece.site]
of = "depot"
take = 'whole'
check = ['one of "East", "D1", "D2", "D3"']
"""
LISTS = {
    "plain": PLAIN,
    "compared": PLAIN.replace("['digits']", "['digits', 'unique']")
    + """
[piece.grade]
take = 'after last "-"'
hidden = true
warn = ['unique', 'length 4']
[piece.runs]
take = 'runs of digits'
rows = true
optional = true
check = ['unique']
[rows]
unique = ['part_code', 'depot']
""",
}


@pytest.fixture
def yard(tmp_path):
    (tmp_path / "families.csv").write_text("family\nGRP\nHNG\n")
    for name, text in LISTS.items():
        (tmp_path / f"{name}.cutlist.toml").write_text(text)
    return tmp_path


def frame(spark, rows, partitions, types="n bigint, part_code string, depot string"):
    """Rows in so many partitions, in their order."""
    of_partitions = [rows[at * len(rows) // partitions : (at + 1) * len(rows) // partitions] for at in range(partitions)]
    return spark.createDataFrame(spark.sparkContext.parallelize(of_partitions, partitions).flatMap(lambda part: part), types)


def one_run(program, df, cut_list, folder, *options):
    """What one run of the program makes of all rows of a frame: the table, and the summary."""
    table = df.toArrow()
    sink = pa.BufferOutputStream()
    with pa.ipc.new_stream(sink, table.schema) as writer:
        writer.write_table(table)
    words = [program, "carve", "-", "--from", "arrow", "--to", "arrow", "-q", "-l", str(cut_list), "--summary", str(folder / "one.json"), *options]
    ran = subprocess.run(words, input=sink.getvalue().to_pybytes(), capture_output=True, check=True)
    return pa.ipc.open_stream(ran.stdout).read_all(), json.loads((folder / "one.json").read_text())


def cells(df):
    return collections.Counter(repr(row) for row in df.toArrow().to_pylist())


TABLES = {
    "tidy": (TIDY, 2),
    "untidy, more partitions than cores": (UNTIDY, 7),
    "partitions without faults": (TIDY[:500] + UNTIDY[:500], 4),
    "empty partitions": (UNTIDY[:3], 9),
    "no rows": ([], 3),
}


@pytest.mark.parametrize("rows, partitions", TABLES.values(), ids=TABLES)
@pytest.mark.parametrize("name", list(LISTS))
def test_cells_and_counts_are_those_of_one_run(spark, program, yard, rows, partitions, name):
    df = frame(spark, rows, partitions)
    cut_list = yard / f"{name}.cutlist.toml"
    carved = carve(df, str(cut_list), program=program)
    table, counts = one_run(program, df, cut_list, yard)
    assert carved.columns == table.column_names
    # Without a shuffle, the order of the rows stays too.
    assert carved.toArrow().to_pylist() == table.to_pylist()
    assert summary(df, str(cut_list), program=program) == counts
    checks = {(row["of"], row["check"]): (row["rows"], row["first_rows"]) for row in check(df, str(cut_list), program=program).collect()}
    wanted = {(of["of"], of["check"]): (of["rows"], [row["row"] for row in of["first_rows"]]) for of in counts["checks"] if of["rows"] or not of["implied"]}
    assert checks == wanted


@pytest.mark.parametrize("name", list(LISTS))
def test_faults_are_a_column(spark, program, yard, name):
    df = frame(spark, UNTIDY, 5)
    cut_list = yard / f"{name}.cutlist.toml"
    carved = carve(df, str(cut_list), faults="wrong", program=program)
    table, counts = one_run(program, df, cut_list, yard, "--faults-column", "wrong")
    # One run gives the same faults, in the same order and words, such as "row 7 has it too".
    assert cells(carved) == collections.Counter(repr(row) for row in table.to_pylist())
    # A row that was made several counts once.
    assert carved.where("size(wrong) > 0").select("n").distinct().count() == counts["rows"]["with_faults"]


def test_types_and_names_stay(spark, program, yard):
    df = spark.sql("select 'GRP-1' as `a.b`, date'2025-11-02' as day, timestamp'2025-11-02 10:00:00' as at, cast(1.500 as decimal(20,3)) as n, true as ok, array(named_struct('x', 1, 'y', 'é')) as many")
    cut_list = yard / "types.cutlist.toml"
    cut_list.write_text("[piece.year]\nof = 'day'\ntake = 'first 4'\nas = 'number'\n[piece.no]\nof = 'a.b'\ntake = 'after \"-\"'\ncheck = ['digits']\n[piece.when]\nof = '#2'\ntake = 'whole'\nas = 'date'\n[piece.n]\nof = 'n'\ntake = 'before \".\"'\nreplace = true\n")
    carved = carve(df, str(cut_list), program=program)
    assert carved.schema.simpleString() == (
        "struct<a.b:string,day:date,at:timestamp,n:string,ok:boolean,many:array<struct<x:int,y:string>>,year:double,no:string,when:date>"
    )
    table, counts = one_run(program, df, cut_list, yard)
    assert carved.toArrow().to_pylist() == table.to_pylist()
    assert summary(df, str(cut_list), program=program) == counts


def test_a_million_rows_of_the_benchmark(spark, program, yard):
    df = spark.range(0, 1_000_000, numPartitions=5).selectExpr(
        "id",
        "concat('GRP-', lpad(cast(id as string), 8, '0'), '-S7', if(id % 900 = 0, '?', 'K'), '2') as part_code",
        "concat('2019-', id % 9999, '-RIG') as crew_id",
        "concat('Ines.', id, '@lift.skarn.example') as email",
        "concat('INSP 2025/11 ', if(id % 1000 = 0, 'W', 'WO'), ':', id, ' (Ines Okafor) brake pad ', id % 7, '.25 mm') as reference",
        "if(id % 2 = 0, 'East', 'West') as depot",
    )
    names = df.columns
    (yard / "bench.cutlist.toml").write_text(BENCH.read_text())
    carved = carve(df, str(yard / "bench.cutlist.toml"), program=program)
    table, counts = one_run(program, df, yard / "bench.cutlist.toml", yard)
    assert carved.columns == table.column_names and carved.columns[: len(names)] == names
    assert summary(df, str(yard / "bench.cutlist.toml"), program=program) == counts
    assert counts["rows"]["read"] == 1_000_000 and counts["rows"]["with_faults"] > 1000
    found = carved.toArrow()
    assert all(found.column(name).combine_chunks().equals(table.column(name).combine_chunks()) for name in carved.columns)


def test_an_executor_that_is_lost_changes_nothing(spark, program, yard):
    df = frame(spark, TIDY, 8)
    cut_list = yard / "plain.cutlist.toml"
    mark = yard / "lost"

    def lose_one(batches):
        import os
        import pathlib
        import signal
        import time

        for batch in batches:
            try:
                # Only one task comes first: its executor, the parent of the process that it runs in, is killed.
                pathlib.Path(mark).touch(exist_ok=False)
            except FileExistsError:
                pass
            else:
                stat = pathlib.Path(f"/proc/{os.getppid()}/stat").read_text()
                os.kill(int(stat.rsplit(")", 1)[1].split()[1]), signal.SIGKILL)
                time.sleep(60)
            yield batch

    through = df.mapInArrow(lose_one, df.schema)
    table, counts = one_run(program, df, cut_list, yard)
    assert carve(through, str(cut_list), program=program).toArrow().to_pylist() == table.to_pylist()
    assert mark.exists()
    mark.unlink()
    assert summary(through, str(cut_list), program=program) == counts


def test_what_is_wrong_is_told_on_the_driver(spark, program, yard):
    df = frame(spark, TIDY, 2)
    wrong = yard / "wrong.cutlist.toml"
    wrong.write_text("[piece.x]\nof = 'part_code'\ntake = 'frist 3'\n")
    with pytest.raises(CutListError, match="first") as told:
        carve(df, str(wrong), program=program)
    assert "java" not in str(told.value).lower()
    with pytest.raises(CutListError, match="no column part_code"):
        carve(df.drop("part_code"), str(yard / "plain.cutlist.toml"), program=program)
    with pytest.raises(CutListError, match="cannot be read"):
        carve(df, str(yard / "none.cutlist.toml"), program=program)
    with pytest.raises(CutListError, match="has the name of a column"):
        carve(df.withColumnRenamed("depot", "site"), str(yard / "plain.cutlist.toml"), program=program)
    keep = yard / "keep.cutlist.toml"
    keep.write_text("[piece.x]\nof = 'part_code'\ntake = 'first 3'\n[rows]\nkeep = ['x: unique']\n")
    with pytest.raises(CutListError, match="depends on other rows"):
        carve(df, str(keep), program=program)
    with pytest.raises(WorkerError, match="is not on"):
        carve(df, str(yard / "plain.cutlist.toml"), program="keen-notch-that-is-not-there")


SHUFFLES = {
    "round robin": lambda df: df.repartition(4),
    "by an expression": lambda df: df.repartition(6, F.expr("n % 6")),
    "sorted by a random number": lambda df: df.repartitionByRange(4, "part_code", "n"),
}


@pytest.mark.parametrize("shuffle", SHUFFLES.values(), ids=SHUFFLES)
def test_repeats_are_flagged_after_a_shuffle(spark, program, yard, shuffle):
    """After a shuffle, a second evaluation can have the rows in another order: the flags come from one. Ten times, in one job."""
    cut_list = yard / "unique.cutlist.toml"
    cut_list.write_text("[piece.code]\nof = 'part_code'\ntake = 'whole'\ncheck = ['unique']\n")

    def carved(time):
        # The engine would compute frames of one plan once.
        rows = spark.range(0, 24_000, numPartitions=3).selectExpr("id as n", "concat('GRP-', id % 18000) as part_code", f"{time} as time")
        return carve(shuffle(rows), str(cut_list), faults="wrong", program=program).select("time", "part_code", "wrong")

    found = functools.reduce(lambda one, other: one.union(other), map(carved, range(10))).toArrow().to_pylist()
    assert len(found) == 240_000
    flagged = collections.Counter((row["time"], row["part_code"]) for row in found if row["wrong"])
    # Each doubled code has one flagged row, and no other code has one.
    assert len(flagged) == 60_000 and set(flagged.values()) == {1}


def test_columns_may_have_any_name(spark, program, yard):
    cut_list = yard / "unique.cutlist.toml"
    cut_list.write_text("[piece.row]\nof = 'code'\ntake = 'first 2'\ncheck = ['unique']\n[piece.place]\nof = 'code'\ntake = 'last 1'\n")
    df = spark.createDataFrame([("AB1", 1, "x"), ("AB2", 2, "y"), ("CD3", 3, "z")], "code string, partition int, share string").coalesce(1)
    rows = carve(df, str(cut_list), faults="rows", program=program).orderBy("partition").collect()
    assert [row.asDict()["row"] for row in rows] == ["AB", "AB", "CD"] and [row.partition for row in rows] == [1, 2, 3]
    assert [row.share + row.place for row in rows] == ["x1", "y2", "z3"]
    assert [[fault.detail for fault in row.rows] for row in rows] == [[], ["row 1 has it too"], []]
    # Two columns of one name that the list does not take pieces of.
    doubled = df.select("code", "partition", df["share"].alias("partition"))
    carved = carve(doubled, str(yard / "unique.cutlist.toml"), program=program)
    assert carved.columns == ["code", "partition", "partition", "row", "place"]
    assert sorted(tuple(row)[:3] for row in carved.collect()) == [("AB1", 1, "x"), ("AB2", 2, "y"), ("CD3", 3, "z")]
    with pytest.raises(CutListError, match="no column code"):
        carve(df.select("code", df["share"].alias("code")), str(cut_list), program=program)


def test_columns_of_any_type_pass_through(spark, program, yard):
    cut_list = yard / "first.cutlist.toml"
    cut_list.write_text("[piece.family]\nof = 'code'\ntake = 'first 3'\n")
    columns = {
        "code": "'GRP-1'",
        "nothing": "null",
        "nothings": "array(null, null)",
        "named": "map('a', null)",
        "deep": "named_struct('x', array(null), 'y', 1)",
        "months": "interval '1-2' year to month",
        "days": "interval '1 02:03:04.000005' day to second",
        "mixed": "make_interval(1, 2, 3, 4, 5, 6, 7.5)",
        "bytes": "cast('é' as binary)",
    }
    df = spark.sql("select " + ", ".join(f"{value} as {name}" for name, value in columns.items()))
    carved = carve(df, str(cut_list), program=program)
    assert [field.dataType.simpleString() for field in carved.schema.fields[:-1]] == [field.dataType.simpleString() for field in df.schema.fields]
    as_text = [f"cast({name} as string)" if name != "named" else "cast(map_keys(named) as string)" for name in columns]
    assert carved.selectExpr(*as_text, "family").collect() == df.selectExpr(*as_text, "'GRP' as family").collect()
    # A variant is its JSON.
    if hasattr(T, "VariantType"):
        variant = spark.sql("""select 'x' as code, parse_json('{"a": [1, "b"]}') as v""")
        of_variant = yard / "variant.cutlist.toml"
        of_variant.write_text("[piece.letter]\nof = 'v'\ntake = 'run 2 of letters'\n")
        carved = carve(variant, str(of_variant), program=program)
        assert carved.schema["v"].dataType.typeName() == "variant"
        assert carved.selectExpr("to_json(v) as v", "letter").collect()[0].asDict() == {"v": '{"a":[1,"b"]}', "letter": "b"}


def test_lists_as_texts_several_lists_and_limits(spark, program, yard):
    df = frame(spark, TIDY[:50], 3)
    plain = yard / "plain.cutlist.toml"
    text = "[piece.first_letter]\nof = 'part_code'\ntake = 'first 1'\n"
    carved = carve(df, [str(plain), text], program=program, memory="64M", max_row="1M", timeout=30)
    one = carve(df, str(plain), program=program).toArrow().to_pylist()
    assert carved.toArrow().to_pylist() == [{**row, "first_letter": "G"} for row in one]
    kept, off = offcuts(frame(spark, UNTIDY, 4), str(plain), program=program)
    counts = summary(frame(spark, UNTIDY, 4), str(plain), program=program)
    assert off.count() == counts["rows"]["with_faults"] and kept.count() == counts["rows"]["read"] - off.count()
    assert (off.columns, kept.columns) == (["n", "part_code", "depot", "faults"], list(one[0]))
    # A column that a piece replaces is as it was in the offcuts.
    upper = "[piece.depot]\nof = 'depot'\ntake = 'whole then lower'\nreplace = true\ncheck = ['not one of \"d1\"']\n"
    kept, off = offcuts(frame(spark, UNTIDY[:70], 3), upper, program=program)
    assert kept.columns == ["n", "part_code", "depot"] and {row.depot for row in kept.collect()} == {"d0", "d2", "d3", "d4"}
    assert off.columns == ["n", "part_code", "depot", "faults"] and {row.depot for row in off.collect()} == {"D1"}
    # The batches of a stream give its counts.
    halves = [summary(frame(spark, rows, 2), str(plain), program=program) for rows in (UNTIDY[:1200], UNTIDY[1200:])]
    assert merge(halves, program=program)["rows"] == counts["rows"]
    # A program that hangs ends its task.
    hangs = yard / "hangs"
    hangs.write_text(f'#!/bin/sh\n[ "$1" = carve ] || exec {program} "$@"\nexec sleep 600\n')
    hangs.chmod(0o755)
    with pytest.raises(Exception, match="neither taken nor given a row for 1 seconds"):
        carve(df.coalesce(1), str(plain), program=str(hangs), timeout=1).collect()


def test_large_files_of_a_list_are_written_once_by_a_process(spark, program, yard):
    (yard / "codes.csv").write_text("code\n" + "".join(f"GRP-{n:08}\n" for n in range(200_000)))
    cut_list = yard / "listed.cutlist.toml"
    cut_list.write_text("[piece.code]\nof = 'part_code'\ntake = 'first 12'\ncheck = ['listed in \"codes.csv\"']\n")
    df = frame(spark, TIDY, 12)
    assert summary(df, str(cut_list), program=program)["rows"] == {"read": 2000, "kept": 2000, "written": 2000, "set_aside": 0, "left_out": 0, "with_faults": 0}

    def folders(batches):
        import glob
        import tempfile

        for batch in batches:
            found = glob.glob(f"{tempfile.gettempdir()}/keen-notch-*/list-0/codes.csv")
            yield pa.RecordBatch.from_pydict({"found": [len(found)]})

    # Two executors, each with one process for all of its tasks.
    assert 1 <= spark.range(1).mapInArrow(folders, "found bigint").first().found <= 4


def test_a_program_takes_the_rows_of_many_tasks(spark, program, yard):
    """It reads the lists and their values once. One that failed, or whose rows nobody wanted, is not used again."""
    counting = yard / "counting"
    counting.write_text(f'#!/bin/sh\n[ "$1" = carve ] && echo "$$" >> {yard}/started\nexec {program} "$@"\n')
    counting.chmod(0o755)
    df, plain = frame(spark, UNTIDY, 24), str(yard / "plain.cutlist.toml")
    wanted = carve(df, plain, program=program).toArrow().to_pylist()
    carved = carve(df, plain, program=str(counting))
    # Two executors, and some processes that an executor replaces.
    started = lambda: len((yard / "started").read_text().split())
    assert carved.toArrow().to_pylist() == wanted
    assert 1 <= started() <= 6
    assert len(carved.take(2)) == 2 and carved.toArrow().to_pylist() == wanted
    assert started() <= 12
    # The summary is asked of another program, which also takes all tasks.
    assert summary(df, plain, program=str(counting)) == summary(df, plain, program=program)
    assert started() <= 18


def test_what_cannot_work_is_refused_before_a_task(spark, program, yard):
    df = frame(spark, TIDY[:10], 2)
    plain = str(yard / "plain.cutlist.toml")
    for name, words in [("depot", "already"), ("DEPOT", "already"), ("a.b", "write faults='a_b'")]:
        with pytest.raises(CutListError, match=words):
            carve(df, plain, faults=name, program=program)
    alike = yard / "alike.cutlist.toml"
    alike.write_text("[piece.PART_CODE]\nof = 'part_code'\ntake = 'first 3'\n")
    with pytest.raises(CutListError, match="cannot tell the piece PART_CODE"):
        carve(df, str(alike), program=program)
    stream = spark.readStream.format("rate").load().selectExpr("cast(value as string) as part_code", "'x' as depot")
    with pytest.raises(CutListError, match="foreachBatch"):
        summary(stream, plain, program=program)
    with pytest.raises(CutListError, match="foreachBatch"):
        carve(stream, str(yard / "compared.cutlist.toml"), faults="wrong", program=program)
    # A list of rows to keep, and one with the settings of its sample, are run.
    keep = yard / "keep.cutlist.toml"
    keep.write_text("[reading]\ndelimiter = ';'\nragged = 'set-aside'\n[writing]\nwidths = 'a 1 to 4'\n[rows]\nkeep = ['part_code: ends with \"1K2\"']\n")
    with pytest.warns(UserWarning, match=r"do not apply to a frame: \[reading\] delimiter, \[reading\] ragged, \[writing\] widths"):
        carved = carve(df, str(keep), program=program)
    assert [row.n for row in carved.collect()] == [1]


def test_lists_may_name_files_outside_their_folder(spark, program, yard):
    lists = yard / "lists"
    lists.mkdir()
    df = frame(spark, TIDY[:40], 3)
    for name in ("../families.csv", str(yard / "families.csv")):
        cut_list = lists / "outside.cutlist.toml"
        cut_list.write_text(f"[piece.family]\nof = 'part_code'\ntake = 'first 3'\ncheck = ['listed in \"{name}\"']\n")
        with pytest.raises(CutListError, match="families.csv is outside the folder of the cut list"):
            carve(df, str(cut_list), program=program)
        table, counts = one_run(program, df, cut_list, yard, "--allow-outside")
        assert carve(df, str(cut_list), program=program, allow_outside=True).toArrow().to_pylist() == table.to_pylist()
        assert summary(df, str(cut_list), program=program, allow_outside=True) == counts


def test_folders_are_private_and_those_of_killed_processes_go(program, tmp_path, monkeypatch):
    from keen_notch_spark import folders
    from keen_notch_spark.program import found

    monkeypatch.setattr("tempfile.tempdir", str(tmp_path))
    ended = subprocess.Popen(["true"])
    ended.wait()
    # Of an ended process; of another machine, where a process of this number may run; and of another program.
    left, *others = [tmp_path / name for name in (f"{folders.PREFIX}{ended.pid}-x", f"keen-notch-other-{ended.pid}-x", "keen-notch-mine")]
    for folder in (left, *others):
        folder.mkdir()
    with folders.temporary() as folder:
        assert pathlib.Path(folder).stat().st_mode & 0o077 == 0
        assert not left.exists() and all(other.exists() for other in others)
    # A file of the working folder is neither taken nor made executable.
    monkeypatch.chdir(tmp_path)
    (tmp_path / "keen-notch").write_text("")
    monkeypatch.setenv("PATH", str(pathlib.Path(program).parent))
    assert pathlib.Path(found("keen-notch")) == pathlib.Path(program).resolve()
    assert (tmp_path / "keen-notch").stat().st_mode & 0o111 == 0


def test_a_worker_that_dies_ends_its_task_with_its_last_words(spark, program, yard):
    df = frame(spark, TIDY, 3)
    broken = yard / "broken"
    # It does what the driver asks, and dies with rows.
    broken.write_text(f'#!/bin/sh\n[ "$1" = carve ] || exec {program} "$@"\nhead -c 100 > /dev/null\necho "the yard is closed" >&2\nexit 3\n')
    broken.chmod(0o755)
    with pytest.raises(Exception, match="exit status 3.*the yard is closed"):
        carve(df, str(yard / "plain.cutlist.toml"), program=str(broken)).collect()
    out = yard / "out.parquet"
    with pytest.raises(Exception, match="the yard is closed"):
        carve(df, str(yard / "plain.cutlist.toml"), program=str(broken)).write.parquet(str(out))
    assert not (out / "_SUCCESS").exists() and not list(out.glob("*.parquet"))
    # A program of another version where the tasks are.
    other = yard / "other"
    told = subprocess.run([program, "--version"], capture_output=True, text=True).stdout.strip()
    assert "(build " in told
    other.write_text(f'#!/bin/sh\n[ "$1" = --version ] && [ -e {yard}/later ] && exec echo "keen-notch 0.1.0 (build 0)"\nexec {program} "$@"\n')
    other.chmod(0o755)
    carved = carve(df, str(yard / "plain.cutlist.toml"), program=str(other))
    (yard / "later").touch()
    with pytest.raises(Exception, match=r"is keen-notch 0.1.0 .build 0. on .* on the driver"):
        carved.collect()
    # A program that is not where the tasks are.
    gone = yard / "gone"
    gone.write_text(f'#!/bin/sh\nexec {program} "$@"\n')
    gone.chmod(0o755)
    carved = carve(df, str(yard / "plain.cutlist.toml"), program=str(gone))
    gone.unlink()
    with pytest.raises(Exception, match="send it with the job"):
        carved.collect()


def test_rows_that_nobody_wants_are_not_waited_for(spark, program, yard):
    df = frame(spark, TIDY * 20, 2)
    assert len(carve(df, str(yard / "plain.cutlist.toml"), program=program).take(3)) == 3
    assert carve(df, str(yard / "plain.cutlist.toml"), program=program).count() == len(TIDY) * 20


@pytest.fixture(scope="module")
def demo(program, tmp_path_factory):
    """The folder of the demo."""
    folder = tmp_path_factory.mktemp("demo")
    subprocess.run([program, "demo", "--dir", str(folder / "demo")], capture_output=True, check=True)
    return folder / "demo"


@pytest.mark.parametrize("name, table", [("parts", "parts"), ("crew", "crew"), ("references", "references"), ("figures", "references")])
def test_the_lists_of_the_demo(spark, program, demo, tmp_path, name, table):
    df = spark.read.csv(str(demo / f"{table}.csv"), header=True, multiLine=True, escape='"')
    df = df.repartition(3, df.columns[0]).persist()
    cut_list = demo / f"{name}.cutlist.toml"
    table, counts = one_run(program, df, cut_list, tmp_path)
    assert carve(df, str(cut_list), program=program).toArrow().to_pylist() == table.to_pylist()
    assert summary(df, str(cut_list), program=program) == counts
