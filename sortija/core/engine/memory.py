"""Memory that was given up and is used again, instead of asking the system for new pages.

Columns of a large log are hundreds of megabytes that live for a second. The C library hands such
blocks back to the system as soon as they are free, and the next ones are pages that the system must
find and empty first: an eighth of a derivation's time. It need not; where the C library is not the
GNU one, everything stays as it is.
"""

from __future__ import annotations

import ctypes
from typing import Any

__all__ = ["give_back", "keep"]

#: Up to so many bytes at the end of the heap are kept, and blocks of up to so many come from it.
MOST = 1 << 30
#: Numbers of the settings, from <malloc.h>.
_TRIM_THRESHOLD, _MMAP_THRESHOLD, _ARENA_MAX = -1, -3, -8


def _library() -> Any:
    library = ctypes.CDLL(None)
    return library if hasattr(library, "mallopt") and hasattr(library, "malloc_trim") else None


def keep() -> None:
    """From here on this process keeps what it gives up, until :func:`give_back`.

    To be called before there are threads: all of them share the one heap that large blocks fit in.
    """
    library = _library()
    if library is not None:
        for setting, value in ((_ARENA_MAX, 1), (_MMAP_THRESHOLD, MOST), (_TRIM_THRESHOLD, MOST)):
            library.mallopt(setting, value)


def give_back() -> None:
    """Hand every page that nothing uses to the system."""
    library = _library()
    if library is not None:
        library.malloc_trim(0)
