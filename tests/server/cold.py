"""Look again with nothing remembered: what a process keeps must never change an answer."""

import functools
import os
import sys

from sortija.server.studies.process_cache import Remembered

__all__ = ["COLD", "forget_everything"]

#: Whether every look of a test is taken twice, the second time by a process that forgot the first.
COLD = bool(os.environ.get("SORTIJA_TEST_COLD"))


def forget_everything():
    """Empty what functions of the server remember."""
    for name, module in list(sys.modules.items()):
        if name.startswith("sortija.server"):
            for thing in vars(module).values():
                if isinstance(thing, functools._lru_cache_wrapper | Remembered):
                    thing.cache_clear()
