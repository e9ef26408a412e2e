"""Which engine long work runs on."""

from __future__ import annotations

from sortija.core.engine.errors import ClusterError
from sortija.core.engine.threads import Engine
from sortija.core.progress import Progress, silent

__all__ = ["engine_at"]


def engine_at(
    address: str = "", progress: Progress = silent, patience: float | None = None
) -> Engine:
    """This process's threads, or the cluster at an address; see :class:`cluster.Cluster`.

    Raises
    ------
    ClusterError
        A cluster is asked for and what speaks to it is not installed.

    >>> engine_at().threads > 0
    True
    """
    if not address:
        return Engine()
    try:
        from sortija.core.engine.cluster import Cluster  # an extra that few have
    except ImportError as problem:
        raise ClusterError(
            f"A cluster needs packages that are not there ({problem}). "
            'Install them by: pip install "sortija[dask]"'
        ) from problem
    return Cluster(address, progress, patience)
