"""A backup as one file: a tar whose first member lists the others with their digests.

``sortija.json`` (format, when, and name, size and SHA-256 of each other member), ``database.dump``
(PostgreSQL's custom format), ``secret-key``, and ``originals/…`` as they lie in the data folder.
"""

from __future__ import annotations

import hashlib
import io
import json
import os
import tarfile
from collections.abc import Sequence
from datetime import UTC, datetime
from pathlib import Path, PurePosixPath
from typing import Any

__all__ = ["DUMP", "KEY", "ORIGINALS", "Damaged", "pack", "unpack"]

DUMP, KEY, ORIGINALS = "database.dump", "secret-key", "originals"
_LIST, _FORMAT = "sortija.json", 1
_MOST_LISTED = 64 << 20


class Damaged(Exception):
    """It is no backup of Sortija's, or not all of it is there as it was written."""


def _digest(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def pack(target: Path, members: Sequence[tuple[str, Path]]) -> int:
    """Write a backup beside ``target`` and put it in its place once it is whole.

    Parameters
    ----------
    target : Path
        It gets the mode 600: everything that Sortija knows is in it.
    members : sequence of (str, Path)
        Each member's name in the archive, and the file that it is copied from.

    Returns
    -------
    int
        Its size in bytes.
    """
    listed = [
        {"name": name, "size": path.stat().st_size, "sha256": _digest(path)}
        for name, path in members
    ]
    told = {"format": _FORMAT, "made_at": datetime.now(UTC).isoformat(), "members": listed}
    aside = target.with_name(f".{target.name}.part")
    try:
        descriptor = os.open(aside, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
        with os.fdopen(descriptor, "wb") as file:
            with tarfile.open(fileobj=file, mode="w") as tar:
                head = json.dumps(told).encode()
                entry = tarfile.TarInfo(_LIST)
                entry.size, entry.mode = len(head), 0o600
                tar.addfile(entry, io.BytesIO(head))
                for (name, path), row in zip(members, listed, strict=True):
                    _add(tar, name, path, int(str(row["size"])))
            file.flush()
            os.fsync(file.fileno())
        aside.replace(target)
    finally:
        aside.unlink(missing_ok=True)
    return target.stat().st_size


def _add(tar: tarfile.TarFile, name: str, path: Path, size: int) -> None:
    entry = tarfile.TarInfo(name)
    entry.size, entry.mode = size, 0o600
    with path.open("rb") as file:
        tar.addfile(entry, file)


def unpack(source: Path, folder: Path) -> dict[str, Any]:
    """Unpack a backup into an empty folder, every byte compared with its list.

    Returns
    -------
    dict
        What the archive tells of itself.

    Raises
    ------
    Damaged
        With what is wrong; nothing outside ``folder`` was written.
    """
    try:
        with tarfile.open(source, mode="r:") as tar:
            told = _listed(tar)
            for row in told["members"]:
                _take(tar, row, folder)
    except (tarfile.TarError, EOFError, UnicodeError) as problem:
        raise Damaged(f"{source.name} cannot be read as a backup: {problem}.") from problem
    return told


def _listed(tar: tarfile.TarFile) -> dict[str, Any]:
    entry = tar.next()
    if entry is None or entry.name != _LIST or entry.size > _MOST_LISTED:
        raise Damaged("This is no backup of Sortija's: its list is missing.")
    file = tar.extractfile(entry)
    try:
        told = json.loads(file.read()) if file else {}
        names = [str(row["name"]) for row in told["members"]]
        made = int(told["format"])
    except (ValueError, KeyError, TypeError) as problem:
        raise Damaged("The list of this backup is damaged.") from problem
    if made > _FORMAT:
        raise Damaged("This backup was made by a later Sortija. Restore it with that one.")
    for name in names:
        parts = PurePosixPath(name).parts
        if name not in (DUMP, KEY) and (parts[:1] != (ORIGINALS,) or len(parts) < 2):
            raise Damaged(f"{name} does not belong into a backup.")
        if ".." in parts or name.startswith("/"):
            raise Damaged(f"{name} does not belong into a backup.")
    if DUMP not in names or KEY not in names:
        raise Damaged("The database or the key is missing from this backup.")
    return told  # type: ignore[no-any-return]


def _take(tar: tarfile.TarFile, row: dict[str, Any], folder: Path) -> None:
    entry = tar.next()
    if entry is None or entry.name != row["name"] or not entry.isfile():
        raise Damaged(f"{row['name']} is missing from this backup.")
    source, target = tar.extractfile(entry), folder / row["name"]
    assert source is not None
    target.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
    digest = hashlib.sha256()
    descriptor = os.open(target, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    with os.fdopen(descriptor, "wb") as file:
        while part := source.read(1 << 20):
            digest.update(part)
            file.write(part)
    if digest.hexdigest() != row["sha256"]:
        raise Damaged(f"{row['name']} is damaged in this backup. Take an older one.")
