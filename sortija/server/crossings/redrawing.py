"""What two windows are drawn again from: the log's lines, traits and formulas of a study."""

from __future__ import annotations

from sortija.core.crossings.completing import Completing, Own
from sortija.core.crossings.redrawn import Inputs
from sortija.core.table import Column
from sortija.server.ledger.store.ledger import Ledger
from sortija.server.measures.derivation import inputs_of_window
from sortija.server.measures.formulas import formulas_behind
from sortija.server.measures.measure_set import MeasureSet
from sortija.server.studies.problems import Problem

__all__ = ["inputs_for", "modelled"]

#: What a model makes of the whole log, not of a window's lines.
_MODELLED = frozenset({"expected", "active"})


def modelled(made: MeasureSet, names: tuple[str, ...]) -> str:
    """The label of a measure among these that a model makes, which no draw can make again; empty
    where there is none."""
    found = next((name for name in names if name in _MODELLED), None)
    return made.about(found).label if found else ""


def inputs_for(
    ledger: Ledger, before: MeasureSet, after: MeasureSet, names: tuple[str, ...]
) -> Inputs:
    """The inputs that give the columns ``names`` in both windows.

    Raises
    ------
    Problem
        A column is gone.
    """
    own = formulas_behind(before, names)
    needs = {*names, *(name for each in own for name in each.needs.values())}
    derived = frozenset(name for name in needs if name in before.derived)
    fixed = [
        _fixed(made, needs - derived - {each.name for each in own}) for made in (before, after)
    ]
    formulas = [Own(each.name, each.formula, each.needs) for each in own]
    of_window, joined = inputs_of_window(ledger)
    return Inputs(
        ledger.lines().log, before.window.window, after.window.window, ledger.mask,
        ledger.study.scale, derived, of_window, joined, Completing(names, fixed, formulas),
    )  # fmt: skip


def _fixed(made: MeasureSet, names: set[str]) -> dict[str, Column]:
    """Columns that chance does not move: what tables of customers say."""
    gone = next((name for name in names if name not in made.sources), None)
    if gone is not None:
        raise Problem(f"{gone.removeprefix('trait:')} is no longer in this study.")
    return {name: made.column(name) for name in names}
