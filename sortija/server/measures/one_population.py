"""Measures of simulated customers of one kind, derived as a study's own are."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from sortija.core.measures.one_population import Population, fit_population, simulated_table
from sortija.core.sampling import SEED
from sortija.core.table import Table
from sortija.server.ledger.store.ledger import Ledger, ledger_of
from sortija.server.measures.derivation import inputs_of_window
from sortija.server.measures.measure_set import MeasureSet
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.process_cache import remembered
from sortija.server.studies.windows import WindowInView

__all__ = ["population_of"]


def population_of(made: MeasureSet) -> Callable[[int, int], Table | None] | None:
    """(number, customers) → the measures of so many simulated customers; None where the rows are
    no customers of a log, or too few came to fit a population.

    Formulas and what a model expects are not among them.
    """
    ledger = ledger_of(made.study)
    if made.of or not made.rows or ledger is None or not ledger.built:
        return None
    fitted = _fitted(Keyed(made.stamp, (ledger, made.window)))
    if fitted is None:
        return None
    names, _ = inputs_of_window(ledger)
    window, mask, scale = made.window.window, ledger.mask, ledger.study.scale

    return partial(simulated_table, fitted, window, mask, scale, names)


@remembered
def _fitted(keyed: Keyed[tuple[Ledger, WindowInView]]) -> Population | None:
    ledger, window = keyed.value
    return fit_population(ledger.lines().log, window.window, ledger.mask, SEED)
