"""Hashes of rows, divided into shares that are compared one by one: as numbers in memory, so the engine moves few rows with many bytes."""

import numpy as np

# A hash of 128 bits as two numbers; its row in the partition, from 1; the check; and whether a duplicate is new for the piece and for the row.
HASH = np.dtype([("high", ">u8"), ("low", ">u8"), ("row", "<i8"), ("check", "<i4"), ("new_for_piece", "?"), ("new_for_row", "?")])
REPEAT = np.dtype([("partition", "<i4"), *((name, HASH[name]) for name in ("row", "check", "new_for_piece", "new_for_row"))])


def records(batch):
    """The hashes of a batch of Arrow, as the program gives them."""
    found = np.empty(batch.num_rows, HASH)
    column = batch.column("hash")
    parts = np.frombuffer(column.buffers()[1], np.dtype([("high", ">u8"), ("low", ">u8")]), batch.num_rows, column.offset * 16)
    for name in ("high", "low"):
        found[name] = parts[name]
    for name in ("row", "check", "new_for_piece", "new_for_row"):
        found[name] = batch.column(name).to_numpy(zero_copy_only=False)
    return found


def divided(found, shares):
    """The hashes of each share that has some: equal hashes are in one share. Gives the share and its hashes as bytes."""
    share = (found["low"] % shares).astype(np.int64)
    order = np.argsort(share, kind="stable")
    numbers, starts = np.unique(share[order], return_index=True)
    for number, part in zip(numbers, np.split(found[order], starts[1:])):
        yield int(number), part.tobytes()


def repeated(parts):
    """The hashes of one share that an earlier row has too.

    parts: pairs of a partition and hashes as bytes, in any order. Rows are in the order of their partitions, and of their places there.
    """
    partitions = np.concatenate([np.full(len(part) // HASH.itemsize, partition, np.int32) for partition, part in parts])
    found = np.concatenate([np.frombuffer(part, HASH) for _, part in parts])
    # Most hashes are alone: half of each tells that.
    high = found["high"].astype(np.uint64)
    order = np.argsort(high)
    alike = high[order][1:] == high[order][:-1]
    if not alike.any():
        return np.empty(0, REPEAT)
    candidates = order[np.append(alike, False) | np.insert(alike, 0, False)]
    found, partitions = found[candidates], partitions[candidates]
    order = np.lexsort((found["row"], partitions, found["check"], found["low"], found["high"]))
    found, partitions = found[order], partitions[order]
    same = np.ones(len(found) - 1, bool)
    for name in ("high", "low", "check"):
        same &= found[name][1:] == found[name][:-1]
    is_repeat = np.insert(same, 0, False)
    repeats = np.empty(int(is_repeat.sum()), REPEAT)
    repeats["partition"] = partitions[is_repeat]
    for name in ("row", "check", "new_for_piece", "new_for_row"):
        repeats[name] = found[name][is_repeat]
    return repeats


def firsts(repeats, count):
    """Whether each of some duplicates is in one of the first rows of its check."""
    # Rows in the order of their partitions. A partition has fewer than 2^40 rows.
    places = (repeats["partition"].astype(np.int64) << 40) + repeats["row"]
    are_first = np.zeros(len(repeats), bool)
    for check in np.unique(repeats["check"]):
        of_check = repeats["check"] == check
        are_first |= of_check & np.isin(places, np.unique(places[of_check])[:count])
    return are_first
