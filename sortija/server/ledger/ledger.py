"""The ledger as it stands: counted intakes, rules that are on, lines in the measures' order.

Lines in that order are kept as immutable files beside PostgreSQL, named by what they were made
from, and rebuilt from it whenever they are missing.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date, timedelta
from functools import lru_cache
from itertools import chain
from pathlib import Path
from typing import Any

import numpy as np
from django.conf import settings
from numpy.typing import NDArray

from sortija.core.ledger.lines import month_of
from sortija.core.ledger.log import Log
from sortija.core.ledger.receipts import repeated
from sortija.core.ledger.rules import (
    RULES,
    STAFF_PATTERNS,
    Cube,
    found_bits,
    mask_of,
    staff_cards,
)
from sortija.core.measures.window import EPOCH
from sortija.core.progress import Progress, silent
from sortija.server.ledger.files import LINE_TYPES, LineWriter, pieces_of, runs_of
from sortija.server.ledger.models import Card, Code, Intake
from sortija.server.studies.actions import read_setting
from sortija.server.studies.columns import whole_folder
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.models import Population, Study
from sortija.server.studies.windows import WindowInView

__all__ = [
    "DEFAULT_RULES",
    "RULES_SETTING",
    "STAFF_SETTING",
    "Ledger",
    "build_log",
    "ledger_of",
    "texts",
]

LOG_VERSION = 2
STAFF_SETTING = "ledger.staff"
RULES_SETTING = "ledger.rules"
DEFAULT_RULES = [rule.key for rule in RULES if rule.default]
#: Columns of the ordered lines: the intakes' own, and which intake a line came by.
_ORDERED = {**{n: k for n, k in LINE_TYPES.items() if n not in ("card", "run")}, "intake": "<i4"}
#: Customers are ordered in parts of about so many lines, which bounds the memory it takes.
PART_LINES = 1 << 20


@dataclass(frozen=True)
class Lines:
    """A log with, for every line, the intake and the row it came from, and its cube."""

    log: Log
    intake: NDArray[np.int32]
    number: NDArray[np.int32]
    cube: Cube


@dataclass(frozen=True)
class Ledger:
    """The ledger of a study: which intakes count, which rules are on."""

    study: Study
    intakes: tuple[Intake, ...]
    on: tuple[str, ...]
    rules_revision: int
    staff: tuple[str, ...]
    staff_revision: int
    customers: int
    stamp: str

    @property
    def mask(self) -> int:
        return mask_of(self.on)

    @property
    def folder(self) -> Path:
        return settings.COLUMN_FILES / f"log-{self.study.pk}-{self.stamp[:20]}"

    @property
    def made_from(self) -> str:
        """What anything computed from this ledger under these rules is made from."""
        return fingerprint(self.stamp, sorted(self.on))

    @property
    def built(self) -> bool:
        return (self.folder / "start.npy").exists()

    def lines(self) -> Lines:
        """The lines in order, built first where their files are missing."""
        if not self.built:
            build_log(self)
        return _load(self.folder, self.customers)

    def last_day(self) -> date | None:
        """The newest day that counts and is not dated in the future."""
        newest = _last_day(self.folder, self.customers, self.mask) if self.built else -1
        return EPOCH + timedelta(days=newest) if newest >= 0 else None

    def default_window(self) -> WindowInView | None:
        last = self.last_day()
        return WindowInView(last) if last else None


def ledger_of(study: Study) -> Ledger | None:
    """The study's ledger; None while no log has been counted."""
    intakes = tuple(
        Intake.objects.filter(study=study, role=Intake.LOG, state=Intake.COUNTED)
        .select_related("original")
        .order_by("id")
    )
    if not intakes:
        return None
    on, revision = read_setting(study, RULES_SETTING, DEFAULT_RULES)
    size = Population.objects.get(study=study, name="customers").size
    staff, staff_revision = read_setting(study, STAFF_SETTING, list(STAFF_PATTERNS))
    return Ledger(
        study, intakes, tuple(on), revision, tuple(staff), staff_revision, size,
        _stamp(study, intakes, staff),
    )  # fmt: skip


def _stamp(study: Study, intakes: tuple[Intake, ...], staff: list[str]) -> str:
    return fingerprint(
        "log", LOG_VERSION, study.pk, study.scale, staff,
        [[i.pk, i.original.sha256, i.mapping, i.received_on.isoformat()] for i in intakes],
    )  # fmt: skip


def texts(study: Study, kind: str) -> tuple[str, ...]:
    """Names of sites, channels, items or departments, by number."""
    rows = Code.objects.filter(study=study, kind=kind).order_by("number")
    return tuple(rows.values_list("text", flat=True))


def _twice(intakes: tuple[Intake, ...]) -> dict[int, NDArray[np.bool_]]:
    """For each intake, which of its runs came before, in it or in an earlier one."""
    sizes = [intake.report["receipts"] for intake in intakes]
    marks = repeated(lambda: chain.from_iterable(map(runs_of, intakes)), sum(sizes))
    parts = np.split(marks, np.cumsum(sizes)[:-1])
    return {intake.pk: part for intake, part in zip(intakes, parts, strict=True)}


def build_log(ledger: Ledger, progress: Progress = silent) -> None:
    """Write the files of the lines by customer, day and receipt, repeated receipts marked."""
    customers = ledger.customers
    start = np.zeros(customers + 2, np.int64)
    cubes: list[Cube] = []
    twice = _twice(ledger.intakes)
    staff = _staff(ledger)
    for intake in ledger.intakes:
        for piece in pieces_of(intake, ("card", "day", "money", "bits", "run")):
            start[1:] += np.bincount(_owner(piece["card"], customers), minlength=customers + 1)
            bits = _found(piece, twice[intake.pk], staff)
            cubes.append(Cube.of(month_of(piece["day"]), bits, piece["money"]))
    np.cumsum(start, out=start)
    with whole_folder(ledger.folder) as aside:
        writer = LineWriter(aside, _ORDERED)
        for first, last in _parts(start):
            progress("ordering lines", writer.rows, int(start[-1]))
            for ordered in _part(ledger, twice, staff, first, last):
                writer.add(ordered)
        writer.close()
        if writer.rows != start[-1]:
            raise RuntimeError("lines changed while they were being ordered")
        cube = Cube.merge(cubes)
        for name in ("month", "bits", "lines", "money"):
            np.save(aside / f"cube-{name}.npy", getattr(cube, name))
        np.save(aside / "start.npy", start)


def _owner(card: NDArray[np.int32], customers: int) -> NDArray[np.int32]:
    """The customer of each line; lines without one come after the last customer."""
    return np.where(card < 0, np.int32(customers), card)


def _staff(ledger: Ledger) -> NDArray[np.bool_]:
    """Which cards are staff's or a test's."""
    codes = (
        Card.objects.filter(study=ledger.study).order_by("number").values_list("code", flat=True)
    )
    return staff_cards(list(codes.iterator(chunk_size=50_000)), ledger.staff)


def _found(
    piece: dict[str, NDArray[Any]], came_before: NDArray[np.bool_], staff: NDArray[np.bool_]
) -> NDArray[np.int32]:
    return found_bits(
        piece["bits"], piece["card"], piece["money"], came_before[piece["run"]], staff
    )


def _parts(start: NDArray[np.int64]) -> Iterator[tuple[int, int]]:
    """Ranges of customers with about ``PART_LINES`` lines each; then the lines without one."""
    customers = len(start) - 2
    first = 0
    while first < customers:
        last = int(np.searchsorted(start, start[first] + PART_LINES, side="right")) - 1
        last = min(max(last, first + 1), customers)
        yield first, last
        first = last
    yield customers, customers + 1


def _part(
    ledger: Ledger,
    twice: dict[int, NDArray[np.bool_]],
    staff: NDArray[np.bool_],
    first: int,
    last: int,
) -> Iterator[dict[str, NDArray[Any]]]:
    """Lines of customers ``first`` to ``last`` in order; those of nobody as they lie, in pieces."""
    names = tuple(LINE_TYPES)
    mine: list[dict[str, NDArray[Any]]] = []
    for intake in ledger.intakes:
        for piece in pieces_of(intake, names):
            owner = _owner(piece["card"], ledger.customers)
            inside = np.flatnonzero((owner >= first) & (owner < last))
            if not len(inside):
                continue
            piece["bits"] = _found(piece, twice[intake.pk], staff)
            chosen = {name: values[inside] for name, values in piece.items()}
            chosen["intake"] = np.full(len(inside), intake.pk, np.int32)
            if first == ledger.customers:
                yield chosen
            else:
                mine.append(chosen)
    if mine:
        whole = {name: np.concatenate([part[name] for part in mine]) for name in mine[0]}
        order = np.lexsort((whole["receipt"], whole["day"], whole["card"]))
        yield {name: values[order] for name, values in whole.items()}


@lru_cache(maxsize=6)
def _load(folder: Path, customers: int) -> Lines:
    def read(name: str) -> NDArray[np.generic]:
        return np.load(folder / f"{name}.npy", mmap_mode="r")

    start = np.load(folder / "start.npy")
    grown = customers - (len(start) - 2)
    if grown > 0:  # customers who came with a later table have no lines
        start = np.concatenate([start[:-1], np.full(grown, start[-2]), start[-1:]])
    arrays = {name: read(name) for name in _ORDERED}
    intake, number = arrays.pop("intake"), arrays.pop("number")
    cube = Cube(
        **{n: np.load(folder / f"cube-{n}.npy") for n in ("month", "bits", "lines", "money")}
    )
    return Lines(Log(start=start, **arrays), intake, number, cube)  # type: ignore[arg-type]


@lru_cache(maxsize=64)
def _last_day(folder: Path, customers: int, mask: int) -> int:
    return _load(folder, customers).log.last_day(mask)
