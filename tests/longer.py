"""Tests at random, longer than a usual run has time for.

``python -m tests.longer kills 1000 [SEED]`` kills so many workers, ``… letters 100`` so many in the
middle of a draw, of a list and of a delivery; ``… schema 200 [SEED]`` asks
every operation of the API so often; ``… cold 1`` takes every look of the server's tests twice, once
with nothing remembered. Broken files have a program of their own, ``tests.fuzz``.
"""

import os
import subprocess
import sys
import tempfile
from pathlib import Path

from sortija.launch.cluster import Cluster

ROOT = Path(__file__).parents[1]
#: What can be asked for: the test, and the variable that says how much of it.
KINDS = {
    "kills": ("tests.server.jobs.test_kills", "SORTIJA_TEST_KILLS"),
    "letters": ("tests.server.campaigns.test_kills", "SORTIJA_TEST_KILLS"),
    "schema": ("tests.server.studies.test_schema", "SORTIJA_TEST_EXAMPLES"),
    "cold": ("tests.server", "SORTIJA_TEST_COLD"),
}


def main(kind, count, seed):
    """Run one of them on a cluster of its own; its exit status."""
    test, variable = KINDS[kind]
    with tempfile.TemporaryDirectory(prefix="sortija-longer-") as folder:
        cluster = Cluster(Path(folder) / "postgres", lasting=False)
        cluster.start()
        try:
            environment = {
                **os.environ, "DATABASE_URL": cluster.url, "SORTIJA_DATA": folder,
                variable: count, "SORTIJA_TEST_SEED": seed,
            }  # fmt: skip
            run = [sys.executable, "-m", "sortija.server", "test", test, "--noinput"]
            return subprocess.run(run, cwd=ROOT, env=environment).returncode
        finally:
            cluster.stop()


if __name__ == "__main__":
    if len(sys.argv) < 3 or sys.argv[1] not in KINDS:
        sys.exit(__doc__)
    sys.exit(main(*sys.argv[1:3], sys.argv[3] if len(sys.argv) > 3 else "1"))
