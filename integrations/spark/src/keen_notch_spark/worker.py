"""On an executor: the rows of a task through the program and back, as a stream of Arrow."""

import contextlib
import os
import subprocess
import threading
import time

import pyarrow as pa

from .errors import WorkerError
from .folders import lasting, temporary
from .program import build, found

# Bytes of the last words of a program that are told.
LAST_WORDS = 4000
# Files of more bytes are sent on their own.
LARGE = 1 << 20
# The folders that this process has written, by the name of their content.
_PLACED = {}


class Worker:
    """How the program is run on the rows of a task. Travels with the job."""

    def __init__(self, program, version, shipped, words, timeout=None):
        self.program = program
        self.version = version
        # The lists and their files, or a broadcast of them.
        self.shipped = shipped
        self.name, self.allow_outside = shipped.name(), shipped.allow_outside
        # The command and its options, without the list.
        self.words = words
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

    def run(self, batches, take_summary):
        """Gives what the program makes of some batches, of which there is one or more, and its summary to a function, as JSON."""
        batches = iter(batches)
        first = next(batches, None)
        if first is None:
            return
        with temporary() as folder:
            summary = os.path.join(folder, "summary.json")
            command, *options = self.words
            root, lists = self._placed()
            lists = [word for path in lists for word in ("-l", path)]
            list_options = [*lists, *(["--allow-outside"] if self.allow_outside else [])]
            words = [command, "-", "--from", "arrow", *list_options, "--quiet", "--threads", "1", "--summary", summary, *options]
            program = found(self.program)
            here = build(program)
            if here != self.version:
                raise WorkerError(f"the program is {here} on {os.uname().nodename}, and {self.version} on the driver")
            with open(os.path.join(folder, "errors"), "w+b") as errors:
                process = subprocess.Popen(
                    [program, *words], stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=errors, cwd=root
                )
                watch = _Watch(process, self.timeout)
                feeder = _Feeder(process, first, batches, watch)
                feeder.start()
                try:
                    for batch in _read(process.stdout, watch):
                        # The time that the engine takes for the rows is not the program's.
                        with watch.paused():
                            yield batch
                    status = process.wait()
                    feeder.join()
                    if watch.has_ended_it:
                        raise WorkerError(f"keen-notch has neither taken nor given a row for {self.timeout} seconds on {os.uname().nodename}")
                    if feeder.failure is not None:
                        raise feeder.failure
                    # A check that found faults has done what it was told.
                    if status != 0 and not (command == "check" and status == 1):
                        raise WorkerError(_last_words(status, errors))
                finally:
                    # Where somebody wants no more rows, or something failed, it is not waited for.
                    if process.poll() is None:
                        process.kill()
                    watch.end()
                    process.stdout.close()
                    process.wait()
            with open(summary, encoding="utf-8") as file:
                text = file.read()
        take_summary(text)


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
            with self.process.stdin as out, pa.ipc.new_stream(out, self.first.schema) as writer:
                batch = self.first
                while batch is not None:
                    writer.write_batch(batch)
                    self.watch.note()
                    # The time that the engine takes to give rows is not the program's.
                    with self.watch.paused():
                        batch = next(self.rest, None)
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


def _last_words(status, errors):
    errors.seek(0, os.SEEK_END)
    errors.seek(max(0, errors.tell() - LAST_WORDS))
    words = errors.read().decode("utf-8", "replace").strip() or "it said nothing"
    how = f"was ended by signal {-status}" if status < 0 else f"ended with exit status {status}"
    return f"keen-notch {how} on {os.uname().nodename}: {words}"
