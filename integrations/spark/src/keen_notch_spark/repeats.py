"""``unique``: rows are compared with each other by the engine's own shuffle, by hashes that the program makes of what must differ.

A row is a repeat where one before it has the same: rows are in the order of their partitions, and of their places there.
"""

from pyspark.sql import Window
from pyspark.sql import functions as F
from pyspark.sql import types as T

# Names of columns that are added for a time.
BY, ROW = "__keen_notch_by", "__keen_notch_row"

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
# Rows that a summary names of each check.
FIRST_ROWS = 5
FAULT_FIELDS = ("piece", "check", "kind", "detail")


def located_schema(carved):
    """The records of tasks for :func:`with_faults`: rows, hashes, and the number of rows of each partition."""
    return T.StructType(
        [
            T.StructField("share", T.IntegerType()),
            T.StructField("partition", T.IntegerType()),
            # The number of the row in its partition, and the number of the output row: a row can give several.
            T.StructField("row", T.LongType()),
            T.StructField("place", T.LongType()),
            T.StructField("check", T.IntegerType()),
            T.StructField("hash", T.BinaryType()),
            T.StructField("rows", T.LongType()),
            T.StructField("data", carved),
        ]
    )


def with_faults(records, checks, compares, faults, names, shares):
    """Adds the repeats to the faults of rows.

    records: see :func:`located_schema`. All comes from one evaluation of the frame: its rows go along with their hashes, because in a
    second evaluation they can be in another order. checks: all checks of the list. names: the columns of the result. shares: the hashes
    are divided into so many shares, each of which is compared on its own.
    """
    own = F.when(F.col("hash").isNull(), F.col("place")).otherwise(F.xxhash64("check", "hash"))
    records = records.withColumn("share", F.coalesce("share", F.pmod(own, F.lit(shares)).cast("int")))
    # The number of a row over all partitions: each share of the hashes has the number of rows of every partition.
    in_order = Window.partitionBy("share").orderBy("partition", F.col("rows").asc_nulls_first())
    before = F.coalesce(F.sum("rows").over(in_order.rowsBetween(Window.unboundedPreceding, Window.currentRow)), F.lit(0))
    numbered = records.withColumn("number", before + F.col("row")).where("rows is null")
    alike = Window.partitionBy("share", "check", "hash").orderBy("number", "place")
    numbered = numbered.withColumn("nth", F.row_number().over(alike)).withColumn("first", F.first("number").over(alike))
    fault = None
    for number, check in compares.items():
        if check["level"] == "fault":
            # A check of several columns has a text after its word.
            has = "has it too" if check["check"] == "unique" else "has the same values together"
            texts = [F.lit(check["of"]), F.lit(check["check"]), F.lit("not-unique"), F.concat_ws(" ", F.lit("row"), F.col("first"), F.lit(has))]
            made = F.struct(*[text.alias(name) for text, name in zip(texts, FAULT_FIELDS)])
            case = F.when((F.col("check") == number) & F.col("hash").isNotNull() & (F.col("nth") > 1), made)
            fault = case if fault is None else F.coalesce(fault, case)
    if fault is not None:
        numbered = numbered.withColumn("fault", fault)
    if fault is None:
        rows = numbered.where("data is not null")
    else:
        # All output rows of a row have all its faults. `collect_list` leaves nulls out.
        numbered = numbered.withColumn("placed", F.when(F.col("fault").isNotNull(), F.struct("check", "place", "nth", "fault")))
        rows = numbered.groupBy("partition", "row").agg(F.collect_list("data").alias("all"), F.array_sort(F.collect_list("placed")).alias("more"))
        rows = rows.select(F.explode("all").alias("data"), F.transform("more", lambda one: one["fault"]).alias("more"))
    field = lambda name: F.col("data").getField(name)
    if fault is None:
        return rows.select(*[field(name).alias(name) for name in names])
    # Faults are in the order of the list, and faults of one check in the order of the results.
    order = F.create_map(*[part for place, check in enumerate(checks) for part in (F.lit(_key(check["of"], check["check"])), F.lit(place))])
    placed = lambda one, place: F.struct(
        F.coalesce(order[F.concat(one["piece"], F.lit("\0"), one["check"])], F.lit(len(checks))).alias("check"), place.alias("place"), one.alias("fault")
    )
    all_faults = F.concat(field(faults), F.col("more"))
    sorted_faults = F.transform(F.array_sort(F.transform(all_faults, placed)), lambda one: one["fault"])
    all_faults = F.when(F.size("more") > 0, sorted_faults).otherwise(field(faults))
    return rows.select(*[(all_faults if name == faults else field(name)).alias(name) for name in names])


def _key(piece, check):
    return f"{piece}\0{check}"


def count(entries, compares):
    """What duplicates add to the counts, for each check by its number; and the summaries of the partitions, by their numbers.

    entries: see ``tasks.Compared``. One job computes all.
    """
    # A row that has several duplicates of a check, a piece or at all is counted once.
    pieces = {}
    for number, check in compares.items():
        pieces.setdefault((check["of"], check["level"]), []).append(number)
    faults = [number for number, check in compares.items() if check["level"] == "fault"]
    has = lambda numbers, is_new: F.max((F.col("check").isin(numbers) & is_new).cast("int"))
    asked = {("check", number): has([number], F.lit(True)) for number in compares}
    asked.update({("piece", key): has(numbers, F.col("new_for_piece")) for key, numbers in pieces.items()})
    asked[("rows", None)] = has(faults, F.col("new_for_row"))
    names = {f"count_{place}": key for place, key in enumerate(asked)}
    first = F.collect_set(F.when(F.col("is_first"), F.col("check")))
    of_row = entries.groupBy("partition", "row").agg(*[asked[key].alias(name) for name, key in names.items()], first.alias("first"), F.max("summary").alias("summary"))
    sums = [F.sum(name).alias(name) for name in names]
    firsts = F.collect_list(F.when(F.size("first") > 0, F.struct("partition", "row", "first")))
    summaries = F.collect_list(F.when(F.col("summary").isNotNull(), F.struct("partition", "summary")))
    [all_rows] = of_row.agg(*sums, firsts.alias("firsts"), summaries.alias("summaries")).collect()
    counts = {key: all_rows[name] or 0 for name, key in names.items()}
    found = {number: {"rows": counts["check", number], "first": []} for number in compares}
    for row in sorted(all_rows["firsts"], key=lambda row: (row["partition"], row["row"])):
        for check in row["first"]:
            found[check]["first"].append((row["partition"], row["row"]))
    for check in found.values():
        del check["first"][FIRST_ROWS:]
    texts = {one["partition"]: one["summary"] for one in all_rows["summaries"]}
    return (found, {key: counts["piece", key] for key in pieces}, counts["rows", None]), texts


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
