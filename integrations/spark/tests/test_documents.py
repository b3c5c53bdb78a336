"""The example of docs/cluster.md prints what the document says."""

import os
import pathlib
import re
import subprocess
import sys

DOCUMENT = pathlib.Path(__file__).resolve().parents[3] / "docs" / "cluster.md"
SOURCE = pathlib.Path(__file__).resolve().parents[1] / "src"


def block(language):
    return re.search(f"```{language}\n(.*?)```", DOCUMENT.read_text(), re.S).group(1)


def test_the_example_prints_what_is_shown(program, tmp_path):
    subprocess.run([program, "demo", "--dir", str(tmp_path)], capture_output=True, check=True)
    (tmp_path / "parts.py").write_text(block("python"))
    # As a user has it: the program is on the PATH, and the package is installed.
    folder = tmp_path / "bin"
    folder.mkdir()
    (folder / "keen-notch").symlink_to(program)
    environment = {**os.environ, "PATH": f"{folder}:{os.environ['PATH']}", "PYTHONPATH": str(SOURCE)}
    ran = subprocess.run([sys.executable, "-W", "ignore", "parts.py"], cwd=tmp_path, env=environment, capture_output=True, text=True)
    assert ran.returncode == 0, ran.stderr[-4000:]
    lines = lambda text: [line.rstrip() for line in text.splitlines() if line]  # noqa: E731
    assert lines(ran.stdout) == lines(block("text"))
    assert (tmp_path / "carved" / "_SUCCESS").exists()
