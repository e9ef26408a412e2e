"""Workers that die: each is forked, does what waits, and is killed at a chosen moment.

A process of its own, so that nothing of it is left when it dies. It reads lines of ``fuse
seconds [draw NUMBER]``: the fuse counts passages through the moments below, in either direction,
and kills at the last; the seconds kill wherever the worker then is. With the number of a campaign,
it draws that campaign's holdout instead of doing jobs. It answers each with 1 if it was killed.
"""

import functools
import inspect
import os
import signal
import sys
import time

import django
from django.db import transaction
from procrastinate.manager import JobManager

__all__ = []

_left = 0


def _pass():
    """A moment at which a worker can die."""
    global _left
    _left -= 1
    if _left == 0:
        os.kill(os.getpid(), signal.SIGKILL)


def _mined(owner, name):
    """Two moments: before something is done, and after."""
    real = getattr(owner, name)

    @functools.wraps(real)
    def plain(*words, **more):
        _pass()
        found = real(*words, **more)
        _pass()
        return found

    @functools.wraps(real)
    async def later(*words, **more):
        _pass()
        found = await real(*words, **more)
        _pass()
        return found

    setattr(owner, name, later if inspect.iscoroutinefunction(real) else plain)


def _draw(number):
    from sortija.server.campaigns.actions import draw
    from sortija.server.campaigns.models import Campaign

    draw(Campaign.objects.select_related("study").get(pk=number), None)


def _child(fuse, draws):
    from sortija.server.campaigns import handing
    from sortija.server.campaigns.delivery import post, push
    from sortija.server.jobs import work
    from tests.server.support import run_jobs

    global _left
    _left = fuse
    for name in ("fetch_job", "finish_job"):
        _mined(JobManager, name)
    for name in ("lock", "hold", "begin", "progress", "kept_one", "end"):
        _mined(work.Running, name)
    _mined(transaction.Atomic, "__exit__")
    _mined(post._POOL, "request")
    push.BLOCK = handing._BLOCK = 20
    if draws:
        _draw(draws)
    else:
        run_jobs()


def _killed(child, seconds):
    """Wait for a worker, or kill it after so long; whether it was killed."""
    end = time.monotonic() + seconds
    while True:
        pid, status = os.waitpid(child, os.WNOHANG)
        if pid:
            return os.WIFSIGNALED(status)
        if time.monotonic() > end:
            os.kill(child, signal.SIGKILL)
            end += 3600
        time.sleep(0.001)


def main():
    """Answer line by line until there are no more."""
    django.setup()
    from sortija.launch.warm import looked_at, read_demo
    from tests.server import support  # noqa: F401

    looked_at(read_demo())  # modules and kernels are loaded once, before anything is forked
    print("ready", flush=True)
    for line in sys.stdin:
        fuse, seconds, *draws = line.split()
        child = os.fork()
        if child == 0:
            try:
                _child(int(fuse), int(draws[1]) if draws else 0)
            finally:
                os._exit(0)
        print(int(_killed(child, float(seconds))), flush=True)


if __name__ == "__main__":
    main()
