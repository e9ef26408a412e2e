"""Write Marrowmere's files as its tills and its member register would export them."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import IO, Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from sortija.demo.members import Members, draw_members
from sortija.demo.visits import KINDS, MonthLines, draw_month
from sortija.demo.world import (
    ARCHETYPES,
    DEPARTMENTS,
    FIRST_MONTH,
    GARDENS,
    ITEMS,
    JOINED_THROUGH,
    MONTHS,
    PLANS,
    QUIET,
    RENAMED,
    RENAMED_FROM,
    SITES,
)

__all__ = [
    "LOG_HEAD", "MEMBER_HEAD", "SEED", "Demo", "draw_people", "month_text", "write_demo",
    "write_rows",
]  # fmt: skip

LOG_HEAD = "receipt;card;sold_at;site;till;item;item_name;department;qty;unit_price;total;kind"
MEMBER_HEAD = (
    "card,joined_on,joined_through,garden,household,birth_year,district,plan,mail_consent,email"
)
LATE_LINE = "R000001;M-000001;03/06/2062 11:02;Dunmere;till;01001;Aster;Perennials;1;3.69;3.69;sale"
TWICE_EXPORTED = (16, 9)  # month, day of month: that day's export came twice
CAMPAIGN_MONTH = 25  # February 2026
CAMPAIGN_SIZE = 1000
CAMPAIGN_EFFECT = 0.08
OFFERS = 24
SEED = 4107
#: Archetypes that an offer of thanks moves, and how much more often they take one: the pattern
#: that is there to be found among past offers.
GRATEFUL, THANKED = ("steady", "workshop", "beat", "burst"), 0.16
THEMES = ("thank you", "only this week", "new in", "last chance", "for your garden")


@dataclass(frozen=True)
class Demo:
    """Where the files of one demo stand, and how many lines its log has."""

    log: Path
    members: Path
    offers: Path
    responses: Path
    districts: Path
    truth: Path
    winter: Path
    lines: int


def _text(values: NDArray[Any]) -> pa.Array:
    return pc.cast(pa.array(values), pa.string())


def _join(*parts: pa.Array | str, sep: str = "") -> pa.Array:
    return pc.binary_join_element_wise(*parts, sep)


def _padded(values: NDArray[Any], width: int) -> pa.Array:
    return pc.utf8_lpad(_text(values), width=width, padding="0")


def _money(pence: NDArray[np.int64], mark: str = ".") -> pa.Array:
    size = np.abs(pence)
    sign = pa.array(np.where(pence < 0, "-", ""))
    return _join(sign, _text(size // 100), pa.scalar(mark), _padded(size % 100, 2))


def card_number(member: NDArray[np.int64]) -> pa.Array:
    """``M-000123``; empty where there is no card; staff and test cards by name."""
    real = _join(pa.scalar("M-"), _padded(np.maximum(member, 0) + 1, 6))
    special = pa.array(["", "STAFF-01", "STAFF-02", "TEST-99"]).take(
        pa.array(np.clip(-member - 1, 0, 3))
    )
    return pc.if_else(pa.array(member >= 0), real, special)


def _dates(lines: MonthLines) -> pa.Array:
    """Tills write 14/03/2026 10:22, the web shop 2026-03-14 10:22:31: two styles in one file."""
    start = (FIRST_MONTH + lines.month).astype("M8[s]")
    stamp = pa.array(start + lines.moment.astype("m8[s]"))
    till = pc.strftime(stamp, format="%d/%m/%Y %H:%M")
    return pc.if_else(pa.array(lines.web), pc.strftime(stamp, format="%Y-%m-%d %H:%M:%S"), till)


def month_text(rng: np.random.Generator, lines: MonthLines) -> pa.Array:
    """The month's lines as rows of text, dirt included."""
    names = [RENAMED.get(d, d) if lines.month >= RENAMED_FROM else d for d in DEPARTMENTS]
    item = lines.item
    price = np.array([i.price for i in ITEMS])[item]
    total = _money(lines.total)
    commas = pa.array(rng.random(len(item)) < 0.0004)
    total = pc.if_else(commas, _money(lines.total, ","), total)
    dates = _dates(lines)
    broken = pa.array(rng.random(len(item)) < 0.00005)
    dates = pc.if_else(broken, pa.scalar("31/02/2025 10:15"), dates)
    receipt = _join(pa.array(np.where(lines.web, "W", "R")), _padded(lines.receipt, 6))
    return _join(
        receipt,
        card_number(lines.member),
        dates,
        pa.array(np.array(SITES)[lines.site]),
        pa.array(np.where(lines.web, "web", "till")),
        pa.array(np.array([i.code for i in ITEMS])[item]),
        pa.array(np.array([i.name for i in ITEMS])[item]),
        pa.array(np.array(names)[np.array([i.department for i in ITEMS])[item]]),
        _text(lines.quantity),
        _money(price),
        total,
        pa.array(np.array(KINDS)[lines.kind]),
        sep=";",
    )


def write_rows(out: IO[bytes], rows: pa.Array) -> None:
    """Write text rows, each with its line end, without making a Python string a row."""
    ended = _join(rows, pa.scalar(""), sep="\n")
    offsets = np.frombuffer(ended.buffers()[1], np.int32)[ended.offset :]
    out.write(memoryview(ended.buffers()[2])[offsets[0] : offsets[len(ended)]])


def _campaign(
    rng: np.random.Generator, members: Members
) -> tuple[NDArray[np.int64], NDArray[np.bool_], tuple[NDArray[np.int64], NDArray[np.int64]]]:
    """Audience, arm (True: written to) and the visits that the letter brought about."""
    quiet = np.flatnonzero((members.archetype[:, CAMPAIGN_MONTH // 3] == QUIET) & members.consent)
    quiet = quiet[members.joined[quiet] < 500]
    audience = rng.permutation(quiet)[: min(CAMPAIGN_SIZE, len(quiet))].astype(np.int64)
    written = np.zeros(len(audience), dtype=bool)
    written[: len(audience) // 2] = True
    # Among those who would not have come on their own, enough come for 8 points more in all.
    stays_away = np.exp(-ARCHETYPES[QUIET].visits / 12)
    comes = audience[written][rng.random(int(written.sum())) < CAMPAIGN_EFFECT / stays_away]
    return audience, written, (comes, rng.integers(2, 28, len(comes)))


def _write_log(
    path: Path,
    rng: np.random.Generator,
    members: Members,
    extra: tuple[NDArray[np.int64], NDArray[np.int64]],
    progress: Callable[[int, int], None],
) -> int:
    count = 0
    with path.open("wb") as out:
        out.write(LOG_HEAD.encode() + b"\n")
        for month in range(MONTHS):
            lines = draw_month(rng, members, month, extra if month == CAMPAIGN_MONTH else None)
            text = month_text(rng, lines)
            write_rows(out, text)
            count += len(text)
            if month == TWICE_EXPORTED[0]:
                again = text.filter(pa.array(lines.moment // 86400 == TWICE_EXPORTED[1]))
                write_rows(out, again)
                count += len(again)
            progress(month + 1, MONTHS)
        # A till whose clock ran ahead.
        out.write(LATE_LINE.encode() + b"\n")
    return count + 1


def _write_members(path: Path, members: Members) -> None:
    number = np.arange(len(members))
    start = FIRST_MONTH.astype("M8[D]")
    joined = pc.strftime(pa.array(start + members.joined.astype("m8[D]")), format="%Y-%m-%d")
    district = _padded(101 + 7 * members.district.astype(np.int64), 4)
    rows = _join(
        card_number(number),
        joined,
        pa.array(np.array(JOINED_THROUGH)[members.joined_through]),
        pa.array(np.array(GARDENS)[members.garden]),
        pc.if_else(pa.array(members.household > 0), _text(members.household), pa.scalar("")),
        pc.if_else(pa.array(members.birth_year > 0), _text(members.birth_year), pa.scalar("")),
        district,
        pa.array(np.array(PLANS)[members.plan]),
        pa.array(np.where(members.consent, "yes", "no")),
        _join(pa.scalar("member"), _text(number + 1), pa.scalar("@example.org")),
        sep=",",
    )
    with path.open("wb") as out:
        out.write(MEMBER_HEAD.encode() + b"\n")
        write_rows(out, rows)


def _write_offers(
    offers: Path, responses: Path, rng: np.random.Generator, members: Members
) -> None:
    """Two dozen past offers, who received each and who used it."""
    with offers.open("wb") as out:
        out.write(b"offer,month,department,percent_off,minimum_spend,theme\n")
        for number in range(OFFERS):
            month = 4 + number
            department = DEPARTMENTS[number % 8]
            off, least = 10 + 5 * (number % 4), 10 * (number % 3)
            row = f"O{number + 1:02d},{FIRST_MONTH + month},{department},{off},{least},"
            out.write((row + THEMES[number % len(THEMES)] + "\n").encode())
    likes = np.array([a.departments for a in ARCHETYPES], dtype=float)
    likes /= likes.sum(axis=1, keepdims=True)
    grateful = np.array([a.name in GRATEFUL for a in ARCHETYPES])
    with responses.open("wb") as out:
        out.write(b"offer,card,used\n")
        for number in range(OFFERS):
            there = members.joined < (4 + number) * 30
            received = np.flatnonzero(there & members.consent & (rng.random(len(members)) < 0.25))
            kind = members.archetype[received, (4 + number) // 3]
            chance = 0.03 + 0.6 * likes[kind, number % 8]
            if THEMES[number % len(THEMES)] == THEMES[0]:
                chance += THANKED * grateful[kind]
            used = np.where(rng.random(len(received)) < chance, "yes", "no")
            rows = _join(
                pa.array([f"O{number + 1:02d}"] * len(received), pa.string()),
                card_number(received),
                pa.array(used, pa.string()),
                sep=",",
            )
            write_rows(out, rows)


def _write_districts(path: Path, members: Members) -> None:
    """Fourteen invented districts: a bent grid along the invented river Marrow (RFC 7946)."""
    counts = np.bincount(members.district, minlength=14)
    features = []
    for number in range(14):
        column, row = number % 5, number // 5

        def corner(x: int, y: int) -> list[float]:
            return [round(-2.0 + 0.06 * x + 0.015 * np.sin(2.1 * y), 4),
                    round(51.5 + 0.05 * y + 0.012 * np.cos(1.7 * x), 4)]  # fmt: skip

        ring = [corner(column, row), corner(column + 1, row), corner(column + 1, row + 1),
                corner(column, row + 1), corner(column, row)]  # fmt: skip
        properties = {
            "district": f"{101 + 7 * number:04d}",
            "households": int(counts[number]) * (3 + 5 * number % 7),
        }
        geometry = {"type": "Polygon", "coordinates": [ring]}
        features.append({"type": "Feature", "properties": properties, "geometry": geometry})
    path.write_text(json.dumps({"type": "FeatureCollection", "features": features}, indent=1))


def _write_truth(
    path: Path, members: Members, audience: NDArray[np.int64], written: NDArray[np.bool_]
) -> None:
    """Archetype of every member in every quarter, and the arms of the finished campaign."""
    arm = np.zeros(len(members), dtype=np.int8)
    arm[audience] = np.where(written, 1, 2)
    quarters = [_text(members.archetype[:, q]) for q in range(members.archetype.shape[1])]
    rows = _join(card_number(np.arange(len(members))), *quarters, _text(arm), sep=",")
    head = ",".join(["card", *(f"quarter_{q + 1}" for q in range(len(quarters))), "campaign_arm"])
    with path.open("wb") as out:
        out.write(head.encode() + b"\n")
        write_rows(out, rows)


def _write_list(path: Path, audience: NDArray[np.int64], written: NDArray[np.bool_]) -> None:
    """The list of the finished campaign with both arms, as whoever sent it kept it."""
    groups = pa.array(np.where(written, "written", "held").tolist())
    with path.open("wb") as out:
        out.write(b"card,group\n")
        write_rows(out, _join(card_number(audience), groups, sep=","))


def draw_people(members: int, seed: int = SEED) -> Members:
    """The members of a demo, as its files tell of them."""
    first, *_ = np.random.SeedSequence(seed).spawn(4)
    return draw_members(members, np.random.default_rng(first))


def write_demo(
    folder: Path,
    members: int = 6000,
    seed: int = SEED,
    progress: Callable[[int, int], None] = lambda done, of: None,
) -> Demo:
    """Write the whole demo into ``folder``.

    The same ``members`` and ``seed`` give the same bytes. Memory stays bounded: one month of
    lines is held at a time.
    """
    folder.mkdir(parents=True, exist_ok=True)
    streams = np.random.SeedSequence(seed).spawn(4)
    people = draw_people(members, seed)
    audience, written, extra = _campaign(np.random.default_rng(streams[1]), people)
    demo = Demo(
        log=folder / "log.csv",
        members=folder / "members.csv",
        offers=folder / "offers.csv",
        responses=folder / "responses.csv",
        districts=folder / "districts.geojson",
        truth=folder / "truth.csv",
        winter=folder / "winter-letter.csv",
        lines=0,
    )
    lines = _write_log(demo.log, np.random.default_rng(streams[2]), people, extra, progress)
    _write_members(demo.members, people)
    _write_offers(demo.offers, demo.responses, np.random.default_rng(streams[3]), people)
    _write_districts(demo.districts, people)
    _write_truth(demo.truth, people, audience, written)
    _write_list(demo.winter, audience, written)
    return Demo(**{**demo.__dict__, "lines": lines})


def digest(path: Path) -> str:
    """SHA-256 of a file, in hexadecimal."""
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()
