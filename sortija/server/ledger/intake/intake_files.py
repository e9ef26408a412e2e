"""An intake's file as rows: alone, or with the heads of its receipts."""

from __future__ import annotations

from sortija.core.formats.joined import JoinedRows, find_join
from sortija.core.formats.opening import open_rows
from sortija.core.formats.rows import RowsFile, UnreadableFile
from sortija.core.ledger.guessing import guess_log
from sortija.core.ledger.mapping import LogMapping, MappingError
from sortija.server.ledger.intake.attached import open_attached
from sortija.server.ledger.intake.uploads import path_of
from sortija.server.ledger.models import Intake, Original

__all__ = ["heads_for", "open_intake", "open_original"]


def open_original(original: Original) -> RowsFile:
    """The rows of an uploaded or attached file, its text read as was found out or said."""
    if original.attachment_id is not None:
        return open_attached(original)
    return open_rows(path_of(original), original.name, original.encoding)


def open_intake(intake: Intake) -> RowsFile:
    """The rows of an intake.

    Raises
    ------
    UnreadableFile, FileNotFoundError
        A file is no table, or no longer here.
    """
    if intake.heads is None:
        return open_original(intake.original)
    ours, theirs = intake.heads_by
    return JoinedRows(open_original(intake.original), open_original(intake.heads), (ours, theirs))


def heads_for(lines: Intake, others: list[Intake]) -> tuple[Intake, tuple[str, str]] | None:
    """The file among others that holds the heads of these lines, and by which columns.

    Only lines that name no date or no customer look for any, and only a file that gives what
    they lack is one. The customer is never what they are joined by.
    """
    if not _lacks(LogMapping(**lines.mapping), lines):
        return None
    for other in others:
        try:
            own, theirs = open_original(lines.original), open_original(other.original)
            by = find_join(own, theirs)
            if by is None or lines.mapping["roles"].get("customer") == by[0]:
                continue
            mapping, _ = guess_log(JoinedRows(own, theirs, by).first_rows(2000))
            mapping.check(JoinedRows(own, theirs, by).names)
        except (UnreadableFile, FileNotFoundError, MappingError):
            continue
        return other, by
    return None


def _lacks(mapping: LogMapping, lines: Intake) -> bool:
    try:
        mapping.check(tuple(g["column"] for g in lines.guesses))
    except MappingError:
        return True
    return False
