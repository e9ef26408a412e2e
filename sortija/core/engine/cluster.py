"""Chunks on the workers of a Dask cluster, with the same results to the bit as on threads.

A map begins here: what takes a moment is done before it could be sent. What is left goes out in
batches of items. Large arrays are sent once and stay with the workers as long as they are asked
for; results come back in any order and are put in the items' order. Functions are pure, so
whatever is lost with a worker or with the scheduler is done again.
"""

from __future__ import annotations

import logging
import time
from collections import OrderedDict
from collections.abc import Callable, Sequence
from contextlib import suppress
from dataclasses import dataclass
from queue import Empty, SimpleQueue
from typing import Any, TypeVar

from distributed import CancelledError, Client, Future, KilledWorker
from distributed.comm.core import CommClosedError
from distributed.scheduler import NoValidWorkerError

from sortija.core.engine.batches import Work, content_of
from sortija.core.engine.errors import ClusterError
from sortija.core.engine.parcels import Array
from sortija.core.engine.parts import Parts
from sortija.core.engine.remote import Done, run
from sortija.core.engine.threads import Engine
from sortija.core.progress import Progress, silent

__all__ = ["Cluster"]

log = logging.getLogger(__name__)
# What goes wrong is told in our words, once.
logging.getLogger("distributed.client").setLevel(logging.CRITICAL)
Result = TypeVar("Result")
#: Seconds that a map is worked on here before the rest is sent, and that a batch should take.
HERE_FIRST, _BATCH = 0.25, 0.2
#: Batches for each thread of the cluster: few enough to be quick, many enough to even out.
_BATCHES = 3
#: Seconds between two looks at whether to stop, between two at whether workers are left, and for
#: an answer of the scheduler.
_LOOK, _WORKERS, _ANSWER = 0.25, 2.0, 2.0
#: Bytes of arrays that are left with the workers in case they are asked for again.
_KEPT = 8 << 30
#: A batch that is lost so often is given up; Dask tries each time on several workers.
_MOST_TRIES = 5
#: What a lost worker or scheduler looks like.
_LOST = (CancelledError, KilledWorker, CommClosedError, NoValidWorkerError, TimeoutError, OSError)


def _own(future: Future, problem: Exception) -> bool:
    """Whether the function itself failed so, such as by a file that is not there."""
    system = isinstance(problem, OSError) and not isinstance(problem, CommClosedError)
    return system and future.status == "error"


@dataclass(eq=False)
class _Sent:
    """A batch: the numbers of its items, how often it was tried, and where it is under way."""

    places: Sequence[int]
    tries: int = 0
    future: Future | None = None


class Cluster(Engine):
    """The workers that a Dask scheduler knows.

    Parameters
    ----------
    address : str
        Of the scheduler, such as ``tcp://10.0.0.5:8786``.
    progress : Progress
        Told what is waited for, and asked whether to go on.
    patience : float, optional
        Seconds to wait for a scheduler that does not answer, and for a first worker; without it,
        as long as nobody stops the work.
    """

    def __init__(
        self, address: str, progress: Progress = silent, patience: float | None = None
    ) -> None:
        super().__init__(1)
        self.address, self._progress, self._patience = address, progress, patience
        self._client: Client | None = None
        self._here: Engine | None = None
        self._width, self._counted = 1, 0.0
        self._known: OrderedDict[tuple[Any, ...], tuple[Future, int]] = OrderedDict()

    def map(
        self,
        function: Callable[[Any], Result],
        items: Sequence[Any],
        parts: Callable[[Any], Parts] | None = None,
        told: Callable[[int], None] | None = None,
    ) -> list[Result]:
        """See :meth:`Engine.map`.

        Raises
        ------
        ClusterError
            The scheduler does not answer in time, or workers cannot do the work.
        """
        began = time.monotonic()
        first = self._first(function, items, told)
        rest = items[len(first) :]
        if not len(rest):
            return first
        each = (time.monotonic() - began) * self.here.threads / len(first) if first else _BATCH
        work = Work(function, rest, parts)
        self._connect()
        size = self._size(len(rest), each)
        waiting = [_Sent(range(at, min(at + size, len(rest)))) for at in range(0, len(rest), size)][
            ::-1
        ]
        under_way: list[_Sent] = []
        further = None if told is None else lambda done: told(len(first) + done)
        try:
            self._through(work, waiting, under_way, further)
        finally:
            if under_way and self._client is not None:
                with suppress(*_LOST):
                    self._client.cancel([sent.future for sent in under_way], force=True)
        return first + work.results

    def _first(
        self, function: Callable[[Any], Result], items: Sequence[Any],
        told: Callable[[int], None] | None,
    ) -> list[Result]:  # fmt: skip
        """What is done here, as many items again as before while the time lasts."""
        ends, done = time.monotonic() + HERE_FIRST, list[Result]()
        while len(done) < len(items) and (time.monotonic() < ends or len(items) < 2):
            more = items[len(done) : len(done) + max(self.here.threads, len(done))]
            if told is not None:
                told(len(done))
            done += self.here.map(function, more)
        return done

    def _size(self, items: int, seconds: float) -> int:
        """How many items go together: as long as a batch should take, and something for all."""
        even = -(-items // (_BATCHES * self._width))
        worth = min(-(-items // self._width), round(_BATCH / max(seconds, 1e-9)))
        return max(1, even, worth)

    @property
    def here(self) -> Engine:
        if self._here is None:
            self._here = Engine()
        return self._here

    def heard(self, progress: Progress) -> Progress:
        """Workers tell nobody how far they are: batches that are done do."""
        return silent

    def release(self) -> None:
        """Let go of the cluster, which goes on without us."""
        self._known.clear()
        if self._client is not None:
            with suppress(*_LOST):
                self._client.close(timeout=_ANSWER)
            self._client = None
        if self._here is not None:
            self._here.release()
            self._here = None

    def _through(
        self, work: Work, waiting: list[_Sent], under_way: list[_Sent],
        told: Callable[[int], None] | None,
    ) -> None:  # fmt: skip
        """Send batches and take what comes back, until all is there."""
        arrived: SimpleQueue[Future] = SimpleQueue()
        done = 0
        while waiting or under_way:
            if self._connect():  # anew: what was under way is lost
                waiting.extend(under_way)
                under_way.clear()
            while waiting and len(under_way) < 2 * self._width + 2:
                sent = waiting.pop()
                try:
                    sent.future = self._submit(work, sent)
                except _LOST as problem:
                    self._again(sent, waiting, problem)
                    break
                under_way.append(sent)
                sent.future.add_done_callback(arrived.put)
            self._tell(told, done, len(work.items))
            for found in self._arrived(arrived, under_way):
                under_way.remove(found)
                assert found.future is not None
                try:
                    results = self._results(found.future)
                except _LOST as problem:
                    if _own(found.future, problem):
                        raise
                    self._again(found, waiting, problem)
                    continue
                for each in results:
                    work.take(each)
                done += len(results)

    @staticmethod
    def _arrived(arrived: SimpleQueue[Future], under_way: list[_Sent]) -> list[_Sent]:
        """Batches that came back, or were lost; none where nothing comes for a moment."""
        with suppress(Empty):
            came = {arrived.get(timeout=_LOOK)}
            with suppress(Empty):
                while True:
                    came.add(arrived.get_nowait())
            return [sent for sent in under_way if sent.future in came]
        return []

    def _again(self, sent: _Sent, waiting: list[_Sent], problem: Exception) -> None:
        """A batch was lost with a worker, and arrays may have gone with it: all is sent anew."""
        log.info("a batch was lost: %r", problem)
        self._known.clear()
        sent.tries += 1
        waiting.append(sent)
        if sent.tries >= _MOST_TRIES:
            raise ClusterError(
                f"The same work was lost with its workers {sent.tries} times, on the cluster at "
                f"{self.address}. They may have too little memory. The log of a worker says why."
            ) from problem

    def _connect(self) -> bool:
        """See that there is a client and a worker; whether the client is a new one."""
        if self._client is not None and self._client.status == "running":
            return False
        self.release()
        began = time.monotonic()
        problem: Exception | None = None
        words = f"waiting for the cluster at {self.address}"
        while True:
            self._progress(words, round(time.monotonic() - began), 0)
            try:
                if self._client is None:
                    self._client = Client(
                        self.address,
                        timeout=_ANSWER,
                        set_as_default=False,
                        name="sortija",
                    )
                if self._count():
                    return True
                words = f"waiting for a worker of the cluster at {self.address}"
                trouble = "has no workers. Start some"
            except ValueError as wrong:
                raise ClusterError(
                    f"{self.address} is no address of a Dask scheduler. Write it as "
                    "tcp://host:8786."
                ) from wrong
            except _LOST as lost:
                self.release()
                words, problem = f"waiting for the cluster at {self.address}", lost
                trouble = "does not answer. Start its scheduler"
            if self._patience is not None and time.monotonic() - began > self._patience:
                raise ClusterError(
                    f"The cluster at {self.address} {trouble}, or leave SORTIJA_DASK empty to "
                    "compute on this machine."
                ) from problem
            time.sleep(_LOOK)

    def _count(self) -> int:
        """Threads of all workers that are there."""
        assert self._client is not None
        self._counted = time.monotonic()
        threads = sum(self._client.nthreads().values())
        self._width = max(1, threads)
        return threads

    def _tell(self, told: Callable[[int], None] | None, done: int, of: int) -> None:
        """Say how far the map is, and hear whether it is to go on."""
        if time.monotonic() - self._counted > _WORKERS:
            with suppress(*_LOST):
                if not self._count():
                    self._progress(f"waiting for a worker of the cluster at {self.address}", 0, 0)
                    return
        if told is not None:
            told(done)
        else:
            self._progress("computing on the cluster", done, of)

    def _submit(self, work: Work, sent: _Sent) -> Future:
        assert self._client is not None
        batch, arrays = work.batch(sent.places)
        return self._client.submit(run, batch, self._with_workers(self._client, arrays), pure=False)

    def _with_workers(self, client: Client, arrays: Sequence[Array]) -> list[Future]:
        """The arrays with the workers; those that are there already are not sent again."""
        keys = [content_of(array) for array in arrays]
        new = [n for n, key in enumerate(keys) if key not in self._known]
        if new:
            futures = client.scatter([arrays[n] for n in new], hash=False)
            for n, future in zip(new, futures, strict=True):
                self._known[keys[n]] = future, arrays[n].nbytes
        for key in keys:
            self._known.move_to_end(key)
        found = [self._known[key][0] for key in keys]
        room = _KEPT - sum(size for _, size in self._known.values())
        while room < 0 and len(self._known) > len(keys):
            _, (_, size) = self._known.popitem(last=False)
            room += size
        return found

    def _results(self, future: Future) -> list[Done]:
        try:
            found: list[Done] = future.result(timeout=60)
        except ImportError as problem:
            raise ClusterError(
                f"A worker of the cluster at {self.address} cannot load what is computed "
                f"({problem}). Install Sortija on every worker."
            ) from problem
        return found
