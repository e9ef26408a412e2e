"""Packed files: gzip, and zip with one table in it, unpacked as they are read."""

from __future__ import annotations

import gzip
import io
import lzma
import zipfile
import zlib
from pathlib import Path
from typing import BinaryIO

from sortija.core.formats.rows import UnreadableFile, broken_tells

__all__ = ["check_archive", "magic_of", "open_bytes"]

#: A log packs to about a tenth. What unpacks to so many times its size is no log but a bomb.
MOST_TIMES = 300
#: Under this size nothing is a bomb.
HARMLESS = 64 << 20
#: What packed streams raise where they are damaged; bz2 says OSError or ValueError.
_BROKEN = (EOFError, zlib.error, zipfile.BadZipFile, lzma.LZMAError, OSError, ValueError)
#: Packed in another way: nothing of it is read, and what to do is said.
_FOREIGN = {
    b"BZh": "bzip2", b"\xfd7zXZ": "xz", b"\x28\xb5\x2f\xfd": "zstd", b"7z\xbc\xaf": "7z",
    b"Rar!": "rar",
}  # fmt: skip


def magic_of(path: Path) -> str:
    """What a file is by its first bytes: ``gzip``, ``zip``, ``parquet`` or ``plain``."""
    with path.open("rb") as file:
        head = file.read(4)
    if head[:2] == b"\x1f\x8b":
        return "gzip"
    if head == b"PK\x03\x04":
        return "zip"
    return "parquet" if head == b"PAR1" else "plain"


class _Unpacked(io.RawIOBase):
    """A stream that stops where it grows beyond all measure, and says where it breaks off."""

    def __init__(self, stream: BinaryIO, name: str, packed: int) -> None:
        self._stream, self._name = stream, name
        self._left = max(HARMLESS, MOST_TIMES * packed)
        self._read = 0

    def readable(self) -> bool:
        return True

    def readinto(self, buffer: object) -> int:
        view = memoryview(buffer)  # type: ignore[arg-type]
        try:
            data = self._stream.read(len(view))
        except _BROKEN as problem:
            raise UnreadableFile(
                f"{self._name} breaks off after {self._read >> 20:,} MiB: it was cut, or not "
                "packed whole. Pack it again and import the new file."
            ) from problem
        self._read += len(data)
        if self._read > self._left:
            raise UnreadableFile(
                f"{self._name} unpacks to more than {MOST_TIMES} times its size. No log does. "
                "Unpack it yourself and look what is in it."
            )
        view[: len(data)] = data
        return len(data)

    def close(self) -> None:
        self._stream.close()
        super().close()


def _only_member(archive: zipfile.ZipFile, name: str) -> zipfile.ZipInfo:
    members = [
        info for info in archive.infolist()
        if not info.is_dir() and not info.filename.startswith("__")
        and not Path(info.filename).name.startswith(".")
    ]  # fmt: skip
    if len(members) != 1:
        shown = ", ".join(info.filename for info in members[:4])
        raise UnreadableFile(
            f"{name} holds {len(members)} files{f' ({shown})' if shown else ''}. "
            "Unpack it and import each table on its own."
        )
    if members[0].flag_bits & 1:
        raise UnreadableFile(f"{name} is locked with a password. Unpack it and import the table.")
    return members[0]


def check_archive(path: Path, name: str) -> list[str]:
    """Names of what is in a zip, its sizes looked at first.

    Raises
    ------
    UnreadableFile
        Broken, or a bomb.
    """
    broken = f"{name} is a broken zip: it was cut, or not packed whole. Pack it again."
    with broken_tells(broken), zipfile.ZipFile(path) as archive:
        whole = sum(info.file_size for info in archive.infolist())
        if whole > max(HARMLESS, MOST_TIMES * path.stat().st_size):
            raise UnreadableFile(
                f"{name} unpacks to more than {MOST_TIMES} times its size. No log does. "
                "Unpack it yourself and look what is in it."
            )
        return archive.namelist()


def _refuse_foreign(path: Path, name: str) -> None:
    with path.open("rb") as file:
        begins = file.read(6)
    way = next((way for sign, way in _FOREIGN.items() if begins.startswith(sign)), "")
    if way:
        raise UnreadableFile(
            f"{name} is packed by {way}, which is not opened here. Unpack it, or pack it by gzip "
            "or zip, and import that."
        )


def open_bytes(path: Path, name: str = "") -> BinaryIO:
    """The bytes of a plain file, or those within a gzip or zip, as a stream.

    Raises
    ------
    UnreadableFile
        Here or while reading: several files in the zip, a password, a cut file, a bomb.
    """
    name = name or path.name
    kind = magic_of(path)
    if kind == "gzip":
        stream: BinaryIO = gzip.open(path)  # type: ignore[assignment]  # noqa: SIM115
    elif kind == "zip":
        check_archive(path, name)
        broken = f"{name} is a broken zip: it was cut, or not packed whole. Pack it again."
        with broken_tells(broken):
            archive = zipfile.ZipFile(path)
            member = _only_member(archive, name)
        other = (
            f"{name} is packed in a way that is not usual for a zip. Pack it again, or unpack it."
        )
        with broken_tells(other):
            stream = archive.open(member)  # type: ignore[assignment]
    else:
        _refuse_foreign(path, name)
        return path.open("rb")
    return io.BufferedReader(_Unpacked(stream, name, path.stat().st_size), 1 << 20)
