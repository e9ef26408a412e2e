"""Which engine a job's heavy steps run on: this machine's threads, or a firm's cluster."""

from __future__ import annotations

from django.conf import settings

from sortija.core.engine import Engine, engine_at
from sortija.core.progress import Progress, silent

__all__ = ["engine_for"]


def engine_for(progress: Progress) -> Engine:
    """The engine for work that tells ``progress`` how far it is.

    A job waits for a cluster that does not answer, says so, and goes on when it does. What nobody
    hears of is done while somebody waits, and runs here.
    """
    return Engine() if progress is silent else engine_at(settings.SORTIJA_DASK, progress)
