"""Order the ledger's lines and set the bits of every rule: files beside PostgreSQL.

Files are written from front to back and read in pieces, never mapped while they are made, so
that the memory it takes does not grow with the log.
"""

from __future__ import annotations

import json
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from sortija.core.ledger.cube import Cube
from sortija.core.ledger.custom_rules import CustomRule, ReadyRule, ready_rules
from sortija.core.ledger.flags import AmountSpread, found_bits, meant_by
from sortija.core.ledger.lines import NO_COST
from sortija.core.ledger.overlap import Replaced, overlapping
from sortija.core.ledger.receipts import repeated
from sortija.core.ledger.returns import settle_returns
from sortija.core.ledger.rules import BIT
from sortija.core.progress import Progress, silent
from sortija.server.ledger.models import Card, Code, Intake
from sortija.server.ledger.rules.choices import Choices
from sortija.server.ledger.store.line_files import LINE_TYPES, LineWriter, pieces_of, runs_of
from sortija.server.ledger.store.scattering import MOST_PARTS, Scattered
from sortija.server.studies.columns import whole_folder
from sortija.server.studies.models import Study
from sortija.server.studies.problems import ChangedMeanwhile
from sortija.server.studies.request_cache import once

__all__ = ["CUBES", "CUBE_FIELDS", "ORDERED", "build_log", "texts", "words_for"]

Lines = dict[str, NDArray[Any]]
#: Columns of the ordered lines: the intakes' own, and which intake a line came by.
ORDERED = {**{n: k for n, k in LINE_TYPES.items() if n != "run"}, "intake": "<i4"}
#: What lines are counted by, under any choice of rules.
CUBES = ("day", "hour", "department", "site", "channel")
CUBE_FIELDS = ("key", "bits", "lines", "money")
#: Customers are ordered in parts of about so many lines, which bounds the memory it takes.
PART_LINES = 1 << 20
#: Days that fit beside a shop's number in one key.
_DAYS = 1 << 16


@once
def texts(study: Study, kind: str) -> tuple[str, ...]:
    """Names of sites, channels, items or departments, by number."""
    rows = Code.objects.filter(study=study, kind=kind).order_by("number")
    return tuple(rows.values_list("text", flat=True))


@dataclass
class _Marks:
    """What is known of all lines before they are ordered."""

    twice: dict[int, NDArray[np.bool_]]
    gives_way: dict[int, NDArray[np.bool_]]
    known: dict[int, int]
    staff: NDArray[np.bool_]
    own: list[ReadyRule]
    fence: float = 0.0
    #: Intake → what later files that replace days take from it.
    replaced: dict[int, list[Replaced]] = field(default_factory=dict)

    def bits(self, intake: Intake, lines: Lines) -> NDArray[np.int32]:
        """The bits of an intake's lines but for what their returns tell."""
        run = lines["run"]
        out = found_bits(
            lines["bits"], lines["card"], lines["money"], self.twice[intake.pk][run], self.staff,
            self.fence,
        )  # fmt: skip
        gone = self.gives_way[intake.pk][run]
        for later in self.replaced.get(intake.pk, ()):
            gone = gone | later.takes(lines["site"], lines["day"])
        out[gone] |= np.int32(BIT["superseded"])
        for rule in self.own:
            out[rule.meets(lines)] |= np.int32(rule.bit)
        return out


def build_log(
    study: Study, intakes: tuple[Intake, ...], choices: Choices, owner: NDArray[np.int32],
    folder: Path, progress: Progress = silent,
) -> None:  # fmt: skip
    """Write the files of the lines by customer, day and receipt, with every rule's bits.

    ``owner``: (cards,) the customer of each card.
    """
    customers = len(owner)
    # Lines without a card come after the last customer; −1 reads the last place.
    owner = np.append(owner, np.int32(customers))
    marks = _marks(study, intakes, choices)
    start = _survey(study, intakes, marks, owner)
    parts = list(_parts(start))
    with (
        whole_folder(folder) as aside,
        Scattered(aside, ORDERED, len(parts)) as scattered,
    ):
        _scatter(study, intakes, marks, owner, start, parts, scattered, progress)
        writer, sums = LineWriter(aside, ORDERED), _Sums(customers)
        for number, (first, last) in enumerate(parts):
            progress("ordering lines", writer.rows, int(start[-1]))
            for lines in _part(scattered, number, owner, nobodys=first == customers):
                if first < customers:
                    within = start[first : last + 1] - start[first]
                    lines = settle_returns(lines, within, choices.on_sale_day)
                    sums.who(lines["bits"], within)
                sums.add(lines)
                writer.add(lines)
        writer.close()
        if writer.rows != start[-1]:
            raise ChangedMeanwhile
        sums.save(aside)
        np.save(aside / "newest.npy", _newest(aside))
        staff = np.flatnonzero(marks.staff)
        about = {
            "known": {str(k): n for k, n in marks.known.items()},
            "fence": marks.fence,
            "staff": [len(staff), staff[:5].tolist()],
        }
        (aside / "about.json").write_text(json.dumps(about))
        np.save(aside / "start.npy", start)


def _marks(study: Study, intakes: tuple[Intake, ...], choices: Choices) -> _Marks:
    sizes = [intake.came.receipts for intake in intakes]
    shared = [(np.zeros(size, np.bool_),) * 2 for size in sizes]
    if len(intakes) > 1:
        keys = [lambda i=intake: (key for key, _ in runs_of(i)) for intake in intakes]
        shared = overlapping(keys, sizes, [intake.overlap for intake in intakes])  # type: ignore[misc]
    gone = [gives_way for _, gives_way in shared]
    twice = _twice(intakes, gone)
    codes = Card.objects.filter(study=study).order_by("number").values_list("code", flat=True)
    listed = list(codes.iterator(chunk_size=50_000))
    return _Marks(
        twice={i.pk: part for i, part in zip(intakes, twice, strict=True)},
        gives_way={i.pk: part for i, part in zip(intakes, gone, strict=True)},
        known={i.pk: int(seen.sum()) for i, (seen, _) in zip(intakes, shared, strict=True)},
        staff=meant_by(listed, choices.staff),
        own=ready_rules(choices.own, words_for(study, choices.own, listed), study.scale),
    )


def words_for(
    study: Study, rules: Sequence[CustomRule], codes: Sequence[str]
) -> dict[str, Sequence[str]]:
    """Texts of the columns that rules speak of, by number; ``codes`` of the study's cards."""
    wanted = {rule.column for rule in rules}
    coded = ("department", "item", "site", "channel")
    found: dict[str, Sequence[str]] = {k: texts(study, k) for k in coded if k in wanted}
    return {**found, "customer": codes} if "customer" in wanted else found


def _twice(intakes: tuple[Intake, ...], gone: list[NDArray[np.bool_]]) -> list[NDArray[np.bool_]]:
    """Which runs came before with the same lines, among those that give way to no other file."""

    def staying() -> Iterator[tuple[NDArray[np.uint64], NDArray[np.uint64]]]:
        for intake, gives_way in zip(intakes, gone, strict=True):
            start = 0
            for key, content in runs_of(intake):
                stays = ~gives_way[start : start + len(key)]
                start += len(key)
                yield key[stays], content[stays]

    stays = [~gives_way for gives_way in gone]
    repeats = repeated(staying, sum(int(s.sum()) for s in stays))
    out, start = [], 0
    for each in stays:
        twice, count = np.zeros(len(each), np.bool_), int(each.sum())
        twice[each] = repeats[start : start + count]
        start += count
        out.append(twice)
    return out


def _survey(
    study: Study, intakes: tuple[Intake, ...], marks: _Marks, owner: NDArray[np.int32]
) -> NDArray[np.int64]:
    """Where each customer's lines will begin; on the way, what amounts and days there are."""
    start = np.zeros(len(owner) + 1, np.int64)
    spread = AmountSpread()
    for place, intake in enumerate(intakes):
        takes = Replaced.by(np.zeros(0, np.int16), np.zeros(0, np.int32))
        columns = ("card", "day", "site", "kind", "money", "bits")
        for piece in pieces_of(intake, columns, study.scale):
            start[1:] += np.bincount(owner[piece["card"]], minlength=len(owner))
            spread.add(piece["kind"], piece["money"], piece["bits"])
            if intake.overlap == "replace":
                takes = takes.together(Replaced.by(piece["site"], piece["day"]))
        for earlier in intakes[:place] if len(takes.sites) else ():
            marks.replaced.setdefault(earlier.pk, []).append(takes)
    marks.fence = spread.fence()
    return np.cumsum(start)


def _parts(start: NDArray[np.int64]) -> Iterator[tuple[int, int]]:
    """Ranges of customers with about ``PART_LINES`` lines each, more where they would be too many
    ranges; then the lines without a customer."""
    customers = len(start) - 2
    lines = max(PART_LINES, -(-int(start[customers]) // (MOST_PARTS // 2)))
    first = 0
    while first < customers:
        last = int(np.searchsorted(start, start[first] + lines, side="right")) - 1
        last = min(max(last, first + 1), customers)
        yield first, last
        first = last
    yield customers, customers + 1


def _scatter(
    study: Study, intakes: tuple[Intake, ...], marks: _Marks, owner: NDArray[np.int32],
    start: NDArray[np.int64], parts: list[tuple[int, int]], scattered: Scattered,
    progress: Progress,
) -> None:  # fmt: skip
    """Send every line, with its bits, to the part that its customer is in."""
    sizes = [last - first for first, last in parts]
    part_of = np.repeat(np.arange(len(parts), dtype=np.uint16), sizes)
    done = 0
    for intake in intakes:
        for piece in pieces_of(intake, tuple(LINE_TYPES), study.scale):
            progress("sorting lines by customer", done, int(start[-1]))
            part = part_of[owner[piece["card"]]]
            piece["bits"] = marks.bits(intake, piece)
            piece["intake"] = np.full(len(part), intake.pk, np.int32)
            scattered.add(piece, part)
            done += len(part)


def _part(
    scattered: Scattered, number: int, owner: NDArray[np.int32], *, nobodys: bool
) -> Iterator[Lines]:
    """Lines of a part's customers in order; those of nobody as they lie, in pieces."""
    if nobodys:
        yield from scattered.take(number)
        return
    blocks = list(scattered.take(number))
    if blocks:
        whole = {name: np.concatenate([block[name] for block in blocks]) for name in ORDERED}
        order = np.lexsort((whole["receipt"], whole["day"], owner[whole["card"]]))
        yield {name: values[order] for name, values in whole.items()}


def _newest(folder: Path) -> NDArray[np.int32]:
    """Places of all lines, newest day first and within a day the last row first."""
    day = np.load(folder / "day.npy", mmap_mode="r")
    number = np.load(folder / "number.npy", mmap_mode="r")
    key = day.astype(np.int64) << 32 | number
    np.negative(key, out=key)
    return np.argsort(key, kind="stable").astype(np.int32)


class _Sums:
    """What every look at the ledger needs: cubes, who meets which rules, shops and days."""

    def __init__(self, customers: int) -> None:
        self.cubes: dict[str, list[Cube]] = {name: [] for name in CUBES}
        self.met: dict[int, int] = {}
        self.days = np.zeros(0, np.int64)
        self.costs = False

    def add(self, lines: Lines) -> None:
        """The next lines, ordered."""
        day = lines["day"]
        # 1970-01-01 was a Thursday; a line without a date has no hour either.
        hour = (day + 3) % 7 * 24 + lines["second"] // 3600
        keys = {**lines, "hour": np.where(day < 0, -1, hour)}
        for name, cubes in self.cubes.items():
            cubes.append(Cube.of(keys[name].astype(np.int32), lines["bits"], lines["money"]))
        dated = (day >= 0) & (lines["bits"] & BIT["future"] == 0)
        there = (lines["site"][dated].astype(np.int64) + 1) * _DAYS + day[dated]
        self.days = np.union1d(self.days, np.unique(there))
        self.costs = self.costs or bool((lines["cost"] != NO_COST).any())

    def who(self, bits: NDArray[np.int32], start: NDArray[np.int64]) -> None:
        """Whole customers: which rules any line of each meets."""
        some = np.diff(start) > 0
        if not some.any():
            return
        met, counts = np.unique(np.bitwise_or.reduceat(bits, start[:-1][some]), return_counts=True)
        for combination, customers in zip(met.tolist(), counts.tolist(), strict=True):
            self.met[combination] = self.met.get(combination, 0) + customers

    def save(self, folder: Path) -> None:
        for name, cubes in self.cubes.items():
            cube = Cube.merge(cubes)
            for part in CUBE_FIELDS:
                np.save(folder / f"cube-{name}-{part}.npy", getattr(cube, part))
        np.save(folder / "met.npy", np.array(list(self.met.items()), np.int64).reshape(-1, 2))
        np.save(folder / "site-days.npy", np.stack([self.days // _DAYS - 1, self.days % _DAYS]))
        np.save(folder / "costs.npy", np.array([self.costs]))
