"""On the driver: frames that are carved and checked."""

import json

from pyspark.sql import functions as F
from pyspark.sql import types as T

from . import repeats
from .program import merged, schema
from .shipped import Shipped
from .tasks import Carved, Counted, summary_of_nothing
from .worker import Worker

FAULT = T.StructType([T.StructField(name, T.StringType()) for name in ("piece", "check", "kind", "detail")])
TYPES = {
    "text": T.StringType(),
    "number": T.DoubleType(),
    "date": T.DateType(),
    "true or false": T.BooleanType(),
    "list of faults": T.ArrayType(FAULT),
    "list of hashes": repeats.BY_TYPE,
}


def carve(df, cut_list, faults=None, program="keen-notch", column=None, allow_outside=False):
    """A frame with the pieces of a cut list after its columns.

    df: the frame; a column that the list takes pieces of is text, a number, a date or a boolean.
    cut_list: the path of the list on the driver. It and the files that it names (``listed in``) travel with the job.
    faults: the name of a column to add that says what is wrong with each row: a list of structs with piece, check, kind, detail.
    program: the path or name of the program; a name is looked for among the files of the job, then on the PATH.
    column: the column that pieces come from unless they say otherwise.
    allow_outside: whether the list may name files outside its folder.

    The columns are known at once; nothing is computed before the frame is. Raises CutListError where the list is wrong, or needs a column
    that the frame lacks.
    """
    asked = Asked(df, cut_list, program, column, allow_outside, faults)
    worker = asked.worker("carve", "--to", "arrow")
    df = asked.plainly_named()
    if not asked.compares:
        return df.mapInArrow(Carved(worker, asked.names), asked.frame_schema())
    if faults is None:
        # Which rows repeat others changes no cell.
        return df.mapInArrow(Carved(worker, asked.names, drops=repeats.BY), asked.frame_schema(without=repeats.BY))
    located = T.StructType(repeats.PLACE.fields + asked.frame_schema().fields)
    return repeats.with_faults(df.mapInArrow(Carved(worker, asked.names, locates=True), located), asked.compares, faults)


def summary(df, cut_list, program="keen-notch", column=None, allow_outside=False):
    """What the program's ``--summary`` says of a run over all rows, as a dict. Runs a job, which reads only the columns that the list does.

    Rows are counted from 1, partition by partition. Each task's part of it comes with its rows, so what is tried again counts once.
    """
    asked = Asked(df, cut_list, program, column, allow_outside).pruned()
    if asked.compares:
        worker = asked.worker("carve", "--to", "arrow")
    elif asked.checks:
        worker = asked.worker("check")
    else:
        worker = asked.worker("carve", "--only-pieces", "--to", "arrow")
    counted = asked.plainly_named().mapInArrow(Counted(worker, asked.names, compares=bool(asked.compares)), Counted.SCHEMA)
    if asked.compares:
        counted = counted.persist()
    try:
        parts = sorted(counted.where(F.col("summary").isNotNull()).select("partition", "summary").collect())
        texts = [part.summary for part in parts] or [summary_of_nothing(worker, asked.names)]
        all_rows = json.loads(merged(program, texts))
        if asked.compares:
            rows = {part.partition: json.loads(part.summary)["rows"]["read"] for part in parts}
            found = repeats.count(counted.where(F.col("hash").isNotNull()), asked.compares)
            repeats.add(all_rows, found, asked.compares, rows)
        return all_rows
    finally:
        if asked.compares:
            counted.unpersist()


def check(df, cut_list, program="keen-notch", column=None, allow_outside=False):
    """The checks of a cut list with the number of rows that each looked at, that of those which do not meet it and their share, and the
    first of them, as a frame. Runs a job."""
    found = summary(df, cut_list, program, column, allow_outside)
    fields = "of string, column string, check string, level string, checked bigint, rows bigint, share double, first_rows array<bigint>"
    rows = [
        (
            check["of"],
            check["column"],
            check["check"],
            check["level"],
            check["checked"],
            check["rows"],
            round(check["rows"] / check["checked"], 6) if check["checked"] else 0.0,
            [first["row"] for first in check["first_rows"]],
        )
        for check in found["checks"]
        if check["rows"] > 0 or not check["implied"]
    ]
    return df.sparkSession.createDataFrame(rows, fields)


class Asked:
    """What is asked of a frame: the list, and what the program says that it makes of the columns."""

    def __init__(self, df, cut_list, program, column, allow_outside, faults=None, shipped=None):
        self.df = df
        self.program = program
        self.column = column
        self.faults = faults
        self.names = df.columns
        self.shipped = shipped or Shipped(cut_list, allow_outside)
        self.options = [*(["-c", column] if column else []), *(["--faults-column", faults] if faults else [])]
        words = ["--of", self.shipped.path, *self.options, *(["--allow-outside"] if allow_outside else [])]
        self.told = schema(program, words, self.names)
        if self.told["numbers_rows"]:
            raise CutListError("`row number` needs all rows of the table in order, and a task has only some of them: number the rows of the frame first")
        # Rows that are not of one task are not compared by the program.
        if self.told["compares_rows"]:
            self.told = schema(program, [*words, "--compare-column", repeats.BY], self.names)
            self.options += ["--compare-column", repeats.BY]
        self.compares = {number: check for number, check in enumerate(self.told["checks"]) if check["elsewhere"]}
        self.checks = [check for check in self.told["checks"] if not check["implied"]]
        if shipped is None:
            self.shipped.take(self.told["files"])

    def worker(self, *words):
        """What runs the program on an executor."""
        return Worker(self.program, self.told["program"], self.shipped, [*words, *self.options])

    def plainly_named(self):
        """The frame with names that the engine takes a column by: one with a point in it would be a field to it. Tasks have the others."""
        if not any("." in name or "`" in name for name in self.names):
            return self.df
        return self.df.toDF(*[f"column_{place}" for place in range(len(self.names))])

    def frame_schema(self, without=None):
        """The columns of what is carved."""
        own = {field.name: field for field in self.df.schema.fields}
        fields = []
        for column in self.told["columns"]:
            name, of = column["name"], column["type"]
            if name != without:
                fields.append(own[name] if of == "as it is" else T.StructField(name, TYPES[of]))
        return T.StructType(fields)

    def pruned(self):
        """The same of the columns alone that the list reads, unless it would read others then, as where it names them by their place."""
        reads = [name for name in self.names if name in set(self.told["reads"])]
        if not reads or len(reads) == len(self.names):
            return self
        df = self.df.select([F.col("`" + name.replace("`", "``") + "`") for name in reads])
        try:
            pruned = Asked(df, self.shipped.path, self.program, self.column, self.shipped.allow_outside, shipped=self.shipped)
        except ValueError:
            return self
        same = pruned.told["reads"] == self.told["reads"] and pruned.told["checks"] == self.told["checks"]
        return pruned if same else self
