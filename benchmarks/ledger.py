"""Intake of a million lines, keyed and checked, against a bare COPY into a text table."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
from itertools import islice
from pathlib import Path
from typing import Any

from benchmarks.support import TIMES, Row, interleave
from sortija.core.engine import memory
from sortija.demo.files import write_demo

LINES = 1_000_000
MEMBERS = 46_000


def _million(folder: Path) -> Path:
    """The first million lines of a demo that is just larger."""
    demo = write_demo(folder, members=MEMBERS)
    path = folder / "million.csv"
    with demo.log.open("rb") as source, path.open("wb") as target:
        target.writelines(islice(source, LINES + 1))
    return path


def _uploaded(path: Path) -> object:
    """A new study with the file uploaded, up to the moment when reading begins."""
    from sortija.server.accounts.models import Person
    from sortija.server.ledger.intake.actions import change_mapping, review
    from sortija.server.ledger.intake.uploads import take_file
    from sortija.server.ledger.models import Intake
    from sortija.server.studies.actions import start_study

    person, _ = Person.objects.get_or_create(username="benchmark")
    study = start_study(person, "Benchmark")
    intake = review(study, person, take_file(study, path), Intake.LOG)
    # The first days of January can be read either way, which a person would be asked.
    return change_mapping(intake, {**intake.mapping, "month_first": False})


def _intake(intake: Any) -> None:
    """Read, key, check and order the lines, by the job that every upload takes."""
    from sortija.server.jobs import work
    from sortija.server.jobs.models import Job
    from sortija.server.ledger.intake.actions import count_intake

    job = count_intake(intake, None)
    work.run(job.pk, job.attempt)
    job.refresh_from_db()
    assert job.state == Job.DONE, job.error


def _bare_copy(path: Path) -> None:
    from django.db import connection

    with path.open("rb") as file, connection.cursor() as cursor:
        names = file.readline().decode().strip().split(";")
        cursor.execute("DROP TABLE IF EXISTS bare")
        cursor.execute(f"CREATE TABLE bare ({', '.join(f'{name} text' for name in names)})")
        with cursor.cursor.copy("COPY bare FROM STDIN (FORMAT csv, DELIMITER ';')") as stream:
            while block := file.read(1 << 20):
                stream.write(block)


def _peak(lines_of: int) -> float:
    """Peak memory in MiB of an intake of a demo with so many members, in a process of its own."""
    words = [sys.executable, "-m", "benchmarks.ledger", str(lines_of)]
    done = subprocess.run(words, capture_output=True, text=True, env=os.environ, check=True)
    return float(done.stdout.split()[-1])


def run() -> list[Row]:
    """Time and memory of an intake."""
    with tempfile.TemporaryDirectory() as folder:
        path = _million(Path(folder))
        waiting = [_uploaded(path) for _ in range(TIMES + 1)]
        mine, theirs = interleave(lambda: _intake(waiting.pop()), lambda: _bare_copy(path))
    ratio = mine / theirs
    small, large = _peak(46_000), _peak(230_000)
    return [
        Row("intake of 1M lines of CSV: keyed, checked, ordered", f"{mine:.1f} s",
            f"bare COPY {theirs:.1f} s", ratio, "at most 3", ratio <= 3),
        Row("memory of an intake of 1M and of 5M lines", f"{small:.0f} and {large:.0f} MiB",
            "1,024 MiB", large / 1024, "at most 1", large <= 1024),
    ]  # fmt: skip


if __name__ == "__main__":
    import django

    django.setup()
    memory.keep()  # as workers do
    with tempfile.TemporaryDirectory() as where:
        # A process of its own writes the demo, so that its memory does not count here.
        members = sys.argv[1]
        write = [sys.executable, "-m", "sortija.demo", where, "--members", members]
        subprocess.run(write, check=True, stdout=subprocess.DEVNULL)
        _intake(_uploaded(Path(where) / "log.csv"))
    # Not the resource usage, which a process inherits from whoever started it.
    status = Path("/proc/self/status").read_text()
    print(int(status.split("VmHWM:")[1].split()[0]) / 1024)
