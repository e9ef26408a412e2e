"""Which part of large arrays the work on one item touches.

Threads share arrays, and what they touch is nobody's business. A worker of a cluster has nothing
in common with who sent it the work: it is sent the parts that the work reads, and what it writes
is sent back. Whoever hands work to an engine says so beside it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from numpy.typing import NDArray

__all__ = ["WHOLE", "Part", "Parts"]

#: All places along one dimension, in an index.
WHOLE = slice(None)
#: An array, and the index of what is touched of it.
Part = tuple[NDArray[Any], Any]


@dataclass(frozen=True)
class Parts:
    """``reads``: what is only read; ``writes``: what is filled in anew, whatever was there;
    ``changes``: what is read and written to.

    The arrays are the very objects that the function speaks of, contiguous by rows. What a
    function reads and does not name here, it is sent whole; what it writes, it has to name, and
    no two items may write to the same place.
    """

    reads: Sequence[Part] = ()
    writes: Sequence[Part] = ()
    changes: Sequence[Part] = ()
