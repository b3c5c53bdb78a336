"""What tasks do: functions on batches of Arrow, as ``mapInArrow`` takes them. They travel with the job."""

import pyarrow as pa
import pyarrow.compute as pc
from pyspark import TaskContext

from .repeats import BY, PARTITION, ROW


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

    def __init__(self, worker, names, drops=None, locates=False):
        self.worker = worker
        self.names = names
        self.drops = drops
        self.locates = locates

    def __call__(self, batches):
        batches = _named(batches, self.names)
        made = self.worker.run(_numbered(batches) if self.locates else batches, lambda _: None)
        for batch in _once_a_row(made) if self.locates else made:
            if self.drops:
                batch = batch.drop_columns([self.drops])
            if self.locates:
                batch = _with_partition_first(batch)
            yield batch


class Counted:
    """The summary of each task, and what its rows are to be compared by."""

    SCHEMA = (
        "partition int, row bigint, check int, hash binary, new_for_piece boolean, new_for_row boolean, summary string"
    )
    _ARROW = pa.schema(
        [
            ("partition", pa.int32()),
            ("row", pa.int64()),
            ("check", pa.int32()),
            ("hash", pa.binary()),
            ("new_for_piece", pa.bool_()),
            ("new_for_row", pa.bool_()),
            ("summary", pa.string()),
        ]
    )

    def __init__(self, worker, names, compares):
        self.worker = worker
        self.names = names
        self.compares = compares

    def __call__(self, batches):
        partition, found = _partition(), []
        batches = _named(batches, self.names)
        made = self.worker.run(_numbered(batches) if self.compares else batches, found.append)
        for batch in _once_a_row(made) if self.compares else made:
            if self.compares:
                yield self._hashes(batch, partition)
        for summary in found:
            columns = [[partition], [None], [None], [None], [None], [None], [summary]]
            yield pa.RecordBatch.from_arrays([pa.array(column, field.type) for column, field in zip(columns, self._ARROW)], schema=self._ARROW)

    def _hashes(self, batch, partition):
        by = batch.column(BY)
        rows = pc.take(batch.column(ROW), pc.list_parent_indices(by))
        flat = pc.list_flatten(by)
        count = len(flat)
        columns = [
            pa.array([partition] * count, pa.int32()),
            rows,
            *(pc.struct_field(flat, name) for name in ("check", "hash", "new_for_piece", "new_for_row")),
            pa.nulls(count, pa.string()),
        ]
        return pa.RecordBatch.from_arrays(columns, schema=self._ARROW)


def _named(batches, names):
    """The batches with the names that the columns of the frame have."""
    for batch in batches:
        yield batch if batch.schema.names == names else pa.RecordBatch.from_arrays(batch.columns, names=names)


def _numbered(batches):
    """The batches with the number of each row in its partition, from 1, before their columns."""
    row = 1
    for batch in batches:
        numbers = pa.array(range(row, row + batch.num_rows), pa.int64())
        row += batch.num_rows
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


def _with_partition_first(batch):
    partition = pa.array([_partition()] * batch.num_rows, pa.int32())
    others = [name for name in batch.schema.names if name != ROW]
    columns = [partition, batch.column(ROW), *(batch.column(name) for name in others)]
    return pa.RecordBatch.from_arrays(columns, names=[PARTITION, ROW, *others])
