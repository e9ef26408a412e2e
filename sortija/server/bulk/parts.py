"""Tables kept in one part per value: filled bare, keyed when full, then joined to the whole.

A key that grows while rows come in costs as much as the rows; made at the end it costs a third.
A part belongs to one value (an intake), so that it can also be dropped without touching others.
"""

from __future__ import annotations

from django.db import connection
from django.db.models import Model
from psycopg import sql

__all__ = ["begin_part", "join_part"]


def _names(model: type[Model], value: int) -> tuple[sql.Identifier, sql.Identifier]:
    whole = model._meta.db_table
    return sql.Identifier(whole), sql.Identifier(f"{whole}_{value}")


def begin_part(model: type[Model], column: str, value: int) -> str:
    """Make an empty table for the rows whose ``column`` is ``value``; returns its name.

    Nobody sees it before :func:`join_part`, and it goes with the transaction if that fails.
    """
    whole, part = _names(model, value)
    with connection.cursor() as cursor:
        cursor.execute(sql.SQL("DROP TABLE IF EXISTS {}").format(part))
        cursor.execute(
            sql.SQL("CREATE TABLE {} (LIKE {} INCLUDING DEFAULTS, CHECK ({} = {}))").format(
                part, whole, sql.Identifier(column), sql.Literal(value)
            )
        )
    return f"{model._meta.db_table}_{value}"


def join_part(model: type[Model], key: tuple[str, ...], value: int) -> None:
    """Key a filled part by ``key`` and join it to the whole.

    Raises
    ------
    django.db.IntegrityError
        Two rows have the same key.
    """
    whole, part = _names(model, value)
    columns = sql.SQL(", ").join([sql.Identifier(name) for name in key])
    with connection.cursor() as cursor:
        cursor.execute(sql.SQL("ALTER TABLE {} ADD PRIMARY KEY ({})").format(part, columns))
        cursor.execute(
            sql.SQL("ALTER TABLE {} ATTACH PARTITION {} FOR VALUES IN ({})").format(
                whole, part, sql.Literal(value)
            )
        )
