"""The ledger as it stands: counted intakes, what is chosen, lines in the measures' order.

Lines in that order are kept as immutable files beside PostgreSQL, named by what they were made
from, and rebuilt from it whenever they are missing.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from datetime import date
from pathlib import Path
from typing import Any

import numpy as np
from django.conf import settings
from numpy.typing import NDArray

from sortija.core.calendar import date_of
from sortija.core.ledger.cube import Cube
from sortija.core.ledger.log import Log
from sortija.core.ledger.rules import BIT, Rule
from sortija.core.measures.coverage import Reach, reach_of
from sortija.core.progress import Progress, silent
from sortija.server.ledger.customers.owners import Owners, owners_of
from sortija.server.ledger.models import Intake
from sortija.server.ledger.rules.choices import Choices, choices_of
from sortija.server.ledger.store.build import CUBE_FIELDS, CUBES, ORDERED, build_log, texts
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.models import Study
from sortija.server.studies.process_cache import remembered
from sortija.server.studies.request_cache import once
from sortija.server.studies.windows import WindowInView

__all__ = ["Ledger", "Lines", "ledger_of", "texts"]

LOG_VERSION = 5


@dataclass(frozen=True)
class Lines:
    """A log with what belongs to its lines and the sums over them.

    ``intake``, ``number``: file and row that a line came from; ``card``, ``item``, ``second``:
    further columns of it; ``newest``: places in order of day, newest first; ``cubes``: by day,
    hour of the week, department, site, channel;
    ``met``: (m, 2) combinations of bits, each with how many customers' lines meet just these;
    ``site_days``: (2, d) sites (−1: none) and days with any line; ``known``: receipts of each
    intake that an earlier one has too; ``fence``: amounts beyond it are extreme; ``staff``: how
    many cards are staff's or a test's, and the first of them.
    """

    log: Log
    intake: NDArray[np.int32]
    number: NDArray[np.int32]
    card: NDArray[np.int32]
    item: NDArray[np.int32]
    second: NDArray[np.int32]
    newest: NDArray[np.int32]
    cubes: dict[str, Cube]
    met: NDArray[np.int64]
    site_days: NDArray[np.int64]
    known: dict[int, int]
    fence: float
    staff: tuple[int, list[int]]


@dataclass(frozen=True)
class Ledger:
    """The ledger of a study: which intakes count, and what is chosen about their lines."""

    study: Study
    intakes: tuple[Intake, ...]
    choices: Choices
    owners: Owners
    stamp: str

    @property
    def customers(self) -> int:
        """How many numbers of customers there are; those of merged cards stand empty."""
        return len(self.owners.of)

    @property
    def on(self) -> tuple[str, ...]:
        return self.choices.on

    @property
    def rules(self) -> tuple[Rule, ...]:
        return self.choices.rules

    @property
    def mask(self) -> int:
        return self.choices.mask

    @property
    def folder(self) -> Path:
        return settings.COLUMN_FILES / f"log-{self.stamp[:32]}"

    @property
    def made_from(self) -> str:
        """What anything computed from this ledger under these rules is made from."""
        return fingerprint(self.stamp, sorted(self.on))

    @property
    def built(self) -> bool:
        return (self.folder / "start.npy").exists()

    def build(self, progress: Progress = silent) -> None:
        """Write the files of the ordered lines."""
        build_log(self.study, self.intakes, self.choices, self.owners.of, self.folder, progress)

    def lines(self) -> Lines:
        """The lines in order, built first where their files are missing."""
        if not self.built:
            self.build()
        return _load(self.folder, self.customers)

    def last_day(self) -> date | None:
        """The newest day that counts and is not dated in the future."""
        if not self.built:
            return None
        days, _, _ = self.lines().cubes["day"].by_key(self.mask | BIT["future"])
        return date_of(int(days[-1])) if len(days) and days[-1] >= 0 else None

    def first_day(self) -> int:
        """The oldest day that counts, since 1970-01-01; −1 without any."""
        days, _, _ = self.lines().cubes["day"].by_key(self.mask)
        return int(days[days >= 0].min(initial=30_000)) if (days >= 0).any() else -1

    def reach(self) -> Reach | None:
        """From when to when the lines that count tell."""
        days, lines, _ = self.lines().cubes["day"].by_key(self.mask | BIT["future"])
        dated = days >= 0
        return reach_of(days[dated], lines[dated])

    def default_window(self) -> WindowInView | None:
        last = self.last_day()
        return WindowInView(last) if last else None


@once
def ledger_of(study: Study) -> Ledger | None:
    """The study's ledger; None while no log has been counted."""
    intakes = tuple(
        Intake.objects.filter(study=study, role=Intake.LOG, state=Intake.COUNTED)
        .select_related("original", "heads")
        .order_by("original_id", "id")
    )
    if not intakes:
        return None
    choices = choices_of(study)
    owners = owners_of(study)
    return Ledger(study, intakes, choices, owners, _stamp(study, intakes, choices, owners))


def _stamp(study: Study, intakes: tuple[Intake, ...], choices: Choices, owners: Owners) -> str:
    files = [
        [
            i.pk,
            i.token,
            i.overlap,
        ]
        for i in intakes
    ]
    return fingerprint(
        "log",
        LOG_VERSION,
        study.token,
        study.scale,
        choices.marks,
        files,
        owners.stamp,
    )


@remembered
def _load(folder: Path, customers: int) -> Lines:
    start = np.load(folder / "start.npy")
    grown = customers - (len(start) - 2)
    if grown > 0:  # customers who came with a later table have no lines
        start = np.concatenate([start[:-1], np.full(grown, start[-2]), start[-1:]])
    arrays: dict[str, Any] = {
        name: np.load(folder / f"{name}.npy", mmap_mode="r") for name in ORDERED
    }
    apart = {name: arrays.pop(name) for name in ("intake", "number", "card", "item", "second")}
    if not np.load(folder / "costs.npy")[0]:
        del arrays["cost"]
    about = json.loads((folder / "about.json").read_text())
    return Lines(
        log=Log(start=start, **arrays), **apart,
        newest=np.load(folder / "newest.npy", mmap_mode="r"),
        cubes={name: _cube(folder, name) for name in CUBES},
        met=np.load(folder / "met.npy"), site_days=np.load(folder / "site-days.npy"),
        known={int(k): n for k, n in about["known"].items()}, fence=about["fence"],
        staff=(about["staff"][0], about["staff"][1]),
    )  # fmt: skip


def _cube(folder: Path, name: str) -> Cube:
    return Cube(**{part: np.load(folder / f"cube-{name}-{part}.npy") for part in CUBE_FIELDS})
