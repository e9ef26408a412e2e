"""What a worker of a cluster does: a few items of one map, each with its parts of the arrays."""

from __future__ import annotations

import platform
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from typing import Any

import numba
import numpy as np
import scipy

from sortija.core.engine.errors import ClusterError
from sortija.core.engine.parcels import Array, Slot, empty_slot, unpack
from sortija.state import state_of

__all__ = ["Batch", "Done", "Piece", "Task", "run", "versions"]


@dataclass(frozen=True)
class Piece:
    """A part of the array that a slot stands for.

    ``content``: what is there, or the place of it among the arrays sent with the batch; None
    where it does not matter; ``back``: it is sent back.
    """

    slot: int
    index: Any
    content: Array | int | None
    back: bool


@dataclass(frozen=True)
class Task:
    """One item: its place in the map, itself as bytes, where its large arrays stand among those of
    the batch, and its pieces."""

    place: int
    item: bytes
    arrays: tuple[int, ...]
    pieces: tuple[Piece, ...]


@dataclass(frozen=True)
class Batch:
    """``function``: as bytes, with the places of its arrays; ``made_by``: see :func:`versions`."""

    made_by: tuple[str, ...]
    function: bytes
    arrays: tuple[int, ...]
    slots: tuple[Slot, ...]
    tasks: tuple[Task, ...]


@dataclass(frozen=True)
class Done:
    """``result``: what the function gave for an item; ``written``: the pieces sent back."""

    place: int
    result: Any
    written: tuple[Array, ...]


@cache
def versions() -> tuple[str, ...]:
    """What has to be the same everywhere for results to be the same to the bit."""
    return (
        f"Sortija {state_of()}", f"Python {platform.python_version()}", f"NumPy {np.__version__}",
        f"SciPy {scipy.__version__}", f"Numba {numba.__version__}",
    )  # fmt: skip


def run(batch: Batch, arrays: Sequence[Array]) -> list[Done]:
    """Do the tasks of a batch.

    Raises
    ------
    ClusterError
        This worker has other versions than whoever sent the work.
    """
    own = versions()
    if own != batch.made_by:
        other = ", ".join(
            f"{here} (here {there})"
            for here, there in zip(own, batch.made_by, strict=True) if here != there
        )  # fmt: skip
        raise ClusterError(
            f"A worker on {platform.node()} runs {other}. Figures are the same to the last digit "
            "only where versions are: install the same ones on every worker."
        )
    return [_one(batch, task, arrays) for task in batch.tasks]


def _one(batch: Batch, task: Task, arrays: Sequence[Array]) -> Done:
    slots = [empty_slot(slot) for slot in batch.slots]
    for piece in task.pieces:
        content = arrays[piece.content] if isinstance(piece.content, int) else piece.content
        if content is not None:
            slots[piece.slot][piece.index] = content
    for array, slot in zip(slots, batch.slots, strict=True):
        array.flags.writeable = slot.writable
    function = unpack(batch.function, [arrays[at] for at in batch.arrays], slots)
    # An item is the function's own, to change as it likes; arrays that stay here are not.
    item = unpack(task.item, [arrays[at].copy() for at in task.arrays])
    result = function(item)
    return Done(
        task.place, result,
        tuple(np.array(slots[p.slot][p.index]) for p in task.pieces if p.back),
    )  # fmt: skip
