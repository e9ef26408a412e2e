"""Which engine a command runs on: this machine's threads, or the cluster of ``SORTIJA_DASK``."""

from __future__ import annotations

import os

from sortija.core.engine import Engine, engine_at
from sortija.core.progress import Progress, silent

__all__ = ["engine_for"]

#: Seconds that a command waits for a cluster.
_PATIENCE = 30.0


def engine_for(progress: Progress = silent) -> Engine:
    """The engine for work that tells ``progress`` how far it is."""
    return engine_at(os.environ.get("SORTIJA_DASK", ""), progress, _PATIENCE)
