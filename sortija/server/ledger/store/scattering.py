"""Lines on their way into order: scattered once over files, one for each range of customers.

Picking a range's lines out of all lines costs as much as the log is long, once a range: with the
length of a log its cost would grow by the square. Scattering writes and reads every line once.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import ExitStack
from pathlib import Path
from typing import IO, Any

import numpy as np
from numpy.typing import NDArray

__all__ = ["MOST_PARTS", "Scattered"]

#: So many files are open at once: systems allow a process about a thousand.
MOST_PARTS = 256


class Scattered:
    """Equally long columns in parts; within a part rows keep the order in which they came.

    A part's file is one block after the other, a block its columns one after the other. It is read
    once and then removed.
    """

    def __init__(self, folder: Path, types: dict[str, str], parts: int) -> None:
        if parts > MOST_PARTS + 2:
            raise ValueError(f"{parts} parts are more than {MOST_PARTS} files.")
        self._types = types
        self._paths = [folder / f"part-{n}" for n in range(parts)]
        self._rows: list[list[int]] = [[] for _ in range(parts)]
        self._open = ExitStack()
        self._files: list[IO[bytes]] = [
            self._open.enter_context(path.open("w+b")) for path in self._paths
        ]

    def __enter__(self) -> Scattered:
        return self

    def __exit__(self, *problem: object) -> None:
        self._open.close()
        for path in self._paths:
            path.unlink(missing_ok=True)

    def add(self, columns: dict[str, NDArray[Any]], part: NDArray[np.uint16]) -> None:
        """Append rows; ``part``: (m,) where each belongs."""
        order = np.argsort(part, kind="stable")
        ends = np.cumsum(np.bincount(part, minlength=len(self._files))).tolist()
        sorted_ = [np.asarray(columns[name], kind)[order] for name, kind in self._types.items()]
        first = 0
        for file, rows, last in zip(self._files, self._rows, ends, strict=True):
            if last > first:
                rows.append(last - first)
                for values in sorted_:
                    file.write(values[first:last].data)
            first = last

    def take(self, part: int) -> Iterator[dict[str, NDArray[Any]]]:
        """The rows of a part, block by block; its file is gone afterwards."""
        file = self._files[part]
        file.flush()
        file.seek(0)
        for rows in self._rows[part]:
            yield {name: np.fromfile(file, kind, rows) for name, kind in self._types.items()}
        file.close()
        self._paths[part].unlink()
