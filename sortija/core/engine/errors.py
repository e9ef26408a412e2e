"""What can go wrong with a cluster."""

from __future__ import annotations

__all__ = ["ClusterError"]


class ClusterError(Exception):
    """A cluster cannot do the work; the message says what, where and what to do."""
