"""``sortija derive`` on five million lines against PyArrow reading the same file."""

from __future__ import annotations

import io
import os
import subprocess
import sys
import tempfile
from contextlib import redirect_stderr
from pathlib import Path

import pyarrow.csv as pacsv

from benchmarks.support import Row, interleave
from sortija.cli.main import main

MEMBERS = 222_000


def _derive(log: Path, out: Path) -> None:
    with redirect_stderr(io.StringIO()):
        assert main(["derive", str(log), "--out", str(out)]) == 0


def _peak(log: Path, out: Path) -> float:
    """Peak memory in MiB of the command in a process of its own."""
    words = [sys.executable, "-m", "benchmarks.derive", str(log), str(out)]
    done = subprocess.run(words, capture_output=True, text=True, env=os.environ, check=True)
    return float(done.stdout.split()[-1])


def run() -> list[Row]:
    """Time and memory of the command."""
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder)
        # A process of its own writes the demo, so that its memory does not count here.
        write = [sys.executable, "-m", "sortija.demo", folder, "--members", str(MEMBERS)]
        subprocess.run(write, check=True, stdout=subprocess.DEVNULL)
        log, out = place / "log.csv", place / "out.parquet"
        options = pacsv.ParseOptions(delimiter=";")
        mine, theirs = interleave(
            lambda: _derive(log, out), lambda: pacsv.read_csv(log, parse_options=options)
        )
        peak = _peak(log, out)
    ratio = mine / theirs
    return [
        Row("sortija derive on 5M lines, into Parquet", f"{mine:.1f} s",
            f"PyArrow reads the CSV in {theirs:.1f} s", ratio, "at most 3", ratio <= 3),
        Row("its memory", f"{peak:.0f} MiB", "2,048 MiB", peak / 2048, "at most 1", peak <= 2048),
    ]  # fmt: skip


if __name__ == "__main__":
    _derive(Path(sys.argv[1]), Path(sys.argv[2]))
    status = Path("/proc/self/status").read_text()
    print(int(status.split("VmHWM:")[1].split()[0]) / 1024)
