"""What a lens can say of a measure beside its values: missing and why, and where outliers lie."""

from __future__ import annotations

import numpy as np

from sortija.core.table import REASONS, Column
from sortija.server.lens.fields import (
    Field,
    FieldName,
    field_kind,
    lists_fields,
)
from sortija.server.measures.actions import plan_of
from sortija.server.measures.column_summaries import (
    proposed_for,
    summary_of,
)
from sortija.server.measures.measure_set import (
    MeasureSet,
    measures_or_job,
)
from sortija.server.measures.plan import prepared_steps
from sortija.server.studies.models import Study
from sortija.server.studies.windows import WindowInView

__all__ = ["CAPPED", "FENCED", "MISSING", "field_of"]

MISSING = ("has a value", *(REASONS[code] for code in sorted(REASONS) if code))
FENCED = ("below the lower fence", "between the fences", "above the upper fence")
CAPPED = ("raised to the cap", "left as it is", "lowered to the cap")


def _made(study: Study, window: WindowInView, name: str) -> MeasureSet | None:
    made = measures_or_job(study, window)
    return made if isinstance(made, MeasureSet) and name in made.sources else None


@field_kind("missing")
def _missing(study: Study, window: WindowInView, name: str) -> Field | None:
    """``missing:NAME``: whether the customer has a value, and if not, why."""
    made = _made(study, window, name)
    if made is None:
        return None
    column = made.column(name)
    reasons = np.where(column.missing, 3, 0)
    if column.reasons is not None:
        reasons = np.where(column.missing, np.asarray(column.reasons), 0)
    # Whoever made no purchase lacks every value for that reason, a trait's or a formula's too.
    reasons = np.where(column.missing & ~made.present, 1, reasons)
    codes = Column(f"missing:{name}", "category", (reasons + 1).astype(np.int32), "", MISSING)
    about = made.about(name)
    return Field(codes.name, f"{about.label}, value", "", codes,
                 f"{made.source(name).stamp}:{made.stamp}:missing")  # fmt: skip


@field_kind("outlier")
def _outlier(study: Study, window: WindowInView, name: str) -> Field | None:
    """``outlier:NAME``: where the customer stands by the fences of the adjusted box plot."""
    made = _made(study, window, name)
    if made is None or made.source(name).kind != "number":
        return None
    found = summary_of(made, name, proposed_for(made, name))["fences"]
    return _by_ends(made, f"outlier:{name}", name, found["low"], found["high"], FENCED, "fences")


@field_kind("capped")
def _capped(study: Study, window: WindowInView, name: str) -> Field | None:
    """``capped:NAME``: whom the chosen preparation caps."""
    made = _made(study, window, name)
    if made is None or made.source(name).kind != "number":
        return None
    steps = prepared_steps(made, plan_of(study)[0], name)
    look = summary_of(made, name, steps)
    return _by_ends(made, f"capped:{name}", name, look["low"], look["high"], CAPPED, "cap")


def _by_ends(
    made: MeasureSet, key: str, name: str, low: float | None, high: float | None,
    levels: tuple[str, ...], words: str,
) -> Field:  # fmt: skip
    values = np.asarray(made.column(name).values, np.float64)
    codes = np.full(len(values), 2, np.int32)
    with np.errstate(invalid="ignore"):
        codes[values < (np.nan if low is None else low)] = 1
        codes[values > (np.nan if high is None else high)] = 3
    codes[np.isnan(values) | ~made.present] = 0
    column = Column(key, "category", codes, "", levels)
    label = f"{made.about(name).label}, {words}"
    return Field(key, label, "", column, f"{made.source(name).stamp}:{made.stamp}:{low}:{high}")


def field_of(made: MeasureSet, name: str) -> str:
    """What a clause calls a column."""
    return name if made.source(name).kind == "category" else f"measure:{name}"


#: Measures that do not come from the log, beside the study's own.
_USED = ("offers_used",)


@field_kind("measure")
def _measure_field(study: Study, window: WindowInView, name: str) -> Field | None:
    made = measures_or_job(study, window)
    if not isinstance(made, MeasureSet) or name not in made.sources:
        return None
    about, source = made.about(name), made.source(name)
    return Field(
        f"measure:{name}", about.label, about.unit, source.load(), source.stamp,
        definition=about.definition,
    )  # fmt: skip


@lists_fields
def _measure_names(study: Study, window: WindowInView) -> list[FieldName]:
    made = measures_or_job(study, window)
    if not isinstance(made, MeasureSet):
        return []
    own = [made.about(name) for name in (*made.names, *_USED) if name in made.sources]
    return [FieldName(f"measure:{m.name}", m.label, "number", m.unit, "Measures") for m in own]
