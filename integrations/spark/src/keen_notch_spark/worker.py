"""On an executor: the rows of a task through the program and back, as a stream of Arrow."""

import json
import os
import subprocess
import tempfile
import threading

import pyarrow as pa

from .errors import WorkerError
from .program import found

# Bytes of the last words of a program that are told.
LAST_WORDS = 4000


class Worker:
    """How the program is run on the rows of a task. Travels with the job."""

    def __init__(self, program, version, shipped, words):
        self.program = program
        self.version = version
        self.shipped = shipped
        # The command and its options, without the list.
        self.words = words

    def run(self, batches, take_summary):
        """Gives what the program makes of some batches, of which there is one or more, and its summary to a function, as JSON."""
        batches = iter(batches)
        first = next(batches, None)
        if first is None:
            return
        with tempfile.TemporaryDirectory(prefix="keen-notch-") as folder:
            summary = os.path.join(folder, "summary.json")
            command, *options = self.words
            list_options = ["-l", self.shipped.put(folder), *(["--allow-outside"] if self.shipped.allow_outside else [])]
            words = [command, "-", "--from", "arrow", *list_options, "--quiet", "--threads", "1", "--summary", summary, *options]
            with open(os.path.join(folder, "errors"), "w+b") as errors:
                process = subprocess.Popen(
                    [found(self.program), *words], stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=errors, cwd=folder
                )
                feeder = _Feeder(process, first, batches)
                feeder.start()
                try:
                    yield from _read(process.stdout)
                    status = process.wait()
                    feeder.join()
                    if feeder.failure is not None:
                        raise feeder.failure
                    # A check that found faults has done what it was told.
                    if status != 0 and not (command == "check" and status == 1):
                        raise WorkerError(_last_words(status, errors))
                finally:
                    # Where somebody wants no more rows, or something failed, it is not waited for.
                    if process.poll() is None:
                        process.kill()
                    process.stdout.close()
                    process.wait()
            with open(summary, encoding="utf-8") as file:
                text = file.read()
        version = json.loads(text)["program"]
        if version != self.version:
            raise WorkerError(f"the program is version {version} on {os.uname().nodename}, and {self.version} on the driver")
        take_summary(text)


class _Feeder(threading.Thread):
    """Writes batches to the program, while what comes back is read: a pipe holds little."""

    def __init__(self, process, first, rest):
        super().__init__(daemon=True)
        self.process = process
        self.first = first
        self.rest = rest
        self.failure = None

    def run(self):
        try:
            with self.process.stdin as out, pa.ipc.new_stream(out, self.first.schema) as writer:
                writer.write_batch(self.first)
                for batch in self.rest:
                    writer.write_batch(batch)
        except OSError:
            # The program has ended, and its last words are told.
            pass
        except BaseException as failure:
            # What the engine could not give: the program must not take what it got for all.
            self.failure = failure
            self.process.kill()


def _read(stream):
    try:
        with pa.ipc.open_stream(stream) as reader:
            yield from reader
    except (pa.ArrowInvalid, OSError):
        # The program has ended early, or had nothing to write: its exit status tells.
        return


def _last_words(status, errors):
    errors.seek(0, os.SEEK_END)
    errors.seek(max(0, errors.tell() - LAST_WORDS))
    words = errors.read().decode("utf-8", "replace").strip() or "it said nothing"
    how = f"was ended by signal {-status}" if status < 0 else f"ended with exit status {status}"
    return f"keen-notch {how} on {os.uname().nodename}: {words}"
