"""A measure's preparation in sentences, with the constants that it was fitted to."""

from __future__ import annotations

import math

from sortija.core.measures.preparation import Fitted, Steps

__all__ = ["fitted_in_words", "steps_in_words"]

_FILLS = {
    "leave out": "missing values leave a row out",
    "median": "missing values take the median",
    "mode": "missing values take the commonest value",
    "neighbours": "missing values come from the nearest rows",
}
_BENT = {"log": "logarithm of 1 + value", "root": "square root"}
_SCALES = {
    "z": "mean 0, SD 1", "range": "0 to 1", "robust": "median 0, middle half 1",
    "rank": "ranks as a bell", "none": "unscaled",
}  # fmt: skip


def steps_in_words(steps: Steps) -> str:
    """What a person chose, in the order in which it is done.

    >>> steps_in_words(Steps(transform="log", cap=0.01))
    'missing values leave a row out; capped at 1% of each end; logarithm of 1 + value; mean 0, SD 1'
    """
    parts = [_FILLS[steps.fill]]
    if steps.fences:
        parts.append("capped at the fences of the adjusted box plot")
    elif steps.cap > 0:
        parts.append(f"capped at {100 * steps.cap:g}% of each end")
    if steps.transform != "none":
        parts.append(_BENT[steps.transform])
    return "; ".join([*parts, _SCALES[steps.scale]])


def fitted_in_words(fitted: Fitted) -> str:
    """The same with the constants, so that anybody can prepare a value by hand.

    >>> import numpy as np
    >>> from sortija.core.measures.preparation import fit
    >>> from sortija.core.table import Column
    >>> fitted_in_words(fit(Column("spend", "number", np.array([1.0, 3.0])), Steps()))
    'missing values leave a row out; limited to 1 to 3; less 2, divided by 1'
    """
    steps = fitted.steps
    parts = [_FILLS[steps.fill]]
    if not math.isnan(fitted.fill):
        parts[0] += f", {fitted.fill:.6g}"
    if fitted.constant:
        return f"{parts[0]}; the same for everyone, so it is left out"
    why = ""
    if steps.fences:
        why = ", the fences of the adjusted box plot"
    elif steps.cap > 0:
        why = f", {100 * steps.cap:g}% of each end"
    parts.append(f"limited to {fitted.low:.6g} to {fitted.high:.6g}{why}")
    if steps.transform != "none":
        parts.append(_BENT[steps.transform])
    if steps.scale == "rank":
        parts.append(f"rank among {fitted.count:,} values, as a bell")
    elif steps.scale != "none":
        parts.append(f"less {fitted.centre:.6g}, divided by {fitted.spread:.6g}")
        if fitted.instead:
            parts.append("the SD in the place of quartiles that are alike")
    return "; ".join(parts)
