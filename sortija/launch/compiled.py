"""Where compiled kernels are kept: a folder for each state of the core.

Numba looks at the file that a kernel stands in, not at those of the kernels and constants it takes
in, and would go on with what was compiled before they changed.
"""

from __future__ import annotations

import os
import shutil
from contextlib import suppress
from pathlib import Path

from sortija.places import cache_folder
from sortija.state import CORE, state_of

__all__ = ["COMPILED", "folder_of", "keep_compiled"]

#: Stands beside the kernels once those of the first screens are there.
COMPILED = "first-screens"


def folder_of(data: Path, core: Path = CORE) -> Path:
    """The folder below ``data`` of the core as it is now; those of other states go."""
    mine = data / "kernels" / state_of(core)
    mine.mkdir(parents=True, exist_ok=True)
    for other in mine.parent.iterdir():
        if other != mine:
            shutil.rmtree(other, ignore_errors=True)
    return mine


def keep_compiled() -> None:
    """Tell Numba the folder, unless somebody has; to be called before it is imported."""
    if "NUMBA_CACHE_DIR" not in os.environ:
        with suppress(OSError):  # a machine that keeps nothing compiles each time
            os.environ["NUMBA_CACHE_DIR"] = str(folder_of(cache_folder()))


if __name__ == "__main__":
    keep_compiled()
    print(os.environ.get("NUMBA_CACHE_DIR", ""))
