"""A file under review: its first rows as they will be read."""

from __future__ import annotations

from collections import Counter

import pyarrow as pa
from pydantic import BaseModel

from sortija.core.formats.delimited import DelimitedFile
from sortija.core.formats.encodings import ENCODINGS
from sortija.core.formats.rows import RowsFile, UnreadableFile
from sortija.core.ledger.behaviour import read_both_ways
from sortija.core.ledger.currencies import currency_in, currency_of
from sortija.core.ledger.level_order import order_of
from sortija.core.ledger.mapping import LogMapping, MappingError
from sortija.core.ledger.parse_datetimes import read_moments
from sortija.core.ledger.parse_numbers import BAD, EMPTY, read_decimals
from sortija.core.ledger.parse_times import read_times
from sortija.core.ledger.role_words import LineKind, kind_of
from sortija.core.ledger.zones import zone_of
from sortija.server.ledger.intake.file_kinds import mapping_of, roles_of
from sortija.server.ledger.intake.intake_files import open_intake
from sortija.server.ledger.intake.stored import IntakeReport, MappingBody
from sortija.server.ledger.models import Intake

__all__ = ["IntakeRow", "intake_row"]

_ROWS = 8
_LOOKED_AT = 2000


class PreviewColumn(BaseModel):
    """One column: the role it is given, why it was guessed, its first cells as text and as read.

    ``doubt``: what may be wrong about the guess; empty where it is sure or a person chose.
    """

    column: str
    role: str
    guessed: str
    reason: str
    doubt: str
    cells: list[str]
    read: list[str]


class Need(BaseModel):
    """What has to be said of a file's columns; ``column``: which it is, empty while missing."""

    words: str
    column: str


class KindWord(BaseModel):
    """A word that the file has for what a line is, how it is read, and on how many first lines."""

    word: str
    kind: LineKind
    lines: int


class EncodingName(BaseModel):
    """A way in which the text of a file can be written."""

    key: str
    words: str


class IntakeRow(BaseModel):
    """An intake: where it stands, and, while it is under review, a preview.

    ``note``: what became of the file since; ``notes``: how it was read; ``lacks``: what is to be
    said of its columns before it can be counted, and ``needs`` all that has to be; ``currency``:
    what most of its amounts are in, where that is not the study's; ``two_orders``: where its dates
    can be read day first and month first alike, one of them as written, day first, and month
    first; else empty.
    ``known_receipts``: how many an earlier file has too, and ``overlap`` what becomes of them;
    ``heads``: the file that the heads of its receipts come from; ``orders``: levels of each
    category with an order, lowest first;
    ``encoding``: how its text is read, with what it can be read as, empty where nobody has to
    choose; ``replaces``: the counted intake of the same file that this one takes the place of;
    ``attached``: the place of an attached log, all of whose ``of_files`` are read like this one.
    """

    id: int
    name: str
    role: str
    state: str
    lines: int
    size: int
    made_at: str
    mapping: MappingBody
    report: IntakeReport
    error: str
    note: str
    roles: list[str]
    columns: list[PreviewColumn]
    kind_words: list[KindWord]
    notes: list[str]
    two_orders: list[str]
    lacks: str
    needs: list[Need]
    currency: str
    overlap: str
    known_receipts: int
    replaces: int | None
    revision: int
    heads: str
    received_on: str
    orders: dict[str, list[str]]
    encoding: str
    encodings: list[EncodingName]
    attached: str
    of_files: int


def _open(intake: Intake) -> RowsFile | None:
    try:
        return open_intake(intake)
    except (UnreadableFile, FileNotFoundError):
        return None


def _first_rows(file: RowsFile | None) -> pa.RecordBatch | None:
    try:
        return file.first_rows(_LOOKED_AT) if file else None
    except UnreadableFile:
        return None


def _kind_words(intake: Intake, rows: pa.RecordBatch) -> list[KindWord]:
    """The words of the column that says what a line is, most frequent first."""
    column = intake.mapping.get("roles", {}).get("kind")
    if column is None:
        return []
    kinds = intake.mapping["kinds"]
    words = Counter(text.strip() for text in rows.column(column).to_pylist())
    return [
        KindWord(word=word, kind=kinds.get(word) or kind_of(word), lines=lines)
        for word, lines in words.most_common(20)
        if word
    ]


def _two_orders(intake: Intake, rows: pa.RecordBatch) -> list[str]:
    """A date that can be read both ways, as written and as each; empty where one way is plain."""
    for guess in intake.guesses:
        if _role_of(intake, guess["column"]) in ("moment", "date", "joined"):
            both = read_both_ways(rows.column(guess["column"]))
            if both is not None:
                text, day_first, month_first = both
                return [text, day_first.isoformat(), month_first.isoformat()]
    return []


def _orders(intake: Intake, rows: pa.RecordBatch) -> dict[str, list[str]]:
    """Levels of categories with an order among the first rows, lowest first."""
    mapping = intake.mapping
    out = {}
    for column, kind in mapping.get("types", {}).items():
        if kind == "ordered":
            found = {text.strip() for text in rows.column(column).to_pylist()} - {""}
            chosen = list(mapping.get("orders", {}).get(column, ()))
            rest = sorted(found - set(chosen))
            out[column] = [*chosen, *(order_of(rest) or rest)]
    return out


def _role_of(intake: Intake, column: str) -> str:
    if intake.role == Intake.MEMBERS:
        return str(intake.mapping["types"].get(column, "out"))
    return next((r for r, c in intake.mapping["roles"].items() if c == column), "out")


def _clock(second: int) -> str:
    return f"{second // 3600:02d}:{second % 3600 // 60:02d}"


def _as_read(cells: pa.Array, role: str, intake: Intake) -> list[str]:
    """What the first cells become under the mapping; '' for empty, '?' for unreadable."""
    comma = bool(intake.mapping.get("decimal_comma"))
    if role in ("moment", "date", "joined"):
        zone = zone_of(intake.study.zone) if role == "moment" else None
        days, seconds, state = read_moments(cells, bool(intake.mapping.get("month_first")), zone)
        dates = days.astype("M8[D]")
        timed = role == "moment" and "time" not in intake.mapping["roles"]
        out = [
            f"{d}" + (f" {_clock(s)}" if timed else "") for d, s in zip(dates, seconds, strict=True)
        ]
    elif role == "time":
        seconds, state = read_times(cells)
        out = [_clock(s) for s in seconds]
    elif role in ("quantity", "price", "money", "cost", "number"):
        scale = intake.scale if role in ("price", "money", "cost") else 3
        values, state = read_decimals(cells, scale, comma)
        out = [f"{v / 10**scale:,.{scale}f}" for v in values]
        if role in ("quantity", "number"):
            out = [text.rstrip("0").rstrip(".") for text in out]
    elif role == "kind":
        kinds = intake.mapping["kinds"]
        words = [text.strip() for text in cells.to_pylist()]
        said = [kinds.get(word) or kind_of(word) if word else "by its sign" for word in words]
        return ["not a sale" if kind == "other" else kind for kind in said]
    else:
        return [text.strip() for text in cells.to_pylist()]
    return ["" if s == EMPTY else "?" if s == BAD else t for t, s in zip(out, state, strict=True)]


def _lacks(intake: Intake) -> str:
    """What has to be said of the columns before the file can be counted; empty for nothing."""
    try:
        mapping_of(intake.role, intake.mapping).check(tuple(g["column"] for g in intake.guesses))
    except MappingError as problem:
        return str(problem)
    return ""


def _needs(intake: Intake) -> list[Need]:
    """What has to be said of the columns, and what is said by now."""
    found = mapping_of(intake.role, intake.mapping).needs
    return [Need(words=words, column=column) for words, column in found]


def _other_currency(intake: Intake, rows: pa.RecordBatch) -> str:
    """The currency of most amounts, as a column or signs beside them tell; empty where nothing
    tells, or where it is the study's."""
    if intake.role != Intake.LOG:
        return ""
    found = currency_in(rows, LogMapping(**intake.mapping))
    return "" if not found or currency_of(found) == currency_of(intake.study.currency) else found


def _encoding(file: RowsFile | None) -> str:
    """How the file's text is read; empty where it is no delimited text."""
    return file.dialect.encoding if isinstance(file, DelimitedFile) else ""


def _encodings(intake: Intake, file: RowsFile | None) -> list[EncodingName]:
    """What the text can be read as, where it is no Unicode or somebody chose before."""
    encoding = _encoding(file)
    if encoding not in ENCODINGS or (encoding == "utf-8" and not intake.original.encoding):
        return []
    return [EncodingName(key=key, words=words) for key, words in ENCODINGS.items()]


def intake_row(intake: Intake, known: int = 0) -> IntakeRow:
    """An intake for the wire; ``known``: its receipts that an earlier one has too."""
    columns = []
    reviewed = intake.state in (Intake.REVIEW, Intake.FAILED)
    file = _open(intake) if reviewed else None
    looked_at = _first_rows(file)
    if looked_at is not None:
        rows = looked_at.slice(0, _ROWS)
        for guess in intake.guesses:
            cells = rows.column(guess["column"])
            role = _role_of(intake, guess["column"])
            columns.append(
                PreviewColumn(
                    column=guess["column"],
                    role=role,
                    guessed=guess["role"],
                    reason=guess["reason"],
                    doubt=guess.get("doubt", "") if role == guess["role"] else "",
                    cells=[str(t)[:60] for t in cells.to_pylist()],
                    read=_as_read(cells, role, intake),
                )
            )
    return IntakeRow(
        id=intake.pk, name=intake.original.name, role=intake.role, state=intake.state,
        lines=max(intake.original.lines - 1, 0), size=intake.original.size,
        made_at=intake.made_at.isoformat(), mapping=MappingBody(**intake.mapping),
        report=intake.came,
        note=intake.original.note, error=intake.error, columns=columns,
        notes=file.notes if file else [],
        kind_words=_kind_words(intake, looked_at) if looked_at is not None else [],
        two_orders=_two_orders(intake, looked_at) if looked_at is not None else [],
        lacks=_lacks(intake) if reviewed else "",
        needs=_needs(intake) if reviewed else [],
        currency=_other_currency(intake, looked_at) if looked_at is not None else "",
        overlap=intake.overlap, known_receipts=known, replaces=intake.replaces_id,
        revision=intake.revision,
        heads=intake.heads.name if intake.heads else "",
        received_on=intake.received_on.isoformat(),
        orders=_orders(intake, looked_at) if looked_at is not None else {},
        roles=roles_of(intake.role), encoding=_encoding(file),
        encodings=_encodings(intake, file),
        attached=place.url if (place := intake.original.attachment) else "",
        of_files=place.files if place else 0,
    )  # fmt: skip
