"""The program: where it is, what a cut list makes of columns, and summaries put together. Runs on the driver and on executors."""

import functools
import json
import os
import shutil
import subprocess

import pyarrow as pa

from .errors import CutListError, WorkerError
from .folders import temporary

# Summaries that one call puts together: a command line has an end.
AT_ONCE = 500


def found(program):
    """The path of the program: one that is named as such, one that came with the job, or one on the PATH."""
    if os.path.dirname(program):
        places = [program]
    else:
        places = [*(os.path.join(folder, program) for folder in _folders_of_the_job()), shutil.which(program)]
    for place in places:
        if place and os.path.isfile(place):
            if not os.access(place, os.X_OK) and os.path.dirname(program) == "":
                # Files that come with a job may have lost the right to be run.
                os.chmod(place, 0o755)
            return os.path.abspath(place)
    raise WorkerError(
        f"the program {program} is not on {os.uname().nodename}: send it with the job (--files /path/to/keen-notch), "
        "have it in the image, or say where it is with program="
    )


def _folders_of_the_job():
    """Where files are that were sent with a job: not the working folder of the driver, which can have anything."""
    try:
        from pyspark import SparkFiles

        return [SparkFiles.getRootDirectory()]
    except Exception:  # There is no job, or none that has such a folder.
        return []


@functools.lru_cache(maxsize=8)
def _build(program, _changed):
    said = subprocess.run([program, "--version"], capture_output=True, text=True)
    return said.stdout.strip() or f"no program that tells its version: {said.stderr.strip()}"


def build(program):
    """The version and the build of a program, asked once a process."""
    return _build(program, os.stat(program).st_mtime_ns)


def said(process):
    """What a program that ended said, in one text."""
    return process.stderr.decode("utf-8", "replace").strip()


def schema(program, words, names):
    """What a cut list makes of a table with columns of these names, as the program's command ``schema`` tells it.

    Raises CutListError where the list is wrong, or needs a column that is not there.
    """
    empty = pa.BufferOutputStream()
    pa.ipc.new_stream(empty, pa.schema([(name, pa.string()) for name in names])).close()
    command = [found(program), "schema", *words, "-", "--from", "arrow"]
    process = subprocess.run(command, input=empty.getvalue().to_pybytes(), capture_output=True)
    if process.returncode == 2:
        raise CutListError(said(process))
    if process.returncode != 0:
        raise WorkerError(said(process))
    return json.loads(process.stdout)


def merged(program, summaries):
    """One summary of the summaries of parts, in the order of the parts; texts of JSON."""
    while len(summaries) > 1:
        summaries = [_merged(program, summaries[at : at + AT_ONCE]) for at in range(0, len(summaries), AT_ONCE)]
    return summaries[0]


def _merged(program, summaries):
    with temporary() as folder:
        names = []
        for number, summary in enumerate(summaries):
            names.append(os.path.join(folder, f"{number}.json"))
            with open(names[-1], "w", encoding="utf-8") as file:
                file.write(summary)
        process = subprocess.run([found(program), "merge", "--quiet", *names], capture_output=True)
    if process.returncode != 0:
        raise WorkerError(said(process))
    return process.stdout.decode("utf-8")
