"""Logs that stay where they lie: folders of this machine and stores of objects, file by file."""

from __future__ import annotations

import os
import shutil
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from urllib.parse import unquote

import pyarrow as pa
import pyarrow.fs as stores

from sortija.core.formats.rows import RowsFile, first_of

__all__ = [
    "PlaceError",
    "PlacedFile",
    "WithColumns",
    "columns_told",
    "fetch",
    "files_at",
    "is_below",
]

#: What writers of tables call a value that is none.
_NO_VALUE = "__HIVE_DEFAULT_PARTITION__"
_PIECE = 8 << 20
#: Letters of a file's name from its place on.
LONGEST_PATH = 255


class PlaceError(ValueError):
    """A place cannot be reached or read; the message says which, and what to do."""


@dataclass(frozen=True)
class PlacedFile:
    """A file below a place: ``name`` from there on; ``version`` changes when the file does."""

    name: str
    size: int
    version: str


@contextmanager
def _told(url: str) -> Iterator[None]:
    """Whatever a store says is told with the place that was asked for."""
    try:
        yield
    except PlaceError:
        raise
    except FileNotFoundError as problem:
        raise PlaceError(
            f"There is nothing at {url}. Look at how the place is written."
        ) from problem
    except PermissionError as problem:
        raise PlaceError(f"{url} may not be read by this server. Give it leave to.") from problem
    except (OSError, pa.ArrowException, ImportError) as problem:
        said = str(problem).split("\n")[0][:200]
        raise PlaceError(
            f"{url} cannot be read ({said}). Try again, or ask who keeps it."
        ) from problem


def _store(url: str) -> tuple[stores.FileSystem, str]:
    """The store that a place is in, and the place as that store calls it."""
    if "://" not in url:
        if not url.startswith("/"):
            raise PlaceError(f"{url} is no place: write a folder from / on, or such as s3://….")
        return stores.LocalFileSystem(), os.path.normpath(url)
    found, path = stores.FileSystem.from_uri(url)
    return found, path.rstrip("/")


def _listed(store: stores.FileSystem, path: str) -> list[stores.FileInfo]:
    info = store.get_file_info(path)
    if info.type == stores.FileType.File:
        return [info]
    return list(store.get_file_info(stores.FileSelector(path, recursive=True)))


def files_at(url: str) -> list[PlacedFile]:
    """All files below a folder or prefix, or the one file, by name; hidden ones are passed over,
    and what begins with an underscore, by which writers of tables say that they are done.

    Raises
    ------
    PlaceError
        Nothing is there, or it cannot be reached.
    """
    with _told(url):
        store, path = _store(url)
        found = []
        for info in _listed(store, path):
            if info.type != stores.FileType.File or not info.size:
                continue
            name = info.path.removeprefix(path).lstrip("/") or info.base_name
            if len(name) > LONGEST_PATH:
                raise PlaceError(
                    f"{name[:60]}… has a name of more than {LONGEST_PATH} letters below {url}. "
                    "Attach a folder further down."
                )
            if not any(part.startswith(("_", ".")) for part in name.split("/")):
                found.append(PlacedFile(name, info.size, f"{info.size} {info.mtime_ns}"))
        if not found:
            raise FileNotFoundError
    return sorted(found, key=lambda file: file.name)


def fetch(url: str, file: PlacedFile, cache: Path) -> Path:
    """Where a file can be read on this machine: as it lies, or copied to ``cache`` once.

    Raises
    ------
    PlaceError
        It is no longer there, or changed since it was listed.
    """
    with _told(f"{url}: {file.name}"):
        store, path = _store(url)
        alone = store.get_file_info(path).type == stores.FileType.File
        path = path if alone else f"{path}/{file.name}"
        info = store.get_file_info(path)
        if info.type != stores.FileType.File:
            raise PlaceError(f"{file.name} is no longer at {url}.")
        if f"{info.size} {info.mtime_ns}" != file.version:
            raise PlaceError(f"{file.name} changed since it was listed. Look for new files again.")
        if isinstance(store, stores.LocalFileSystem):
            return Path(path)
        if not cache.exists():
            cache.parent.mkdir(parents=True, exist_ok=True)
            aside = cache.with_name(f"{cache.name}.{os.getpid()}")
            with store.open_input_stream(path) as source, aside.open("wb") as target:
                shutil.copyfileobj(source, target, _PIECE)
            aside.rename(cache)
    return cache


def is_below(url: str, roots: Sequence[str]) -> bool:
    """Whether a place is one of these, or below one of them; links do not lead out.

    Examples
    --------
    >>> is_below("s3://logs/till/2026", ["s3://logs/till"]), is_below("s3://logs/tills", ["s3://logs/till"])
    (True, False)
    >>> is_below("/srv/logs/../secrets", ["/srv/logs"])
    False
    """
    place = _plain(url)
    return any(place == root or place.startswith(f"{root}/") for root in map(_plain, roots))


def _plain(url: str) -> str:
    if "://" not in url:
        return os.path.realpath(url)
    kind, _, rest = url.partition("://")
    path, asked, how = rest.partition("?")
    # How a store is reached is part of which store it is.
    return f"{kind}://{how}{asked}{os.path.normpath(path)}"


def columns_told(name: str) -> dict[str, str]:
    """Columns that folders of a file's name tell.

    Examples
    --------
    >>> columns_told("year=2026/shop=North%20Gate/part-0.parquet")
    {'year': '2026', 'shop': 'North Gate'}
    """
    parts = [part.partition("=") for part in name.split("/")[:-1]]
    told = {unquote(key): unquote(value) for key, sign, value in parts if sign and key}
    return {key: "" if value == _NO_VALUE else value for key, value in told.items()}


@dataclass
class WithColumns:
    """A file's rows with columns of one value each besides, as their folders tell them."""

    file: RowsFile
    told: dict[str, str]

    @property
    def names(self) -> tuple[str, ...]:
        return (*self.file.names, *(name for name in self.told if name not in self.file.names))

    @property
    def ragged(self) -> list[str]:
        return self.file.ragged

    @property
    def ragged_count(self) -> int:
        return self.file.ragged_count

    @property
    def notes(self) -> list[str]:
        return self.file.notes

    def batches(self, columns: Sequence[str] | None = None) -> Iterator[pa.RecordBatch]:
        """Every row in file order, as string columns: ``columns``, or all ``names``."""
        wanted = list(self.names if columns is None else columns)
        own = [name for name in wanted if name in self.file.names]
        # A file of which nothing is wanted still tells how many rows it has.
        for batch in self.file.batches(own or list(self.file.names[:1])):
            yield pa.RecordBatch.from_arrays(
                [
                    batch.column(name) if name in own
                    else pa.array([self.told[name]] * batch.num_rows, pa.string())
                    for name in wanted
                ],
                names=wanted,
            )  # fmt: skip

    def first_rows(self, count: int = 200) -> pa.RecordBatch:
        """The first ``count`` rows."""
        return first_of(self, count)
