"""Binary COPY between NumPy records and ORM-defined tables of NOT NULL fixed-width columns.

A row of ``k`` fields is a 16-bit count, then for each field a 32-bit length and the value, all
big-endian; the stream has a 19-byte head and a 2-byte end. So rows of fixed width are plain
NumPy records, and a stream of the wrong length is noticed at once.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import Any

import numpy as np
from django.db import connection
from django.db.models import Aggregate, BinaryField, Model, QuerySet
from numpy.typing import NDArray
from psycopg import Copy, sql
from psycopg.errors import error_from_result
from psycopg.pq import ExecStatus

__all__ = ["PG_EPOCH_DAYS", "copy_bytes_in", "copy_in", "copy_out", "integers_of"]

#: PostgreSQL counts dates from 2000-01-01; Sortija from 1970-01-01.
PG_EPOCH_DAYS = 10_957
_HEAD = b"PGCOPY\n\xff\r\n\0" + bytes(8)
_END = b"\xff\xff"
_WIDTH = {"i2": 2, "i4": 4, "i8": 8, "f8": 8, "date": 4}


def _record(kinds: Sequence[str]) -> np.dtype[Any]:
    fields: list[tuple[str, str]] = [("count", ">i2")]
    for place, kind in enumerate(kinds):
        fields.append((f"width{place}", ">i4"))
        fields.append((f"value{place}", ">i4" if kind == "date" else f">{kind}"))
    return np.dtype(fields)


def _columns(model: type[Model], names: Sequence[str]) -> sql.Composable:
    columns = [str(getattr(model._meta.get_field(name), "column", name)) for name in names]
    return sql.SQL(", ").join([sql.Identifier(c) for c in columns])


def copy_in(
    model: type[Model],
    names: Sequence[str],
    kinds: Sequence[str],
    batches: Iterable[Sequence[NDArray[Any]]],
    part: str | None = None,
) -> int:
    """Write batches of equally long arrays, one array a field, within the present transaction.

    ``kinds``: ``i2``, ``i4``, ``i8``, ``f8`` or ``date`` (days since 1970-01-01) a field.
    ``part``: the table that stands in for the model's own, see :mod:`sortija.server.bulk.parts`.
    Returns the number of rows written.
    """
    record = _record(kinds)
    statement = sql.SQL("COPY {} ({}) FROM STDIN (FORMAT BINARY)").format(
        sql.Identifier(part or model._meta.db_table), _columns(model, names)
    )
    rows = 0
    with connection.cursor() as cursor, cursor.cursor.copy(statement) as stream:
        stream.write(_HEAD)
        for batch in batches:
            out = np.empty(len(batch[0]), record)
            out["count"] = len(kinds)
            for place, (kind, values) in enumerate(zip(kinds, batch, strict=True)):
                out[f"width{place}"] = _WIDTH[kind]
                out[f"value{place}"] = values - PG_EPOCH_DAYS if kind == "date" else values
            stream.write(out.data)
            rows += len(out)
        stream.write(_END)
    return rows


def copy_bytes_in(
    model: type[Model], names: Sequence[str], rows: Iterable[tuple[int | bytes, ...]]
) -> None:
    """Write rows of 32- and 64-bit integers and bytes, within the present transaction.

    An INSERT would send bytes as text of twice their length.
    """
    kinds = {"IntegerField": "int4", "PositiveIntegerField": "int4", "BinaryField": "bytea"}
    types = [kinds.get(model._meta.get_field(name).get_internal_type(), "int8") for name in names]
    statement = sql.SQL("COPY {} ({}) FROM STDIN (FORMAT BINARY)").format(
        sql.Identifier(model._meta.db_table), _columns(model, names)
    )
    with connection.cursor() as cursor, cursor.cursor.copy(statement) as stream:
        stream.set_types(types)
        for row in rows:
            stream.write_row(row)


class _Packed(Aggregate):
    """Integers of all rows as their bytes, one after the other: a row each would take longer."""

    template = "string_agg(int4send(%(expressions)s), ''::bytea)"
    output_field = BinaryField()


def integers_of(rows: QuerySet[Any], field: str) -> NDArray[np.int32]:
    """A column of 32-bit integers, none of them NULL, in no order."""
    packed = rows.order_by().aggregate(packed=_Packed(field))["packed"] or b""
    return np.frombuffer(bytes(packed), ">i4").astype(np.int32)


def copy_out(
    query: sql.Composable, kinds: Sequence[str], parameters: Sequence[Any] = ()
) -> Iterator[list[NDArray[Any]]]:
    """Read the rows of ``query`` in batches of native arrays, one per field.

    Raises
    ------
    ValueError
        The stream's length is not that of fixed-width rows (a NULL or a wider type in it).
    """
    record = _record(kinds)
    statement = sql.SQL("COPY ({}) TO STDOUT (FORMAT BINARY)").format(query)
    with connection.cursor() as cursor, cursor.cursor.copy(statement, parameters) as stream:
        buffer = bytearray()
        head = True
        for block in _rows_of(stream):
            buffer += block
            if head:
                if len(buffer) < len(_HEAD):
                    continue
                del buffer[: len(_HEAD)]
                head = False
            whole = len(buffer) // record.itemsize
            if whole >= 65_536:
                yield _fields(bytes(buffer[: whole * record.itemsize]), record, kinds)
                del buffer[: whole * record.itemsize]
        if len(buffer) % record.itemsize != len(_END) or bytes(buffer[-2:]) != _END:
            raise ValueError("COPY gave rows of another width than asked for")
        if len(buffer) > len(_END):
            yield _fields(bytes(buffer[:-2]), record, kinds)


def _rows_of(stream: Copy) -> Iterator[Any]:
    """The stream's rows, straight from libpq.

    It hands out one row a call; psycopg's own reader does so much about each that a million rows
    take seconds.
    """
    channel = stream.connection.pgconn
    while True:
        size, data = channel.get_copy_data(0)
        if size < 0:
            break
        yield data
    while (result := channel.get_result()) is not None:
        if result.status != ExecStatus.COMMAND_OK:
            raise error_from_result(result)


def _fields(data: bytes, record: np.dtype[Any], kinds: Sequence[str]) -> list[NDArray[Any]]:
    rows = np.frombuffer(data, record)
    out = []
    for place, kind in enumerate(kinds):
        if (rows[f"width{place}"] != _WIDTH[kind]).any():
            raise ValueError(f"COPY gave a NULL or another width in field {place + 1}")
        values = rows[f"value{place}"]
        native = values.astype(values.dtype.newbyteorder("="))
        out.append(native + PG_EPOCH_DAYS if kind == "date" else native)
    return out
