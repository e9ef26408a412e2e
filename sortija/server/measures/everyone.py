"""Everyone known at a window's end, with their money in it: what a lens picks from."""

from __future__ import annotations

from sortija.server.lens.fields import (
    Base,
    provides_base,
)
from sortija.server.measures.measure_set import MeasureSet, measures_or_job
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.models import Study
from sortija.server.studies.process_cache import remembered
from sortija.server.studies.windows import WindowInView

__all__ = ["base", "base_from"]


@provides_base
def base(study: Study, window: WindowInView) -> Base | None:
    """Everyone known at the window's end, with their money in it."""
    made = measures_or_job(study, window)
    return base_from(made) if isinstance(made, MeasureSet) else None


@remembered
def _base(keyed: Keyed[MeasureSet]) -> Base:
    made = keyed.value
    return Base(made.known, made.money, made.stamp)


def base_from(made: MeasureSet) -> Base:
    """Everyone of one making, current or not."""
    return _base(Keyed((made.study.pk, made.stamp), made))
