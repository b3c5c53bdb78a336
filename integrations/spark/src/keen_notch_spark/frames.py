"""On the driver: frames that are carved and checked."""

import json
import warnings

from pyspark.sql import functions as F
from pyspark.sql import types as T

from . import carried, repeats
from .errors import CutListError
from .program import build, found, merged, schema
from .shipped import Shipped
from .tasks import Carved, Compared, Counted, Hashed, Located, summary_of_nothing
from .worker import Worker

FAULT = T.StructType([T.StructField(name, T.StringType()) for name in repeats.FAULT_FIELDS])
# The original values of replaced columns, on the way to the offcuts.
ORIGINALS = "__keen_notch_originals"
TYPES = {
    "text": T.StringType(),
    "number": T.DoubleType(),
    "date": T.DateType(),
    "true or false": T.BooleanType(),
    "list of faults": T.ArrayType(FAULT),
    "list of hashes": repeats.BY_TYPE,
}


def carve(df, cut_list, faults=None, program="keen-notch", column=None, allow_outside=False, **limits):
    """A frame with the pieces of a cut list after its columns.

    df: the frame; a column that the list takes pieces of is text, a number, a date or a boolean.
    cut_list: the path of the list on the driver, or its text, or several of either. They and the files that they name (``listed in``)
        travel with the job. Settings of a list for reading and writing files do not apply.
    faults: the name of a column to add that says what is wrong with each row: a list of structs with piece, check, kind, detail.
    program: the path or name of the program; a name is looked for among the files of the job, then on the PATH.
    column: the column that pieces come from unless they say otherwise.
    allow_outside: whether the list may name files outside its folder.
    limits: ``memory`` and ``max_row`` as the program's options of these names, such as memory="512M"; ``timeout``, the seconds after which
        a program that neither takes nor gives a row fails its task.

    The columns are known at once; nothing is computed before the frame is. Raises CutListError where the list is wrong, or needs a column
    that the frame lacks.
    """
    return _carved(Asked(df, cut_list, program, column, allow_outside, faults, **limits))


def _carved(asked):
    df, faults = asked.sent, asked.faults
    if asked.compares and faults is not None and df.isStreaming:
        raise CutListError(
            "`unique` with faults compares all rows, and a stream has no last one: carve its batches (DataStreamWriter.foreachBatch), or leave faults out"
        )
    worker = asked.worker("rows")
    if not asked.compares:
        return asked.restored(df.mapInArrow(Carved(worker, asked.names), asked.frame_schema()))
    if faults is None:
        # Which rows repeat others changes no cell.
        carved = df.mapInArrow(Carved(worker, asked.names, drops=repeats.BY), asked.frame_schema(without=repeats.BY))
        return asked.restored(carved)
    carved = asked.frame_schema(without=repeats.BY)
    shares = int(df.sparkSession.conf.get("spark.sql.shuffle.partitions"))
    records = df.mapInArrow(Located(worker, asked.names, shares), repeats.located_schema(carved))
    return asked.restored(repeats.with_faults(records, asked.told["checks"], asked.compares, faults, carved.names, shares))


def offcuts(df, cut_list, faults="faults", program="keen-notch", column=None, allow_outside=False, **limits):
    """Two frames: rows without faults and their pieces; and rows with faults as they were, which the column ``faults`` explains.

    The options are those of carve. Each frame is computed on its own, so persist the frame if its rows change from one time to the next.
    """
    asked = Asked(df, cut_list, program, column, allow_outside, faults, **limits)
    replaced = [name for name in asked.replaced() if df.columns.count(name) == 1]
    if replaced:
        # The program gives the piece in place of the column.
        if column is None and len(df.columns) == 1:
            column = df.columns[0]
        df = df.withColumn(ORIGINALS, F.struct(*[F.col(_quoted(name)) for name in replaced]))
        asked = Asked(df, None, program, column, allow_outside, faults, shipped=asked.shipped, **limits)
    carved = _carved(asked)
    wrong = F.size(F.col(_quoted(faults)))
    as_it_was = lambda name: F.col(ORIGINALS).getField(name).alias(name) if name in replaced else F.col(_quoted(name))
    of_frame = [as_it_was(name) for name in carved.columns if (name in df.columns and name != ORIGINALS) or name == faults]
    return carved.where(wrong == 0).drop(faults, ORIGINALS), carved.where(wrong > 0).select(*of_frame)


def merge(summaries, program="keen-notch"):
    """Merges summaries, such as the ones of a stream's batches, in the order of their rows. Takes and returns dicts."""
    return json.loads(merged(program, [json.dumps(one) for one in summaries]))


def summary(df, cut_list, program="keen-notch", column=None, allow_outside=False, **limits):
    """What the program's ``--summary`` says of a run over all rows, as a dict. Runs a job, which reads only the columns that the list does.

    Rows are counted from 1, partition by partition. Each task's part of it comes with its rows, so what is tried again counts once.
    """
    if df.isStreaming:
        raise CutListError("a summary is of all rows, and a stream has no last one: take the summaries of its batches (DataStreamWriter.foreachBatch)")
    asked = Asked(df, cut_list, program, column, allow_outside, **limits).pruned()
    found = None
    if asked.compares:
        shares = int(df.sparkSession.conf.get("spark.sql.shuffle.partitions"))
        worker = asked.worker("hashes")
        hashed = asked.sent.mapInArrow(Hashed(worker, asked.names, shares), Hashed.SCHEMA)
        # Shares fit in memory, and a task takes several of them one by one: each task more costs as many blocks as there are partitions.
        tasks = min(shares, 2 * df.sparkSession.sparkContext.defaultParallelism)
        of_shares = hashed.repartition(tasks, "share").sortWithinPartitions("share")
        found, texts = repeats.count(of_shares.mapInArrow(Compared(), Compared.SCHEMA), asked.compares)
    else:
        worker = asked.worker("summary")
        counted = asked.sent.mapInArrow(Counted(worker, asked.names), Counted.SCHEMA)
        texts = {part.partition: part.summary for part in counted.collect()}
    in_order = [texts[partition] for partition in sorted(texts)] or [summary_of_nothing(worker, asked.names)]
    all_rows = json.loads(merged(program, in_order))
    if found is not None:
        repeats.add(all_rows, found, asked.compares, {partition: json.loads(text)["rows"]["read"] for partition, text in texts.items()})
    return all_rows


def check(df, cut_list, program="keen-notch", column=None, allow_outside=False, **limits):
    """The checks of a cut list with the number of rows that each looked at, that of those which do not meet it and their share, and the
    first of them, as a frame. Runs a job."""
    found = summary(df, cut_list, program, column, allow_outside, **limits)
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

    def __init__(self, df, cut_list, program, column, allow_outside, faults=None, shipped=None, timeout=None, memory=None, max_row=None):
        self.df = df
        self.timeout = timeout
        self.limits = [word for name, value in (("--memory", memory), ("--max-row", max_row)) if value is not None for word in (name, str(value))]
        self.program = program
        self.column = column
        self.faults = faults
        self.names = _different(df.columns)
        if faults is not None:
            self._refuse_faults(faults)
        self.shipped = shipped or Shipped(cut_list, allow_outside)
        self.options = [*(["-c", column] if column else []), *(["--faults-column", faults] if faults else [])]
        self.compare = []
        self.told = self._told()
        if self.told["numbers_rows"]:
            raise CutListError("`row number` needs all rows of the table in order, and a task has only some of them: number the rows of the frame first")
        # Rows that are not of one task are not compared by the program.
        if self.told["compares_rows"]:
            self.compare = ["--compare-column", repeats.BY]
            self.told = self._told()
        self.compares = {number: check for number, check in enumerate(self.told["checks"]) if check["elsewhere"]}
        self._refuse_names_alike()
        if shipped is None and self.told["of_files"]:
            warnings.warn(f"settings of the cut list for files do not apply to a frame: {', '.join(self.told['of_files'])}", stacklevel=3)
        self.sent = self._sent()
        if shipped is None:
            self.shipped.take(self.told["files"])

    def _told(self):
        """The program's account of the lists."""
        outside = ["--allow-outside"] if self.shipped.allow_outside else []
        of_lists = lambda paths: [word for path in paths for word in ("--of", path)]
        return self.shipped.on_the_driver(lambda paths: schema(self.program, [*of_lists(paths), *self.options, *self.compare, *outside], self.names))

    def _folded(self, name):
        """A name, as the engine compares names."""
        return name if self.df.sparkSession.conf.get("spark.sql.caseSensitive") == "true" else name.lower()

    def _refuse_faults(self, faults):
        if "." in faults or "`" in faults:
            other = faults.replace(".", "_").replace("`", "_")
            raise CutListError(f"faults={faults!r} has a character that the engine takes for a field: write faults={other!r}")
        taken = [name for name in self.df.columns if self._folded(name) == self._folded(faults)]
        if taken:
            raise CutListError(f"faults={faults!r}: the frame has a column {taken[0]} already; give the faults another name")

    def _refuse_names_alike(self):
        """Refuses pieces that the engine could not tell from another column."""
        known = {}
        for column in self.told["columns"]:
            name = column["name"]
            if column["type"] == "as it is":
                known.setdefault(self._folded(name), name)
            elif self._folded(name) in known:
                raise CutListError(
                    f"the engine cannot tell the piece {name} from the column {known[self._folded(name)]}: use another name, or set spark.sql.caseSensitive"
                )
            else:
                known[self._folded(name)] = name

    def worker(self, answer):
        """What runs the program on an executor, and answers with rows and a summary, or with a summary alone."""
        worker = Worker(self.program, build(found(self.program)), self.shipped, [answer, *self.limits, *self.options, *(self.compare if answer == "rows" else [])], self.timeout)
        return worker.sent_by(self.df.sparkSession.sparkContext)

    def _sent(self):
        """The frame for the tasks: with names that the engine resolves (a name with a point would be a field), and with types that it can
        send."""
        fields = self.df.schema.fields
        is_carried = any(carried.needs_carrying(field.dataType) for field in fields)
        if self.names == self.df.columns and not is_carried and not any("." in name or "`" in name for name in self.names):
            return self.df
        plain = self.df.toDF(*[f"column_{place}" for place in range(len(fields))])
        if not is_carried:
            return plain
        return plain.select(*[carried.there(F.col(name), field.dataType).alias(name) for name, field in zip(plain.columns, fields)])

    def replaced(self):
        """The columns of the frame that have a piece in their place."""
        return [column["name"] for column in self.told["columns"] if "piece" in column and column["name"] in self.names]

    def restored(self, carved):
        """The carved rows, with the names and types of the frame."""
        fields = dict(zip(self.names, self.df.schema.fields))
        if self.names == self.df.columns and not any(carried.needs_carrying(field.dataType) for field in fields.values()):
            return carved
        plain = carved.toDF(*[f"column_{place}" for place in range(len(carved.columns))])
        as_it_is = {column["name"] for column in self.told["columns"] if column["type"] == "as it is"}
        columns = []
        for place, name in zip(plain.columns, carved.columns):
            value, field = F.col(place), fields.get(name)
            if name in as_it_is and field is not None:
                columns.append(carried.back(value, field.dataType).alias(field.name))
            else:
                columns.append(value.alias(name))
        return plain.select(*columns)

    def frame_schema(self, without=None):
        """The columns of what is carved."""
        own = {name: T.StructField(name, field.dataType, field.nullable, field.metadata) for name, field in zip(self.names, self.sent.schema.fields)}
        fields = []
        for column in self.told["columns"]:
            name, of = column["name"], column["type"]
            if name != without:
                fields.append(own[name] if of == "as it is" else T.StructField(name, TYPES[of]))
        return T.StructType(fields)

    def pruned(self):
        """The same of the columns alone that the list reads, unless it would read others then, as where it names them by their place."""
        if self.names != self.df.columns:
            return self
        reads = [name for name in self.names if name in set(self.told["reads"])]
        if not reads or len(reads) == len(self.names):
            return self
        df = self.df.select([F.col(_quoted(name)) for name in reads])
        try:
            pruned = Asked(df, None, self.program, self.column, self.shipped.allow_outside, shipped=self.shipped, timeout=self.timeout)
            pruned.limits = self.limits
        except ValueError:
            return self
        same = pruned.told["reads"] == self.told["reads"] and pruned.told["checks"] == self.told["checks"]
        return pruned if same else self


def _quoted(name):
    return "`" + name.replace("`", "``") + "`"


def _different(names):
    """The names. Doubled names get their place, so a list cannot use them."""
    doubled = {name for name in names if names.count(name) > 1}
    return [f"{name} (column {place})" if name in doubled else name for place, name in enumerate(names, 1)]
