"""What is stored as JSON of an intake: how its columns are read, and what came of reading it."""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel, ConfigDict

from sortija.core.ledger.role_words import LineKind
from sortija.server.studies.contract import WHOLE

__all__ = ["IntakeReport", "MappingBody"]


class MappingBody(BaseModel):
    """How a file's columns are read; which of it a file has goes by what the file is.

    ``roles``: role → column of a log, of offers and their answers, of districts; ``types``: column
    → type of a customer table; ``kinds``: a log's words for sales, returns and the like;
    ``orders``: levels of ordered categories, lowest first; ``month_first`` None: dates can be read
    either way; ``dated``: the day that a table speaks of, as 2026-06-30, or empty; ``unit``,
    ``units``: what a row of a table is called, and several.
    """

    model_config = ConfigDict(extra="forbid")

    roles: dict[str, str] = {}
    types: dict[str, str] = {}
    month_first: bool | None = False
    decimal_comma: bool = False
    kinds: dict[str, LineKind] = {}
    orders: dict[str, list[str]] = {}
    dated: str = ""
    unit: str = ""
    units: str = ""

    def said(self) -> dict[str, Any]:
        """What is said, without what is left as it is by itself."""
        return self.model_dump(exclude_defaults=True)


class IntakeReport(BaseModel):
    """What came of a file: counts of its rows and of what they are, by what the file is.

    ``ragged``: rows with too many or too few cells, the first of them in ``ragged_examples``;
    ``without_key``: rows that name no customer; ``named_twice``: rows of customers named before;
    ``unread``: cells that could not be read, by column; ``told``: each offer's description by
    column; ``notes``: how the file was read, in sentences.
    """

    model_config = WHOLE

    lines: int = 0
    receipts: int = 0
    rows: int = 0
    customers: int = 0
    offers: int = 0
    areas: int = 0
    new_cards: int = 0
    without_key: int = 0
    named_twice: int = 0
    ragged: int = 0
    ragged_examples: list[str] = []
    unread: dict[str, int] = {}
    told: dict[str, dict[str, str]] = {}
    notes: list[str] = []
