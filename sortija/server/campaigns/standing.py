"""The standing control: a few customers who are never written to, drawn once a study.

What all campaigns together come to shows against them. Who joins later is drawn by the same share,
when a file has been counted.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from sortija.core.campaigns.holdout import draw_holdout
from sortija.core.ledger.first_purchases import first_purchases
from sortija.core.scores.bands import band
from sortija.core.table import Column as TableColumn
from sortija.server.campaigns.models import StandingControl
from sortija.server.campaigns.today import today_of
from sortija.server.groups.actions import yardstick_of
from sortija.server.groups.yardsticks.assignments import assignment_at
from sortija.server.ledger.intake.counted import when_counted
from sortija.server.ledger.store.ledger import ledger_of
from sortija.server.measures.measure_set import MeasureSet, measures_or_job
from sortija.server.studies.actions import changing, record, reverses
from sortija.server.studies.columns import blank, drop_column, read_column, write_column
from sortija.server.studies.erasure_hooks import forgets_people
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.models import HistoryEntry, Population, Study
from sortija.server.studies.problems import Conflict, Problem
from sortija.server.studies.tokens import new_token
from sortija.server.studies.trail import default_window
from sortija.server.studies.windows import WindowInView

__all__ = ["LEAST", "MOST", "StandingBody", "draw_standing", "end_standing", "in_control",
           "standing_body"]  # fmt: skip

LEAST, MOST = 0.02, 0.05
_BANDS = 5
_LEVELS = ("may be written to", "never written to")


class StandingBody(BaseModel):
    """``share`` of customers who are never written to, ``customers`` of ``of``."""

    share: float
    customers: int
    of: int
    since: str
    revision: int


def standing_of(study: Study) -> StandingControl | None:
    """The control in force; None without one."""
    rows = StandingControl.objects.filter(study=study, ended=False)
    return rows.select_related("column").first()


def standing_body(study: Study) -> StandingBody | None:
    """The control for the wire."""
    row = standing_of(study)
    if row is None:
        return None
    codes = np.asarray(read_column(row.column).values)
    return StandingBody(
        share=row.share, customers=int((codes == 2).sum()), of=int((codes > 0).sum()),
        since=(row.since or row.made_at.date()).isoformat(), revision=row.revision,
    )  # fmt: skip


def in_control(study: Study, size: int) -> NDArray[np.bool_]:
    """(n,) who is never written to."""
    row = standing_of(study)
    out = np.zeros(size, np.bool_)
    if row is not None:
        codes = np.asarray(read_column(row.column).values)[:size]
        out[: len(codes)] = codes == 2
    return out


def draw_standing(study: Study, person: Any, share: float) -> StandingControl:
    """Draw it among all who have bought, within segments and bands of spend.

    Raises
    ------
    Problem
        There is one already, the share is none, or measures are still being derived.
    """
    if not LEAST <= share <= MOST:
        raise Problem("A standing control holds 2 to 5 in 100 customers.")
    with changing(study):
        if standing_of(study) is not None:
            raise Conflict("There is a standing control already.")
        made = _measures(study)
        codes = _drawn(study, made, np.zeros(made.size, np.int32), share, seed=study.pk)
        row = StandingControl(study=study, share=share, person=person, since=today_of(study))
        _keep(row, codes)
        record(
            study, person, "standing control",
            f"Drew a standing control of {int((codes == 2).sum()):,}", f"standing:{row.pk}",
            True, False,
        )  # fmt: skip
    return row


def end_standing(study: Study, person: Any, expected: int) -> None:
    """Let them go: they may be written to again; undo takes that back."""
    with changing(study):
        row = standing_of(study)
        if row is None:
            raise Problem("There is no standing control.", 404)
        if row.revision != expected:
            raise Conflict("The standing control was changed since you loaded this page.")
        _set_ended(row, True)
        record(study, person, "end control", "Ended the standing control", f"standing:{row.pk}",
               False, True)  # fmt: skip


@reverses("standing control")
@reverses("end control")
def _reverse(entry: HistoryEntry, forward: bool) -> None:
    row = StandingControl.objects.get(pk=int(entry.target.removeprefix("standing:")))
    wanted = bool(entry.after if forward else entry.before)
    if not wanted and StandingControl.objects.filter(study=row.study, ended=False).exists():
        raise Conflict("There is another standing control by now.")
    _set_ended(row, wanted)


def _set_ended(row: StandingControl, ended: bool) -> None:
    row.ended, row.revision = ended, row.revision + 1
    row.save(update_fields=["ended", "revision"])


@when_counted
def _draw_newcomers(study: Study) -> None:
    row = standing_of(study)
    if row is None:
        return
    with changing(study):
        row = StandingControl.objects.select_related("column").get(pk=row.pk)
        size = Population.objects.get(study=study, name="customers").size
        before = np.asarray(read_column(row.column).values, np.int32)
        codes = np.zeros(max(size, len(before)), np.int32)
        codes[: len(before)] = before
        known = _known(study, len(codes))
        codes = _drawn_among(known & (codes == 0), codes, row.share, row.pk + len(codes))
        if not np.array_equal(codes[: len(before)], before) or codes[len(before) :].any():
            old = row.column
            _keep(row, codes)
            drop_column(old)


def _known(study: Study, size: int) -> NDArray[np.bool_]:
    """(n,) who has bought; who has been erased has not."""
    ledger = ledger_of(study)
    known = np.zeros(size, np.bool_)
    if ledger is not None and ledger.built:
        first = first_purchases(ledger.lines().log.arrays(), ledger.mask)[:size]
        known[: len(first)] = first >= 0
    return known


def _measures(study: Study) -> MeasureSet:
    window = default_window(study)
    made = measures_or_job(study, window) if window else None
    if not isinstance(made, MeasureSet):
        raise Problem("Measures are still being derived. Try again soon.", 503)
    return made


def _drawn(
    study: Study, made: MeasureSet, codes: NDArray[np.int32], share: float, seed: int
) -> NDArray[np.int32]:  # fmt: skip
    known = np.flatnonzero(_known(study, made.size))
    spend = np.asarray(made.column("monetary").values, np.float64)
    value = band(spend, _BANDS, True).bands.astype(np.int64)
    found = draw_holdout(_states(study, made.window, made.size)[known], value[known], share, seed)
    codes[known] = 1 + found.held
    return codes


def _drawn_among(
    who: NDArray[np.bool_], codes: NDArray[np.int32], share: float, seed: int
) -> NDArray[np.int32]:
    new = np.flatnonzero(who)
    none = np.zeros(len(new), np.int64)
    codes[new] = 1 + draw_holdout(none, none, share, seed).held
    return codes


def _states(study: Study, window: WindowInView, size: int) -> NDArray[np.int64]:
    yardstick = yardstick_of(study)
    placed = assignment_at(study, yardstick, window) if yardstick else None
    if placed is None:
        return np.zeros(size, np.int64)
    return np.asarray(placed.placement.state, np.int64)


def _keep(row: StandingControl, codes: NDArray[np.int32]) -> None:
    population = Population.objects.get(study=row.study, name="customers")
    stamp = fingerprint("standing", row.study.pk, new_token())
    column = TableColumn("standing control", "category", codes, "", _LEVELS)
    row.column = write_column(population, column, "", stamp)
    row.save()


@forgets_people
def _forget(study: Study, numbers: list[int]) -> None:
    """An erased person is in no control."""
    for row in StandingControl.objects.filter(study=study).select_related("column"):
        blank(row.column, numbers)
