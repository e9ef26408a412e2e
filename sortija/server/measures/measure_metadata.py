"""What is kept of a measure beside its values."""

from __future__ import annotations

from typing import Any

from sortija.core.measures.catalogue import Measure
from sortija.server.studies import models

__all__ = ["measure_of", "metadata_of"]


def metadata_of(about: Measure) -> dict[str, Any]:
    """A measure as the details of its column."""
    return {
        "label": about.label, "definition": about.definition, "role": about.role,
        "higher_is_better": about.higher_is_better, "family": about.family,
        "whole": about.whole, "by_definition": about.by_definition,
        "because": about.because,
    }  # fmt: skip


def measure_of(row: models.Column) -> Measure:
    """The measure behind a kept column."""
    told = row.details
    return Measure(
        row.name, told["label"], row.unit, told["definition"], told["role"],
        told["higher_is_better"], told.get("family", "visits"), told.get("whole", False),
        told.get("by_definition", False), told.get("because", ""),
    )  # fmt: skip
