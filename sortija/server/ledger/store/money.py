"""Decimals of money: each file's own, and the study's, which are the most of the files that count.

Stored amounts never change. They are widened by a power of ten where they are read, which is
exact, and everything made from them is made anew, for the study's decimals are among what it was
made from.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import pyarrow as pa
from django.db.models import Max
from numpy.typing import NDArray

from sortija.core.ledger.lines import NO_COST, money_scale
from sortija.core.ledger.mapping import LogMapping
from sortija.server.ledger.models import Intake
from sortija.server.studies.models import Study

__all__ = ["follow_files", "scale_of", "widened"]


def scale_of(rows: pa.RecordBatch, mapping: Any) -> int:
    """Decimals of the money of a file's first rows; 0 for what is no log."""
    return money_scale(rows, mapping) if isinstance(mapping, LogMapping) else 0


def follow_files(study: int) -> None:
    """Give a study the most decimals of the logs that count; without any it keeps what it has."""
    counted = Intake.objects.filter(study=study, role=Intake.LOG, state=Intake.COUNTED)
    most = counted.aggregate(most=Max("scale"))["most"]
    if most is not None:
        Study.objects.filter(pk=study).exclude(scale=most).update(scale=most)


def widened(piece: dict[str, NDArray[Any]], by: int) -> dict[str, NDArray[Any]]:
    """Lines with ``by`` more decimals of money."""
    if by == 0:
        return piece
    out, factor = dict(piece), np.int64(10**by)
    if "money" in piece:
        out["money"] = piece["money"] * factor
    if "cost" in piece:
        out["cost"] = np.where(piece["cost"] == NO_COST, NO_COST, piece["cost"] * factor)
    return out
