"""The ledger as it stands: counted intakes, rules that are on, lines in the measures' order.

Lines in that order are kept as immutable files beside PostgreSQL, named by what they were made
from, and rebuilt from it whenever they are missing.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta
from functools import lru_cache
from pathlib import Path

import numpy as np
from django.conf import settings
from django.db import connection, transaction
from numpy.typing import NDArray
from psycopg import sql

from sortija.core.ledger.lines import month_of
from sortija.core.ledger.log import Log
from sortija.core.ledger.receipts import repeated
from sortija.core.ledger.rules import RULES, Cube, mask_of
from sortija.core.measures.window import EPOCH
from sortija.core.progress import Progress, silent
from sortija.server.bulk.copy import copy_out
from sortija.server.ledger.models import Code, Intake
from sortija.server.studies.actions import read_setting
from sortija.server.studies.columns import whole_folder
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.models import Population, Study
from sortija.server.studies.windows import WindowInView

__all__ = ["DEFAULT_RULES", "RULES_SETTING", "Ledger", "build_log", "ledger_of", "texts"]

LOG_VERSION = 1
RULES_SETTING = "ledger.rules"
DEFAULT_RULES = [rule.key for rule in RULES if rule.default]
_FIELDS = {
    "card": "i4", "day": "date", "receipt": "i8", "quantity": "i8", "money": "i8", "kind": "i2",
    "department": "i2", "site": "i2", "channel": "i2", "bits": "i4", "intake_id": "i4",
    "number": "i4", "run": "i4",
}  # fmt: skip
_DTYPES = {
    "day": "<i4", "receipt": "<u8", "quantity": "<i8", "money": "<i8", "kind": "i1",
    "department": "<i2", "site": "<i2", "channel": "<i2", "bits": "<i4", "intake": "<i4",
    "number": "<i4",
}  # fmt: skip


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
    return Ledger(study, intakes, tuple(on), revision, size, _stamp(study, intakes))


def _stamp(study: Study, intakes: tuple[Intake, ...]) -> str:
    return fingerprint(
        "log", LOG_VERSION, study.pk, study.scale,
        [[i.pk, i.original.sha256, i.mapping, i.received_on.isoformat()] for i in intakes],
    )  # fmt: skip


def texts(study: Study, kind: str) -> tuple[str, ...]:
    """Names of sites, channels, items or departments, by number."""
    rows = Code.objects.filter(study=study, kind=kind).order_by("number")
    return tuple(rows.values_list("text", flat=True))


def _twice(intakes: tuple[Intake, ...]) -> dict[int, NDArray[np.bool_]]:
    """For each intake, which of its runs came before, in it or in an earlier one."""
    out: dict[int, NDArray[np.bool_]] = {}
    known: tuple[NDArray[np.uint64], NDArray[np.uint64]] | None = None
    for intake in intakes:
        query = sql.SQL(
            "SELECT key, content FROM ledger_receipt WHERE intake_id = {} ORDER BY number"
        )
        parts = list(copy_out(query.format(sql.Literal(intake.pk)), ["i8", "i8"]))
        key = np.concatenate([p[0] for p in parts]).view(np.uint64)
        content = np.concatenate([p[1] for p in parts]).view(np.uint64)
        out[intake.pk] = repeated(key, content, known)
        if len(intakes) > 1:
            known = (
                (key, content)
                if known is None
                else (np.concatenate([known[0], key]), np.concatenate([known[1], content]))
            )
    return out


def build_log(ledger: Ledger, progress: Progress = silent) -> None:
    """Write the ordered lines' files: PostgreSQL sorts, the bits of repeated receipts are added."""
    twice = _twice(ledger.intakes)
    bit = next(rule.bit for rule in RULES if rule.key == "twice")
    numbers = [i.pk for i in ledger.intakes]
    with transaction.atomic(), connection.cursor() as cursor:
        cursor.execute("SET LOCAL work_mem = '128MB'")
        cursor.execute("SELECT count(*) FROM ledger_line WHERE intake_id = ANY(%s)", [numbers])
        count = cursor.fetchone()[0]
        owner = "CASE WHEN card < 0 THEN 2147483647 ELSE card END"
        query = sql.SQL(
            "SELECT {fields} FROM ledger_line WHERE intake_id = ANY({intakes}) "
            f"ORDER BY {owner}, day, receipt, intake_id, number"
        ).format(
            fields=sql.SQL(", ").join(sql.Identifier(name) for name in _FIELDS),
            intakes=sql.Literal(numbers),
        )
        with whole_folder(ledger.folder) as aside:
            _write_lines(aside, query, count, ledger.customers, twice, bit, progress)


def _write_lines(
    aside: Path, query: sql.Composable, count: int, customers: int,
    twice: dict[int, NDArray[np.bool_]], bit: int, progress: Progress,
) -> None:  # fmt: skip
    files = {
        name: np.lib.format.open_memmap(aside / f"{name}.npy", "w+", dtype, (count,))
        for name, dtype in _DTYPES.items()
    }
    per_customer = np.zeros(customers + 1, np.int64)
    cubes: list[Cube] = []
    row = 0
    for part in copy_out(query, list(_FIELDS.values())):
        values = dict(zip(_FIELDS, part, strict=True))
        values["intake"] = values.pop("intake_id")
        for intake, came_before in twice.items():
            mine = values["intake"] == intake
            again = np.zeros(len(mine), np.bool_)
            again[mine] = came_before[values["run"][mine]]
            values["bits"] |= np.where(again, bit, 0).astype(np.int32)
        stop = row + len(part[0])
        for name, file in files.items():
            file[row:stop] = values[name].view("<u8") if name == "receipt" else values[name]
        owner = np.where(values["card"] < 0, customers, values["card"])
        per_customer += np.bincount(owner, minlength=customers + 1)
        cubes.append(Cube.of(month_of(values["day"]), values["bits"], values["money"]))
        if len(cubes) > 64:
            cubes = [Cube.merge(cubes)]
        row = stop
        progress("ordering lines", row, count)
    if row != count:
        raise RuntimeError("lines changed while they were being ordered")
    start = np.zeros(customers + 2, np.int64)
    np.cumsum(per_customer, out=start[1:])
    cube = Cube.merge(cubes)
    for name in ("month", "bits", "lines", "money"):
        np.save(aside / f"cube-{name}.npy", getattr(cube, name))
    for file in files.values():
        file.flush()
    np.save(aside / "start.npy", start)


@lru_cache(maxsize=6)
def _load(folder: Path, customers: int) -> Lines:
    def read(name: str) -> NDArray[np.generic]:
        return np.load(folder / f"{name}.npy", mmap_mode="r")

    start = np.load(folder / "start.npy")
    grown = customers - (len(start) - 2)
    if grown > 0:  # customers who came with a later table have no lines
        start = np.concatenate([start[:-1], np.full(grown, start[-2]), start[-1:]])
    arrays = {name: read(name) for name in _DTYPES}
    intake, number = arrays.pop("intake"), arrays.pop("number")
    cube = Cube(
        **{n: np.load(folder / f"cube-{n}.npy") for n in ("month", "bits", "lines", "money")}
    )
    return Lines(Log(start=start, **arrays), intake, number, cube)  # type: ignore[arg-type]


@lru_cache(maxsize=64)
def _last_day(folder: Path, customers: int, mask: int) -> int:
    return _load(folder, customers).log.last_day(mask)
