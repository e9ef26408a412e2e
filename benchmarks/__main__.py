"""``python -m benchmarks`` with names of parts, or all of them: measure, and print the table.

Needs PostgreSQL for ``ledger``, ``large`` and ``lens``; a cluster of its own is started for them.
"""

from __future__ import annotations

import importlib
import os
import sys
import tempfile
from pathlib import Path

from sortija.core.engine import memory
from sortija.launch.compiled import keep_compiled

PARTS = (
    "groups", "portraits", "measures", "windows", "derive", "ledger", "large", "lens", "page",
    "stations", "chance", "beyond",
)  # fmt: skip
HEAD = (
    "| what | ours | reference | ratio | asked for | met |\n| --- | --- | --- | --- | --- | --- |"
)


def main() -> int:
    asked = sys.argv[1:] or list(PARTS)
    unknown = [part for part in asked if part not in PARTS]
    if unknown:
        print(f"There is no benchmark called {unknown[0]}. There are {', '.join(PARTS)}.")
        return 2
    keep_compiled()
    from benchmarks.support import wait_until_idle

    with tempfile.TemporaryDirectory() as folder:
        cluster = _database(Path(folder)) if {"ledger", "large", "lens"} & set(asked) else None
        try:
            print(HEAD, flush=True)
            good = True
            for part in asked:
                memory.give_back()  # of the part before, so that it does not count for this one
                wait_until_idle()
                for row in importlib.import_module(f"benchmarks.{part}").run():
                    print(row.line(), flush=True)
                    good = good and row.good
        finally:
            if cluster is not None:
                cluster.stop()
    return 0 if good else 1


def _database(folder: Path):  # type: ignore[no-untyped-def]
    """A cluster that is thrown away afterwards, and Django on it."""
    import django
    from django.core.management import call_command

    from sortija.launch.cluster import Cluster

    folder.chmod(0o755)
    cluster = Cluster(folder / "postgres")
    cluster.start()
    os.environ.update(
        DATABASE_URL=cluster.url,
        SORTIJA_DATA=str(folder / "data"),
        DJANGO_SETTINGS_MODULE="sortija.server.settings",
    )
    django.setup()
    call_command("migrate", verbosity=0)
    return cluster


if __name__ == "__main__":
    sys.exit(main())
