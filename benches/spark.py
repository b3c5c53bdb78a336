#!/usr/bin/env python3
"""The benchmark's ten pieces with four checks on Apache Spark: through the program, and by the engine's own functions, on the same local
cluster of two executors with one core each, from the same Parquet file and to nowhere. Seconds by the clock, the median of some runs each,
in turn, and rows a second.

usage: benches/spark.py PARQUET [RUNS]
  PARQUET   the table: make-yard ROWS > yard.csv; keen-notch carve yard.csv -c depot -p 'x: first 1' -o yard.parquet
"""

import os
import pathlib
import statistics
import sys
import time

HERE = pathlib.Path(__file__).resolve().parent
SOURCE = HERE.parent / "integrations" / "spark" / "src"
sys.path.insert(0, str(SOURCE))
os.environ.setdefault("SPARK_LOCAL_IP", "127.0.0.1")
os.environ["PYSPARK_PYTHON"] = sys.executable

from pyspark.sql import SparkSession  # noqa: E402
from pyspark.sql import functions as F  # noqa: E402

from keen_notch_spark import carve, summary  # noqa: E402

LIST = str(HERE / "yard.cutlist.toml")
UNIQUE = "[piece.code]\nof = 'part_code'\ntake = 'whole'\ncheck = ['unique']\n"
PROGRAM = os.environ.get("KEEN_NOTCH", str(HERE.parent / "target" / "release" / "keen-notch"))


def by_hand(df):
    """What by_hand.py of the benchmark does, in the engine's own functions."""
    code, crew, email, reference = (F.col(name) for name in ("part_code", "crew_id", "email", "reference"))
    sections = F.split(crew, "-")
    pieces = {
        "family": F.substring(code, 1, 3),
        "serial": F.substring(code, 5, 8),
        "grade": F.expr("right(part_code, 4)"),
        "team": F.try_element_at(sections, F.lit(3)),
        "crew_no": F.lpad(F.try_element_at(sections, F.lit(2)), 6, "0"),
        "mailbox": F.lower(F.substring_index(email, "@", 1)),
        "domain": F.substring_index(email, "@", -1),
        "order": F.regexp_extract(reference, r"WO:(\d+)", 1),
        "person": F.regexp_extract(reference, r"\(([^)]*)\)", 1),
        "size": F.try_element_at(F.regexp_extract_all(reference, F.lit(r"(\d+(?:\.\d+)?)"), F.lit(1)), F.lit(-1)),
    }
    df = df.withColumns(pieces)
    meets = [("family", "^[A-Z]{3}$"), ("serial", "^[0-9]{8}$"), ("grade", "^[A-Z0-9]{4}$"), ("order", ".")]
    return df.withColumn("faults", sum((~F.col(name).rlike(regex)).cast("int") for name, regex in meets))


def main(path, runs=3):
    builder = SparkSession.builder.master("local-cluster[2,1,2048]").config("spark.ui.enabled", "false")
    builder = builder.config("spark.executorEnv.PYTHONPATH", str(SOURCE)).config("spark.log.level", "OFF")
    builder = builder.config("spark.ui.showConsoleProgress", "false")
    # Small parts of the file, so that both cores have work to the end.
    spark = builder.config("spark.sql.files.maxPartitionBytes", "16m").getOrCreate()
    df = spark.read.parquet(path).drop("x").repartition(16).persist()
    rows = df.count()
    nowhere = lambda frame: frame.write.format("noop").mode("overwrite").save()  # noqa: E731
    ways = {
        "rows alone, to Python and back": lambda: nowhere(df.mapInArrow(lambda batches: batches, df.schema)),
        "through the program": lambda: nowhere(carve(df, LIST, program=PROGRAM)),
        "through the program, with faults": lambda: nowhere(carve(df, LIST, faults="wrong", program=PROGRAM)),
        "the summary": lambda: summary(df, LIST, program=PROGRAM),
        "the engine's own functions": lambda: nowhere(by_hand(df)),
        "the summary of a check unique": lambda: summary(df, UNIQUE, program=PROGRAM),
        "the engine's count of distinct values": lambda: df.select(F.countDistinct("part_code")).collect(),
    }
    seconds = {name: [] for name in ways}
    for name, way in ways.items():
        way()
    for _ in range(int(runs)):
        for name, way in ways.items():
            began = time.perf_counter()
            way()
            seconds[name].append(time.perf_counter() - began)
    print(f"{rows} rows, two executors with one core each")
    for name, found in seconds.items():
        median = statistics.median(found)
        print(f"{name:38} {median:6.2f} s  {rows / median:12,.0f} rows a second")
    driver(spark)
    spark.stop()


def driver(spark):
    """What the driver adds to 500 small tasks: the time beyond that of the same tasks with rows alone."""
    df = spark.range(0, 500_000, numPartitions=500).selectExpr("concat('GRP-', lpad(cast(id as string), 8, '0')) as part_code").persist()
    ways = {
        "rows alone": lambda: df.mapInArrow(lambda batches: batches, df.schema).agg(F.count("*")).collect(),
        "a check of single rows": lambda: summary(df, UNIQUE.replace("unique", "length 12"), program=PROGRAM),
        "a check unique": lambda: summary(df, UNIQUE, program=PROGRAM),
    }
    print("500 tasks, in seconds")
    for name, way in ways.items():
        way()
        seconds = []
        for _ in range(3):
            began = time.perf_counter()
            way()
            seconds.append(time.perf_counter() - began)
        print(f"{name:38} {statistics.median(seconds):6.2f}")


if __name__ == "__main__":
    main(*sys.argv[1:])
