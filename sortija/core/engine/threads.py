"""Run a function over fixed chunks on threads and merge the results in chunk order.

Chunks are always 65,536 rows, whatever the number of threads, and results are merged first to
last, so a sum is the same to the bit on one thread and on eight. Threads help because the
kernels release the interpreter's lock.
"""

from __future__ import annotations

import itertools
import os
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from typing import Any, TypeVar

from sortija.core.engine.parts import Parts
from sortija.core.progress import Progress

__all__ = ["CHUNK", "Engine", "chunk_bounds"]

CHUNK = 65_536
Result = TypeVar("Result")


def chunk_bounds(rows: int) -> list[tuple[int, int]]:
    """(start, stop) of every chunk of ``rows`` rows.

    >>> chunk_bounds(100_000)
    [(0, 65536), (65536, 100000)]
    """
    return [(start, min(start + CHUNK, rows)) for start in range(0, rows, CHUNK)]


class Engine:
    """Threads of this process.

    Parameters
    ----------
    threads : int, optional
        How many; default: one per core.
    """

    def __init__(self, threads: int | None = None) -> None:
        self.threads = threads or os.cpu_count() or 1
        self._pool = ThreadPoolExecutor(self.threads) if self.threads > 1 else None

    def __reduce__(self) -> Any:
        """Work that takes its engine along to another process has one thread there."""
        return Engine, (1,)

    def map(
        self,
        function: Callable[[Any], Result],
        items: Sequence[Any],
        parts: Callable[[Any], Parts] | None = None,
        told: Callable[[int], None] | None = None,
    ) -> list[Result]:
        """``function(item)`` for every item; results in the items' order.

        Parameters
        ----------
        parts : function, optional
            item → what the function touches of large arrays. A function that writes anywhere but
            into its result and its item has to say so here.
        told : function, optional
            Called with the number of each item as it is begun, or of how many are done; what it
            raises ends the work.
        """
        if told is not None:
            function, items = _telling(function, told), list(enumerate(items))
        if self._pool is None or len(items) < 2:
            return [function(item) for item in items]
        return self._by_all(self._pool, function, items)

    def _by_all(
        self, pool: ThreadPoolExecutor, function: Callable[[Any], Result], items: Sequence[Any]
    ) -> list[Result]:
        """Whoever asks works too; each thread takes the next item that nobody has."""
        results: list[Any] = [None] * len(items)
        failed: dict[int, BaseException] = {}
        following = itertools.count()  # whose next number is one thread's alone

        def work() -> None:
            while not failed and (place := next(following)) < len(items):
                try:
                    results[place] = function(items[place])
                except BaseException as problem:
                    failed[place] = problem

        others = [pool.submit(work) for _ in range(min(self.threads, len(items)) - 1)]
        work()
        for other in others:
            if not other.cancel():  # one that has not begun has nothing left to do
                other.result()
        if failed:
            raise failed[min(failed)]
        return results

    @property
    def here(self) -> Engine:
        """Threads of this process, for what is not worth sending anywhere."""
        return self

    def heard(self, progress: Progress) -> Progress:
        """``progress`` for functions that are handed to :meth:`map` and call it themselves."""
        return progress

    def release(self) -> None:
        """End the threads."""
        if self._pool is not None:
            self._pool.shutdown(wait=True)
            self._pool = None


def _telling(
    function: Callable[[Any], Result], told: Callable[[int], None]
) -> Callable[[tuple[int, Any]], Result]:
    def one(numbered: tuple[int, Any]) -> Result:
        told(numbered[0])
        return function(numbered[1])

    return one
