"""Movement against chance: in worlds whose truth is known, and how long it takes."""

from __future__ import annotations

import csv
import io
import tempfile
from contextlib import redirect_stderr, redirect_stdout
from itertools import product
from pathlib import Path

import numpy as np

from benchmarks.measures import CUSTOMERS, LAST, LINES, _draw, _log
from benchmarks.support import Row, forget_peak, interleave, peak
from sortija.cli.main import main as command_line
from sortija.core.calendar import last_day_before
from sortija.core.crossings.chance import Chance, chance_of
from sortija.core.crossings.redrawn import Inputs
from sortija.core.crossings.yardsticks import ByCentres, ByLadder, MovingYardstick
from sortija.core.engine import Engine
from sortija.core.groups.grouping import group
from sortija.core.groups.recipe import Recipe, prepare
from sortija.core.measures.derive import Names, derive
from sortija.core.measures.preparation import Steps
from sortija.core.measures.window import Window
from sortija.core.scores.ladder import Ladder, share_tiers
from sortija.core.scores.recipe import Asked, fit_score, score
from sortija.demo.files import write_demo
from tests.core.crossings.worlds import AFTER, BEFORE, MASK, SHAPING, World, grouping, world

QUARTER = Window(last_day_before(AFTER.last_day, 3))
MEMBERS = 3_000
#: Worlds of a kind: the cells of one lie outside together.
WORLDS = 3
#: Quarters of the demo's truth in the earlier and in the later year.
BEGINS, ENDS = (3, 4, 5, 6), (7, 8, 9, 10)
#: Where the share of cells inside a 95% interval has to lie.
INSIDE = (0.93, 0.97)


def _ladder(of: World) -> ByLadder:
    table = of.derived(AFTER).table
    frozen = fit_score(table, (Asked("recency", False), Asked("frequency"), Asked("monetary")))
    tiers = share_tiers(score(table, frozen).totals, ["a", "b", "c", "d"])
    return ByLadder(Ladder(frozen, "shares", tiers))


def _told(of: World, before: Window, by: MovingYardstick, draws: int, engine: Engine) -> Chance:
    inputs = Inputs(of.log, before, AFTER, MASK, 2, frozenset(SHAPING))
    return chance_of(inputs, by, draws, engine=engine)


def _unchanging(engine: Engine) -> list[Row]:
    inside: list[np.ndarray] = []
    told = worlds = 0
    kinds = product((4, 12, 40), (0.0, 0.6), (1.0, 3.0), (BEFORE, QUARTER), range(WORLDS))
    for seed, (visits, season, shape, before, _) in enumerate(kinds):
        of = world(MEMBERS // 2, visits, seed, season, shape)
        yardsticks: list[MovingYardstick] = [
            ByCentres(*grouping(of, 4)), ByCentres(*grouping(of, 6)), _ladder(of)
        ]  # fmt: skip
        for by in yardsticks:
            found = _told(of, before, by, 60, engine)
            there = found.has_figure & (found.moves.mean >= 5)
            within = (found.observed >= found.moves.low) & (found.observed <= found.moves.high)
            inside.append(within[there])
            told += int((np.nan_to_num(found.changed) >= 0.5).sum())
            worlds += 1
    cells = np.concatenate(inside)
    share = float(cells.mean())
    good = INSIDE[0] <= share <= INSIDE[1]
    customers = worlds * MEMBERS // 2
    return [
        Row(f"cells inside chance where nobody changes, {worlds} worlds", f"{share:.1%}",
            f"{len(cells):,} cells", share, "0.93 to 0.97", good),
        Row("customers told to have changed there, of 100,000",
            f"{1e5 * told / customers:.0f}", f"{customers:,} looked at",
            1e5 * told / customers, "at most 50", told / customers <= 5e-4),
    ]  # fmt: skip


def _changing(engine: Engine) -> list[Row]:
    rows = []
    for visits, level in product((20, 40), (0.5, 0.8)):
        said = real = many = 0.0
        for seed in range(3):
            of = world(MEMBERS, visits, seed, changing=0.1)
            found = _told(of, BEFORE, ByCentres(*grouping(of, 4)), 100, engine)
            chance = np.nan_to_num(found.changed)
            who = chance >= level
            said, real = said + float(chance[who].sum()), real + float(of.changed[who].sum())
            many += float(who.sum())
        apart = abs(said - real) / max(many, 1)
        rows.append(Row(
            f"told at {level} with {visits} visits a year, 10% changed", f"{said / many:.0%} said",
            f"{real / many:.0%} real, of {many:.0f}", apart, "at most 0.1", apart <= 0.1,
        ))  # fmt: skip
    return rows


def _speed(engine: Engine) -> list[Row]:
    log = _log(_draw())
    names = Names(tuple(f"Department {n}" for n in range(10)), ("till", "web"))
    after, before = Window(LAST), Window(last_day_before(LAST, 12))
    derived = derive(log, after, 0, 2, names, engine=engine)
    recipe = Recipe({name: Steps(transform="log") for name in SHAPING}, method="k-means", starts=2)
    rows = prepare(derived.table, recipe, derived.present)
    by = ByCentres(rows.preparation, group(rows, 6, recipe, engine).centres)
    inputs = Inputs(log, before, after, 0, 2, frozenset(SHAPING), names)
    forget_peak()
    draws, one = interleave(
        lambda: chance_of(inputs, by, 60, engine=engine),
        lambda: derive(log, after, 0, 2, names, engine=engine),
        times=2,
    )
    size = peak()
    return [
        Row(f"60 draws, {LINES // 10**6}M lines, {CUSTOMERS // 1000}k customers", f"{draws:.1f} s",
            f"one window {1e3 * one:.0f} ms", draws / one, "at most 60", draws <= 60 * one),
        Row("its memory", f"{size:.0f} MiB", "3,072 MiB", size / 3072, "at most 1", size <= 3072),
    ]  # fmt: skip


def _demo() -> list[Row]:
    """Who has changed on the demo, by what it knows of its members: another kind of visitor in one
    of the quarters of the later year than in the same quarter of the earlier one."""
    with tempfile.TemporaryDirectory() as name, redirect_stderr(io.StringIO()):
        folder = Path(name)
        demo = write_demo(folder, 6_000)
        measures, recipe, told = (str(folder / f) for f in ("m.csv", "r.json", "c.csv"))
        columns = ",".join(SHAPING)
        for words in (
            ["derive", demo.log, "--as-of", "2026-06-30", "--window", "12m", "--out", measures],
            ["group", measures, "--numeric", columns, "--log", columns, "--k", "5", "--recipe",
             recipe, "--out", folder / "g.csv"],
            ["cross", demo.log, "--recipe", recipe, "--before", "2025-06-30", "--after",
             "2026-06-30", "--chance", "100", "--customers", told, "--json"],
        ):  # fmt: skip
            with redirect_stdout(io.StringIO()):
                command_line([str(word) for word in words])
        truth = {row["card"]: row for row in _rows(demo.truth)}
        rows = [row for row in _rows(Path(told)) if row["changed"] and row["customer"] in truth]
    quarters = [
        [[truth[row["customer"]][f"quarter_{q}"] for q in year] for year in (BEGINS, ENDS)]
        for row in rows
    ]
    real = np.array([one != other for one, other in quarters])
    chance = np.array([float(row["changed"]) for row in rows])
    who = chance >= 0.5
    precision, said = float(real[who].mean()), float(chance[who].mean())
    return [
        Row("demo: of those told at 0.5, who have changed", f"{precision:.0%}",
            f"{said:.0%} said, of {who.sum()}", precision - said, "at least −0.1",
            precision >= said - 0.1),
        Row("demo: of those who have changed, who are told at 0.5",
            f"{real[who].sum() / real.sum():.0%}", f"{real.sum()} of {len(rows):,} have",
            float(real[who].sum() / real.sum()), "published", True),
    ]  # fmt: skip


def _rows(path: Path) -> list[dict[str, str]]:
    with path.open() as file:
        return list(csv.DictReader(file))


def run() -> list[Row]:
    """Truth in made-up worlds, then time and memory."""
    engine = Engine()
    try:
        return [*_speed(engine), *_unchanging(engine), *_changing(engine), *_demo()]
    finally:
        engine.release()
