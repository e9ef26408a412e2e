"""Files of an attached log: read where they lie, never kept here."""

from __future__ import annotations

from pathlib import Path

from django.conf import settings

from sortija.core.formats.opening import open_rows
from sortija.core.formats.places import PlacedFile, PlaceError, WithColumns, columns_told, fetch
from sortija.core.formats.rows import RowsFile, UnreadableFile
from sortija.server.ledger.models import Original

__all__ = ["let_go", "open_attached", "placed"]


def placed(original: Original) -> PlacedFile:
    """A file of an attached log as its place lists it."""
    return PlacedFile(original.name, original.size, original.version)


def _copy(original: Original) -> Path:
    """Where a file of a store is copied to while it is read."""
    return Path(settings.ORIGINALS) / str(original.study_id) / f"attached-{original.sha256}"


def open_attached(original: Original) -> RowsFile:
    """Its rows, with the columns that its folders tell.

    Raises
    ------
    UnreadableFile
        It is no table, is no longer there, or changed since it was listed.
    """
    assert original.attachment is not None
    try:
        path = fetch(original.attachment.url, placed(original), _copy(original))
    except PlaceError as problem:
        raise UnreadableFile(str(problem)) from problem
    rows = open_rows(path, original.name, original.encoding)
    told = columns_told(original.name)
    return WithColumns(rows, told) if told else rows


def let_go(original: Original) -> None:
    """Remove the copy of a file that was read."""
    _copy(original).unlink(missing_ok=True)
