"""What tasks do: functions on batches of Arrow, as ``mapInArrow`` takes them. They travel with the job."""

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from pyspark import TaskContext

from . import shares
from .repeats import BY, FIRST_ROWS, ROW


def _partition():
    return TaskContext.get().partitionId()


def summary_of_nothing(worker, names):
    """The summary of a run over no rows."""
    found = []
    nothing = pa.RecordBatch.from_pylist([], schema=pa.schema([(name, pa.string()) for name in names]))
    for _ in worker.run([nothing], found.append):
        pass
    return found[0]


class Carved:
    """Rows with their pieces."""

    def __init__(self, worker, names, drops=None):
        self.worker = worker
        self.names = names
        self.drops = drops

    def __call__(self, batches):
        for batch in self.worker.run(_named(batches, self.names), lambda _: None):
            yield batch.drop_columns([self.drops]) if self.drops else batch


class Located:
    """Rows with their pieces and hashes, as records for the engine's shuffle; see ``repeats.located_schema``."""

    def __init__(self, worker, names, shares):
        self.worker = worker
        self.names = names
        # The number of shares of the hashes. Each share is compared on its own.
        self.shares = shares

    def __call__(self, batches):
        partition, numbered, place = _partition(), _Numbered(_named(batches, self.names)), 0
        schema = None
        for batch in _once_a_row(self.worker.run(numbered, lambda _: None)):
            records = self._records(batch, partition, place)
            place += batch.num_rows
            schema = records.schema
            yield records
        if schema is not None and numbered.rows:
            yield self._counts(schema, partition, numbered.rows)

    def _records(self, batch, partition, first):
        by = batch.column(BY)
        parents, firsts, hashed = _places(pc.fill_null(pc.list_value_length(by), 0).to_pylist())
        flat = pc.list_flatten(by)
        checks, hashes = (pc.take(pc.struct_field(flat, name), hashed) for name in ("check", "hash"))
        names = [name for name in batch.schema.names if name not in (BY, ROW)]
        fields = [batch.schema.field(name) for name in names]
        data = pa.StructArray.from_arrays([batch.column(name) for name in names], fields=fields)
        columns = {
            "share": pa.nulls(len(parents), pa.int32()),
            "partition": pa.array([partition] * len(parents), pa.int32()),
            "row": pc.take(batch.column(ROW), parents),
            "place": pc.add(parents, first),
            "check": checks,
            "hash": hashes,
            "rows": pa.nulls(len(parents), pa.int64()),
            "data": pc.take(data, firsts),
        }
        return pa.RecordBatch.from_arrays(list(columns.values()), names=list(columns))

    def _counts(self, schema, partition, rows):
        """The number of rows of the partition, for each share."""
        columns = {"share": list(range(self.shares)), "partition": [partition] * self.shares, "rows": [rows] * self.shares}
        arrays = [pa.array(columns[field.name], field.type) if field.name in columns else pa.nulls(self.shares, field.type) for field in schema]
        return pa.RecordBatch.from_arrays(arrays, schema=schema)


def _places(lengths):
    """Of rows with so many hashes each, the records: the row of each, the row again where its data is, and the hash. A row without a hash
    has one record."""
    if all(length == 1 for length in lengths):
        each = pa.array(range(len(lengths)), pa.int64())
        return each, each, each
    parents, firsts, hashed = [], [], []
    at = 0
    for row, length in enumerate(lengths):
        parents.extend([row] * max(length, 1))
        firsts.extend([row, *[None] * (length - 1)])
        hashed.extend(range(at, at + length) if length else [None])
        at += length
    return tuple(pa.array(places, pa.int64()) for places in (parents, firsts, hashed))


class Counted:
    """The summary of each task."""

    SCHEMA = "partition int, summary string"

    def __init__(self, worker, names):
        self.worker = worker
        self.names = names

    def __call__(self, batches):
        found = []
        for _ in self.worker.run(_named(batches, self.names), found.append):
            pass
        for summary in found:
            yield pa.RecordBatch.from_arrays([pa.array([_partition()], pa.int32()), pa.array([summary])], names=["partition", "summary"])


class Hashed:
    """The hashes of the rows of each task, in shares, and its summary."""

    SCHEMA = "share int, partition int, hashes binary, summary string"
    _ARROW = pa.schema([("share", pa.int32()), ("partition", pa.int32()), ("hashes", pa.binary()), ("summary", pa.string())])
    # Hashes to collect before they are given on.
    MOST = 1 << 20

    def __init__(self, worker, names, shares):
        self.worker = worker
        self.names = names
        self.shares = shares

    def __call__(self, batches):
        found, held, count = [], [], 0
        for batch in self.worker.run(_named(batches, self.names), found.append):
            held.append(shares.records(batch))
            count += batch.num_rows
            if count >= self.MOST:
                yield self._given(held)
                held, count = [], 0
        if count:
            yield self._given(held)
        partition = _partition()
        for summary in found:
            columns = [[partition % self.shares], [partition], [None], [summary]]
            yield pa.RecordBatch.from_arrays([pa.array(column, field.type) for column, field in zip(columns, self._ARROW)], schema=self._ARROW)

    def _given(self, held):
        numbers, parts = zip(*shares.divided(np.concatenate(held), self.shares))
        columns = [numbers, [_partition()] * len(parts), parts, [None] * len(parts)]
        return pa.RecordBatch.from_arrays([pa.array(column, field.type) for column, field in zip(columns, self._ARROW)], schema=self._ARROW)


class Compared:
    """The duplicates among hashes, share by share, and the summaries as they came."""

    SCHEMA = "partition int, row bigint, check int, new_for_piece boolean, new_for_row boolean, is_first boolean, summary string"

    def __call__(self, batches):
        share, parts = None, []
        for batch in batches:
            for row in range(batch.num_rows):
                number, partition, hashes, summary = (column[row].as_py() for column in batch.columns)
                if summary is not None:
                    yield self._batch([partition], [None], [None], [None], [None], [None], [summary])
                    continue
                if number != share:
                    yield from self._duplicates(parts)
                    share, parts = number, []
                parts.append((partition, hashes))
        yield from self._duplicates(parts)

    def _duplicates(self, parts):
        found = shares.repeated(parts) if parts else []
        if len(found):
            are_first = shares.firsts(found, FIRST_ROWS)
            columns = [found[name] for name in ("partition", "row", "check", "new_for_piece", "new_for_row")]
            yield self._batch(*columns, are_first, [None] * len(found))

    def _batch(self, *columns):
        types = [pa.int32(), pa.int64(), pa.int32(), pa.bool_(), pa.bool_(), pa.bool_(), pa.string()]
        names = ["partition", "row", "check", "new_for_piece", "new_for_row", "is_first", "summary"]
        return pa.RecordBatch.from_arrays([pa.array(column, of) for column, of in zip(columns, types)], names=names)


def _named(batches, names):
    """The batches with the names that the columns of the frame have."""
    for batch in batches:
        yield batch if batch.schema.names == names else pa.RecordBatch.from_arrays(batch.columns, names=names)


class _Numbered:
    """The batches with the number of each row in its partition, from 1, after their columns."""

    def __init__(self, batches):
        self.batches = batches
        # The number of rows so far.
        self.rows = 0

    def __iter__(self):
        for batch in self.batches:
            numbers = pa.array(range(self.rows + 1, self.rows + 1 + batch.num_rows), pa.int64())
            self.rows += batch.num_rows
            yield pa.RecordBatch.from_arrays([*batch.columns, numbers], names=[*batch.schema.names, ROW])


def _once_a_row(batches):
    """The same batches; where a row was made several, only the first has something to be compared by."""
    last = None
    for batch in batches:
        rows = batch.column(ROW).to_pylist()
        firsts = [row != before for row, before in zip(rows, [last, *rows])]
        last = rows[-1] if rows else last
        if not all(firsts):
            by = batch.column(BY)
            kept = [value if is_first else [] for value, is_first in zip(by.to_pylist(), firsts)]
            place = batch.schema.get_field_index(BY)
            columns = list(batch.columns)
            columns[place] = pa.array(kept, by.type)
            batch = pa.RecordBatch.from_arrays(columns, schema=batch.schema)
        yield batch
