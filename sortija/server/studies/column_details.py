"""What is kept of a column beside its values: typed, so that readers know what is there."""

from __future__ import annotations

from typing import TypeVar

from pydantic import BaseModel

from sortija.server.studies.models import Column

__all__ = ["Details", "details_of"]


class Details(BaseModel):
    """``levels``: of a category. Stations keep more beside them, in kinds of their own."""

    levels: list[str] = []


Kind = TypeVar("Kind", bound=Details)


def details_of(row: Column, kind: type[Kind]) -> Kind:
    """What was kept of a column, as the kind of details that it was kept with."""
    return kind.model_validate(row.details)
