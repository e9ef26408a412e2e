"""A file under review: its first rows as they will be read."""

from __future__ import annotations

from typing import Any

import pyarrow as pa
from pydantic import BaseModel

from sortija.core.formats.delimited import DelimitedFile, UnreadableFile, sniff
from sortija.core.ledger.cells import BAD, EMPTY, read_decimals, read_moments
from sortija.core.ledger.mapping import LOG_ROLES, TRAIT_TYPES
from sortija.server.ledger.models import Intake
from sortija.server.ledger.uploads import path_of

__all__ = ["IntakeRow", "intake_row"]

_ROWS = 8


class PreviewColumn(BaseModel):
    """One column: the role it is given, why it was guessed, its first cells as text and as read."""

    column: str
    role: str
    guessed: str
    reason: str
    cells: list[str]
    read: list[str]


class IntakeRow(BaseModel):
    """An intake: where it stands, and, while it is under review, a preview."""

    id: int
    name: str
    role: str
    state: str
    lines: int
    size: int
    made_at: str
    mapping: dict[str, Any]
    report: dict[str, Any]
    error: str
    roles: list[str]
    columns: list[PreviewColumn]


def _first_rows(intake: Intake) -> pa.RecordBatch | None:
    path = path_of(intake.original)
    try:
        return DelimitedFile(path, sniff(path)).first_rows(_ROWS)
    except (UnreadableFile, FileNotFoundError):
        return None


def _role_of(intake: Intake, column: str) -> str:
    if intake.role == Intake.MEMBERS:
        return str(intake.mapping["types"].get(column, "out"))
    return next((r for r, c in intake.mapping["roles"].items() if c == column), "out")


def _as_read(cells: pa.Array, role: str, intake: Intake) -> list[str]:
    """What the first cells become under the mapping; '' for empty, '?' for unreadable."""
    comma = bool(intake.mapping.get("decimal_comma"))
    if role in ("moment", "date", "joined"):
        days, seconds, state = read_moments(cells, bool(intake.mapping.get("month_first")))
        dates = days.astype("M8[D]")
        out = [
            f"{d}" + (f" {s // 3600:02d}:{s % 3600 // 60:02d}" if role == "moment" else "")
            for d, s in zip(dates, seconds, strict=True)
        ]
    elif role in ("quantity", "price", "total", "number"):
        scale = intake.study.scale if role in ("price", "total") else 3
        values, state = read_decimals(cells, scale, comma)
        out = [f"{v / 10**scale:,.{scale}f}" for v in values]
        if scale == 3:
            out = [text.rstrip("0").rstrip(".") for text in out]
    elif role == "kind":
        kinds = intake.mapping["kinds"]
        return [kinds.get(text.strip(), "by its sign") for text in cells.to_pylist()]
    else:
        return [text.strip() for text in cells.to_pylist()]
    return ["" if s == EMPTY else "?" if s == BAD else t for t, s in zip(out, state, strict=True)]


def intake_row(intake: Intake) -> IntakeRow:
    """An intake for the wire."""
    columns = []
    rows = _first_rows(intake) if intake.state in (Intake.REVIEW, Intake.FAILED) else None
    if rows is not None:
        for guess in intake.guesses:
            cells = rows.column(guess["column"])
            role = _role_of(intake, guess["column"])
            columns.append(
                PreviewColumn(
                    column=guess["column"],
                    role=role,
                    guessed=guess["role"],
                    reason=guess["reason"],
                    cells=[str(t)[:60] for t in cells.to_pylist()],
                    read=_as_read(cells, role, intake),
                )
            )
    return IntakeRow(
        id=intake.pk, name=intake.original.name, role=intake.role, state=intake.state,
        lines=max(intake.original.lines - 1, 0), size=intake.original.size,
        made_at=intake.made_at.isoformat(), mapping=intake.mapping, report=intake.report,
        error=intake.error, columns=columns,
        roles=[*LOG_ROLES, "out"] if intake.role == Intake.LOG else list(TRAIT_TYPES),
    )  # fmt: skip
