"""Own measures: a small language of arithmetic over measures, with units."""

from sortija.core.measures.formula.evaluate import evaluate
from sortija.core.measures.formula.language import (
    FUNCTIONS,
    MOST_CHARACTERS,
    MOST_DEPTH,
    Formula,
    FormulaError,
    Function,
    parse,
)
from sortija.core.measures.formula.units import Unit, unit_of, unit_words

__all__ = [
    "FUNCTIONS",
    "MOST_CHARACTERS",
    "MOST_DEPTH",
    "Formula",
    "FormulaError",
    "Function",
    "Unit",
    "evaluate",
    "parse",
    "unit_of",
    "unit_words",
]
