"""On an executor: the rows of a task through the program and back, as a stream of Arrow."""

import atexit
import contextlib
import os
import subprocess
import tempfile
import threading
import time

import pyarrow as pa

from .errors import WorkerError
from .folders import lasting
from .program import build, found
from .shipped import OUTSIDE

# Bytes of the last words of a program that are told.
LAST_WORDS = 4000
# Files of more bytes are sent on their own.
LARGE = 1 << 20
# Programs of this process that wait for the rows of another task: they have read the lists and their files.
MOST_WAITING = 2
# The folders that this process has written, by the name of their content.
_PLACED = {}
_WAITING = {}


class Worker:
    """How the program is run on the rows of a task. Travels with the job."""

    def __init__(self, program, version, shipped, words, timeout=None):
        self.program = program
        self.version = version
        # The lists and their files, or a broadcast of them.
        self.shipped = shipped
        self.name, self.allow_outside = shipped.name(), shipped.allow_outside
        # What the program answers ("rows", "hashes" or "summary"), and the options, without the list.
        self.answer, *self.options = words
        # After this many seconds without a row in or out, the program is killed; `None` means never.
        self.timeout = timeout

    def sent_by(self, context):
        """The same; large files are sent once to each executor, and not with each task."""
        if self.shipped.size() > LARGE:
            self.shipped = context.broadcast(self.shipped)
        return self

    def _placed(self):
        """The folder with the lists and files, and the paths of the lists there. Written once by a process, which runs many tasks."""
        # Some systems remove old temporary files.
        if self.name not in _PLACED or not os.path.isdir(_PLACED[self.name][0]):
            shipped = self.shipped.value if hasattr(self.shipped, "value") else self.shipped
            folder = lasting()
            _PLACED[self.name] = (folder, shipped.put(folder))
        return _PLACED[self.name]

    def _key(self):
        return (self.program, self.version, self.name, self.allow_outside, self.answer, *self.options)

    def _process(self):
        """A program that waits for rows: one of an earlier task, or a new one."""
        waiting = _WAITING.pop(self._key(), None)
        if waiting is not None and waiting.is_alive():
            return waiting
        root, lists = self._placed()
        program = found(self.program)
        here = build(program)
        if here != self.version:
            raise WorkerError(f"the program is {here} on {os.uname().nodename}, and {self.version} on the driver")
        lists = [word for path in lists for word in ("-l", path)]
        outside = ["--files-below", os.path.join(root, OUTSIDE), *(["--allow-outside"] if self.allow_outside else [])]
        words = ["carve", "-", "--from", "arrow", "--to", "arrow", *lists, *outside, "--quiet", "--threads", "1"]
        return _Program([program, *words, "--each-stream", self.answer, *self.options], root)

    def run(self, batches, take_summary):
        """Gives what the program makes of some batches, of which there is one or more, and its summary to a function, as JSON."""
        batches = iter(batches)
        first = next(batches, None)
        if first is None:
            return
        program = self._process()
        watch = _Watch(program.process, self.timeout)
        feeder = _Feeder(program.process, first, batches, watch)
        feeder.start()
        summary, is_done = None, False
        try:
            if self.answer != "summary":
                for batch in _read(program.process.stdout, watch):
                    # The time that the engine takes for the rows is not the program's.
                    with watch.paused():
                        yield batch
            for batch in _read(program.process.stdout, watch):
                summary = batch.column(0)[0].as_py()
            if summary is None:
                # It has ended early.
                program.process.wait()
            feeder.join()
            if watch.has_ended_it:
                raise WorkerError(f"keen-notch has neither taken nor given a row for {self.timeout} seconds on {os.uname().nodename}")
            if feeder.failure is not None:
                raise feeder.failure
            if summary is None:
                raise WorkerError(program.last_words())
            is_done = True
        finally:
            watch.end()
            if not is_done:
                # Where somebody wants no more rows, or something failed, it is not waited for.
                program.kill()
        while len(_WAITING) >= MOST_WAITING:
            _WAITING.pop(next(iter(_WAITING))).kill()
        _WAITING[self._key()] = program
        take_summary(summary)


@atexit.register
def _stop():
    """Ends the programs that wait."""
    while _WAITING:
        _WAITING.popitem()[1].kill()


class _Program:
    """A program that runs, and takes one stream of rows after another."""

    def __init__(self, words, folder):
        # A file without a name: it goes with this process.
        self.errors = tempfile.TemporaryFile()
        self.process = subprocess.Popen(words, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=self.errors, cwd=folder)

    def is_alive(self):
        return self.process.poll() is None

    def kill(self):
        if self.is_alive():
            self.process.kill()
        self.process.stdout.close()
        with contextlib.suppress(OSError):
            self.process.stdin.close()
        self.process.wait()
        self.errors.close()

    def last_words(self):
        status = self.process.wait()
        self.errors.seek(0, os.SEEK_END)
        self.errors.seek(max(0, self.errors.tell() - LAST_WORDS))
        words = self.errors.read().decode("utf-8", "replace").strip() or "it said nothing"
        how = f"was ended by signal {-status}" if status < 0 else f"ended with exit status {status}"
        return f"keen-notch {how} on {os.uname().nodename}: {words}"


class _Feeder(threading.Thread):
    """Writes batches to the program, while what comes back is read: a pipe holds little."""

    def __init__(self, process, first, rest, watch):
        super().__init__(daemon=True)
        self.process = process
        self.watch = watch
        self.first = first
        self.rest = rest
        self.failure = None

    def run(self):
        try:
            out = self.process.stdin
            with pa.ipc.new_stream(out, self.first.schema) as writer:
                batch = self.first
                while batch is not None:
                    writer.write_batch(batch)
                    self.watch.note()
                    # The time that the engine takes to give rows is not the program's.
                    with self.watch.paused():
                        batch = next(self.rest, None)
            out.flush()
        except OSError:
            # The program has ended, and its last words are told.
            pass
        except BaseException as failure:
            # What the engine could not give: the program must not take what it got for all.
            self.failure = failure
            self.process.kill()


class _Watch:
    """Kills a program that hangs: no row went in or out for some seconds, although the engine was ready."""

    def __init__(self, process, timeout):
        self.process = process
        self.timeout = timeout
        self.has_ended_it = False
        self.last = time.monotonic()
        self.pauses = 0
        self.lock = threading.Lock()
        self.over = threading.Event()
        if timeout is not None:
            threading.Thread(target=self._look, daemon=True).start()

    def note(self):
        """Something came or went."""
        self.last = time.monotonic()

    @contextlib.contextmanager
    def paused(self):
        with self.lock:
            self.pauses += 1
        try:
            yield
        finally:
            with self.lock:
                self.pauses -= 1
            self.note()

    def end(self):
        self.over.set()

    def _look(self):
        while not self.over.wait(min(1.0, self.timeout / 4)):
            if self.pauses == 0 and time.monotonic() - self.last > self.timeout:
                self.has_ended_it = True
                self.process.kill()
                return


def _read(stream, watch):
    try:
        with pa.ipc.open_stream(stream) as reader:
            for batch in reader:
                watch.note()
                yield batch
    except (pa.ArrowInvalid, OSError):
        # The program has ended early, or had nothing to write: its exit status tells.
        return

