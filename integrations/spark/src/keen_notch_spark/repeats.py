"""``unique``: rows are compared with each other by the engine's own shuffle, by hashes that the program makes of what must differ.

A row is a repeat where one before it has the same: rows are in the order of their partitions, and of their places there.
"""

from pyspark.sql import Window
from pyspark.sql import functions as F
from pyspark.sql import types as T

# Names of columns that are added for a time.
BY, ROW, PARTITION = "__keen_notch_by", "__keen_notch_row", "__keen_notch_partition"

BY_TYPE = T.ArrayType(
    T.StructType(
        [
            T.StructField("check", T.IntegerType()),
            T.StructField("hash", T.BinaryType()),
            T.StructField("new_for_piece", T.BooleanType()),
            T.StructField("new_for_row", T.BooleanType()),
        ]
    )
)
PLACE = T.StructType([T.StructField(PARTITION, T.IntegerType()), T.StructField(ROW, T.LongType())])

# Rows that a summary names of each check.
FIRST_ROWS = 5


def _repeats(hashes):
    """Of hashes with partition and row, those that one before has too."""
    alike = Window.partitionBy("check", "hash").orderBy("partition", "row")
    return hashes.withColumn("nth", F.row_number().over(alike)).where("nth > 1")


def with_faults(rows, compares, faults):
    """Rows with what they are compared by, as rows whose faults name the repeats."""
    hashes = rows.select(
        F.col(PARTITION).alias("partition"), F.col(ROW).alias("row"), F.explode(BY).alias("by")
    ).select("partition", "row", "by.check", "by.hash")
    named = None
    for number, check in compares.items():
        if check["level"] != "fault":
            continue
        fault = F.struct(
            F.lit(check["of"]).alias("piece"),
            F.lit(check["check"]).alias("check"),
            F.lit("not-unique").alias("kind"),
            F.lit("a row before it has it too").alias("detail"),
        )
        case = F.when(F.col("check") == number, fault)
        named = case if named is None else F.coalesce(named, case)
    if named is None:
        return rows.drop(PARTITION, ROW, BY)
    repeated = _repeats(hashes).withColumn("fault", named).where("fault is not null").groupBy("partition", "row")
    repeated = repeated.agg(F.array_sort(F.collect_list("fault")).alias("__keen_notch_more"))
    joined = rows.join(
        repeated, (rows[PARTITION] == repeated["partition"]) & (rows[ROW] == repeated["row"]), "left"
    ).drop("partition", "row")
    more = F.coalesce(F.col("__keen_notch_more"), F.array().cast(rows.schema[faults].dataType))
    return joined.withColumn(faults, F.concat(F.col(faults), more)).drop(PARTITION, ROW, BY, "__keen_notch_more")


def count(hashes, compares):
    """What repeats add to the counts: for each check that has some, by its number."""
    repeated = _repeats(hashes).groupBy("check", "partition", "row")
    rows = repeated.agg(F.first("new_for_piece").alias("new_for_piece"), F.first("new_for_row").alias("new_for_row")).persist()
    try:
        in_order = Window.partitionBy("check").orderBy("partition", "row")
        firsts = rows.withColumn("nth", F.row_number().over(in_order)).where(F.col("nth") <= FIRST_ROWS).collect()
        # A row that has several repeats of a check, a piece or at all is counted once.
        pieces = {}
        for number, check in compares.items():
            pieces.setdefault((check["of"], check["level"]), []).append(number)
        faults = [number for number, check in compares.items() if check["level"] == "fault"]
        has = lambda numbers, is_new: F.max((F.col("check").isin(numbers) & is_new).cast("int"))
        asked = {("check", number): has([number], F.lit(True)) for number in compares}
        asked.update({("piece", key): has(numbers, F.col("new_for_piece")) for key, numbers in pieces.items()})
        asked[("rows", None)] = has(faults, F.col("new_for_row"))
        names = {f"count_{place}": key for place, key in enumerate(asked)}
        of_row = rows.groupBy("partition", "row").agg(*[asked[key].alias(name) for name, key in names.items()])
        [sums] = of_row.agg(*[F.sum(name).alias(name) for name in names]).collect()
        counts = {key: sums[name] or 0 for name, key in names.items()}
        found = {number: {"rows": counts["check", number], "first": []} for number in compares}
        for row in sorted(firsts, key=lambda row: (row["partition"], row["row"])):
            found[row["check"]]["first"].append((row["partition"], row["row"]))
        return found, {key: counts["piece", key] for key in pieces}, counts["rows", None]
    finally:
        rows.unpersist()


def add(summary, counted, compares, rows):
    """Adds what repeats come to, to a summary of rows that were not compared. rows: how many each partition has."""
    found, of_pieces, of_rows = counted
    before, all_rows = {}, 0
    for partition in sorted(rows):
        before[partition] = all_rows
        all_rows += rows[partition]
    name = summary["inputs"][0]["name"]
    for number in compares:
        check = summary["checks"][number]
        check.pop("elsewhere", None)
        check["rows"] = found[number]["rows"]
        check["first_rows"] = [{"file": name, "row": before[partition] + row} for partition, row in found[number]["first"]]
    for (of, level), new in of_pieces.items():
        for piece in summary["pieces"]:
            if piece["name"] == of:
                piece["faulted" if level == "fault" else "warned"] += new
    summary["rows"]["with_faults"] += of_rows
    summary["rows_compared"] = True
