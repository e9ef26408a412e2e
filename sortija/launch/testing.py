"""Every check and test, then one closing line that counts them."""

from __future__ import annotations

import os
import re
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path

from sortija.launch.cluster import Cluster

ROOT = Path(__file__).resolve().parents[2]
DATA = Path(os.environ.get("SORTIJA_DATA", ROOT / "var"))
#: In this order: the first compiles the kernels that the others need.
PARTS = ("core", "static", "server", "cli", "notebook", "web")
SCHEMA = "src/api/schema.d.ts"
#: Room for what Node.js throws away soon: clearing up takes a fifth of a check otherwise.
ROOMY = {"NODE_OPTIONS": "--max-semi-space-size=128"}


@dataclass
class Tally:
    """How many passed, failed and were skipped; which checks failed, by name."""

    passed: int = 0
    failed: int = 0
    skipped: int = 0
    broken: list[str] = field(default_factory=list)
    turn: threading.Lock = field(default_factory=threading.Lock)

    def check(
        self, name: str, words: list[str], folder: Path = ROOT, more: dict[str, str] | None = None
    ) -> None:
        """One command that passes or fails as a whole, with ``more`` in its environment."""
        begun, environment = time.monotonic(), {**os.environ, **(more or {})}
        done = subprocess.run(words, cwd=folder, capture_output=True, text=True, env=environment)
        with self.turn:
            if done.returncode:
                print(done.stdout[-6000:] + done.stderr[-3000:])
            self._count(name, not done.returncode, begun)

    def _count(self, name: str, good: bool, begun: float) -> None:
        print(f"{'ok  ' if good else 'FAIL'} {name} ({time.monotonic() - begun:.0f} s)", flush=True)
        if good:
            self.passed += 1
        else:
            self.failed += 1
            self.broken.append(name)

    def tests(self, name: str, words: list[str], more: dict[str, str] | None = None) -> None:
        """A unittest run, with ``more`` in its environment; its tests are counted one by one."""
        begun, environment = time.monotonic(), {**os.environ, **(more or {})}
        done = subprocess.run(words, cwd=ROOT, capture_output=True, text=True, env=environment)
        with self.turn:
            self._told(name, done.stdout + done.stderr, done.returncode, begun)

    def _told(self, name: str, said: str, code: int, begun: float) -> None:
        ran = re.search(r"^Ran (\d+) tests?", said, re.M)
        counts = {k: int(v) for k, v in re.findall(r"(failures|errors|skipped)=(\d+)", said)}
        failed = counts.get("failures", 0) + counts.get("errors", 0)
        total = int(ran.group(1)) if ran else 0
        if code or not total:
            print(said[-12000:])
            failed = max(failed, 1)
            self.broken.append(name)
        self.failed += failed
        self.skipped += counts.get("skipped", 0)
        self.passed += max(0, total - failed - counts.get("skipped", 0))
        word = "FAIL" if failed else "ok  "
        print(f"{word} {name}: {total} tests ({time.monotonic() - begun:.0f} s)", flush=True)


def _static(tally: Tally) -> None:
    tool = str(Path(sys.executable).parent)
    web = ROOT / "web"
    code = ["sortija", "tests", "benchmarks"]
    tally.check("format", [f"{tool}/ruff", "format", "--check", *code])
    tally.check("lint", [f"{tool}/ruff", "check", *code])
    tally.check("types", [f"{tool}/mypy", "sortija"])
    tally.check("import contracts", [f"{tool}/lint-imports"])
    tally.check("migrations", [sys.executable, "-m", "sortija.server", "makemigrations", "--check"])
    public = {"SORTIJA_URL": "https://crm.example.org"}
    deploy = ["check", "--deploy", "--fail-level", "WARNING"]
    tally.check("deployment", [sys.executable, "-m", "sortija.server", *deploy], more=public)
    tally.check("front end format", ["npx", "prettier", "--check", "--cache", "src"], web)
    tally.check("front end lint", ["npx", "eslint", "src"], web, more=ROOMY)
    again = ["--incremental", "--tsBuildInfoFile", "node_modules/.cache/types.tsbuildinfo"]
    tally.check("front end types", ["npx", "tsc", "--noEmit", *again], web, more=ROOMY)
    with tempfile.TemporaryDirectory() as folder:
        schema, types = Path(folder) / "schema.json", Path(folder) / "schema.d.ts"
        make = ["spectacular", "--format", "openapi-json", "--file", str(schema)]
        make += ["--validate", "--fail-on-warn"]
        tally.check("API schema", [sys.executable, "-m", "sortija.server", *make])
        tally.check(
            "API types",
            [
                "npx",
                "openapi-typescript",
                str(schema),
                "-o",
                str(types),
                "--default-non-nullable=false",
            ],
            web,
        )
        tally.check("API types are current", ["cmp", str(types), SCHEMA], web)


def _weight(path: Path) -> int:
    """How many lines a file has, which tells best how long its tests take (better than how many
    they are); those in a browser without a server take next to nothing."""
    text = path.read_text(encoding="utf-8")
    if path.parent.name == "web" and not re.search(r"BrowserCase|Station", text):
        return 1
    return text.count("\n")


def _halves(part: str) -> list[list[str]]:
    """A part's test files as two shares of about equal length, as unittest names them."""
    shares: list[list[str]] = [[], []]
    lengths = [0, 0]
    for path in sorted((ROOT / "tests" / part).rglob("test_*.py"), key=_weight, reverse=True):
        lesser = lengths.index(min(lengths))
        lengths[lesser] += _weight(path)
        shares[lesser].append(".".join(path.relative_to(ROOT).with_suffix("").parts))
    return shares


def _errands(tally: Tally, part: str) -> list[Callable[[], None]]:
    """What a part has to run; each errand keeps about one core busy."""
    if part == "static":
        return [partial(_static, tally)]
    if part in ("core", "cli", "notebook"):
        run = [sys.executable, "-m", "unittest", "discover", "-s", f"tests/{part}", "-t", "."]
        return [partial(tally.tests, part, run)]
    errands: list[Callable[[], None]] = []
    for number, share in enumerate(_halves(part), 1):
        run = [sys.executable, "-m", "sortija.server", "test", *share, "--noinput"]
        run += ["--testrunner", "tests.web.support.OneHouse"] if part == "web" else []
        url = f"{os.environ['DATABASE_URL']}_{part}_{number}"  # each has a database of its own
        errands.append(partial(tally.tests, f"{part} {number} of 2", run, {"DATABASE_URL": url}))
    return errands


def main() -> int:
    asked = sys.argv[1:] or list(PARTS)
    unknown = [part for part in asked if part not in PARTS]
    if unknown:
        print(f"./test has no part called {unknown[0]}. There are {', '.join(PARTS)}.")
        return 2
    tally = Tally()
    cluster = None
    try:
        if not os.environ.get("DATABASE_URL"):
            cluster = Cluster(DATA / "test-postgres", lasting=False)
            cluster.start()
            os.environ["DATABASE_URL"] = cluster.url
        errands = [run for part in PARTS if part in asked for run in _errands(tally, part)]
        with ThreadPoolExecutor(2) as pool:
            for done in [pool.submit(run) for run in errands]:
                done.result()
    finally:
        if cluster:
            cluster.stop()
    for name in tally.broken:
        print(f"failed: {name}")
    print(f"{tally.passed} passed, {tally.failed} failed, {tally.skipped} skipped")
    return 1 if tally.failed else 0


if __name__ == "__main__":
    sys.exit(main())
