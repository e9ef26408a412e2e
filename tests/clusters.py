"""A cluster of real processes, as a firm has it: a scheduler and workers that can be killed."""

from __future__ import annotations

import os
import socket
import subprocess
import sys
import time
from collections.abc import Mapping
from pathlib import Path

from distributed import Client

__all__ = ["Processes"]

ROOT = Path(__file__).resolve().parents[1]


def _free_port() -> int:
    with socket.socket() as one:
        one.bind(("127.0.0.1", 0))
        return int(one.getsockname()[1])


class Processes:
    """A scheduler and its workers on this machine, of one thread each."""

    def __init__(self, workers: int = 1, more: Mapping[str, str] | None = None) -> None:
        self.port, self.workers = _free_port(), []  # type: ignore[var-annotated]
        self._environment = {
            **os.environ, **(more or {}), "PYTHONPATH": str(ROOT), "OMP_NUM_THREADS": "1",
            "DASK_DISTRIBUTED__COMM__TIMEOUTS__CONNECT": "3s",
        }  # fmt: skip
        self.scheduler = self._scheduler()
        self.grow(workers)

    @property
    def address(self) -> str:
        return f"tcp://127.0.0.1:{self.port}"

    def _begin(self, program: str, *words: str) -> subprocess.Popen:
        return subprocess.Popen(
            [sys.executable, "-m", f"distributed.cli.{program}", *words, "--no-dashboard"],
            env=self._environment, cwd=ROOT, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
        )  # fmt: skip

    def _scheduler(self) -> subprocess.Popen:
        return self._begin("dask_scheduler", "--host", "127.0.0.1", "--port", str(self.port))

    def grow(self, more: int) -> None:
        """Start more workers, and wait until all are there."""
        self.workers += [
            self._begin("dask_worker", self.address, "--nthreads", "1", "--no-nanny",
                        "--memory-limit", "0")
            for _ in range(more)
        ]  # fmt: skip
        self.wait()

    def wait(self, seconds: float = 60) -> None:
        """Until every worker that runs is known to the scheduler, and no other is."""
        ends, alive = time.monotonic() + seconds, sum(w.poll() is None for w in self.workers)
        with Client(self.address, timeout=seconds, set_as_default=False) as client:
            while len(client.nthreads()) != alive:
                if time.monotonic() > ends:
                    raise TimeoutError("the workers did not come")
                time.sleep(0.05)

    def kill_worker(self) -> None:
        """Kill one worker where it stands."""
        one = self.workers.pop()
        one.kill()
        one.wait()

    def kill_scheduler(self) -> None:
        """Kill the scheduler; its workers end by themselves or by :meth:`end`."""
        self.scheduler.kill()
        self.scheduler.wait()

    def restart_scheduler(self) -> None:
        """Another one at the same address, without any worker."""
        for one in self.workers:
            one.kill()
            one.wait()
        self.workers = []
        self.scheduler = self._scheduler()

    def end(self) -> None:
        """All processes gone."""
        for one in (*self.workers, self.scheduler):
            one.kill()
            one.wait()
